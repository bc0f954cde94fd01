//! Several readings of one figure as one result.

use super::point::StcPoint;
use crate::measure::budget::{Budget, Cause};
use crate::measure::coverage::{effective_dof, factor_95};

/// The result of all readings that count.
#[derive(Debug, Clone, PartialEq)]
pub struct Combined {
    pub count: usize,
    /// As percent of the label's figure: the geometric mean of the readings, so that the steps of the ladder multiply out.
    pub percent: f64,
    /// Expanded uncertainty for about 95 % coverage, in percent of the label's figure.
    pub u_percent: f64,
    /// The coverage factor behind it; 2 unless the scatter of few readings weighs heavily.
    pub coverage_factor: f64,
    /// The expanded uncertainty that instruments alone would give (k = 2).
    pub u_of_instruments_percent: f64,
    /// Between the highest and the lowest reading, in percent of the label's figure.
    pub spread_percent: f64,
    pub budget: Budget,
}

/// The geometric mean of positive numbers; NaN of none.
pub fn geometric_mean(values: impl Iterator<Item = f64>) -> f64 {
    let (sum, count) = values.fold((0.0, 0.0), |(sum, count), value: f64| (sum + value.ln(), count + 1.0));
    f64::exp(sum / count)
}

/// Combines points of one figure. `None` without points.
///
/// What the instruments do to all readings alike does not average out: their shared parts are averaged as they are. What
/// each reading has for itself shrinks with the root of their number, and is never taken as less than the scatter that is
/// seen (JCGM 100:2008, 4.2.3 and, for the coverage factor, G.4).
pub fn combine(points: &[&StcPoint]) -> Option<Combined> {
    let count = points.len();
    if count == 0 {
        return None;
    }
    let n = count as f64;
    let percent = geometric_mean(points.iter().map(|point| point.percent));
    let scatter_rel = if count < 2 {
        0.0
    } else {
        let squares: f64 = points.iter().map(|point| (point.percent / percent).ln().powi(2)).sum();
        (squares / (n - 1.0) / n).sqrt()
    };
    let mut budget = summed(points, Cause::is_shared, |sum, u_rel| sum + u_rel / n, |sum| sum);
    let own = summed(points, |cause| !cause.is_shared(), |sum, u_rel| sum + (u_rel / n).powi(2), f64::sqrt);
    let shared_rel = budget.combined_rel();
    let own_rel = own.combined_rel();
    let scatter_counts = scatter_rel > own_rel;
    if scatter_counts {
        budget.add(Cause::Scatter, scatter_rel);
    } else {
        own.0.iter().for_each(|part| budget.add(part.cause, part.u_rel));
    }
    let u_rel = budget.combined_rel();
    let coverage_factor = if scatter_counts { factor_95(effective_dof(u_rel, scatter_rel, n - 1.0)) } else { 2.0 };
    let percents = || points.iter().map(|point| point.percent);
    Some(Combined {
        count,
        percent,
        u_percent: coverage_factor * u_rel * percent,
        coverage_factor,
        u_of_instruments_percent: 2.0 * shared_rel.hypot(own_rel) * percent,
        spread_percent: percents().fold(f64::MIN, f64::max) - percents().fold(f64::MAX, f64::min),
        budget,
    })
}

/// The parts of all budgets whose cause is one of these, cause by cause: each added to the sum of its cause, which is `closed` at the end.
fn summed(
    points: &[&StcPoint],
    is_one: impl Fn(Cause) -> bool,
    added: impl Fn(f64, f64) -> f64,
    closed: impl Fn(f64) -> f64,
) -> Budget {
    let mut sums: Vec<(Cause, f64)> = Vec::new();
    for point in points {
        for (nth, part) in point.budget.0.iter().filter(|part| is_one(part.cause)).enumerate() {
            // Budgets of one test name their causes in one order, nearly always.
            let is_here = sums.get(nth).is_some_and(|(cause, _)| *cause == part.cause);
            let at = if is_here { Some(nth) } else { sums.iter().position(|(cause, _)| *cause == part.cause) };
            match at {
                Some(at) => sums[at].1 = added(sums[at].1, part.u_rel),
                None => sums.push((part.cause, added(0.0, part.u_rel))),
            }
        }
    }
    let mut budget = Budget::default();
    sums.into_iter().for_each(|(cause, sum)| budget.add(cause, closed(sum)));
    budget
}
