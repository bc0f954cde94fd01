//! Copies of a bench, made while it runs and looked through after writing; and the lock that keeps two servers off one file.

use crate::connections::Store;
use crate::error::{OpenError, StoreError};
use crate::files::beside;
use crate::migrations::newest;
use crate::open::{APPLICATION_ID, migrate, unwritable};
use sqlx::sqlite::{SqliteConnectOptions, SqlitePool, SqlitePoolOptions, SqliteSynchronous};
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A copy that was looked through: whole, and with all its readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Verified {
    pub readings: i64,
}

/// Why there is no copy.
#[derive(Debug, thiserror::Error)]
pub enum BackupError {
    #[error("{path} is there already, and was left as it is. Choose another file.", path = .0.display())]
    Exists(PathBuf),
    #[error("{path} is no whole bench: {why}. Take an older copy.", path = .path.display())]
    Damaged { path: PathBuf, why: String },
    #[error("The copy has {copied} readings, and the bench had {had} before it: it was thrown away. Try again.")]
    Short { copied: i64, had: i64 },
    #[error("The copy could not be written to {path}: {why}.", path = .path.display())]
    Unwritten { path: PathBuf, why: String },
}

fn unwritten(path: &Path, why: &dyn std::fmt::Display) -> BackupError {
    BackupError::Unwritten { path: path.to_owned(), why: why.to_string() }
}

impl Store {
    /// Copies the bench as it is at one moment to a file that is not there yet, and looks the copy through before it gets its name.
    ///
    /// # Errors
    /// A sentence; no file of that name is left behind.
    pub async fn back_up(&self, to: &Path) -> Result<Verified, BackupError> {
        copied_to(&self.reader, to).await
    }
}

/// The same of a bench file that this process has not open, whether a server has or not. Nothing is written to it: it may be of an older
/// version, and an import may be under way in it, which goes on.
///
/// # Errors
/// As [`Store::back_up`]; and where `from` is no bench.
pub async fn back_up_file(from: &Path, to: &Path) -> Result<Verified, BackupError> {
    let unread = |error: sqlx::Error| BackupError::Damaged { path: from.to_owned(), why: error.to_string() };
    // SQLite copies from a connection that could write; this one only reads.
    let options = SqliteConnectOptions::new().filename(from).create_if_missing(false).busy_timeout(Duration::from_secs(5));
    let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await.map_err(unread)?;
    let copied = match sqlx::query_scalar::<_, i64>("PRAGMA application_id").fetch_one(&pool).await {
        Ok(APPLICATION_ID) => copied_to(&pool, to).await,
        Ok(_) => Err(BackupError::Damaged { path: from.to_owned(), why: "it is not a file that Flindo made".to_owned() }),
        Err(error) => Err(unread(error)),
    };
    pool.close().await;
    copied
}

async fn copied_to(bench: &SqlitePool, to: &Path) -> Result<Verified, BackupError> {
    if to.exists() {
        return Err(BackupError::Exists(to.to_owned()));
    }
    let part = beside(to, ".part");
    let copied = copy(bench, &part).await;
    match copied.and_then(|verified| put_in_place(&part, to).map(|()| verified)) {
        Ok(verified) => Ok(verified),
        Err(error) => {
            // The reason counts; a left-over part is replaced by the next copy.
            let _ = std::fs::remove_file(&part);
            Err(error)
        }
    }
}

async fn copy(bench: &SqlitePool, part: &Path) -> Result<Verified, BackupError> {
    if part.exists() {
        std::fs::remove_file(part).map_err(|error| unwritten(part, &error))?;
    }
    let failed = |error: sqlx::Error| unwritten(part, &error);
    let had: i64 = sqlx::query_scalar("SELECT count(*) FROM readings").fetch_one(bench).await.map_err(failed)?;
    sqlx::query("VACUUM INTO ?").bind(part.to_string_lossy().into_owned()).execute(bench).await.map_err(failed)?;
    let verified = verify(part).await?;
    if verified.readings < had { Err(BackupError::Short { copied: verified.readings, had }) } else { Ok(verified) }
}

/// On the disk first, then under its name: after a power cut there is a whole copy or none.
fn put_in_place(part: &Path, to: &Path) -> Result<(), BackupError> {
    let placed = File::open(part).and_then(|file| file.sync_all()).and_then(|()| std::fs::rename(part, to));
    placed.map_err(|error| unwritten(to, &error))
}

/// Looks a bench file through without changing it: its pages, its references, its kind, how many readings it has, and whether what bears a
/// checksum is as it was written.
///
/// # Errors
/// What is wrong with it.
pub async fn verify(path: &Path) -> Result<Verified, BackupError> {
    let damaged = |why: &dyn std::fmt::Display| BackupError::Damaged { path: path.to_owned(), why: why.to_string() };
    let options = SqliteConnectOptions::new().filename(path).read_only(true);
    let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await.map_err(|error| damaged(&error))?;
    let look = async {
        let application_id: i64 = sqlx::query_scalar("PRAGMA application_id").fetch_one(&pool).await?;
        let pages: String = sqlx::query_scalar("PRAGMA quick_check(1)").fetch_one(&pool).await?;
        let pages = pages.replace('\n', " ");
        let loose = sqlx::query("PRAGMA foreign_key_check").fetch_all(&pool).await?.len();
        let readings: i64 = sqlx::query_scalar("SELECT count(*) FROM readings").fetch_one(&pool).await?;
        Ok::<_, sqlx::Error>((application_id, pages, loose, readings))
    };
    let found = look.await;
    let rows = match &found {
        Ok((id, pages, 0, _)) if *id == APPLICATION_ID && pages == "ok" => rows_of_any_version_are_whole(&pool, path).await,
        // Told below.
        Ok(_) | Err(_) => Ok(()),
    };
    pool.close().await;
    match found.map_err(|error| damaged(&error))? {
        (id, ..) if id != APPLICATION_ID => Err(damaged(&"it is not a file that Flindo made")),
        (_, pages, ..) if pages != "ok" => Err(damaged(&pages)),
        (_, _, loose, _) if loose > 0 => Err(damaged(&format!("{loose} of its rows refer to others that are not there"))),
        (_, _, _, readings) => rows.map(|()| Verified { readings }).map_err(|error| damaged(&error)),
    }
}

/// Reads every kind, test, run, reading and part of a log. Those of an older version are looked at in a copy that is brought up to date, so
/// that the file itself stays as it is.
async fn rows_of_any_version_are_whole(pool: &SqlitePool, path: &Path) -> Result<(), StoreError> {
    let version: i64 = sqlx::query_scalar("SELECT max(version) FROM _sqlx_migrations").fetch_one(pool).await?;
    if version >= newest() {
        return rows_are_whole(pool, path).await;
    }
    let told = |why: &dyn std::fmt::Display| StoreError::Corrupt(format!("no room for a copy to look into: {why}"));
    let folder = tempfile::tempdir().map_err(|error| told(&error))?;
    let copy = folder.path().join("looked-through.bench");
    sqlx::query("VACUUM INTO ?").bind(copy.to_string_lossy().into_owned()).execute(pool).await.map_err(|error| told(&error))?;
    let options = SqliteConnectOptions::new().filename(&copy).synchronous(SqliteSynchronous::Off);
    let newer = SqlitePoolOptions::new().max_connections(1).connect_with(options).await?;
    let whole = match migrate(&newer).await {
        Ok(()) => rows_are_whole(&newer, path).await,
        Err(error) => Err(StoreError::Corrupt(format!("it cannot be brought up to date: {error}"))),
    };
    newer.close().await;
    whole
}

/// The same of the tables of this version.
pub(crate) async fn rows_are_whole(pool: &SqlitePool, path: &Path) -> Result<(), StoreError> {
    let store = Store::only_read(pool, path).map_err(|error| StoreError::Corrupt(error.to_string()))?;
    store.read_kinds().await?;
    for id in sqlx::query_scalar("SELECT id FROM tests").fetch_all(pool).await? {
        match store.test(id).await {
            // Of an import that was cut off: it is taken out when the bench is opened.
            Err(StoreError::NotFound(_)) => continue,
            test => test?,
        };
        store.runs(id).await?;
        store.readings(id).await?;
    }
    store.chunks_are_whole().await
}

/// Puts a copy where no bench is, and looks both through.
///
/// # Errors
/// A sentence; nothing is changed.
pub async fn restore(from: &Path, to: &Path) -> Result<Verified, BackupError> {
    // What a log or journal beside it would still hold is not in the file itself.
    if to.exists() || beside(to, "-wal").exists() {
        return Err(BackupError::Exists(to.to_owned()));
    }
    verify(from).await?;
    if let Some(folder) = to.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).map_err(|error| unwritten(folder, &error))?;
    }
    let part = beside(to, ".part");
    std::fs::copy(from, &part).map_err(|error| unwritten(&part, &error))?;
    let verified = verify(&part).await?;
    put_in_place(&part, to)?;
    Ok(verified)
}

/// Held while a server has a bench open; let go when it is dropped, or when the process ends in whatever way.
#[derive(Debug)]
pub struct BenchLock {
    /// Beside the bench, by its true name: it is there before the bench is, and stays while a demo is made anew.
    beside: File,
    /// The bench itself, which may have other names. SQLite locks ranges of it in a way of its own, which this does not touch; and it
    /// stays open until the end, since to close it would let go of those.
    bench: Option<File>,
}

impl BenchLock {
    /// Takes the bench at `path` for this process.
    ///
    /// # Errors
    /// Where another process has it, or no file can be made beside it.
    pub fn take(path: &Path) -> Result<Self, OpenError> {
        // A link to a bench is the bench.
        let true_path = path.canonicalize().unwrap_or_else(|_| path.to_owned());
        let lock = beside(&true_path, "-lock");
        if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            std::fs::create_dir_all(folder).map_err(|error| unwritable(folder, &error))?;
        }
        let opened = File::options().write(true).create(true).truncate(false).open(&lock);
        let locked = |file: File| match file.try_lock() {
            Ok(()) => Ok(file),
            Err(TryLockError::WouldBlock) => Err(OpenError::InUse(path.to_owned())),
            Err(TryLockError::Error(error)) => Err(unwritable(path, &error)),
        };
        let beside = locked(opened.map_err(|error| unwritable(path, &error))?)?;
        let bench = match File::open(&true_path) {
            Ok(bench) => Some(locked(bench)?),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => None,
            Err(error) => return Err(unwritable(path, &error)),
        };
        Ok(BenchLock { beside, bench })
    }
}

impl Drop for BenchLock {
    fn drop(&mut self) {
        // The end of the process lets go of it too.
        let _ = self.beside.unlock();
        if let Some(bench) = &self.bench {
            let _ = bench.unlock();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::migrations::Migrations;
    use sqlx::migrate::Migrator;

    /// A copy of a program that knew no reference panels and no meters of tests: it is whole, stays as it is, and its damage is told.
    #[tokio::test]
    async fn a_copy_of_an_older_version_is_looked_through() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("older.bench");
        let options = SqliteConnectOptions::new().filename(&path).create_if_missing(true);
        let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await.unwrap();
        Migrator::new(Migrations { until: 14 }).await.unwrap().run(&pool).await.unwrap();
        let run = async |sql: &str| sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&pool).await.unwrap();
        run(&format!("PRAGMA application_id = {APPLICATION_ID}")).await;
        run("INSERT INTO panel_kinds (id, uid, name, rated_w, tolerance, alpha_isc, beta_voc, gamma_pmax, technology, construction, doubts_kept) \
             VALUES (1, 'kind', 'Umber 250', 250, '', '', '', '', '', '', 0)").await;
        run("INSERT INTO panels (id, uid, tag, is_used, notes, kind_id) VALUES (1, 'panel', 'U-1', 0, '', 1)").await;
        run("INSERT INTO tests (id, uid, panel_id, created_utc, tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, \
             volts_digits, amps_percent, amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k) \
             VALUES (1, 'test', 1, '2026-05-04T10:15:00Z', 30, 180, 'load_tester', 'plane_meter', 'back_probe', 'middle', 1, 1, 1, 1, 1, 1, 5, 1)").await;
        let before = std::fs::read(&path).unwrap();
        assert_eq!(verify(&path).await.unwrap().readings, 0);
        assert_eq!(std::fs::read(&path).unwrap(), before);
        run("UPDATE tests SET crc32 = 5").await;
        let error = verify(&path).await.unwrap_err().to_string();
        assert!(error.contains("test 1"), "{error}");
    }
}
