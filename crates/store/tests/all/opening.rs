//! Opening the right file, and saying clearly when it is the wrong one.
use flindo_store::{BenchKind, BenchLock, OpenError, Store, StoreError};
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

async fn new_bench(path: &Path) {
    Store::open(path, BenchKind::Own, "UTC").await.unwrap().close().await;
}

/// A power cut or a copy by hand can leave an empty file beside a journal that still has the bench.
#[tokio::test]
async fn an_empty_file_with_a_journal_is_no_new_bench() {
    let folder = tempfile::tempdir().unwrap();
    for (suffix, is_there) in [("-wal", true), ("-journal", true), ("-wal", false)] {
        let path = folder.path().join(format!("cut{suffix}{is_there}.bench"));
        if is_there {
            fs::write(&path, "").unwrap();
        }
        let mut journal = path.as_os_str().to_owned();
        journal.push(suffix);
        fs::write(&journal, "changes that were not in the file yet").unwrap();
        let error = fails(&path, BenchKind::Own).await;
        assert!(matches!(error, OpenError::CutOff { .. }) && error.to_string().contains("restore"), "{error}");
        assert_eq!((path.exists(), fs::metadata(&journal).unwrap().len() > 0), (is_there, true), "both are left as they are");
        // An empty journal says nothing.
        fs::write(&journal, "").unwrap();
        new_bench(&path).await;
    }
}

#[tokio::test]
async fn damage_is_told_in_one_sentence_at_opening_and_nothing_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    // Rows that refer to others that are not there.
    new_bench(&path("loose")).await;
    sql(&path("loose"), "PRAGMA foreign_keys = OFF; INSERT INTO logs (uid, test_id, name, started_utc, samples) VALUES ('u', 77, 'x', '2026-01-01T00:00:00Z', 0)").await;
    // A table that somebody took away, and one that was made otherwise.
    new_bench(&path("dropped")).await;
    sql(&path("dropped"), "DROP TABLE acknowledgements").await;
    new_bench(&path("changed")).await;
    sql(&path("changed"), "ALTER TABLE runs RENAME COLUMN place TO spot").await;
    // Pages overwritten in the middle.
    new_bench(&path("hole")).await;
    let mut bytes = fs::read(path("hole")).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle..middle + 8192].fill(0xA5);
    fs::write(path("hole"), bytes).unwrap();
    for name in ["loose", "dropped", "changed", "hole"] {
        let before = fs::read(path(name)).unwrap();
        let error = fails(&path(name), BenchKind::Own).await;
        assert!(matches!(error, OpenError::Damaged { .. }), "{name}: {error}");
        assert!(error.to_string().contains("restore") && error.to_string().lines().count() == 1, "{name}: {error}");
        assert_eq!(fs::read(path(name)).unwrap(), before, "{name} is left as it is");
    }
}

/// Once damage was met, nothing more is accepted.
#[tokio::test]
async fn nothing_is_written_into_a_file_that_is_known_to_be_damaged() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.bench"), BenchKind::Own, "UTC").await.unwrap();
    store.note_failure(&StoreError::Full);
    store.change_bench("One", "UTC", "EUR").await.unwrap();
    store.note_failure(&StoreError::Damaged);
    let refused = store.change_bench("Two", "UTC", "EUR").await.unwrap_err();
    assert!(matches!(refused, StoreError::Damaged) && refused.to_string().contains("nothing was saved"), "{refused}");
    assert_eq!(store.bench().await.unwrap().name, "One", "what is there is still read");
}

/// One file by three names: its own, a symbolic link, and a hard link.
#[test]
fn a_bench_under_another_name_is_the_same_bench() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.bench");
    fs::write(&path, b"").unwrap();
    let (symbolic, hard, other) =
        (folder.path().join("link.bench"), folder.path().join("hard.bench"), folder.path().join("b.bench"));
    std::os::unix::fs::symlink(&path, &symbolic).unwrap();
    fs::hard_link(&path, &hard).unwrap();
    let lock = BenchLock::take(&path).unwrap();
    for name in [&path, &symbolic, &hard] {
        assert!(matches!(BenchLock::take(name), Err(OpenError::InUse(_))), "{}", name.display());
    }
    BenchLock::take(&other).unwrap();
    drop(lock);
    BenchLock::take(&hard).unwrap();
}
