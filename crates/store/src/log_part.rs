//! Rows of a file of another logger, read and written some thousand at a time, with how far the file has come in the same step.

use crate::connections::Store;
use crate::error::StoreError;
use crate::logs::{NewLog, insert_log};
use crate::rows::log_file::{LogFault, LogFile, LogFileError};
use crate::samples::insert_chunk;
use flindo_core::measure::logger::row::{RowSample, Rows};
use flindo_core::measure::logger::{Delimiter, Format};
use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;
use sqlx::SqliteConnection;
use std::collections::{BTreeMap, HashMap};
use std::fs::File;
use std::io::Read;
use std::path::Path;

/// Rows that are brought in in one step.
pub(crate) const PART_ROWS: usize = 20_000;

/// Faults that are kept of a file.
const MOST_FAULTS: u64 = 1000;

/// Rows that wait to be written in one step.
pub(crate) struct Part<'a> {
    store: &'a Store,
    file_id: i64,
    name: String,
    reading: Rows,
    header_lines: u64,
    delimiter: Delimiter,
    /// Lines before the place where this reading began, and those done since.
    pub lines_done: u64,
    pub rows: usize,
    pub rows_done: u64,
    rows_aside: u64,
    samples: Vec<RowSample>,
    faults: Vec<LogFault>,
    /// By device: its log, and the number of its next chunk.
    logs: HashMap<usize, i64>,
    next_chunk: i64,
}

impl<'a> Part<'a> {
    pub async fn of(store: &'a Store, file: &LogFile, format: &Format) -> Result<Part<'a>, LogFileError> {
        let mut reading = Rows::of(format)?;
        let last_ms: Option<i64> =
            sqlx::query_scalar("SELECT max(last_ms) FROM log_chunks WHERE log_id IN (SELECT id FROM logs WHERE file_id = ?)")
                .bind(file.id)
                .fetch_one(&store.reader)
                .await?;
        let next_chunk: Option<i64> =
            sqlx::query_scalar("SELECT max(nth) FROM log_chunks WHERE log_id IN (SELECT id FROM logs WHERE file_id = ?)")
                .bind(file.id)
                .fetch_one(&store.reader)
                .await?;
        reading.go_on_after(last_ms.map(|ms| ms as f64 / 1000.0));
        let lines_done = lines_before(&store.text_of(&file.sha256), file.bytes_done)?;
        Ok(Part {
            store,
            file_id: file.id,
            name: file.name.clone(),
            reading,
            header_lines: format.header_lines as u64,
            delimiter: format.delimiter,
            lines_done,
            rows: 0,
            rows_done: file.rows_done,
            rows_aside: file.rows_aside,
            samples: Vec::new(),
            faults: Vec::new(),
            logs: HashMap::new(),
            next_chunk: next_chunk.map_or(0, |nth| nth + 1),
        })
    }

    pub fn row(&mut self, line: u64, text: &str) {
        if line <= self.header_lines || text.chars().all(|c| c.is_whitespace() || c == self.delimiter.sign()) {
            return;
        }
        self.rows += 1;
        match self.reading.read_line(text, self.delimiter, &mut self.samples) {
            Ok(()) => self.rows_done += 1,
            Err(fault) => {
                self.rows_aside += 1;
                if self.rows_aside <= MOST_FAULTS {
                    self.faults.push(LogFault { line, fault });
                }
            }
        }
    }

    /// Writes what waits, with how far the file has come, in one step.
    pub async fn write(&mut self, bytes_done: u64, lines_done: u64) -> Result<(), LogFileError> {
        let mut transaction = self.store.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let mut columns: HashMap<(usize, Quantity), Vec<(i64, f64)>> = HashMap::new();
        for sample in self.samples.drain(..) {
            let at_ms = (sample.at_s * 1000.0).round() as i64;
            columns.entry((sample.device, sample.quantity)).or_default().push((at_ms, sample.value));
        }
        let mut order: Vec<(usize, Quantity)> = columns.keys().copied().collect();
        order.sort_unstable();
        for key in order {
            let samples = &columns[&key];
            let log_id = self.log(&mut transaction, key.0, samples).await?;
            insert_chunk(&mut transaction, (log_id, key.1, self.next_chunk), samples).await?;
            add_minutes(&mut transaction, log_id, key.1, samples).await?;
        }
        self.next_chunk += 1;
        for LogFault { line, fault } in self.faults.drain(..) {
            sqlx::query(
                "INSERT OR IGNORE INTO log_file_faults (file_id, line, place, name, cell, why) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(self.file_id)
            .bind(line as i64)
            .bind(fault.column as i64)
            .bind(fault.name)
            .bind(fault.cell)
            .bind(fault.why)
            .execute(&mut *transaction)
            .await?;
        }
        sqlx::query("UPDATE log_files SET bytes_done = ?, rows_done = ?, rows_aside = ? WHERE id = ?")
            .bind(bytes_done as i64)
            .bind(self.rows_done as i64)
            .bind(self.rows_aside as i64)
            .bind(self.file_id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        (self.rows, self.lines_done) = (0, lines_done);
        Ok(())
    }

    /// The log of a device, made with its first samples; its span grows with them.
    async fn log(
        &mut self,
        connection: &mut SqliteConnection,
        device: usize,
        samples: &[(i64, f64)],
    ) -> Result<i64, LogFileError> {
        let name = self.reading.devices().get(device).cloned().unwrap_or_default();
        let first_ms = samples.iter().map(|sample| sample.0).min().unwrap_or_default();
        let last_ms = samples.iter().map(|sample| sample.0).max().unwrap_or_default();
        let time = |ms: i64| Timestamp::from_millisecond(ms).unwrap_or(Timestamp::UNIX_EPOCH);
        let known = match self.logs.get(&device) {
            Some(id) => Some(*id),
            None => {
                sqlx::query_scalar("SELECT id FROM logs WHERE file_id = ? AND device = ?")
                    .bind(self.file_id)
                    .bind(&name)
                    .fetch_optional(&mut *connection)
                    .await?
            }
        };
        let id = match known {
            Some(id) => {
                sqlx::query(
                    "UPDATE logs SET samples = samples + ?1, started_utc = min(started_utc, ?2), ended_utc = max(ended_utc, \
                     ?3) WHERE id = ?4",
                )
                .bind(samples.len() as i64)
                .bind(time(first_ms).to_string())
                .bind(time(last_ms).to_string())
                .bind(id)
                .execute(connection)
                .await?;
                id
            }
            None => {
                let shown = if name.is_empty() { self.name.clone() } else { format!("{}: {name}", self.name) };
                let log = NewLog {
                    name: shown,
                    file_id: Some(self.file_id),
                    device: name,
                    started_utc: time(first_ms),
                    ended_utc: Some(time(last_ms)),
                    samples: samples.len() as i64,
                };
                insert_log(connection, &log).await?
            }
        };
        self.logs.insert(device, id);
        Ok(id)
    }
}

/// Lines of a text before a byte; read once, where a file goes on.
fn lines_before(path: &Path, bytes: u64) -> Result<u64, LogFileError> {
    if bytes == 0 {
        return Ok(0);
    }
    let mut text = File::open(path).map_err(|_| LogFileError::TextGone)?.take(bytes);
    let (mut buffer, mut lines) = (vec![0; 1 << 16], 0);
    loop {
        match text.read(&mut buffer)? {
            0 => return Ok(lines),
            read => lines += buffer[..read].iter().filter(|byte| **byte == b'\n').count() as u64,
        }
    }
}

/// Adds samples to the minutes that are kept for drawings.
pub(crate) async fn add_minutes(
    connection: &mut SqliteConnection,
    log_id: i64,
    quantity: Quantity,
    samples: &[(i64, f64)],
) -> Result<(), StoreError> {
    let mut minutes: BTreeMap<i64, (f64, f64, f64, i64)> = BTreeMap::new();
    for (at_ms, value) in samples {
        let minute = minutes.entry(at_ms - at_ms.rem_euclid(60_000)).or_insert((f64::INFINITY, f64::NEG_INFINITY, 0.0, 0));
        *minute = (minute.0.min(*value), minute.1.max(*value), minute.2 + value, minute.3 + 1);
    }
    for (minute_ms, (low, high, total, count)) in minutes {
        let sql = "INSERT INTO log_minutes (log_id, quantity, minute_ms, low, high, total, samples) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7) \
                   ON CONFLICT (log_id, quantity, minute_ms) DO UPDATE \
                   SET low = min(low, ?4), high = max(high, ?5), total = total + ?6, samples = samples + ?7";
        sqlx::query(sql)
            .bind(log_id)
            .bind(quantity.name())
            .bind(minute_ms)
            .bind(low)
            .bind(high)
            .bind(total)
            .bind(count)
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}
