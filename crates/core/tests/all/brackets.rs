//! Brackets against simulated tests whose truth is known: a sun that drifts and bends, an instrument that jitters.
use flindo_core::measure::quantity::{Figures, Quantity, Seen};
use flindo_core::record::condition::Factor;
use flindo_core::record::order::{Order, runs};
use flindo_core::record::question::Analysis;
use flindo_core::record::setup::Setup;
use flindo_core::simulate::instrument::Draws;
use flindo_core::sky::course::{Moment, Site};
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_core::verdict::comparison::{Method, RunTaken, compare};
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::estimate::{
    Difference, ErrorModel, Estimator, RunSamples, Sample, Scatter, WANDER_METERED, planned_u_rel, smallest_shown,
};

const U_REL: f64 = 0.006;
const TESTS: u64 = 2400;

/// One simulated test: the light drifts by `per_min` and jitters like the readings; levels are off the baseline by `truth`.
fn simulate(order: Order, truth: &[f64], times: usize, readings: usize, noise: f64, seed: u64) -> Vec<RunSamples> {
    let mut draws = Draws::of(seed);
    let per_min = draws.normal(0.003);
    let rig_off = draws.normal(0.02);
    runs(order, truth.len(), times)
        .into_iter()
        .enumerate()
        .map(|(place, slot)| {
            let level = if slot.is_baseline() { 1.0 } else { truth[slot.level - 1] };
            let minute = if slot.rig > 0 { (place / 2) as f64 * 4.0 } else { place as f64 * 2.5 };
            let rig = if slot.rig == 2 { rig_off } else { 0.0 };
            let samples = (0..readings)
                .map(|nth| {
                    let minute = minute + nth as f64 * 0.4;
                    let drift = if order == Order::Totals { 0.0 } else { per_min * minute };
                    let value = 150.0 * level * (drift + rig + draws.normal(noise)).exp();
                    Sample {
                        unix_s: minute * 60.0,
                        value,
                        light: None,
                        temperature_factor: 1.0,
                        repeat_rel: U_REL,
                        displays: Vec::new(),
                    }
                })
                .collect();
            RunSamples { place, level: slot.level, rig: slot.rig, checked: None, samples }
        })
        .collect()
}

/// Without set-up scatter: the repeat alone.
fn model(order: Order) -> ErrorModel {
    ErrorModel { order, set_up: Scatter::NONE, wander: WANDER_METERED, is_own_meters: false, unread_cells_rel: 0.0 }
}

fn differences(runs: &[RunSamples], order: Order) -> Vec<Difference> {
    let estimator = Estimator::new(runs, model(order));
    estimator.levels().into_iter().filter_map(|level| estimator.against_baseline(level)).collect()
}

/// (mean error in percent, share of intervals that hold the truth)
fn coverage(order: Order, truth: &[f64], times: usize, readings: usize, noise: f64) -> (f64, f64) {
    let (mut held, mut error, mut count) = (0.0, 0.0, 0.0);
    for seed in 0..TESTS {
        let runs = simulate(order, truth, times, readings, noise, seed);
        for one in differences(&runs, order) {
            let off = one.percent - truth[one.level - 1] * 100.0;
            held += f64::from(u8::from(off.abs() <= one.u_percent));
            error += off;
            count += 1.0;
        }
    }
    (error / count, held / count * 100.0)
}

#[test]
fn the_corrected_difference_is_unbiased_and_its_interval_holds_the_truth() {
    for (order, truth, times, readings) in [
        (Order::Aba, vec![0.93], 1, 1),
        (Order::Aba, vec![0.97, 0.5, 1.1], 1, 1),
        (Order::Aba, vec![0.97], 5, 1),
        (Order::Aba, vec![0.97, 1.02], 2, 3),
        (Order::Abba, vec![0.9], 1, 1),
        (Order::Abba, vec![1.05, 0.8], 2, 2),
        (Order::LadderAndBack, vec![0.95, 0.9, 0.85, 0.8], 1, 1),
        (Order::LadderAndBack, vec![0.95, 0.9], 1, 3),
        (Order::Crossover, vec![1.08], 2, 1),
        (Order::Crossover, vec![1.08], 3, 2),
        (Order::Totals, vec![1.1], 4, 1),
    ] {
        let (error, held) = coverage(order, &truth, times, readings, U_REL);
        assert!(error.abs() < 0.06, "{order:?} {truth:?} x {times}: off by {error} %");
        assert!((93.0..=97.5).contains(&held), "{order:?} {truth:?} x {times} with {readings} readings: holds {held} of 100");
    }
}

/// Where the readings jitter three times as much as the instruments' sheets say, the test sees it by itself.
#[test]
fn an_unsteady_sun_widens_the_interval_by_itself() {
    for (order, truth, times, readings) in
        [(Order::Aba, vec![0.97], 6, 1), (Order::LadderAndBack, vec![0.95, 0.9], 2, 3), (Order::Totals, vec![1.1], 5, 1)]
    {
        let (_, held) = coverage(order, &truth, times, readings, 3.0 * U_REL);
        assert!((93.0..=97.0).contains(&held), "{order:?}: holds {held} of 100");
    }
}

/// The smallest difference that a plan promises is found in about four of five simulated tests, and half of it far less often.
#[test]
fn the_planned_smallest_difference_is_what_the_simulation_resolves() {
    for (order, times, readings) in [(Order::Aba, 1, 1), (Order::Abba, 1, 1), (Order::Aba, 2, 1), (Order::Crossover, 2, 1)] {
        let slots = runs(order, 1, times);
        let times_s: Vec<f64> = (0..slots.len()).map(|place| place as f64 * 150.0).collect();
        let smallest = smallest_shown(planned_u_rel(&slots, &times_s, readings, U_REL, 0.0, model(order))[0]);
        let shown = |truth: f64| {
            let found = (0..TESTS).filter(|seed| {
                let runs = simulate(order, &[truth], times, readings, U_REL, *seed);
                differences(&runs, order)[0].is_shown()
            });
            found.count() as f64 / TESTS as f64
        };
        let (at, half) = (shown(1.0 - smallest), shown(1.0 - smallest / 2.0));
        assert!((0.74..0.86).contains(&at), "{order:?}: {smallest} is shown in {at}");
        assert!(half < 0.40, "{order:?}: half of it in {half}");
    }
}

/// Across noon the sun bends; the course of a clear sky carries it where nobody reads the light, and a straight line does not.
#[test]
fn the_course_of_a_clear_sky_carries_the_bend_at_noon() {
    let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
    let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 };
    // 2026-06-21 10:00 to 15:00 UTC, one baseline at each end: far too long, to make the bend plain.
    let start_s = 1_782_036_000.0;
    let times_s = [start_s, start_s + 9000.0, start_s + 18_000.0];
    let watts = |place: usize, level: f64| {
        let poa = Moment::at(&site, times_s[place], 172.0).unwrap().on(&plane).poa_w_m2;
        Figures::from_iter([(Quantity::Power, Seen::at(poa * 0.16 * level, 0.001))])
    };
    let figures = [watts(0, 1.0), watts(1, 0.9), watts(2, 1.0)];
    let run = |place: usize, level| RunTaken {
        place,
        level,
        rig: 0,
        gamma_per_k: -0.004,
        readings: vec![Taken { figures: &figures[place], unix_s: times_s[place], day_of_year: 172.0, sky: None }],
    };
    let runs = [run(0, 0), run(1, 1), run(2, 0)];
    let setup = Setup { tilt_deg: plane.tilt_deg, azimuth_deg: plane.azimuth_deg, ..Setup::default() };
    let method = Method {
        order: Order::Aba,
        analysis: Analysis::OfBaseline,
        factor: Factor::Shade,
        setup: &setup,
        repeat_rel: 0.005,
        site: Some(&site),
        panels: &[],
        held: &[],
        has_own_meters: false,
    };
    let percent = |method: &Method<'_>| compare(&runs, method).unwrap().levels[0].difference.percent;
    let with_course = percent(&method);
    let without = percent(&Method { site: None, ..method });
    assert!((with_course - 90.0).abs() < 1e-6, "{with_course}");
    assert!(without > 100.0, "{without}");
}
