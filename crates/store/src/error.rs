//! What can go wrong with a bench.

use flindo_core::record::bounds::Refused;
use std::path::PathBuf;

/// Why a bench could not be opened: one sentence for the person who started the program.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    #[error("Cannot write to {path}: {why}. Choose another file with --data FILE.", path = .path.display())]
    Unwritable { path: PathBuf, why: String },
    #[error("{path} is not a bench: it is not a file that Flindo made. Choose another file with --data FILE.", path = .0.display())]
    NotABench(PathBuf),
    #[error("{path} was made by a newer version of Flindo. Use that version, or choose another file with --data FILE.", path = .0.display())]
    Newer(PathBuf),
    #[error(
        "{path} was made by another build of Flindo, whose tables differ. Use that build, or choose another file with --data FILE.",
        path = .0.display()
    )]
    OtherTables(PathBuf),
    #[error("{path} holds somebody's own readings, not the demo's. The demo leaves it alone: choose another file with --data \
        FILE.", path = .0.display())]
    NotTheDemo(PathBuf),
    #[error("{path} is open in another Flindo. Use that one, stop it first, or choose another file with --data FILE.", path = .0.display())]
    InUse(PathBuf),
    #[error(
        "{path} is damaged ({why}), and was left as it is. Put the last copy in its place: move the file away, then \
         flindo restore COPY --data {path}; the daily copies are in the folder copies beside it.",
        path = .path.display()
    )]
    Damaged { path: PathBuf, why: String },
    #[error(
        "{path} is empty, but {journal} beside it still holds changes: a bench was cut off there. Leave both as they are, and restore the last \
         copy under another name: flindo restore COPY --data FILE.",
        path = .path.display(), journal = .journal.display()
    )]
    CutOff { path: PathBuf, journal: PathBuf },
    #[error("{path} cannot be opened: {why}", path = .path.display())]
    Broken { path: PathBuf, why: String },
}

/// Why the store did not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("There is no such {0} on this bench.")]
    NotFound(&'static str),
    /// What was to be written is no part of a record.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// The person has to decide; the sentence says what and how.
    #[error("{0}")]
    Conflict(String),
    #[error("The bench holds a value that cannot be read: {0}")]
    Corrupt(String),
    #[error("The disk is full: nothing was saved. Free some space and send again.")]
    Full,
    #[error("The disk failed while this was written: nothing was saved. Look at the disk, and send again.")]
    Disk,
    #[error(
        "The bench cannot be written: its folder or file is read-only, or gone. Nothing was saved. Make it writable and send again."
    )]
    ReadOnly,
    #[error(
        "The file of the bench is gone from its place: nothing was saved. Put it back, or stop and restore a copy, and send again."
    )]
    Gone,
    #[error(
        "The journal of the bench (its file with -wal at the end) was removed while the bench is open: nothing was saved, and nothing \
         more is. What was acknowledged before is brought into the file. Stop the program, start it again, and send again."
    )]
    LogGone,
    #[error("The bench is locked by another program: nothing was saved. Close the other one and send again.")]
    Busy,
    #[error(
        "The file of the bench is damaged: nothing was saved, and nothing more is until it is whole. Stop the program and restore the last copy \
         (flindo restore COPY --data FILE)."
    )]
    Damaged,
    #[error("The bench did not answer: {0}")]
    Database(sqlx::Error),
}

/// Primary result codes of SQLite (sqlite3.h).
const SQLITE_BUSY: i32 = 5;
const SQLITE_LOCKED: i32 = 6;
const SQLITE_READONLY: i32 = 8;
const SQLITE_IOERR: i32 = 10;
const SQLITE_CORRUPT: i32 = 11;
const SQLITE_FULL: i32 = 13;
const SQLITE_CANTOPEN: i32 = 14;
const SQLITE_NOTADB: i32 = 26;

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        if error.as_database_error().is_some_and(|error| error.is_foreign_key_violation()) {
            return StoreError::NotFound("test, run or panel");
        }
        let code: Option<i32> = error.as_database_error().and_then(|error| error.code()?.parse().ok());
        // Extended codes carry the primary one in their low byte.
        match code.map(|code| code & 0xff) {
            Some(SQLITE_FULL) => StoreError::Full,
            Some(SQLITE_CORRUPT | SQLITE_NOTADB) => StoreError::Damaged,
            Some(SQLITE_IOERR) => StoreError::Disk,
            Some(SQLITE_READONLY | SQLITE_CANTOPEN) => StoreError::ReadOnly,
            Some(SQLITE_BUSY | SQLITE_LOCKED) => StoreError::Busy,
            Some(_) | None => StoreError::Database(error),
        }
    }
}

impl StoreError {
    /// Whether the file or its disk is at fault, so that nothing of the request was done.
    pub(crate) fn is_of_the_file(&self) -> bool {
        match self {
            StoreError::Full
            | StoreError::Disk
            | StoreError::ReadOnly
            | StoreError::Gone
            | StoreError::LogGone
            | StoreError::Busy
            | StoreError::Damaged
            | StoreError::Database(_) => true,
            StoreError::NotFound(_) | StoreError::Refused(_) | StoreError::Conflict(_) | StoreError::Corrupt(_) => false,
        }
    }

    /// Whether the database refused because of a UNIQUE rule.
    pub(crate) fn is_unique(error: &sqlx::Error) -> bool {
        error.as_database_error().is_some_and(|error| error.is_unique_violation())
    }
}
