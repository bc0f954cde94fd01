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
//! | [`compare`] | records that both sides have: the newer one, or side by side |

mod cells;
mod compare;
mod describe;
mod error;
mod export;
mod merge;
mod stage;
mod tables;

pub use error::{Conflict, ConflictKind, PackageError, Spot};
pub use export::{Exported, export_file};
pub use merge::{Merged, Prefer};
pub use tables::Chosen;

use std::path::PathBuf;

impl crate::Store {
    /// A name beside the file of the bench, for a package on its way; the same name for the same identity.
    pub fn package_place(&self, uid: &str) -> PathBuf {
        crate::files::beside(self.place.path(), &format!(".package-{uid}"))
    }
}

impl crate::Store {
    /// Removes packages that were on their way when the last process ended. For who holds the bench's lock.
    ///
    /// # Errors
    /// A folder that cannot be read.
    pub fn remove_left_packages(&self) -> std::io::Result<()> {
        let path = self.place.path();
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(std::path::Path::new("."));
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        for file in std::fs::read_dir(folder)? {
            let file = file?;
            let of = file.file_name().to_string_lossy().into_owned();
            if [".package-", ".import-"].iter().any(|end| of.starts_with(&format!("{name}{end}"))) {
                std::fs::remove_file(file.path())?;
            }
        }
        Ok(())
    }
}
