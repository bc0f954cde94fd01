//! Which state of the bench something was read from, so that what was worked out from it can be kept while nothing changes.
//!
//! The one writer of the bench tells each row that it touches before it commits; until its connection is back, what is read may be of before or
//! after, and nothing is kept. This process alone writes a bench: a lock sees to it.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Tables whose rows belong to a single test or log and are only ever added to: their own versions are read from them.
const ADDED_TO: [&str; 9] =
    ["readings", "reading_figures", "run_events", "log_samples", "log_minutes", "logs", "log_events", "sessions", "photos"];

/// Counts the changes of what tests refer to.
#[derive(Debug, Default)]
pub(crate) struct Changes {
    count: AtomicU64,
    is_writing: AtomicBool,
}

impl Changes {
    /// A row of a table is being changed.
    pub fn touched(&self, table: &str) {
        if !ADDED_TO.contains(&table) {
            self.is_writing.store(true, Ordering::SeqCst);
        }
    }

    /// The writer is done, whether it committed or not.
    pub fn written(&self) {
        if self.is_writing.load(Ordering::SeqCst) {
            self.count.fetch_add(1, Ordering::SeqCst);
            self.is_writing.store(false, Ordering::SeqCst);
        }
    }

    /// The state that is read from now on; `None` while one is being written.
    pub fn now(&self) -> Option<u64> {
        let count = self.count.load(Ordering::SeqCst);
        (!self.is_writing.load(Ordering::SeqCst)).then_some(count)
    }
}

/// A state of one test and of all that it refers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct TestState {
    changes: u64,
    newest_reading: i64,
    newest_run: i64,
    newest_event: i64,
}

impl crate::Store {
    /// The state of a test as it would be read now; `None` while something is being written.
    pub async fn test_state(&self, test_id: i64) -> Result<Option<TestState>, crate::StoreError> {
        let Some(changes) = self.changes.now() else { return Ok(None) };
        let sql = "SELECT coalesce((SELECT max(id) FROM readings WHERE test_id = ?1), 0), \
                          coalesce((SELECT max(id) FROM runs WHERE test_id = ?1), 0), \
                          coalesce((SELECT max(e.id) FROM run_events e JOIN runs r ON r.id = e.run_id WHERE r.test_id = ?1), 0)";
        let (newest_reading, newest_run, newest_event) = sqlx::query_as(sql).bind(test_id).fetch_one(&self.reader).await?;
        Ok(Some(TestState { changes, newest_reading, newest_run, newest_event }))
    }
}
