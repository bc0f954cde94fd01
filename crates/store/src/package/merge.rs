//! A staged bench into this one, in one step: rows by their identities, references brought over, sums of rows made anew where they hold a
//! number of this bench.

use super::error::{Conflict, ConflictKind, PackageError};
use super::stage::{Staged, stage};
use super::tables::{ColumnInfo, Known, TABLES, Table, WHAT, columns};
use crate::checksum::{of_chunk, of_reading};
use crate::connections::Store;
use crate::files::beside;
use crate::forget::leave_forgotten;
use crate::reading_rows::{COLUMNS, FIGURES, figures_from, reading_from};
use crate::runs::checksum_of_row;
use sqlx::{AssertSqlSafe, Row, SqliteConnection};
use std::collections::BTreeMap;
use std::path::Path;

/// Which is to stand where both sides changed a thing, or where one name is of two.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Prefer {
    /// Neither: all of them are told, and nothing comes in.
    #[default]
    Ask,
    Here,
    Package,
}

impl Prefer {
    /// By its name in a form, a query and a command.
    pub fn from_name(name: &str) -> Option<Self> {
        match name {
            "" => Some(Prefer::Ask),
            "here" => Some(Prefer::Here),
            "package" => Some(Prefer::Package),
            _ => None,
        }
    }
}

/// What came in.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Merged {
    /// New rows by table.
    pub added: BTreeMap<&'static str, u64>,
    /// Rows that the package had newer.
    pub changed: u64,
    /// Corrections of readings that were corrected here too: those of this bench stand.
    pub corrections_left: u64,
}

impl Store {
    /// Takes a package in: all of it, or nothing. Goes on a thread that may wait.
    ///
    /// # Errors
    /// Where in the package something is wrong; what does not go together with this bench, where that was to be asked.
    pub async fn import_package(&self, package: &Path, prefer: Prefer) -> Result<Merged, PackageError> {
        let _alone = self.importing.lock().await;
        let at = beside(self.place.path(), &format!(".import-{}", crate::new_uid()));
        let staged = stage(package, &at).await?;
        let merged = self.merge(&staged, prefer).await;
        staged.end().await;
        merged
    }

    async fn merge(&self, staged: &Staged, prefer: Prefer) -> Result<Merged, PackageError> {
        let mut connection = self.writer()?.acquire().await?;
        let path = staged.path().to_string_lossy().into_owned();
        sqlx::query("ATTACH ? AS package").bind(path).execute(&mut *connection).await?;
        sqlx::query("BEGIN IMMEDIATE").execute(&mut *connection).await?;
        let merged = in_one_step(&mut connection, prefer).await;
        let end = if merged.is_ok() { "COMMIT" } else { "ROLLBACK" };
        let ended = sqlx::query(end).execute(&mut *connection).await;
        for sql in ["DROP TABLE IF EXISTS temp.package_rows", "DETACH package"] {
            sqlx::query(sql).execute(&mut *connection).await?;
        }
        ended?;
        merged
    }
}

async fn in_one_step(connection: &mut SqliteConnection, prefer: Prefer) -> Result<Merged, PackageError> {
    let sql = "CREATE TEMP TABLE package_rows (of TEXT, theirs INTEGER, ours INTEGER, is_new INTEGER, \
               PRIMARY KEY (of, theirs)) WITHOUT ROWID";
    sqlx::query(sql).execute(&mut *connection).await?;
    let is_empty: bool = sqlx::query_scalar(
        "SELECT NOT EXISTS (SELECT 1 FROM main.panels) AND NOT EXISTS (SELECT 1 FROM main.gear) AND NOT EXISTS (SELECT 1 FROM main.tests) \
         AND NOT EXISTS (SELECT 1 FROM main.logs) AND NOT EXISTS (SELECT 1 FROM main.places)",
    )
    .fetch_one(&mut *connection)
    .await?;
    leave_forgotten(connection).await?;
    let mut merge = Merge { connection, prefer, conflicts: Vec::new(), merged: Merged::default(), is_empty };
    for table in TABLES {
        let columns = columns(&mut *merge.connection, table).await?;
        merge.table(table, &columns).await?;
    }
    merge.samples().await?;
    if merge.conflicts.is_empty() || prefer != Prefer::Ask {
        Ok(merge.merged)
    } else {
        Err(PackageError::Conflicts(merge.conflicts))
    }
}

/// A merge under way.
pub(super) struct Merge<'a> {
    pub connection: &'a mut SqliteConnection,
    pub prefer: Prefer,
    pub conflicts: Vec<Conflict>,
    pub merged: Merged,
    /// Nothing was in this bench.
    pub is_empty: bool,
}

impl Merge<'_> {
    pub(super) async fn run(&mut self, sql: String) -> Result<u64, PackageError> {
        Ok(sqlx::query(AssertSqlSafe(sql)).execute(&mut *self.connection).await?.rows_affected())
    }

    async fn table(&mut self, table: &Table, columns: &[ColumnInfo]) -> Result<(), PackageError> {
        match table.known {
            Known::Only => return self.bench().await,
            Known::By(known) => {
                self.find(table, known, columns).await?;
                self.compare(table, columns).await?;
                self.names(table).await?;
                if table.name == "runs" {
                    self.places_of_runs().await?;
                }
                if table.name == "readings" {
                    self.leave_corrections().await?;
                    self.sums_of_readings().await?;
                }
            }
            Known::With(_) | Known::ByAll(_) => {}
        }
        let added = self.add(table, columns).await?;
        if table.name == "runs" {
            self.sums_of_runs().await?;
        }
        if added > 0 {
            self.merged.added.insert(table.name, added);
        }
        Ok(())
    }

    /// The bench itself stands, unless nothing is in it yet.
    async fn bench(&mut self) -> Result<(), PackageError> {
        if self.is_empty {
            let sql = "UPDATE main.bench SET (name, time_zone, currency, place_id) = (SELECT name, time_zone, currency, \
                       (SELECT ours FROM temp.package_rows WHERE of = 'places' AND theirs = place_id) FROM package.bench) \
                       WHERE EXISTS (SELECT 1 FROM package.bench)";
            self.run(sql.to_owned()).await?;
            return Ok(());
        }
        let differing: Option<(String, String)> = sqlx::query_as(
            "SELECT m.currency, p.currency FROM main.bench m, package.bench p WHERE m.currency <> p.currency AND m.currency <> '' \
             AND p.currency <> '' AND (EXISTS (SELECT 1 FROM package.panels WHERE price IS NOT NULL) \
             OR EXISTS (SELECT 1 FROM package.panel_kinds WHERE price IS NOT NULL))",
        )
        .fetch_optional(&mut *self.connection)
        .await?;
        if let Some((here, package)) = differing {
            let (what, name) = ("bench".to_owned(), "currency of prices".to_owned());
            self.conflicts.push(Conflict { what, name, here, package, kind: ConflictKind::Changed });
        }
        Ok(())
    }

    /// Numbers for every row of the package: those of the same rows here, and new ones. Where the table is empty they keep their own.
    async fn find(&mut self, table: &Table, known: &str, columns: &[ColumnInfo]) -> Result<(), PackageError> {
        let name = table.name;
        self.run(format!(
            "INSERT INTO temp.package_rows SELECT '{name}', p.id, m.id, 0 FROM package.\"{name}\" p \
             JOIN main.\"{name}\" m ON m.{known} = p.{known}"
        ))
        .await?;
        if name == "panel_kinds" {
            // A kind is its label: one that says the same in everything is the same, whoever typed it.
            let said = columns.iter().filter(|column| !matches!(column.name.as_str(), "id" | "uid"));
            let same: Vec<String> = said.map(|column| format!("m.{0} IS p.{0}", column.name)).collect();
            self.run(format!(
                "INSERT OR IGNORE INTO temp.package_rows SELECT '{name}', p.id, m.id, 0 FROM package.{name} p JOIN main.{name} m ON {}",
                same.join(" AND ")
            ))
            .await?;
        }
        let last: Option<i64> = sqlx::query_scalar(AssertSqlSafe(format!("SELECT max(id) FROM main.\"{name}\"")))
            .fetch_one(&mut *self.connection)
            .await?;
        let ours = match last {
            None => "p.id".to_owned(),
            Some(last) => format!("{last} + row_number() OVER (ORDER BY p.id)"),
        };
        self.run(format!(
            "INSERT INTO temp.package_rows SELECT '{name}', p.id, {ours}, 1 FROM package.\"{name}\" p \
             WHERE NOT EXISTS (SELECT 1 FROM temp.package_rows r WHERE r.of = '{name}' AND r.theirs = p.id)"
        ))
        .await?;
        Ok(())
    }

    /// Runs that were added to one test on both sides have one place in it: those of the package go behind.
    async fn places_of_runs(&mut self) -> Result<(), PackageError> {
        self.run(
            "UPDATE package.runs SET place = place + (SELECT max(m.place) FROM main.runs m JOIN temp.package_rows t \
             ON t.of = 'tests' AND t.ours = m.test_id WHERE t.theirs = package.runs.test_id) \
             WHERE id IN (SELECT p.id FROM package.runs p JOIN temp.package_rows r ON r.of = 'runs' AND r.theirs = p.id AND r.is_new \
             JOIN temp.package_rows t ON t.of = 'tests' AND t.theirs = p.test_id \
             JOIN main.runs m ON m.test_id = t.ours AND m.place = p.place)"
                .to_owned(),
        )
        .await?;
        Ok(())
    }

    /// A reading is corrected once: where both sides did, that of this bench stands, and what the package has behind its own stays out.
    async fn leave_corrections(&mut self) -> Result<(), PackageError> {
        loop {
            let left = self
                .run(
                    "DELETE FROM temp.package_rows WHERE of = 'readings' AND is_new AND theirs IN (SELECT p.id FROM package.readings p \
                     JOIN temp.package_rows r ON r.of = 'readings' AND r.theirs = p.replaces_id \
                     JOIN main.readings m ON m.replaces_id = r.ours \
                     UNION SELECT p.id FROM package.readings p WHERE p.replaces_id IS NOT NULL AND NOT EXISTS \
                     (SELECT 1 FROM temp.package_rows r WHERE r.of = 'readings' AND r.theirs = p.replaces_id))"
                        .to_owned(),
                )
                .await?;
            self.merged.corrections_left += left;
            if left == 0 {
                return Ok(());
            }
        }
    }

    /// New rows, with their references brought over.
    async fn add(&mut self, table: &Table, columns: &[ColumnInfo]) -> Result<u64, PackageError> {
        let name = table.name;
        let files = table.files.iter().map(|(column, _)| (*column).to_owned());
        let names: Vec<String> = columns.iter().map(|column| column.name.clone()).chain(files).collect();
        // Into a bench with nothing in it rows keep their numbers.
        let keeps_id = self.is_empty && !table.has_id();
        let names: Vec<String> = names.into_iter().filter(|column| keeps_id || column != "id").collect();
        let from: Vec<String> = names.iter().map(|column| brought(table, column)).collect();
        let sql = match table.known {
            Known::By(_) => format!(
                "INSERT INTO main.\"{name}\" (id, {}) SELECT r.ours, {} FROM package.\"{name}\" p JOIN temp.package_rows r \
                 ON r.of = '{name}' AND r.theirs = p.id WHERE r.is_new ORDER BY r.ours",
                names.join(", "),
                from.join(", ")
            ),
            Known::With(key) => {
                let parent = table.refers.iter().find(|(column, _)| *column == key).map_or("", |(_, of)| of);
                format!(
                    "INSERT INTO main.\"{name}\" ({}) SELECT {} FROM package.\"{name}\" p JOIN temp.package_rows r \
                     ON r.of = '{parent}' AND r.theirs = p.{key} WHERE r.is_new",
                    names.join(", "),
                    from.join(", ")
                )
            }
            Known::ByAll(keys) => {
                let same: Vec<String> = keys.iter().map(|key| format!("m.{key} IS {}", brought(table, key))).collect();
                format!(
                    "INSERT INTO main.\"{name}\" ({}) SELECT {} FROM package.\"{name}\" p \
                     WHERE {} NOT EXISTS (SELECT 1 FROM main.\"{name}\" m WHERE {}) {}",
                    names.join(", "),
                    from.join(", "),
                    // What a row that is not there was, or that it was withdrawn, says nothing.
                    if is_of_any(table) { format!("{} IS NOT NULL AND", brought(table, "row_id")) } else { String::new() },
                    same.join(" AND "),
                    if columns.iter().any(|column| column.name == "id") { "ORDER BY p.id" } else { "" }
                )
            }
            Known::Only => return Ok(0),
        };
        self.run(sql).await
    }

    /// The samples of new logs; their sums hold the number of the log.
    async fn samples(&mut self) -> Result<(), PackageError> {
        for (parts, columns) in [
            ("log_chunks", "quantity, nth, first_ms, last_ms, samples"),
            ("log_samples", "quantity, at_ms, value"),
            ("log_minutes", "quantity, minute_ms, low, high, total, samples"),
        ] {
            self.run(format!(
                "INSERT INTO main.{parts} (log_id, {columns}) SELECT r.ours, {} FROM package.{parts} p \
                 JOIN temp.package_rows r ON r.of = 'logs' AND r.theirs = p.log_id WHERE r.is_new",
                columns.split(", ").map(|column| format!("p.{column}")).collect::<Vec<_>>().join(", ")
            ))
            .await?;
        }
        let chunks: Vec<(i64, String, i64)> = sqlx::query_as(
            "SELECT c.log_id, c.quantity, c.nth FROM main.log_chunks c JOIN temp.package_rows r ON r.of = 'logs' AND r.ours = c.log_id \
             WHERE r.is_new",
        )
        .fetch_all(&mut *self.connection)
        .await?;
        for (log_id, quantity, nth) in chunks {
            let of = "WHERE log_id = ? AND quantity = ? AND nth = ?";
            let samples: Vec<u8> = sqlx::query_scalar(AssertSqlSafe(format!("SELECT samples FROM main.log_chunks {of}")))
                .bind(log_id)
                .bind(&quantity)
                .bind(nth)
                .fetch_one(&mut *self.connection)
                .await?;
            sqlx::query(AssertSqlSafe(format!("UPDATE main.log_chunks SET crc32 = ? {of}")))
                .bind(of_chunk(log_id, &quantity, nth, &samples))
                .bind(log_id)
                .bind(&quantity)
                .bind(nth)
                .execute(&mut *self.connection)
                .await?;
        }
        Ok(())
    }

    /// The sums of new readings, which hold the numbers of their test and run: made anew before they come in, since nothing changes them
    /// afterwards.
    async fn sums_of_readings(&mut self) -> Result<(), PackageError> {
        if self.is_empty {
            return Ok(());
        }
        self.run("DROP TRIGGER package.readings_are_not_changed".to_owned()).await?;
        let tests: Vec<(i64, i64)> = sqlx::query_as("SELECT theirs, ours FROM temp.package_rows WHERE of = 'tests'")
            .fetch_all(&mut *self.connection)
            .await?;
        for (theirs, ours) in tests {
            let figures = FIGURES.replace("FROM reading_figures", "FROM package.reading_figures");
            let sql = format!(
                "SELECT {COLUMNS}, ({figures}) AS figures, \
                 (SELECT ours FROM temp.package_rows WHERE of = 'runs' AND theirs = r.run_id) AS our_run \
                 FROM package.readings r LEFT JOIN package.readings p ON p.id = r.replaces_id WHERE r.test_id = ?"
            );
            let rows = sqlx::query(AssertSqlSafe(sql)).bind(theirs).fetch_all(&mut *self.connection).await?;
            for row in &rows {
                let mut reading = reading_from(row, figures_from(row)?)?;
                reading.what.run_id = row.try_get("our_run")?;
                sqlx::query("UPDATE package.readings SET crc32 = ? WHERE id = ?")
                    .bind(of_reading(ours, reading.accepted_utc, &reading.what))
                    .bind(reading.id)
                    .execute(&mut *self.connection)
                    .await?;
            }
        }
        Ok(())
    }

    /// The sums of new runs, which hold the number of their test.
    async fn sums_of_runs(&mut self) -> Result<(), PackageError> {
        if self.is_empty {
            return Ok(());
        }
        let runs: Vec<i64> = sqlx::query_scalar("SELECT ours FROM temp.package_rows WHERE of = 'runs' AND is_new")
            .fetch_all(&mut *self.connection)
            .await?;
        for id in runs {
            let sum = checksum_of_row(&mut *self.connection, id).await?;
            sqlx::query("UPDATE main.runs SET crc32 = ? WHERE id = ?").bind(sum).bind(id).execute(&mut *self.connection).await?;
        }
        Ok(())
    }
}

/// A column of a row of the package as it is in this bench: what names another row names that of this bench.
pub(super) fn brought(table: &Table, column: &str) -> String {
    let ours = |of: &str| format!("(SELECT ours FROM temp.package_rows WHERE of = '{of}' AND theirs = p.{column})");
    if is_of_any(table) && column == "row_id" {
        let cases: Vec<String> = WHAT.iter().map(|(what, of)| format!("WHEN '{what}' THEN {}", ours(of))).collect();
        return format!("CASE p.what {} END", cases.join(" "));
    }
    match table.refers.iter().find(|(name, _)| *name == column) {
        Some((_, of)) => ours(of),
        None => format!("p.{column}"),
    }
}

/// Its rows are about rows of several tables.
fn is_of_any(table: &Table) -> bool {
    matches!(table.name, "withdrawals" | "revisions")
}
