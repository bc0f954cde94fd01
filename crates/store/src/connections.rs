//! The connections of an open bench: many readers, one writer.

use crate::changes::Changes;
use crate::error::StoreError;
use crate::files::beside;
use crate::queue::Arrivals;
use crate::rows::register::Register;
use crate::rows::test::Test;
use sqlx::sqlite::SqlitePool;
use std::collections::HashMap;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock};

/// What tests refer to, and the state of the bench it was read from.
pub(crate) type KeptRegister = (u64, Arc<Register>);

/// A test, and the state it was read from.
pub(crate) type KeptTest = ((u64, u64), Test);

/// An open bench. Its topics are `impl` blocks in their own files.
#[derive(Debug, Clone)]
pub struct Store {
    pub(crate) reader: SqlitePool,
    /// Used through [`Store::writer`].
    pub(crate) only_writer: SqlitePool,
    pub(crate) is_damaged: Arc<AtomicBool>,
    pub(crate) place: Arc<Place>,
    /// Held while a file is brought in.
    pub(crate) importing: Arc<tokio::sync::Mutex<()>>,
    pub(crate) arrivals: Arc<Arrivals>,
    pub(crate) changes: Arc<Changes>,
    /// What tests refer to, with the state it was read from.
    pub(crate) register: Arc<Mutex<Option<KeptRegister>>>,
    /// Tests by their ids, with the state they were read from: every reading that comes asks for its test.
    pub(crate) tests: Arc<Mutex<HashMap<i64, KeptTest>>>,
}

/// Where the file of a bench is. A file that was moved away or removed is still written to by whoever has it open, and nobody finds it
/// again.
#[derive(Debug)]
pub(crate) struct Place {
    path: PathBuf,
    /// Device and number of the file.
    file: (u64, u64),
    /// The same of its write-ahead log, once there is one: it stays one file while the bench is open.
    log: OnceLock<(u64, u64)>,
    is_log_gone: AtomicBool,
}

impl Place {
    pub fn of(path: &Path) -> std::io::Result<Self> {
        let file = number(path)?;
        Ok(Place { path: path.to_owned(), file, log: OnceLock::new(), is_log_gone: AtomicBool::new(false) })
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    fn is_there(&self) -> bool {
        number(&self.path).is_ok_and(|found| found == self.file)
    }

    /// Whether the write-ahead log is the one that this process writes to.
    fn has_its_log(&self) -> bool {
        match (number(&beside(&self.path, "-wal")).ok(), self.log.get()) {
            (found, Some(known)) => found == Some(*known),
            (Some(found), None) => self.log.get_or_init(|| found) == &found,
            (None, None) => true,
        }
    }
}

/// Device and number of a file.
fn number(path: &Path) -> std::io::Result<(u64, u64)> {
    let about = std::fs::metadata(path)?;
    Ok((about.dev(), about.ino()))
}

impl Store {
    /// A file that is only looked through, of the newest version: nothing is brought up, and `reader` may write nothing.
    pub(crate) fn only_read(reader: &SqlitePool, path: &Path) -> std::io::Result<Self> {
        Ok(Store {
            reader: reader.clone(),
            only_writer: reader.clone(),
            is_damaged: Arc::default(),
            place: Arc::new(Place::of(path)?),
            importing: Arc::default(),
            arrivals: Arc::default(),
            changes: Arc::default(),
            register: Arc::default(),
            tests: Arc::default(),
        })
    }

    /// The connection that writes; none into a file that is known to be damaged, or is not in its place any more.
    pub(crate) fn writer(&self) -> Result<&SqlitePool, StoreError> {
        if self.is_damaged.load(Ordering::Relaxed) {
            return Err(StoreError::Damaged);
        }
        if !self.place.is_there() {
            return Err(StoreError::Gone);
        }
        if !self.place.has_its_log() {
            self.save_from_log();
            return Err(StoreError::LogGone);
        }
        Ok(&self.only_writer)
    }

    /// What was acknowledged may be in the removed log alone, which is there as long as this process has it open: it is brought into the
    /// file once, and nothing is written any more.
    fn save_from_log(&self) {
        if self.place.is_log_gone.swap(true, Ordering::SeqCst) {
            return;
        }
        let (writer, place) = (self.only_writer.clone(), Arc::clone(&self.place));
        tokio::spawn(async move {
            let saved = sqlx::query("PRAGMA wal_checkpoint(TRUNCATE)").execute(&writer).await;
            // Tried again with the next write that is refused.
            place.is_log_gone.store(saved.is_ok(), Ordering::SeqCst);
        });
    }

    /// Takes note of a failure: after the first one that shows damage nothing more is written.
    pub fn note_failure(&self, error: &StoreError) {
        if matches!(error, StoreError::Damaged) {
            self.is_damaged.store(true, Ordering::Relaxed);
        }
    }
}
