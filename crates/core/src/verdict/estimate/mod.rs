//! The error model of comparisons: what a level is as percent of its baseline, and how surely.
//!
//! # The model
//!
//! What is read in a run `r` of level `l` at time `t`, divided by the light that is known to have fallen, is taken as
//!
//! `ln y = ln level(l) + drift(t) + s(r) + e(r, j) + d(l) + o / y`
//!
//! - `s`, the **set-up of the run**: the plug, the prop, the card are put in place once per run, so that more readings in the run do
//!   not lessen it. Standard uncertainty by factor ([`Scatter::of_set_up`]). Totals of different days have the weather's in its
//!   place ([`Scatter::BETWEEN_DAYS`]).
//! - `e`, the **repeat** of one reading within the run: averages over the `n` readings of the run. Light and load are read a few seconds
//!   apart,
//!   so that a light that wanders by `c` for the root of a minute adds `c^2` times that time.
//! - `d`, the **display step**: uniform over one step, standard uncertainty `step / sqrt(12)` (JCGM 100:2008, F.2.2.1). Readings that show
//!   the same figure share one and the same error; so it averages over *different* figures only.
//! - `o`, the **digits** of the meter: an offset of up to so many last digits, the same in every reading, uniform: `digits step / sqrt(3)`.
//!   On one meter it cancels between levels of the same size and stays nearly whole where a level is far smaller than its baseline.
//! - the **gain** of one meter cancels. What does not is its non-linearity, a share of the stated percent that grows with the distance of
//!   the two. Another range of the display is another meter; so are meters that are read side by side: then nothing cancels, unless they
//!   were read on one source ([`MeterCheck`]).
//! - where panels are compared and their **cell temperatures** were not read: what two panels are likely to differ, the same in every run.
//! - `drift`: straight between two baselines, after the light was divided out. What wanders off the straight line is a Brownian bridge,
//!   `c^2 (t - t0)(t1 - t) / (t1 - t0)`, with `c` by what the light is known from ([`SkyWander`]), or by how far neighbouring baselines are
//!   apart beyond what `c`, set-up, repeat and a clear sun's drift explain.
//!
//! # The estimate
//!
//! Every order of runs compares by a **contrast**: weights `w(r)` over the run means `m(r)`, whose sum over a level is 1 and over the
//! baseline -1. The level as percent of its baseline is `100 exp(sum w m)`. With `W(l)` the sum of the weights of a level, the variance
//! follows from the law of propagation (JCGM 100:2008, 5.1.2) term by term:
//!
//! `F sum w^2 (s^2 + R e^2 / n) + sum W^2 d^2 + (o sum W / y)^2 + (non-linearity)^2 + sum W^2 c^2 / 2 + wander`
//!
//! `F` and `R` are what the test itself shows: squared departures of runs from their neighbours and of readings from their run's mean,
//! each over its stated variance, joined with the stated value as if that had been seen with `dof0` degrees of freedom: by how well it is
//! known itself, half the inverse square of its own relative uncertainty (JCGM 100:2008, G.4.2). The joined scale is
//! `(dof0 + chi2) / (dof0 + dof)`, the conjugate estimate of a scaled variance (Gelman et al. 2013, Bayesian Data Analysis, 2.6). What is
//! observed may widen a stated part; it never removes one, so both are at least 1: runs that agree by chance do not make the next one
//! better. (The weather of days is no such part, and may be steadier than stated.) Scatter that the stated value would show in fewer than
//! one test of twenty (chi-square) counts by itself, with its own degrees of freedom. The degrees of freedom of the sum are those of Welch
//! and Satterthwaite (JCGM 100:2008, G.2b), and Student's t for 95 % and 99 % gives the intervals: a set-up that is known to three tenths
//! of itself has longer tails than a normal distribution, which is what keeps claims at 99 % from being false.

mod contrast;
mod displays;
mod model;
mod scatter;

use crate::measure::coverage::t_factor;
use crate::measure::instrument::standard_from_step;
use crate::record::order::Slot;
use crate::verdict::estimate::model::LevelDisplay;
use crate::verdict::estimate::model::SeenSky;
use contrast::Contrast;
use displays::level_display;
use model::Mean;
pub use model::{
    Difference, Display, ErrorModel, Estimator, MeterCheck, RunSamples, Sample, Scatter, SkyWander, Source, WANDER_CLEAR,
    WANDER_HAZE, WANDER_METERED, WANDER_THIN_CLOUD, WANDER_UNNOTED, Weighted, Widening,
};
use scatter::STATED_REPEAT;

fn mean(run: &RunSamples) -> Option<Mean> {
    let lit: Vec<&Sample> = run.samples.iter().filter(|sample| sample.value > 0.0).collect();
    if run.samples.is_empty() {
        return None;
    }
    let n = lit.len() as f64;
    let over_mean = run.checked.map_or(1.0, |check| check.over_mean);
    let ln_of = |sample: &Sample| (sample.over_light() / sample.temperature_factor / over_mean).ln();
    let ln = if lit.is_empty() { f64::NEG_INFINITY } else { lit.iter().map(|sample| ln_of(sample)).sum::<f64>() / n };
    // A departure within one display step is the display's, not the run's.
    let own_var = |sample: &Sample| {
        let step_var: f64 =
            sample.displays.iter().map(|one| (standard_from_step(one.step) / one.value.abs().max(1e-12)).powi(2)).sum();
        sample.repeat_rel.powi(2) + step_var
    };
    let chi = lit.iter().map(|sample| (ln_of(sample) - ln).powi(2) / own_var(sample).max(1e-18)).sum();
    Some(Mean {
        place: run.place,
        level: run.level,
        rig: run.rig,
        unix_s: run.samples.iter().map(|sample| sample.unix_s).sum::<f64>() / run.samples.len() as f64,
        ln,
        repeat_var: lit.iter().map(|sample| sample.repeat_rel.powi(2)).sum::<f64>() / n.max(1.0).powi(2),
        within: (chi, (n - 1.0).max(0.0)),
        knows_light: run.samples.iter().all(|sample| sample.light.is_some()),
    })
}

impl<'a> Estimator<'a> {
    /// Runs in the order in which they were done. A run without a reading is left out.
    pub fn new(runs: &'a [RunSamples], model: ErrorModel) -> Self {
        let means: Vec<Mean> = runs.iter().filter_map(mean).collect();
        let mut levels: Vec<usize> = means.iter().map(|mean| mean.level).collect();
        levels.sort_unstable();
        levels.dedup();
        let displays = levels.iter().map(|level| level_display(*level, runs)).collect();
        let (chi, dof) = means.iter().fold((0.0, 0.0), |(chi, dof), mean| (chi + mean.within.0, dof + mean.within.1));
        let within = STATED_REPEAT.joined(chi, dof);
        let none = model.set_up.joined(0.0, 0.0);
        let sky = SeenSky { wander: model.wander, dof: f64::INFINITY };
        let mut estimator = Estimator { runs, model, means, displays, between: none, within, sky };
        estimator.sky = estimator.seen_sky();
        estimator.between = estimator.seen_between_runs();
        estimator
    }

    /// How far the test's own runs scatter beyond what is stated.
    pub fn between_runs(&self) -> Widening {
        self.between
    }

    pub fn within_runs(&self) -> Widening {
        self.within
    }

    /// Levels with readings, besides the baseline.
    pub fn levels(&self) -> Vec<usize> {
        self.displays.iter().map(|of| of.level).filter(|level| *level > 0).collect()
    }

    fn of_level(&self, level: usize) -> impl Iterator<Item = (usize, &Mean)> {
        self.means.iter().enumerate().filter(move |(_, mean)| mean.level == level)
    }

    /// A level against its baseline; `None` where the order's runs are not all there.
    pub fn against_baseline(&self, level: usize) -> Option<Difference> {
        let contrast = self.contrast(level)?;
        if self.of_level(level).any(|(_, mean)| !mean.ln.is_finite()) {
            return self.of_zero(level, &contrast);
        }
        Some(self.evaluate(level, &contrast))
    }

    /// One level as percent of another. What both share of the baseline cancels.
    pub fn against(&self, level: usize, other: usize) -> Option<Difference> {
        if other == 0 {
            return self.against_baseline(level);
        }
        if level == 0 {
            return Some(self.against_baseline(other)?.inverse());
        }
        let (a, b) = (self.contrast(level)?, self.contrast(other)?);
        let contrast = Contrast {
            weights: a.weights.iter().zip(&b.weights).map(|(a, b)| a - b).collect(),
            runs: a.runs,
            is_bracketed: a.is_bracketed && b.is_bracketed,
            drift_ln: a.drift_ln.max(b.drift_ln),
            sky_var: a.sky_var + b.sky_var,
        };
        let whole = contrast.weights.iter().zip(&self.means).all(|(weight, mean)| *weight == 0.0 || mean.ln.is_finite());
        whole.then(|| self.evaluate(level, &contrast))
    }

    fn evaluate(&self, level: usize, contrast: &Contrast) -> Difference {
        let weighted = || contrast.weights.iter().zip(&self.means).filter(|(weight, _)| **weight != 0.0);
        let ln: f64 = weighted().map(|(weight, mean)| weight * mean.ln).sum();
        let set_up_var: f64 =
            weighted().map(|(weight, _)| weight * weight).sum::<f64>() * self.model.set_up.u_rel.powi(2) * self.between.variance;
        let repeat_var = weighted().map(|(weight, mean)| weight * weight * mean.repeat_var).sum::<f64>()
            * self.within.variance
            * self.between.variance;
        let by_level: Vec<(&LevelDisplay, f64)> = self
            .displays
            .iter()
            .map(|of| (of, weighted().filter(|(_, mean)| mean.level == of.level).map(|(weight, _)| weight).sum::<f64>()))
            .filter(|(_, weight): &(_, f64)| weight.abs() > 1e-12)
            .collect();
        let step_var: f64 = by_level.iter().map(|(of, weight)| weight * weight * self.display_var(of.level)).sum();
        let (digits_var, gain_var) = self.meter_var(&by_level);
        // Each level has its own, half of what two of them differ by.
        let cells_var =
            by_level.iter().map(|(_, weight)| weight * weight).sum::<f64>() * self.model.unread_cells_rel.powi(2) / 2.0;
        let variances = [
            (Source::SetUp, set_up_var, self.between.dof),
            (
                Source::Repeat,
                repeat_var,
                if self.between.variance > 1.0 { self.between.dof.min(self.within.dof) } else { self.within.dof },
            ),
            (Source::Step, step_var, f64::INFINITY),
            (Source::Digits, digits_var, f64::INFINITY),
            (Source::Gain, gain_var, f64::INFINITY),
            (Source::Sky, contrast.sky_var, self.sky.dof),
            (Source::CellTemperature, cells_var, f64::INFINITY),
        ];
        let var: f64 = variances.iter().map(|(_, var, _)| var).sum();
        // Welch and Satterthwaite.
        let over: f64 = variances.iter().filter(|(_, var, _)| *var > 0.0).map(|(_, var, dof)| var * var / dof).sum();
        let dof = if over > 0.0 { var * var / over } else { f64::INFINITY };
        let percent = ln.exp() * 100.0;
        let standard = var.sqrt() * percent;
        let t_95 = t_factor(0.95, dof);
        Difference {
            level,
            percent,
            u_percent: t_95 * standard,
            u_99_percent: t_factor(0.99, dof) * standard,
            parts: variances
                .iter()
                .filter(|(_, var, _)| *var > 0.0)
                .map(|(source, var, _)| (*source, var.sqrt() * percent))
                .collect(),
            dof,
            t_95,
            contrast: weighted()
                .map(|(weight, mean)| Weighted { place: mean.place, weight: *weight, mean: mean.ln.exp() })
                .collect(),
            runs: contrast.runs,
            is_bracketed: contrast.is_bracketed,
            drift_percent: contrast.drift_ln.exp_m1() * 100.0,
        }
    }

    /// A level some of whose readings are 0 has no logarithm: its mean over that of the baseline, with the display's step (and digits) as
    /// what could hide, and the baseline's own uncertainty in proportion.
    fn of_zero(&self, level: usize, contrast: &Contrast) -> Option<Difference> {
        let samples: Vec<&Sample> = self.runs.iter().filter(|run| run.level == level).flat_map(|run| &run.samples).collect();
        let baseline_ln: f64 = contrast
            .weights
            .iter()
            .zip(&self.means)
            .filter(|(weight, mean)| **weight != 0.0 && mean.level == 0)
            .map(|(weight, mean)| -weight * mean.ln)
            .sum();
        if !baseline_ln.is_finite() {
            return None;
        }
        let n = samples.len() as f64;
        let over = |get: &dyn Fn(&Sample) -> f64| {
            samples.iter().map(|sample| get(sample) / sample.light.unwrap_or(1.0)).sum::<f64>() / n
        };
        let base = baseline_ln.exp();
        let percent = over(&|sample| sample.value) / base * 100.0;
        // Of volts times amps the smaller display is the one at 0; its step and digits count with the other's value.
        let hidden = over(&|sample| {
            let other = |nth: usize| {
                sample.displays.iter().enumerate().filter(|(of, _)| *of != nth).map(|(_, one)| one.value).product::<f64>()
            };
            sample
                .displays
                .iter()
                .enumerate()
                .map(|(nth, one)| (one.step + one.offset_limit) * other(nth).abs())
                .fold(0.0, f64::max)
        }) / base
            * 100.0;
        let spread = samples.iter().map(|sample| sample.over_light() / base * 100.0).fold(0.0, f64::max) - percent;
        let u_percent = hidden.max(spread).max(1e-6);
        Some(Difference {
            level,
            percent,
            u_percent,
            u_99_percent: 1.5 * u_percent,
            parts: vec![(Source::Step, u_percent / 2.0)],
            dof: f64::INFINITY,
            t_95: 2.0,
            contrast: Vec::new(),
            runs: contrast.runs,
            is_bracketed: contrast.is_bracketed,
            drift_percent: contrast.drift_ln.exp_m1() * 100.0,
        })
    }
}

/// The standard uncertainty, as a share, that an order of runs gives to each level. `times_s` are the moments of the runs; `readings` in
/// each; `repeat_rel` of one of them; `step_rel` of the display. It is the model above with nothing seen yet.
pub fn planned_u_rel(
    slots: &[Slot],
    times_s: &[f64],
    readings: usize,
    repeat_rel: f64,
    step_rel: f64,
    model: ErrorModel,
) -> Vec<f64> {
    let display = Display { value: 1.0, step: step_rel, offset_limit: step_rel, gain_limit_rel: 0.015 };
    let sample = |unix_s: f64| Sample {
        unix_s,
        value: 1.0,
        light: Some(1.0),
        temperature_factor: 1.0,
        repeat_rel,
        displays: vec![display],
    };
    let runs: Vec<RunSamples> = slots
        .iter()
        .zip(times_s)
        .enumerate()
        .map(|(place, (slot, unix_s))| RunSamples {
            place,
            level: slot.level,
            rig: slot.rig,
            checked: None,
            samples: vec![sample(*unix_s); readings.max(1)],
        })
        .collect();
    let estimator = Estimator::new(&runs, model);
    let levels = slots.iter().map(|slot| slot.level).max().unwrap_or(0);
    let of = |level| estimator.against_baseline(level).map_or(f64::INFINITY, |one| one.u_percent / 1.96 / 100.0);
    (1..=levels).map(of).collect()
}

/// The smallest true difference that a test of this standard uncertainty shows in four of five tries: 1.96 for the interval and
/// 0.84 for the four of five (Lehr 1992). In the unit of `u`.
pub fn smallest_shown(u: f64) -> f64 {
    (1.96 + 0.84) * u
}
