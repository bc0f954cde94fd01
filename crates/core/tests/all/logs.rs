//! Logs held against what is outside the project: integrals against scipy and pandas, clear stretches against the reference library's own
//! detector (`reference/make_days.py`; versions, checksums and tolerances in `tests/reference/days/passport.json`); and days whose truth
//! is known.

use flindo_core::energy::log::clear::{Limits, clear_stretches};
use flindo_core::energy::log::event::{EventKind, Happened, Known};
use flindo_core::energy::log::grid::Grid;
use flindo_core::energy::log::happened::happened;
use flindo_core::energy::log::sky::SkyCourse;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::Series;
use flindo_core::measure::series::integral::integrate;
use flindo_core::seed::hashed;
use flindo_core::simulate::day::{Happens, LoggedRig};
use flindo_core::sky::course::Site;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_core::window::Window;
use std::collections::BTreeMap;

fn rows(table: &'static str) -> Vec<Vec<&'static str>> {
    table.lines().skip(1).map(|line| line.split(',').collect()).collect()
}

#[test]
fn integrals_are_those_of_scipy_and_pandas() {
    let samples = rows(include_str!("../reference/days/samples.csv"));
    for sums in rows(include_str!("../reference/days/sums.csv")) {
        let of_case = samples.iter().filter(|row| row[0] == sums[0]);
        let (series, arrival) = Series::new(of_case.map(|row| (row[1].parse().unwrap(), row[2].parse().unwrap())));
        assert!(arrival.is_clean() && series.len() > 800);
        let wh = |from_h: f64, to_h: f64| {
            let found = integrate(&series, Window { from_s: from_h * 3600.0, to_s: to_h * 3600.0 }, None);
            assert!(found.gaps.is_empty(), "{:?}", found.gaps);
            found.total
        };
        let there: Vec<f64> = sums[1..].iter().map(|cell| cell.parse().unwrap()).collect();
        assert!((wh(0.0, 4.0) / there[0] - 1.0).abs() < 1e-9, "{} {}", wh(0.0, 4.0), there[0]);
        for hour in 0..4 {
            let (from_h, to_h) = (f64::from(hour), f64::from(hour) + 1.0);
            assert!((wh(from_h, to_h) / there[hour as usize + 1] - 1.0).abs() < 2e-4, "hour {hour}");
        }
    }
}

#[test]
fn clear_stretches_are_those_of_the_reference_library() {
    let rows = rows(include_str!("../reference/days/clear_stretches.csv"));
    let mut said_right = (0, 0);
    for series in rows.chunk_by(|a, b| a[0] == b[0]) {
        let number = |column: usize| series.iter().map(|row| row[column].parse::<f64>().unwrap()).collect::<Vec<_>>();
        let interval_min: f64 = series[0][1].parse().unwrap();
        let limits = if series[0][2] == "1" { Limits::of_interval(interval_min) } else { Limits::PAPER };
        let found = clear_stretches(&number(3), &number(4), interval_min, &limits).is_clear;
        let same = series.iter().zip(&found).filter(|(row, is_clear)| (row[6] == "1") == **is_clear).count();
        assert!(same as f64 >= 0.98 * series.len() as f64, "{}: {same} of {}", series[0][0], series.len());
        for (row, is_clear) in series.iter().zip(&found).filter(|(row, _)| !row[5].is_empty()) {
            said_right = (said_right.0 + usize::from((row[5] == "1") == *is_clear), said_right.1 + 1);
        }
    }
    // The library's own test data, as its test says what is clear.
    assert!(said_right.1 > 140 && said_right.0 as f64 >= 0.98 * said_right.1 as f64, "{said_right:?}");
}

const PLANE: Plane = Plane { tilt_deg: 30.0, azimuth_deg: 180.0 };

fn site() -> Site {
    Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
}

fn rig(seed: u64, happens: Vec<Happens>) -> LoggedRig {
    LoggedRig {
        site: site(),
        plane: PLANE,
        rated_w: 200.0,
        own_share: 0.85 + 0.13 * hashed(seed, 901),
        gamma_per_k: -0.004,
        air_c: 12.0 + 15.0 * hashed(seed, 902),
        battery_v: 12.6,
        tracks: true,
        happens,
        every_s: 60.0,
        with_irradiance: seed.is_multiple_of(2),
        with_temperatures: seed.is_multiple_of(3),
        noise_rel: 0.002,
        seed,
    }
}

/// 2026-03-01 to 2026-09-17, UTC midnight.
fn first_day_s(seed: u64) -> f64 {
    1_772_323_200.0 + (hashed(seed, 900) * 200.0).floor() * 86_400.0
}

fn found_in(rig: &LoggedRig, from_s: f64, days: f64, known: &Known) -> Happened {
    let mut by_quantity: BTreeMap<Quantity, Vec<(f64, f64)>> = BTreeMap::new();
    for (quantity, at_s, value) in rig.samples(from_s, from_s + days * 86_400.0).unwrap() {
        by_quantity.entry(quantity).or_default().push((at_s, value));
    }
    let series = by_quantity.into_iter().map(|(quantity, samples)| (quantity, Series::new(samples).0)).collect();
    let grid = Grid::of(&series);
    let sky = SkyCourse::over(&rig.site, &rig.plane, &grid).unwrap();
    happened(&grid, &sky, known)
}

const KNOWN: Known = Known { rated_w: Some(200.0), gamma_per_k: None, most_w: None, most_output_a: None, charge_limit_v: None };

fn has(found: &Happened, kind: EventKind) -> bool {
    found.events.iter().any(|event| event.kind == kind)
}

/// What a clean day holds: clear sky, and a start and a stop.
fn is_clean(found: &Happened) -> bool {
    found.events.iter().all(|event| matches!(event.kind, EventKind::Clear | EventKind::Wake | EventKind::Sleep))
}

#[test]
fn nothing_is_found_in_clean_days() {
    for seed in 0..120_u64 {
        let (days, every_s) = if seed.is_multiple_of(10) { (3.0, 60.0) } else { (1.0, [5.0, 60.0, 300.0][seed as usize % 3]) };
        let found = found_in(&LoggedRig { every_s, ..rig(seed, Vec::new()) }, first_day_s(seed), days, &KNOWN);
        assert!(is_clean(&found), "seed {seed}: {:?}", found.events);
        assert!(has(&found, EventKind::Clear), "seed {seed}");
    }
}

/// A name, what is looked for, in how many days, and what happens for a number from 0 to 1.
type Case = (&'static str, EventKind, f64, fn(f64) -> Happens);

/// Each event in 24 days of other seeds: found in 95 of 100, and nothing else named that is not there.
#[test]
fn every_event_is_found() {
    let mut missed = Vec::new();
    let cases: [Case; 9] = [
        ("clouds", EventKind::Cloud, 1.0, |x| Happens::Clouds { count: 3 + (x * 8.0) as usize, share: 0.25 + 0.3 * x }),
        ("shade", EventKind::Shade, 3.0, |x| Happens::Shade {
            from_deg: 120.0 + 90.0 * x,
            to_deg: 132.0 + 96.0 * x,
            share: 0.3 + 0.4 * x,
        }),
        ("amps", EventKind::Clipping, 1.0, |x| Happens::ControllerAmps { most_a: 7.0 + 2.5 * x }),
        ("port", EventKind::Clipping, 1.0, |x| Happens::Port { most_w: 80.0 + 45.0 * x }),
        ("full", EventKind::Throttled, 1.0, |x| Happens::FullAfter { wh: 200.0 + 250.0 * x }),
        ("hunting", EventKind::Hunting, 1.0, |x| Happens::Hunts { rel: 0.02 + 0.05 * x }),
        ("snow", EventKind::Snow, 1.0, |x| Happens::SnowUntil { solar_h: 10.0 + 3.0 * x }),
        ("gap", EventKind::Gap, 1.0, |x| Happens::Gap { from_h: 9.0 + 3.0 * x, to_h: 9.5 + 3.5 * x }),
        ("sleep", EventKind::Wake, 1.0, |x| Happens::StartsAt { w: 10.0 + 10.0 * x }),
    ];
    for (name, kind, days, happens) in cases {
        let (mut found_in_all, mut all, mut others) = (0, 0, Vec::new());
        for seed in 0..24 {
            let mut rig = rig(1000 + seed, vec![happens(hashed(seed, 77))]);
            match kind {
                EventKind::Hunting => rig.every_s = 5.0,
                // Snow is told by frost, or by the light beside it.
                EventKind::Snow => (rig.air_c, rig.with_irradiance, rig.with_temperatures) = (-2.0, seed.is_multiple_of(2), true),
                _ => {}
            }
            let found = found_in(&rig, first_day_s(seed), days, &KNOWN);
            all += 1;
            found_in_all += usize::from(has(&found, kind));
            let allowed = [EventKind::Clear, EventKind::Wake, EventKind::Sleep, kind];
            others.extend(found.events.iter().filter(|event| !allowed.contains(&event.kind)).map(|event| (seed, event.kind)));
        }
        if (found_in_all as f64) < 0.95 * f64::from(all) || others.len() > 1 {
            missed.push(format!("{name}: {found_in_all} of {all}; besides {others:?}"));
        }
    }
    assert!(missed.is_empty(), "{}", missed.join("\n"));
}

/// What an event is said to have cost is what the same day without it gave more.
#[test]
fn what_clipping_and_shade_cost_is_what_the_day_without_gave_more() {
    let wh = |rig: &LoggedRig, from_s: f64, days: f64| {
        let power =
            rig.samples(from_s, from_s + days * 86_400.0).unwrap().into_iter().filter(|sample| sample.0 == Quantity::Power);
        let (series, _) = Series::new(power.map(|(_, at_s, value)| (at_s, value)));
        integrate(&series, Window { from_s, to_s: from_s + days * 86_400.0 }, None).sampled
    };
    for (kind, days, happens) in [
        (EventKind::Clipping, 1.0, Happens::Port { most_w: 100.0 }),
        (EventKind::Shade, 3.0, Happens::Shade { from_deg: 130.0, to_deg: 160.0, share: 0.4 }),
    ] {
        let (with, without) = (rig(5, vec![happens]), rig(5, Vec::new()));
        let from_s = first_day_s(5);
        let truly = wh(&without, from_s, days) - wh(&with, from_s, days);
        let found = found_in(&with, from_s, days, &KNOWN);
        let said: f64 = found.events.iter().filter(|event| event.kind == kind).map(|event| event.lost_wh).sum();
        assert!((said / truly - 1.0).abs() < 0.25, "{kind:?}: {said} said, {truly} truly");
    }
}

#[test]
fn soiling_is_told_after_a_week_of_clear_days_and_a_clean_panel_has_none() {
    let from_s = 1_780_272_000.0;
    let dirty = found_in(&rig(3, vec![Happens::Soils { per_day: 0.004 }]), from_s, 10.0, &KNOWN).soiling.unwrap();
    assert!(dirty.is_shown() && (dirty.percent_per_day + 0.4).abs() < 0.1, "{dirty:?}");
    for seed in 0..8 {
        let clean = found_in(&rig(seed, Vec::new()), from_s, 9.0, &KNOWN).soiling.unwrap();
        assert!(!clean.is_shown() || clean.percent_per_day > -0.05, "{seed}: {clean:?}");
    }
}

/// Common practice, no source: at 41.9 N in September, from 13 to 15 h, a panel lying flat gave 313 Wh where one at 29 degrees gave 388,
/// 24 % more.
#[test]
fn flat_against_tilted_over_two_hours() {
    use flindo_core::energy::log::sky::clear_poa_w_m2;
    let site = Site { place: Place::check(41.9, -8.0, 100.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
    // 2026-09-18, 13 to 15 h by a clock of UTC+1.
    let hours = (0..=120).map(|minute| 1_789_732_800.0 + f64::from(minute) * 60.0);
    let sum = |tilt_deg: f64| -> f64 {
        let plane = Plane { tilt_deg, azimuth_deg: 180.0 };
        hours.clone().map(|at_s| clear_poa_w_m2(&site, &plane, at_s).unwrap()).sum()
    };
    let more = sum(29.0) / sum(0.0);
    assert!((1.15..1.32).contains(&more), "{more}");
}

/// A controller that tracks and one that does not, told from the volts of both sides by most of their minutes.
#[test]
fn tracking_is_told_from_the_volts_of_a_day() {
    use flindo_core::energy::log::controller::{over_load, tracking};
    use flindo_core::load::operate::TrackingFinding;
    for seed in 0..12_u64 {
        let tracks = seed.is_multiple_of(2);
        let one = LoggedRig { tracks, ..rig(seed, vec![Happens::Clouds { count: 4, share: 0.3 }]) };
        let from_s = first_day_s(seed);
        let mut by_quantity: BTreeMap<Quantity, Vec<(f64, f64)>> = BTreeMap::new();
        for (quantity, at_s, value) in one.samples(from_s, from_s + 86_400.0).unwrap() {
            by_quantity.entry(quantity).or_default().push((at_s, value));
        }
        let series: BTreeMap<Quantity, Series> =
            by_quantity.into_iter().map(|(quantity, samples)| (quantity, Series::new(samples).0)).collect();
        let found = tracking(&Grid::of(&series), Window { from_s, to_s: from_s + 86_400.0 }).unwrap();
        assert_eq!(matches!(found, TrackingFinding::Tracking { .. }), tracks, "{seed}: {found:?}");
        let output = series[&Quantity::OutputVoltage].times(&series[&Quantity::OutputCurrent]);
        let bands = over_load(&series[&Quantity::Power], &output);
        assert!(bands.iter().all(|band| (band.percent.value - 97.0).abs() < 0.5), "{bands:?}");
    }
}

/// A flat top says which stated limit it stands at, and none where it stands at another level.
#[test]
fn clipping_names_the_limit_it_stands_at() {
    use flindo_core::energy::log::event::{Limit, ShownBy};
    let limits = |most_output_a: f64, happens: Happens| {
        let known = Known { most_output_a: Some(most_output_a), most_w: Some(110.0), ..KNOWN };
        let found = found_in(&rig(8, vec![happens]), first_day_s(8), 1.0, &known);
        let limit = |shown_by: ShownBy| if let ShownBy::FlatTop { limit, .. } = shown_by { Some(limit) } else { None };
        found
            .events
            .iter()
            .filter(|event| event.kind == EventKind::Clipping)
            .filter_map(|event| limit(event.shown_by))
            .collect::<Vec<_>>()
    };
    assert!(limits(8.0, Happens::ControllerAmps { most_a: 8.0 }).iter().all(|limit| *limit == Limit::ControllerAmps));
    assert!(limits(20.0, Happens::ControllerAmps { most_a: 8.0 }).iter().all(|limit| *limit == Limit::NotKnown));
    let port = limits(20.0, Happens::Port { most_w: 110.0 });
    assert!(port.contains(&Limit::Watts) || port.contains(&Limit::NotKnown), "{port:?}");
    assert!(!port.is_empty());
}
