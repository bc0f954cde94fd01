//! Why a file was not taken.

use crate::error::StoreError;

/// A sentence that says where, and that nothing was kept.
#[derive(Debug, thiserror::Error)]
pub enum ImportError {
    #[error("Line {line}, column {column}: {message} Nothing was imported.")]
    At { line: u64, column: String, message: String },
    #[error("{0} Nothing was imported.")]
    File(String),
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl ImportError {
    pub(super) fn at(line: u64, column: &str, message: impl Into<String>) -> Self {
        ImportError::At { line, column: column.to_owned(), message: message.into() }
    }
}
