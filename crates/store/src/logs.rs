//! Logs: series of samples, written in batches while they are recorded.

use crate::Belongs;
use crate::LogEvent;
use crate::LogEventKind;
use crate::LogRow;
use crate::NewSample;
use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A log to be written with its first samples.
pub(crate) struct NewLog {
    pub name: String,
    pub file_id: Option<i64>,
    pub device: String,
    pub started_utc: Timestamp,
    pub ended_utc: Option<Timestamp>,
    pub samples: i64,
}

pub(crate) async fn insert_log(connection: &mut sqlx::SqliteConnection, log: &NewLog) -> Result<i64, StoreError> {
    let sql = "INSERT INTO logs (uid, name, file_id, device, started_utc, ended_utc, samples) VALUES (?, ?, ?, ?, ?, ?, ?)";
    let done = sqlx::query(sql)
        .bind(crate::new_uid())
        .bind(&log.name)
        .bind(log.file_id)
        .bind(&log.device)
        .bind(log.started_utc.to_string())
        .bind(log.ended_utc.map(|time| time.to_string()))
        .bind(log.samples)
        .execute(connection)
        .await?;
    Ok(done.last_insert_rowid())
}

const COLUMNS: &str = "id, test_id, run_id, file_id, name, started_utc, ended_utc, samples, rig_id, panel_id, place_id, side, tilt_deg, \
                       azimuth_deg, meter_percent, ahead_s";

pub(crate) const A_MINUTE_MS: i64 = 60_000;

/// Those that are withdrawn are there under their own address alone.
const IS_SHOWN: &str = "id NOT IN (SELECT row_id FROM withdrawn WHERE what = 'log')";

impl Store {
    /// Logs from the newest on, of them `most` after the first `skip`.
    pub async fn logs(&self, skip: i64, most: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM logs WHERE {IS_SHOWN} ORDER BY started_utc DESC, id DESC LIMIT ? OFFSET ?");
        let rows = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(most).bind(skip).fetch_all(&self.reader).await?;
        rows.iter().map(log_from).collect()
    }

    /// Logs that were never ended: the program stopped while they were recorded.
    pub async fn open_logs(&self) -> Result<Vec<LogRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE ended_utc IS NULL ORDER BY id"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// How many there are.
    pub async fn count_logs(&self) -> Result<i64, StoreError> {
        Ok(sqlx::query_scalar(sqlx::AssertSqlSafe(format!("SELECT count(*) FROM logs WHERE {IS_SHOWN}")))
            .fetch_one(&self.reader)
            .await?)
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
            .execute(self.writer()?)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// Writes samples; those that are there already (same quantity, same millisecond) are left alone. When this returns `Ok`,
    /// they are on the disk.
    pub async fn add_samples(&self, log_id: i64, samples: &[NewSample]) -> Result<(), StoreError> {
        let Some(first_ms) = samples.iter().map(|sample| sample.at_ms).min() else { return Ok(()) };
        let last_ms = samples.iter().map(|sample| sample.at_ms).max().unwrap_or(first_ms);
        // One statement for the whole batch: a day at five a second is half a million rows.
        let rows: Vec<(&str, i64, f64)> =
            samples.iter().map(|sample| (sample.quantity.name(), sample.at_ms, sample.value)).collect();
        let rows = serde_json::to_string(&rows).map_err(|error| StoreError::Corrupt(error.to_string()))?;
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let sql = "INSERT OR IGNORE INTO log_samples (log_id, quantity, at_ms, value) \
                   SELECT ?1, value ->> 0, value ->> 1, CAST(value ->> 2 AS REAL) FROM json_each(?2)";
        let added = sqlx::query(sql).bind(log_id).bind(rows).execute(&mut *transaction).await?.rows_affected();
        sqlx::query("UPDATE logs SET samples = samples + ? WHERE id = ?")
            .bind(added as i64)
            .bind(log_id)
            .execute(&mut *transaction)
            .await?;
        let mut quantities: Vec<Quantity> = samples.iter().map(|sample| sample.quantity).collect();
        quantities.sort_unstable();
        quantities.dedup();
        for quantity in quantities {
            put_minutes(&mut transaction, log_id, quantity, (first_ms, last_ms)).await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Writes down what happened to a log.
    pub async fn add_log_event(&self, log_id: i64, event: LogEvent) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO log_events (log_id, at_ms, what, samples) VALUES (?, ?, ?, ?)")
            .bind(log_id)
            .bind(event.at_ms)
            .bind(event.what.name())
            .bind(event.samples)
            .execute(self.writer()?)
            .await?;
        Ok(())
    }

    pub async fn log_events(&self, log_id: i64) -> Result<Vec<LogEvent>, StoreError> {
        let sql = "SELECT at_ms, what, samples FROM log_events WHERE log_id = ? ORDER BY id";
        let rows: Vec<(i64, String, i64)> = sqlx::query_as(sql).bind(log_id).fetch_all(&self.reader).await?;
        let event = |(at_ms, what, samples): (i64, String, i64)| {
            let corrupt = || StoreError::Corrupt(format!("what happened to a log: \"{what}\""));
            Ok(LogEvent { at_ms, what: LogEventKind::from_name(&what).ok_or_else(corrupt)?, samples })
        };
        rows.into_iter().map(event).collect()
    }

    pub async fn end_log(&self, id: i64, ended_utc: Timestamp) -> Result<(), StoreError> {
        sqlx::query("UPDATE logs SET ended_utc = ? WHERE id = ? AND ended_utc IS NULL")
            .bind(ended_utc.to_string())
            .bind(id)
            .execute(self.writer()?)
            .await?;
        Ok(())
    }

    /// The quantities of a log, in the core's order. One look into the index for each quantity that there is, however long the log.
    pub async fn log_quantities(&self, id: i64) -> Result<Vec<Quantity>, StoreError> {
        let sql = "SELECT value FROM json_each(?2) WHERE EXISTS (SELECT 1 FROM log_minutes WHERE log_id = ?1 AND quantity = \
            value) ORDER BY key";
        let names: Vec<String> = sqlx::query_scalar(sql).bind(id).bind(all_quantities()).fetch_all(&self.reader).await?;
        Ok(names.iter().filter_map(|name| Quantity::from_name(name)).collect())
    }

    /// The logs of a test, in the order of time.
    pub async fn logs_of_test(&self, test_id: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql =
            sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE test_id = ? AND {IS_SHOWN} ORDER BY started_utc, id"));
        sqlx::query(sql).bind(test_id).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// The logs of a panel, its own and those of its tests, the newest first.
    pub async fn logs_of_panel(&self, panel_id: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM logs WHERE {IS_SHOWN} AND (panel_id = ?1 \
             OR panel_id IS NULL AND test_id IN (SELECT id FROM tests WHERE panel_id = ?1)) ORDER BY started_utc DESC, id DESC"
        );
        sqlx::query(sqlx::AssertSqlSafe(sql)).bind(panel_id).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// The logs of a file, in the order of its devices.
    pub async fn logs_of_file(&self, file_id: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE file_id = ? ORDER BY id"));
        sqlx::query(sql).bind(file_id).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// Says what a log belongs to.
    pub async fn bind_log(&self, id: i64, belongs: &Belongs) -> Result<(), StoreError> {
        let sql = "UPDATE logs SET test_id = ?, rig_id = ?, panel_id = ?, place_id = ?, side = ?, tilt_deg = ?, azimuth_deg = ?, \
                   meter_percent = ?, ahead_s = ? WHERE id = ?";
        let done = sqlx::query(sql)
            .bind(belongs.test_id)
            .bind(belongs.rig_id)
            .bind(belongs.panel_id)
            .bind(belongs.place_id)
            .bind(i64::from(belongs.side))
            .bind(belongs.tilt_deg)
            .bind(belongs.azimuth_deg)
            .bind(belongs.meter_percent)
            .bind(belongs.ahead_s)
            .bind(id)
            .execute(self.writer()?)
            .await?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound("log")) }
    }
}

/// Puts the minutes of a quantity together anew, from the one of the first of these moments to that of the last.
async fn put_minutes(
    connection: &mut sqlx::SqliteConnection,
    log_id: i64,
    quantity: Quantity,
    (first_ms, last_ms): (i64, i64),
) -> Result<(), StoreError> {
    let sql = "INSERT OR REPLACE INTO log_minutes (log_id, quantity, minute_ms, low, high, total, samples) \
               SELECT log_id, quantity, at_ms - at_ms % ?5 AS minute_ms, min(value), max(value), sum(value), count(*) \
               FROM log_samples WHERE log_id = ?1 AND quantity = ?2 AND at_ms >= ?3 AND at_ms < ?4 GROUP BY minute_ms";
    sqlx::query(sql)
        .bind(log_id)
        .bind(quantity.name())
        .bind(first_ms - first_ms.rem_euclid(A_MINUTE_MS))
        .bind(last_ms - last_ms.rem_euclid(A_MINUTE_MS) + A_MINUTE_MS)
        .bind(A_MINUTE_MS)
        .execute(connection)
        .await?;
    Ok(())
}

fn log_from(row: &SqliteRow) -> Result<LogRow, StoreError> {
    let time = |text: &str| text.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{text}\" of a log")));
    let ended: Option<String> = row.try_get("ended_utc")?;
    Ok(LogRow {
        id: row.try_get("id")?,
        test_id: row.try_get("test_id")?,
        run_id: row.try_get("run_id")?,
        file_id: row.try_get("file_id")?,
        belongs: Belongs {
            test_id: row.try_get("test_id")?,
            rig_id: row.try_get("rig_id")?,
            panel_id: row.try_get("panel_id")?,
            place_id: row.try_get("place_id")?,
            side: u8::try_from(row.try_get::<i64, _>("side")?).unwrap_or_default(),
            tilt_deg: row.try_get("tilt_deg")?,
            azimuth_deg: row.try_get("azimuth_deg")?,
            meter_percent: row.try_get("meter_percent")?,
            ahead_s: row.try_get("ahead_s")?,
        },
        name: row.try_get("name")?,
        started_utc: time(&row.try_get::<String, _>("started_utc")?)?,
        ended_utc: ended.map(|text| time(&text)).transpose()?,
        samples: row.try_get("samples")?,
    })
}

/// The names of all quantities, as an array for a query.
pub(crate) fn all_quantities() -> String {
    serde_json::json!(Quantity::ALL.iter().map(|quantity| quantity.name()).collect::<Vec<_>>()).to_string()
}
