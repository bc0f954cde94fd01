//! A package of a bench on its way out or in: kept beside the bench meanwhile, and written by a thread that may wait.

use crate::error::AppError;
use axum::body::Body;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_store::Store;
use flindo_store::package::{Chosen, Conflict, ConflictKind, Exported, Merged, PackageError, Prefer};
use jiff::Timestamp;
use std::path::Path;
use tokio_util::io::ReaderStream;

impl From<PackageError> for AppError {
    fn from(error: PackageError) -> Self {
        match error {
            PackageError::Store(error) => error.into(),
            PackageError::Wrong { .. } | PackageError::Conflicts(_) | PackageError::Exists(_) | PackageError::Disk { .. } => {
                AppError::input("file", "", error.to_string())
            }
        }
    }
}

/// All of a bench for no text, or the tests of "3,5,8"; `None` for what is neither.
pub fn chosen(text: &str) -> Option<Chosen> {
    if text.trim().is_empty() {
        return Some(Chosen::All);
    }
    text.split(',').map(|id| id.trim().parse().ok()).collect::<Option<Vec<i64>>>().map(Chosen::Tests)
}

/// The bench as a file to be kept.
pub async fn download(store: &Store, of: Chosen) -> Result<Response, AppError> {
    let now = Timestamp::now();
    let at = store.package_place(&flindo_store::new_uid());
    let (to, writing) = (at.clone(), store.clone());
    let runtime = tokio::runtime::Handle::current();
    let written = tokio::task::spawn_blocking(move || runtime.block_on(writing.export_package(&to, &of, now))).await;
    let Exported { .. } = written.map_err(|error| AppError::failed(&error))??;
    let opened = tokio::fs::File::open(&at).await;
    // The open file is all that is needed of it: it goes when it was sent, or when nobody waits for it any more.
    let removed = tokio::fs::remove_file(&at).await;
    let file = opened.and_then(|file| removed.map(|()| file)).map_err(|error| AppError::failed(&error))?;
    let bytes = file.metadata().await.map_err(|error| AppError::failed(&error))?.len();
    let name = format!("attachment; filename=\"bench-{}.zip\"", now.strftime("%Y-%m-%d"));
    let headers = [
        (header::CONTENT_TYPE, "application/zip".to_owned()),
        (header::CONTENT_DISPOSITION, name),
        (header::CONTENT_LENGTH, bytes.to_string()),
    ];
    Ok((headers, Body::from_stream(ReaderStream::new(file))).into_response())
}

/// Takes in the package at a path, on a thread that may wait.
pub async fn take_in(store: &Store, at: &Path, prefer: Prefer) -> Result<Merged, PackageError> {
    let (store, at, runtime) = (store.clone(), at.to_owned(), tokio::runtime::Handle::current());
    let taken = tokio::task::spawn_blocking(move || runtime.block_on(store.import_package(&at, prefer))).await;
    taken.unwrap_or_else(|error| Err(PackageError::Disk { path: "the package".into(), why: error.to_string() }))
}

/// What came in, as a sentence.
pub fn sentence(merged: &Merged) -> String {
    let count = |table: &str| merged.added.get(table).copied().unwrap_or_default();
    let of = |table: &str, one: &str| match count(table) {
        0 => None,
        1 => Some(format!("1 {one}")),
        many => Some(format!("{many} {one}s")),
    };
    let parts: Vec<String> =
        [of("tests", "test"), of("readings", "reading"), of("logs", "log"), of("panels", "panel"), of("photos", "photo")]
            .into_iter()
            .flatten()
            .collect();
    // What a record was comes with its change, which is told by itself.
    let is_none_new = merged.added.keys().all(|table| *table == "revisions");
    let mut text = match (is_none_new, parts.is_empty()) {
        (true, _) => "Nothing new was in it.".to_owned(),
        (false, true) => "New rows are in, none of them a test, log or panel.".to_owned(),
        (false, false) => format!("In are {}.", parts.join(", ")),
    };
    if merged.changed > 0 {
        text.push_str(&format!(" {} changed as in the package; what they were is kept.", merged.changed));
    }
    if merged.corrections_left > 0 {
        text.push_str(&format!(
            " {} corrections of readings that were corrected here too were left out: those of this bench stand.",
            merged.corrections_left
        ));
    }
    text
}

/// One conflict on a line.
pub fn line(conflict: &Conflict) -> String {
    let what = word(&conflict.what);
    match conflict.kind {
        ConflictKind::NameTaken => {
            format!("{what} {}: another one has this name here; that of the package would be {}", conflict.name, conflict.package)
        }
        ConflictKind::Changed => {
            let flat = |text: &str| text.replace('\n', ", ");
            format!("{what} {}: here {}; in the package {}", conflict.name, flat(&conflict.here), flat(&conflict.package))
        }
    }
}

/// What the rows of a table are called.
pub fn word(table: &str) -> &'static str {
    match table {
        "places" => "place",
        "panel_kinds" => "kind",
        "panels" => "panel",
        "gear" => "gear",
        "rigs" => "rig",
        "tests" => "set-up of test",
        "reviews" => "review",
        "calculations" => "calculation",
        _ => "bench",
    }
}
