//! Pictures of the set-up.

use crate::connections::Store;
use crate::error::StoreError;
use jiff::Timestamp;
use sqlx::Row;

/// A picture to be written, already encoded anew.
#[derive(Debug, Clone, PartialEq)]
pub struct NewPhoto {
    pub run_id: Option<i64>,
    pub caption: String,
    /// "image/jpeg" or "image/png".
    pub media_type: &'static str,
    pub width_px: u32,
    pub height_px: u32,
    pub bytes: Vec<u8>,
    /// JPEG, for lists.
    pub thumbnail: Vec<u8>,
}

/// A picture without its bytes.
#[derive(Debug, Clone, PartialEq)]
pub struct Photo {
    pub id: i64,
    pub run_id: Option<i64>,
    pub caption: String,
    pub width_px: u32,
    pub height_px: u32,
}

impl Store {
    /// All pictures of a test, the oldest first.
    pub async fn photos(&self, test_id: i64) -> Result<Vec<Photo>, StoreError> {
        let sql = "SELECT id, run_id, caption, width_px, height_px FROM photos WHERE test_id = ? ORDER BY id";
        let rows = sqlx::query(sql).bind(test_id).fetch_all(&self.reader).await?;
        rows.iter()
            .map(|row| {
                Ok(Photo {
                    id: row.try_get("id")?,
                    run_id: row.try_get("run_id")?,
                    caption: row.try_get("caption")?,
                    width_px: row.try_get("width_px")?,
                    height_px: row.try_get("height_px")?,
                })
            })
            .collect()
    }

    /// Media type and bytes of a picture of a test.
    pub async fn photo_file(&self, test_id: i64, id: i64) -> Result<(String, Vec<u8>), StoreError> {
        let row = sqlx::query("SELECT media_type, bytes FROM photos WHERE id = ? AND test_id = ?")
            .bind(id)
            .bind(test_id)
            .fetch_optional(&self.reader)
            .await?
            .ok_or(StoreError::NotFound("photo"))?;
        Ok((row.try_get("media_type")?, row.try_get("bytes")?))
    }

    /// The small picture of a picture of a test; `None` for one that was kept before there were small ones.
    pub async fn photo_thumbnail(&self, test_id: i64, id: i64) -> Result<Option<Vec<u8>>, StoreError> {
        let found: Option<Option<Vec<u8>>> = sqlx::query_scalar("SELECT thumbnail FROM photos WHERE id = ? AND test_id = ?")
            .bind(id)
            .bind(test_id)
            .fetch_optional(&self.reader)
            .await?;
        found.ok_or(StoreError::NotFound("photo"))
    }

    /// Adds a picture; answers its id.
    pub async fn add_photo(&self, test_id: i64, photo: &NewPhoto, added_utc: Timestamp) -> Result<i64, StoreError> {
        let sql = "INSERT INTO photos (uid, test_id, run_id, added_utc, caption, media_type, width_px, height_px, bytes, thumbnail) \
                   VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
        let done = sqlx::query(sql)
            .bind(crate::new_uid())
            .bind(test_id)
            .bind(photo.run_id)
            .bind(added_utc.to_string())
            .bind(&photo.caption)
            .bind(photo.media_type)
            .bind(photo.width_px)
            .bind(photo.height_px)
            .bind(&photo.bytes)
            .bind(&photo.thumbnail)
            .execute(self.writer()?)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// Removes a picture: a wrong one is nobody's evidence.
    pub async fn remove_photo(&self, test_id: i64, id: i64) -> Result<(), StoreError> {
        let done =
            sqlx::query("DELETE FROM photos WHERE id = ? AND test_id = ?").bind(id).bind(test_id).execute(self.writer()?).await?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("photo")) } else { Ok(()) }
    }
}
