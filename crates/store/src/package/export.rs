//! A bench to a package, row by row: memory stays flat however large the bench.

use super::cells;
use super::describe::{self, Resource};
use super::error::PackageError;
use super::tables::{AT_HOME, Chosen, ColumnInfo, TABLES, Table, columns};
use crate::connections::Store;
use crate::files::beside;
use crate::migrations::newest;
use crate::samples::chunk_samples;
use futures_util::TryStreamExt;
use jiff::Timestamp;
use sqlx::sqlite::{SqliteConnectOptions, SqlitePoolOptions};
use sqlx::{AssertSqlSafe, Row, SqlitePool};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::Duration;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// What went out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Exported {
    pub tests: u64,
    pub readings: u64,
    pub logs: u64,
}

/// Samples of a log in one part of its file.
const SAMPLES_AT_ONCE: i64 = 20_000;

impl Store {
    /// Writes the bench as a package to a file that is not there yet. Blocks on the disk: goes on a thread that may wait.
    ///
    /// # Errors
    /// A sentence; no file of that name is left behind.
    pub async fn export_package(&self, to: &Path, of: &Chosen, created: Timestamp) -> Result<Exported, PackageError> {
        if to.exists() {
            return Err(PackageError::Exists(to.to_owned()));
        }
        let part = beside(to, ".part");
        let written = write(&self.reader, &part, of, created).await;
        let disk = |error: std::io::Error| PackageError::Disk { path: to.to_owned(), why: error.to_string() };
        match written.and_then(|exported| std::fs::rename(&part, to).map(|()| exported).map_err(disk)) {
            Ok(exported) => Ok(exported),
            Err(error) => {
                // The reason counts; a part left over is written over by the next one.
                let _ = std::fs::remove_file(&part);
                Err(error)
            }
        }
    }
}

/// The same of a bench file that this process has not open, whether a server has or not. Nothing is written to it.
///
/// # Errors
/// As [`Store::export_package`]; and where `from` is no bench of this version.
pub async fn export_file(from: &Path, to: &Path, of: &Chosen, created: Timestamp) -> Result<Exported, PackageError> {
    let unread = |why: &dyn std::fmt::Display| PackageError::Disk { path: from.to_owned(), why: why.to_string() };
    let options = SqliteConnectOptions::new().filename(from).create_if_missing(false).busy_timeout(Duration::from_secs(5));
    let pool = SqlitePoolOptions::new().max_connections(2).connect_with(options).await.map_err(|error| unread(&error))?;
    let version = sqlx::query_scalar::<_, Option<i64>>("SELECT max(version) FROM _sqlx_migrations").fetch_one(&pool).await;
    let exported = match version {
        Ok(Some(version)) if version == newest() => {
            let store = Store::only_read(&pool, from).map_err(|error| unread(&error))?;
            store.export_package(to, of, created).await
        }
        Ok(_) => Err(unread(&"it is of an older version: start this program with it once, which brings it up to date")),
        Err(error) => Err(unread(&error)),
    };
    pool.close().await;
    exported
}

struct Package {
    zip: ZipWriter<BufWriter<File>>,
    resources: Vec<Resource>,
}

impl Package {
    fn begin(&mut self, path: String, about: serde_json::Value, is_packed: bool) -> Result<(), std::io::Error> {
        // Pictures are packed already.
        let method = if is_packed { CompressionMethod::Stored } else { CompressionMethod::Deflated };
        let options = SimpleFileOptions::default().compression_method(method).compression_level(Some(4).filter(|_| !is_packed));
        self.zip.start_file(&path, options.large_file(true))?;
        // A table is called what it is in the bench; the others by their folder too.
        let name = path.rsplit_once('.').map_or(path.as_str(), |(name, _)| name);
        let name = name.strip_prefix("tables/").map_or_else(|| name.replace('/', "-"), str::to_owned);
        self.resources.push(Resource { name, path, about });
        Ok(())
    }
}

async fn write(reader: &SqlitePool, part: &Path, of: &Chosen, created: Timestamp) -> Result<Exported, PackageError> {
    let disk = |error: std::io::Error| PackageError::Disk { path: part.to_owned(), why: error.to_string() };
    let file = File::create(part).map_err(disk)?;
    let mut package = Package { zip: ZipWriter::new(BufWriter::new(file)), resources: Vec::new() };
    let mut exported = Exported::default();
    // One state of all tables.
    let mut snapshot = reader.begin().await?;
    let sql = "SELECT name, sql FROM sqlite_master WHERE type = 'table'";
    let made: Vec<(String, String)> = sqlx::query_as(sql).fetch_all(&mut *snapshot).await?;
    debug_assert!(AT_HOME.iter().all(|(name, _)| made.iter().any(|(there, _)| there == name)));
    for table in TABLES {
        let columns = columns(&mut snapshot, table).await?;
        let sql = made.iter().find(|(name, _)| name == table.name).map(|(_, sql)| sql.as_str()).unwrap_or_default();
        package.begin(format!("tables/{}.csv", table.name), describe::table(table, &columns, sql), false).map_err(disk)?;
        let rows = write_table(&mut snapshot, &mut package.zip, (table, of), &columns).await?.map_err(disk)?;
        match table.name {
            "tests" => exported.tests = rows,
            "readings" => exported.readings = rows,
            "logs" => exported.logs = rows,
            _ => {}
        }
    }
    write_files(&mut snapshot, &mut package, of).await?.map_err(disk)?;
    write_logs(&mut snapshot, &mut package, of).await?.map_err(disk)?;
    let described = describe::package(&package.resources, created).to_string();
    package.zip.start_file("datapackage.json", SimpleFileOptions::default()).map_err(|error| disk(error.into()))?;
    package.zip.write_all(described.as_bytes()).map_err(disk)?;
    let whole = package.zip.finish().map_err(|error| disk(error.into()))?;
    whole.into_inner().map_err(|error| disk(error.into_error()))?.sync_all().map_err(disk)?;
    Ok(exported)
}

/// What the disk says within what the bench says.
type Written<T> = Result<Result<T, std::io::Error>, sqlx::Error>;

async fn write_table(
    snapshot: &mut sqlx::SqliteConnection,
    to: &mut impl Write,
    (table, of): (&Table, &Chosen),
    columns: &[ColumnInfo],
) -> Written<u64> {
    let names: Vec<&str> = columns.iter().map(|column| column.name.as_str()).collect();
    let key: Vec<&str> = columns.iter().filter(|column| column.is_key).map(|column| column.name.as_str()).collect();
    // Names of tables and columns are those of the schema.
    let sql = format!(
        "SELECT {} FROM \"{}\" WHERE {} ORDER BY {}",
        names.join(", "),
        table.name,
        table.condition(of),
        if key.is_empty() { "rowid".to_owned() } else { key.join(", ") }
    );
    let mut csv = csv::Writer::from_writer(to);
    if let Err(error) = csv.write_record(&names) {
        return Ok(Err(error.into()));
    }
    let mut rows = sqlx::query(AssertSqlSafe(sql)).fetch(snapshot);
    let mut count = 0;
    while let Some(row) = rows.try_next().await? {
        let cells = columns.iter().map(|column| cells::read(&row, column)).collect::<Result<Vec<String>, _>>()?;
        if let Err(error) = csv.write_record(&cells) {
            return Ok(Err(error.into()));
        }
        count += 1;
    }
    Ok(csv.flush().map(|()| count))
}

/// Photos and weather files as they are.
async fn write_files(snapshot: &mut sqlx::SqliteConnection, package: &mut Package, of: &Chosen) -> Written<()> {
    let condition = |name: &str| Table::of(name).map(|table| table.condition(of)).unwrap_or_default();
    let photos = condition("photos");
    let sql = format!("SELECT id, uid, media_type FROM photos WHERE {photos} ORDER BY id");
    let photos: Vec<(i64, String, String)> = sqlx::query_as(AssertSqlSafe(sql)).fetch_all(&mut *snapshot).await?;
    for (id, uid, media_type) in photos {
        let (bytes, small): (Vec<u8>, Option<Vec<u8>>) =
            sqlx::query_as("SELECT bytes, thumbnail FROM photos WHERE id = ?").bind(id).fetch_one(&mut *snapshot).await?;
        let end = if media_type == "image/png" { "png" } else { "jpg" };
        let files = [(format!("photos/{uid}.{end}"), Some(bytes)), (format!("photos/{uid}-small.{end}"), small)];
        for (path, bytes) in files {
            let Some(bytes) = bytes else { continue };
            let done = package.begin(path, describe::file(&media_type), true).and_then(|()| package.zip.write_all(&bytes));
            if done.is_err() {
                return Ok(done);
            }
        }
    }
    let weather: Vec<(i64, String)> = {
        let sql = format!("SELECT id, sum FROM weather WHERE {} ORDER BY id", condition("weather"));
        sqlx::query_as(AssertSqlSafe(sql)).fetch_all(&mut *snapshot).await?
    };
    for (id, sum) in weather {
        let file: String = sqlx::query_scalar("SELECT file FROM weather WHERE id = ?").bind(id).fetch_one(&mut *snapshot).await?;
        let path = format!("weather/{sum}.epw");
        let done = package.begin(path, describe::file("text/plain"), false).and_then(|()| package.zip.write_all(file.as_bytes()));
        if done.is_err() {
            return Ok(done);
        }
    }
    Ok(Ok(()))
}

async fn write_logs(snapshot: &mut sqlx::SqliteConnection, package: &mut Package, of: &Chosen) -> Written<()> {
    let condition = Table::of("logs").map(|table| table.condition(of)).unwrap_or_default();
    let sql = format!("SELECT id, uid FROM logs WHERE {condition} ORDER BY id");
    let logs: Vec<(i64, String)> = sqlx::query_as(AssertSqlSafe(sql)).fetch_all(&mut *snapshot).await?;
    for (id, uid) in logs {
        let begun = package.begin(format!("logs/{uid}.csv"), describe::log(), false);
        let begun = begun.and_then(|()| package.zip.write_all(b"quantity,chunk,at_ms,value\n"));
        if begun.is_err() {
            return Ok(begun);
        }
        let written = write_samples(snapshot, &mut package.zip, id).await?;
        if written.is_err() {
            return Ok(written);
        }
    }
    Ok(Ok(()))
}

async fn write_samples(snapshot: &mut sqlx::SqliteConnection, to: &mut impl Write, log_id: i64) -> Written<()> {
    let sql = "SELECT quantity, nth FROM log_chunks WHERE log_id = ? ORDER BY quantity, nth";
    let chunks: Vec<(String, i64)> = sqlx::query_as(sql).bind(log_id).fetch_all(&mut *snapshot).await?;
    let mut text = String::new();
    for (quantity, nth) in chunks {
        let sql = "SELECT samples FROM log_chunks WHERE log_id = ? AND quantity = ? AND nth = ?";
        let bytes: Vec<u8> = sqlx::query_scalar(sql).bind(log_id).bind(&quantity).bind(nth).fetch_one(&mut *snapshot).await?;
        text.clear();
        for (at_ms, value) in chunk_samples(&bytes) {
            line(&mut text, &quantity, Some(nth), at_ms, value);
        }
        if let Err(error) = to.write_all(text.as_bytes()) {
            return Ok(Err(error));
        }
    }
    let quantities: Vec<String> =
        sqlx::query_scalar("SELECT DISTINCT quantity FROM log_samples WHERE log_id = ? ORDER BY quantity")
            .bind(log_id)
            .fetch_all(&mut *snapshot)
            .await?;
    for quantity in quantities {
        let mut after_ms = i64::MIN;
        loop {
            let sql =
                "SELECT at_ms, value FROM log_samples WHERE log_id = ? AND quantity = ? AND at_ms > ? ORDER BY at_ms LIMIT ?";
            let rows = sqlx::query(sql).bind(log_id).bind(&quantity).bind(after_ms).bind(SAMPLES_AT_ONCE);
            let rows = rows.fetch_all(&mut *snapshot).await?;
            text.clear();
            for row in &rows {
                after_ms = row.try_get("at_ms")?;
                line(&mut text, &quantity, None, after_ms, row.try_get("value")?);
            }
            if let Err(error) = to.write_all(text.as_bytes()) {
                return Ok(Err(error));
            }
            if (rows.len() as i64) < SAMPLES_AT_ONCE {
                break;
            }
        }
    }
    Ok(Ok(()))
}

fn line(text: &mut String, quantity: &str, chunk: Option<i64>, at_ms: i64, value: f64) {
    use std::fmt::Write as _;
    let chunk = chunk.map(|nth| nth.to_string()).unwrap_or_default();
    // A text takes whatever is written to it.
    let _ = writeln!(text, "{quantity},{chunk},{at_ms},{value}");
}
