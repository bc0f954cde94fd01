//! Opening the right file, and saying clearly when it is the wrong one.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use flindo_store::{BenchKind, OpenError, Store};
use std::fs;
use std::path::Path;

async fn fails(path: &Path, kind: BenchKind) -> OpenError {
    match Store::open(path, kind, "UTC").await {
        Ok(_) => panic!("{} was opened", path.display()),
        Err(error) => error,
    }
}

async fn sql(path: &Path, statement: &'static str) {
    let options = sqlx::sqlite::SqliteConnectOptions::new().filename(path).create_if_missing(true);
    let pool = sqlx::SqlitePool::connect_with(options).await.unwrap();
    sqlx::query(statement).execute(&pool).await.unwrap();
    pool.close().await;
}

#[tokio::test]
async fn a_new_file_is_an_empty_bench_and_opens_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("deep/er/my.bench");
    for _ in 0..2 {
        let store = Store::open(&path, BenchKind::Own, "Europe/Lisbon").await.unwrap();
        assert_eq!(store.bench().await.unwrap().time_zone, "Europe/Lisbon");
        assert!(store.panels().await.unwrap().is_empty());
        store.close().await;
    }
}

#[tokio::test]
async fn a_file_that_is_no_bench_is_left_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let letter = folder.path().join("letter.txt");
    fs::write(&letter, "Dear bench keeper, this is a letter and no database at all. ".repeat(40)).unwrap();
    let before = fs::read(&letter).unwrap();
    assert!(matches!(fails(&letter, BenchKind::Own).await, OpenError::NotABench(_)));
    assert_eq!(fs::read(&letter).unwrap(), before);

    let foreign = folder.path().join("foreign.sqlite");
    sql(&foreign, "CREATE TABLE recipes (name TEXT)").await;
    let before = fs::read(&foreign).unwrap();
    let error = fails(&foreign, BenchKind::Own).await;
    assert!(matches!(error, OpenError::NotABench(_)) && error.to_string().contains("foreign.sqlite is not a bench"));
    assert_eq!(fs::read(&foreign).unwrap(), before);
}

#[tokio::test]
async fn a_bench_of_a_newer_version_is_not_touched() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.bench");
    Store::open(&path, BenchKind::Own, "UTC").await.unwrap().close().await;
    sql(&path, "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (9999, 'later', 1, x'00', 0)").await;
    assert!(matches!(fails(&path, BenchKind::Own).await, OpenError::Newer(_)));
}

#[tokio::test]
async fn a_bench_whose_tables_differ_is_said_to_be_one_all_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.bench");
    Store::open(&path, BenchKind::Own, "UTC").await.unwrap().close().await;
    sql(&path, "UPDATE _sqlx_migrations SET checksum = x'00' WHERE version = 1").await;
    let error = fails(&path, BenchKind::Own).await;
    assert!(matches!(error, OpenError::OtherTables(_)) && error.to_string().contains("another build of Flindo"));
}

#[tokio::test]
async fn the_demo_never_touches_anybodys_own_bench() {
    let folder = tempfile::tempdir().unwrap();
    let own = folder.path().join("own.bench");
    Store::open(&own, BenchKind::Own, "UTC").await.unwrap().close().await;
    assert!(matches!(fails(&own, BenchKind::Demo).await, OpenError::NotTheDemo(_)));
    assert!(matches!(Store::remove_demo(&own).await, Err(OpenError::NotTheDemo(_))));
    assert!(own.exists());

    let demo = folder.path().join("demo.bench");
    let store = Store::open(&demo, BenchKind::Demo, "UTC").await.unwrap();
    store.change_bench("Changed", "UTC", "EUR").await.unwrap();
    store.close().await;
    Store::remove_demo(&demo).await.unwrap();
    assert_ne!(Store::open(&demo, BenchKind::Demo, "UTC").await.unwrap().bench().await.unwrap().name, "Changed");
}

#[tokio::test]
async fn a_folder_that_cannot_be_written_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let error = fails(folder.path(), BenchKind::Own).await;
    assert!(matches!(error, OpenError::Unwritable { .. }), "a folder in place of a file: {error}");
    let file = folder.path().join("file");
    fs::write(&file, "").unwrap();
    assert!(matches!(fails(&file.join("a.bench"), BenchKind::Own).await, OpenError::Unwritable { .. }));
}
