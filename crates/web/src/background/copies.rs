//! Daily copies of the bench beside it, the oldest given up for the newest.

use flindo_store::{BackupError, Store, Verified};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// Kept by default.
pub const USUAL_KEPT: usize = 7;

const A_DAY: Duration = Duration::from_secs(24 * 3600);

/// How often it is looked whether a day has gone by.
const LOOK_EVERY: Duration = Duration::from_secs(1800);

/// Where the copies of a bench lie, and how many.
#[derive(Debug, Clone)]
pub struct Copies {
    folder: PathBuf,
    /// The name of the bench without its ending.
    stem: String,
    kept: usize,
}

impl Copies {
    /// Of the bench at `path`: in the folder `copies` beside it.
    pub fn of(path: &Path, kept: usize) -> Self {
        let stem = path.file_stem().map_or_else(|| "bench".to_owned(), |stem| stem.to_string_lossy().into_owned());
        Copies { folder: path.with_file_name("copies"), stem, kept }
    }

    pub fn folder(&self) -> &Path {
        &self.folder
    }

    pub fn kept(&self) -> usize {
        self.kept
    }

    /// Every copy with the time it was made, the oldest first.
    fn all(&self) -> Vec<(SystemTime, PathBuf)> {
        let prefix = format!("{}-", self.stem);
        let mut all: Vec<(SystemTime, PathBuf)> = std::fs::read_dir(&self.folder)
            .into_iter()
            .flatten()
            .filter_map(|entry| {
                let entry = entry.ok()?;
                let name = entry.file_name().to_string_lossy().into_owned();
                let is_copy = name.starts_with(&prefix) && name.ends_with(".bench");
                is_copy.then_some((entry.metadata().ok()?.modified().ok()?, entry.path()))
            })
            .collect();
        all.sort();
        all
    }

    /// Their files, the oldest first.
    pub fn files(&self) -> Vec<PathBuf> {
        self.all().into_iter().map(|(_, path)| path).collect()
    }

    /// When the last copy was made.
    pub fn newest(&self) -> Option<Timestamp> {
        let (at, _) = self.all().pop()?;
        Timestamp::try_from(at).ok()
    }

    /// Makes a copy now, and gives up the oldest beyond those that are kept.
    ///
    /// # Errors
    /// Why there is none.
    pub async fn make(&self, store: &Store, now: Timestamp) -> Result<Verified, BackupError> {
        std::fs::create_dir_all(&self.folder)
            .map_err(|error| BackupError::Unwritten { path: self.folder.clone(), why: error.to_string() })?;
        let at = now.to_zoned_datetime(TimeZone::UTC).strftime("%Y-%m-%d-%H%M%S");
        let verified = store.back_up(&self.folder.join(format!("{}-{at}.bench", self.stem))).await?;
        let all = self.all();
        for (_, path) in all.iter().take(all.len().saturating_sub(self.kept.max(1))) {
            if let Err(error) = std::fs::remove_file(path) {
                tracing::warn!(path = %path.display(), %error, "an old copy could not be removed");
            }
        }
        Ok(verified)
    }

    /// Makes a copy a day for as long as the program runs.
    pub async fn daily(self, store: Store) {
        loop {
            let is_due = self.all().last().is_none_or(|(at, _)| at.elapsed().is_ok_and(|age| age >= A_DAY));
            if is_due {
                match self.make(&store, Timestamp::now()).await {
                    Ok(verified) => tracing::info!(readings = verified.readings, "copied the bench"),
                    Err(error) => tracing::error!(%error, "the daily copy failed"),
                }
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }
}
