//! Logs: series of samples, written in batches while they are recorded.

use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::energy::log::grid::{Grid, Step};
use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use std::collections::BTreeMap;

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
    /// The file it came with; `None`: recorded here.
    pub file_id: Option<i64>,
    pub name: String,
    pub belongs: Belongs,
    pub started_utc: Timestamp,
    /// `None`: still recording, or cut off by a stop of the program.
    pub ended_utc: Option<Timestamp>,
    pub samples: i64,
}

/// What a log belongs to, and what is known of how it was made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Belongs {
    pub test_id: Option<i64>,
    pub rig_id: Option<i64>,
    pub panel_id: Option<i64>,
    pub place_id: Option<i64>,
    /// Rig 1 or 2 of a test side by side; 0: the only one.
    pub side: u8,
    /// Degrees from flat, and from north; `None`: those of its test.
    pub tilt_deg: Option<f64>,
    pub azimuth_deg: Option<f64>,
    /// % of reading of its meter; `None`: usual.
    pub meter_percent: Option<f64>,
    /// s: its clock was ahead of true time by this, as somebody confirmed.
    pub ahead_s: f64,
}

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

/// What happened to a log while it was recorded.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LogEventKind {
    /// The program was started again, and went on with it.
    Resumed,
    /// Samples that could not be written.
    Lost,
}

impl LogEventKind {
    fn name(self) -> &'static str {
        match self {
            LogEventKind::Resumed => "resumed",
            LogEventKind::Lost => "lost",
        }
    }

    fn from_name(name: &str) -> Option<Self> {
        [LogEventKind::Resumed, LogEventKind::Lost].into_iter().find(|kind| kind.name() == name)
    }
}

/// See [`LogEventKind`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LogEvent {
    pub at_ms: i64,
    pub what: LogEventKind,
    /// How many were lost.
    pub samples: i64,
}

/// A stretch of time of one quantity: its first moment, lowest, mean and highest.
pub type Bucket = (i64, f64, f64, f64);

const COLUMNS: &str = "id, test_id, run_id, file_id, name, started_utc, ended_utc, samples, rig_id, panel_id, place_id, side, tilt_deg, \
                       azimuth_deg, meter_percent, ahead_s";

const A_MINUTE_MS: i64 = 60_000;

/// Samples that are packed in one step: some 10 ms.
const PACKED_AT_ONCE: i64 = 5_000;

impl Store {
    /// Logs from the newest on, of them `most` after the first `skip`.
    pub async fn logs(&self, skip: i64, most: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM logs ORDER BY started_utc DESC, id DESC LIMIT ? OFFSET ?");
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
        Ok(sqlx::query_scalar("SELECT count(*) FROM logs").fetch_one(&self.reader).await?)
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

    /// The samples of any quantity next to a moment: the last one until then, the first one after it.
    pub async fn samples_around(&self, log_id: i64, at_ms: i64) -> Result<(Option<i64>, Option<i64>), StoreError> {
        let (mut before, mut after): (Option<i64>, Option<i64>) = (None, None);
        for quantity in self.log_quantities(log_id).await? {
            let sql = "SELECT (SELECT max(at_ms) FROM log_samples WHERE log_id = ?1 AND quantity = ?2 AND at_ms <= ?3), \
                              (SELECT min(at_ms) FROM log_samples WHERE log_id = ?1 AND quantity = ?2 AND at_ms > ?3)";
            let (mut last, mut first): (Option<i64>, Option<i64>) =
                sqlx::query_as(sql).bind(log_id).bind(quantity.name()).bind(at_ms).fetch_one(&self.reader).await?;
            for side in ["first_ms <= ?3 ORDER BY first_ms DESC LIMIT 1", "last_ms > ?3 ORDER BY last_ms LIMIT 1"] {
                let sql = format!("SELECT samples FROM log_chunks WHERE log_id = ?1 AND quantity = ?2 AND {side}");
                let chunk: Option<Vec<u8>> = sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
                    .bind(log_id)
                    .bind(quantity.name())
                    .bind(at_ms)
                    .fetch_optional(&self.reader)
                    .await?;
                for (sample_ms, _) in chunk.iter().flat_map(|chunk| chunk_samples(chunk)) {
                    if sample_ms <= at_ms {
                        last = last.max(Some(sample_ms));
                    } else {
                        first = [first, Some(sample_ms)].into_iter().flatten().min();
                    }
                }
            }
            before = before.max(last);
            after = [after, first].into_iter().flatten().min();
        }
        Ok((before, after))
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
        let mut quantities = Vec::new();
        for quantity in Quantity::ALL {
            let there: Option<i64> = sqlx::query_scalar("SELECT 1 FROM log_minutes WHERE log_id = ? AND quantity = ? LIMIT 1")
                .bind(id)
                .bind(quantity.name())
                .fetch_optional(&self.reader)
                .await?;
            quantities.extend(there.map(|_| *quantity));
        }
        Ok(quantities)
    }

    /// Samples of one quantity from a moment to another, in about `most` stretches of time, so that no peak is lost; of a short window, every sample. A long
    /// one is put together from its minutes.
    pub async fn log_window(
        &self,
        log: &LogRow,
        quantity: Quantity,
        (from_ms, to_ms): (i64, i64),
        most: i64,
    ) -> Result<Vec<Bucket>, StoreError> {
        let width_ms = ((to_ms - from_ms) / most.max(1)).max(1);
        if width_ms >= A_MINUTE_MS {
            let minutes = self.log_minutes(log.id, quantity).await?;
            let inside = minutes.iter().filter(|minute| (from_ms - A_MINUTE_MS..=to_ms).contains(&minute.minute_ms));
            let seen = inside.map(|one| (one.minute_ms, one.low, one.total, one.high, one.samples));
            return Ok(buckets(seen, from_ms, width_ms));
        }
        let samples = self.log_samples(log.id, quantity, (from_ms - A_MINUTE_MS, to_ms + A_MINUTE_MS)).await?;
        if samples.len() as i64 <= most {
            return Ok(samples.into_iter().map(|(at_ms, value)| (at_ms, value, value, value)).collect());
        }
        Ok(buckets(samples.into_iter().map(|(at_ms, value)| (at_ms, value, value, value, 1)), from_ms, width_ms))
    }

    /// First and last moment of a log's samples, ms; `None` for none.
    pub async fn log_span(&self, id: i64) -> Result<Option<(i64, i64)>, StoreError> {
        let (mut first, mut last): (Option<i64>, Option<i64>) = (None, None);
        for quantity in self.log_quantities(id).await? {
            let sql = "SELECT min(minute_ms), max(minute_ms) FROM log_minutes WHERE log_id = ? AND quantity = ?";
            let (begin, end): (Option<i64>, Option<i64>) =
                sqlx::query_as(sql).bind(id).bind(quantity.name()).fetch_one(&self.reader).await?;
            first = [first, begin].into_iter().flatten().min();
            last = last.max(end);
        }
        Ok(first.zip(last.map(|last| last + A_MINUTE_MS)))
    }

    /// Samples of one quantity after a moment, in the order of time, about `most`: (at_ms, value).
    pub async fn log_page(&self, id: i64, quantity: Quantity, after_ms: i64, most: i64) -> Result<Vec<(i64, f64)>, StoreError> {
        // Of a file: as far as the next chunk reaches, and whatever lies before its end.
        let horizon: Option<i64> =
            sqlx::query_scalar("SELECT min(last_ms) FROM log_chunks WHERE log_id = ? AND quantity = ? AND last_ms > ?")
                .bind(id)
                .bind(quantity.name())
                .bind(after_ms)
                .fetch_one(&self.reader)
                .await?;
        if let Some(horizon_ms) = horizon {
            return self.log_samples(id, quantity, (after_ms.saturating_add(1), horizon_ms)).await;
        }
        let sql = "SELECT at_ms, value FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms > ? ORDER BY at_ms LIMIT ?";
        let rows = sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(after_ms).bind(most);
        Ok(rows.fetch_all(&self.reader).await?)
    }

    /// All samples of one quantity from a moment to another, both included, in the order of time; those of one time in the order in which they came.
    pub async fn log_samples(
        &self,
        id: i64,
        quantity: Quantity,
        (from_ms, to_ms): (i64, i64),
    ) -> Result<Vec<(i64, f64)>, StoreError> {
        let mut samples = self.samples_as_they_came(id, quantity, (from_ms, to_ms)).await?;
        samples.sort_by_key(|sample| sample.0);
        Ok(samples)
    }

    /// The same as they came, which in a file need not be the order of time.
    pub async fn samples_as_they_came(
        &self,
        id: i64,
        quantity: Quantity,
        (from_ms, to_ms): (i64, i64),
    ) -> Result<Vec<(i64, f64)>, StoreError> {
        let sql =
            "SELECT samples FROM log_chunks WHERE log_id = ? AND quantity = ? AND last_ms >= ? AND first_ms <= ? ORDER BY nth";
        let chunks: Vec<Vec<u8>> =
            sqlx::query_scalar(sql).bind(id).bind(quantity.name()).bind(from_ms).bind(to_ms).fetch_all(&self.reader).await?;
        let mut samples = Vec::new();
        for chunk in &chunks {
            samples.extend(chunk_samples(chunk).filter(|(at_ms, _)| (from_ms..=to_ms).contains(at_ms)));
        }
        // What was recorded and is not packed yet.
        let sql =
            "SELECT at_ms, value FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms >= ? AND at_ms <= ? ORDER BY at_ms";
        let rows: Vec<(i64, f64)> =
            sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(from_ms).bind(to_ms).fetch_all(&self.reader).await?;
        samples.extend(rows);
        Ok(samples)
    }

    /// The minutes of one quantity of a log: first millisecond, lowest, highest, sum, samples.
    pub async fn log_minutes(&self, id: i64, quantity: Quantity) -> Result<Vec<LogMinute>, StoreError> {
        let sql =
            "SELECT minute_ms, low, high, total, samples FROM log_minutes WHERE log_id = ? AND quantity = ? ORDER BY minute_ms";
        let rows: Vec<(i64, f64, f64, f64, i64)> =
            sqlx::query_as(sql).bind(id).bind(quantity.name()).fetch_all(&self.reader).await?;
        let minute = |(minute_ms, low, high, total, samples): (i64, f64, f64, f64, i64)| LogMinute {
            minute_ms,
            low,
            high,
            total,
            samples,
        };
        Ok(rows.into_iter().map(minute).collect())
    }

    /// All quantities of a log by minutes, on true time, with the watts of volts and amps that were logged without them.
    pub async fn log_grid(&self, log: &LogRow) -> Result<Grid, StoreError> {
        let mut columns: BTreeMap<Quantity, Vec<(f64, Step)>> = BTreeMap::new();
        for quantity in self.log_quantities(log.id).await? {
            let minutes = self.log_minutes(log.id, quantity).await?;
            let step = |minute: &LogMinute| {
                let step = Step {
                    mean: minute.total / minute.samples.max(1) as f64,
                    low: minute.low,
                    high: minute.high,
                    samples: u32::try_from(minute.samples).unwrap_or(u32::MAX),
                };
                (minute.minute_ms as f64 / 1000.0 - log.belongs.ahead_s, step)
            };
            columns.insert(quantity, minutes.iter().map(step).collect());
        }
        for (volts, amps, watts) in [
            (Quantity::Voltage, Quantity::Current, Quantity::Power),
            (Quantity::OutputVoltage, Quantity::OutputCurrent, Quantity::OutputPower),
        ] {
            if let (Some(volts), Some(amps), false) = (columns.get(&volts), columns.get(&amps), columns.contains_key(&watts)) {
                let product = products(volts, amps);
                columns.insert(watts, product);
            }
        }
        Ok(Grid::of_steps(A_MINUTE_MS as f64 / 1000.0, &columns))
    }

    /// The logs of a test, in the order of time.
    pub async fn logs_of_test(&self, test_id: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE test_id = ? ORDER BY started_utc, id"));
        sqlx::query(sql).bind(test_id).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// The logs of a file, in the order of its devices.
    pub async fn logs_of_file(&self, file_id: i64) -> Result<Vec<LogRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM logs WHERE file_id = ? ORDER BY id"));
        sqlx::query(sql).bind(file_id).fetch_all(&self.reader).await?.iter().map(log_from).collect()
    }

    /// Packs the samples of a log that is complete, a few thousand at a time, so that readings come through meanwhile: packed, a day at five a second is read
    /// in some milliseconds. A stop in between leaves a log that is packed in part and whole.
    pub async fn pack_log(&self, id: i64) -> Result<(), StoreError> {
        for quantity in Quantity::ALL {
            loop {
                let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
                let sql = "SELECT at_ms, value FROM log_samples WHERE log_id = ? AND quantity = ? ORDER BY at_ms LIMIT ?";
                let samples: Vec<(i64, f64)> =
                    sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(PACKED_AT_ONCE).fetch_all(&mut *transaction).await?;
                let Some(last) = samples.last() else { break };
                let sql = "SELECT coalesce(max(nth), -1) + 1 FROM log_chunks WHERE log_id = ? AND quantity = ?";
                let nth: i64 = sqlx::query_scalar(sql).bind(id).bind(quantity.name()).fetch_one(&mut *transaction).await?;
                insert_chunk(&mut transaction, (id, *quantity, nth), &samples).await?;
                sqlx::query("DELETE FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms <= ?")
                    .bind(id)
                    .bind(quantity.name())
                    .bind(last.0)
                    .execute(&mut *transaction)
                    .await?;
                transaction.commit().await?;
                // The next reading goes before the next part.
                tokio::task::yield_now().await;
            }
        }
        Ok(())
    }

    /// Complete logs whose samples are not packed, such as those of older benches.
    pub async fn unpacked_logs(&self) -> Result<Vec<i64>, StoreError> {
        let sql =
            "SELECT id FROM logs l WHERE ended_utc IS NOT NULL AND EXISTS (SELECT 1 FROM log_samples s WHERE s.log_id = l.id)";
        Ok(sqlx::query_scalar(sql).fetch_all(&self.reader).await?)
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

/// One minute of one quantity of a log.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LogMinute {
    pub minute_ms: i64,
    pub low: f64,
    pub high: f64,
    pub total: f64,
    pub samples: i64,
}

/// Puts (moment, lowest, sum, highest, samples) together by stretches of `width_ms` from `from_ms` on; in order of time.
fn buckets(seen: impl Iterator<Item = (i64, f64, f64, f64, i64)>, from_ms: i64, width_ms: i64) -> Vec<Bucket> {
    let mut found: Vec<(i64, i64, f64, f64, f64, i64)> = Vec::new();
    for (at_ms, low, total, high, samples) in seen {
        let place = (at_ms - from_ms).div_euclid(width_ms);
        match found.last_mut() {
            Some(last) if last.0 == place => {
                *last = (place, last.1, last.2.min(low), last.3 + total, last.4.max(high), last.5 + samples)
            }
            Some(_) | None => found.push((place, at_ms, low, total, high, samples)),
        }
    }
    found.into_iter().map(|(_, at_ms, low, total, high, samples)| (at_ms, low, total / samples.max(1) as f64, high)).collect()
}

/// Of minutes that both have; the mean of a product is that of the means where neither moves much within a minute.
fn products(volts: &[(f64, Step)], amps: &[(f64, Step)]) -> Vec<(f64, Step)> {
    let mut amps = amps.iter().peekable();
    let mut found = Vec::new();
    for (at_s, volts) in volts {
        while amps.peek().is_some_and(|amps| amps.0 < *at_s) {
            amps.next();
        }
        if let Some((_, amps)) = amps.peek().filter(|amps| amps.0 == *at_s) {
            let samples = volts.samples.min(amps.samples);
            found.push((
                *at_s,
                Step { mean: volts.mean * amps.mean, low: volts.low * amps.low, high: volts.high * amps.high, samples },
            ));
        }
    }
    found
}

/// Writes samples together, as the migration says.
pub(crate) async fn insert_chunk(
    connection: &mut sqlx::SqliteConnection,
    (log_id, quantity, nth): (i64, Quantity, i64),
    samples: &[(i64, f64)],
) -> Result<(), StoreError> {
    let mut bytes = Vec::with_capacity(samples.len() * 16);
    for (at_ms, value) in samples {
        bytes.extend_from_slice(&at_ms.to_le_bytes());
        bytes.extend_from_slice(&value.to_le_bytes());
    }
    let ends = samples.iter().fold((i64::MAX, i64::MIN), |ends, sample| (ends.0.min(sample.0), ends.1.max(sample.0)));
    sqlx::query("INSERT INTO log_chunks (log_id, quantity, nth, first_ms, last_ms, samples) VALUES (?, ?, ?, ?, ?, ?)")
        .bind(log_id)
        .bind(quantity.name())
        .bind(nth)
        .bind(ends.0)
        .bind(ends.1)
        .bind(bytes)
        .execute(connection)
        .await?;
    Ok(())
}

/// The samples of a chunk.
fn chunk_samples(bytes: &[u8]) -> impl Iterator<Item = (i64, f64)> {
    bytes.chunks_exact(16).map(|pair| {
        let word = |from: usize| <[u8; 8]>::try_from(&pair[from..from + 8]).unwrap_or_default();
        (i64::from_le_bytes(word(0)), f64::from_le_bytes(word(8)))
    })
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
