//! The logbook on a real SQLite file: what is added stays, what is changed is a revision.

use crate::bench::{TempBench, at, figures, new_reading};
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::record::setup::{Load, Setup};
use flindo_store::{Accepted, NewReading, PanelDraft, Revision, StoreError, lines};

#[tokio::test]
async fn a_panel_and_a_setup_come_back_as_they_went_in() {
    let bench = TempBench::new().await;
    let (panel_id, draft) = bench.panel("T-1").await;
    assert_eq!(bench.store.panel(panel_id).await.unwrap().draft, draft);
    let setup = Setup { load: Load::TrackingController, tilt_deg: 12.5, ..Setup::default() };
    let test_id = bench.test(panel_id, setup).await;
    assert_eq!(bench.store.test(test_id).await.unwrap().setup, setup);
    let steeper = Setup { tilt_deg: 45.0, ..setup };
    bench.store.change_setup(test_id, &steeper, &[]).await.unwrap();
    assert_eq!(bench.store.newest_test().await.unwrap().unwrap().setup, steeper);
}

/// What shade does to a panel hangs on both; they are kept, changed, and refused where a file edited by hand spoils them.
#[tokio::test]
async fn construction_and_mounting_are_kept() {
    let bench = TempBench::new().await;
    let (panel_id, draft) = bench.panel("T-1").await;
    let mut shingled = TempBench::kind();
    assert_eq!(shingled.nameplate.construction, None);
    shingled.nameplate.construction = Some(Construction::Shingled);
    bench.store.change_kind(draft.kind_id, &shingled).await.unwrap();
    assert_eq!(bench.store.panel(panel_id).await.unwrap().kind.draft, shingled);
    let lying = Setup { mounting: Mounting::Landscape, load: Load::PwmController, ..Setup::default() };
    let test_id = bench.test(panel_id, lying).await;
    assert_eq!(bench.store.test(test_id).await.unwrap().setup, lying);
    let outside = bench.outside().await;
    sqlx::query("UPDATE tests SET mounting = 'askew'").execute(&outside).await.unwrap();
    assert!(matches!(bench.store.test(test_id).await, Err(StoreError::Corrupt(what)) if what.contains("set-up")));
    sqlx::query("UPDATE panel_kinds SET construction = 'plaited'").execute(&outside).await.unwrap();
    assert!(matches!(bench.store.panel(panel_id).await, Err(StoreError::Corrupt(what)) if what.contains("Umber 250")));
}

#[tokio::test]
async fn a_tag_is_given_once_whatever_its_case() {
    let bench = TempBench::new().await;
    let (_, draft) = bench.panel("T-1").await;
    let again = bench.store.add_panel(&PanelDraft { tag: "t-1".into(), ..draft.clone() }).await;
    assert!(matches!(again, Err(StoreError::Conflict(sentence)) if sentence.contains("t-1")));
    let (other, _) = bench.panel("T-2").await;
    assert!(matches!(bench.store.change_panel(other, &draft).await, Err(StoreError::Conflict(_))));
    assert!(matches!(bench.store.panel(99).await, Err(StoreError::NotFound("panel"))));
}

#[tokio::test]
async fn the_same_reading_sent_twice_is_there_once() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let reading = new_reading("r1", "79-81 W 880 W/m2");
    assert_eq!(bench.store.accept(test_id, &reading, at(1)).await.unwrap(), Accepted::New);
    assert_eq!(bench.store.accept(test_id, &reading, at(2)).await.unwrap(), Accepted::Already);
    let readings = bench.store.readings(test_id).await.unwrap();
    assert_eq!((readings.len(), &readings[0].what, readings[0].accepted_utc), (1, &reading, at(1)));
}

#[tokio::test]
async fn a_correction_keeps_what_was_there_and_why() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    bench.store.accept(test_id, &new_reading("r1", "56 A 18.4 V"), at(1)).await.unwrap();
    let revision = |replaces: &str, withdrawn| Some(Revision { replaces_uid: replaces.into(), reason: "slip".into(), withdrawn });
    let corrected = NewReading { revision: revision("r1", false), ..new_reading("r2", "5.6 A 18.4 V") };
    bench.store.accept(test_id, &corrected, at(2)).await.unwrap();
    let line = &lines(bench.store.readings(test_id).await.unwrap())[0];
    assert_eq!(line.current.as_ref().unwrap().what, corrected);
    assert_eq!(line.past.len(), 1);

    let second = NewReading { revision: revision("r1", false), ..new_reading("r3", "5.7 A 18.4 V") };
    let conflict = bench.store.accept(test_id, &second, at(3)).await;
    assert!(matches!(conflict, Err(StoreError::Conflict(_))), "two corrections of one reading");

    let withdrawal = NewReading { uid: "r4".into(), revision: revision("r2", true), ..corrected };
    bench.store.accept(test_id, &withdrawal, at(4)).await.unwrap();
    let line = &lines(bench.store.readings(test_id).await.unwrap())[0];
    assert!(line.current.is_none() && line.past.len() == 3);
    assert_eq!(line.newest().what.uid, "r4");
    let back = NewReading { revision: revision("r4", false), ..new_reading("r5", "5.6 A 18.4 V") };
    bench.store.accept(test_id, &back, at(5)).await.unwrap();
    assert!(lines(bench.store.readings(test_id).await.unwrap())[0].current.is_some());
}

#[tokio::test]
async fn a_revision_of_nothing_or_of_another_test_is_refused() {
    let bench = TempBench::new().await;
    let (first, second) = (bench.ready().await, bench.ready().await);
    bench.store.accept(first, &new_reading("r1", "80 W"), at(1)).await.unwrap();
    for (test_id, replaces) in [(first, "r9"), (second, "r1")] {
        let revision = Some(Revision { replaces_uid: replaces.into(), reason: "slip".into(), withdrawn: false });
        let refused = bench.store.accept(test_id, &NewReading { revision, ..new_reading("r2", "81 W") }, at(2)).await;
        assert!(matches!(refused, Err(StoreError::NotFound("reading"))));
    }
    assert!(matches!(bench.store.accept(second, &new_reading("r1", "80 W"), at(3)).await, Err(StoreError::Conflict(_))));
    assert!(matches!(bench.store.accept(99, &new_reading("r7", "80 W"), at(3)).await, Err(StoreError::NotFound("test"))));
}

#[tokio::test]
async fn the_schema_itself_keeps_readings_from_being_changed() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    bench.store.accept(test_id, &new_reading("r1", "80 W"), at(1)).await.unwrap();
    let outside = bench.outside().await;
    for statement in [
        "UPDATE readings SET note = 'better'",
        "DELETE FROM readings",
        "UPDATE reading_figures SET low = 90",
        "DELETE FROM reading_figures",
        "INSERT OR REPLACE INTO readings (id, uid, test_id, taken_utc, accepted_utc, typed, note) VALUES (1, 'r1', 1, '', '', '', '')",
    ] {
        let refused = sqlx::query(statement).execute(&outside).await;
        assert!(refused.is_err(), "{statement}");
    }
    outside.close().await;
    assert_eq!(bench.store.readings(test_id).await.unwrap()[0].what.figures, figures("80 W"));
}

#[tokio::test]
async fn the_times_of_a_day_leave_out_what_was_withdrawn_or_replaced() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    bench.store.accept(test_id, &new_reading("r1", "80 W"), at(1)).await.unwrap();
    let revision = |replaces: &str, withdrawn| Some(Revision { replaces_uid: replaces.into(), reason: "slip".into(), withdrawn });
    bench
        .store
        .accept(test_id, &NewReading { revision: revision("r1", false), ..new_reading("r2", "81 W") }, at(2))
        .await
        .unwrap();
    assert_eq!(bench.store.taken_between(at(-10), at(10)).await.unwrap(), [at(0)]);
    assert!(bench.store.taken_between(at(1), at(10)).await.unwrap().is_empty());
    bench
        .store
        .accept(test_id, &NewReading { revision: revision("r2", true), ..new_reading("r3", "81 W") }, at(3))
        .await
        .unwrap();
    assert!(bench.store.taken_between(at(-10), at(10)).await.unwrap().is_empty());
}

#[tokio::test]
async fn readings_are_shown_in_the_order_they_were_taken() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    for (uid, second) in [("late", 50), ("early", 10)] {
        let reading = NewReading { taken_utc: at(second), ..new_reading(uid, "80 W") };
        bench.store.accept(test_id, &reading, at(60)).await.unwrap();
    }
    let order: Vec<String> =
        lines(bench.store.readings(test_id).await.unwrap()).iter().map(|line| line.newest().what.uid.clone()).collect();
    assert_eq!(order, ["early", "late"]);
    assert!(bench.store.readings(test_id).await.unwrap().iter().all(|r| r.what.figures.get(Quantity::Power).is_some()));
}

/// A test that is read on from what was recorded before is the test that is read as a whole: after a reading more, a correction, one that
/// was taken back, and rows of an import that are shown later than those behind them.
#[tokio::test]
async fn a_test_is_read_on_from_what_was_recorded_before() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    for (uid, typed) in [("r1", "79 W 880 W/m2"), ("r2", "80 W 881 W/m2"), ("r3", "81 W 882 W/m2")] {
        bench.store.accept(test_id, &new_reading(uid, typed), at(1)).await.unwrap();
    }
    let mut before = bench.store.recorded(test_id, at(9)).await.unwrap();
    let revised = |uid: &str, replaces_uid: &str, withdrawn: bool| NewReading {
        revision: Some(Revision { replaces_uid: replaces_uid.to_owned(), reason: "misread".to_owned(), withdrawn }),
        ..new_reading(uid, "78 W 879 W/m2")
    };
    let later =
        [new_reading("r4", "82 W 880 W/m2"), revised("r5", "r1", false), revised("r6", "r2", true), revised("r7", "r5", false)];
    for reading in later {
        bench.store.accept(test_id, &reading, at(2)).await.unwrap();
        let whole = bench.store.recorded(test_id, at(9)).await.unwrap();
        let on = bench.store.recorded_since(&before, at(9)).await.unwrap();
        assert_eq!((&on.lines, &on.record), (&whole.lines, &whole.record), "{}", reading.uid);
        before = on;
    }
    let outside = bench.outside().await;
    sqlx::query("DROP TRIGGER readings_are_not_changed").execute(&outside).await.unwrap();
    for import_id in [Some(7), None] {
        // Before the newest one: a count alone shows it.
        sqlx::query("INSERT OR IGNORE INTO open_imports (id, begun_ms) VALUES (7, 0)").execute(&outside).await.unwrap();
        sqlx::query("UPDATE readings SET import_id = ? WHERE uid = 'r3'").bind(import_id).execute(&outside).await.unwrap();
        let whole = bench.store.recorded(test_id, at(9)).await.unwrap();
        assert_eq!(whole.record.readings.len(), if import_id.is_some() { 2 } else { 3 });
        let on = bench.store.recorded_since(&before, at(9)).await.unwrap();
        assert_eq!((&on.lines, &on.record), (&whole.lines, &whole.record));
        before = on;
    }
}
