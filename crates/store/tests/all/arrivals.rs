//! Readings that arrive together are on the disk together, and each has its own answer.

use crate::bench::{TempBench, at, new_reading};
use flindo_core::record::setup::Setup;
use flindo_core::sky::note::SkyNote;
use flindo_store::{Accepted, NewReading, Reading, StoreError};
use std::path::Path;

/// Transactions in the write-ahead log of a bench: frames that tell the size of the database after a commit (SQLite, The WAL file format:
/// 32 bytes of header with the page size at byte 8, then frames of 24 bytes and a page, whose bytes 4 to 7 are that size or 0).
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

/// What goes in by a few statements is what goes in one by one: every field, in the order in which it came.
#[tokio::test]
async fn many_at_once_are_kept_as_each_by_itself() {
    let bench = TempBench::new().await;
    let (together, alone) = (bench.ready().await, bench.ready().await);
    let reading = |prefix: &str, nth: i64| NewReading {
        note: if nth % 3 == 0 { "gust; \"left\"".to_owned() } else { String::new() },
        sky: (nth % 4 == 0).then_some(SkyNote::Haze),
        ..new_reading(&format!("{prefix}{nth}"), &format!("{}.{} V 8.5 A 880-90{} W/m2 49 C", 17 + nth % 3, nth % 10, nth % 10))
    };
    let all: Vec<NewReading> = (0..601).map(|nth| reading("t", nth)).collect();
    let answers = bench.store.accept_all(together, &all, at(700)).await.unwrap();
    assert!(answers.len() == 601 && answers.iter().all(|answer| matches!(answer, Ok(Accepted::New))));
    for nth in 0..601 {
        bench.store.accept(alone, &reading("a", nth), at(700)).await.unwrap();
    }
    let plain = |mut reading: Reading| {
        reading.id = 0;
        reading.what.uid.remove(0);
        reading
    };
    let kept = |readings: Vec<Reading>| readings.into_iter().map(plain).collect::<Vec<_>>();
    assert_eq!(kept(bench.store.readings(together).await.unwrap()), kept(bench.store.readings(alone).await.unwrap()));
}

/// Where one of many is known, changed, twice among them or refused, the others are kept and each has its answer.
#[tokio::test]
async fn one_that_cannot_go_in_keeps_no_other_out() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    bench.store.accept(test_id, &new_reading("known", "80 W 900 W/m2 50 C"), at(0)).await.unwrap();
    let long = NewReading { note: "x".repeat(100_000), ..new_reading("long", "80 W 900 W/m2 50 C") };
    let sent = [
        new_reading("new", "81 W 900 W/m2 50 C"),
        new_reading("known", "80 W 900 W/m2 50 C"),
        new_reading("twice", "82 W 900 W/m2 50 C"),
        new_reading("twice", "83 W 900 W/m2 50 C"),
        long,
        new_reading("last", "84 W 900 W/m2 50 C"),
    ];
    let answers = bench.store.accept_all(test_id, &sent, at(1)).await.unwrap();
    assert!(
        matches!(
            answers[..],
            [
                Ok(Accepted::New),
                Ok(Accepted::Already),
                Ok(Accepted::New),
                Err(StoreError::Conflict(_)),
                Err(StoreError::Refused(_)),
                Ok(Accepted::New)
            ]
        ),
        "{answers:?}"
    );
    let kept: Vec<String> = bench.store.readings(test_id).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
    assert_eq!(kept, ["known", "new", "twice", "last"]);
    // Each of the reasons by itself, among readings that are sound.
    let two = |uid: &str, line: &str| [new_reading(&format!("beside-{uid}"), "85 W 900 W/m2 50 C"), new_reading(uid, line)];
    let answers = bench.store.accept_all(test_id, &two("known", "80 W 900 W/m2 50 C"), at(2)).await.unwrap();
    assert!(matches!(answers[..], [Ok(Accepted::New), Ok(Accepted::Already)]), "{answers:?}");
    let answers = bench.store.accept_all(test_id, &two("last", "90 W 900 W/m2 50 C"), at(2)).await.unwrap();
    assert!(matches!(answers[..], [Ok(Accepted::New), Err(StoreError::Conflict(_))]), "{answers:?}");
    let again = [new_reading("again", "86 W 900 W/m2 50 C"), new_reading("again", "86 W 900 W/m2 50 C")];
    let answers = bench.store.accept_all(test_id, &again, at(2)).await.unwrap();
    assert!(matches!(answers[..], [Ok(Accepted::New), Ok(Accepted::Already)]), "{answers:?}");
    let answers = bench.store.accept_all(test_id + 1, &two("nowhere", "80 W 900 W/m2 50 C"), at(2)).await.unwrap();
    assert!(matches!(answers[..], [Err(StoreError::NotFound(_)), Err(StoreError::NotFound(_))]), "{answers:?}");
    let kept: Vec<String> = bench.store.readings(test_id).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
    assert_eq!(kept, ["known", "new", "twice", "last", "beside-known", "beside-last", "again"]);
}

/// A test that is asked for again and again is read again once its row has changed.
#[tokio::test]
async fn a_test_that_was_changed_is_not_the_one_that_was_kept() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let before = bench.store.test(test_id).await.unwrap();
    assert_eq!(bench.store.test(test_id).await.unwrap(), before);
    let setup = Setup { tilt_deg: before.setup.tilt_deg + 7.0, ..before.setup };
    bench.store.change_setup(test_id, &setup, &[]).await.unwrap();
    assert_eq!(bench.store.test(test_id).await.unwrap().setup, setup);
    assert!(bench.store.test(test_id + 1).await.is_err());
}
