//! The state of a test, as it would be read now.

use crate::connections::Store;
use crate::error::StoreError;

/// A state of one test and of all that it refers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct TestState {
    changes: u64,
    of_test: u64,
    newest_reading: i64,
    newest_run: i64,
    newest_event: i64,
    /// Of the logs that belong to it and are complete: which, how long, and how they are meant.
    logs: i64,
}

const NEWEST: &str = "coalesce((SELECT max(id) FROM readings WHERE test_id = t.id), 0), \
                      coalesce((SELECT max(id) FROM runs WHERE test_id = t.id), 0), \
                      coalesce((SELECT max(e.id) FROM run_events e JOIN runs r ON r.id = e.run_id WHERE r.test_id = t.id), 0), \
                      CAST((SELECT total(id * 31 + side * 7 + ahead_s + samples) FROM logs \
                            WHERE test_id = t.id AND ended_utc IS NOT NULL) AS INTEGER)";

impl Store {
    /// How often anything was written, but for readings and the samples of logs: what was read under one number holds while it stays.
    /// `None` while something is being written.
    pub fn writes(&self) -> Option<u64> {
        self.changes.any()
    }

    /// The same of readings alone.
    pub fn reading_writes(&self) -> Option<u64> {
        self.changes.of_readings()
    }

    /// The state of a test as it would be read now; `None` while something is being written.
    pub async fn test_state(&self, test_id: i64) -> Result<Option<TestState>, StoreError> {
        let Some((changes, of_test)) = self.changes.of_test_row(test_id) else { return Ok(None) };
        let sql = sqlx::AssertSqlSafe(format!("SELECT {NEWEST} FROM (SELECT ?1 AS id) t"));
        let (newest_reading, newest_run, newest_event, logs) = sqlx::query_as(sql).bind(test_id).fetch_one(&self.reader).await?;
        Ok(Some(TestState { changes, of_test, newest_reading, newest_run, newest_event, logs }))
    }

    /// The states of all tests that are shown, the newest test first.
    pub async fn test_states(&self) -> Result<Vec<(i64, Option<TestState>)>, StoreError> {
        let changes = self.changes.now();
        let shown = crate::tests::IS_SHOWN;
        let sql =
            sqlx::AssertSqlSafe(format!("SELECT t.id, {NEWEST} FROM tests t WHERE {shown} ORDER BY created_utc DESC, id DESC"));
        let rows: Vec<(i64, i64, i64, i64, i64)> = sqlx::query_as(sql).fetch_all(&self.reader).await?;
        let state = |(id, newest_reading, newest_run, newest_event, logs)| {
            let (changes, of_test) = changes.zip(self.changes.of_test(id))?;
            Some(TestState { changes, of_test, newest_reading, newest_run, newest_event, logs })
        };
        Ok(rows.into_iter().map(|row| (row.0, state(row))).collect())
    }
}
