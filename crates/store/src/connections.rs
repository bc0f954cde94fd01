//! The connections of an open bench: many readers, one writer.

use crate::changes::Changes;
use crate::error::StoreError;
use crate::queue::Arrivals;
use crate::rows::register::Register;
use crate::rows::test::Test;
use sqlx::sqlite::SqlitePool;
use std::collections::HashMap;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

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
}

impl Place {
    pub fn of(path: &Path) -> std::io::Result<Self> {
        let about = std::fs::metadata(path)?;
        Ok(Place { path: path.to_owned(), file: (about.dev(), about.ino()) })
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    fn is_there(&self) -> bool {
        std::fs::metadata(&self.path).is_ok_and(|about| (about.dev(), about.ino()) == self.file)
    }
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
        if self.place.is_there() { Ok(&self.only_writer) } else { Err(StoreError::Gone) }
    }

    /// Takes note of a failure: after the first one that shows damage nothing more is written.
    pub fn note_failure(&self, error: &StoreError) {
        if matches!(error, StoreError::Damaged) {
            self.is_damaged.store(true, Ordering::Relaxed);
        }
    }
}
