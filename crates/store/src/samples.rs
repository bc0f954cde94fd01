//! The samples of a log: read in any window, put together for drawings, packed when the log is complete.

use crate::checksum::{self, Checksum};
use crate::connections::Store;
use crate::error::StoreError;
use crate::logs::{A_MINUTE_MS, all_quantities};
use crate::rows::log::LogRow;
use flindo_core::energy::log::grid::{Grid, Step};
use flindo_core::energy::log::samples::with_watts;
use flindo_core::measure::quantity::Quantity;
use std::collections::BTreeMap;

/// A stretch of time of one quantity: its first moment, lowest, mean and highest.
pub type Bucket = (i64, f64, f64, f64);

/// A part of the samples of one quantity.
#[derive(Debug, Clone, PartialEq)]
pub struct SamplePage {
    /// (ms, value) in the order of time.
    pub samples: Vec<(i64, f64)>,
    /// All samples until then are in it, and there may be more after it; `None`: these were the last.
    pub until_ms: Option<i64>,
}

/// Samples that are packed in one step: some 10 ms.
const PACKED_AT_ONCE: i64 = 5_000;

impl Store {
    /// The samples of any quantity next to a moment: the last one until then, the first one after it.
    pub async fn samples_around(&self, log_id: i64, at_ms: i64) -> Result<(Option<i64>, Option<i64>), StoreError> {
        let (mut before, mut after): (Option<i64>, Option<i64>) = (None, None);
        let quantities = self.log_quantities(log_id).await?;
        // One state of both tables: samples go from the one to the other when a log is packed.
        let mut snapshot = self.reader.begin().await?;
        for quantity in quantities {
            let sql = "SELECT (SELECT max(at_ms) FROM log_samples WHERE log_id = ?1 AND quantity = ?2 AND at_ms <= ?3), \
                              (SELECT min(at_ms) FROM log_samples WHERE log_id = ?1 AND quantity = ?2 AND at_ms > ?3)";
            let (mut last, mut first): (Option<i64>, Option<i64>) =
                sqlx::query_as(sql).bind(log_id).bind(quantity.name()).bind(at_ms).fetch_one(&mut *snapshot).await?;
            for side in ["first_ms <= ?3 ORDER BY first_ms DESC LIMIT 1", "last_ms > ?3 ORDER BY last_ms LIMIT 1"] {
                let sql = format!("SELECT nth, crc32, samples FROM log_chunks WHERE log_id = ?1 AND quantity = ?2 AND {side}");
                let chunk: Option<Chunk> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
                    .bind(log_id)
                    .bind(quantity.name())
                    .bind(at_ms)
                    .fetch_optional(&mut *snapshot)
                    .await?;
                let chunk = chunk.map(|chunk| whole(log_id, quantity, chunk)).transpose()?;
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

    /// Samples of one quantity from a moment to another, in about `most` stretches of time, so that no peak is lost; of a short window,
    /// every sample. A long one is put together from its minutes.
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
        let sql = "SELECT min((SELECT min(minute_ms) FROM log_minutes WHERE log_id = ?1 AND quantity = value)), \
                          max((SELECT max(minute_ms) FROM log_minutes WHERE log_id = ?1 AND quantity = value)) FROM json_each(?2)";
        let (first, last): (Option<i64>, Option<i64>) =
            sqlx::query_as(sql).bind(id).bind(all_quantities()).fetch_one(&self.reader).await?;
        Ok(first.zip(last.map(|last| last + A_MINUTE_MS)))
    }

    /// Samples of one quantity after a moment, in the order of time, about `most` of them.
    pub async fn log_page(&self, id: i64, quantity: Quantity, after_ms: i64, most: i64) -> Result<SamplePage, StoreError> {
        // One state of both tables: samples go from the one to the other when a log is packed.
        let mut snapshot = self.reader.begin().await?;
        // Of what is packed, as far as the next chunk reaches; else as far as that many samples do.
        let packed = "SELECT min(last_ms) FROM log_chunks WHERE log_id = ? AND quantity = ? AND last_ms > ?";
        let packed: Option<i64> =
            sqlx::query_scalar(packed).bind(id).bind(quantity.name()).bind(after_ms).fetch_one(&mut *snapshot).await?;
        let until_ms = match packed {
            Some(until_ms) => Some(until_ms),
            None => {
                let sql = "SELECT at_ms FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms > ? ORDER BY at_ms LIMIT 1 OFFSET ?";
                let nth = sqlx::query_scalar(sql).bind(id).bind(quantity.name()).bind(after_ms).bind(most.max(1) - 1);
                nth.fetch_optional(&mut *snapshot).await?
            }
        };
        let window = (after_ms.saturating_add(1), until_ms.unwrap_or(i64::MAX));
        let mut samples = samples_between(&mut snapshot, id, quantity, window).await?;
        samples.sort_by_key(|sample| sample.0);
        Ok(SamplePage { samples, until_ms })
    }

    /// All samples of one quantity from a moment to another, both included, in the order of time; those of one time in the order in which
    /// they came.
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
        let mut snapshot = self.reader.begin().await?;
        samples_between(&mut snapshot, id, quantity, (from_ms, to_ms)).await
    }

    /// The minutes of one quantity of a log: first millisecond, lowest, highest, sum, samples.
    pub async fn log_minutes(&self, id: i64, quantity: Quantity) -> Result<Vec<LogMinute>, StoreError> {
        let mut snapshot = self.reader.begin().await?;
        minutes_of(&mut snapshot, id, quantity).await
    }

    /// Writes the checksum of the minutes of a log that is complete.
    pub(crate) async fn seal_minutes(&self, id: i64) -> Result<(), StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        for quantity in Quantity::ALL {
            let minutes = minutes_of(&mut transaction, id, *quantity).await?;
            if !minutes.is_empty() {
                sqlx::query("INSERT OR REPLACE INTO log_minute_sums (log_id, quantity, crc32) VALUES (?, ?, ?)")
                    .bind(id)
                    .bind(quantity.name())
                    .bind(sum_of_minutes(id, *quantity, &minutes))
                    .execute(&mut *transaction)
                    .await?;
            }
        }
        transaction.commit().await?;
        Ok(())
    }

    /// All quantities of a log on true time at its own pace, with the watts of volts and amps that were logged without them.
    pub async fn log_steps(&self, log: &LogRow) -> Result<Grid, StoreError> {
        let mut folds: BTreeMap<Quantity, Vec<(f64, Step)>> = BTreeMap::new();
        for quantity in self.log_quantities(log.id).await? {
            let minutes = self.log_minutes(log.id, quantity).await?;
            let fold = |minute: &LogMinute| (minute.minute_ms as f64 / 1000.0 - log.belongs.ahead_s, minute.step());
            folds.insert(quantity, minutes.iter().map(fold).collect());
        }
        with_watts(&mut folds);
        Ok(Grid::of_folds(A_MINUTE_MS as f64 / 1000.0, &folds))
    }

    /// Packs the samples of a log that is complete, a few thousand at a time, so that readings come through meanwhile: packed, a day at
    /// five a second is read in some milliseconds. A stop in between leaves a log that is packed in part and whole.
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
        self.seal_minutes(id).await
    }

    /// Complete logs whose samples are not packed or whose minutes have no checksum: what was just imported, and those of older benches.
    pub async fn unpacked_logs(&self) -> Result<Vec<i64>, StoreError> {
        let sql = "SELECT id FROM logs l WHERE ended_utc IS NOT NULL \
                   AND (file_id IS NULL OR file_id IN (SELECT id FROM log_files WHERE ended_utc IS NOT NULL)) \
                   AND (EXISTS (SELECT 1 FROM log_samples s WHERE s.log_id = l.id) \
                        OR EXISTS (SELECT 1 FROM log_minutes m WHERE m.log_id = l.id) \
                        AND NOT EXISTS (SELECT 1 FROM log_minute_sums c WHERE c.log_id = l.id))";
        Ok(sqlx::query_scalar(sql).fetch_all(&self.reader).await?)
    }
}

/// Packed samples in the order of their chunks, and then those that are not packed; read in one state of the bench.
async fn samples_between(
    snapshot: &mut sqlx::SqliteConnection,
    id: i64,
    quantity: Quantity,
    (from_ms, to_ms): (i64, i64),
) -> Result<Vec<(i64, f64)>, StoreError> {
    let sql = "SELECT nth, crc32, samples FROM log_chunks WHERE log_id = ? AND quantity = ? AND last_ms >= ? AND first_ms <= ? \
        ORDER BY nth";
    let chunks: Vec<Chunk> =
        sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(from_ms).bind(to_ms).fetch_all(&mut *snapshot).await?;
    let mut samples = Vec::new();
    for chunk in chunks {
        samples.extend(chunk_samples(&whole(id, quantity, chunk)?).filter(|(at_ms, _)| (from_ms..=to_ms).contains(at_ms)));
    }
    let sql =
        "SELECT at_ms, value FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms >= ? AND at_ms <= ? ORDER BY at_ms";
    let rows: Vec<(i64, f64)> =
        sqlx::query_as(sql).bind(id).bind(quantity.name()).bind(from_ms).bind(to_ms).fetch_all(&mut *snapshot).await?;
    samples.extend(rows);
    Ok(samples)
}

async fn minutes_of(snapshot: &mut sqlx::SqliteConnection, id: i64, quantity: Quantity) -> Result<Vec<LogMinute>, StoreError> {
    let sql = "SELECT minute_ms, low, high, total, samples FROM log_minutes WHERE log_id = ? AND quantity = ? ORDER BY minute_ms";
    let rows: Vec<(i64, f64, f64, f64, i64)> =
        sqlx::query_as(sql).bind(id).bind(quantity.name()).fetch_all(&mut *snapshot).await?;
    let minute = |(minute_ms, low, high, total, samples)| LogMinute { minute_ms, low, high, total, samples };
    let minutes: Vec<LogMinute> = rows.into_iter().map(minute).collect();
    let sum: Option<i64> = sqlx::query_scalar("SELECT crc32 FROM log_minute_sums WHERE log_id = ? AND quantity = ?")
        .bind(id)
        .bind(quantity.name())
        .fetch_optional(&mut *snapshot)
        .await?;
    let read = || sum_of_minutes(id, quantity, &minutes);
    checksum::check(sum, read, || format!("the minutes of the {} of log {id}", quantity.label()))?;
    Ok(minutes)
}

fn sum_of_minutes(log_id: i64, quantity: Quantity, minutes: &[LogMinute]) -> i64 {
    let mut sum = Checksum::default();
    sum.whole(log_id).text(quantity.name());
    for minute in minutes {
        sum.whole(minute.minute_ms).real(minute.low).real(minute.high).real(minute.total).whole(minute.samples);
    }
    sum.end()
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

impl LogMinute {
    fn step(&self) -> Step {
        Step {
            mean: self.total / self.samples.max(1) as f64,
            low: self.low,
            high: self.high,
            samples: u32::try_from(self.samples).unwrap_or(u32::MAX),
        }
    }
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
    sqlx::query("INSERT INTO log_chunks (log_id, quantity, nth, first_ms, last_ms, crc32, samples) VALUES (?, ?, ?, ?, ?, ?, ?)")
        .bind(log_id)
        .bind(quantity.name())
        .bind(nth)
        .bind(ends.0)
        .bind(ends.1)
        .bind(checksum::of_chunk(log_id, quantity.name(), nth, &bytes))
        .bind(bytes)
        .execute(connection)
        .await?;
    Ok(())
}

impl Store {
    /// Whether the chunks and minutes of every log are as they were written, one part in memory at a time.
    pub(crate) async fn chunks_are_whole(&self) -> Result<(), StoreError> {
        let all: Vec<(i64, String, i64)> =
            sqlx::query_as("SELECT log_id, quantity, nth FROM log_chunks").fetch_all(&self.reader).await?;
        for (log_id, name, nth) in all {
            let quantity = Quantity::from_name(&name);
            let quantity = quantity.ok_or_else(|| StoreError::Corrupt(format!("log {log_id} has a quantity \"{name}\"")))?;
            let sql = "SELECT nth, crc32, samples FROM log_chunks WHERE log_id = ? AND quantity = ? AND nth = ?";
            let chunk: Chunk = sqlx::query_as(sql).bind(log_id).bind(&name).bind(nth).fetch_one(&self.reader).await?;
            whole(log_id, quantity, chunk)?;
        }
        let minutes: Vec<(i64, String)> =
            sqlx::query_as("SELECT log_id, quantity FROM log_minute_sums").fetch_all(&self.reader).await?;
        for (log_id, name) in minutes {
            if let Some(quantity) = Quantity::from_name(&name) {
                self.log_minutes(log_id, quantity).await?;
            }
        }
        Ok(())
    }
}

/// Its place, its checksum and its samples.
type Chunk = (i64, Option<i64>, Vec<u8>);

/// A chunk that is as it was written.
fn whole(log_id: i64, quantity: Quantity, (nth, sum, samples): Chunk) -> Result<Vec<u8>, StoreError> {
    let read = || checksum::of_chunk(log_id, quantity.name(), nth, &samples);
    checksum::check(sum, read, || format!("part {nth} of the {} of log {log_id}", quantity.label()))?;
    Ok(samples)
}

/// The samples of a chunk.
pub(crate) fn chunk_samples(bytes: &[u8]) -> impl Iterator<Item = (i64, f64)> {
    bytes.chunks_exact(16).map(|pair| {
        let word = |from: usize| <[u8; 8]>::try_from(&pair[from..from + 8]).unwrap_or_default();
        (i64::from_le_bytes(word(0)), f64::from_le_bytes(word(8)))
    })
}
