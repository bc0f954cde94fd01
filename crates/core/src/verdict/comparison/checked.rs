//! Meters of a test that were read on one source: what one of them shows too much is taken off, and of their gains remains what the check
//! leaves open.
//!
//! With `c(l)` what the meter of level `l` shows on the source, its readings are divided by `c(l)` over the geometric mean of all checks.
//! A gain `g` and an offset `o` give `y (1 + g + o / y)` in the test and `c (1 + g + o / c)` in the check: of the gain nothing remains but
//! its bend between the two, and of the offset `o (1 / y - 1 / c)`, where both are in one range of the display. The display steps and the repeats of the check come in anew.

use super::super::condition::Taken;
use super::super::estimate::MeterCheck;
use super::Meters;
use super::compared::Compared;
use super::method::{Method, RunTaken};
use crate::measure::instrument::standard_from_step;
use crate::measure::quantity::Quantity;

impl Meters {
    pub(super) fn of(runs: &[&RunTaken<'_>], is_own_meters: bool, compared: Compared, method: &Method<'_>) -> Self {
        // One meter for all levels has one gain, whatever it shows on a source.
        if !is_own_meters {
            return Meters::One;
        }
        match checks(runs, compared, method) {
            checks if checks.is_empty() => Meters::Own,
            checks => Meters::Checked(checks),
        }
    }

    /// As the JSON says it.
    pub fn name(&self) -> &'static str {
        match self {
            Meters::One => "one",
            Meters::Own => "own",
            Meters::Checked(_) => "checked",
        }
    }

    pub(super) fn check_of(&self, level: usize) -> Option<MeterCheck> {
        match self {
            Meters::One | Meters::Own => None,
            Meters::Checked(checks) => checks.iter().find(|(of, _)| *of == level).map(|(_, one)| *one),
        }
    }
}

/// The check of each level, where the baseline's meter and at least one other were read on the source, in one quantity.
fn checks(runs: &[&RunTaken<'_>], compared: Compared, method: &Method<'_>) -> Vec<(usize, MeterCheck)> {
    let of = |quantity: Quantity| -> Vec<(usize, MeterCheck)> {
        let mut levels: Vec<usize> = runs.iter().map(|run| run.level).collect();
        levels.sort_unstable();
        levels.dedup();
        levels.into_iter().filter_map(|level| Some((level, of_level(level, quantity, compared, runs, method)?))).collect()
    };
    let found = [of(Quantity::CheckPower), of(Quantity::CheckEnergy)].into_iter().max_by_key(Vec::len).unwrap_or_default();
    let has_baseline = found.first().is_some_and(|(level, _)| *level == 0);
    if found.len() < 2 || !has_baseline {
        return Vec::new();
    }
    let mean_ln = found.iter().map(|(_, one)| one.shown.ln()).sum::<f64>() / found.len() as f64;
    found.into_iter().map(|(level, one)| (level, MeterCheck { over_mean: one.shown / mean_ln.exp(), ..one })).collect()
}

fn of_level(
    level: usize,
    quantity: Quantity,
    compared: Compared,
    runs: &[&RunTaken<'_>],
    method: &Method<'_>,
) -> Option<MeterCheck> {
    let unsteady = method.setup.unsteady;
    let of_level = runs.iter().filter(|run| run.level == level).flat_map(|run| &run.readings);
    let seen: Vec<_> =
        of_level.filter_map(|taken: &Taken<'_>| taken.figures.get(quantity)).filter(|seen| seen.value(unsteady) > 0.0).collect();
    let n = seen.len() as f64;
    let shown = seen.iter().map(|seen| seen.value(unsteady)).sum::<f64>() / n;
    // Readings that show one figure share its display step; different ones average it.
    let mut figures: Vec<f64> = seen.iter().map(|seen| seen.value(unsteady)).collect();
    figures.sort_by(f64::total_cmp);
    figures.dedup();
    let step = seen.iter().map(|seen| seen.step).fold(0.0, f64::max);
    let step_var = (standard_from_step(step) / shown).powi(2) / figures.len().max(1) as f64;
    let is_alike = match compared {
        Compared::OutputWatts | Compared::Watts => quantity == Quantity::CheckPower,
        Compared::Energy => quantity == Quantity::CheckEnergy,
        Compared::Charge | Compared::Isc | Compared::Current | Compared::OutputCurrent | Compared::Voc | Compared::Voltage => {
            false
        }
    };
    (n > 0.0).then(|| MeterCheck {
        shown,
        over_mean: 1.0,
        var_rel: step_var + method.repeat_rel.powi(2) / n,
        step,
        offset_limit: method.setup.instruments.watts.digits * step,
        is_alike,
    })
}
