//! Which state of the bench something was read from, so that what was worked out from it can be kept while nothing changes.
//!
//! The one writer of the bench tells each row that it touches before it commits; until its connection is back, what is read may be of
//! before or after, and nothing is kept. This process alone writes a bench: a lock sees to it.

use std::collections::{HashMap, HashSet};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Tables whose rows belong to a single test or log and are only ever added to (their own versions are read from them), and those that no
/// assessment reads.
const APART: [&str; 23] = [
    "readings",
    "reading_figures",
    "runs",
    "run_events",
    "acknowledgements",
    "log_samples",
    "log_minutes",
    "logs",
    "log_events",
    "log_chunks",
    "log_minute_sums",
    "log_files",
    "log_file_faults",
    "log_formats",
    "sessions",
    "photos",
    "test_meters",
    "panel_events",
    "reviews",
    "calculations",
    "calculation_tests",
    "revisions",
    "forgotten",
];

/// Tables that are written to all day while a log is recorded, and of which no page's frame shows anything.
const RECORDED: [&str; 6] = ["log_samples", "log_minutes", "log_minute_sums", "logs", "log_events", "log_chunks"];

const READINGS: [&str; 2] = ["readings", "reading_figures"];

/// Counts the changes of what tests refer to, and of each test's own row.
#[derive(Debug, Default)]
pub(crate) struct Changes {
    count: AtomicU64,
    is_writing: AtomicBool,
    /// The same of every table but those of a recording and of readings.
    any_count: AtomicU64,
    is_writing_any: AtomicBool,
    readings_count: AtomicU64,
    is_writing_readings: AtomicBool,
    tests: Mutex<OfTests>,
}

#[derive(Debug, Default)]
struct OfTests {
    counts: HashMap<i64, u64>,
    /// Being written.
    open: HashSet<i64>,
}

impl Changes {
    fn tests(&self) -> MutexGuard<'_, OfTests> {
        self.tests.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A row of a table is being changed.
    pub fn touched(&self, table: &str, row_id: i64) {
        if READINGS.contains(&table) {
            self.is_writing_readings.store(true, Ordering::SeqCst);
        } else if !RECORDED.contains(&table) {
            self.is_writing_any.store(true, Ordering::SeqCst);
        }
        if table == "tests" {
            self.tests().open.insert(row_id);
        } else if !APART.contains(&table) {
            self.is_writing.store(true, Ordering::SeqCst);
        }
    }

    /// The writer is done, whether it committed or not.
    pub fn written(&self) {
        let mut tests = self.tests();
        for id in std::mem::take(&mut tests.open) {
            *tests.counts.entry(id).or_default() += 1;
        }
        drop(tests);
        counted(&self.is_writing, &self.count);
        counted(&self.is_writing_any, &self.any_count);
        counted(&self.is_writing_readings, &self.readings_count);
    }

    /// The state of what tests refer to that is read from now on; `None` while one is being written.
    pub fn now(&self) -> Option<u64> {
        read(&self.is_writing, &self.count)
    }

    /// The same of a test's own row, whether it is shown with it; `None` while either is being written.
    pub fn of_test_row(&self, id: i64) -> Option<(u64, u64)> {
        self.now().zip(self.of_test(id))
    }

    /// How often anything was written, but for readings and the samples of logs; `None` while something is being written.
    pub fn any(&self) -> Option<u64> {
        read(&self.is_writing_any, &self.any_count)
    }

    /// The same of readings alone.
    pub fn of_readings(&self) -> Option<u64> {
        read(&self.is_writing_readings, &self.readings_count)
    }

    /// The same of a test's own row.
    pub fn of_test(&self, id: i64) -> Option<u64> {
        let tests = self.tests();
        (!tests.open.contains(&id)).then(|| tests.counts.get(&id).copied().unwrap_or_default())
    }
}

fn counted(is_writing: &AtomicBool, count: &AtomicU64) {
    if is_writing.load(Ordering::SeqCst) {
        count.fetch_add(1, Ordering::SeqCst);
        is_writing.store(false, Ordering::SeqCst);
    }
}

fn read(is_writing: &AtomicBool, count: &AtomicU64) -> Option<u64> {
    let count = count.load(Ordering::SeqCst);
    (!is_writing.load(Ordering::SeqCst)).then_some(count)
}
