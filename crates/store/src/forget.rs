//! What is withdrawn can be truly erased: with everything that belongs to it, down to the free pages of the file. Its unique name stays, so
//! that a merge does not bring it back.

use crate::connections::Store;
use crate::error::StoreError;
use crate::withdrawals::Withdrawable;
use jiff::Timestamp;
use sqlx::sqlite::{SqliteConnectOptions, SqlitePoolOptions};
use sqlx::{AssertSqlSafe, SqliteConnection};
use std::path::{Path, PathBuf};

/// What was erased.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Forgotten {
    pub what: Withdrawable,
    pub uid: String,
    /// What a person called it.
    pub name: String,
}

/// The statements that erase a record and what belongs to it from a schema; `?1` is its id.
fn erasures(what: Withdrawable, schema: &str) -> Vec<String> {
    let delete = |table: &str, of: &str| format!("DELETE FROM {schema}.{table} WHERE {of}");
    let runs = format!("run_id IN (SELECT id FROM {schema}.runs WHERE test_id = ?1)");
    let mut all = match what {
        Withdrawable::Test => vec![
            delete("reading_figures", &format!("reading_id IN (SELECT id FROM {schema}.readings WHERE test_id = ?1)")),
            delete("readings", "test_id = ?1"),
            delete("run_events", &runs),
            delete("photos", "test_id = ?1"),
            // A log is a record of its own: it is of no test any more.
            format!("UPDATE {schema}.logs SET test_id = NULL, run_id = NULL WHERE test_id = ?1 OR {runs}"),
            delete("runs", "test_id = ?1"),
            delete("acknowledgements", "test_id = ?1"),
            delete("calculation_tests", "test_id = ?1"),
            delete("test_meters", "test_id = ?1"),
        ],
        Withdrawable::Log => ["log_events", "log_chunks", "log_samples", "log_minutes", "log_minute_sums"]
            .map(|table| delete(table, "log_id = ?1"))
            .into(),
        Withdrawable::Panel => vec![delete("panel_events", "panel_id = ?1")],
        Withdrawable::Gear => vec![delete("gear_fields", "gear_id = ?1")],
        Withdrawable::Rig => vec![delete("rig_meters", "rig_id = ?1")],
        Withdrawable::Kind | Withdrawable::Place | Withdrawable::Review => Vec::new(),
    };
    let table = what.table().0;
    all.push(delete(table, "id = ?1"));
    if what == Withdrawable::Log {
        let lone = format!(
            "ended_utc IS NOT NULL AND ?1 > 0 AND id NOT IN (SELECT file_id FROM {schema}.logs WHERE file_id IS NOT NULL)"
        );
        all.push(delete("log_file_faults", &format!("file_id IN (SELECT id FROM {schema}.log_files WHERE {lone})")));
        all.push(delete("log_files", &lone));
    }
    all.push(delete("withdrawals", &format!("what = '{}' AND row_id = ?1", what.name())));
    all.push(delete("revisions", &format!("what = '{table}' AND row_id = ?1")));
    all
}

/// Lets rows be deleted, which triggers else forbid; answers what brings them back.
async fn allow_deletions(connection: &mut SqliteConnection, schema: &str) -> Result<Vec<String>, StoreError> {
    let sql = format!(
        "SELECT name, sql FROM {schema}.sqlite_master WHERE type = 'trigger' AND name LIKE '%are~_not~_deleted' ESCAPE '~'"
    );
    let triggers: Vec<(String, String)> = sqlx::query_as(AssertSqlSafe(sql)).fetch_all(&mut *connection).await?;
    for (name, _) in &triggers {
        sqlx::query(AssertSqlSafe(format!("DROP TRIGGER {schema}.{name}"))).execute(&mut *connection).await?;
    }
    Ok(triggers.into_iter().map(|(_, sql)| sql).collect())
}

/// Takes out of a package what this bench has forgotten, unless something else in the package refers to it.
pub(crate) async fn leave_forgotten(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let all: Vec<(String, String)> = sqlx::query_as("SELECT what, uid FROM main.forgotten").fetch_all(&mut *connection).await?;
    if all.is_empty() {
        return Ok(());
    }
    allow_deletions(connection, "package").await?;
    // Tests and logs before what they refer to.
    let mut all: Vec<(Withdrawable, String)> =
        all.into_iter().filter_map(|(what, uid)| Some((Withdrawable::from_name(&what)?, uid))).collect();
    all.sort_by_key(|(what, _)| match what {
        Withdrawable::Test | Withdrawable::Log | Withdrawable::Review => 0,
        Withdrawable::Rig => 1,
        Withdrawable::Panel | Withdrawable::Gear | Withdrawable::Place => 2,
        Withdrawable::Kind => 3,
    });
    for (what, uid) in all {
        let sql = format!("SELECT id FROM package.{} WHERE uid = ?", what.table().0);
        let id: Option<i64> = sqlx::query_scalar(AssertSqlSafe(sql)).bind(&uid).fetch_optional(&mut *connection).await?;
        let Some(id) = id else { continue };
        let mut is_needed = false;
        for (sql, _) in what.uses().iter().filter(|_| what != Withdrawable::Test) {
            // The counts name their tables without a schema: those of the package stand in the way of no others.
            let sql = sql.replace("FROM ", "FROM package.");
            is_needed |= sqlx::query_scalar::<_, i64>(AssertSqlSafe(sql)).bind(id).fetch_one(&mut *connection).await? > 0;
        }
        if !is_needed {
            for sql in erasures(what, "package") {
                sqlx::query(AssertSqlSafe(sql)).bind(id).execute(&mut *connection).await?;
            }
        }
    }
    Ok(())
}

impl Store {
    /// Truly erases a withdrawn record with everything that belongs to it. For nobody else having the bench open: the whole file is written
    /// anew.
    ///
    /// # Errors
    /// Where it is not withdrawn, or something refers to it still; nothing is erased then.
    pub async fn forget(&self, what: Withdrawable, id: i64, at_utc: Timestamp) -> Result<Forgotten, StoreError> {
        let name = self.name_of(what, id).await?.ok_or(StoreError::NotFound(what.label()))?;
        if !self.withdrawn_ids(what).await?.contains(&id) {
            return Err(StoreError::Conflict(format!(
                "\u{201c}{name}\u{201d} is not withdrawn: withdraw it first, with its reason."
            )));
        }
        let uses = if what == Withdrawable::Test { Vec::new() } else { self.uses(what, id).await? };
        if !uses.is_empty() {
            let uses: Vec<String> =
                uses.iter().map(|(count, of)| format!("{count} {of}{}", if *count == 1 { "" } else { "s" })).collect();
            let sentence = format!("{} refer to \u{201c}{name}\u{201d}: forget what refers to it first.", uses.join(" and "));
            return Err(StoreError::Conflict(sentence));
        }
        let mut connection = self.writer()?.acquire().await?;
        sqlx::query("BEGIN IMMEDIATE").execute(&mut *connection).await?;
        let erased = erase(&mut connection, what, id, at_utc).await;
        let end = if erased.is_ok() { "COMMIT" } else { "ROLLBACK" };
        sqlx::query(end).execute(&mut *connection).await?;
        let uid = erased?;
        // Nothing of it is left in free pages, or in the log.
        sqlx::query("VACUUM").execute(&mut *connection).await?;
        sqlx::query("PRAGMA wal_checkpoint(TRUNCATE)").execute(&mut *connection).await?;
        Ok(Forgotten { what, uid, name })
    }
}

async fn erase(connection: &mut SqliteConnection, what: Withdrawable, id: i64, at_utc: Timestamp) -> Result<String, StoreError> {
    let sql = format!("SELECT uid FROM main.{} WHERE id = ?", what.table().0);
    let uid: String = sqlx::query_scalar(AssertSqlSafe(sql)).bind(id).fetch_one(&mut *connection).await?;
    let triggers = allow_deletions(connection, "main").await?;
    for sql in erasures(what, "main") {
        sqlx::query(AssertSqlSafe(sql)).bind(id).execute(&mut *connection).await?;
    }
    for sql in triggers {
        sqlx::query(AssertSqlSafe(sql)).execute(&mut *connection).await?;
    }
    sqlx::query("INSERT OR REPLACE INTO forgotten (uid, what, at_utc) VALUES (?, ?, ?)")
        .bind(&uid)
        .bind(what.name())
        .bind(at_utc.to_string())
        .execute(connection)
        .await?;
    Ok(uid)
}

/// Which of some copies hold what was forgotten. A file that is no bench, or cannot be read, is left out.
pub async fn copies_with(forgotten: &Forgotten, copies: &[PathBuf]) -> Vec<PathBuf> {
    let mut holding = Vec::new();
    for path in copies {
        if holds(path, forgotten).await.unwrap_or(false) {
            holding.push(path.clone());
        }
    }
    holding
}

async fn holds(path: &Path, forgotten: &Forgotten) -> Result<bool, sqlx::Error> {
    let options = SqliteConnectOptions::new().filename(path).read_only(true);
    let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await?;
    let sql = format!("SELECT EXISTS (SELECT 1 FROM {} WHERE uid = ?)", forgotten.what.table().0);
    let found = sqlx::query_scalar(AssertSqlSafe(sql)).bind(&forgotten.uid).fetch_one(&pool).await;
    pool.close().await;
    found
}
