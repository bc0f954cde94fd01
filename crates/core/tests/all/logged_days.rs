//! Days of another making (`worlds/days.rs`) before the judge of logs: a part of the long examination (`examine -- logs`, docs/verdicts.md),
//! on days of its own.

use crate::worlds::days::{DayWorld, Happening};
use crate::worlds::logged::{Judged, judged, judged_every};
use flindo_core::energy::log::event::EventKind;
use proptest::prelude::*;

/// With their days.
const HAPPENINGS: [(Happening, usize); 6] = [
    (Happening::Nothing, 1),
    (Happening::Nothing, 3),
    (Happening::Port, 1),
    (Happening::Full, 1),
    (Happening::Snow, 1),
    (Happening::Shade, 3),
];

/// Of each happening at a pace, even and jittered.
fn all(step_s: f64, days: u64) -> Vec<(DayWorld, Judged)> {
    let mut all = Vec::new();
    for (nth, (happening, over)) in HAPPENINGS.into_iter().enumerate() {
        for is_jittered in [false, true] {
            for day in 0..days {
                let seed = 900_000 + 1000 * step_s as u64 + 100 * nth as u64 + 10 * day + u64::from(is_jittered);
                let world = DayWorld { seed, step_s, is_jittered, is_cloudy: false, happening, days: over };
                all.push((world, judged(&world)));
            }
        }
    }
    all
}

#[test]
fn what_happens_on_a_clear_day_is_found_at_every_pace_and_nothing_else() {
    let (mut held, mut costs, mut costs_held, mut days) = (0, 0, 0, 0);
    for step_s in [60.0, 300.0, 900.0] {
        for (world, judged) in all(step_s, 2) {
            assert_ne!(judged.is_found, Some(false), "{world:?}");
            assert!(judged.others.is_empty() && !judged.is_clock_accused, "{world:?}: {judged:?}");
            days += 1;
            held += usize::from(judged.is_energy_held);
            costs += usize::from(judged.is_cost_held().is_some());
            costs_held += usize::from(judged.is_cost_held() == Some(true));
        }
    }
    // Intervals of 95 %: fewer than nine tenths of sixty is once in some forty such runs of a sound judge.
    assert!(held * 10 >= days * 9, "{held} of {days}");
    assert!(costs > 40 && costs_held * 10 >= costs * 9, "{costs_held} of {costs}");
}

/// What a limit takes is taken at noon, and told from what the panel gave before and after, in less light: on the whole it is neither too
/// little nor too much.
#[test]
fn what_a_limit_took_is_told_without_a_bias() {
    let of = |day: u64| {
        let happening = Happening::Port;
        judged(&DayWorld { seed: 960_000 + day, step_s: 60.0, is_jittered: false, is_cloudy: false, happening, days: 1 })
    };
    let ratios: Vec<f64> = (0..30).filter_map(|day| of(day).cost_wh.map(|(said_wh, _, truly_wh)| said_wh / truly_wh)).collect();
    let mean = ratios.iter().sum::<f64>() / ratios.len() as f64;
    assert!(ratios.len() == 30 && (0.93..1.03).contains(&mean), "{mean} {ratios:?}");
}

/// Under clouds the energy is held too, and the slowest pace says so by a wider interval.
#[test]
fn clouds_widen_what_a_slow_pace_says() {
    let of = |step_s: f64, day: u64| {
        let happening = Happening::Nothing;
        judged(&DayWorld { seed: 950_000 + day, step_s, is_jittered: false, is_cloudy: true, happening, days: 1 })
    };
    for step_s in [60.0, 300.0, 900.0] {
        let days: Vec<Judged> = (0..12).map(|day| of(step_s, day)).collect();
        let held = days.iter().filter(|day| day.is_energy_held).count();
        assert!(held >= 10, "{step_s}: {held}");
        // A pace of minutes cannot show a tracker that swings.
        assert!(days.iter().all(|day| !day.others.contains(&EventKind::Hunting)), "{step_s}: {days:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// A log thinned to every fifth sample keeps its energy within the interval, its events of over an hour and its clock.
    #[test]
    fn a_thinned_log_says_the_same(seed in 0_u64..1_000_000, step_s in prop::sample::select(vec![10.0, 60.0, 120.0]), of in 0_usize..6) {
        let (happening, days) = HAPPENINGS[of];
        let world = DayWorld { seed, step_s, is_jittered: seed % 2 == 1, is_cloudy: false, happening, days };
        let (whole, thinned) = (judged(&world), judged_every(&world, 5));
        let is_held = (thinned.energy_wh.low..=thinned.energy_wh.high).contains(&whole.energy_wh.value);
        prop_assert!(is_held, "{:?}: {:?} {:?}", world, whole, thinned);
        prop_assert!(!whole.is_clock_accused && !thinned.is_clock_accused);
        prop_assert!(whole.is_found != Some(false) && thinned.is_found == whole.is_found, "{:?}: {:?}", world, thinned);
        // A shade of less than an hour has three or four samples at ten minutes; all else lasts longer.
        if let (Some((was_wh, was_u_wh, _)), Some((is_wh, is_u_wh, _)), true) = (whole.cost_wh, thinned.cost_wh, whole.is_found.is_some()) {
            prop_assert!((was_wh - is_wh).abs() <= was_u_wh + is_u_wh, "{:?}: {} {}", world, was_wh, is_wh);
        }
    }
}
