//! What is withdrawn is truly erased, and does not come back.

use crate::bench::{TempBench, at, new_reading};
use flindo_core::record::setup::Setup;
use flindo_store::package::{Chosen, Prefer};
use flindo_store::{NewPhoto, StoreError, TestDraft, Withdrawable};

const WORDS: &str = "written-by-mistake-4711";

/// Two tests of one panel, each with readings, notes and a photo; the first is the one to be forgotten.
async fn filled() -> (TempBench, i64, i64) {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-1").await;
    let mut ids = Vec::new();
    for nth in 0..2 {
        let id = bench.store.add_test(&TestDraft::of_rating(panel_id, None, Setup::default()), at(nth)).await.unwrap();
        let note = if nth == 0 { WORDS } else { "kept-on-purpose" };
        let readings: Vec<_> = (0..5)
            .map(|line| {
                let mut reading = new_reading(&format!("reading-{nth}-{line}"), "30 V 8 A 900 W/m2 45 C");
                reading.note = note.to_owned();
                reading
            })
            .collect();
        bench.store.accept_all(id, &readings, at(1)).await.unwrap();
        let bytes = [b"\xff\xd8\xff".to_vec(), format!("picture-of-{note}").repeat(300).into_bytes()].concat();
        let photo = NewPhoto {
            run_id: None,
            caption: note.to_owned(),
            media_type: "image/jpeg",
            width_px: 3,
            height_px: 2,
            bytes,
            thumbnail: b"\xff\xd8\xffsmall".to_vec(),
        };
        bench.store.add_photo(id, &photo, at(2)).await.unwrap();
        ids.push(id);
    }
    (bench, ids[0], ids[1])
}

fn has(bytes: &[u8], words: &str) -> bool {
    bytes.windows(words.len()).any(|window| window == words.as_bytes())
}

#[tokio::test]
async fn nothing_of_it_is_left_in_the_file_and_the_rest_is_whole() {
    let (bench, mistake, kept) = filled().await;
    let store = &bench.store;
    let early = store.forget(Withdrawable::Test, mistake, at(9)).await.unwrap_err();
    assert!(matches!(&early, StoreError::Conflict(sentence) if sentence.contains("is not withdrawn")), "{early}");
    store.withdraw((Withdrawable::Test, mistake), true, "the wrong panel", at(8)).await.unwrap();
    let forgotten = store.forget(Withdrawable::Test, mistake, at(9)).await.unwrap();
    assert!(forgotten.name.starts_with("U-1, "), "{forgotten:?}");
    assert!(matches!(store.test(mistake).await, Err(StoreError::NotFound(_))));
    assert_eq!((store.readings(kept).await.unwrap().len(), store.photos(kept).await.unwrap().len()), (5, 1));
    // What was appended is protected as before.
    let outside = bench.outside().await;
    assert!(sqlx::query("DELETE FROM readings").execute(&outside).await.is_err());
    outside.close().await;
    store.close().await;
    let bytes = std::fs::read(bench.path()).unwrap();
    assert!(has(&bytes, "kept-on-purpose") && !has(&bytes, WORDS));
    assert_eq!(flindo_store::verify(&bench.path()).await.unwrap().readings, 5);
    flindo_store::Store::open(&bench.path(), flindo_store::BenchKind::Own, "UTC").await.unwrap();
}

#[tokio::test]
async fn a_merge_does_not_bring_it_back() {
    let (bench, mistake, _) = filled().await;
    let package = bench.path().with_file_name("before.zip");
    bench.store.export_package(&package, &Chosen::All, at(5)).await.unwrap();
    bench.store.withdraw((Withdrawable::Test, mistake), true, "the wrong panel", at(8)).await.unwrap();
    let forgotten = bench.store.forget(Withdrawable::Test, mistake, at(9)).await.unwrap();
    let merged = bench.store.import_package(&package, Prefer::Here).await.unwrap();
    assert!(merged.added.is_empty(), "{merged:?}");
    assert_eq!(bench.store.count_tests(None).await.unwrap(), 1);
    // Elsewhere it is as it was, and that copy is named.
    let there = TempBench::new().await;
    there.store.import_package(&package, Prefer::Here).await.unwrap();
    assert_eq!(there.store.count_tests(None).await.unwrap(), 2);
    there.store.close().await;
    bench.store.close().await;
    let copies = [there.path(), bench.path(), bench.path().with_file_name("nothing.bench")];
    assert_eq!(flindo_store::copies_with(&forgotten, &copies).await, [there.path()]);
}

#[tokio::test]
async fn what_others_refer_to_is_not_forgotten_before_them() {
    let (bench, mistake, kept) = filled().await;
    let store = &bench.store;
    let panel = store.test(kept).await.unwrap().panel_id;
    let kind = store.panel(panel).await.unwrap().kind.id;
    for (what, id) in
        [(Withdrawable::Panel, panel), (Withdrawable::Kind, kind), (Withdrawable::Test, mistake), (Withdrawable::Test, kept)]
    {
        store.withdraw((what, id), true, "all of it", at(8)).await.unwrap();
    }
    let told = store.forget(Withdrawable::Panel, panel, at(9)).await.unwrap_err().to_string();
    assert!(told.contains("2 tests refer to"), "{told}");
    let told = store.forget(Withdrawable::Kind, kind, at(9)).await.unwrap_err().to_string();
    assert!(told.contains("1 panel"), "{told}");
    for (what, id) in
        [(Withdrawable::Test, mistake), (Withdrawable::Test, kept), (Withdrawable::Panel, panel), (Withdrawable::Kind, kind)]
    {
        store.forget(what, id, at(9)).await.unwrap();
    }
    assert!(matches!(store.forget(Withdrawable::Kind, kind, at(9)).await, Err(StoreError::NotFound(_))));
    store.close().await;
    assert!(!has(&std::fs::read(bench.path()).unwrap(), "U-1"));
}
