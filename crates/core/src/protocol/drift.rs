//! The sun moves while a test runs. The baseline, read again and again, tells by how much; this takes it out.
//!
//! Every reading is first divided by the light that is known to have fallen (a meter's, or the course of a clear sky), which
//! carries the curve of the day; what is left is taken to run straight between two baselines. Near noon, where the course of
//! the sun bends, this is the local quadratic of a model that knows its path.

use super::order::{Order, Slot};
use crate::measure::coverage::factor_95;

/// One reading of a run.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sample {
    pub unix_s: f64,
    /// What is compared, above 0.
    pub value: f64,
    /// The light to divide by, in any unit; the same unit throughout a test. 1 where nothing is known.
    pub sun: f64,
    /// Standard uncertainty of this reading against another one on the same gear, as a share: steps, wander, unsteadiness.
    pub u_rel: f64,
}

/// The readings of one run.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// 0 is the baseline.
    pub level: usize,
    /// 1 or 2 in a crossover.
    pub rig: u8,
    pub samples: Vec<Sample>,
}

/// A level against its baseline.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Difference {
    pub level: usize,
    /// The level as percent of its own baseline.
    pub percent: f64,
    /// Expanded, about 95 %, in percent of the baseline.
    pub u_percent: f64,
    /// Runs of this level that were read.
    pub runs: usize,
    /// Every one of them stood between two baselines.
    pub is_bracketed: bool,
    /// The furthest that the baseline moved around one of its runs, percent.
    pub drift_percent: f64,
}

impl Difference {
    /// Whether the level differs from the baseline beyond what this test leaves open.
    pub fn is_shown(&self) -> bool {
        (self.percent - 100.0).abs() > self.u_percent
    }
}

/// A clear sun changes by up to this share a minute well away from noon. Common practice, no source; it widens what stands
/// outside of a bracket where no light was read and no course is known.
pub const OPEN_DRIFT_PER_MIN: f64 = 0.0025;

/// With fewer degrees of freedom than this the instruments' own uncertainty counts, with more the scatter that was seen.
const SCATTER_DOF: f64 = 4.0;

/// Neighbouring baselines share readings, so that their departures from a straight line are not free of each other: the
/// correlations of second differences (-2/3 and 1/6) leave a little over half of them as degrees of freedom.
const SHARED_BASELINES: f64 = 1.0 / (1.0 + 2.0 * (4.0 / 9.0 + 1.0 / 36.0));

/// The mean of a run.
struct Mean {
    place: usize,
    level: usize,
    rig: u8,
    unix_s: f64,
    ln: f64,
    /// Variance of `ln`.
    var: f64,
    /// Squared departures of its readings, each over its own variance, and how many are free.
    within: (f64, f64),
    knows_sun: bool,
}

fn mean(place: usize, run: &Run) -> Option<Mean> {
    let n = run.samples.len() as f64;
    if run.samples.is_empty() {
        return None;
    }
    let ln_of = |sample: &Sample| (sample.value / sample.sun).ln();
    let ln = run.samples.iter().map(ln_of).sum::<f64>() / n;
    let var = run.samples.iter().map(|sample| sample.u_rel.powi(2)).sum::<f64>() / n / n;
    let chi = run.samples.iter().map(|sample| ((ln_of(sample) - ln) / sample.u_rel.max(1e-9)).powi(2)).sum();
    Some(Mean {
        place,
        level: run.level,
        rig: run.rig,
        unix_s: run.samples.iter().map(|sample| sample.unix_s).sum::<f64>() / n,
        ln,
        var,
        within: (chi, n - 1.0),
        knows_sun: run.samples.iter().all(|sample| sample.sun != 1.0),
    })
}

/// Shares of baselines that stand for the baseline at one moment: two around it, or the nearest one.
fn weights(baselines: &[&Mean], unix_s: f64) -> (Vec<f64>, bool) {
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

/// Compares every level with the baseline around it, in the order of the levels. Runs in the order in which they were done;
/// values and light above 0. A level without a reading, or a test without a baseline, gives nothing.
///
/// The expanded uncertainty is that of the readings as stated (k = 2), until the test itself shows enough of its own scatter
/// to count by: baselines off the straight line of their neighbours, and readings of a run off their mean (JCGM 100:2008, 4.2
/// and G.3). Scatter far beyond what is stated counts at once.
pub fn brackets(runs: &[Run]) -> Vec<Difference> {
    let means: Vec<Mean> = runs.iter().enumerate().filter_map(|(place, run)| mean(place, run)).collect();
    let baselines: Vec<&Mean> = means.iter().filter(|mean| mean.level == 0).collect();
    if baselines.is_empty() {
        return Vec::new();
    }
    let scale = scatter_scale(&means, &baselines);
    levels_of(&means)
        .into_iter()
        .map(|level| {
            let of_level: Vec<&Mean> = means.iter().filter(|mean| mean.level == level).collect();
            let k = of_level.len() as f64;
            let mut shares = vec![0.0; baselines.len()];
            let (mut ln, mut var, mut is_bracketed, mut drift) = (0.0, 0.0, true, 0.0_f64);
            for mean in &of_level {
                let (at, bracketed) = weights(&baselines, mean.unix_s);
                let used: Vec<&Mean> =
                    baselines.iter().zip(&at).filter(|(_, share)| **share > 0.0).map(|(baseline, _)| *baseline).collect();
                let around: f64 = baselines.iter().zip(&at).map(|(baseline, share)| baseline.ln * share).sum();
                let moved = used.iter().map(|baseline| baseline.ln).fold(f64::MIN, f64::max)
                    - used.iter().map(|baseline| baseline.ln).fold(f64::MAX, f64::min);
                ln += (mean.ln - around) / k;
                var += mean.var / k / k;
                drift = drift.max(moved);
                is_bracketed &= bracketed;
                if !bracketed && !mean.knows_sun {
                    let minutes = used.iter().map(|baseline| (baseline.unix_s - mean.unix_s).abs() / 60.0).fold(0.0, f64::max);
                    var += (OPEN_DRIFT_PER_MIN * minutes).powi(2) / 3.0 / k / k;
                }
                shares.iter_mut().zip(&at).for_each(|(sum, share)| *sum += share / k);
            }
            var += baselines.iter().zip(&shares).map(|(baseline, share)| share * share * baseline.var).sum::<f64>();
            let percent = ln.exp() * 100.0;
            let u_percent = scale.expand(var) * percent;
            Difference { level, percent, u_percent, runs: of_level.len(), is_bracketed, drift_percent: drift.exp_m1() * 100.0 }
        })
        .collect()
}

/// The same for whole totals: the mean of a level against the mean of the baseline, in any order of the days.
pub fn totals(runs: &[Run]) -> Vec<Difference> {
    let means: Vec<Mean> = runs.iter().enumerate().filter_map(|(place, run)| mean(place, run)).collect();
    let mean_of = |level: usize| {
        let of_level: Vec<&Mean> = means.iter().filter(|mean| mean.level == level).collect();
        let k = of_level.len() as f64;
        let ln = of_level.iter().map(|mean| mean.ln).sum::<f64>() / k;
        let var = of_level.iter().map(|mean| mean.var).sum::<f64>() / k / k;
        let chi: f64 = of_level.iter().map(|mean| (mean.ln - ln).powi(2) / mean.var.max(1e-18)).sum();
        (!of_level.is_empty()).then_some((ln, var, of_level.len(), (chi, k - 1.0)))
    };
    let Some((base_ln, base_var, _, base_scatter)) = mean_of(0) else { return Vec::new() };
    let levels = levels_of(&means);
    let (chi, dof) = levels
        .iter()
        .filter_map(|level| mean_of(*level))
        .fold(base_scatter, |(chi, dof), (_, _, _, scatter)| (chi + scatter.0, dof + scatter.1));
    let scale = Scale::of(chi, dof);
    levels
        .into_iter()
        .filter_map(|level| {
            let (ln, var, runs, _) = mean_of(level)?;
            let percent = (ln - base_ln).exp() * 100.0;
            let u_percent = scale.expand(var + base_var) * percent;
            Some(Difference { level, percent, u_percent, runs, is_bracketed: true, drift_percent: 0.0 })
        })
        .collect()
}

/// The same for two rigs side by side: a level on one rig against the baseline on the other at the same time, then exchanged.
/// What differs between the rigs cancels in the mean of the two ways.
pub fn crossover(runs: &[Run]) -> Vec<Difference> {
    let means: Vec<Mean> = runs.iter().enumerate().filter_map(|(place, run)| mean(place, run)).collect();
    levels_of(&means)
        .into_iter()
        .filter_map(|level| {
            // Each level's run with the baseline's run beside it, which is the neighbour on the other rig.
            let pair_of = |mean: &Mean| {
                let beside = means
                    .iter()
                    .filter(|other| other.level == 0 && other.rig != mean.rig && other.place.abs_diff(mean.place) == 1);
                let partner = beside.min_by(|a, b| (a.unix_s - mean.unix_s).abs().total_cmp(&(b.unix_s - mean.unix_s).abs()))?;
                Some((mean.rig, mean.ln - partner.ln, mean.var + partner.var))
            };
            let pairs: Vec<(u8, f64, f64)> = means.iter().filter(|mean| mean.level == level).filter_map(pair_of).collect();
            let way = |rig: u8| {
                let of_rig: Vec<_> = pairs.iter().filter(|pair| pair.0 == rig).collect();
                let n = of_rig.len() as f64;
                let ln = of_rig.iter().map(|pair| pair.1).sum::<f64>() / n;
                let var = of_rig.iter().map(|pair| pair.2).sum::<f64>() / n / n;
                let chi: f64 = of_rig.iter().map(|pair| (pair.1 - ln).powi(2) / pair.2.max(1e-18)).sum();
                (!of_rig.is_empty()).then_some((ln, var, chi, n - 1.0))
            };
            let ((ln_1, var_1, chi_1, dof_1), (ln_2, var_2, chi_2, dof_2)) = way(1).zip(way(2))?;
            let percent = ((ln_1 + ln_2) / 2.0).exp() * 100.0;
            let u_percent = Scale::of(chi_1 + chi_2, dof_1 + dof_2).expand((var_1 + var_2) / 4.0) * percent;
            Some(Difference { level, percent, u_percent, runs: pairs.len(), is_bracketed: true, drift_percent: 0.0 })
        })
        .collect()
}

fn levels_of(means: &[Mean]) -> Vec<usize> {
    let mut levels: Vec<usize> = means.iter().map(|mean| mean.level).filter(|level| *level > 0).collect();
    levels.sort_unstable();
    levels.dedup();
    levels
}

/// How the stated uncertainty is widened or narrowed by the scatter that was seen, and by which factor it is expanded.
struct Scale {
    variance: f64,
    factor: f64,
}

impl Scale {
    /// `chi`: squared departures over their stated variances; `dof`: how many of them are free.
    fn of(chi: f64, dof: f64) -> Self {
        let ratio = if dof > 0.0 { chi / dof } else { 1.0 };
        // 99 of 100 stay below this where the stated uncertainty is right (chi-square by Wilson and Hilferty 1931).
        let far = (1.0 - 2.0 / (9.0 * dof.max(0.5)) + 2.33 * (2.0 / (9.0 * dof.max(0.5))).sqrt()).powi(3);
        if dof >= SCATTER_DOF || dof > 0.0 && ratio > far {
            Scale { variance: ratio, factor: factor_95(dof) }
        } else {
            Scale { variance: 1.0, factor: 2.0 }
        }
    }

    /// The expanded uncertainty of something with this stated variance.
    fn expand(&self, var: f64) -> f64 {
        self.factor * (var * self.variance).sqrt()
    }
}

/// A level that is done several times departs from its own mean. Its runs share baselines with each other and with the baselines'
/// own departures: about three quarters of them are free.
const SHARED_BRACKETS: f64 = 0.75;

fn scatter_scale(means: &[Mean], baselines: &[&Mean]) -> Scale {
    let (mut chi, mut dof) = means.iter().fold((0.0, 0.0), |(chi, dof), mean| (chi + mean.within.0, dof + mean.within.1));
    for around in baselines.windows(3) {
        let [a, b, c] = [around[0], around[1], around[2]];
        let share = if c.unix_s > a.unix_s { (b.unix_s - a.unix_s) / (c.unix_s - a.unix_s) } else { 0.5 };
        let off = b.ln - (a.ln * (1.0 - share) + c.ln * share);
        let var = b.var + (1.0 - share).powi(2) * a.var + share.powi(2) * c.var;
        chi += off * off / var.max(1e-18) * SHARED_BASELINES;
        dof += SHARED_BASELINES;
    }
    for level in levels_of(means) {
        let off_baseline: Vec<(f64, f64)> = means
            .iter()
            .filter(|mean| mean.level == level)
            .map(|mean| {
                let (shares, _) = weights(baselines, mean.unix_s);
                let sum = |of: fn(&Mean, f64) -> f64| {
                    baselines.iter().zip(&shares).map(|(baseline, share)| of(baseline, *share)).sum::<f64>()
                };
                (
                    mean.ln - sum(|baseline, share| baseline.ln * share),
                    mean.var + sum(|baseline, share| baseline.var * share * share),
                )
            })
            .collect();
        let centre = off_baseline.iter().map(|(off, _)| off).sum::<f64>() / off_baseline.len() as f64;
        chi += off_baseline.iter().map(|(off, var)| (off - centre).powi(2) / var.max(1e-18)).sum::<f64>() * SHARED_BRACKETS;
        dof += (off_baseline.len() as f64 - 1.0) * SHARED_BRACKETS;
    }
    Scale::of(chi, dof)
}

/// The standard uncertainty, as a share, that an order of runs gives to each level, for readings of this one. `times_s` are the
/// moments of the runs.
pub fn planned_u_rel(slots: &[Slot], times_s: &[f64], readings_per_run: usize, u_rel: f64, order: Order) -> Vec<f64> {
    let var = u_rel * u_rel / readings_per_run.max(1) as f64;
    let levels = slots.iter().map(|slot| slot.level).max().unwrap_or(0);
    let count = |level: usize| slots.iter().filter(|slot| slot.level == level).count().max(1) as f64;
    (1..=levels)
        .map(|level| match order {
            Order::Crossover => (2.0 * var / count(level)).sqrt(),
            Order::Totals => (var / count(level) + var / count(0)).sqrt(),
            Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats => {
                let means: Vec<Mean> = slots
                    .iter()
                    .zip(times_s)
                    .enumerate()
                    .map(|(place, (slot, unix_s))| Mean {
                        place,
                        level: slot.level,
                        rig: 0,
                        unix_s: *unix_s,
                        ln: 0.0,
                        var,
                        within: (0.0, 0.0),
                        knows_sun: true,
                    })
                    .collect();
                let baselines: Vec<&Mean> = means.iter().filter(|mean| mean.level == 0).collect();
                let k = count(level);
                let mut shares = vec![0.0; baselines.len()];
                for mean in means.iter().filter(|mean| mean.level == level) {
                    let (at, _) = weights(&baselines, mean.unix_s);
                    shares.iter_mut().zip(&at).for_each(|(sum, share)| *sum += share / k);
                }
                (var / k + shares.iter().map(|share| share * share * var).sum::<f64>()).sqrt()
            }
        })
        .collect()
}

/// The smallest true difference that a test of this standard uncertainty shows in four of five tries: 1.96 for the interval and
/// 0.84 for the four of five (Lehr 1992). In the unit of `u`.
pub fn smallest_shown(u: f64) -> f64 {
    (1.96 + 0.84) * u
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(level: usize, minute: f64, value: f64) -> Run {
        Run { level, rig: 0, samples: vec![Sample { unix_s: minute * 60.0, value, sun: 1.0, u_rel: 0.005 }] }
    }

    #[test]
    fn a_steady_drift_is_taken_out() {
        // Geometric: ln runs straight. The level is 10 % below.
        let value = |minute: f64| 100.0 * (0.001 * minute).exp();
        let found = brackets(&[run(0, 0.0, value(0.0)), run(1, 4.0, value(4.0) * 0.9), run(0, 10.0, value(10.0))])[0];
        assert!((found.percent - 90.0).abs() < 1e-9 && found.is_bracketed && found.is_shown());
        assert!((found.drift_percent - 1.005).abs() < 0.001);
    }

    #[test]
    fn light_that_was_read_takes_out_what_no_bracket_could() {
        let with_sun = |level, minute: f64, value: f64, sun: f64| {
            let mut run = run(level, minute, value * sun / 1000.0);
            run.samples[0].sun = sun;
            run
        };
        let found = brackets(&[with_sun(0, 0.0, 100.0, 900.0), with_sun(1, 3.0, 80.0, 600.0), with_sun(0, 6.0, 100.0, 910.0)])[0];
        assert!((found.percent - 80.0).abs() < 1e-9);
    }

    #[test]
    fn outside_of_a_bracket_the_answer_is_less_sure() {
        let closed = brackets(&[run(0, 0.0, 100.0), run(1, 20.0, 95.0), run(0, 40.0, 100.0)])[0];
        let open = brackets(&[run(0, 0.0, 100.0), run(1, 20.0, 95.0)])[0];
        assert!(!open.is_bracketed && closed.is_bracketed && open.u_percent > 2.0 * closed.u_percent);
        assert!(brackets(&[run(1, 0.0, 100.0)]).is_empty());
    }

    #[test]
    fn what_differs_between_two_rigs_cancels_when_they_are_exchanged() {
        let on = |level, rig, minute: f64, value: f64| Run { rig, ..run(level, minute, value) };
        // Rig 2 reads 4 % low; the level is 10 % better.
        let runs = [on(0, 1, 0.0, 100.0), on(1, 2, 0.0, 110.0 * 0.96), on(0, 2, 5.0, 100.0 * 0.96), on(1, 1, 5.0, 110.0)];
        let found = crossover(&runs)[0];
        assert!((found.percent - 110.0).abs() < 1e-9 && found.runs == 2);
        assert!(crossover(&runs[..2]).is_empty(), "one way alone says nothing");
    }

    #[test]
    fn totals_do_not_mind_the_order_of_the_days() {
        let days = [run(0, 0.0, 1000.0), run(1, 1.0, 1100.0), run(0, 2.0, 1040.0), run(1, 3.0, 1130.0)];
        let mut shuffled = days.clone();
        shuffled.rotate_left(1);
        shuffled.swap(0, 2);
        let (a, b) = (totals(&days)[0], totals(&shuffled)[0]);
        assert!((a.percent - b.percent).abs() < 1e-9 && (a.u_percent - b.u_percent).abs() < 1e-9);
        assert!((a.percent - 100.0 * (1100.0_f64 * 1130.0 / (1000.0 * 1040.0)).sqrt()).abs() < 1e-9);
    }
}
