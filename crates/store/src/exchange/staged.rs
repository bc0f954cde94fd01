//! An import by parts: each part is written in a moment of its own, so that readings come through between them; nothing of it is shown
//! before its last part is in, and nothing is left of one that failed.

use crate::connections::Store;
use crate::error::StoreError;
use jiff::Timestamp;
use sqlx::{Sqlite, SqliteConnection, Transaction};
use std::time::{Duration, Instant};

/// The writer is given back after this time, so that nobody waits long for it.
const LONGEST_PART: Duration = Duration::from_millis(25);

/// Rows that are taken out in one moment, where an import failed.
const TAKEN_OUT_AT_ONCE: i64 = 500;

/// What an import adds besides readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Added {
    Test,
    Run,
    Panel,
    Kind,
    Place,
    Gear,
    Rig,
}

impl Added {
    fn name(self) -> &'static str {
        match self {
            Added::Test => "test",
            Added::Run => "run",
            Added::Panel => "panel",
            Added::Kind => "kind",
            Added::Place => "place",
            Added::Gear => "gear",
            Added::Rig => "rig",
        }
    }

    fn table(self) -> &'static str {
        match self {
            Added::Test => "tests",
            Added::Run => "runs",
            Added::Panel => "panels",
            Added::Kind => "panel_kinds",
            Added::Place => "places",
            Added::Gear => "gear",
            Added::Rig => "rigs",
        }
    }
}

impl Added {
    /// Rows that belong to it alone, as the end of the statement that takes them out.
    fn parts(self) -> &'static [&'static str] {
        match self {
            Added::Test => &["test_meters WHERE test_id = ?"],
            Added::Gear => &["gear_fields WHERE gear_id = ?"],
            Added::Rig => &["rig_meters WHERE rig_id = ?"],
            Added::Run => &["run_events WHERE run_id = ?"],
            Added::Panel | Added::Kind | Added::Place => &[],
        }
    }
}

/// An import that is under way.
pub(super) struct Staged<'a> {
    store: &'a Store,
    id: i64,
    part: Option<(Transaction<'static, Sqlite>, Instant)>,
}

impl<'a> Staged<'a> {
    pub async fn begin(store: &'a Store, now: Timestamp) -> Result<Self, StoreError> {
        let sql = "INSERT INTO open_imports (begun_ms) VALUES (?)";
        let id = sqlx::query(sql).bind(now.as_millisecond()).execute(store.writer()?).await?.last_insert_rowid();
        Ok(Staged { store, id, part: None })
    }

    /// By which its readings are known.
    pub fn id(&self) -> i64 {
        self.id
    }

    /// The connection of the part that is being written.
    pub async fn part(&mut self) -> Result<&mut SqliteConnection, StoreError> {
        if self.part.is_none() {
            let begun = self.store.writer()?.begin_with("BEGIN IMMEDIATE").await?;
            self.part = Some((begun, Instant::now()));
        }
        match &mut self.part {
            Some((part, _)) => Ok(part),
            None => Err(StoreError::Busy),
        }
    }

    /// Ends the part where it has taken its time.
    pub async fn pause(&mut self) -> Result<(), StoreError> {
        if self.part.as_ref().is_some_and(|(_, begun)| begun.elapsed() >= LONGEST_PART) {
            self.end_part().await?;
        }
        Ok(())
    }

    async fn end_part(&mut self) -> Result<(), StoreError> {
        match self.part.take() {
            Some((part, _)) => Ok(part.commit().await?),
            None => Ok(()),
        }
    }

    /// Shows what was brought: one row less, in one moment.
    pub async fn finish(mut self) -> Result<(), StoreError> {
        self.end_part().await?;
        sqlx::query("DELETE FROM open_imports WHERE id = ?").bind(self.id).execute(self.store.writer()?).await?;
        Ok(())
    }

    /// Takes out what was brought.
    pub async fn give_up(mut self) -> Result<(), StoreError> {
        if let Some((part, _)) = self.part.take() {
            part.rollback().await?;
        }
        self.store.take_out(self.id).await
    }
}

/// Remembers a row that an import added.
pub(super) async fn note_added(
    connection: &mut SqliteConnection,
    import_id: i64,
    what: Added,
    row_id: i64,
) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO open_import_rows (import_id, what, row_id) VALUES (?, ?, ?)")
        .bind(import_id)
        .bind(what.name())
        .bind(row_id)
        .execute(connection)
        .await?;
    Ok(())
}

impl Store {
    /// Takes out what imports brought that were begun and never ended: the program stopped while they were under way.
    pub(crate) async fn take_out_unfinished(&self) -> Result<(), StoreError> {
        let open: Vec<i64> = sqlx::query_scalar("SELECT id FROM open_imports").fetch_all(self.writer()?).await?;
        for id in open {
            self.take_out(id).await?;
        }
        Ok(())
    }

    async fn take_out(&self, import_id: i64) -> Result<(), StoreError> {
        // The newest first: a revision goes before what it replaces.
        loop {
            let mut part = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
            let newest = "SELECT id FROM readings WHERE import_id = ?1 ORDER BY id DESC LIMIT ?2";
            let figures = sqlx::AssertSqlSafe(format!("DELETE FROM reading_figures WHERE reading_id IN ({newest})"));
            sqlx::query(figures).bind(import_id).bind(TAKEN_OUT_AT_ONCE).execute(&mut *part).await?;
            let readings = sqlx::AssertSqlSafe(format!("DELETE FROM readings WHERE id IN ({newest})"));
            let gone = sqlx::query(readings).bind(import_id).bind(TAKEN_OUT_AT_ONCE).execute(&mut *part).await?.rows_affected();
            part.commit().await?;
            if gone == 0 {
                break;
            }
        }
        for what in [Added::Run, Added::Test, Added::Rig, Added::Gear, Added::Panel, Added::Kind, Added::Place] {
            let rows: Vec<i64> = sqlx::query_scalar("SELECT row_id FROM open_import_rows WHERE import_id = ? AND what = ?")
                .bind(import_id)
                .bind(what.name())
                .fetch_all(self.writer()?)
                .await?;
            for row_id in rows {
                for parts in what.parts() {
                    let sql = sqlx::AssertSqlSafe(format!("DELETE FROM {parts}"));
                    sqlx::query(sql).bind(row_id).execute(self.writer()?).await?;
                }
                let sql = sqlx::AssertSqlSafe(format!("DELETE FROM {} WHERE id = ?", what.table()));
                match sqlx::query(sql).bind(row_id).execute(self.writer()?).await.map_err(StoreError::from) {
                    // Somebody used it meanwhile: then it stays.
                    Ok(_) | Err(StoreError::NotFound(_)) => {}
                    Err(error) => return Err(error),
                }
            }
        }
        sqlx::query("DELETE FROM open_imports WHERE id = ?").bind(import_id).execute(self.writer()?).await?;
        Ok(())
    }
}
