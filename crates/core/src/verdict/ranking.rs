//! Ranks with ties, the same for the levels of a test, a league and a review.

use super::combine::Combined;
use crate::measure::budget::{Budget, Cause, Part};
use crate::measure::coverage::simultaneous_factor;
use crate::record::meters::Reads;

/// The best and the worst rank that each of some values can have, where `is_behind(a, b)` says that `a` is shown to be lower
/// than `b`: ranks are intervals, since what cannot be told apart has no order. (Mohamad, Goeman, van Zwet 2019, "An improvement
/// of Tukey's HSD with application to ranking institutions"; from memory.)
pub fn rank_ranges(count: usize, is_behind: impl Fn(usize, usize) -> bool) -> Vec<(usize, usize)> {
    let others = |of: usize| (0..count).filter(move |other| *other != of);
    (0..count)
        .map(|of| {
            let better = others(of).filter(|other| is_behind(of, *other)).count();
            let worse = others(of).filter(|other| is_behind(*other, of)).count();
            (1 + better, count - worse)
        })
        .collect()
}

/// Instruments that read all panels of one test: their gain moves all results alike. Of what is not known to be the same for two panels
/// (where the probe lies, the sky of an hour, a tracker) nothing cancels.
fn cancels(cause: Cause) -> bool {
    Reads::of(cause).is_some()
}

/// What the instruments bring to a result: the same to every other that they gave.
pub fn of_meters(budget: &Budget) -> impl Iterator<Item = &Part> {
    budget.0.iter().filter(|part| cancels(part.cause))
}

/// Whether `a` is shown to be below `b`, of `count` panels that one test read with the same instruments, all pairs at once.
///
/// With `p` the two results and `u_c` the relative standard uncertainty that a cause brings to each, the difference has the variance
/// `sum over shared c of (u_c(a) p(a) - u_c(b) p(b))^2 + sum over others of (u_c(a) p(a))^2 + (u_c(b) p(b))^2` (JCGM 102:2011,
/// 6.2: inputs that both share are drawn once).
pub fn is_rated_below(a: &Combined, b: &Combined, count: usize) -> bool {
    let part = |one: &Combined, cause: Cause| {
        one.budget.0.iter().find(|part| part.cause == cause).map_or(0.0, |part| part.u_rel * one.percent)
    };
    let causes =
        a.budget.0.iter().chain(b.budget.0.iter().filter(|part| part_of(a, part.cause).is_none())).map(|part| part.cause);
    let variance: f64 = causes
        .map(|cause| {
            let (one, other) = (part(a, cause), part(b, cause));
            if cancels(cause) { (one - other).powi(2) } else { one.powi(2) + other.powi(2) }
        })
        .sum();
    // Few readings that scatter have a wider factor of their own.
    let few = a.coverage_factor.max(b.coverage_factor) / 2.0;
    b.percent - a.percent > simultaneous_factor(count, f64::INFINITY) * few * variance.sqrt()
}

fn part_of(one: &Combined, cause: Cause) -> Option<&Part> {
    one.budget.0.iter().find(|part| part.cause == cause)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::budget::Budget;
    use proptest::prelude::*;

    fn rated(percent: f64, parts: &[(Cause, f64)]) -> Combined {
        let budget = Budget(parts.iter().map(|(cause, u_rel)| Part { cause: *cause, u_rel: *u_rel }).collect());
        let u_percent = 2.0 * budget.combined_rel() * percent;
        Combined {
            count: 3,
            percent,
            u_percent,
            coverage_factor: 2.0,
            u_of_instruments_percent: u_percent,
            spread_percent: 0.0,
            budget,
        }
    }

    /// By hand: 97.6 and 93.1 %, each with 2.5 % of the irradiance meter and 0.5 % of its own. What is theirs alone is 0.67 of 4.5 points;
    /// the meter's part is 0.025 * 4.5 = 0.11. Two panels are told apart (1.96 * 0.68 = 1.3), ten too (3.26 * 0.68 = 2.2); with meters of
    /// their own (0.025 of each: 3.4 points) they are not.
    #[test]
    fn panels_under_one_meter_are_told_apart_by_what_is_theirs() {
        let with = |cause: Cause, percent: f64| rated(percent, &[(cause, 0.025), (Cause::Scatter, 0.005)]);
        let (high, low) = (with(Cause::SunMeter, 97.6), with(Cause::SunMeter, 93.1));
        for count in [2, 10] {
            assert!(is_rated_below(&low, &high, count) && !is_rated_below(&high, &low, count));
        }
        assert!(!is_rated_below(&with(Cause::SunMeter, 96.2), &high, 10));
        assert!(!is_rated_below(&with(Cause::SkyModel, 93.1), &with(Cause::SkyModel, 97.6), 2));
    }

    #[test]
    fn a_rank_is_the_best_and_the_worst_that_it_can_be() {
        let values = [100.0_f64, 99.0, 96.0, 90.0];
        let of = rank_ranges(4, |a, b| values[b] - values[a] > 3.5);
        assert_eq!(of, [(1, 2), (1, 3), (2, 3), (4, 4)]);
        assert_eq!(rank_ranges(3, |_, _| false), [(1, 3), (1, 3), (1, 3)]);
    }

    proptest! {
        /// By differences that all pairs share the limit of, a higher value never has a worse rank than a lower one.
        #[test]
        fn a_higher_value_never_ranks_behind_a_lower_one(values in prop::collection::vec(0.0..200.0_f64, 1..30), limit in 0.0..20.0_f64) {
            let ranks = rank_ranges(values.len(), |a, b| values[b] - values[a] > limit);
            prop_assert!(ranks.iter().any(|(low, _)| *low == 1));
            for (a, rank_a) in values.iter().zip(&ranks) {
                for (b, rank_b) in values.iter().zip(&ranks) {
                    prop_assert!(a < b || (rank_a.0 <= rank_b.0 && rank_a.1 <= rank_b.1));
                }
            }
        }
    }
}
