//! Readings and their revisions. Rows are only ever added.

use crate::connections::Store;
use crate::error::StoreError;
use crate::queue::MOST_TOGETHER;
use crate::reading_rows::{COLUMNS, FIGURES, IS_SHOWN, figures_from, reading_from};
use crate::rows::reading::{Accepted, NewReading, Reading};
use crate::together::{ForTest, insert_readings};
use jiff::Timestamp;

impl Store {
    /// All rows of a test, in the order in which they were accepted. [`lines`] puts them together.
    pub async fn readings(&self, test_id: i64) -> Result<Vec<Reading>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS}, ({FIGURES}) AS figures FROM readings r LEFT JOIN readings p ON p.id = r.replaces_id \
             WHERE r.test_id = ? AND {IS_SHOWN} ORDER BY r.id"
        );
        let rows = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(test_id).fetch_all(&self.reader).await?;
        rows.iter().map(|row| reading_from(row, figures_from(row)?)).collect()
    }

    /// The rows of a test after one of them, in the same order, `most` at a time.
    pub async fn readings_after(&self, test_id: i64, after_id: i64, most: i64) -> Result<Vec<Reading>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS}, ({FIGURES}) AS figures FROM readings r LEFT JOIN readings p ON p.id = r.replaces_id \
             WHERE r.test_id = ? AND r.id > ? AND {IS_SHOWN} ORDER BY r.id LIMIT ?"
        );
        let rows = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(test_id).bind(after_id).bind(most).fetch_all(&self.reader).await?;
        rows.iter().map(|row| reading_from(row, figures_from(row)?)).collect()
    }

    /// How many rows a test has: readings, and what replaced them.
    pub async fn count_readings(&self, test_id: i64) -> Result<i64, StoreError> {
        let sql = format!("SELECT count(*) FROM readings r WHERE r.test_id = ? AND {IS_SHOWN}");
        Ok(sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(test_id).fetch_one(&self.reader).await?)
    }

    /// As [`Store::readings`], and the same rows: those that are known are not read again, since a row is never changed. All are read where
    /// another number of them stands behind the newest one that is known: rows of an import are shown once it is complete.
    pub async fn readings_since(&self, test_id: i64, mut known: Vec<Reading>) -> Result<Vec<Reading>, StoreError> {
        known.sort_unstable_by_key(|reading| reading.id);
        let newest_id = known.last().map_or(0, |reading| reading.id);
        let sql = format!("SELECT count(*) FROM readings r WHERE r.test_id = ? AND r.id <= ? AND {IS_SHOWN}");
        let shown: i64 =
            sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(test_id).bind(newest_id).fetch_one(&self.reader).await?;
        if usize::try_from(shown) != Ok(known.len()) {
            return self.readings(test_id).await;
        }
        known.extend(self.readings_after(test_id, newest_id, i64::MAX).await?);
        Ok(known)
    }

    /// When the readings that stand were taken, of all tests, between two moments; one for each minute.
    pub async fn taken_between(&self, from: Timestamp, to: Timestamp) -> Result<Vec<Timestamp>, StoreError> {
        let sql = format!(
            "SELECT min(taken_utc) FROM readings r WHERE withdrawn = 0 AND taken_utc >= ? AND taken_utc < ? AND {IS_SHOWN} \
             AND NOT EXISTS (SELECT 1 FROM readings n WHERE n.replaces_id = r.id) \
             GROUP BY substr(taken_utc, 1, 16) ORDER BY 1"
        );
        let times: Vec<String> = sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(from.to_string())
            .bind(to.to_string())
            .fetch_all(&self.reader)
            .await?;
        let corrupt = |text: &String| StoreError::Corrupt(format!("the time \"{text}\" of a reading"));
        times.iter().map(|text| text.parse().map_err(|_| corrupt(text))).collect()
    }

    /// Adds many readings in one step, each with its own answer: a reading that is refused is checked before anything of it is written.
    /// When this returns `Ok`, those that were accepted are on the disk.
    pub async fn accept_all(
        &self,
        test_id: i64,
        new: &[NewReading],
        accepted_utc: Timestamp,
    ) -> Result<Vec<Result<Accepted, StoreError>>, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let mut answers = Vec::with_capacity(new.len());
        for part in new.chunks(MOST_TOGETHER) {
            let part: Vec<ForTest<'_>> = part.iter().map(|new| ForTest { test_id, new, accepted_utc }).collect();
            answers.extend(insert_readings(&mut transaction, &part).await?);
        }
        transaction.commit().await?;
        Ok(answers)
    }
}
