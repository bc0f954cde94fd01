//! A file of another logger that is brought in.

use crate::error::StoreError;
use flindo_core::measure::logger::row::RowFault;
use flindo_core::measure::logger::{Encoding, Format};
use jiff::Timestamp;
use std::sync::atomic::{AtomicBool, AtomicU64};

/// A file of another logger.
#[derive(Debug, Clone, PartialEq)]
pub struct LogFile {
    pub id: i64,
    pub sha256: String,
    pub name: String,
    pub added_utc: Timestamp,
    pub bytes: u64,
    /// Of the file as it came; its text is kept in UTF-8.
    pub encoding: Encoding,
    pub bytes_done: u64,
    pub rows_done: u64,
    pub rows_aside: u64,
    /// `None`: not yet confirmed.
    pub format: Option<Format>,
    /// `None`: not all of it is in.
    pub ended_utc: Option<Timestamp>,
}

/// A row that was kept aside.
#[derive(Debug, Clone, PartialEq)]
pub struct LogFault {
    pub line: u64,
    pub fault: RowFault,
}

/// How far a file has come; and whether somebody wants it to stop.
#[derive(Debug, Default)]
pub struct LogProgress {
    pub bytes_done: AtomicU64,
    pub rows_done: AtomicU64,
    pub is_stopped: AtomicBool,
}

/// Why a file is not brought in. Prints as a sentence.
#[derive(Debug, thiserror::Error)]
pub enum LogFileError {
    #[error("{0}")]
    Format(#[from] flindo_core::measure::logger::FormatError),
    #[error("The text of this file is not beside the bench any more: choose the file again.")]
    TextGone,
    #[error("No row of this file could be read: line {}, column {}, \u{201c}{}\u{201d} {}. Correct how it is read.", .0.line, .0.fault.column, .0.fault.cell, .0.fault.why)]
    NoRow(Box<LogFault>),
    #[error("The file could not be kept beside the bench: {0}")]
    Disk(#[from] std::io::Error),
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<sqlx::Error> for LogFileError {
    fn from(error: sqlx::Error) -> Self {
        LogFileError::Store(error.into())
    }
}
