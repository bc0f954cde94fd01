//! Samples brought to even steps: the mean of each, and how far the samples in it spread.
//!
//! The step is the log's own: what lies between two samples of its watts. Faster logs are brought to a minute, since what happens in a day
//! lasts minutes and two months of seconds would be five million steps.

use crate::measure::quantity::Quantity;
use crate::measure::series::Series;
use crate::window::Window;
use std::collections::BTreeMap;

/// Steps are never shorter than this, s.
const SHORTEST_STEP_S: f64 = 60.0;

/// Steps are never longer than this, s: at a slower pace a day has too few of them to show anything but its sum.
const LONGEST_STEP_S: f64 = 3600.0;

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
    /// From samples of several quantities, at the pace of their watts, or where there are none of the quickest of them.
    pub fn of(all: &BTreeMap<Quantity, Series>) -> Self {
        Self::at_step(all, own_step_s(all, Series::median_step_s))
    }

    /// From samples that were put together over stretches of `fold_s` elsewhere, each stretch with when it begins, Unix seconds, in order
    /// of time. Where a log is slower than that, a stretch holds one sample, and the step is the log's own.
    pub fn of_folds(fold_s: f64, all: &BTreeMap<Quantity, Vec<(f64, Step)>>) -> Self {
        let as_series =
            |folds: &Vec<(f64, Step)>| Series::new(folds.iter().map(|(from_s, fold)| (from_s + fold_s / 2.0, fold.mean))).0;
        let series: BTreeMap<Quantity, Series> = all.iter().map(|(quantity, folds)| (*quantity, as_series(folds))).collect();
        let step_s = own_step_s(&series, usual_step_s);
        if step_s > fold_s {
            return Self::at_step(&series, step_s);
        }
        let mut grid = Self::at_step(&series, fold_s);
        // Folds that lie on the steps keep their lowest and highest sample, and how many they are.
        for (quantity, folds) in all {
            let Some(column) = grid.columns.get_mut(quantity) else { continue };
            for (from_s, fold) in folds {
                let place = (from_s + fold_s / 2.0 - grid.first_s) / fold_s;
                if (place - place.round()).abs() < 0.01 && fold.samples > 1 {
                    column[place.round().max(0.0) as usize] = Some(*fold);
                }
            }
        }
        grid
    }

    /// From samples, at a step of one's own.
    fn at_step(all: &BTreeMap<Quantity, Series>, step_s: f64) -> Self {
        let spans: Vec<Window> = all.values().filter_map(Series::span).collect();
        let from_s = spans.iter().map(|span| span.from_s).fold(f64::INFINITY, f64::min);
        let to_s = spans.iter().map(|span| span.to_s).fold(f64::NEG_INFINITY, f64::max);
        if from_s > to_s {
            return Grid { step_s, ..Grid::default() };
        }
        let begin_s = (from_s / step_s).floor() * step_s;
        let steps = ((to_s - begin_s) / step_s).floor() as usize + 1;
        let columns = all.iter().map(|(quantity, series)| (*quantity, column(series, begin_s, step_s, steps))).collect();
        Grid { first_s: begin_s + step_s / 2.0, step_s, steps, columns }
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

/// The pace of the watts of a log, or where there are none of the quickest of its quantities, within the bounds of a step.
fn own_step_s(all: &BTreeMap<Quantity, Series>, pace_s: fn(&Series) -> f64) -> f64 {
    let watts = [Quantity::Power, Quantity::OutputPower].into_iter().find_map(|quantity| all.get(&quantity));
    let own_s = match watts.or_else(|| all.get(&Quantity::Voltage)) {
        Some(series) => pace_s(series),
        None => all.values().map(pace_s).filter(|pace| *pace > 0.0).fold(f64::INFINITY, f64::min),
    };
    if own_s.is_finite() { own_s.clamp(SHORTEST_STEP_S, LONGEST_STEP_S) } else { SHORTEST_STEP_S }
}

/// The mean of the steps that are no gaps: of folds, the middle one would be a whole number of them, also where the samples lie one and a
/// half apart.
fn usual_step_s(series: &Series) -> f64 {
    let longest_s = 2.0 * series.median_step_s();
    let usual = series.at_s().windows(2).map(|pair| pair[1] - pair[0]).filter(|step| *step <= longest_s);
    let (sum, count) = usual.fold((0.0, 0.0), |(sum, count), step| (sum + step, count + 1.0));
    if count > 0.0 { sum / count } else { 0.0 }
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
        let (first, last) = (place(at[0]), place(at[1]));
        for step in first..=last {
            // The first and the last step take what lies outside of them.
            let from_s = if step == first { at[0] } else { begin_s + step as f64 * step_s };
            let end_s = if step == last { at[1] } else { begin_s + (step + 1) as f64 * step_s };
            let middle = values[0] + slope * ((from_s + end_s) / 2.0 - at[0]);
            area[step] += middle * (end_s - from_s);
            covered_s[step] += end_s - from_s;
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

    fn folds(at_s: impl Iterator<Item = f64>) -> BTreeMap<Quantity, Vec<(f64, Step)>> {
        let mut found: Vec<(f64, Step)> = Vec::new();
        for at_s in at_s {
            let (from_s, value) = ((at_s / 60.0).floor() * 60.0, 100.0 + at_s / 1000.0);
            match found.last_mut().filter(|last| last.0 == from_s) {
                Some((_, step)) => {
                    let count = f64::from(step.samples);
                    let mean = (step.mean * count + value) / (count + 1.0);
                    *step = Step { mean, low: step.low.min(value), high: step.high.max(value), samples: step.samples + 1 };
                }
                None => found.push((from_s, Step { mean: value, low: value, high: value, samples: 1 })),
            }
        }
        BTreeMap::from([(Quantity::Power, found)])
    }

    /// Minutes that a store keeps hold the log at its own pace: no step is empty, whatever lies between two samples.
    #[test]
    fn folds_of_any_pace_have_no_holes() {
        for (pace_s, step_s) in [(1.0, 60.0), (10.0, 60.0), (60.4, 60.4), (90.0, 90.0), (300.0, 300.0), (900.0, 900.0)] {
            let samples = (0..(20.0 * 3600.0 / pace_s) as u32).map(|nth| 7.0 + f64::from(nth) * pace_s);
            let grid = Grid::of_folds(60.0, &folds(samples));
            assert!((grid.step_s / step_s - 1.0).abs() < 0.002, "{pace_s}: {}", grid.step_s);
            let column = grid.power().unwrap();
            let holes = column.iter().filter(|step| step.is_none()).count();
            assert_eq!(holes, 0, "{pace_s}");
            let middle = grid.steps / 2;
            // The course is straight: what a step says is its value there, but for the minute that a fold is wide.
            assert!((column[middle].unwrap().mean - (100.0 + grid.at_s(middle) / 1000.0)).abs() < 0.035, "{pace_s}");
        }
        let gap = (0..2000).map(|nth| f64::from(nth) * 60.4).filter(|at_s| !(40_000.0..50_000.0).contains(at_s));
        let grid = Grid::of_folds(60.0, &folds(gap));
        let holes = grid.power().unwrap().iter().filter(|step| step.is_none()).count() as f64 * grid.step_s;
        assert!((9_800.0..10_200.0).contains(&holes), "{holes}");
    }
}
