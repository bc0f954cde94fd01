//! Every finding with and without: taken out of the table of effects, the verdict of the same readings changes, unless the table tells it
//! only. Worlds and labels are invented.

use crate::worlds;
use crate::worlds::panels::kinds;
use crate::worlds::traps::{self, Trap};
use crate::worlds::{Line, aba, at_hour, record};
use flindo_core::record::question::Question;
use flindo_core::record::run::{RunEvent, RunEventKind};
use flindo_core::record::setup::{Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::assess::{assess_by, assess_measured};
use flindo_core::verdict::effect::effect;
use flindo_core::verdict::finding::Effect;

/// What a person takes from a test: verdicts of panels and levels, and which readings count.
fn verdicts(record: &TestRecord, without: Option<&str>) -> Vec<String> {
    let of = assess_by(record, &|finding, seen, asked| {
        if Some(finding.code()) == without { Effect::Told } else { effect(finding, seen, asked) }
    })
    .unwrap();
    let ratings = of.levels.iter().map(|level| of.rating_verdict(level.level).name().to_owned());
    let levels = of.levels.iter().skip(1).map(|level| of.level_verdict(level.level).name().to_owned());
    let left_out = of.readings.iter().map(|reading| reading.left_out.len().to_string());
    ratings.chain(levels).chain(left_out).collect()
}

/// The effects that a code has in a test.
fn effects(record: &TestRecord, code: &str) -> Vec<Effect> {
    let assessment = assess_measured(record).unwrap();
    let of = assessment.named.iter().filter(|named| named.finding.code() == code).map(|named| named.effect);
    of.collect()
}

/// Of most seeds: a limit that takes little leaves some verdicts as they were.
#[test]
fn a_trap_taken_out_of_the_table_changes_its_verdict() {
    for (trap, code, wanted) in [
        (Trap::PortAmps, "capped", Effect::LeftOut),
        (Trap::ControllerAmps, "capped", Effect::LeftOut),
        (Trap::FlatTop, "capped", Effect::LeftOut),
        (Trap::OpenTimesShort, "open_times_short", Effect::LeftOut),
        (Trap::SunImpossible, "sun_impossible", Effect::LeftOut),
        (Trap::Fahrenheit, "unit_slip", Effect::LeftOut),
        (Trap::MilliampsAsAmps, "unit_slip", Effect::LeftOut),
        (Trap::ThrottledAtChargeLimit, "throttled", Effect::LeftOut),
        (Trap::BatteryFull, "throttled", Effect::Forbids),
        (Trap::FlatSensor, "sensor_not_in_plane", Effect::Forbids),
        (Trap::OvercastTilt, "sky_unsteady", Effect::Forbids),
        (Trap::BrokenWithoutMeter, "sky_unsteady", Effect::Forbids),
        (Trap::WrongLabel, "wrong_label", Effect::Forbids),
        (Trap::OverUnity, "over_unity", Effect::Forbids),
    ] {
        let tests: Vec<TestRecord> = (0..12).map(|seed| traps::test(trap, seed, true)).collect();
        let named: Vec<&TestRecord> = tests.iter().filter(|record| effects(record, code).contains(&wanted)).collect();
        assert!(named.len() >= 10, "{trap:?}: {code} is {wanted:?} in {} of 12", named.len());
        let changed = named.iter().filter(|record| verdicts(record, None) != verdicts(record, Some(code))).count();
        assert!(changed >= 6, "{trap:?}: without {code} {changed} of {} change", named.len());
    }
}

/// Told only: what the panel itself has, and what leaves the difference as it is.
#[test]
fn what_is_told_only_leaves_the_verdict() {
    for (trap, code) in [
        (Trap::SubstringOut, "substring_out"),
        (Trap::WeakCurrent, "weak_current"),
        (Trap::HighResistance, "high_resistance"),
        (Trap::TwoChanges, "two_changes"),
    ] {
        for seed in 0..12 {
            let record = traps::test(trap, seed, true);
            let of = effects(&record, code);
            assert!(of.iter().all(|effect| *effect == Effect::Told), "{trap:?} {seed}: {of:?}");
            assert_eq!(verdicts(&record, None), verdicts(&record, Some(code)), "{trap:?} {seed}");
        }
    }
}

fn lines(runs: &[&[&str]]) -> Vec<Line> {
    let each = runs.iter().enumerate().flat_map(|(run, typed)| typed.iter().map(move |typed| (run, (*typed).to_owned())));
    let at = |nth: usize| at_hour(12.4) + 60.0 * nth as f64;
    each.enumerate().map(|(nth, (run, typed))| Line { run: Some(run), unix_s: at(nth), typed, sky: None }).collect()
}

fn setup(load: Load) -> Setup {
    Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load, ..Setup::default() }
}

/// Baseline, level, baseline.
fn compared(question: Question, baseline: &str, level: &str, load: Load, lines: &[Line]) -> TestRecord {
    let typed = aba(question, baseline, level);
    record(question, kinds()[0].label("3 %"), setup(load), Some(&typed), lines)
}

fn shaded(runs: &[&[&str]]) -> TestRecord {
    compared(Question::ShadeCost, "shade none", "shade left half", Load::LoadTester, &lines(runs))
}

/// Amps of a panel leave a bypassed substring unseen; a stray reading is left out by name; a sky noted broken on all without a meter forbids.
#[test]
fn what_a_comparison_shows_acts_on_it() {
    let amps = shaded(&[&["7.60 A", "7.61 A"], &["7.50 A", "7.51 A"], &["7.60 A", "7.59 A"]]);
    assert_eq!(effects(&amps, "amps_alone"), [Effect::Forbids]);
    assert_ne!(verdicts(&amps, None), verdicts(&amps, Some("amps_alone")));

    let stray =
        shaded(&[&["180 W", "180.2 W", "180.1 W"], &["120 W", "120.1 W", "100 W", "120.2 W"], &["180 W", "180.1 W", "179.9 W"]]);
    assert!(effects(&stray, "out_of_pattern").contains(&Effect::LeftOut));
    assert_ne!(verdicts(&stray, None), verdicts(&stray, Some("out_of_pattern")));

    let mut broken = shaded(&[&["180 W", "181 W"], &["120 W", "120.4 W"], &["180 W", "180.5 W"]]);
    assert!(effects(&broken, "sky_unsteady").is_empty());
    broken.readings.iter_mut().for_each(|reading| reading.sky = Some(SkyNote::Broken));
    assert_eq!(effects(&broken, "sky_unsteady"), [Effect::Forbids]);
    assert_ne!(verdicts(&broken, None), verdicts(&broken, Some("sky_unsteady")));
}

/// The same readings with the sky noted on some of them; by place in the order they were taken.
fn under_cloud(mut record: TestRecord, note: SkyNote, clouded: &[usize]) -> TestRecord {
    for place in clouded {
        record.readings[*place].sky = Some(note);
    }
    record
}

/// Percent of the baseline of the first level, with its interval.
fn first_level(record: &TestRecord) -> (f64, f64) {
    let assessment = assess_measured(record).unwrap();
    let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
    (found.levels[0].difference.percent, found.levels[0].difference.u_percent)
}

/// A clouded reading of a level that has clean ones goes by name, and the rest is what it was without it; noted on half of them, or on all
/// of the baseline, it is the sky of the test.
#[test]
fn a_clouded_reading_beside_clean_ones_goes_alone() {
    let clean = shaded(&[&["340 W", "341 W"], &["384 W", "385 W"], &["340 W", "339 W"]]);
    let one =
        under_cloud(shaded(&[&["340 W", "341 W"], &["384 W", "345 W", "385 W"], &["340 W", "339 W"]]), SkyNote::Broken, &[3]);
    assert_eq!(effects(&one, "sky_unsteady"), [Effect::LeftOut]);
    let (percent, u_percent) = first_level(&one);
    let without = first_level(&clean);
    assert!((percent - without.0).abs() < 0.05 && (percent - 113.1).abs() < 0.1, "{percent} {without:?}");
    assert!(u_percent < 1.2 * without.1 && u_percent < 4.0, "{u_percent} {without:?}");
    assert_eq!(verdicts(&one, None)[2..3], ["more"]);

    let runs: &[&[&str]] = &[&["340 W", "341 W"], &["384 W", "385 W"], &["340 W", "339 W"]];
    // Two of six; three of six are half; of the baseline, one run of two, and both.
    for (clouded, effect) in [
        (&[0, 2][..], Effect::LeftOut),
        (&[0, 2, 4], Effect::Forbids),
        (&[4, 5], Effect::LeftOut),
        (&[0, 1, 4, 5], Effect::Forbids),
    ] {
        let of = effects(&under_cloud(shaded(runs), SkyNote::Broken, clouded), "sky_unsteady");
        assert!(!of.is_empty() && of.iter().all(|one| *one == effect), "{clouded:?}: {of:?}");
    }
    // All of the baseline, though fewer than half of the readings: no level is told.
    let long: &[&[&str]] = &[&["340 W"], &["384 W", "385 W", "384 W", "385 W"], &["340 W"]];
    assert_eq!(verdicts(&shaded(long), None)[2], "more");
    assert_eq!(verdicts(&under_cloud(shaded(long), SkyNote::Broken, &[0, 5]), None)[2], "cant_tell");
    // Of a plane that moves overcast counts as well, of shade it does not; a sky read with every reading never.
    let tilts = |note| {
        let record = compared(Question::WhichTilt, "tilt 30", "tilt 40", Load::LoadTester, &lines(runs));
        effects(&under_cloud(record, note, &[1]), "sky_unsteady")
    };
    assert_eq!([tilts(SkyNote::Overcast), tilts(SkyNote::ThinCloud)], [vec![Effect::LeftOut], vec![]]);
    let metered: &[&[&str]] = &[&["340 W 900 W/m2", "341 W 900 W/m2"], &["384 W 900 W/m2"], &["340 W 900 W/m2"]];
    assert_eq!(effects(&under_cloud(shaded(metered), SkyNote::Broken, &[1]), "sky_unsteady"), [Effect::Told]);
}

/// A level that was read under cloud alone is not told; the other stands as it did.
#[test]
fn a_level_under_cloud_alone_forbids_itself_only() {
    let runs: &[&[&str]] =
        &[&["340 W", "341 W"], &["255 W", "256 W"], &["340 W", "339 W"], &["200 W", "201 W"], &["340 W", "341 W"]];
    let plan = aba(Question::ShadeCost, "shade none", "shade left half; shade top row");
    let both = record(Question::ShadeCost, kinds()[0].label("3 %"), setup(Load::LoadTester), Some(&plan), &lines(runs));
    assert_eq!(verdicts(&both, None)[3..5], ["less", "less"]);
    let clouded = under_cloud(both, SkyNote::Broken, &[6, 7]);
    assert_eq!(verdicts(&clouded, None)[3..5], ["less", "cant_tell"]);
    assert_eq!(effects(&clouded, "sky_unsteady"), [Effect::Forbids, Effect::Forbids]);
}

/// Broken clouds are told where the light was read beside every reading, and where it was not they go with their readings.
#[test]
fn a_moving_sky_is_told_where_its_light_was_read() {
    let plan = aba(Question::ShadeCost, "shade none", "shade left half");
    let of = |runs: &[&[&str]]| {
        let compared = record(Question::ShadeCost, kinds()[0].label("3 %"), setup(Load::LoadTester), Some(&plan), &lines(runs));
        (verdicts(&compared, None), under_cloud(compared, SkyNote::Broken, &[2]))
    };
    let (before, metered) = of(&[
        &["340 W 900 W/m2", "341 W 900 W/m2"],
        &["255 W 901 W/m2", "256 W 900 W/m2"],
        &["340 W 900 W/m2", "339 W 899 W/m2"],
    ]);
    assert_eq!((effects(&metered, "sky_unsteady"), verdicts(&metered, None)), (vec![Effect::Told], before));
    let (_, unmetered) = of(&[&["340 W", "341 W"], &["255 W", "256 W"], &["340 W", "339 W"]]);
    assert_eq!(effects(&unmetered, "sky_unsteady"), [Effect::LeftOut]);
}

/// A cloud marked on a run is over the readings that came after it, and else over the last one before: like the same note typed with them.
#[test]
fn a_cloud_marked_on_a_run_is_a_note_on_its_readings() {
    let plain = || shaded(&[&["340 W", "341 W"], &["384 W", "345 W", "385 W"], &["340 W", "339 W"]]);
    let marked = |after: usize| {
        let mut record = plain();
        let (run_id, at_utc) = (record.readings[after].run_id.unwrap(), record.readings[after].taken_utc);
        let cloud = RunEvent { uid: "cloud".to_owned(), run_id, what: RunEventKind::Cloud, text: String::new(), at_utc };
        record.runs.iter_mut().find(|run| run.id == run_id).unwrap().events.push(cloud);
        record.with_marked_clouds()
    };
    let skies = |record: &TestRecord| record.readings.iter().map(|one| one.sky.is_some()).collect::<Vec<bool>>();
    // With the first reading of the level: over the two that follow it. With its last: over that one.
    assert_eq!(skies(&marked(2)), [false, false, false, true, true, false, false]);
    assert_eq!(skies(&marked(4)), [false, false, false, false, true, false, false]);
    assert_eq!(marked(2), under_cloud(marked(2), SkyNote::Broken, &[3, 4]));
    assert_eq!(effects(&marked(2), "sky_unsteady"), [Effect::LeftOut, Effect::LeftOut]);
    assert!((first_level(&marked(2)).0 - 384.0 / 340.0 * 100.0).abs() < 0.1);
    // A sky that was clear when the mark was made is clear no more; an overcast one stays what it was.
    let mut noted = marked(4);
    noted.readings[4].sky = Some(SkyNote::Clear);
    assert_eq!(noted.with_marked_clouds().readings[4].sky, Some(SkyNote::Broken));
    let mut overcast = marked(4);
    overcast.readings[4].sky = Some(SkyNote::Overcast);
    assert_eq!(overcast.with_marked_clouds().readings[4].sky, Some(SkyNote::Overcast));
}

/// Widening is of the estimate: the same means with scatter, or without the second baseline, are a wider interval.
#[test]
fn what_widens_makes_the_interval_wider() {
    let u_percent = |record: &TestRecord| {
        let assessment = assess_measured(record).unwrap();
        let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
        found.levels[0].difference.u_percent
    };
    let quiet = shaded(&[&["180 W", "180.2 W"], &["120 W", "120.2 W"], &["180 W", "180.2 W"]]);
    for code in ["sky_unsteady", "set_up_scatter", "unbracketed"] {
        assert!(effects(&quiet, code).is_empty(), "{code}");
    }
    let unsteady = shaded(&[&["172 W", "188.2 W"], &["112 W", "128.2 W"], &["188 W", "172.2 W"]]);
    assert_eq!(effects(&unsteady, "sky_unsteady"), [Effect::Widens]);
    assert!(u_percent(&unsteady) > 3.0 * u_percent(&quiet));
    let open = shaded(&[&["180 W", "180.2 W"], &["120 W", "120.2 W"]]);
    assert_eq!(effects(&open, "unbracketed"), [Effect::Widens]);
    assert!(u_percent(&open) > 1.1 * u_percent(&quiet), "{} {}", u_percent(&open), u_percent(&quiet));
}

/// A level at its port's limit gives at least that; of two loads it is what each of them takes.
#[test]
fn a_limit_bounds_a_level_and_is_the_answer_of_a_load() {
    let rated_w = kinds()[0].label("3 %").rated_w.unwrap();
    let line = |share: f64| format!("{:.1} W", share * rated_w);
    let [low, high] = [line(0.5), line(0.599)];
    let runs: [&[&str]; 3] = [&[&low, &low], &[&high, &high], &[&low, &low]];
    let capped = |question, baseline, level| {
        let record = compared(question, baseline, level, Load::TrackingController, &lines(&runs));
        assert!(effects(&record, "capped").is_empty());
        worlds::with_rig(record, traps::station(30.0, 0.6 * rated_w, 40.0))
    };
    let tilts = capped(Question::WhichTilt, "tilt 30", "tilt 40");
    // The preflight expects it; two readings meet it.
    assert_eq!(effects(&tilts, "capped"), [Effect::Told, Effect::Bounds, Effect::Bounds]);
    assert!(verdicts(&tilts, None).contains(&"at_least".to_owned()));
    assert!(!verdicts(&tilts, Some("capped")).contains(&"at_least".to_owned()));
    let loads = capped(Question::WhichController, "load tracking", "load tester");
    assert!(effects(&loads, "capped").iter().all(|effect| *effect == Effect::Told));
}

/// Light on the rear can only have added watts: it forbids "above", and is told once it was read.
#[test]
fn light_on_the_rear_forbids_above() {
    let mut label = kinds()[0].label("3 %");
    label.bifaciality = Some(0.7);
    let at_noon = |watts_rel: f64, rear: &str| {
        let typed = format!("{:.1} W 1000 W/m2 25 C {rear}", watts_rel * label.rated_w.unwrap());
        let line = |nth: f64| Line { run: None, unix_s: at_hour(12.4) + 60.0 * nth, typed: typed.clone(), sky: None };
        let mut setup = setup(Load::LoadTester);
        setup.instruments.sun_percent = 0.5;
        record(Question::MakesRating, label.clone(), setup, None, &[line(0.0), line(1.0), line(2.0)])
    };
    let bright = at_noon(1.08, "");
    assert_eq!(effects(&bright, "rear_light"), [Effect::Forbids]);
    assert_ne!(verdicts(&bright, None), verdicts(&bright, Some("rear_light")));
    assert_eq!(effects(&at_noon(1.08, "rear 90"), "rear_light"), [Effect::Told]);
    assert_eq!(verdicts(&at_noon(0.8, ""), None)[0], "below");
}
