//! The weights by which every order of runs compares a level with its baseline.

use super::model::{Estimator, Mean, SkyWander};
use crate::record::order::Order;

/// A clear sun changes by up to this share a minute well away from noon, where no light was read and no course is known: what stands
/// outside a bracket drifts so. Common practice, no source.
pub const OPEN_DRIFT_PER_MIN: f64 = 0.0025;

/// Shares of baselines that stand for the baseline at one moment: two around it, or the nearest one.
pub(super) fn shares_at(baselines: &[&Mean], unix_s: f64) -> (Vec<f64>, bool) {
    let mut shares = vec![0.0; baselines.len()];
    let before = baselines.iter().rposition(|baseline| baseline.unix_s <= unix_s);
    let after = baselines.iter().position(|baseline| baseline.unix_s >= unix_s);
    match (before, after) {
        (Some(before), Some(after)) if before != after => {
            let (start_s, end_s) = (baselines[before].unix_s, baselines[after].unix_s);
            let share = if end_s > start_s { (unix_s - start_s) / (end_s - start_s) } else { 0.5 };
            shares[before] = 1.0 - share;
            shares[after] = share;
            (shares, true)
        }
        (before, after) => {
            if let Some(nearest) = before.or(after) {
                shares[nearest] = 1.0;
            }
            (shares, before.is_some() && after.is_some())
        }
    }
}

/// Weights over all run means, with what of the light between them is not known.
#[derive(Debug, Clone)]
pub(super) struct Contrast {
    pub weights: Vec<f64>,
    pub runs: usize,
    pub is_bracketed: bool,
    pub drift_ln: f64,
    pub sky_var: f64,
}

impl Estimator<'_> {
    pub(super) fn contrast(&self, level: usize) -> Option<Contrast> {
        match self.model.order {
            Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats => self.bracketed(level),
            Order::Totals => self.of_totals(level),
            Order::Crossover => self.crossed(level),
            Order::BeforeAfter => self.before_after(level),
        }
    }

    /// Each run of the level against the baseline around it.
    fn bracketed(&self, level: usize) -> Option<Contrast> {
        let places: Vec<usize> = self.of_level(0).map(|(at, _)| at).collect();
        let baselines: Vec<&Mean> = places.iter().map(|at| &self.means[*at]).collect();
        let of_level: Vec<(usize, &Mean)> = self.of_level(level).collect();
        if baselines.is_empty() || of_level.is_empty() {
            return None;
        }
        let k = of_level.len() as f64;
        let mut contrast = Contrast {
            weights: vec![0.0; self.means.len()],
            runs: of_level.len(),
            is_bracketed: true,
            drift_ln: 0.0,
            sky_var: 0.0,
        };
        for (at, mean) in &of_level {
            let (shares, is_bracketed) = shares_at(&baselines, mean.unix_s);
            let used = || baselines.iter().zip(&shares).filter(|(_, share)| **share > 0.0).map(|(baseline, _)| *baseline);
            let moved = used().map(|one| one.ln).fold(f64::MIN, f64::max) - used().map(|one| one.ln).fold(f64::MAX, f64::min);
            contrast.drift_ln = contrast.drift_ln.max(moved);
            contrast.is_bracketed &= is_bracketed;
            contrast.weights[*at] += 1.0 / k;
            for (place, share) in places.iter().zip(&shares) {
                contrast.weights[*place] -= share / k;
            }
            let minutes = |one: &Mean| (one.unix_s - mean.unix_s).abs() / 60.0;
            let around: Vec<f64> = used().map(minutes).collect();
            let SkyWander(per_root_min) = self.sky.wander;
            let wandered = match around[..] {
                [before, after] if before + after > 0.0 => before * after / (before + after),
                _ => around.iter().copied().fold(0.0, f64::max),
            };
            contrast.sky_var += per_root_min.powi(2) * wandered / k / k;
            if !is_bracketed && !mean.knows_light {
                let open = around.iter().copied().fold(0.0, f64::max);
                contrast.sky_var += (OPEN_DRIFT_PER_MIN * open).powi(2) / 3.0 / k / k;
            }
        }
        Some(contrast)
    }

    /// The mean of a level against the mean of the baseline, in any order of the days.
    fn of_totals(&self, level: usize) -> Option<Contrast> {
        let weights = self.mean_of(level)?.into_iter().zip(self.mean_of(0)?).map(|(of, baseline)| of - baseline).collect();
        Some(Contrast { weights, runs: self.of_level(level).count(), is_bracketed: true, drift_ln: 0.0, sky_var: 0.0 })
    }

    fn mean_of(&self, level: usize) -> Option<Vec<f64>> {
        let count = self.of_level(level).count();
        let of = |mean: &Mean| if mean.level == level { 1.0 / count as f64 } else { 0.0 };
        (count > 0).then(|| self.means.iter().map(of).collect())
    }

    /// A level on one rig against the baseline on the other at the same time, then exchanged: what differs between the rigs cancels in
    /// the mean of the two ways. `None` until both were done.
    fn crossed(&self, level: usize) -> Option<Contrast> {
        let mut weights = vec![0.0; self.means.len()];
        let mut runs = 0;
        for rig in [1, 2] {
            let pairs: Vec<(usize, usize)> = self
                .of_level(level)
                .filter(|(_, mean)| mean.rig == rig)
                .filter_map(|(at, mean)| {
                    let partner = self.partner(mean)?;
                    Some((at, self.means.iter().position(|other| other.place == partner.place)?))
                })
                .collect();
            if pairs.is_empty() {
                return None;
            }
            runs += pairs.len();
            for (at, partner) in &pairs {
                weights[*at] += 0.5 / pairs.len() as f64;
                weights[*partner] -= 0.5 / pairs.len() as f64;
            }
        }
        Some(Contrast { weights, runs, is_bracketed: true, drift_ln: 0.0, sky_var: 0.0 })
    }

    /// The changed panel over its control, after against before.
    fn before_after(&self, level: usize) -> Option<Contrast> {
        let mut weights = vec![0.0; self.means.len()];
        let mut runs = 0;
        for (of, sign) in [(level, 1.0), (0, -1.0)] {
            let pairs: Vec<(usize, usize)> = self
                .of_level(of)
                .filter(|(_, mean)| mean.rig == 1)
                .filter_map(|(at, mean)| {
                    let control = self.partner(mean)?;
                    Some((at, self.means.iter().position(|other| other.place == control.place)?))
                })
                .collect();
            if pairs.is_empty() {
                return None;
            }
            if of == level {
                runs = pairs.len();
            }
            for (at, control) in &pairs {
                weights[*at] += sign / pairs.len() as f64;
                weights[*control] -= sign / pairs.len() as f64;
            }
        }
        Some(Contrast { weights, runs, is_bracketed: true, drift_ln: 0.0, sky_var: 0.0 })
    }

    /// The run that was at work beside a run, on the other rig.
    pub(super) fn partner(&self, mean: &Mean) -> Option<&Mean> {
        self.of_level(0).map(|(_, other)| other).find(|other| other.rig != mean.rig && other.place / 2 == mean.place / 2)
    }
}
