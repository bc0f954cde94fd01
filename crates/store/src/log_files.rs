//! Files of other loggers: kept beside the bench as text, and brought in part by part, so that readings come through meanwhile, a stop
//! loses nothing and memory stays flat however long the file.

use crate::LogFault;
use crate::LogFile;
use crate::LogFileError;
use crate::LogProgress;
use crate::connections::Store;
use crate::error::StoreError;
use crate::log_part::{PART_ROWS, Part};
use crate::log_text::{Arrived, Arriving};
use flindo_core::measure::logger::row::RowFault;
use flindo_core::measure::logger::{Encoding, Format};
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

const COLUMNS: &str = "id, sha256, name, added_utc, bytes, encoding, bytes_done, rows_done, rows_aside, format, ended_utc";

impl Store {
    /// Begins to keep a file whose bytes arrive; without an encoding it is recognised.
    ///
    /// # Errors
    /// A disk that takes nothing.
    pub fn log_file_arrives(&self, encoding: Option<Encoding>) -> Result<Arriving, LogFileError> {
        Ok(Arriving::into(&self.texts(), encoding)?)
    }

    /// The file has arrived; one that is known by its bytes is that one, and nothing is added.
    pub async fn log_file_arrived(&self, arriving: Arriving, name: &str, now: Timestamp) -> Result<LogFile, LogFileError> {
        let Arrived { part, sum, bytes, encoding } = arriving.finish()?;
        let known: Option<i64> =
            sqlx::query_scalar("SELECT id FROM log_files WHERE sha256 = ?").bind(&sum).fetch_optional(&self.reader).await?;
        if let Some(id) = known {
            let file = self.log_file(id).await?;
            // One of which no row is in is read anew, in another encoding perhaps; one that was begun and whose text was lost can go on
            // with it.
            let is_untouched = file.rows_done == 0 && file.rows_aside == 0;
            if file.ended_utc.is_none() && (is_untouched || !self.text_of(&sum).exists()) {
                std::fs::rename(&part, self.text_of(&sum))?;
                sqlx::query("UPDATE log_files SET bytes = ?, encoding = ? WHERE id = ?")
                    .bind(bytes as i64)
                    .bind(encoding.name())
                    .bind(id)
                    .execute(self.writer()?)
                    .await?;
                return self.log_file(id).await;
            }
            std::fs::remove_file(&part)?;
            return Ok(file);
        }
        std::fs::rename(&part, self.text_of(&sum))?;
        // The same file sent twice at once is one.
        let sql = "INSERT OR IGNORE INTO log_files (sha256, name, added_utc, bytes, encoding) VALUES (?, ?, ?, ?, ?)";
        sqlx::query(sql)
            .bind(&sum)
            .bind(name)
            .bind(now.to_string())
            .bind(bytes as i64)
            .bind(encoding.name())
            .execute(self.writer()?)
            .await?;
        let id = sqlx::query_scalar("SELECT id FROM log_files WHERE sha256 = ?").bind(&sum).fetch_one(&self.reader).await?;
        self.log_file(id).await
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
        let mut reader = BufReader::with_capacity(1 << 18, text);
        let mut part = Part::of(self, &file, &format).await?;
        let (mut done, mut line) = (file.bytes_done, part.lines_done);
        let mut of_line = String::new();
        loop {
            of_line.clear();
            let read = reader.read_line(&mut of_line)?;
            if read == 0 {
                part.write(done, line).await?;
                break;
            }
            (done, line) = (done + read as u64, line + 1);
            part.row(line, &of_line);
            if part.rows >= PART_ROWS {
                part.write(done, line).await?;
                progress.bytes_done.store(done, Ordering::Relaxed);
                progress.rows_done.store(part.rows_done, Ordering::Relaxed);
                if progress.is_stopped.load(Ordering::Relaxed) {
                    return self.log_file(id).await;
                }
            }
        }
        if part.rows_done == 0
            && let Some(fault) = self.log_faults(id, 1).await?.pop()
        {
            // Nothing of it is in: it is as before, and can be read otherwise.
            self.begin_log_file_again(id).await?;
            return Err(LogFileError::NoRow(Box::new(fault)));
        }
        self.end_log_file(&file).await?;
        self.log_file(id).await
    }

    async fn begin_log_file_again(&self, id: i64) -> Result<(), LogFileError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("DELETE FROM log_file_faults WHERE file_id = ?").bind(id).execute(&mut *transaction).await?;
        sqlx::query("UPDATE log_files SET bytes_done = 0, rows_aside = 0 WHERE id = ?")
            .bind(id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(())
    }

    async fn end_log_file(&self, file: &LogFile) -> Result<(), LogFileError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE log_files SET ended_utc = ? WHERE id = ?")
            .bind(Timestamp::now().to_string())
            .bind(file.id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        for log in self.logs_of_file(file.id).await? {
            self.seal_minutes(log.id).await?;
        }
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

    pub(crate) fn text_of(&self, sha256: &str) -> PathBuf {
        self.texts().join(Path::new(sha256).with_extension("txt"))
    }
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
        encoding: Encoding::from_name(&row.try_get::<String, _>("encoding")?).unwrap_or_default(),
        bytes_done: row.try_get::<i64, _>("bytes_done")? as u64,
        rows_done: row.try_get::<i64, _>("rows_done")? as u64,
        rows_aside: row.try_get::<i64, _>("rows_aside")? as u64,
        format: format.map_err(|error| StoreError::Corrupt(format!("the format of a file: {error}")))?,
        ended_utc: row.try_get::<Option<String>, _>("ended_utc")?.map(time).transpose()?,
    })
}
