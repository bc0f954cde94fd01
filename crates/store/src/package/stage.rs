//! A package to a bench of its own beside the one it is for. What is wrong with it shows here, with file, line and column, and nothing of
//! it comes near the bench; the file is removed when it is let go.

use super::cells::{Cell, parse};
use super::error::{PackageError, Spot, VERSION};
use super::tables::{ColumnInfo, TABLES, Table, columns};
use crate::backup::rows_are_whole;
use crate::connections::Store;
use crate::error::StoreError;
use crate::log_part::add_minutes;
use crate::open::migrate;
use crate::samples::insert_chunk;
use flindo_core::measure::quantity::Quantity;
use jiff::tz::TimeZone;
use serde_json::Value;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePool, SqlitePoolOptions, SqliteSynchronous};
use sqlx::{AssertSqlSafe, SqliteConnection};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use zip::ZipArchive;

/// Members of a package: a table each, logs and photos.
const MOST_MEMBERS: usize = 200_000;

/// A photo or a weather file.
const MOST_FILE_BYTES: u64 = 64 * 1024 * 1024;

/// A line of a table: a plan with its levels is a few thousand characters.
const MOST_LINE_BYTES: u64 = 4 * 1024 * 1024;

/// Text unpacks to no more than so many times its size; samples of a log to about ten times.
const MOST_UNPACKED: u64 = 200;

pub(super) struct Staged {
    path: PathBuf,
    pub pool: SqlitePool,
}

impl Staged {
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Closes and removes it.
    pub async fn end(self) {
        self.pool.close().await;
        // Beside the bench and without a meaning of its own: one left over by a failing disk costs room, no more.
        let _ = std::fs::remove_file(&self.path);
    }
}

/// Reads a package into a bench at `at`, which is not there yet.
pub(super) async fn stage(package: &Path, at: &Path) -> Result<Staged, PackageError> {
    let options = SqliteConnectOptions::new()
        .filename(at)
        .create_if_missing(true)
        .foreign_keys(false)
        .journal_mode(SqliteJournalMode::Off)
        .synchronous(SqliteSynchronous::Off);
    let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await?;
    let staged = Staged { path: at.to_owned(), pool };
    match fill(package, &staged).await {
        Ok(()) => Ok(staged),
        Err(error) => {
            staged.end().await;
            Err(error)
        }
    }
}

async fn fill(package: &Path, staged: &Staged) -> Result<(), PackageError> {
    let disk = |error: std::io::Error| PackageError::Disk { path: package.to_owned(), why: error.to_string() };
    migrate(&staged.pool).await.map_err(|error| PackageError::Store(StoreError::Corrupt(error.to_string())))?;
    let file = File::open(package).map_err(disk)?;
    let packed = file.metadata().map_err(disk)?.len();
    let archive = ZipArchive::new(BufReader::new(file))
        .map_err(|error| PackageError::wrong("", format!("is no zip archive, or is cut: {error}")))?;
    let mut reading = Reading { archive, left: packed * MOST_UNPACKED + MOST_FILE_BYTES };
    reading.members()?;
    reading.described()?;
    let mut connection = staged.pool.acquire().await?;
    sqlx::query("BEGIN").execute(&mut *connection).await?;
    for table in TABLES {
        let columns = columns(&mut connection, table).await?;
        reading.table(&mut connection, table, &columns).await?;
    }
    reading.files(&mut connection).await?;
    reading.logs(&mut connection).await?;
    sqlx::query("COMMIT").execute(&mut *connection).await?;
    refer_to_what_is_there(&mut connection).await?;
    drop(connection);
    records_are_whole(staged).await?;
    rows_are_whole(&staged.pool, &staged.path).await.map_err(|error| of_table("", error))
}

/// What is wrong with a record of a table.
fn of_table(table: &str, error: StoreError) -> PackageError {
    let StoreError::Corrupt(why) = error else { return error.into() };
    let file = if table.is_empty() { String::new() } else { format!("tables/{table}.csv") };
    PackageError::wrong(&file, why)
}

/// Every record is one that this program can show: a single one that is not would be missed on every page that lists it.
async fn records_are_whole(staged: &Staged) -> Result<(), PackageError> {
    let store = Store::only_read(&staged.pool, &staged.path).map_err(|error| PackageError::wrong("", error.to_string()))?;
    let of = |table: &'static str| move |error: StoreError| of_table(table, error);
    let ids = async |table: &str| -> Result<Vec<i64>, sqlx::Error> {
        sqlx::query_scalar(AssertSqlSafe(format!("SELECT id FROM {table}"))).fetch_all(&staged.pool).await
    };
    for id in ids("places").await? {
        let place = store.place(id).await.map_err(of("places"))?;
        let zone = &place.draft.time_zone;
        if TimeZone::get(zone).is_err() {
            let why = format!("\u{201c}{zone}\u{201d} of the place {} is not a time zone known here", place.draft.name);
            return Err(PackageError::wrong("tables/places.csv", why));
        }
    }
    store.read_kinds().await.map_err(of("panel_kinds"))?;
    for id in ids("panels").await? {
        store.panel(id).await.map_err(of("panels"))?;
        store.panel_events(id).await.map_err(of("panel_events"))?;
    }
    for id in ids("gear").await? {
        store.gear_piece(id).await.map_err(of("gear"))?;
    }
    store.read_rigs().await.map_err(of("rigs"))?;
    for id in ids("reviews").await? {
        store.review(id).await.map_err(of("reviews"))?;
    }
    store.calculations(None).await.map_err(of("calculations"))?;
    for id in ids("logs").await? {
        store.log(id).await.map_err(of("logs"))?;
    }
    let loop_of: Option<String> = sqlx::query_scalar(
        "SELECT a.uid FROM readings a JOIN readings b ON b.id = a.replaces_id WHERE b.id >= a.id OR b.test_id <> a.test_id LIMIT 1",
    )
    .fetch_optional(&staged.pool)
    .await?;
    match loop_of {
        None => Ok(()),
        Some(uid) => {
            let why = format!("the reading {uid} replaces one that is not before it in its test");
            Err(PackageError::wrong("tables/readings.csv", why))
        }
    }
}

/// Every reference of a row is to a row of the package.
async fn refer_to_what_is_there(connection: &mut SqliteConnection) -> Result<(), PackageError> {
    let loose: Vec<(String, Option<i64>, String)> =
        sqlx::query_as("SELECT \"table\", rowid, parent FROM pragma_foreign_key_check LIMIT 1")
            .fetch_all(&mut *connection)
            .await?;
    match loose.first() {
        None => Ok(()),
        Some((table, row, parent)) => {
            let row = row.map(|row| format!("row {row} ")).unwrap_or_default();
            Err(PackageError::wrong(
                &format!("tables/{table}.csv"),
                format!("{row}refers to a row of {parent} that is not there"),
            ))
        }
    }
}

struct Reading {
    archive: ZipArchive<BufReader<File>>,
    /// Bytes that may still be unpacked.
    left: u64,
}

impl Reading {
    fn names(&self) -> Result<Vec<String>, PackageError> {
        let name = |name: Result<std::borrow::Cow<'_, str>, zip::result::ZipError>| match name {
            Ok(name) => Ok(name.into_owned()),
            Err(error) => Err(PackageError::wrong("", format!("has a member whose name cannot be read: {error}"))),
        };
        self.archive.file_names().map(name).collect()
    }

    /// Members by their names: none goes to the disk by the name it has.
    fn members(&mut self) -> Result<(), PackageError> {
        if self.archive.len() > MOST_MEMBERS {
            let why = format!("has {} members, of which {MOST_MEMBERS} are read", self.archive.len());
            return Err(PackageError::wrong("", why));
        }
        let is_ours = |name: &str| match name.split_once('/') {
            None => name == "datapackage.json",
            Some(("tables", file)) => file.strip_suffix(".csv").is_some_and(|name| Table::of(name).is_some()),
            Some(("logs" | "photos" | "weather", file)) => {
                file.len() < 120
                    && file.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '.'))
                    && !file.starts_with('.')
            }
            Some(_) => false,
        };
        match self.names()?.iter().find(|name| !is_ours(name)) {
            None => Ok(()),
            Some(name) => {
                let shown: String = name.chars().take(80).collect();
                Err(PackageError::wrong("", format!("has a member \u{201c}{shown}\u{201d} that is not of a bench")))
            }
        }
    }

    fn described(&mut self) -> Result<(), PackageError> {
        const FILE: &str = "datapackage.json";
        let text = self.bytes(FILE)?.ok_or_else(|| PackageError::wrong("", "has no datapackage.json: it is not of a bench"))?;
        let about: Value =
            serde_json::from_slice(&text).map_err(|error| PackageError::wrong(FILE, format!("is not JSON: {error}")))?;
        match about.pointer("/flindo/package").and_then(Value::as_u64) {
            Some(VERSION) => Ok(()),
            Some(other) => Err(PackageError::wrong(
                FILE,
                format!("is of version {other}, and this program reads {VERSION}: use a newer one"),
            )),
            None => Err(PackageError::wrong(FILE, "does not say that it is of a bench (flindo.package)")),
        }
    }

    /// A member as it is; `None` where there is none.
    fn bytes(&mut self, name: &str) -> Result<Option<Vec<u8>>, PackageError> {
        let Some(place) = self.archive.index_for_name(name) else { return Ok(None) };
        let member =
            self.archive.by_index(place).map_err(|error| PackageError::wrong(name, format!("cannot be read: {error}")))?;
        let most = MOST_FILE_BYTES.min(self.left);
        let mut bytes = Vec::new();
        let read = member.take(most + 1).read_to_end(&mut bytes);
        read.map_err(|error| PackageError::wrong(name, format!("cannot be unpacked: {error}")))?;
        if bytes.len() as u64 > most {
            return Err(PackageError::wrong(name, format!("unpacks to more than {most} bytes")));
        }
        self.left -= bytes.len() as u64;
        Ok(Some(bytes))
    }

    async fn table(
        &mut self,
        connection: &mut SqliteConnection,
        table: &Table,
        columns: &[ColumnInfo],
    ) -> Result<(), PackageError> {
        let file = format!("tables/{}.csv", table.name);
        let Some(place) = self.archive.index_for_name(&file) else {
            return if table.is_later { Ok(()) } else { Err(PackageError::wrong(&file, "is missing")) };
        };
        let member =
            self.archive.by_index(place).map_err(|error| PackageError::wrong(&file, format!("cannot be read: {error}")))?;
        let mut reader = csv::ReaderBuilder::new().from_reader(Bounded { of: member, left: &mut self.left, in_line: 0 });
        let unread = |error: csv::Error| {
            let line = error.position().map(csv::Position::line);
            PackageError::Wrong { spot: Spot { file: file.clone(), line, column: None }, why: plain(&error) }
        };
        let header = reader.headers().map_err(unread)?.clone();
        let places: Vec<Option<usize>> = columns
            .iter()
            .map(|column| match header.iter().position(|name| name == column.name) {
                None if !table.later.contains(&column.name.as_str()) => Err(PackageError::Wrong {
                    spot: Spot { file: file.clone(), line: Some(1), column: Some(column.name.clone()) },
                    why: "is missing".to_owned(),
                }),
                place => Ok(place),
            })
            .collect::<Result<_, _>>()?;
        if let Some(other) = header.iter().find(|name| columns.iter().all(|column| column.name != **name)) {
            return Err(PackageError::Wrong {
                spot: Spot { file, line: Some(1), column: Some(other.chars().take(60).collect()) },
                why: "is not a column of this table".to_owned(),
            });
        }
        let sql = insertion(table, columns);
        let mut record = csv::StringRecord::new();
        while reader.read_record(&mut record).map_err(unread)? {
            let line = record.position().map(csv::Position::line);
            let spot = |column: Option<&str>| Spot { file: file.clone(), line, column: column.map(str::to_owned) };
            let mut query = sqlx::query(AssertSqlSafe(sql.as_str()));
            for (column, place) in columns.iter().zip(&places) {
                let text = place.and_then(|place| record.get(place)).unwrap_or_default();
                let wrong = |why: String| PackageError::Wrong { spot: spot(Some(&column.name)), why };
                let cell = parse(text, column).map_err(wrong)?;
                if column.name == "uid" && !is_identity(text) {
                    return Err(wrong("is no identity: 1 to 64 letters, digits and hyphens".to_owned()));
                }
                query = match cell {
                    Cell::Nothing => query.bind(None::<String>),
                    Cell::Whole(value) => query.bind(value),
                    Cell::Real(value) => query.bind(value),
                    Cell::Text(value) => query.bind(value),
                };
            }
            // What the tables do not allow: a choice that is none, one identity twice.
            let refused = |error: sqlx::Error| {
                let sqlx::Error::Database(error) = error else { return error.into() };
                PackageError::Wrong { spot: spot(None), why: format!("is refused: {error}") }
            };
            query.execute(&mut *connection).await.map_err(refused)?;
        }
        Ok(())
    }

    /// Photos and weather files to their rows.
    async fn files(&mut self, connection: &mut SqliteConnection) -> Result<(), PackageError> {
        let photos: Vec<(i64, String, String)> =
            sqlx::query_as("SELECT id, uid, media_type FROM photos ORDER BY id").fetch_all(&mut *connection).await?;
        for (id, uid, media_type) in photos {
            let end = if media_type == "image/png" { "png" } else { "jpg" };
            let path = format!("photos/{uid}.{end}");
            let bytes = self.bytes(&path)?.ok_or_else(|| PackageError::wrong(&path, "is missing"))?;
            let small = self.bytes(&format!("photos/{uid}-small.{end}"))?;
            if !std::iter::once(&bytes).chain(&small).all(|bytes| is_picture(bytes, &media_type)) {
                return Err(PackageError::wrong(&path, format!("is no {media_type}")));
            }
            let sql = "UPDATE photos SET bytes = ?, thumbnail = ? WHERE id = ?";
            sqlx::query(sql).bind(bytes).bind(small).bind(id).execute(&mut *connection).await?;
        }
        let weather: Vec<(i64, String)> = sqlx::query_as("SELECT id, sum FROM weather").fetch_all(&mut *connection).await?;
        for (id, sum) in weather {
            let path = format!("weather/{sum}.epw");
            let bytes = self.bytes(&path)?.ok_or_else(|| PackageError::wrong(&path, "is missing"))?;
            let text = String::from_utf8(bytes).map_err(|_| PackageError::wrong(&path, "is no text in UTF-8"))?;
            sqlx::query("UPDATE weather SET file = ? WHERE id = ?").bind(text).bind(id).execute(&mut *connection).await?;
        }
        Ok(())
    }

    async fn logs(&mut self, connection: &mut SqliteConnection) -> Result<(), PackageError> {
        let logs: Vec<(String, i64)> = sqlx::query_as("SELECT uid, id FROM logs").fetch_all(&mut *connection).await?;
        let ids: HashMap<String, i64> = logs.into_iter().collect();
        let mut files: Vec<String> = self.names()?.into_iter().filter(|name| name.starts_with("logs/")).collect();
        files.sort_unstable();
        for file in &files {
            let uid = file.trim_start_matches("logs/").trim_end_matches(".csv");
            let id = ids.get(uid).ok_or_else(|| PackageError::wrong(file, "is of a log that is not in tables/logs.csv"))?;
            self.samples(connection, file, *id).await?;
        }
        match ids.keys().find(|uid| files.binary_search(&format!("logs/{uid}.csv")).is_err()) {
            None => Ok(()),
            Some(uid) => Err(PackageError::wrong(&format!("logs/{uid}.csv"), "is missing")),
        }
    }

    async fn samples(&mut self, connection: &mut SqliteConnection, file: &str, log_id: i64) -> Result<(), PackageError> {
        let place = self.archive.index_for_name(file).ok_or_else(|| PackageError::wrong(file, "is missing"))?;
        let member =
            self.archive.by_index(place).map_err(|error| PackageError::wrong(file, format!("cannot be read: {error}")))?;
        let mut lines = BufReader::with_capacity(1 << 16, Bounded { of: member, left: &mut self.left, in_line: 0 });
        let (mut text, mut line) = (String::new(), 0_u64);
        let mut part: Option<(Quantity, Option<i64>)> = None;
        let mut samples: Vec<(i64, f64)> = Vec::new();
        loop {
            text.clear();
            let read = lines.read_line(&mut text).map_err(|error| wrong_line(file, line + 1, error.to_string()))?;
            line += 1;
            if read == 0 {
                break;
            }
            let row = text.trim_end_matches(['\n', '\r']);
            if line == 1 {
                if row != "quantity,chunk,at_ms,value" {
                    return Err(wrong_line(file, 1, "is not \u{201c}quantity,chunk,at_ms,value\u{201d}".to_owned()));
                }
                continue;
            }
            let (of, sample) = sample(row).map_err(|why| wrong_line(file, line, why))?;
            if part != Some(of) || samples.len() >= crate::log_part::PART_ROWS && of.1.is_none() {
                write_part(connection, file, log_id, part, &mut samples).await?;
                part = Some(of);
            }
            samples.push(sample);
            if samples.len() > MOST_IN_CHUNK {
                return Err(wrong_line(file, line, format!("is more than the {MOST_IN_CHUNK} samples of one chunk")));
            }
        }
        write_part(connection, file, log_id, part, &mut samples).await
    }
}

/// A chunk is written by some thousand rows at a time.
const MOST_IN_CHUNK: usize = 1_000_000;

fn wrong_line(file: &str, line: u64, why: String) -> PackageError {
    PackageError::Wrong { spot: Spot { file: file.to_owned(), line: Some(line), column: None }, why }
}

type Sample = ((Quantity, Option<i64>), (i64, f64));

fn sample(row: &str) -> Result<Sample, String> {
    let mut cells = row.split(',');
    let mut next = |name: &str| cells.next().ok_or_else(|| format!("has no {name}"));
    let (quantity, chunk, at_ms, value) = (next("quantity")?, next("chunk")?, next("at_ms")?, next("value")?);
    if cells.next().is_some() {
        return Err("has more than four cells".to_owned());
    }
    let no = |cell: &str, what: &str| format!("\u{201c}{}\u{201d} is no {what}", cell.chars().take(40).collect::<String>());
    let quantity = Quantity::from_name(quantity).ok_or_else(|| no(quantity, "quantity"))?;
    let chunk = match chunk {
        "" => None,
        text => Some(text.parse().map_err(|_| no(text, "whole number"))?),
    };
    let at_ms = at_ms.parse().map_err(|_| no(at_ms, "time in ms"))?;
    let value = value.parse().ok().filter(|value: &f64| value.is_finite()).ok_or_else(|| no(value, "number"))?;
    Ok(((quantity, chunk), (at_ms, value)))
}

async fn write_part(
    connection: &mut SqliteConnection,
    file: &str,
    log_id: i64,
    part: Option<(Quantity, Option<i64>)>,
    samples: &mut Vec<(i64, f64)>,
) -> Result<(), PackageError> {
    let Some((quantity, chunk)) = part.filter(|_| !samples.is_empty()) else { return Ok(()) };
    let refused = |error: StoreError| PackageError::wrong(file, format!("has a chunk of {} twice: {error}", quantity.name()));
    match chunk {
        Some(nth) => insert_chunk(connection, (log_id, quantity, nth), samples).await.map_err(refused)?,
        None => {
            for (at_ms, value) in samples.iter() {
                sqlx::query("INSERT OR IGNORE INTO log_samples (log_id, quantity, at_ms, value) VALUES (?, ?, ?, ?)")
                    .bind(log_id)
                    .bind(quantity.name())
                    .bind(at_ms)
                    .bind(value)
                    .execute(&mut *connection)
                    .await?;
            }
        }
    }
    add_minutes(connection, log_id, quantity, samples).await?;
    samples.clear();
    Ok(())
}

fn insertion(table: &Table, columns: &[ColumnInfo]) -> String {
    let mut names: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
    let mut values: Vec<&str> = columns.iter().map(|_| "?").collect();
    // Files come afterwards.
    for (column, _) in table.files.iter().filter(|(column, _)| *column != "thumbnail") {
        names.push((*column).to_owned());
        values.push(if table.name == "photos" { "x''" } else { "''" });
    }
    if table.name == "bench" {
        names.push("is_demo".to_owned());
        values.push("0");
    }
    format!("INSERT INTO \"{}\" ({}) VALUES ({})", table.name, names.join(", "), values.join(", "))
}

/// By the first bytes of the file.
fn is_picture(bytes: &[u8], media_type: &str) -> bool {
    match media_type {
        "image/png" => bytes.starts_with(b"\x89PNG\r\n\x1a\n"),
        _ => bytes.starts_with(b"\xff\xd8\xff"),
    }
}

/// What rows are known by on every bench; photos and logs have their names from it.
fn is_identity(text: &str) -> bool {
    (1..=64).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
}

/// What is wrong with a row of a CSV.
fn plain(error: &csv::Error) -> String {
    if let csv::ErrorKind::UnequalLengths { expected_len, len, .. } = error.kind() {
        format!("has {len} cells where the header has {expected_len}")
    } else if let csv::ErrorKind::Utf8 { .. } = error.kind() {
        "is not text in UTF-8".to_owned()
    } else if let csv::ErrorKind::Io(error) = error.kind() {
        format!("cannot be unpacked: {error}")
    } else {
        error.to_string()
    }
}

/// A member of an archive that unpacks to no more than is left, in lines that are no longer than a line is.
struct Bounded<'a, R> {
    of: R,
    left: &'a mut u64,
    in_line: u64,
}

impl<R: Read> Read for Bounded<'_, R> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let read = self.of.read(into)?;
        let bytes = &into[..read];
        self.in_line = match bytes.iter().rposition(|byte| *byte == b'\n') {
            Some(at) => (read - at - 1) as u64,
            None => self.in_line + read as u64,
        };
        if self.in_line > MOST_LINE_BYTES {
            return Err(std::io::Error::other("a line is longer than any of a bench"));
        }
        *self.left =
            self.left.checked_sub(read as u64).ok_or_else(|| std::io::Error::other("it unpacks to far more than it is"))?;
        Ok(read)
    }
}
