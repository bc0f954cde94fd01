//! Readings that arrive together are on the disk together, and each has its own answer.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod bench;

use bench::{TempBench, at, new_reading};
use flindo_store::{Accepted, StoreError};
use std::path::Path;

/// Transactions in the write-ahead log of a bench: frames that tell the size of the database after a commit (SQLite, The WAL file format: 32 bytes of header with
/// the page size at byte 8, then frames of 24 bytes and a page, whose bytes 4 to 7 are that size or 0).
fn transactions(bench: &Path) -> usize {
    let log = std::fs::read(format!("{}-wal", bench.display())).unwrap();
    let number = |at: usize| u32::from_be_bytes(log[at..at + 4].try_into().unwrap()) as usize;
    let frame = 24 + number(8);
    let salt = &log[16..24];
    // Frames of an earlier round of the log have another salt.
    (0..(log.len() - 32) / frame)
        .map(|nth| 32 + nth * frame)
        .filter(|at| &log[at + 8..at + 16] == salt && number(at + 4) > 0)
        .count()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn fifty_that_arrive_together_are_kept_by_a_few_writes() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let before = transactions(&bench.path());
    let sent: Vec<_> = (0..50)
        .map(|nth| {
            let (store, reading) = (bench.store.clone(), new_reading(&format!("r{nth}"), "80 W 900 W/m2 50 C"));
            tokio::spawn(async move { store.accept(test_id, &reading, at(nth)).await })
        })
        .collect();
    for answer in sent {
        assert!(matches!(answer.await.unwrap(), Ok(Accepted::New)));
    }
    let took = transactions(&bench.path()) - before;
    assert!((1..=25).contains(&took), "{took} transactions for 50 readings");
    assert_eq!(bench.store.readings(test_id).await.unwrap().len(), 50);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn each_has_its_own_answer() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let first = new_reading("first", "80 W 900 W/m2 50 C");
    bench.store.accept(test_id, &first, at(0)).await.unwrap();
    let send = |test_id: i64, uid: &str, line: &str| {
        let (store, reading) = (bench.store.clone(), new_reading(uid, line));
        tokio::spawn(async move { store.accept(test_id, &reading, at(1)).await })
    };
    let (again, other, nowhere, new) = (
        send(test_id, "first", "80 W 900 W/m2 50 C"),
        send(test_id, "first", "81 W 900 W/m2 50 C"),
        send(test_id + 1, "second", "80 W 900 W/m2 50 C"),
        send(test_id, "third", "82 W 900 W/m2 50 C"),
    );
    assert!(matches!(again.await.unwrap(), Ok(Accepted::Already)));
    assert!(matches!(other.await.unwrap(), Err(StoreError::Conflict(_))));
    assert!(matches!(nowhere.await.unwrap(), Err(StoreError::NotFound(_))));
    assert!(matches!(new.await.unwrap(), Ok(Accepted::New)));
    let kept: Vec<String> = bench.store.readings(test_id).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
    assert_eq!(kept.len(), 2, "{kept:?}");
}

/// Whoever sends and hangs up at once may find the reading kept or not, and takes nobody else's with it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn one_that_hangs_up_takes_no_other_with_it() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let mut sent = Vec::new();
    for nth in 0..40 {
        let (store, reading) = (bench.store.clone(), new_reading(&format!("r{nth}"), "80 W 900 W/m2 50 C"));
        sent.push(tokio::spawn(async move { store.accept(test_id, &reading, at(nth)).await }));
        if nth % 2 == 1 {
            tokio::task::yield_now().await;
            sent.last().unwrap().abort();
        }
    }
    for (nth, answer) in sent.into_iter().enumerate().filter(|(nth, _)| nth % 2 == 0) {
        assert!(matches!(answer.await.unwrap(), Ok(Accepted::New)), "reading {nth}");
    }
}
