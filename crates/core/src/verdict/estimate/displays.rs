//! What displays and meters leave open: steps, digits, bent gains.

use super::model::{Display, Estimator, LevelDisplay, RunSamples, Sample};
use crate::measure::instrument::{standard_from_limit, standard_from_step};

/// The share of a meter's stated percent that is not gain. Common practice, no source.
const NON_LINEAR_SHARE: f64 = 0.2;

pub(super) fn level_display(level: usize, runs: &[RunSamples]) -> LevelDisplay {
    let samples: Vec<&Sample> = runs.iter().filter(|run| run.level == level).flat_map(|run| &run.samples).collect();
    let count = samples.iter().map(|sample| sample.displays.len()).min().unwrap_or(0);
    let displays = (0..count)
        .map(|nth| {
            let of: Vec<Display> = samples.iter().map(|sample| sample.displays[nth]).collect();
            let n = of.len() as f64;
            let step = of.iter().map(|one| one.step).fold(0.0, f64::max);
            let mut shown: Vec<i64> = of.iter().map(|one| (one.value / step.max(1e-9)).round() as i64).collect();
            shown.sort_unstable();
            shown.dedup();
            let mean = |get: fn(&Display) -> f64| of.iter().map(get).sum::<f64>() / n;
            (mean(|one| one.value), step, shown.len(), mean(|one| one.offset_limit), mean(|one| one.gain_limit_rel))
        })
        .collect();
    LevelDisplay { level, displays }
}

impl Estimator<'_> {
    /// Variance of a level by the steps of its displays.
    pub(super) fn display_var(&self, level: usize) -> f64 {
        let Some(of) = self.displays.iter().find(|of| of.level == level) else { return 0.0 };
        of.displays
            .iter()
            .filter(|(value, ..)| *value > 0.0)
            .map(|(value, step, figures, ..)| (standard_from_step(*step) / value).powi(2) / (*figures).max(1) as f64)
            .sum()
    }

    /// What the meters' digits and gains leave between levels with these weights.
    pub(super) fn meter_var(&self, by_level: &[(&LevelDisplay, f64)]) -> (f64, f64) {
        let count = by_level.iter().map(|(of, _)| of.displays.len()).min().unwrap_or(0);
        let (mut digits_var, mut gain_var) = (0.0, 0.0);
        for nth in 0..count {
            let of: Vec<(f64, f64, f64, f64, f64)> = by_level
                .iter()
                .map(|(of, weight)| {
                    let (value, step, _, offset, gain) = of.displays[nth];
                    (*weight, value, step, offset, gain)
                })
                .filter(|(_, value, ..)| *value > 0.0)
                .collect();
            let is_one_range =
                of.windows(2).all(|pair| pair[0].2 == pair[1].2 || (pair[0].2 / pair[1].2.max(1e-12) - 1.0).abs() < 0.5);
            let gain_limit = of.iter().map(|(.., gain)| *gain).fold(0.0, f64::max);
            if is_one_range && !self.model.is_own_meters {
                let left: f64 =
                    of.iter().map(|(weight, value, _, offset, _)| weight * standard_from_limit(*offset) / value).sum();
                digits_var += left * left;
                let most = of.iter().map(|(_, value, ..)| *value).fold(0.0, f64::max);
                let bent: f64 = of.iter().map(|(weight, value, ..)| weight * (1.0 - value / most)).sum();
                gain_var += (NON_LINEAR_SHARE * standard_from_limit(gain_limit) * bent).powi(2);
            } else {
                digits_var += of
                    .iter()
                    .map(|(weight, value, _, offset, _)| (weight * standard_from_limit(*offset) / value).powi(2))
                    .sum::<f64>();
                gain_var += of.iter().map(|(weight, .., gain)| (weight * standard_from_limit(*gain)).powi(2)).sum::<f64>();
            }
        }
        (digits_var, gain_var)
    }
}
