//! Planned tests, what happens to their runs, photos and logs, on a real file.

use crate::bench::{TempBench, at, new_reading};
use flindo_core::measure::quantity::Quantity;
use flindo_core::record::condition::{Condition, Conditions, Factor};
use flindo_core::record::names::Names;
use flindo_core::record::plan::{PlanTyped, check};
use flindo_core::record::question::Question;
use flindo_core::record::run::{RunEventKind, RunState};
use flindo_core::record::setup::{Load, Setup};
use flindo_store::{Acknowledgement, NewEvent, NewPhoto, NewReading, NewRun, NewSample, StoreError, TestDraft};

fn event(uid: &str, what: RunEventKind, second: i64) -> NewEvent {
    NewEvent { uid: uid.to_owned(), what, text: "a gust".into(), at_utc: at(second) }
}

fn sheet(levels: &[usize]) -> Vec<NewRun> {
    let run = |(place, level): (usize, &usize)| NewRun {
        place: place as i64 + 1,
        level: *level,
        rig: 0,
        is_added: false,
        planned_utc: Some(at(place as i64 * 120)),
        state: None,
    };
    levels.iter().enumerate().map(run).collect()
}

async fn planned(bench: &TempBench) -> i64 {
    let (panel_id, _) = bench.panel("T-1").await;
    let mut typed = PlanTyped::default();
    assert!(typed.set("question", "which_tilt") && typed.set("levels", "15; 25"));
    let plan = check(&typed, Load::LoadTester, &Names::default()).unwrap();
    let draft =
        TestDraft { question: Question::WhichTilt, plan: Some(plan), ..TestDraft::of_rating(panel_id, None, Setup::default()) };
    bench.store.add_planned_test(&draft, &sheet(&[0, 1, 0]), at(0)).await.unwrap()
}

#[tokio::test]
async fn a_plan_comes_back_with_its_runs_and_what_happened_to_them() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let test = bench.store.test(id).await.unwrap();
    assert_eq!((test.question, test.plan.unwrap().level_name(2).as_str()), (Question::WhichTilt, "25"));
    let runs = bench.store.runs(id).await.unwrap();
    assert_eq!(runs.iter().map(|run| (run.place, run.level)).collect::<Vec<_>>(), [(1, 0), (2, 1), (3, 0)]);
    assert_eq!(runs[0].state(), RunState::Waiting);

    bench.store.add_event(id, runs[0].id, &event("e1", RunEventKind::Begun, 5)).await.unwrap();
    bench.store.add_event(id, runs[0].id, &event("e1", RunEventKind::Begun, 5)).await.unwrap();
    bench.store.add_event(id, runs[0].id, &event("e2", RunEventKind::Cloud, 9)).await.unwrap();
    bench.store.add_event(id, runs[1].id, &event("e3", RunEventKind::Skipped, 20)).await.unwrap();
    let runs = bench.store.runs(id).await.unwrap();
    assert_eq!((runs[0].state(), runs[0].begun_utc(), runs[0].events.len()), (RunState::Begun, Some(at(5)), 2));
    assert_eq!(runs[1].state(), RunState::Skipped);
    bench.store.add_event(id, runs[1].id, &event("e4", RunEventKind::Resumed, 60)).await.unwrap();
    assert_eq!(bench.store.runs(id).await.unwrap()[1].state(), RunState::Begun);
    let other = bench.store.add_event(id + 1, runs[1].id, &event("e5", RunEventKind::Note, 61)).await;
    assert!(matches!(other, Err(StoreError::NotFound("run"))));
}

/// A run of a plan has no state of its own, and an event cannot pretend to be one.
#[tokio::test]
async fn only_a_run_with_a_state_has_one_to_correct() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let run = bench.store.runs(id).await.unwrap()[0].id;
    let state = Conditions::from([(Factor::Tilt, Condition::degrees(30.0))]);
    let of_plan = bench.store.correct_state(id, run, ("right", at(5)), &state).await;
    assert!(matches!(of_plan, Err(StoreError::Conflict(_))), "{of_plan:?}");
    let as_event = bench.store.add_event(id, run, &event("e9", RunEventKind::Corrected, 5)).await;
    assert!(matches!(as_event, Err(StoreError::Conflict(_))), "{as_event:?}");
    let first = bench.store.begin_state(id, "begun", &state, at(6)).await.unwrap();
    // The newest moment counts, in whatever order the rows came; the same one again adds nothing.
    for (uid, tilt_deg, minute) in [("late", 40.0, 9), ("early", 20.0, 8), ("late", 50.0, 10)] {
        let state = Conditions::from([(Factor::Tilt, Condition::degrees(tilt_deg))]);
        bench.store.correct_state(id, first, (uid, at(minute)), &state).await.unwrap();
    }
    let runs = bench.store.runs(id).await.unwrap();
    let stands = runs.iter().find(|run| run.id == first).unwrap();
    assert_eq!(stands.state, Some(Conditions::from([(Factor::Tilt, Condition::degrees(40.0))])));
    let missing = bench.store.correct_state(id + 1, first, ("other", at(9)), &state).await;
    assert!(matches!(missing, Err(StoreError::NotFound("run"))));
}

#[tokio::test]
async fn a_repeated_baseline_comes_last_and_is_added_once() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let first = bench.store.repeat_level(id, 0, 0, &event("again", RunEventKind::Begun, 30)).await.unwrap();
    assert_eq!(bench.store.repeat_level(id, 0, 0, &event("again", RunEventKind::Begun, 30)).await.unwrap(), first);
    let runs = bench.store.runs(id).await.unwrap();
    assert_eq!((runs.len(), runs[3].place, runs[3].is_added, runs[3].state()), (4, 4, true, RunState::Begun));
    let plain = bench.ready().await;
    assert!(bench.store.repeat_level(plain, 0, 0, &event("none", RunEventKind::Begun, 30)).await.is_err());
}

#[tokio::test]
async fn what_happened_is_never_changed() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let run = bench.store.runs(id).await.unwrap()[0].id;
    bench.store.add_event(id, run, &event("e1", RunEventKind::Begun, 5)).await.unwrap();
    let outside = bench.outside().await;
    assert!(sqlx::query("UPDATE run_events SET text = ''").execute(&outside).await.is_err());
    assert!(sqlx::query("DELETE FROM run_events").execute(&outside).await.is_err());
}

#[tokio::test]
async fn a_reading_knows_its_run() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let run = bench.store.runs(id).await.unwrap()[1].id;
    bench.store.accept(id, &NewReading { run_id: Some(run), ..new_reading("r1", "80 W") }, at(9)).await.unwrap();
    assert_eq!(bench.store.readings(id).await.unwrap()[0].what.run_id, Some(run));
}

#[tokio::test]
async fn a_stop_is_acknowledged_once_and_stays() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let stop = Acknowledgement { key: "meter 113".into(), risk: "too many volts".into(), why: "113 V".into(), at_utc: at(3) };
    bench.store.acknowledge(id, &stop).await.unwrap();
    bench.store.acknowledge(id, &Acknowledgement { at_utc: at(8), ..stop.clone() }).await.unwrap();
    assert_eq!(bench.store.acknowledgements(id).await.unwrap(), [stop]);
}

#[tokio::test]
async fn photos_are_kept_by_test() {
    let bench = TempBench::new().await;
    let id = planned(&bench).await;
    let photo = NewPhoto {
        run_id: None,
        caption: "the prop".into(),
        media_type: "image/png",
        width_px: 4,
        height_px: 3,
        bytes: vec![1, 2, 3],
        thumbnail: vec![4],
    };
    let photo_id = bench.store.add_photo(id, &photo, at(4)).await.unwrap();
    assert_eq!(bench.store.photo_file(id, photo_id).await.unwrap(), ("image/png".to_owned(), vec![1, 2, 3]));
    assert_eq!(bench.store.photo_thumbnail(id, photo_id).await.unwrap(), Some(vec![4]));
    assert!(bench.store.photo_thumbnail(id + 1, photo_id).await.is_err());
    assert_eq!(bench.store.photos(id).await.unwrap()[0].caption, "the prop");
    assert!(bench.store.photo_file(id + 1, photo_id).await.is_err());
    bench.store.remove_photo(id, photo_id).await.unwrap();
    assert!(bench.store.photos(id).await.unwrap().is_empty() && bench.store.remove_photo(id, photo_id).await.is_err());
}

#[tokio::test]
async fn samples_of_a_log_are_thinned_for_the_eye_and_whole_for_the_file() {
    let bench = TempBench::new().await;
    let log = bench.store.begin_log(None, None, "pump", at(0)).await.unwrap();
    let sample = |nth: i64| NewSample { quantity: Quantity::Power, at_ms: nth * 200, value: nth as f64 };
    let samples: Vec<NewSample> = (0..5000).map(sample).collect();
    bench.store.add_samples(log, &samples).await.unwrap();
    bench.store.add_samples(log, &samples[..10]).await.unwrap();
    bench.store.end_log(log, at(1000)).await.unwrap();
    let row = bench.store.log(log).await.unwrap();
    assert_eq!((row.samples, row.ended_utc), (5000, Some(at(1000))));
    let buckets = bench.store.log_window(&row, Quantity::Power, (0, 1_000_000), 100).await.unwrap();
    assert!((90..=101).contains(&buckets.len()) && buckets[0].1 == 0.0 && buckets[buckets.len() - 1].3 == 4999.0);
    let page = bench.store.log_page(log, Quantity::Power, 199, 3).await.unwrap();
    assert_eq!((&page.samples[..], page.until_ms), (&[(200, 1.0), (400, 2.0), (600, 3.0)][..], Some(600)));
    assert_eq!(bench.store.samples_around(log, 500).await.unwrap(), (Some(400), Some(600)));
    assert_eq!(bench.store.samples_around(log, -1).await.unwrap(), (None, Some(0)));
    assert_eq!(bench.store.log_quantities(log).await.unwrap(), [Quantity::Power]);
    // Packed, it is the same log.
    let before = bench.store.log_samples(log, Quantity::Power, (i64::MIN, i64::MAX)).await.unwrap();
    assert_eq!(bench.store.unpacked_logs().await.unwrap(), [log]);
    bench.store.pack_log(log).await.unwrap();
    assert!(bench.store.unpacked_logs().await.unwrap().is_empty());
    assert_eq!(bench.store.log_samples(log, Quantity::Power, (i64::MIN, i64::MAX)).await.unwrap(), before);
    assert_eq!(bench.store.samples_around(log, 500).await.unwrap(), (Some(400), Some(600)));
    assert_eq!(bench.store.samples_around(log, -1).await.unwrap(), (None, Some(0)));
    // Of a short window every sample, and those beside it, so that a line can leave it.
    let window = bench.store.log_window(&row, Quantity::Power, (500_000, 501_000), 1000).await.unwrap();
    assert!(window.len() > 5 && window.contains(&(500_200, 2501.0, 2501.0, 2501.0)));
    assert!(bench.store.log_window(&row, Quantity::Voc, (0, 1_000_000), 100).await.unwrap().is_empty());
}

/// A long log is put together from its minutes: the same means, and no peak lost, whatever the order in which the samples came.
#[tokio::test]
async fn a_long_log_keeps_its_means_and_its_peaks() {
    let bench = TempBench::new().await;
    let log = bench.store.begin_log(None, None, "pump", at(0)).await.unwrap();
    let value = |nth: i64| if nth == 33_333 { 900.0 } else { (nth % 7) as f64 };
    let sample = |nth: i64| NewSample { quantity: Quantity::Power, at_ms: nth * 1000, value: value(nth) };
    let samples: Vec<NewSample> = (0..50_000).map(sample).collect();
    let (even, odd): (Vec<_>, Vec<_>) = samples.iter().partition(|sample| sample.at_ms % 2000 == 0);
    for half in [odd, even] {
        for part in half.chunks(4096) {
            bench.store.add_samples(log, part).await.unwrap();
        }
    }
    let row = bench.store.log(log).await.unwrap();
    assert_eq!(row.samples, 50_000);
    let buckets = bench.store.log_window(&row, Quantity::Power, (0, 50_000_000), 100).await.unwrap();
    assert!((80..=101).contains(&buckets.len()), "{}", buckets.len());
    let of_bucket = |nth: usize| {
        let (from_ms, to_ms) = (buckets[nth].0, buckets.get(nth + 1).map_or(i64::MAX, |next| next.0));
        let values: Vec<f64> = samples.iter().filter(|one| (from_ms..to_ms).contains(&one.at_ms)).map(|one| one.value).collect();
        (values.iter().sum::<f64>() / values.len() as f64, values.iter().copied().fold(0.0, f64::max))
    };
    for (nth, (_, low, mean, high)) in buckets.iter().enumerate() {
        let (wanted_mean, wanted_high) = of_bucket(nth);
        assert!((mean - wanted_mean).abs() < 1e-9 && *high == wanted_high && *low == 0.0, "bucket {nth}");
    }
    assert_eq!(buckets.iter().map(|bucket| bucket.3).fold(0.0, f64::max), 900.0);
}

/// While a log is packed, whoever reads it sees each sample once, at every moment. Forty logs, since what could be seen in between is
/// short.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_log_that_is_being_packed_is_read_whole() {
    let bench = TempBench::new().await;
    let samples: Vec<NewSample> =
        (0..6_000).map(|nth| NewSample { quantity: Quantity::Power, at_ms: nth * 1000, value: nth as f64 }).collect();
    for _ in 0..40 {
        let log = bench.store.begin_log(None, None, "pump", at(0)).await.unwrap();
        bench.store.add_samples(log, &samples).await.unwrap();
        bench.store.end_log(log, at(6_000)).await.unwrap();
        let store = bench.store.clone();
        let packing = tokio::spawn(async move { store.pack_log(log).await });
        let mut is_packed = false;
        while !is_packed {
            is_packed = packing.is_finished();
            let seen = bench.store.log_samples(log, Quantity::Power, (i64::MIN, i64::MAX)).await.unwrap();
            assert!(seen.len() == 6_000 && seen.windows(2).all(|pair| pair[1].0 - pair[0].0 == 1000), "{}", seen.len());
            let page = bench.store.log_page(log, Quantity::Power, -1, 3000).await.unwrap();
            assert!(page.samples[0].0 == 0 && page.samples.len() >= 3000, "{:?}", page.samples.first());
        }
        packing.await.unwrap().unwrap();
    }
    assert!(bench.store.unpacked_logs().await.unwrap().is_empty());
}
