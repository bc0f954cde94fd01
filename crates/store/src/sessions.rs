//! Browsers that were let in from elsewhere while the bench was shared.

use crate::connections::Store;
use crate::error::StoreError;
use jiff::Timestamp;
use sqlx::sqlite::SqliteRow;
use sqlx::{FromRow, Row};

/// One browser that was let in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SessionRow {
    pub id: i64,
    /// Hexadecimal; of the token that only the browser has.
    pub token_sha256: String,
    pub opened_ms: i64,
    pub from_address: String,
    pub program: String,
    /// What a person calls the device; empty until somebody does.
    pub name: String,
    /// It is let in also after the bench was started again, with another key.
    pub stays: bool,
}

impl FromRow<'_, SqliteRow> for SessionRow {
    fn from_row(row: &SqliteRow) -> Result<Self, sqlx::Error> {
        Ok(SessionRow {
            id: row.try_get("id")?,
            token_sha256: row.try_get("token_sha256")?,
            opened_ms: row.try_get("opened_ms")?,
            from_address: row.try_get("from_address")?,
            program: row.try_get("program")?,
            name: row.try_get("name")?,
            stays: row.try_get("stays")?,
        })
    }
}

impl Store {
    /// Remembers a browser that was let in.
    pub async fn open_session(&self, token_sha256: &str, at: Timestamp, from: &str, program: &str) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO sessions (token_sha256, opened_ms, from_address, program) VALUES (?, ?, ?, ?)")
            .bind(token_sha256)
            .bind(at.as_millisecond())
            .bind(from)
            .bind(program)
            .execute(self.writer()?)
            .await?;
        Ok(())
    }

    /// Those that were let in, the latest first.
    pub async fn sessions(&self) -> Result<Vec<SessionRow>, StoreError> {
        let sql = "SELECT id, token_sha256, opened_ms, from_address, program, name, stays FROM sessions ORDER BY opened_ms DESC, id DESC";
        Ok(sqlx::query_as(sql).fetch_all(&self.reader).await?)
    }

    /// Ends one of them; answers the SHA-256 of its token.
    pub async fn end_session(&self, id: i64) -> Result<String, StoreError> {
        let sql = "DELETE FROM sessions WHERE id = ? RETURNING token_sha256";
        sqlx::query_scalar(sql).bind(id).fetch_optional(self.writer()?).await?.ok_or(StoreError::NotFound("session"))
    }

    /// Names a device, and says whether it stays.
    pub async fn name_session(&self, id: i64, name: &str, stays: bool) -> Result<(), StoreError> {
        let sql = "UPDATE sessions SET name = ?, stays = ? WHERE id = ?";
        let done = sqlx::query(sql).bind(name).bind(stays).bind(id).execute(self.writer()?).await?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound("session")) }
    }

    /// Forgets those that do not stay, and those that were opened before a time.
    pub async fn end_older_sessions(&self, at: Timestamp) -> Result<(), StoreError> {
        let sql = "DELETE FROM sessions WHERE stays = 0 OR opened_ms < ?";
        sqlx::query(sql).bind(at.as_millisecond()).execute(self.writer()?).await?;
        Ok(())
    }
}
