//! Comparisons that a limit, a cloud or a missing figure bears on: a level that was held gives at least what was read, one reading that
//! speaks against all others is left out by name, and amps alone tell amps. Worked out by hand; the label is invented.

use crate::worlds::panels::kinds;
use crate::worlds::{Line, at_hour, record, with_rig};
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::record::plan::PlanTyped;
use flindo_core::record::question::Question;
use flindo_core::record::run::{RunEvent, RunEventKind};
use flindo_core::record::setup::{Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::rig::Sink;
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::comparison::Compared;
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::finding::Effect;

fn station(max_input_w: &str) -> Sink {
    let fields = [("min_input_v", "11"), ("max_input_v", "60"), ("max_input_w", max_input_w), ("state_of_charge_percent", "40")];
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    let Gear::Station(station) = GearKind::Station.check(&typed).unwrap() else { panic!("a station") };
    Sink::Station { name: "station".to_owned(), station }
}

/// Runs two minutes apart from 12:24 UTC on: (run on the sheet from 0, line).
fn test(question: Question, load: Load, plan: &[(&str, &str)], typed: &[(usize, &str)]) -> TestRecord {
    let mut planned = PlanTyped::default();
    let named = [("question", question.name()), ("order", "aba")];
    named.iter().chain(plan).for_each(|(name, text)| assert!(planned.set(name, *text), "{name}"));
    let setup = Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load, ..Setup::default() };
    let line = |(nth, (run, typed)): (usize, &(usize, &str))| Line {
        run: Some(*run),
        unix_s: at_hour(12.4) + 60.0 * nth as f64,
        typed: (*typed).to_owned(),
        sky: None,
    };
    let lines: Vec<Line> = typed.iter().enumerate().map(line).collect();
    record(question, kinds()[0].label("3 %"), setup, Some(&planned), &lines)
}

const TILTS: [(&str, &str); 2] = [("baseline", "flat"), ("levels", "30")];

/// 120 W of a port of 125 W are its limit; 90 W are the panel's own.
#[test]
fn a_level_at_a_limit_gives_at_least_that() {
    let of = |lines: &[(usize, &str)], max_input_w: &str| {
        let record = with_rig(test(Question::FlatOrTilted, Load::TrackingController, &TILTS, lines), station(max_input_w));
        let assessment = assess(&record).unwrap();
        (assessment.level_verdict(1), assessment.is_held(0), assessment.is_held(1))
    };
    let rising = [(0, "90.0 W"), (1, "120.0 W"), (2, "90.0 W")];
    let (verdict, ..) = of(&rising, "125");
    let LevelVerdict::AtLeast { low_percent } = verdict else { panic!("{verdict:?}") };
    assert!((128.0..133.4).contains(&low_percent), "{low_percent}");
    assert_eq!(of(&rising, "300"), (LevelVerdict::More, false, false));
    // The baseline at its limit: what is less of it is less still, what is more cannot be told.
    let falling = [(0, "120.0 W"), (1, "90.0 W"), (2, "120.0 W")];
    assert_eq!(of(&falling, "125"), (LevelVerdict::Less, true, false));
    assert_eq!(of(&[(0, "119.0 W"), (1, "124.0 W"), (2, "119.0 W")], "125"), (LevelVerdict::CantTell, true, true));
}

/// What a limit held may be as good as the level above it: it shares its rank.
#[test]
fn a_held_level_is_not_ranked_behind_another() {
    let plan = [("baseline", "none"), ("levels", "one cell; left column")];
    let lines = [(0, "124.0 W"), (1, "90.0 W"), (2, "124.0 W"), (3, "60.0 W"), (4, "124.0 W")];
    let ranks = |max_input_w: &str| {
        let test = test(Question::ShadeCost, Load::TrackingController, &plan, &lines);
        let record = with_rig(test, station(max_input_w));
        let assessment = assess(&record).unwrap();
        let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
        let mut ranking: Vec<(usize, usize)> = found.ranking.iter().map(|one| (one.level, one.low)).collect();
        ranking.sort_unstable();
        ranking
    };
    assert_eq!(ranks("300"), [(0, 1), (1, 2), (2, 3)]);
    // 90 W at a port of 92 W: held; 124 W are over it and as well.
    assert_eq!(ranks("92"), [(0, 1), (1, 1), (2, 3)]);
}

/// 384 W three times and 345 W once, baselines of 340 W that repeat: 112.9 % without the clouded one.
#[test]
fn one_clouded_reading_is_left_out_by_name() {
    let plan = [("baseline", "flat"), ("levels", "30"), ("readings_per_run", "2"), ("times", "2")];
    let clouded = [
        (0, "340.0 W"),
        (0, "340.2 W"),
        (1, "384.0 W"),
        (1, "345.0 W"),
        (2, "340.1 W"),
        (2, "340.0 W"),
        (3, "384.2 W"),
        (3, "383.9 W"),
        (4, "340.0 W"),
        (4, "340.1 W"),
    ];
    let record = test(Question::FlatOrTilted, Load::LoadTester, &plan, &clouded);
    let assessment = assess(&record).unwrap();
    let level = &assessment.outcome.comparison().unwrap().as_ref().unwrap().levels[0].difference;
    assert!((level.percent - 112.9).abs() < 0.1 && level.u_percent < 6.0, "{level:?}");
    let left_out: Vec<_> = assessment.named.iter().filter(|one| one.effect == Effect::LeftOut).collect();
    assert_eq!(left_out.len(), 1);
    assert_eq!((left_out[0].finding.code(), left_out[0].reading_uid.as_deref()), ("out_of_pattern", Some("reading-00003")));
    assert!(!assessment.readings[3].left_out.is_empty() && assessment.readings[2].left_out.is_empty());
    // Two that differ, and nothing that tells which: both stay, and the interval holds both.
    let open = [(0, "340.0 W"), (1, "384.0 W"), (1, "345.0 W"), (2, "340.0 W")];
    let mut record = test(Question::FlatOrTilted, Load::LoadTester, &plan[..3], &open);
    for confirmed in [None, Some(1), Some(2)] {
        // Confirming one of the two is no word against the other.
        if let Some(nth) = confirmed {
            let at_utc = record.readings[nth].taken_utc;
            let text = record.readings[nth].uid.clone();
            record.runs[1].events =
                vec![RunEvent { uid: String::new(), what: RunEventKind::Confirmed, text, at_utc, run_id: record.runs[1].id }];
        }
        let assessment = assess(&record).unwrap();
        assert!(assessment.named.iter().all(|one| one.effect != Effect::LeftOut), "{confirmed:?}");
    }
    let assessment = assess(&record).unwrap();
    let level = &assessment.outcome.comparison().unwrap().as_ref().unwrap().levels[0].difference;
    assert!(level.percent - level.u_percent < 345.0 / 3.4 && level.percent + level.u_percent > 384.0 / 3.4, "{level:?}");
}

/// A bypassed substring keeps its amps: 7.5 of 7.6 A say nothing of the watts. Amps at a battery do: its volts hardly move.
#[test]
fn amps_of_a_panel_do_not_tell_what_shade_costs() {
    let plan = [("baseline", "none"), ("levels", "one cell")];
    let of = |load: Load, lines: &[(usize, &str)]| {
        let record = test(Question::ShadeCost, load, &plan, lines);
        let assessment = assess(&record).unwrap();
        let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
        let is_named = assessment.named.iter().any(|one| one.finding.code() == "amps_alone");
        (found.compared, (found.levels[0].difference.percent * 10.0).round() / 10.0, assessment.level_verdict(1), is_named)
    };
    let (compared, percent, verdict, is_named) = of(Load::LoadTester, &[(0, "7.60 A"), (1, "7.50 A"), (2, "7.60 A")]);
    assert_eq!((compared, percent, verdict, is_named), (Compared::Current, 98.7, LevelVerdict::CantTell, true));
    let (compared, percent, verdict, is_named) =
        of(Load::TrackingController, &[(0, "out 7.60 A"), (1, "out 3.20 A"), (2, "out 7.60 A")]);
    assert_eq!((compared, percent, verdict, is_named), (Compared::OutputCurrent, 42.1, LevelVerdict::Less, false));
    // Volts beside them, and they are watts.
    let (compared, ..) = of(Load::LoadTester, &[(0, "30.0 V 7.60 A"), (1, "20.0 V 7.50 A"), (2, "30.0 V 7.60 A")]);
    assert_eq!(compared, Compared::Watts);
}
