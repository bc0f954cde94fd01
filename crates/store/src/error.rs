//! What can go wrong with a bench.

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
    #[error("{path} holds somebody's own readings, not the demo's. The demo leaves it alone: choose another file with --data FILE.", path = .0.display())]
    NotTheDemo(PathBuf),
    #[error("{path} cannot be opened: {why}", path = .path.display())]
    Broken { path: PathBuf, why: String },
}

/// Why the store did not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("There is no such {0} on this bench.")]
    NotFound(&'static str),
    /// The person has to decide; the sentence says what and how.
    #[error("{0}")]
    Conflict(String),
    #[error("The bench holds a value that cannot be read: {0}")]
    Corrupt(String),
    #[error("The bench did not answer: {0}")]
    Database(#[from] sqlx::Error),
}

impl StoreError {
    /// Whether the database refused because of a UNIQUE rule.
    pub(crate) fn is_unique(error: &sqlx::Error) -> bool {
        error.as_database_error().is_some_and(|error| error.is_unique_violation())
    }
}
