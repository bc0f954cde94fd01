//! The error model of comparisons: what a level is as percent of its baseline, and how surely.
//!
//! # The model
//!
//! What is read in a run `r` of level `l` at time `t`, divided by the light that is known to have fallen, is taken as
//!
//! `ln y = ln level(l) + drift(t) + s(r) + e(r, j) + d(l) + o / y`
//!
//! - `s`, the **set-up of the run**: the plug, the prop, the card are put in place once per run, so that more readings in the run do
//!   not lessen it. Standard uncertainty by factor ([`set_up_rel`]).
//! - `e`, the **repeat** of one reading within the run: averages over the `n` readings of the run.
//! - `d`, the **display step**: uniform over one step, standard uncertainty `step / sqrt(12)` (JCGM 100:2008, F.2.2.1). Readings that show
//!   the same figure share one and the same error; so it averages over *different* figures only.
//! - `o`, the **digits** of the meter: an offset of up to so many last digits, the same in every reading, uniform: `digits step / sqrt(3)`.
//!   On one meter it cancels between levels of the same size and stays nearly whole where a level is far smaller than its baseline.
//! - the **gain** of one meter cancels. What does not is its non-linearity, a share of the stated percent that grows with the distance of
//!   the two. Another range of the display is another meter; so are meters that are read side by side: then nothing cancels.
//! - `drift`: straight between two baselines, after the light was divided out. What wanders off the straight line is a Brownian bridge,
//!   `c^2 (t - t0)(t1 - t) / (t1 - t0)`, with `c` by what the light is known from ([`SkyWander`]).
//!
//! # The estimate
//!
//! Every order of runs compares by a **contrast**: weights `w(r)` over the run means `m(r)`, whose sum over a level is 1 and over the
//! baseline -1. The level as percent of its baseline is `100 exp(sum w m)`. With `W(l)` the sum of the weights of a level, the variance
//! follows from the law of propagation (JCGM 100:2008, 5.1.2) term by term:
//!
//! `F sum w^2 (s^2 + R e^2 / n) + sum W^2 d^2 + (o sum W / y)^2 + (non-linearity)^2 + wander`
//!
//! `F` and `R` are what the test itself shows: squared departures of runs from their neighbours and of readings from their run's mean,
//! each over its stated variance, joined with the stated value as if that had been seen with [`STATED_DOF`] degrees of freedom
//! (`(dof0 + chi2) / (dof0 + dof)`, the conjugate estimate of a scaled variance; Gelman et al. 2013, Bayesian Data Analysis, 2.6). What
//! is observed may widen a stated part; it never removes one, so both are at least 1. Scatter that the stated value would show in fewer than
//! one test of twenty (chi-square) counts by itself, with its own degrees of freedom. The degrees of freedom of the sum are those of
//! Welch and Satterthwaite (JCGM 100:2008, G.2b), and Student's t for 95 % and 99 % gives the intervals.

use crate::measure::coverage::{chi_square_95, t_factor};
use crate::measure::instrument::{standard_from_limit, standard_from_step};
use crate::record::condition::Factor;
use crate::record::order::{Order, Slot};

/// One display behind a value: a value is the product of one or two.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Display {
    pub value: f64,
    /// 0 where it is not known.
    pub step: f64,
    /// Half width of its offset, in its unit.
    pub offset_limit: f64,
    /// Half width of its gain, as a share.
    pub gain_limit_rel: f64,
}

/// One reading of a run.
#[derive(Debug, Clone, PartialEq)]
pub struct Sample {
    pub unix_s: f64,
    /// What is compared, 0 or more.
    pub value: f64,
    /// The light to divide by, in any unit; the same unit throughout a test. 1 where nothing is known.
    pub light: f64,
    /// Standard uncertainty of its repeat, as a share: wander of the displays, unsteadiness of load and sun, steps of the light's meter.
    pub repeat_rel: f64,
    pub displays: Vec<Display>,
}

/// The readings of one run.
#[derive(Debug, Clone, PartialEq)]
pub struct RunSamples {
    /// On the sheet, from 0; side by side two places of one pair are at work at once.
    pub place: usize,
    /// 0 is the baseline.
    pub level: usize,
    /// 1 or 2 side by side.
    pub rig: u8,
    pub samples: Vec<Sample>,
}

/// What is known of a test besides its readings.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ErrorModel {
    pub order: Order,
    /// Standard uncertainty of setting a run up, as a share; see [`set_up_rel`].
    pub set_up_rel: f64,
    pub wander: SkyWander,
    /// Each level was read on a meter of its own.
    pub is_own_meters: bool,
}

/// How far the light wanders off what is known of it, as a share for the root of one minute.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct SkyWander(pub f64);

/// With the light read in the plane at every reading nothing wanders unseen.
pub const WANDER_METERED: SkyWander = SkyWander(0.0);
/// Under a sky noted as clear, and under one that nobody noted. Common practice, no source: clear-sky irradiance keeps to its course
/// within a few tenths of a percent over ten minutes.
pub const WANDER_CLEAR: SkyWander = SkyWander(0.001);
/// Under haze, and under thin cloud. Common practice, no source.
pub const WANDER_HAZE: SkyWander = SkyWander(0.003);
pub const WANDER_THIN_CLOUD: SkyWander = SkyWander(0.012);

/// Standard uncertainty of setting a run up anew, as a share of what it gives. Common practice, no source, each: a tilt propped to half a
/// degree (at 30 degrees of incidence 0.5 %), a card or cloth laid again within a few millimetres, connectors plugged and a tracker that
/// settles anew, a surface wetted again.
pub fn set_up_rel(factor: Factor) -> f64 {
    match factor {
        Factor::Tilt | Factor::Azimuth => 0.005,
        Factor::Shade | Factor::Covers | Factor::Face => 0.006,
        Factor::Panel | Factor::Step => 0.005,
        Factor::Rig | Factor::Wiring | Factor::Load => 0.008,
        Factor::Temperature => 0.010,
        Factor::Sun | Factor::Day => 0.005,
    }
}

/// Stated parts count as if seen with this many degrees of freedom: they are right within about a sixth (JCGM 100:2008, G.4.2).
const STATED_DOF: f64 = 20.0;

/// The share of a meter's stated percent that is not gain. Common practice, no source.
const NON_LINEAR_SHARE: f64 = 0.2;

/// A clear sun changes by up to this share a minute well away from noon, where no light was read and no course is known: what stands
/// outside a bracket drifts so. Common practice, no source.
pub const OPEN_DRIFT_PER_MIN: f64 = 0.0025;

/// Neighbouring baselines share readings, so that their departures from a straight line are not free of each other: the
/// correlations of second differences (-2/3 and 1/6) leave a little over half of them as degrees of freedom.
const SHARED_BASELINES: f64 = 1.0 / (1.0 + 2.0 * (4.0 / 9.0 + 1.0 / 36.0));

/// A level that is done several times departs from its own mean. Its runs share baselines with each other and with the baselines' own
/// departures: about three quarters of them are free.
const SHARED_BRACKETS: f64 = 0.75;

/// A part of the variance of a level's estimate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    SetUp,
    Repeat,
    Step,
    Digits,
    /// Non-linearity, or gains that do not cancel.
    Gain,
    Sky,
}

/// A level against another one, mostly its baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    pub level: usize,
    /// The level as percent of the other.
    pub percent: f64,
    /// Half the 95 % interval, in percent of the other.
    pub u_percent: f64,
    /// Half the 99 % interval.
    pub u_99_percent: f64,
    /// Standard uncertainty by source, in percent of the other.
    pub parts: Vec<(Source, f64)>,
    pub dof: f64,
    /// Runs of this level that were read.
    pub runs: usize,
    /// Every one of them stood between two baselines.
    pub is_bracketed: bool,
    /// The furthest that the baseline moved around one of its runs, percent.
    pub drift_percent: f64,
}

impl Difference {
    /// Whether the level differs beyond the 95 % interval.
    pub fn is_shown(&self) -> bool {
        (self.percent - 100.0).abs() > self.u_percent
    }

    /// Whether it differs beyond the 99 % interval.
    pub fn is_claimed(&self) -> bool {
        (self.percent - 100.0).abs() > self.u_99_percent
    }
}

/// The mean of a run.
#[derive(Debug, Clone)]
struct Mean {
    place: usize,
    level: usize,
    rig: u8,
    unix_s: f64,
    /// Mean of `ln (value / light)`; of those above 0.
    ln: f64,
    /// Variance of one repeat over the number of readings.
    repeat_var: f64,
    /// Squared departures of its readings, each over its own variance, and how many are free.
    within: (f64, f64),
    knows_light: bool,
}

/// What the displays of all readings of one level do.
#[derive(Debug, Clone)]
struct LevelDisplay {
    level: usize,
    /// By display: mean value, step, different figures shown, offset limit, gain limit.
    displays: Vec<(f64, f64, usize, f64, f64)>,
}

/// All runs of a test, ready to be compared.
#[derive(Debug, Clone)]
pub struct Estimator<'a> {
    runs: &'a [RunSamples],
    model: ErrorModel,
    means: Vec<Mean>,
    displays: Vec<LevelDisplay>,
    /// Widening of the set-up and of the repeat by what was seen, with the degrees of freedom.
    between: Widening,
    within: Widening,
}

/// A stated variance joined with what was seen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Widening {
    /// 1 or more.
    pub variance: f64,
    pub dof: f64,
}

impl Widening {
    fn of(chi: f64, dof: f64) -> Self {
        let joined = (STATED_DOF + chi) / (STATED_DOF + dof);
        if dof > 0.0 && chi > chi_square_95(dof) {
            Widening { variance: chi / dof, dof }
        } else {
            Widening { variance: joined.max(1.0), dof: STATED_DOF + dof }
        }
    }
}

fn mean(run: &RunSamples) -> Option<Mean> {
    let lit: Vec<&Sample> = run.samples.iter().filter(|sample| sample.value > 0.0 && sample.light > 0.0).collect();
    if run.samples.is_empty() {
        return None;
    }
    let n = lit.len() as f64;
    let ln_of = |sample: &Sample| (sample.value / sample.light).ln();
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
        knows_light: run.samples.iter().all(|sample| sample.light != 1.0),
    })
}

fn level_display(level: usize, runs: &[RunSamples]) -> LevelDisplay {
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

/// Shares of baselines that stand for the baseline at one moment: two around it, or the nearest one.
fn shares_at(baselines: &[&Mean], unix_s: f64) -> (Vec<f64>, bool) {
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
struct Contrast {
    weights: Vec<f64>,
    runs: usize,
    is_bracketed: bool,
    drift_ln: f64,
    sky_var: f64,
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
        let within = Widening::of(chi, dof);
        let none = Widening { variance: 1.0, dof: STATED_DOF };
        let mut estimator = Estimator { runs, model, means, displays, between: none, within };
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

    /// Variance of one run's mean besides its displays, as stated and as its readings show.
    fn run_var(&self, mean: &Mean) -> f64 {
        self.model.set_up_rel.powi(2) + mean.repeat_var * self.within.variance
    }

    fn seen_between_runs(&self) -> Widening {
        let expected = |mean: &Mean| self.run_var(mean) + self.display_var(mean.level);
        let is_straight = matches!(self.model.order, Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats);
        let (mut chi, mut dof) = (0.0, 0.0);
        let baselines: Vec<&Mean> = self.of_level(0).map(|(_, mean)| mean).filter(|mean| mean.ln.is_finite()).collect();
        if is_straight {
            for around in baselines.windows(3) {
                let [a, b, c] = [around[0], around[1], around[2]];
                let share = if c.unix_s > a.unix_s { (b.unix_s - a.unix_s) / (c.unix_s - a.unix_s) } else { 0.5 };
                let off = b.ln - (a.ln * (1.0 - share) + c.ln * share);
                let var = expected(b) + (1.0 - share).powi(2) * expected(a) + share.powi(2) * expected(c);
                chi += off * off / var.max(1e-18) * SHARED_BASELINES;
                dof += SHARED_BASELINES;
            }
        }
        for level in self.levels().into_iter().chain((!is_straight).then_some(0)) {
            let off_baseline: Vec<(f64, f64)> = self
                .of_level(level)
                .filter(|(_, mean)| mean.ln.is_finite())
                .filter_map(|(_, mean)| {
                    let (against, var) = match self.model.order {
                        Order::Totals => (0.0, 0.0),
                        Order::Crossover | Order::BeforeAfter => {
                            let partner = self.partner(mean)?;
                            // Each rig's own difference is not scatter: only runs of one rig are compared with each other.
                            (partner.ln, expected(partner))
                        }
                        Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats => {
                            if baselines.is_empty() {
                                return None;
                            }
                            let (shares, _) = shares_at(&baselines, mean.unix_s);
                            let sum = |of: &dyn Fn(&Mean, f64) -> f64| {
                                baselines.iter().zip(&shares).map(|(baseline, share)| of(baseline, *share)).sum::<f64>()
                            };
                            (
                                sum(&|baseline, share| baseline.ln * share),
                                sum(&|baseline, share| expected(baseline) * share * share),
                            )
                        }
                    };
                    Some((mean.ln - against, expected(mean) + var))
                })
                .collect();
            if self.model.order.is_side_by_side() || off_baseline.len() < 2 {
                continue;
            }
            let centre = off_baseline.iter().map(|(off, _)| off).sum::<f64>() / off_baseline.len() as f64;
            chi += off_baseline.iter().map(|(off, var)| (off - centre).powi(2) / var.max(1e-18)).sum::<f64>() * SHARED_BRACKETS;
            dof += (off_baseline.len() as f64 - 1.0) * SHARED_BRACKETS;
        }
        if self.model.order == Order::Crossover {
            for level in self.levels() {
                for rig in [1, 2] {
                    let pairs: Vec<(f64, f64)> = self
                        .of_level(level)
                        .filter(|(_, mean)| mean.rig == rig)
                        .filter_map(|(_, mean)| {
                            self.partner(mean).map(|other| (mean.ln - other.ln, expected(mean) + expected(other)))
                        })
                        .collect();
                    if pairs.len() < 2 {
                        continue;
                    }
                    let centre = pairs.iter().map(|(off, _)| off).sum::<f64>() / pairs.len() as f64;
                    chi += pairs.iter().map(|(off, var)| (off - centre).powi(2) / var.max(1e-18)).sum::<f64>();
                    dof += pairs.len() as f64 - 1.0;
                }
            }
        }
        Widening::of(chi, dof)
    }

    /// The run that was at work beside a run, on the other rig.
    fn partner(&self, mean: &Mean) -> Option<&Mean> {
        self.of_level(0).map(|(_, other)| other).find(|other| other.rig != mean.rig && other.place / 2 == mean.place / 2)
    }

    /// Variance of a level by the steps of its displays.
    fn display_var(&self, level: usize) -> f64 {
        let Some(of) = self.displays.iter().find(|of| of.level == level) else { return 0.0 };
        of.displays
            .iter()
            .filter(|(value, ..)| *value > 0.0)
            .map(|(value, step, figures, ..)| (standard_from_step(*step) / value).powi(2) / (*figures).max(1) as f64)
            .sum()
    }

    fn contrast(&self, level: usize) -> Option<Contrast> {
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
            let SkyWander(per_root_min) = self.model.wander;
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
            let inverse = self.against_baseline(other)?;
            let percent = 1e4 / inverse.percent;
            let scaled = |u: f64| u / inverse.percent * percent;
            return Some(Difference {
                level,
                percent,
                u_percent: scaled(inverse.u_percent),
                u_99_percent: scaled(inverse.u_99_percent),
                ..inverse
            });
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
            weighted().map(|(weight, _)| weight * weight).sum::<f64>() * self.model.set_up_rel.powi(2) * self.between.variance;
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
            (Source::Sky, contrast.sky_var, f64::INFINITY),
        ];
        let var: f64 = variances.iter().map(|(_, var, _)| var).sum();
        // Welch and Satterthwaite.
        let over: f64 = variances.iter().filter(|(_, var, _)| *var > 0.0).map(|(_, var, dof)| var * var / dof).sum();
        let dof = if over > 0.0 { var * var / over } else { f64::INFINITY };
        let percent = ln.exp() * 100.0;
        let standard = var.sqrt() * percent;
        Difference {
            level,
            percent,
            u_percent: t_factor(0.95, dof) * standard,
            u_99_percent: t_factor(0.99, dof) * standard,
            parts: variances
                .iter()
                .filter(|(_, var, _)| *var > 0.0)
                .map(|(source, var, _)| (*source, var.sqrt() * percent))
                .collect(),
            dof,
            runs: contrast.runs,
            is_bracketed: contrast.is_bracketed,
            drift_percent: contrast.drift_ln.exp_m1() * 100.0,
        }
    }

    /// What the meters' digits and gains leave between levels with these weights.
    fn meter_var(&self, by_level: &[(&LevelDisplay, f64)]) -> (f64, f64) {
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
        let over = |get: &dyn Fn(&Sample) -> f64| samples.iter().map(|sample| get(sample) / sample.light).sum::<f64>() / n;
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
        let spread = samples.iter().map(|sample| sample.value / sample.light / base * 100.0).fold(0.0, f64::max) - percent;
        let u_percent = hidden.max(spread).max(1e-6);
        Some(Difference {
            level,
            percent,
            u_percent,
            u_99_percent: 1.5 * u_percent,
            parts: vec![(Source::Step, u_percent / 2.0)],
            dof: f64::INFINITY,
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
    let sample = |unix_s: f64| Sample { unix_s, value: 1.0, light: 1.0 + 1e-9, repeat_rel, displays: vec![display] };
    let runs: Vec<RunSamples> = slots
        .iter()
        .zip(times_s)
        .enumerate()
        .map(|(place, (slot, unix_s))| RunSamples {
            place,
            level: slot.level,
            rig: slot.rig,
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
