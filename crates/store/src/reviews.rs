//! Reviews: tests chosen to be looked at side by side, and claims to hold against them. What they come to is worked out when it is asked
//! for.

use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::record::bounds;
use flindo_core::review::claim::Claim;
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A review to be written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct ReviewDraft {
    pub name: String,
    /// Uids of its tests, in the order chosen.
    pub tests: Vec<String>,
    pub claims: Vec<Claim>,
    pub notes: String,
}

#[derive(Debug, Clone, PartialEq)]
pub struct ReviewRow {
    pub id: i64,
    pub uid: String,
    pub created_utc: Timestamp,
    pub draft: ReviewDraft,
}

impl Store {
    /// All reviews, the newest first.
    pub async fn reviews(&self) -> Result<Vec<ReviewRow>, StoreError> {
        let sql = "SELECT id, uid, name, created_utc, tests, claims, notes FROM reviews \
                   WHERE id NOT IN (SELECT row_id FROM withdrawn WHERE what = 'review') ORDER BY created_utc DESC, id DESC";
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(review_from).collect()
    }

    pub async fn review(&self, id: i64) -> Result<ReviewRow, StoreError> {
        let sql = "SELECT id, uid, name, created_utc, tests, claims, notes FROM reviews WHERE id = ?";
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        review_from(&row.ok_or(StoreError::NotFound("review"))?)
    }

    /// Adds a review; answers its id.
    pub async fn add_review(&self, draft: &ReviewDraft, created_utc: Timestamp) -> Result<i64, StoreError> {
        bounds::check_note("notes", &draft.notes)?;
        let (tests, claims) = columns(draft)?;
        let sql = "INSERT INTO reviews (uid, name, created_utc, tests, claims, notes) VALUES (?, ?, ?, ?, ?, ?)";
        let done = sqlx::query(sql)
            .bind(crate::new_uid())
            .bind(&draft.name)
            .bind(created_utc.to_string())
            .bind(tests)
            .bind(claims)
            .bind(&draft.notes)
            .execute(self.writer()?)
            .await?;
        Ok(done.last_insert_rowid())
    }

    pub async fn change_review(&self, id: i64, draft: &ReviewDraft) -> Result<(), StoreError> {
        bounds::check_note("notes", &draft.notes)?;
        let (tests, claims) = columns(draft)?;
        let done = sqlx::query("UPDATE reviews SET name = ?, tests = ?, claims = ?, notes = ? WHERE id = ?")
            .bind(&draft.name)
            .bind(tests)
            .bind(claims)
            .bind(&draft.notes)
            .bind(id)
            .execute(self.writer()?)
            .await?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("review")) } else { Ok(()) }
    }
}

/// What a review refers to, as its two columns of JSON.
fn columns(draft: &ReviewDraft) -> Result<(String, String), StoreError> {
    let failed = |error| StoreError::Corrupt(format!("the review: {error}"));
    Ok((serde_json::to_string(&draft.tests).map_err(failed)?, serde_json::to_string(&draft.claims).map_err(failed)?))
}

fn review_from(row: &SqliteRow) -> Result<ReviewRow, StoreError> {
    let id: i64 = row.try_get("id")?;
    let corrupt = |what: &str| StoreError::Corrupt(format!("{what} of review {id}"));
    Ok(ReviewRow {
        id,
        uid: row.try_get("uid")?,
        created_utc: row.try_get::<String, _>("created_utc")?.parse().map_err(|_| corrupt("the time"))?,
        draft: ReviewDraft {
            name: row.try_get("name")?,
            tests: serde_json::from_str(&row.try_get::<String, _>("tests")?).map_err(|_| corrupt("the tests"))?,
            claims: serde_json::from_str(&row.try_get::<String, _>("claims")?).map_err(|_| corrupt("the claims"))?,
            notes: row.try_get("notes")?,
        },
    })
}
