//! The connections of an open bench: many readers, one writer.

use sqlx::sqlite::SqlitePool;

/// An open bench. Its topics are `impl` blocks in their own files.
#[derive(Debug, Clone)]
pub struct Store {
    pub(crate) reader: SqlitePool,
    pub(crate) writer: SqlitePool,
}
