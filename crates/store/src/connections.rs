//! The connections of an open bench: many readers, one writer.

use crate::changes::Changes;
use crate::error::StoreError;
use crate::record::Register;
use sqlx::sqlite::SqlitePool;
use std::sync::{Arc, Mutex};
use std::sync::atomic::{AtomicBool, Ordering};

/// An open bench. Its topics are `impl` blocks in their own files.
#[derive(Debug, Clone)]
pub struct Store {
    pub(crate) reader: SqlitePool,
    /// Used through [`Store::writer`].
    pub(crate) only_writer: SqlitePool,
    pub(crate) is_damaged: Arc<AtomicBool>,
    /// Held while a file is brought in.
    pub(crate) importing: Arc<tokio::sync::Mutex<()>>,
    pub(crate) changes: Arc<Changes>,
    /// What tests refer to, with the state it was read from.
    pub(crate) register: Arc<Mutex<Option<(u64, Arc<Register>)>>>,
}

impl Store {
    /// The connection that writes; none into a file that is known to be damaged.
    pub(crate) fn writer(&self) -> Result<&SqlitePool, StoreError> {
        if self.is_damaged.load(Ordering::Relaxed) { Err(StoreError::Damaged) } else { Ok(&self.only_writer) }
    }

    /// Takes note of a failure: after the first one that shows damage nothing more is written.
    pub fn note_failure(&self, error: &StoreError) {
        if matches!(error, StoreError::Damaged) {
            self.is_damaged.store(true, Ordering::Relaxed);
        }
    }
}
