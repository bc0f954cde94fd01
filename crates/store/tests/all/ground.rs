//! What version 14 laid: damage of rows is told, records keep what they were before a change, and what was withdrawn can be restored.

use crate::bench;
use crate::bench::{TempBench, at, new_reading};
use flindo_core::gear::GearKind;
use flindo_core::measure::quantity::Quantity;
use flindo_core::record::condition::{Condition, Conditions, Factor};
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::record::setup::Setup;
use flindo_core::rig::MeterPosition;
use flindo_store::{BenchKind, NewRun, NewSample, Store, StoreError, Withdrawable};
use std::path::Path;

/// All that a verdict of the first test and log reads, as text; an error's sentence in place of what cannot be read.
async fn read(store: &Store) -> Vec<String> {
    let told = |text: Result<String, StoreError>| text.unwrap_or_else(|error| format!("told: {error}"));
    let mut all = vec![
        told(store.readings(1).await.map(|rows| format!("{rows:?}"))),
        told(store.runs(1).await.map(|rows| format!("{rows:?}"))),
        told(store.test(1).await.map(|row| format!("{row:?}"))),
        told(store.kinds().await.map(|rows| rows.iter().map(|kind| format!("{:?}", kind.draft.nameplate)).collect())),
    ];
    let samples = store.log_samples(1, Quantity::Power, (i64::MIN, i64::MAX)).await;
    all.push(told(samples.map(|rows| format!("{rows:?}"))));
    all
}

async fn filled(path: &Path) {
    let store = Store::open(path, BenchKind::Own, "UTC").await.unwrap();
    let kind_id = store.add_kind(&TempBench::kind()).await.unwrap();
    let panel = flindo_store::PanelDraft { tag: "V-1".into(), kind_id, ..Default::default() };
    let panel_id = store.add_panel(&panel).await.unwrap();
    let draft = flindo_store::TestDraft::of_rating(panel_id, None, Setup::default());
    let state = Conditions::from([(Factor::Tilt, Condition::degrees(35.0))]);
    let run = NewRun { place: 1, level: 0, rig: 0, is_added: false, planned_utc: None, state: Some(state) };
    let test_id = store.add_planned_test(&draft, &[run], at(0)).await.unwrap();
    let readings: Vec<_> = (0..40).map(|nth| new_reading(&format!("reading-{nth}"), "30 V 8 A 900 W/m2 45 C")).collect();
    store.accept_all(test_id, &readings, at(1)).await.unwrap();
    let log_id = store.begin_log(Some(test_id), None, "Shed", at(0)).await.unwrap();
    let samples: Vec<_> =
        (0..600).map(|nth| NewSample { quantity: Quantity::Power, at_ms: nth * 1000, value: 100.0 + (nth % 7) as f64 }).collect();
    store.add_samples(log_id, &samples).await.unwrap();
    store.end_log(log_id, at(600)).await.unwrap();
    store.pack_log(log_id).await.unwrap();
    store.close().await;
}

/// Bytes are changed all over the part of the file that holds rows: each change is harmless, refused, or told; none is another figure.
#[tokio::test]
async fn a_changed_byte_is_never_another_figure() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("whole.bench");
    filled(&path).await;
    let whole = std::fs::read(&path).unwrap();
    let store = Store::open(&path, BenchKind::Own, "UTC").await.unwrap();
    let before = read(&store).await;
    store.close().await;
    assert!(before.iter().all(|part| !part.starts_with("told")), "{before:?}");
    // The first pages are the schema; what is nothing in the others is mostly free.
    let filled: Vec<usize> = (20_000..whole.len()).filter(|place| whole[*place] != 0).collect();
    let (mut told, mut harmless) = (0, 0);
    for nth in 0..160_usize {
        let mut bytes = whole.clone();
        let place = filled[nth * 7919 % filled.len()];
        bytes[place] ^= 1 << (nth % 8);
        let path = folder.path().join(format!("{nth}.bench"));
        std::fs::write(&path, &bytes).unwrap();
        let Ok(store) = Store::open(&path, BenchKind::Own, "UTC").await else { continue };
        for (part, was) in read(&store).await.iter().zip(&before) {
            match part.starts_with("told") {
                true => told += 1,
                false if part == was => harmless += 1,
                false => panic!("byte {place}: {part}\nwas {was}"),
            }
        }
        store.close().await;
    }
    assert!(told >= 10, "{told} told, {harmless} harmless");
}

#[tokio::test]
async fn one_figure_changed_in_the_file_is_told_with_its_reading() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    bench.store.accept_all(test_id, &[new_reading("a", "30 V 8 A"), new_reading("b", "31 V 8 A")], at(0)).await.unwrap();
    let outside = bench.outside().await;
    for sql in [
        "DROP TRIGGER figures_are_not_changed",
        "UPDATE reading_figures SET low = 33, high = 33 WHERE quantity = 'voltage_v' AND low = 31",
    ] {
        sqlx::query(sql).execute(&outside).await.unwrap();
    }
    let error = bench.store.readings(test_id).await.unwrap_err().to_string();
    assert!(error.contains("the reading b of test") && error.contains("restore"), "{error}");
    // A copy of it is not taken for a whole one.
    let folder = tempfile::tempdir().unwrap();
    let error = bench.store.back_up(&folder.path().join("copy.bench")).await.unwrap_err().to_string();
    assert!(error.contains("the reading b of test"), "{error}");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
}

/// The same of a chunk of samples; and a file that is whole is told to be.
#[tokio::test]
async fn looking_through_reads_every_chunk() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("chunks.bench");
    filled(&path).await;
    assert_eq!(flindo_store::verify(&path).await.unwrap().readings, 40);
    let outside = sqlx::SqlitePool::connect(&format!("sqlite://{}", path.display())).await.unwrap();
    let sql = "UPDATE log_chunks SET samples = zeroblob(length(samples))";
    assert!(sqlx::query(sql).execute(&outside).await.unwrap().rows_affected() > 0);
    outside.close().await;
    let error = flindo_store::verify(&path).await.unwrap_err().to_string();
    assert!(error.contains("is no whole bench") && error.contains("of log 1"), "{error}");
}

/// A minute of a complete log that the disk changed is told, and not before it was sealed; a log that goes on is sealed anew.
#[tokio::test]
async fn a_changed_minute_of_a_log_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("minutes.bench");
    filled(&path).await;
    let change = async |sql: &str| {
        let outside = sqlx::SqlitePool::connect(&format!("sqlite://{}", path.display())).await.unwrap();
        sqlx::query("DROP TRIGGER IF EXISTS minutes_go_on").execute(&outside).await.unwrap();
        assert_eq!(sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&outside).await.unwrap().rows_affected(), 1, "{sql}");
        outside.close().await;
    };
    change("UPDATE log_minutes SET total = total + 0.5 WHERE log_id = 1 AND minute_ms = 60000").await;
    let error = flindo_store::verify(&path).await.unwrap_err().to_string();
    assert!(error.contains("the minutes of the") && error.contains("of log 1"), "{error}");
    change("UPDATE log_minutes SET total = total - 0.5 WHERE log_id = 1 AND minute_ms = 60000").await;
    flindo_store::verify(&path).await.unwrap();
}

#[tokio::test]
async fn a_minute_that_grows_is_sealed_anew() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("grows.bench");
    filled(&path).await;
    let store = Store::open(&path, BenchKind::Own, "UTC").await.unwrap();
    let sample = NewSample { quantity: Quantity::Power, at_ms: 599_500, value: 90.0 };
    store.add_samples(1, &[sample]).await.unwrap();
    assert_eq!(store.unpacked_logs().await.unwrap(), [1]);
    store.pack_log(1).await.unwrap();
    assert!(store.unpacked_logs().await.unwrap().is_empty());
    store.close().await;
    flindo_store::verify(&path).await.unwrap();
}

/// Which meter read what is of the test: chosen, replaced, taken back, each time a row; and a change of it is seen.
#[tokio::test]
async fn the_meters_of_a_test_are_rows_that_are_added() {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-1").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    let gear = |name: &str| flindo_store::GearDraft {
        kind: GearKind::Meter,
        name: name.to_owned(),
        notes: String::new(),
        typed: [("calibrated".to_owned(), "2026-03-14".to_owned())].into(),
    };
    for name in ["Shed meter", "Yard meter"] {
        bench.store.add_gear(&gear(name)).await.unwrap();
    }
    let rows = bench.store.gear().await.unwrap();
    let of = |name: &str| {
        let row = rows.iter().find(|row| row.draft.name == name).unwrap();
        let place = Some(MeterPosition::String);
        MeterUse { reads: Reads::Volts, place, meter: row.uid.clone(), calibrated: "2026-03-14".to_owned() }
    };
    for meters in [vec![of("Shed meter")], vec![of("Shed meter")], vec![of("Yard meter")], vec![], vec![of("Shed meter")]] {
        bench.store.change_setup(test_id, &Setup::default(), &meters).await.unwrap();
        assert_eq!(bench.store.test(test_id).await.unwrap().meters, meters);
        assert_eq!(bench.store.recorded(test_id, at(0)).await.unwrap().record.meters, meters);
    }
    let outside = bench.outside().await;
    let count: i64 = sqlx::query_scalar("SELECT count(*) FROM test_meters").fetch_one(&outside).await.unwrap();
    assert_eq!(count, 4);
    assert!(sqlx::query("UPDATE test_meters SET reads = 'amps'").execute(&outside).await.is_err());
    sqlx::query("UPDATE test_meters SET crc32 = crc32 + 1 WHERE id = 4").execute(&outside).await.unwrap();
    bench.store.change_setup(test_id, &Setup { tilt_deg: 3.0, ..Setup::default() }, &[of("Shed meter")]).await.unwrap();
    let error = bench.store.test(test_id).await.unwrap_err().to_string();
    assert!(error.contains("(volts) of a test"), "{error}");
}

#[tokio::test]
async fn what_a_record_was_stays_beside_it() {
    let bench = TempBench::new().await;
    let (panel_id, draft) = bench.panel("U-1").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    bench.store.change_panel(panel_id, &flindo_store::PanelDraft { age_years: Some(12.0), ..draft }).await.unwrap();
    bench.store.change_setup(test_id, &Setup { tilt_deg: 12.5, ..Setup::default() }, &[]).await.unwrap();
    let outside = bench.outside().await;
    let rows: Vec<(String, i64, String)> =
        sqlx::query_as("SELECT what, row_id, content FROM revisions ORDER BY id").fetch_all(&outside).await.unwrap();
    assert_eq!((rows.len(), rows[0].0.as_str(), rows[0].1, rows[1].0.as_str()), (2, "panels", panel_id, "tests"));
    let panel: serde_json::Value = serde_json::from_str(&rows[0].2).unwrap();
    assert_eq!((panel["tag"].as_str(), panel["age_years"].as_f64()), (Some("U-1"), Some(9.0)));
    let setup: serde_json::Value = serde_json::from_str(&rows[1].2).unwrap();
    assert_eq!(setup["tilt_deg"].as_f64(), Some(Setup::default().tilt_deg));
    assert!(sqlx::query("UPDATE revisions SET content = ''").execute(&outside).await.is_err());
}

#[tokio::test]
async fn a_withdrawn_record_leaves_the_lists_and_comes_back() {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-1").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    let store = &bench.store;
    let (test, panel) = ((Withdrawable::Test, test_id), (Withdrawable::Panel, panel_id));
    store.withdraw(test, true, "typed twice", at(1)).await.unwrap();
    store.withdraw(test, true, "again", at(2)).await.unwrap();
    assert_eq!((store.count_tests(None).await.unwrap(), store.test_states().await.unwrap().len()), (0, 0));
    assert!(store.test(test_id).await.is_ok());
    assert_eq!(store.uses(Withdrawable::Panel, panel_id).await.unwrap(), [(1, "test")]);
    store.withdraw(panel, true, "sold", at(3)).await.unwrap();
    assert!(store.panels().await.unwrap().is_empty());
    // A test of a withdrawn panel is still read.
    assert!(store.recorded(test_id, at(4)).await.is_ok());
    let all: Vec<_> = store.withdrawn().await.unwrap().into_iter().map(|one| (one.what, one.name, one.reason)).collect();
    let (first, second) = (&all[0], &all[1]);
    assert_eq!((first.0, first.1.as_str(), first.2.as_str()), (Withdrawable::Panel, "U-1", "sold"));
    assert_eq!((second.0, second.2.as_str()), (Withdrawable::Test, "typed twice"));
    store.withdraw(test, false, "", at(5)).await.unwrap();
    store.withdraw(panel, false, "", at(6)).await.unwrap();
    assert_eq!((store.count_tests(None).await.unwrap(), store.panels().await.unwrap().len()), (1, 1));
    assert!(store.withdrawn().await.unwrap().is_empty());
}

#[tokio::test]
async fn a_withdrawal_of_nothing_or_of_the_place_in_use_is_refused() {
    let bench = TempBench::new().await;
    let none = bench.store.withdraw((Withdrawable::Log, 9), true, "", at(0)).await;
    assert!(matches!(none, Err(StoreError::NotFound("log"))));
    let (panel_id, _) = bench.panel("U-1").await;
    let place_id = bench.store.add_place(&bench::garden("Upper well")).await.unwrap();
    let in_use = bench.store.withdraw((Withdrawable::Place, place_id), true, "", at(0)).await;
    assert!(matches!(in_use, Err(StoreError::Conflict(_))));
    bench.store.add_place(&bench::garden("Lower well")).await.unwrap();
    bench.store.withdraw((Withdrawable::Place, place_id), true, "", at(0)).await.unwrap();
    assert_eq!(bench.store.places().await.unwrap().len(), 1);
    let long = "x".repeat(2001);
    let refused = bench.store.withdraw((Withdrawable::Panel, panel_id), true, &long, at(0)).await;
    assert!(matches!(refused, Err(StoreError::Refused(_))));
    assert_eq!(bench.store.panels().await.unwrap().len(), 1);
}
