//! A bench as a package: a Data Package (Frictionless specifications, version 1) with one CSV per table under the names of the bench's own
//! tables and columns, one CSV per log, and photos and weather files as they are.
//!
//! | file | does |
//! |---|---|
//! | [`tables`] | which tables travel, by what their rows are known, and what stays at home |
//! | [`describe`] | `datapackage.json`: fields with type, unit, description and constraints |
//! | [`export`] | a bench to a file, row by row |
//! | [`stage`] | a file to a bench of its own beside this one, so that nothing wrong comes near it |
//! | [`merge`] | that bench into this one, by the identities of its rows, in one step |

mod cells;
mod describe;
mod export;
mod merge;
mod stage;
mod tables;

pub use export::{Exported, export_file};
pub use merge::{Conflict, ConflictKind, Merged, Prefer};
pub use tables::Chosen;

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
    fn wrong(file: &str, why: impl Into<String>) -> Self {
        PackageError::Wrong { spot: Spot { file: file.to_owned(), ..Spot::default() }, why: why.into() }
    }
}

impl crate::Store {
    /// A name beside the file of the bench, for a package on its way; the same name for the same identity.
    pub fn package_place(&self, uid: &str) -> PathBuf {
        crate::files::beside(self.place.path(), &format!(".package-{uid}"))
    }
}

/// Version of what is in a package; another one is refused.
pub(crate) const VERSION: u64 = 1;
