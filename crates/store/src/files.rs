//! The files beside that of a bench.

use std::path::{Path, PathBuf};

/// `bench.db` and `-wal` are `bench.db-wal`.
pub(crate) fn beside(path: &Path, suffix: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(suffix);
    PathBuf::from(name)
}
