//! Samples brought to even steps: the mean of each, and how far the samples in it spread.

use crate::measure::quantity::Quantity;
use crate::measure::series::Series;
use std::collections::BTreeMap;

/// Steps are never shorter than this, s: events of a day last minutes.
const SHORTEST_STEP_S: f64 = 60.0;

/// One step of one quantity.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Step {
    pub mean: f64,
    pub low: f64,
    pub high: f64,
    pub samples: u32,
}

/// Quantities on common even steps; `None` where a step is not covered by samples.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Grid {
    /// Unix seconds of the middle of the first step.
    pub first_s: f64,
    pub step_s: f64,
    pub steps: usize,
    columns: BTreeMap<Quantity, Vec<Option<Step>>>,
}

impl Grid {
    /// From samples of several quantities. The step is a minute, or the whole number of minutes that the slowest of them needs.
    pub fn of(all: &BTreeMap<Quantity, Series>) -> Self {
        let spans: Vec<(f64, f64)> = all.values().filter_map(Series::span_s).collect();
        let from_s = spans.iter().map(|span| span.0).fold(f64::INFINITY, f64::min);
        let to_s = spans.iter().map(|span| span.1).fold(f64::NEG_INFINITY, f64::max);
        if from_s > to_s {
            return Grid { step_s: SHORTEST_STEP_S, ..Grid::default() };
        }
        let slowest_s = all.values().map(Series::median_step_s).fold(0.0, f64::max);
        let step_s = (slowest_s / SHORTEST_STEP_S).ceil().max(1.0) * SHORTEST_STEP_S;
        let begin_s = (from_s / step_s).floor() * step_s;
        let steps = ((to_s - begin_s) / step_s).floor() as usize + 1;
        let columns = all.iter().map(|(quantity, series)| (*quantity, column(series, begin_s, step_s, steps))).collect();
        Grid { first_s: begin_s + step_s / 2.0, step_s, steps, columns }
    }

    /// From steps that were put together elsewhere: (Unix seconds of its beginning, step), in order of time.
    pub fn of_steps(step_s: f64, all: &BTreeMap<Quantity, Vec<(f64, Step)>>) -> Self {
        let begins = all.values().filter_map(|steps| steps.first()).map(|step| step.0);
        let ends = all.values().filter_map(|steps| steps.last()).map(|step| step.0);
        let from_s = begins.fold(f64::INFINITY, f64::min);
        let to_s = ends.fold(f64::NEG_INFINITY, f64::max);
        if from_s > to_s {
            return Grid { step_s, ..Grid::default() };
        }
        let steps = ((to_s - from_s) / step_s).round() as usize + 1;
        let place = |at_s: f64| ((at_s - from_s) / step_s).round() as usize;
        let columns = all.iter().map(|(quantity, seen)| {
            let mut column = vec![None; steps];
            for (at_s, step) in seen {
                column[place(*at_s)] = Some(*step);
            }
            (*quantity, column)
        });
        Grid { first_s: from_s + step_s / 2.0, step_s, steps, columns: columns.collect() }
    }

    /// The steps whose middles lie between two moments, Unix seconds.
    pub fn between(&self, from_s: f64, to_s: f64) -> Grid {
        let first = (0..self.steps).find(|step| self.at_s(*step) >= from_s).unwrap_or(self.steps);
        let end = (first..self.steps).find(|step| self.at_s(*step) > to_s).unwrap_or(self.steps);
        let columns = self.columns.iter().map(|(quantity, column)| (*quantity, column[first..end].to_vec())).collect();
        Grid { first_s: self.at_s(first), step_s: self.step_s, steps: end - first, columns }
    }

    /// Unix seconds of the middle of a step.
    pub fn at_s(&self, step: usize) -> f64 {
        self.first_s + step as f64 * self.step_s
    }

    pub fn quantities(&self) -> impl Iterator<Item = Quantity> {
        self.columns.keys().copied()
    }

    pub fn column(&self, quantity: Quantity) -> Option<&[Option<Step>]> {
        self.columns.get(&quantity).map(Vec::as_slice)
    }

    pub fn mean(&self, quantity: Quantity, step: usize) -> Option<f64> {
        self.columns.get(&quantity)?.get(step).copied().flatten().map(|step| step.mean)
    }

    /// Watts of the panel's side, or else of the output's.
    pub fn power(&self) -> Option<&[Option<Step>]> {
        self.column(Quantity::Power).or_else(|| self.column(Quantity::OutputPower))
    }
}

/// The mean of each step by the trapezoid, so that samples that lie close together do not count more than others.
fn column(series: &Series, begin_s: f64, step_s: f64, steps: usize) -> Vec<Option<Step>> {
    let longest_s = series.longest_step_s();
    let (mut area, mut covered_s) = (vec![0.0; steps], vec![0.0; steps]);
    let mut spread: Vec<Option<(f64, f64, u32)>> = vec![None; steps];
    let place = |at_s: f64| (((at_s - begin_s) / step_s).floor().max(0.0) as usize).min(steps - 1);
    for (at_s, value) in series.iter() {
        let seen = spread[place(at_s)].get_or_insert((value, value, 0));
        *seen = (seen.0.min(value), seen.1.max(value), seen.2 + 1);
    }
    for (at, values) in series.at_s().windows(2).zip(series.values().windows(2)) {
        if at[1] - at[0] > longest_s {
            continue;
        }
        let slope = (values[1] - values[0]) / (at[1] - at[0]);
        let mut from_s = at[0];
        while from_s < at[1] {
            let step = place(from_s);
            // The last step takes what is left; any other ends where the next begins.
            let end_s = if step + 1 == steps { at[1] } else { (begin_s + (step + 1) as f64 * step_s).min(at[1]) };
            let middle = values[0] + slope * ((from_s + end_s) / 2.0 - at[0]);
            area[step] += middle * (end_s - from_s);
            covered_s[step] += end_s - from_s;
            if end_s <= from_s {
                break;
            }
            from_s = end_s;
        }
    }
    let half_s = step_s / 2.0;
    (0..steps)
        .map(|step| {
            let is_edge = step == 0 || step + 1 == steps;
            let (low, high, samples) = spread[step].unwrap_or((f64::INFINITY, f64::NEG_INFINITY, 0));
            let is_covered = covered_s[step] >= half_s || is_edge && covered_s[step] > 0.0;
            let mean = is_covered.then(|| area[step] / covered_s[step])?;
            Some(Step { mean, low: low.min(mean), high: high.max(mean), samples })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_step_is_the_mean_over_its_time_not_over_its_samples() {
        // Ten samples in the first second of each minute, one in its middle: the mean of a straight line is its middle all the same.
        let at = (0..10).flat_map(|minute| {
            (0..10).map(move |tenth| f64::from(minute) * 60.0 + f64::from(tenth) / 10.0).chain([f64::from(minute) * 60.0 + 30.0])
        });
        let (series, _) = Series::new(at.map(|at_s| (at_s, at_s)));
        let uneven = Grid::of(&BTreeMap::from([(Quantity::Power, series)]));
        for step in 0..9 {
            assert!((uneven.mean(Quantity::Power, step).unwrap() - (step as f64 * 60.0 + 30.0)).abs() < 1e-9);
        }
        let (even, _) = Series::new((0..600).map(|second| (f64::from(second), f64::from(second))));
        let grid = Grid::of(&BTreeMap::from([(Quantity::Power, even)]));
        assert_eq!((grid.steps, grid.step_s, grid.first_s), (10, 60.0, 30.0));
        for step in 0..9 {
            assert!((grid.mean(Quantity::Power, step).unwrap() - (step as f64 * 60.0 + 30.0)).abs() < 1e-9);
        }
        let seen = grid.power().unwrap()[3].unwrap();
        assert_eq!((seen.low, seen.high, seen.samples), (180.0, 239.0, 60));
    }

    #[test]
    fn a_slow_log_has_longer_steps_and_a_gap_stays_a_gap() {
        let (series, _) = Series::new((0..48).filter(|nth| !(20..30).contains(nth)).map(|nth| (f64::from(nth) * 300.0, 5.0)));
        let grid = Grid::of(&BTreeMap::from([(Quantity::Power, series)]));
        assert_eq!(grid.step_s, 300.0);
        assert!(grid.mean(Quantity::Power, 10) == Some(5.0) && grid.mean(Quantity::Power, 25).is_none());
        assert_eq!(Grid::of(&BTreeMap::new()).steps, 0);
    }
}
