//! The samples of a stretch of a log: as series, with how they came, and with the watts that volts and amps stand for.

use super::grid::{Grid, Step};
use crate::measure::quantity::Quantity;
use crate::measure::series::{Arrival, Series};
use crate::window::Window;
use std::collections::BTreeMap;

/// Volts, amps, and the watts that they stand for: of the panel's side, of the output's.
const PRODUCTS: [(Quantity, Quantity, Quantity); 2] = [
    (Quantity::Voltage, Quantity::Current, Quantity::Power),
    (Quantity::OutputVoltage, Quantity::OutputCurrent, Quantity::OutputPower),
];

/// Samples of several quantities over the same time.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LogSamples {
    pub series: BTreeMap<Quantity, Series>,
    /// Quantities whose samples did not come clean, and how.
    pub arrivals: Vec<(Quantity, Arrival)>,
}

impl LogSamples {
    /// From (Unix seconds, value) of each quantity as they came.
    pub fn of(all: impl IntoIterator<Item = (Quantity, Vec<(f64, f64)>)>) -> Self {
        let mut samples = LogSamples::default();
        for (quantity, came) in all {
            let (series, arrival) = Series::new(came);
            if !arrival.is_clean() {
                samples.arrivals.push((quantity, arrival));
            }
            samples.series.insert(quantity, series);
        }
        for (volts, amps, watts) in PRODUCTS {
            if let (Some(volts), Some(amps), false) = (samples.get(volts), samples.get(amps), samples.series.contains_key(&watts))
            {
                let product = volts.times(amps);
                if !product.is_empty() {
                    samples.series.insert(watts, product);
                }
            }
        }
        samples
    }

    /// The means of the steps of a window: for a log that is still being recorded, whose samples would otherwise all be read again with
    /// each look at it.
    pub fn of_steps(grid: &Grid, window: Window) -> Self {
        let inside: Vec<usize> =
            (0..grid.steps).filter(|step| (window.from_s..window.to_s).contains(&grid.at_s(*step))).collect();
        let means =
            |quantity: Quantity| inside.iter().filter_map(|step| Some((grid.at_s(*step), grid.mean(quantity, *step)?))).collect();
        Self::of(grid.quantities().map(|quantity| (quantity, means(quantity))))
    }

    pub fn get(&self, quantity: Quantity) -> Option<&Series> {
        self.series.get(&quantity)
    }

    /// The watts that count: the panel's side, or else the output's.
    pub fn power(&self) -> Option<&Series> {
        self.get(Quantity::Power).or_else(|| self.get(Quantity::OutputPower))
    }

    /// C of the cells, or else of the back.
    pub fn cell(&self) -> Option<&Series> {
        self.get(Quantity::Cell).or_else(|| self.get(Quantity::Back))
    }
}

/// Volts and amps whose stretches begin within this are of one moment, s.
const ONE_MOMENT_S: f64 = 0.999;

/// Adds the watts of stretches (each with when it begins, Unix seconds) that have volts and amps of the same moment and no watts. The mean
/// of a product is that of the means where neither moves much within a stretch.
pub fn with_watts(folds: &mut BTreeMap<Quantity, Vec<(f64, Step)>>) {
    for (volts, amps, watts) in PRODUCTS {
        if let (Some(volts), Some(amps), false) = (folds.get(&volts), folds.get(&amps), folds.contains_key(&watts)) {
            let product = products(volts, amps);
            folds.insert(watts, product);
        }
    }
}

fn products(volts: &[(f64, Step)], amps: &[(f64, Step)]) -> Vec<(f64, Step)> {
    let mut amps = amps.iter().peekable();
    let mut found = Vec::new();
    for (from_s, volts) in volts {
        while amps.peek().is_some_and(|amps| amps.0 < from_s - ONE_MOMENT_S) {
            amps.next();
        }
        if let Some((_, amps)) = amps.peek().filter(|amps| (amps.0 - from_s).abs() <= ONE_MOMENT_S) {
            let samples = volts.samples.min(amps.samples);
            let step = Step { mean: volts.mean * amps.mean, low: volts.low * amps.low, high: volts.high * amps.high, samples };
            found.push((*from_s, step));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn watts_come_from_volts_and_amps_of_the_same_side_and_never_replace_watts() {
        let of = |value: f64| (0..10).map(|nth| (f64::from(nth), value)).collect::<Vec<_>>();
        let samples =
            LogSamples::of([(Quantity::Voltage, of(20.0)), (Quantity::Current, of(5.0)), (Quantity::OutputVoltage, of(13.0))]);
        assert_eq!(samples.power().map(|power| power.values()[3]), Some(100.0));
        assert!(samples.get(Quantity::OutputPower).is_none());
        let own = LogSamples::of([(Quantity::Voltage, of(20.0)), (Quantity::Current, of(5.0)), (Quantity::Power, of(98.0))]);
        assert_eq!(own.power().map(|power| power.values()[3]), Some(98.0));
    }

    #[test]
    fn folds_multiply_only_where_both_are() {
        let step = |mean: f64| Step { mean, low: mean - 1.0, high: mean + 1.0, samples: 3 };
        let volts = [(0.0, step(20.0)), (60.0, step(21.0)), (120.0, step(22.0))];
        let amps = [(0.0, step(5.0)), (120.0, step(4.0))];
        let found = products(&volts, &amps);
        assert_eq!(
            found.iter().map(|(from_s, step)| (*from_s, step.mean, step.low)).collect::<Vec<_>>(),
            [(0.0, 100.0, 76.0), (120.0, 88.0, 63.0)]
        );
        assert_eq!(products(&volts, &[(0.9, step(5.0))]).len(), 1);
        assert_eq!(products(&volts, &[(1.1, step(5.0))]).len(), 0);
    }
}
