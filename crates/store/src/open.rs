//! Opening a bench file, and saying clearly when it is none.

use crate::bench::{Bench, BenchKind};
use crate::changes::Changes;
use crate::connections::{Place, Store};
use crate::error::OpenError;
use crate::files::beside;
use crate::migrations::{Migrations, newest};
use sqlx::Connection;
use sqlx::migrate::{MigrateError, Migrator};
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePool, SqlitePoolOptions, SqliteSynchronous};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// "FLIN", set by the first migration.
pub(crate) const APPLICATION_ID: i64 = 1_179_404_622;

const READERS: u32 = 4;

/// Rows that a reader may be ahead of whoever takes them: long lists need not wake it for each few.
const ROWS_AHEAD: usize = 1000;

impl Store {
    /// Opens the bench at `path`, and makes it where there is none. `time_zone` is that of a new bench.
    pub async fn open(path: &Path, kind: BenchKind, time_zone: &str) -> Result<Self, OpenError> {
        let is_new = !path.exists();
        if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            std::fs::create_dir_all(folder).map_err(|error| unwritable(folder, &error))?;
        }
        refuse_cut_off(path)?;
        // SQLite opens what it may not write as read-only, and fails late; this fails now.
        std::fs::OpenOptions::new().append(true).create(true).open(path).map_err(|error| unwritable(path, &error))?;
        let opened = Self::open_file(path, kind, time_zone).await;
        if is_new && opened.is_err() {
            // Nothing of ours was in it. What cannot be removed is harmless: an empty file is a new bench.
            let _ = std::fs::remove_file(path);
        }
        opened
    }

    async fn open_file(path: &Path, kind: BenchKind, time_zone: &str) -> Result<Self, OpenError> {
        let broken = |error: sqlx::Error| broken(path, &error);
        let options = SqliteConnectOptions::new()
            .filename(path)
            .foreign_keys(true)
            .journal_mode(SqliteJournalMode::Wal)
            .synchronous(SqliteSynchronous::Full)
            .busy_timeout(Duration::from_secs(5))
            .row_buffer_size(ROWS_AHEAD);
        refuse_foreign_file(path).await?;
        refuse_damage(path).await?;
        let changes = Arc::new(Changes::default());
        // A commit that failed leaves its transaction open: such a connection is dropped and opened anew.
        let writer = lasting()
            .max_connections(1)
            .before_acquire(|connection, _| Box::pin(async move { Ok(!connection.is_in_transaction()) }))
            .after_connect({
                let changes = Arc::clone(&changes);
                move |connection, _| {
                    let changes = Arc::clone(&changes);
                    Box::pin(async move {
                        connection
                            .lock_handle()
                            .await?
                            .set_update_hook(move |change| changes.touched(change.table, change.rowid));
                        Ok(())
                    })
                }
            })
            .after_release({
                let changes = Arc::clone(&changes);
                move |_, _| {
                    changes.written();
                    Box::pin(std::future::ready(Ok(true)))
                }
            })
            .connect_with(options.clone())
            .await
            .map_err(broken)?;
        migrate(&writer).await.map_err(|error| {
            if matches!(error, MigrateError::VersionMissing(_) | MigrateError::VersionTooNew(..)) {
                OpenError::Newer(path.to_owned())
            } else if matches!(error, MigrateError::VersionMismatch(_)) {
                OpenError::OtherTables(path.to_owned())
            } else {
                OpenError::Broken { path: path.to_owned(), why: error.to_string() }
            }
        })?;
        let reader = lasting().max_connections(READERS).min_connections(1).connect_with(options).await.map_err(broken)?;
        refuse_other_tables(path, &reader).await?;
        let place = Place::of(path).map_err(|error| unwritable(path, &error))?;
        let store = Store {
            reader,
            only_writer: writer,
            is_damaged: Arc::default(),
            place: Arc::new(place),
            arrivals: Arc::default(),
            changes,
            register: Arc::default(),
            tests: Arc::default(),
            importing: Arc::default(),
        };
        store.take_out_unfinished().await.map_err(|error| OpenError::Broken { path: path.to_owned(), why: error.to_string() })?;
        store.type_older_plans().await.map_err(|error| OpenError::Broken { path: path.to_owned(), why: error.to_string() })?;
        let bench = store.ensure_bench(&Bench::new(kind, time_zone)).await;
        let bench = bench.map_err(|error| OpenError::Broken { path: path.to_owned(), why: error.to_string() })?;
        if kind == BenchKind::Demo && !bench.is_demo {
            return Err(OpenError::NotTheDemo(path.to_owned()));
        }
        Ok(store)
    }

    /// Removes a demo bench, so that it starts over. Refuses anybody's own bench; does nothing where there is no file.
    pub async fn remove_demo(path: &Path) -> Result<(), OpenError> {
        if !path.exists() {
            return Ok(());
        }
        Self::open(path, BenchKind::Demo, "UTC").await?.close().await;
        for suffix in ["-wal", "-shm", ""] {
            let mut file = path.as_os_str().to_owned();
            file.push(suffix);
            let file = PathBuf::from(file);
            if file.exists() {
                std::fs::remove_file(&file).map_err(|error| unwritable(&file, &error))?;
            }
        }
        Ok(())
    }

    /// Finishes what is under way and closes the file.
    pub async fn close(&self) {
        self.reader.close().await;
        self.only_writer.close().await;
    }
}

/// Connections that stay open: with the last of them SQLite removes the write-ahead log, and a log that is gone stops all writing.
fn lasting() -> SqlitePoolOptions {
    SqlitePoolOptions::new().idle_timeout(None).max_lifetime(None)
}

/// A file without a byte is a new bench, unless its journal has what was in it.
fn refuse_cut_off(path: &Path) -> Result<(), OpenError> {
    let bytes = |path: &Path| std::fs::metadata(path).map_or(0, |about| about.len());
    let is_empty = path.exists() && bytes(path) == 0 || !path.exists();
    let journal = ["-wal", "-journal"].map(|suffix| beside(path, suffix)).into_iter().find(|journal| bytes(journal) > 0);
    match journal {
        Some(journal) if is_empty => Err(OpenError::CutOff { path: path.to_owned(), journal }),
        Some(_) | None => Ok(()),
    }
}

/// Looks all pages through, and whether rows refer to others that are not there. The samples of logs are left to the pages: they are most
/// of a bench, and refer to nothing but their log.
async fn refuse_damage(path: &Path) -> Result<(), OpenError> {
    const UNCHECKED: [&str; 4] = ["log_samples", "log_minutes", "log_minute_sums", "log_chunks"];
    let options = SqliteConnectOptions::new().filename(path).busy_timeout(Duration::from_secs(5));
    let pool = SqlitePoolOptions::new().max_connections(1).connect_lazy_with(options);
    let look = async {
        let pages: String = sqlx::query_scalar("PRAGMA quick_check(1)").fetch_one(&pool).await?;
        let pages = pages.replace('\n', " ");
        let tables: Vec<String> =
            sqlx::query_scalar("SELECT name FROM sqlite_master WHERE type = 'table'").fetch_all(&pool).await?;
        let mut loose = 0;
        for table in tables.iter().filter(|table| !UNCHECKED.contains(&table.as_str())) {
            // Names of tables are no arguments; those of a bench are plain words.
            let sql = format!("PRAGMA foreign_key_check(\"{}\")", table.replace('"', "\"\""));
            loose += sqlx::query(sqlx::AssertSqlSafe(sql)).fetch_all(&pool).await?.len();
        }
        Ok::<_, sqlx::Error>((pages, loose))
    };
    let found = look.await;
    pool.close().await;
    let damaged = |why: String| OpenError::Damaged { path: path.to_owned(), why };
    match found.map_err(|error| broken(path, &error))? {
        (pages, _) if pages != "ok" => Err(damaged(pages)),
        (_, loose) if loose > 0 => Err(damaged(format!("{loose} of its rows refer to others that are not there"))),
        _ => Ok(()),
    }
}

/// What every table, index and trigger of a bench was made with, by name. SQLite's own and the list of migrations are not of the bench.
async fn schema(pool: &SqlitePool) -> Result<BTreeMap<String, String>, sqlx::Error> {
    let sql = "SELECT name, coalesce(sql, '') FROM sqlite_master WHERE name NOT LIKE 'sqlite~_%' ESCAPE '~' AND name NOT LIKE \
        '~_sqlx%' ESCAPE '~'";
    Ok(sqlx::query_as(sql).fetch_all(pool).await?.into_iter().collect())
}

/// Brings the tables of a bench up to date.
pub(crate) async fn migrate(bench: &SqlitePool) -> Result<(), MigrateError> {
    Migrator::new(Migrations { until: newest() }).await?.run(bench).await
}

/// Whether the tables are those that this version makes.
async fn refuse_other_tables(path: &Path, bench: &SqlitePool) -> Result<(), OpenError> {
    let new = SqlitePoolOptions::new().max_connections(1).connect_with(SqliteConnectOptions::new().in_memory(true)).await;
    let new = new.map_err(|error| broken(path, &error))?;
    migrate(&new).await.map_err(|error| OpenError::Broken { path: path.to_owned(), why: error.to_string() })?;
    let wanted = schema(&new).await.map_err(|error| broken(path, &error))?;
    new.close().await;
    let there = schema(bench).await.map_err(|error| broken(path, &error))?;
    match wanted.iter().find(|(name, sql)| there.get(*name) != Some(sql)) {
        Some((name, _)) => {
            Err(OpenError::Damaged { path: path.to_owned(), why: format!("its table or index {name} is not as it was made") })
        }
        None => Ok(()),
    }
}

/// Looks into the file before anything is written to it.
async fn refuse_foreign_file(path: &Path) -> Result<(), OpenError> {
    let options = SqliteConnectOptions::new().filename(path).read_only(false).busy_timeout(Duration::from_secs(5));
    let pool = SqlitePoolOptions::new().max_connections(1).connect_lazy_with(options);
    let look = async {
        let application_id: i64 = sqlx::query_scalar("PRAGMA application_id").fetch_one(&pool).await?;
        let objects: i64 = sqlx::query_scalar("SELECT count(*) FROM sqlite_master").fetch_one(&pool).await?;
        Ok::<_, sqlx::Error>(application_id == APPLICATION_ID || objects == 0)
    };
    let ours = look.await;
    pool.close().await;
    match ours {
        Ok(true) => Ok(()),
        Ok(false) => Err(OpenError::NotABench(path.to_owned())),
        Err(error) => Err(broken(path, &error)),
    }
}

fn broken(path: &Path, error: &sqlx::Error) -> OpenError {
    const NOT_A_DATABASE: &str = "26";
    const CORRUPT: &str = "11";
    match error.as_database_error().and_then(|error| error.code()) {
        Some(code) if code == NOT_A_DATABASE => OpenError::NotABench(path.to_owned()),
        Some(code) if code == CORRUPT => {
            OpenError::Damaged { path: path.to_owned(), why: "a page of it cannot be read".to_owned() }
        }
        _ => OpenError::Broken { path: path.to_owned(), why: error.to_string() },
    }
}

pub(crate) fn unwritable(path: &Path, error: &std::io::Error) -> OpenError {
    OpenError::Unwritable { path: path.to_owned(), why: error.kind().to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// After the usual ten minutes without work all connections would be closed, and the log that the bench knows with them.
    #[tokio::test]
    async fn connections_of_an_open_bench_stay_open() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("a.bench"), BenchKind::Own, "UTC").await.unwrap();
        for pool in [&store.reader, &store.only_writer] {
            assert_eq!((pool.options().get_idle_timeout(), pool.options().get_max_lifetime()), (None, None));
            assert!(pool.size() >= 1);
        }
    }
}
