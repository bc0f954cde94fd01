//! What both sides have and may have changed: the newer one where that can be told, and else side by side.

use super::error::{Conflict, ConflictKind, PackageError};
use super::merge::{Merge, Prefer, brought};
use super::tables::{ColumnInfo, Table};
use sqlx::AssertSqlSafe;

/// Tables whose rows people change, with the trigger that keeps what they were.
const CHANGED: &[(&str, Option<&str>)] = &[
    ("places", Some("places_as_they_were")),
    ("panel_kinds", Some("kinds_as_they_were")),
    ("panels", Some("panels_as_they_were")),
    ("gear", Some("gear_as_it_was")),
    ("rigs", Some("rigs_as_they_were")),
    ("tests", Some("set_ups_as_they_were")),
    ("reviews", None),
];

impl Merge<'_> {
    /// Rows that are on both sides and differ: the newer one where one side has what the other was, and else asked about.
    pub(super) async fn compare(&mut self, table: &Table, columns: &[ColumnInfo]) -> Result<(), PackageError> {
        let Some((_, trigger)) = CHANGED.iter().find(|(name, _)| *name == table.name) else { return Ok(()) };
        let name = table.name;
        let plain: Vec<&ColumnInfo> = columns.iter().filter(|column| !is_of_one_bench(table, &column.name)).collect();
        let by_column = plain.iter().map(|column| format!("m.{0} IS NOT p.{0}", column.name));
        // Another kind, panel or piece of gear is a change too, though it says so by a number of its own bench.
        let by_reference = table.refers.iter().map(|(column, _)| format!("m.{column} IS NOT {}", brought(table, column)));
        let differ: Vec<String> = by_column.chain(by_reference).collect();
        let parts = |schema: &str, row: &str| match name {
            "gear" => format!(
                "(SELECT group_concat(name || '=' || value, char(10)) FROM {schema}.gear_fields WHERE gear_id = {row}.id)"
            ),
            "rigs" => format!(
                "(SELECT group_concat(spot || ' ' || (SELECT name FROM {schema}.gear g WHERE g.id = gear_id), char(10)) \
                 FROM {schema}.rig_meters WHERE rig_id = {row}.id)"
            ),
            _ => "''".to_owned(),
        };
        let (here, there) = (parts("main", "m"), parts("package", "p"));
        let (was_here, was_there) = match trigger {
            None => ("0".to_owned(), "0".to_owned()),
            Some(trigger) => {
                let (m, p) = (self.content(table, trigger, "main").await?, self.content(table, trigger, "package").await?);
                let among = |schema: &str, row: &str, content: &str| {
                    format!(
                        "EXISTS (SELECT 1 FROM {schema}.revisions v WHERE v.what = '{name}' AND v.row_id = {row}.id \
                         AND v.content = {content})"
                    )
                };
                (among("package", "p", &m), among("main", "m", &p))
            }
        };
        let shown = |schema: &str, row: &str, parts: &str| {
            let references = table.refers.iter().map(|(column, of)| {
                let name = Table::of(of).and_then(|of| of.name_column).unwrap_or("uid");
                let named = format!("(SELECT o.{name} FROM {schema}.\"{of}\" o WHERE o.id = {row}.{column})");
                let word = column.trim_end_matches("_id");
                format!(
                    "CASE WHEN m.{column} IS NOT {} THEN '{word} ' || ifnull({named}, '\u{2013}') || char(10) ELSE '' END",
                    brought(table, column)
                )
            });
            let columns: Vec<String> = plain
                .iter()
                .filter(|column| !matches!(column.name.as_str(), "uid" | "crc32" | "created_utc"))
                .map(|column| {
                    format!(
                        "CASE WHEN m.{0} IS NOT p.{0} THEN '{0} ' || ifnull({row}.{0}, '\u{2013}') || char(10) ELSE '' END",
                        column.name
                    )
                })
                .chain(references)
                .collect();
            format!(
                "trim({} || CASE WHEN {here} IS NOT {there} THEN ifnull({parts}, '') ELSE '' END, char(10))",
                columns.join(" || ")
            )
        };
        let called = table.name_column.map_or("p.uid".to_owned(), |column| format!("p.{column}"));
        let called = if name == "reviews" { "p.name".to_owned() } else { called };
        let sql = format!(
            "SELECT p.id, m.id, {called}, {}, {}, {was_here}, {was_there} FROM package.\"{name}\" p \
             JOIN main.\"{name}\" m ON m.uid = p.uid \
             WHERE {} OR {here} IS NOT {there}",
            shown("main", "m", &here),
            shown("package", "p", &there),
            differ.join(" OR "),
        );
        let rows: Vec<(i64, i64, String, String, String, bool, bool)> =
            sqlx::query_as(AssertSqlSafe(sql)).fetch_all(&mut *self.connection).await?;
        for (theirs, ours, called, here, package, ours_was_theirs, theirs_was_ours) in rows {
            let takes = match (ours_was_theirs, theirs_was_ours, self.prefer) {
                (true, false, _) => true,
                (false, true, _) => false,
                (_, _, prefer) => {
                    let what = name.to_owned();
                    self.conflicts.push(Conflict { what, name: called, here, package, kind: ConflictKind::Changed });
                    prefer == Prefer::Package
                }
            };
            if takes {
                self.take(table, columns, theirs, ours).await?;
            }
        }
        Ok(())
    }

    /// What a trigger keeps of a row of one bench, as an expression, with the numbers that the other bench has for what the row refers
    /// to: as that bench would have kept it.
    async fn content(&mut self, table: &Table, trigger: &str, schema: &str) -> Result<String, PackageError> {
        let sql: String = sqlx::query_scalar("SELECT sql FROM main.sqlite_master WHERE type = 'trigger' AND name = ?")
            .bind(trigger)
            .fetch_one(&mut *self.connection)
            .await?;
        let (row, from, to) = if schema == "main" { ("m", "ours", "theirs") } else { ("p", "theirs", "ours") };
        let there = |of: &str, id: &str| format!("(SELECT {to} FROM temp.package_rows WHERE of = '{of}' AND {from} = {id})");
        let content = sql.split_once("json_object(").and_then(|(_, rest)| rest.rsplit_once(");")).map(|(content, _)| content);
        let mut content = content.unwrap_or_default().replace("OLD.", &format!("{row}."));
        for (column, of) in table.refers {
            let own = format!("{row}.{column}");
            content = content.replace(&own, &there(of, &own));
        }
        let content = content.replace("(spot, gear_id)", &format!("(spot, {})", there("gear", "gear_id")));
        let content = content.replace("FROM gear_fields", &format!("FROM {schema}.gear_fields"));
        Ok(format!("json_object({}", content.replace("FROM rig_meters", &format!("FROM {schema}.rig_meters"))))
    }

    /// A row of the package over the one here; what it was is kept by its trigger.
    async fn take(&mut self, table: &Table, columns: &[ColumnInfo], theirs: i64, ours: i64) -> Result<(), PackageError> {
        let set: Vec<String> =
            columns.iter().filter(|column| column.name != "id" && column.name != "uid").map(|c| c.name.clone()).collect();
        let from: Vec<String> = set.iter().map(|column| brought(table, column)).collect();
        self.run(format!(
            "UPDATE main.\"{0}\" SET ({1}) = (SELECT {2} FROM package.\"{0}\" p WHERE p.id = {theirs}) WHERE id = {ours}",
            table.name,
            set.join(", "),
            from.join(", ")
        ))
        .await?;
        for (parts, of, columns) in [("gear_fields", "gear", "name, value"), ("rig_meters", "rigs", "spot, gear_id")] {
            if of == table.name {
                let key = if of == "gear" { "gear_id" } else { "rig_id" };
                self.run(format!("DELETE FROM main.{parts} WHERE {key} = {ours}")).await?;
                let from =
                    columns.split(", ").map(|column| Table::of(parts).map_or(String::new(), |table| brought(table, column)));
                let from = from.collect::<Vec<_>>().join(", ");
                self.run(format!(
                    "INSERT INTO main.{parts} ({key}, {columns}) SELECT {ours}, {from} FROM package.{parts} p WHERE p.{key} = {theirs}"
                ))
                .await?;
            }
        }
        self.merged.changed += 1;
        Ok(())
    }

    /// Names of new rows that are of something else here: told, or with a number behind them.
    pub(super) async fn names(&mut self, table: &Table) -> Result<(), PackageError> {
        let Some(column) = table.name_column else { return Ok(()) };
        let name = table.name;
        let taken: Vec<(i64, String, String)> = sqlx::query_as(AssertSqlSafe(format!(
            "SELECT p.id, p.{column}, m.{column} FROM package.\"{name}\" p JOIN temp.package_rows r ON r.of = '{name}' AND r.theirs = p.id \
             AND r.is_new JOIN main.\"{name}\" m ON m.{column} = p.{column} COLLATE NOCASE"
        )))
        .fetch_all(&mut *self.connection)
        .await?;
        for (id, theirs, ours) in taken {
            let new = self.free_name(name, column, &theirs).await?;
            sqlx::query(AssertSqlSafe(format!("UPDATE package.\"{name}\" SET {column} = ? WHERE id = ?")))
                .bind(&new)
                .bind(id)
                .execute(&mut *self.connection)
                .await?;
            if name == "panels" {
                self.rename_in_wirings(&theirs, &new).await?;
            }
            let what = name.to_owned();
            self.conflicts.push(Conflict { what, name: theirs, here: ours, package: new, kind: ConflictKind::NameTaken });
        }
        Ok(())
    }

    async fn free_name(&mut self, table: &str, column: &str, name: &str) -> Result<String, PackageError> {
        for number in 2.. {
            let tried = format!("{name} ({number})");
            let sql = format!(
                "SELECT EXISTS (SELECT 1 FROM main.\"{table}\" WHERE {column} = ?1) \
                 OR EXISTS (SELECT 1 FROM package.\"{table}\" WHERE {column} = ?1)"
            );
            let is_taken: bool = sqlx::query_scalar(AssertSqlSafe(sql)).bind(&tried).fetch_one(&mut *self.connection).await?;
            if !is_taken {
                return Ok(tried);
            }
        }
        Ok(name.to_owned())
    }

    /// Wirings name panels by their tags.
    async fn rename_in_wirings(&mut self, tag: &str, new: &str) -> Result<(), PackageError> {
        let rigs: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, wiring FROM package.rigs").fetch_all(&mut *self.connection).await?;
        for (id, wiring) in rigs {
            let renamed = with_tag(&wiring, tag, new);
            if renamed != wiring {
                sqlx::query("UPDATE package.rigs SET wiring = ? WHERE id = ?")
                    .bind(renamed)
                    .bind(id)
                    .execute(&mut *self.connection)
                    .await?;
            }
        }
        Ok(())
    }
}

/// A number, or a sum of one, that says nothing in another bench.
fn is_of_one_bench(table: &Table, column: &str) -> bool {
    column == "id" || table.refers.iter().any(|(name, _)| *name == column)
}

/// A wiring with another tag for one of its panels: "S-1 + S-2 | 2 x M-1".
fn with_tag(wiring: &str, tag: &str, new: &str) -> String {
    let piece = |text: &str| {
        let trimmed = text.trim();
        let (before, name) = match trimmed.split_once(" x ") {
            Some((count, name)) if count.trim().parse::<u32>().is_ok() => (format!("{count} x "), name.trim()),
            Some(_) | None => (String::new(), trimmed),
        };
        if name.to_lowercase() == tag.to_lowercase() { text.replace(trimmed, &format!("{before}{new}")) } else { text.to_owned() }
    };
    let strings = wiring.split('|').map(|string| string.split('+').map(piece).collect::<Vec<_>>().join("+"));
    strings.collect::<Vec<_>>().join("|")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wiring_names_its_panels_anew() {
        assert_eq!(with_tag("S-1 + S-2 | 2 x s-1", "S-1", "S-1 (2)"), "S-1 (2) + S-2 | 2 x S-1 (2)");
        assert_eq!(with_tag("S-10 + AS-1", "S-1", "S-1 (2)"), "S-10 + AS-1");
    }
}
