//! Logs: series of samples, written in batches while they are recorded.

use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// One sample to be written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NewSample {
    pub quantity: Quantity,
    /// ms since 1970, UTC.
    pub at_ms: i64,
    pub value: f64,
}

/// A log of this bench, without its samples.
#[derive(Debug, Clone, PartialEq)]
pub struct LogRow {
    pub id: i64,
    pub test_id: Option<i64>,
    /// The run during which it was recorded.
    pub run_id: Option<i64>,
    pub name: String,
    pub started_utc: Timestamp,
    /// `None`: still recording, or cut off by a stop of the program.
    pub ended_utc: Option<Timestamp>,
    pub samples: i64,
}

const COLUMNS: &str =
    "id, test_id, run_id, name, started_utc, ended_utc, (SELECT count(*) FROM log_samples s WHERE s.log_id = logs.id) AS samples";

impl Store {
    /// All logs, the newest first.
    pub async fn logs(&self) -> Result<Vec<LogRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs ORDER BY started_utc DESC, id DESC"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    pub async fn log(&self, id: i64) -> Result<LogRow, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE id = ?"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        log_from(&row.ok_or(StoreError::NotFound("log"))?)
    }

    /// Begins a log; answers its id.
    pub async fn begin_log(
        &self,
        test_id: Option<i64>,
        run_id: Option<i64>,
        name: &str,
        started_utc: Timestamp,
    ) -> Result<i64, StoreError> {
        let done = sqlx::query("INSERT INTO logs (uid, test_id, run_id, name, started_utc) VALUES (?, ?, ?, ?, ?)")
            .bind(crate::new_uid())
            .bind(test_id)
            .bind(run_id)
            .bind(name)
            .bind(started_utc.to_string())
            .execute(&self.writer)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// Writes samples; those that are there already (same quantity, same millisecond) are left alone. When this returns `Ok`,
    /// they are on the disk.
    pub async fn add_samples(&self, log_id: i64, samples: &[NewSample]) -> Result<(), StoreError> {
        // One statement for the whole batch: a day at five a second is half a million rows.
        let rows: Vec<(&str, i64, f64)> =
            samples.iter().map(|sample| (sample.quantity.name(), sample.at_ms, sample.value)).collect();
        let rows = serde_json::to_string(&rows).map_err(|error| StoreError::Corrupt(error.to_string()))?;
        let sql = "INSERT OR IGNORE INTO log_samples (log_id, quantity, at_ms, value) \
                   SELECT ?1, value ->> 0, value ->> 1, CAST(value ->> 2 AS REAL) FROM json_each(?2)";
        sqlx::query(sql).bind(log_id).bind(rows).execute(&self.writer).await?;
        Ok(())
    }

    pub async fn end_log(&self, id: i64, ended_utc: Timestamp) -> Result<(), StoreError> {
        sqlx::query("UPDATE logs SET ended_utc = ? WHERE id = ? AND ended_utc IS NULL")
            .bind(ended_utc.to_string())
            .bind(id)
            .execute(&self.writer)
            .await?;
        Ok(())
    }

    /// The quantities of a log.
    pub async fn log_quantities(&self, id: i64) -> Result<Vec<Quantity>, StoreError> {
        let names: Vec<String> = sqlx::query_scalar("SELECT DISTINCT quantity FROM log_samples WHERE log_id = ?")
            .bind(id)
            .fetch_all(&self.reader)
            .await?;
        let mut quantities: Vec<Quantity> = names.iter().filter_map(|name| Quantity::from_name(name)).collect();
        quantities.sort_unstable();
        Ok(quantities)
    }

    /// Samples of one quantity, thinned to about `most` buckets of time: (at_ms of the bucket, lowest, mean, highest). The page
    /// of a day at five a second stays as quick as that of a minute.
    pub async fn log_buckets(&self, id: i64, quantity: Quantity, most: i64) -> Result<Vec<(i64, f64, f64, f64)>, StoreError> {
        let ends: (Option<i64>, Option<i64>) =
            sqlx::query_as("SELECT min(at_ms), max(at_ms) FROM log_samples WHERE log_id = ? AND quantity = ?")
                .bind(id)
                .bind(quantity.name())
                .fetch_one(&self.reader)
                .await?;
        let (Some(first_ms), Some(last_ms)) = ends else { return Ok(Vec::new()) };
        let width_ms = ((last_ms - first_ms) / most.max(1) + 1).max(1);
        let sql = "SELECT min(at_ms), min(value), avg(value), max(value) FROM log_samples WHERE log_id = ?1 AND quantity = ?2 \
                   GROUP BY (at_ms - ?3) / ?4 ORDER BY 1";
        Ok(sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(first_ms).bind(width_ms).fetch_all(&self.reader).await?)
    }

    /// Samples of all quantities after a moment, in the order of time, at most `most`: (at_ms, quantity, value).
    pub async fn log_page(&self, id: i64, after_ms: i64, most: i64) -> Result<Vec<(i64, String, f64)>, StoreError> {
        let sql =
            "SELECT at_ms, quantity, value FROM log_samples WHERE log_id = ? AND at_ms > ? ORDER BY at_ms, quantity LIMIT ?";
        Ok(sqlx::query_as(sql).bind(id).bind(after_ms).bind(most).fetch_all(&self.reader).await?)
    }
}

fn log_from(row: &SqliteRow) -> Result<LogRow, StoreError> {
    let time = |text: &str| text.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{text}\" of a log")));
    let ended: Option<String> = row.try_get("ended_utc")?;
    Ok(LogRow {
        id: row.try_get("id")?,
        test_id: row.try_get("test_id")?,
        run_id: row.try_get("run_id")?,
        name: row.try_get("name")?,
        started_utc: time(&row.try_get::<String, _>("started_utc")?)?,
        ended_utc: ended.map(|text| time(&text)).transpose()?,
        samples: row.try_get("samples")?,
    })
}
