//! What can be wrong with a package, and what does not go together.

use crate::error::StoreError;
use std::path::PathBuf;

/// Where in a package something is wrong.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Spot {
    /// Its path in the package; empty for the package itself.
    pub file: String,
    /// From 1.
    pub line: Option<u64>,
    pub column: Option<String>,
}

impl std::fmt::Display for Spot {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.file.is_empty() { "The package" } else { &self.file })?;
        if let Some(line) = self.line {
            write!(f, ", line {line}")?;
        }
        if let Some(column) = &self.column {
            write!(f, ", column {column}")?;
        }
        Ok(())
    }
}

/// Why a package did not go out or come in. Nothing is left behind then.
#[derive(Debug, thiserror::Error)]
pub enum PackageError {
    #[error("{spot}: {why}")]
    Wrong { spot: Spot, why: String },
    #[error("{} of the package and of this bench do not go together: choose which is to stand.", .0.len())]
    Conflicts(Vec<Conflict>),
    #[error("{path} is there already, and was left as it is. Choose another file.", path = .0.display())]
    Exists(PathBuf),
    #[error("{path} could not be used: {why}.", path = .path.display())]
    Disk { path: PathBuf, why: String },
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<sqlx::Error> for PackageError {
    fn from(error: sqlx::Error) -> Self {
        PackageError::Store(error.into())
    }
}

impl PackageError {
    pub(super) fn wrong(file: &str, why: impl Into<String>) -> Self {
        PackageError::Wrong { spot: Spot { file: file.to_owned(), ..Spot::default() }, why: why.into() }
    }
}

/// Two sides that do not go together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Conflict {
    /// The table.
    pub what: String,
    /// As people call it.
    pub name: String,
    pub here: String,
    pub package: String,
    pub kind: ConflictKind,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ConflictKind {
    /// Changed on both sides since they were one.
    Changed,
    /// A name that is of something else here.
    NameTaken,
}

/// Version of what is in a package; another one is refused.
pub(crate) const VERSION: u64 = 1;
