//! Samples that no panel made: spikes, and values that stand still. They are named and bounded; nothing is repaired.

use super::Series;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SuspectKind {
    /// One or two samples far off all around them.
    Spike,
    /// The same figure after the sun went down, or of all quantities at once while the sky moves.
    Stuck,
}

/// Samples in doubt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Suspect {
    pub kind: SuspectKind,
    pub from_s: f64,
    pub to_s: f64,
    pub samples: usize,
    /// What they add to the integral or take from it at most, unit-hours.
    pub effect: f64,
}

/// Samples on either side that say what is usual.
const AROUND: usize = 30;

/// A spike leaves and comes back by more than so many usual steps (the ninth decile of those around it), and by so much of the range of
/// the series. Flindo's own limits: an edge of a cloud takes several samples, or comes with others like it.
const USUAL_STEPS: f64 = 8.0;
const RANGE_SHARE: f64 = 0.05;

/// Spikes of one or two samples.
pub fn spikes(series: &Series) -> Vec<Suspect> {
    let (at, values) = (series.at_s(), series.values());
    let range = values.iter().copied().fold(f64::MIN, f64::max) - values.iter().copied().fold(f64::MAX, f64::min);
    let mut found = Vec::new();
    let mut nth = 1;
    while nth + 1 < values.len() {
        let width = (1..=2).find(|width| nth + width < values.len() && is_spike(values, nth, *width, range));
        let Some(width) = width else {
            nth += 1;
            continue;
        };
        let (left, right) = (nth - 1, nth + width);
        let effect: f64 = (nth..right)
            .map(|at_nth| {
                let share = (at[at_nth] - at[left]) / (at[right] - at[left]);
                let straight = values[left] + share * (values[right] - values[left]);
                ((values[at_nth] - straight) * (at[at_nth + 1] - at[at_nth - 1]) / 2.0 / 3600.0).abs()
            })
            .sum();
        found.push(Suspect { kind: SuspectKind::Spike, from_s: at[nth], to_s: at[right - 1], samples: width, effect });
        nth = right;
    }
    found
}

fn is_spike(values: &[f64], nth: usize, width: usize, range: f64) -> bool {
    let (left, right) = (values[nth - 1], values[nth + width]);
    let inside = &values[nth..nth + width];
    let off = inside.iter().map(|value| (value - left).abs().min((value - right).abs())).fold(f64::MAX, f64::min);
    let same_side = inside.iter().all(|value| *value > left.max(right)) || inside.iter().all(|value| *value < left.min(right));
    if !same_side || off < RANGE_SHARE * range || (left - right).abs() > off / 2.0 {
        return false;
    }
    let around = nth.saturating_sub(AROUND)..(nth + width + AROUND).min(values.len());
    let mut steps: Vec<f64> = (around.start + 1..around.end)
        .filter(|step| !(nth..=nth + width).contains(step))
        .map(|step| (values[step] - values[step - 1]).abs())
        .collect();
    if steps.len() < 4 {
        return false;
    }
    let decile = steps.len() * 9 / 10;
    off > USUAL_STEPS * *steps.select_nth_unstable_by(decile, f64::total_cmp).1
}

/// The same figures for longer than this are stuck, s, and more samples than that.
const STUCK_S: f64 = 600.0;
const STUCK_SAMPLES: usize = 10;

/// While the sky changes by this share a panel's figures do too.
const SKY_MOVES_REL: f64 = 0.05;

/// Values that stand still. Several quantities of one source, sampled together, are stuck where all of them repeat to the last digit while
/// the sky (`sky` in W/m2 in the plane) moves; a limit keeps only one of them level. Any that is not 0 in the dark is stuck as well.
pub fn stuck(all: &[&Series], sky: &dyn Fn(f64) -> f64) -> Vec<Suspect> {
    let Some(first) = all.first() else { return Vec::new() };
    let longest_s = first.longest_step_s();
    let seen: Vec<Vec<Option<f64>>> = all.iter().map(|series| series.at_each(first.at_s(), longest_s)).collect();
    let same = |nth: usize| seen.iter().all(|values| values[nth].is_some() && values[nth] == values[nth + 1]);
    let (at, values) = (first.at_s(), first.values());
    let mut found = Vec::new();
    let mut begin = 0;
    while begin < at.len() {
        let mut end = begin;
        while end + 1 < at.len() && at[end + 1] - at[end] <= longest_s && same(end) {
            end += 1;
        }
        let (from_s, to_s) = (at[begin], at[end]);
        let (light, later) = (sky(from_s), sky(to_s));
        let moves = (light - later).abs() > SKY_MOVES_REL * light.max(later).max(1.0) && light.max(later) > 50.0;
        let is_dark = later <= 0.0 && values[begin] > 0.0;
        if end - begin >= STUCK_SAMPLES && to_s - from_s >= STUCK_S && values[begin] != 0.0 && (is_dark || moves && all.len() > 1)
        {
            let effect = values[begin].abs() * (to_s - from_s) / 3600.0;
            found.push(Suspect { kind: SuspectKind::Stuck, from_s, to_s, samples: end - begin + 1, effect });
        }
        begin = end + 1;
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::seed::hashed;

    fn course(of: impl Fn(u32) -> f64) -> Series {
        Series::new((0..3600).map(|second| (f64::from(second), of(second)))).0
    }

    fn noisy(second: u32) -> f64 {
        100.0 + 0.02 * f64::from(second) + hashed(7, u64::from(second))
    }

    #[test]
    fn a_spike_is_named_with_what_it_adds() {
        let found = spikes(&course(|second| if second == 1800 { 1360.0 } else { noisy(second) }));
        assert_eq!(
            found.iter().map(|one| (one.kind, one.from_s, one.samples)).collect::<Vec<_>>(),
            [(SuspectKind::Spike, 1800.0, 1)]
        );
        assert!((found[0].effect - 1223.5 / 3600.0).abs() < 0.001, "{found:?}");
        let two = spikes(&course(|second| if (1800..1802).contains(&second) { 0.0 } else { noisy(second) }));
        assert_eq!(two.iter().map(|one| one.samples).collect::<Vec<_>>(), [2]);
    }

    #[test]
    fn clouds_and_noise_are_no_spikes() {
        assert!(spikes(&course(noisy)).is_empty());
        // Clouds of some seconds, one after the other, and a step that stays.
        assert!(spikes(&course(|second| if second / 20 % 3 == 0 { noisy(second) / 3.0 } else { noisy(second) })).is_empty());
        assert!(spikes(&course(|second| if second > 1800 { 30.0 } else { noisy(second) })).is_empty());
    }

    #[test]
    fn figures_that_stand_still_while_the_sky_moves_are_stuck() {
        let sky = |at_s: f64| 400.0 + at_s / 10.0;
        let held = |second: u32| if second > 2000 { 140.0 } else { noisy(second) };
        let (volts, amps) = (course(held), course(|second| held(second) / 10.0));
        let found = stuck(&[&volts, &amps], &sky);
        assert_eq!(
            found.iter().map(|one| (one.kind, one.from_s, one.to_s)).collect::<Vec<_>>(),
            [(SuspectKind::Stuck, 2001.0, 3599.0)]
        );
        // Amps at a limit with volts that move, or one quantity alone, may be a limit; figures under a sky that stands still too.
        assert!(stuck(&[&course(noisy), &amps], &sky).is_empty() && stuck(&[&amps], &sky).is_empty());
        assert!(stuck(&[&volts, &amps], &|_| 500.0).is_empty());
    }

    #[test]
    fn watts_in_the_dark_are_stuck_and_none_are_not() {
        assert_eq!(stuck(&[&course(|_| 12.0)], &|at_s| (1000.0 - at_s).max(0.0)).len(), 1);
        assert!(stuck(&[&course(|_| 0.0)], &|at_s| (1000.0 - at_s).max(0.0)).is_empty());
    }
}
