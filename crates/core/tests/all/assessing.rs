//! Laws of the assessment: it is a pure function of the record, whose orders mean nothing and whose levels do not touch each other.
use flindo_core::measure::entry::understand;
use flindo_core::panel::label::LabelTyped;
use flindo_core::record::names::Names;
use flindo_core::record::plan::{self, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::run::Run;
use flindo_core::record::setup::Setup;
use flindo_core::record::test::{PanelRecord, ReadingRecord, TestRecord};
use flindo_core::verdict::assess::assess;
use jiff::Timestamp;
use proptest::prelude::*;

const NOON: i64 = 1_789_387_200; // 14 September 2026, 12:00 UTC

/// A shade test A B A C A with these lines, a minute apart.
fn record(levels: &str, lines: &[String]) -> TestRecord {
    let mut typed = LabelTyped::default();
    for (field, text) in [
        ("rated_w", "200"),
        ("voc_v", "24.3"),
        ("isc_a", "10.4"),
        ("vmp_v", "20.4"),
        ("imp_a", "9.81"),
        ("cells_in_series", "36"),
    ] {
        typed.set(field, text);
    }
    let label = flindo_core::panel::label::check(&typed).nameplate.unwrap();
    let panel = PanelRecord { id: "panel-1".to_owned(), tag: "S-1".to_owned(), label, ..PanelRecord::default() };
    let names = Names { panels: vec![("panel-1".to_owned(), "S-1".to_owned())], ..Names::default() };
    let setup = Setup::default();
    let typed = PlanTyped {
        question: "shade_cost".to_owned(),
        baseline: "none".to_owned(),
        levels: levels.to_owned(),
        order: "aba".to_owned(),
        settle_s: "0".to_owned(),
        ..PlanTyped::default()
    };
    let plan = plan::check(&typed, setup.load, &names).unwrap();
    let of_run = [0, 1, 0, 2, 0];
    let runs = of_run
        .iter()
        .enumerate()
        .map(|(nth, level)| Run {
            id: nth as i64 + 1,
            uid: format!("run-{nth}"),
            place: nth as i64 + 1,
            level: *level,
            rig: 0,
            is_added: false,
            planned_utc: None,
            state: None,
            events: Vec::new(),
        })
        .collect();
    let readings = lines
        .iter()
        .enumerate()
        .map(|(nth, line)| ReadingRecord {
            uid: format!("reading-{nth:04}"),
            run_id: Some(nth as i64 % 5 + 1),
            taken_utc: Timestamp::from_second(NOON + 60 * nth as i64).unwrap(),
            day_of_year: 257.5,
            sky: None,
            figures: understand(line, &setup.meaning()).unwrap().figures(),
        })
        .collect();
    TestRecord {
        question: Question::ShadeCost,
        setup,
        meters: Vec::new(),
        site: None,
        panel: "panel-1".to_owned(),
        rig: None,
        panels: vec![panel],
        gear: Vec::new(),
        rigs: Vec::new(),
        plan: Some(plan),
        runs,
        readings,
        now_utc: Timestamp::from_second(NOON + 3600).unwrap(),
    }
}

/// Percent, its interval and its verdict, of every level.
fn figures(record: &TestRecord) -> Vec<(usize, f64, f64, String)> {
    let assessment = assess(record).unwrap();
    let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
    let of = |level: usize| assessment.level_verdict(level).name().to_owned();
    found
        .levels
        .iter()
        .map(|one| (one.difference.level, one.difference.percent, one.difference.u_percent, of(one.difference.level)))
        .collect()
}

fn lines() -> impl Strategy<Value = Vec<String>> {
    let line = (120.0_f64..180.0, 700.0_f64..1000.0).prop_map(|(watts, sun)| format!("{watts:.1} W {sun:.0} W/m2"));
    prop::collection::vec(line, 5)
}

proptest! {
    #[test]
    fn the_order_of_rows_means_nothing(lines in lines(), turn in 1_usize..5) {
        let record = record("one cell; left column", &lines);
        let mut turned = record.clone();
        turned.readings.rotate_left(turn);
        turned.runs.rotate_right(turn);
        prop_assert_eq!(figures(&record), figures(&record.clone()));
        prop_assert_eq!(figures(&record), figures(&turned));
    }

    #[test]
    fn a_withdrawn_reading_leaves_no_trace(lines in lines(), watts in 1.0_f64..200.0) {
        let record = record("one cell; left column", &lines);
        let mut with_one_more = record.clone();
        let mut more = record.readings[1].clone();
        more.uid = "reading-more".to_owned();
        more.figures = understand(&format!("{watts:.1} W 800 W/m2"), &record.setup.meaning()).unwrap().figures();
        with_one_more.readings.push(more);
        // What a withdrawn reading is: no longer among those that stand.
        with_one_more.readings.retain(|reading| reading.uid != "reading-more");
        prop_assert_eq!(figures(&record), figures(&with_one_more));
    }

    /// The percent of a level is its own: neither what another is called nor what was read there moves it.
    #[test]
    fn a_levels_figure_never_depends_on_another(lines in lines(), watts in 20.0_f64..180.0) {
        let percent = |levels: &str, lines: &[String]| figures(&record(levels, lines))[0].1;
        let usual = percent("one cell; left column", &lines);
        let mut other = lines.clone();
        other[3] = format!("{watts:.1} W 850 W/m2");
        prop_assert!((percent("one cell; bottom row of cells", &lines) - usual).abs() < 1e-9);
        prop_assert!((percent("one cell; the cat", &lines) - usual).abs() < 1e-9);
        prop_assert!((percent("one cell; left column", &other) - usual).abs() < 1e-9);
    }
}
