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
    let checked = runs.iter().filter(|run| run.level == level).find_map(|run| run.checked);
    LevelDisplay { level, checked, displays }
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
        if let Some(checked) = of_checked(by_level) {
            return checked;
        }
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

/// The same of meters that were all read on one source: what a bent gain and an offset leave between the source and the test, and the
/// check's own scatter. In one range an offset partly cancels; a bend towards another quantity, such as from watts to watt-hours, counts
/// whole.
fn of_checked(by_level: &[(&LevelDisplay, f64)]) -> Option<(f64, f64)> {
    let (mut digits_var, mut gain_var) = (0.0, 0.0);
    for (of, weight) in by_level {
        let check = of.checked?;
        gain_var += weight * weight * check.var_rel;
        for (value, step, _, offset, gain) in of.displays.iter().filter(|(value, ..)| *value > 0.0) {
            let is_alike = check.is_alike && of.displays.len() == 1;
            let (in_test, in_check) =
                (standard_from_limit(*offset) / value, standard_from_limit(check.offset_limit) / check.shown);
            let is_one_range = is_alike && (step - check.step).abs() < 0.5 * step;
            let offset_var = if is_one_range { (in_test - in_check).powi(2) } else { in_test.powi(2) + in_check.powi(2) };
            digits_var += weight * weight * offset_var;
            let bent = if is_alike { 1.0 - value.min(check.shown) / value.max(check.shown) } else { 1.0 };
            gain_var += (weight * NON_LINEAR_SHARE * standard_from_limit(*gain) * bent).powi(2);
        }
    }
    Some((digits_var, gain_var))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::estimate::MeterCheck;

    fn level(value: f64, step: f64, check: MeterCheck) -> LevelDisplay {
        LevelDisplay { level: 0, checked: Some(check), displays: vec![(value, step, 1, 3.0 * step, 0.02)] }
    }

    /// By hand, of one level with weight 1: an offset of 3 digits of 1 W is 3 / sqrt(3) = 1.7321 W. Read at 200 W and checked at 100 W it
    /// leaves 1.7321 (1/100 - 1/200) = 0.86603 %; in another range of the display, 0.1 W at the check, both add in squares:
    /// sqrt(0.86603^2 + 0.17321^2) = 0.88318 %. A fifth of the gain's 2 % / sqrt(3) = 1.1547 % bends by half between 100 and 200 W:
    /// 0.11547 %; beside a check in another quantity whole: 0.23094 %. The check's own 0.3 % comes in as it is.
    #[test]
    fn a_check_leaves_the_bend_the_offsets_and_its_own_scatter() {
        let check = |step: f64, is_alike: bool| MeterCheck {
            shown: 100.0,
            over_mean: 1.0,
            var_rel: 0.003 * 0.003,
            step,
            offset_limit: 3.0 * step,
            is_alike,
        };
        for (step, is_alike, digits, bend) in [(1.0, true, 0.0086603, 0.0011547), (0.1, true, 0.0088318, 0.0011547)] {
            let (digits_var, gain_var) = of_checked(&[(&level(200.0, 1.0, check(step, is_alike)), 1.0)]).unwrap();
            assert!((digits_var.sqrt() - digits).abs() < 1e-6, "{}", digits_var.sqrt());
            assert!((gain_var - bend * bend - 0.003 * 0.003).abs() < 1e-9, "{gain_var}");
        }
        let (_, gain_var) = of_checked(&[(&level(200.0, 1.0, check(1.0, false)), 1.0)]).unwrap();
        assert!((gain_var - 0.0023094_f64.powi(2) - 0.003 * 0.003).abs() < 1e-9, "{gain_var}");
        // A level whose meter was not on the source leaves all as it was.
        let unchecked = LevelDisplay { checked: None, ..level(200.0, 1.0, check(1.0, true)) };
        assert!(of_checked(&[(&unchecked, 1.0)]).is_none());
    }
}
