//! Files of other loggers: kept beside the bench as text, and brought in part by part, so that readings come through meanwhile, a stop loses nothing and
//! memory stays flat however long the file.

use crate::connections::Store;
use crate::error::StoreError;
use crate::logs::{NewLog, insert_chunk, insert_log};
use flindo_core::measure::logger::row::{RowFault, RowSample, Rows};
use flindo_core::measure::logger::{Encoding, Format};
use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// A file of another logger.
#[derive(Debug, Clone, PartialEq)]
pub struct LogFile {
    pub id: i64,
    pub sha256: String,
    pub name: String,
    pub added_utc: Timestamp,
    pub bytes: u64,
    pub bytes_done: u64,
    pub rows_done: u64,
    pub rows_aside: u64,
    /// `None`: not yet confirmed.
    pub format: Option<Format>,
    /// `None`: not all of it is in.
    pub ended_utc: Option<Timestamp>,
}

/// A row that was kept aside.
#[derive(Debug, Clone, PartialEq)]
pub struct LogFault {
    pub line: u64,
    pub fault: RowFault,
}

/// How far a file has come; and whether somebody wants it to stop.
#[derive(Debug, Default)]
pub struct LogProgress {
    pub bytes_done: AtomicU64,
    pub rows_done: AtomicU64,
    pub is_stopped: AtomicBool,
}

/// Why a file is not brought in. Prints as a sentence.
#[derive(Debug, thiserror::Error)]
pub enum LogFileError {
    #[error("{0}")]
    Format(#[from] flindo_core::measure::logger::FormatError),
    #[error("The text of this file is not beside the bench any more: choose the file again.")]
    TextGone,
    #[error("The file could not be kept beside the bench: {0}")]
    Disk(#[from] std::io::Error),
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<sqlx::Error> for LogFileError {
    fn from(error: sqlx::Error) -> Self {
        LogFileError::Store(error.into())
    }
}

/// Rows that are brought in in one step.
const PART_ROWS: usize = 20_000;

/// Faults that are kept of a file.
const MOST_FAULTS: u64 = 1000;

const COLUMNS: &str = "id, sha256, name, added_utc, bytes, bytes_done, rows_done, rows_aside, format, ended_utc";

/// Writes a file's text in UTF-8 while its bytes arrive.
pub struct Arriving {
    part: PathBuf,
    out: File,
    decoder: Option<encoding_rs::Decoder>,
    first: Vec<u8>,
    sum: sha2::Sha256,
    bytes: u64,
    /// The last character was a carriage return.
    after_return: bool,
}

/// Bytes that tell the encoding.
const TELLING: usize = 64 * 1024;

impl Arriving {
    /// Takes the next bytes.
    ///
    /// # Errors
    /// A disk that takes nothing.
    pub fn take(&mut self, bytes: &[u8]) -> std::io::Result<()> {
        use sha2::Digest;
        self.sum.update(bytes);
        if self.decoder.is_none() {
            self.first.extend_from_slice(bytes);
            if self.first.len() < TELLING {
                return Ok(());
            }
            let first = std::mem::take(&mut self.first);
            return self.decode(&first, false);
        }
        self.decode(bytes, false)
    }

    fn decode(&mut self, bytes: &[u8], is_last: bool) -> std::io::Result<()> {
        let decoder = self.decoder.get_or_insert_with(|| decoder(Encoding::of(bytes, !is_last)));
        let mut text = String::with_capacity(decoder.max_utf8_buffer_length(bytes.len()).unwrap_or(bytes.len() * 3 + 16));
        let _ = decoder.decode_to_string(bytes, &mut text, is_last);
        let text = self.with_line_feeds(&text);
        self.bytes += text.len() as u64;
        self.out.write_all(text.as_bytes())
    }

    /// Every end of a line as one line feed, so that lines are counted alike in every file.
    fn with_line_feeds(&mut self, text: &str) -> String {
        let mut plain = String::with_capacity(text.len());
        for c in text.chars() {
            match c {
                '\n' if self.after_return => {}
                '\r' | '\n' => plain.push('\n'),
                other => plain.push(other),
            }
            self.after_return = c == '\r';
        }
        plain
    }

    fn finish(mut self) -> std::io::Result<(PathBuf, String, u64)> {
        use sha2::Digest;
        let first = std::mem::take(&mut self.first);
        self.decode(&first, true)?;
        self.out.sync_all()?;
        let sum: String = self.sum.finalize().iter().map(|byte| format!("{byte:02x}")).collect();
        Ok((self.part, sum, self.bytes))
    }
}

fn decoder(encoding: Encoding) -> encoding_rs::Decoder {
    match encoding {
        Encoding::Utf8 => encoding_rs::UTF_8,
        Encoding::Utf16Le => encoding_rs::UTF_16LE,
        Encoding::Utf16Be => encoding_rs::UTF_16BE,
        Encoding::Windows1252 => encoding_rs::WINDOWS_1252,
    }
    .new_decoder_with_bom_removal()
}

impl Store {
    /// Begins to keep a file whose bytes arrive.
    ///
    /// # Errors
    /// A disk that takes nothing.
    pub fn log_file_arrives(&self) -> Result<Arriving, LogFileError> {
        let folder = self.texts();
        std::fs::create_dir_all(&folder)?;
        let part = folder.join(format!("{}.part", crate::new_uid()));
        let out = File::create(&part)?;
        Ok(Arriving { part, out, decoder: None, first: Vec::new(), sum: sha2::Digest::new(), bytes: 0, after_return: false })
    }

    /// The file has arrived; one that is known by its bytes is that one, and nothing is added.
    pub async fn log_file_arrived(&self, arriving: Arriving, name: &str, now: Timestamp) -> Result<LogFile, LogFileError> {
        let (part, sum, bytes) = arriving.finish()?;
        let known: Option<i64> =
            sqlx::query_scalar("SELECT id FROM log_files WHERE sha256 = ?").bind(&sum).fetch_optional(&self.reader).await?;
        if let Some(id) = known {
            let file = self.log_file(id).await?;
            // One that was begun and whose text was lost can go on with it.
            if file.ended_utc.is_none() && !self.text_of(&sum).exists() {
                std::fs::rename(&part, self.text_of(&sum))?;
            } else {
                std::fs::remove_file(&part)?;
            }
            return Ok(file);
        }
        std::fs::rename(&part, self.text_of(&sum))?;
        let added = sqlx::query("INSERT INTO log_files (sha256, name, added_utc, bytes) VALUES (?, ?, ?, ?)")
            .bind(&sum)
            .bind(name)
            .bind(now.to_string())
            .bind(bytes as i64)
            .execute(self.writer()?)
            .await?;
        self.log_file(added.last_insert_rowid()).await
    }

    pub async fn log_file(&self, id: i64) -> Result<LogFile, LogFileError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM log_files WHERE id = ?"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        Ok(file_from(&row.ok_or(StoreError::NotFound("file"))?)?)
    }

    /// Files that are not all in, the newest first.
    pub async fn open_log_files(&self) -> Result<Vec<LogFile>, StoreError> {
        let sql =
            sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM log_files WHERE ended_utc IS NULL ORDER BY id DESC LIMIT 50"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(file_from).collect()
    }

    /// The rows that were kept aside, by line, and no more than `most`.
    pub async fn log_faults(&self, id: i64, most: i64) -> Result<Vec<LogFault>, StoreError> {
        let sql = "SELECT line, place, name, cell, why FROM log_file_faults WHERE file_id = ? ORDER BY line LIMIT ?";
        let rows: Vec<(i64, i64, String, String, String)> =
            sqlx::query_as(sql).bind(id).bind(most).fetch_all(&self.reader).await?;
        let fault = |(line, place, name, cell, why): (i64, i64, String, String, String)| LogFault {
            line: line as u64,
            fault: RowFault { column: place as usize, name, cell, why },
        };
        Ok(rows.into_iter().map(fault).collect())
    }

    /// The first and the last of a file's text, each some thousand characters long; the last from the beginning of a line.
    ///
    /// # Errors
    /// [`LogFileError::TextGone`].
    pub fn log_text_ends(&self, file: &LogFile) -> Result<(String, String), LogFileError> {
        const END: u64 = 16 * 1024;
        let mut text = File::open(self.text_of(&file.sha256)).map_err(|_| LogFileError::TextGone)?;
        let mut head = Vec::new();
        Read::by_ref(&mut text).take(END).read_to_end(&mut head)?;
        let mut tail = Vec::new();
        if file.bytes > END {
            text.seek(SeekFrom::Start(file.bytes - END))?;
            text.read_to_end(&mut tail)?;
        }
        let tail = String::from_utf8_lossy(&tail).into_owned();
        let tail = tail.split_once('\n').map(|(_, rest)| rest.to_owned()).unwrap_or_default();
        let mut head = String::from_utf8_lossy(&head).into_owned();
        if file.bytes > END {
            head.truncate(head.rfind('\n').map_or(0, |end| end + 1));
        }
        Ok((head, tail))
    }

    /// How files of this look were read before.
    pub async fn remembered_format(&self, look: &str) -> Result<Option<Format>, StoreError> {
        let text: Option<String> =
            sqlx::query_scalar("SELECT format FROM log_formats WHERE look = ?").bind(look).fetch_optional(&self.reader).await?;
        Ok(text.and_then(|text| serde_json::from_str(&text).ok()))
    }

    /// Confirms how a file is read, for it and for those that look like it.
    ///
    /// # Errors
    /// A format that cannot read anything; one for a file of which rows are in already.
    pub async fn confirm_format(&self, id: i64, format: &Format) -> Result<(), LogFileError> {
        format.check()?;
        let text = serde_json::to_string(format).map_err(|error| StoreError::Corrupt(error.to_string()))?;
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE log_files SET format = ? WHERE id = ? AND rows_done = 0 AND rows_aside = 0")
            .bind(&text)
            .bind(id)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("INSERT INTO log_formats (look, format) VALUES (?1, ?2) ON CONFLICT (look) DO UPDATE SET format = ?2")
            .bind(format.look())
            .bind(&text)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Brings in a file from where it stands, until its end or until it is to stop. Goes on a thread that may wait.
    pub async fn bring_in_log(&self, id: i64, progress: &LogProgress) -> Result<LogFile, LogFileError> {
        let file = self.log_file(id).await?;
        let Some(format) = file.format.clone().filter(|_| file.ended_utc.is_none()) else { return Ok(file) };
        let mut text = File::open(self.text_of(&file.sha256)).map_err(|_| LogFileError::TextGone)?;
        text.seek(SeekFrom::Start(file.bytes_done))?;
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(format.delimiter.byte())
            .has_headers(false)
            .flexible(true)
            .from_reader(BufReader::with_capacity(1 << 18, text));
        let mut part = Part::of(self, &file, &format).await?;
        let mut record = csv::StringRecord::new();
        let mut line = part.lines_done;
        loop {
            let is_more = reader.read_record(&mut record);
            let at = reader.position();
            let done = file.bytes_done + at.byte();
            match is_more {
                Ok(false) => {
                    part.write(done, line).await?;
                    break;
                }
                Ok(true) => {
                    let of_row = part.first_line + record.position().map_or(0, csv::Position::line);
                    line = part.first_line + at.line() - 1;
                    part.row(of_row, &record);
                }
                // The text is UTF-8 and rows may differ in length; what is left is the disk.
                Err(error) => return Err(LogFileError::Disk(std::io::Error::other(error))),
            }
            if part.rows >= PART_ROWS {
                part.write(done, line).await?;
                progress.bytes_done.store(done, Ordering::Relaxed);
                progress.rows_done.store(part.rows_done, Ordering::Relaxed);
                if progress.is_stopped.load(Ordering::Relaxed) {
                    return self.log_file(id).await;
                }
            }
        }
        self.end_log_file(&file).await?;
        self.log_file(id).await
    }

    async fn end_log_file(&self, file: &LogFile) -> Result<(), LogFileError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE log_files SET ended_utc = ? WHERE id = ?")
            .bind(Timestamp::now().to_string())
            .bind(file.id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        // Its samples are in the bench; a text that stays costs room, no more.
        let _ = std::fs::remove_file(self.text_of(&file.sha256));
        Ok(())
    }

    /// Takes a file out again with all that came with it.
    pub async fn remove_log_file(&self, id: i64) -> Result<(), LogFileError> {
        let file = self.log_file(id).await?;
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("DELETE FROM logs WHERE file_id = ?").bind(id).execute(&mut *transaction).await?;
        sqlx::query("DELETE FROM log_files WHERE id = ?").bind(id).execute(&mut *transaction).await?;
        transaction.commit().await?;
        let _ = std::fs::remove_file(self.text_of(&file.sha256));
        Ok(())
    }

    fn texts(&self) -> PathBuf {
        let mut folder = self.place.path().as_os_str().to_owned();
        folder.push(".files");
        PathBuf::from(folder)
    }

    fn text_of(&self, sha256: &str) -> PathBuf {
        self.texts().join(Path::new(sha256).with_extension("txt"))
    }
}

/// Rows that wait to be written in one step.
struct Part<'a> {
    store: &'a Store,
    file_id: i64,
    name: String,
    reading: Rows,
    header_lines: u64,
    /// Lines before the place where this reading began, and those done.
    first_line: u64,
    lines_done: u64,
    rows: usize,
    rows_done: u64,
    rows_aside: u64,
    samples: Vec<RowSample>,
    faults: Vec<LogFault>,
    /// By device: its log, and the number of its next chunk.
    logs: HashMap<usize, i64>,
    next_chunk: i64,
}

impl<'a> Part<'a> {
    async fn of(store: &'a Store, file: &LogFile, format: &Format) -> Result<Part<'a>, LogFileError> {
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
            first_line: lines_done,
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

    fn row(&mut self, line: u64, record: &csv::StringRecord) {
        if line <= self.header_lines || record.iter().all(|cell| cell.trim().is_empty()) {
            return;
        }
        self.rows += 1;
        match self.reading.read(|column| record.get(column), &mut self.samples) {
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
    async fn write(&mut self, bytes_done: u64, lines_done: u64) -> Result<(), LogFileError> {
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
                    "UPDATE logs SET samples = samples + ?1, started_utc = min(started_utc, ?2), ended_utc = max(ended_utc, ?3) WHERE id = ?4",
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
async fn add_minutes(
    connection: &mut SqliteConnection,
    log_id: i64,
    quantity: Quantity,
    samples: &[(i64, f64)],
) -> Result<(), StoreError> {
    let mut minutes: std::collections::BTreeMap<i64, (f64, f64, f64, i64)> = std::collections::BTreeMap::new();
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

fn file_from(row: &SqliteRow) -> Result<LogFile, StoreError> {
    let time = |text: String| text.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{text}\" of a file")));
    let format: Option<String> = row.try_get("format")?;
    let format = format.map(|text| serde_json::from_str(&text)).transpose();
    Ok(LogFile {
        id: row.try_get("id")?,
        sha256: row.try_get("sha256")?,
        name: row.try_get("name")?,
        added_utc: time(row.try_get("added_utc")?)?,
        bytes: row.try_get::<i64, _>("bytes")? as u64,
        bytes_done: row.try_get::<i64, _>("bytes_done")? as u64,
        rows_done: row.try_get::<i64, _>("rows_done")? as u64,
        rows_aside: row.try_get::<i64, _>("rows_aside")? as u64,
        format: format.map_err(|error| StoreError::Corrupt(format!("the format of a file: {error}")))?,
        ended_utc: row.try_get::<Option<String>, _>("ended_utc")?.map(time).transpose()?,
    })
}
