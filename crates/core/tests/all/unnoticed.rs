//! Signs and bounds that a sample of changes of the code showed no other test to notice (docs/tests.md). Each figure is worked out by hand.

use crate::worlds::{at_hour, comparing};
use flindo_core::array::ArrayWiring;
use flindo_core::array::mismatch::{Single, unlike};
use flindo_core::energy::log::regress::points;
use flindo_core::gear::cable::Gauge;
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::load::operate::{TrackingFinding, in_and_out};
use flindo_core::measure::entry::understand;
use flindo_core::measure::logger::doubt::Assumed;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::Series;
use flindo_core::measure::series::integral::integrate;
use flindo_core::measure::series::suspect::spikes;
use flindo_core::panel::curve::At;
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::predict::sheet::{run_sheet, smallest_with_more};
use flindo_core::record::plan::Plan;
use flindo_core::rig::wiring::parse;
use flindo_core::rig::{Module, Rig, Sink, expect};
use flindo_core::sky::course::{Moment, Site};
use flindo_core::sky::place::{Horizon, Place};
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::finding::Finding;
use flindo_core::verdict::used::{Seen, judge_used};
use flindo_core::window::Window;

/// The international mile is 1609.344 m (handbook tables).
#[test]
fn wind_in_miles_an_hour() {
    let entry = understand("wind 10 mph 78 W", &Default::default()).unwrap();
    let wind = entry.figures().get(Quantity::Wind).map(|seen| seen.low).unwrap();
    assert!((wind - 4.4704).abs() < 1e-9, "{wind}");
}

/// Between the last point of a horizon and its first, around north: 10 degrees at 300, 2 at 60, so 8 at 330 and 4 at 30.
#[test]
fn a_horizon_is_straight_beyond_its_last_point_and_before_its_first() {
    let horizon = Horizon::parse("60 2, 300 10").unwrap();
    for (azimuth_deg, height_deg) in [(330.0, 8.0), (359.999, 6.0), (0.0, 6.0), (30.0, 4.0), (180.0, 6.0)] {
        assert!(
            (horizon.height_deg(azimuth_deg) - height_deg).abs() < 1e-3,
            "{azimuth_deg}: {}",
            horizon.height_deg(azimuth_deg)
        );
    }
}

/// More volts than the battery alone do not make a tracker: its amps have to rise as well.
#[test]
fn a_controller_tracks_where_volts_fall_and_amps_rise() {
    let at = |v: f64, i: f64| At { v, i };
    assert!(matches!(in_and_out(at(15.6, 5.0), at(13.0, 5.0), None, None), TrackingFinding::Unclear { .. }));
    assert!(matches!(in_and_out(at(15.6, 5.0), at(13.0, 5.7), None, None), TrackingFinding::Tracking { .. }));
    assert!(matches!(in_and_out(at(13.3, 5.0), at(13.0, 5.0), None, None), TrackingFinding::NotTracking { .. }));
}

#[test]
fn a_rig_has_up_to_120_panels() {
    assert_eq!(parse("120 x S-1").map(|strings| strings.iter().map(Vec::len).sum::<usize>()), Ok(120));
    assert!(parse("121 x S-1").is_err());
}

/// One point a minute, from the first sample on.
#[test]
fn points_of_a_log_are_a_minute_apart() {
    let series = |value: f64| Series::new((0..=6).map(|nth| (30.0 * f64::from(nth), value))).0;
    let found: Vec<f64> = points(&series(100.0), &series(800.0), &series(45.0)).iter().map(|point| point.at_s).collect();
    assert_eq!(found, [0.0, 60.0, 120.0, 180.0]);
}

/// A gap is bounded by what stands on both of its sides: 100 and 300 of at most 300 over an hour are 200 in the middle.
#[test]
fn a_gap_after_the_first_sample_is_filled_from_both_sides() {
    let at = (0..30).map(|nth| (3600.0 + 10.0 * f64::from(nth), 300.0));
    let series = Series::new(std::iter::once((0.0, 100.0)).chain(at)).0;
    let whole = integrate(&series, Window { from_s: 0.0, to_s: 3890.0 }, None);
    let [gap] = &whole.gaps[..] else { panic!("{:?}", whole.gaps) };
    assert!((gap.middle - 200.0).abs() < 1e-6 && (gap.high - 300.0).abs() < 1e-6, "{gap:?}");
}

/// Two samples out of a steady run, late in the series as well as early in it, and with the effect of what they leave.
#[test]
fn a_spike_of_two_samples_is_found_wherever_it_stands() {
    for first in [8_usize, 40, 70] {
        let value = |nth: usize| if nth == first || nth == first + 1 { 500.0 } else { 100.0 + (nth % 3) as f64 };
        let series = Series::new((0..80).map(|nth| (10.0 * nth as f64, value(nth)))).0;
        let found = spikes(&series);
        let [spike] = &found[..] else { panic!("{first}: {found:?}") };
        assert_eq!((spike.from_s, spike.to_s, spike.samples), (10.0 * first as f64, 10.0 * (first + 1) as f64, 2));
        // Two samples of 10 s, some 399 over their neighbours: 2.2 Wh.
        assert!((spike.effect - 2.22).abs() < 0.01, "{}", spike.effect);
    }
}

/// Equal panels lose nothing together, either way; of two whose amps differ by a fifth, parallel keeps more.
#[test]
fn pairs_are_told_by_the_share_of_their_sum() {
    let single = |name: &str, v: f64, i: f64| Single::measured_only(name, At { v, i });
    let equal = unlike(&[single("one", 30.0, 8.0), single("other", 30.0, 8.0)]).unwrap();
    assert!((equal.pairs[0].3 - 1.0).abs() < 1e-6, "{}", equal.pairs[0].3);
    let unlike = unlike(&[single("one", 30.0, 8.0), single("other", 30.0, 6.4)]).unwrap();
    let (_, _, way, share) = unlike.pairs[0];
    assert!(way == ArrayWiring::Parallel && (share - 1.0).abs() < 1e-3, "{way:?} {share}");
    assert_eq!((unlike.way_at(30.5), unlike.way_at(59.0)), (ArrayWiring::Parallel, ArrayWiring::Series));
}

/// The runs once more are the sheet of a plan with one time more, whose runs stand as far apart.
#[test]
fn more_runs_promise_what_a_longer_plan_would() {
    let mut seen = 0;
    for seed in 0..40 {
        let Some(plan) = comparing::World::draw(seed).read(seed).plan else { continue };
        let sheet_of = |plan: &Plan| run_sheet(plan, at_hour(11.0), None).ok().filter(|sheet| sheet.smallest_percent.is_some());
        let Some(sheet) = sheet_of(&plan) else { continue };
        let longer = Plan { times: plan.times + 1, ..plan.clone() };
        let Some(longer) = sheet_of(&longer) else { continue };
        let middle = |sheet: &flindo_core::predict::sheet::RunSheet| -> Vec<f64> {
            sheet.runs.iter().map(|run| (run.start_s + run.end_s) / 2.0).collect()
        };
        let even = |times: Vec<f64>| times.windows(2).all(|pair| (pair[1] - pair[0] - (times[1] - times[0])).abs() < 1e-6);
        if !even(middle(&sheet)) || !even(middle(&longer)) {
            continue;
        }
        let (more, expected) = (smallest_with_more(&plan, &sheet).runs_percent, longer.smallest_percent.unwrap());
        assert!((more / expected - 1.0).abs() < 1e-9, "{seed}: {more} {expected}");
        seen += 1;
    }
    assert!(seen > 5, "{seen}");
}

/// Watts and percent of one reading have the same relative uncertainty.
#[test]
fn percent_of_the_rating_is_as_uncertain_as_its_watts() {
    let record = crate::worlds::rating::World::draw(5).read(5);
    let assessment = assess(&record).unwrap();
    let points: Vec<_> = assessment.readings.iter().filter_map(|reading| reading.result.pmax.as_ref()).collect();
    assert!(!points.is_empty());
    for point in points {
        let (of_watts, of_percent) = (point.u_at_stc() / point.at_stc, point.u_percent() / point.percent);
        assert!((of_watts / of_percent - 1.0).abs() < 1e-12 && (0.01..0.2).contains(&of_percent), "{of_watts} {of_percent}");
    }
}

/// Volts near open and half of the amps: a piece of it is dark. By hand: 33 V times 4 A of 37.8 V times 8.75 A is 39.9 % fill, of the
/// label's 75.6 % a loss of 47.2 %.
#[test]
fn amps_that_fall_at_high_volts_are_shade_and_volts_that_fall_are_resistance() {
    let mut typed = LabelTyped::default();
    for (name, text) in [
        ("rated_w", "250"),
        ("voc_v", "37.8"),
        ("isc_a", "8.75"),
        ("vmp_v", "30.4"),
        ("imp_a", "8.22"),
        ("cells_in_series", "60"),
    ] {
        typed.set(name, text);
    }
    let label = check(&typed).nameplate.unwrap();
    let found = |v: f64, i: f64| {
        let seen =
            Seen { voc_v: Some(37.8), isc_a: Some(8.75), loaded: Some((v, i)), cell_c: Some(25.0), poa_w_m2: Some(1000.0) };
        judge_used(&label, &seen).found
    };
    let lost = |found: &[Finding]| {
        found.iter().find_map(|one| if let Finding::ShadedUnderLoad { lost_percent } = one { Some(*lost_percent) } else { None })
    };
    let shaded = lost(&found(33.0, 4.0)).unwrap();
    assert!((shaded - 47.2).abs() < 0.1, "{shaded}");
    assert_eq!(lost(&found(22.0, 7.6)), None, "{:?}", found(22.0, 7.6));
}

/// The worked example of the solar position algorithm (Reda and Andreas 2004, NREL/TP-560-34302, table A5.1): the equation of time is
/// 14.641503 minutes at 2003-10-17 12:30:30, seven hours behind UTC, at 105.1786 degrees west.
#[test]
fn solar_time_is_that_of_the_worked_example() {
    let place = Place::check(39.742476, -105.1786, 1830.14).unwrap();
    let moment =
        Moment::at(&Site { place, albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }, 1_066_419_030.0, 290.0).unwrap();
    let expected_h = 19.0 + 30.5 / 60.0 - 105.1786 / 15.0 + 14.641503 / 60.0;
    // Within a fiftieth of a second.
    assert!((moment.solar_time_h - expected_h).abs() * 60.0 < 3e-4, "{} {expected_h}", moment.solar_time_h);
}

/// By hand: two of 30 V 8 A and 20 V 6 A. In series the lowest amps run through all volts, 6 x 50 W; in parallel the lowest volts stand over
/// all amps, 20 x 14 W. And a panel that was read at nine tenths of its label's volts has nine tenths of its open volts.
#[test]
fn the_rule_of_thumb_is_the_lowest_times_the_sum() {
    let single = |name: &str, v: f64, i: f64| Single::measured_only(name, At { v, i });
    let all = [single("one", 30.0, 8.0), single("other", 20.0, 6.0)];
    let found = unlike(&all).unwrap();
    assert!((found.series.rule_w - 300.0).abs() < 0.1 && (found.parallel.rule_w - 280.0).abs() < 0.1, "{found:?}");
    let open_v = |singles: &[Single]| unlike(singles).unwrap().series.open_v;
    let tenths = [single("one", 27.0, 8.0), single("other", 18.0, 6.0)];
    assert!((open_v(&tenths) / open_v(&all) - 0.9).abs() < 0.01, "{} {}", open_v(&tenths), open_v(&all));
}

/// By hand: 36 cells of 18.4 V and 5 A into a battery of 12 V at 14.4 V. A controller that ties the panel to it passes its amps on, 72 W; to one of
/// 24 V, whose 25.2 V the panel does not reach, nothing.
#[test]
fn a_panel_tied_to_a_battery_gives_its_amps_or_nothing() {
    let at = |nominal_v: &str| {
        let piece = |kind: GearKind, fields: &[(&str, &str)]| {
            let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
            kind.check(&typed).unwrap()
        };
        let Gear::Controller(controller) = piece(GearKind::Controller, &[("tracking", "no")]) else { panic!("a controller") };
        let Gear::Battery(battery) = piece(GearKind::Battery, &[("nominal_v", nominal_v), ("chemistry", "lead_acid")]) else {
            panic!("a battery")
        };
        let mut typed = LabelTyped::default();
        for (name, text) in [("rated_w", "92"), ("voc_v", "22.3"), ("isc_a", "5.4"), ("vmp_v", "18.4"), ("imp_a", "5")] {
            typed.set(name, text.to_owned());
        }
        let module = Module { tag: "A".into(), nameplate: check(&typed).nameplate.unwrap(), wear: Vec::new() };
        let sink = Sink::Controller { name: "tie".into(), controller, battery: Some(battery) };
        let rig = Rig {
            strings: vec![vec![module]],
            string_fuse: None,
            joint: None,
            lead: None,
            sink,
            meters: Vec::new(),
            coldest_c: -5.0,
            hottest_c: 35.0,
        };
        expect::battery(&rig).unwrap()
    };
    let small = at("12");
    assert!((small.amps_a - 5.0).abs() < 1e-9 && (small.watts_w - 72.0).abs() < 1e-9, "{small:?}");
    assert_eq!((at("24").amps_a, at("24").watts_w), (0.0, 0.0));
}

/// Which doubts are of this file alone is the same however it was read.
#[test]
fn doubts_of_a_files_own_figures_are_asked_for_each_file() {
    let thousands = Assumed::Thousands { cell: "156.500".into(), read_as: 156.5, or: 156_500.0 };
    for of_this in [Assumed::DayOrMonth, thousands, Assumed::WattsDisagree { ratio: 0.001 }] {
        assert!(of_this.is_of_this_file(), "{of_this:?}");
    }
    let of_load = Assumed::OfLoad { column: 4, is_taken: false };
    for of_all in [Assumed::Zone, Assumed::NoHeader, of_load, Assumed::UnitByProduct { column: 3, unit: "W" }] {
        assert!(!of_all.is_of_this_file(), "{of_all:?}");
    }
}

#[test]
fn a_gauge_is_written_as_it_is_read() {
    for (typed, written) in [("10 AWG", "10 AWG"), ("0 AWG", "1/0 AWG"), ("2/0 AWG", "2/0 AWG"), ("4 mm2", "4 mm2")] {
        assert_eq!(Gauge::parse(typed).map(Gauge::as_text), Ok(written.to_owned()), "{typed}");
    }
}
