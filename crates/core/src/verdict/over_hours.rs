//! Rigs, or days, compared over hours by their watt-hours.
//!
//! Two rigs under one sky: what both logged at the same time is put together in blocks of some minutes, since noise that follows itself
//! makes neighbouring samples one another's copies. The ratio of the watt-hours is the answer; its scatter is that of the blocks. What no
//! block shows is the meters' own gain: it is taken off by a check of the meters on one source, or cancels when the two are exchanged
//! half-way, and otherwise stands in the interval with what the meters' sheets say.

use super::conformity::LevelVerdict;
use crate::measure::coverage::{simultaneous_factor, t_factor};
use crate::measure::series::Series;
use crate::measure::series::integral::{Interval, integrate};
use crate::named::named;
use crate::window::Window;

/// One rig over the hours.
#[derive(Debug, Clone, Copy)]
pub struct RigHours<'a> {
    pub power: &'a Series,
    /// Of its meter, percent of reading (95 %).
    pub meter_u_percent: f64,
    /// Its panel's own watts at STC, where panels differ: the watt-hours are divided by it.
    pub own_w: Option<Interval>,
}

/// How the hours were arranged.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Arrangement {
    /// Hours that count; all that both logged, where there are none.
    pub hours: Vec<Window>,
    /// Minutes with both meters on one source.
    pub checks: Vec<Window>,
    /// Hours that do not count, such as those of a full battery.
    pub left_out: Vec<Window>,
    /// Meters, or panels, exchanged between the two rigs.
    pub exchanged: Option<Exchange>,
}

/// An exchange half-way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Exchange {
    /// Unix seconds.
    pub at_s: f64,
    pub stays: Stays,
}

/// With what each of the two records goes on after an exchange.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Stays {
    /// The record of a rig is of that rig before and after, by one meter and then by the other.
    Rig,
    /// The record of a meter is of that meter: it is at the other rig afterwards.
    Meter,
    /// Found from the two halves.
    #[default]
    NotSaid,
}

named!(Stays {
    Rig = "rig", "its rig";
    Meter = "meter", "its meter";
    NotSaid = "not_said", "found from the halves";
});

/// How the meters' gain was dealt with.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Gain {
    /// By their sheets.
    Unchecked { u_percent: f64 },
    /// On one source: the second over the first, percent.
    Checked { percent: f64, u_percent: f64 },
    /// Exchanged: it cancels. What the records were taken to stay with; `NotSaid` where the halves allow both, and the interval holds both.
    Exchanged { stays: Stays },
}

/// The second rig against the first.
#[derive(Debug, Clone, PartialEq)]
pub struct OverHours {
    /// Watt-hours that count: of the first, of the second.
    pub energy_wh: (f64, f64),
    /// The second as percent of the first.
    pub percent: f64,
    /// Half the 95 % and the 99 % interval.
    pub u_percent: f64,
    pub u_99_percent: f64,
    /// Degrees of freedom of the blocks behind the 95 % interval.
    pub dof: f64,
    pub gain: Gain,
    pub verdict: LevelVerdict,
    /// Hours that both logged, and hours left out on both sides because one of them did not.
    pub hours: f64,
    pub left_out_h: f64,
    pub blocks: usize,
}

impl OverHours {
    pub fn interval(&self) -> Interval {
        Interval::about(self.percent, self.u_percent)
    }

    /// Whether the second gave less, where all pairs of so many rigs are told at once.
    pub fn is_behind_among(&self, count: usize) -> bool {
        let wider = simultaneous_factor(count, self.dof) / t_factor(0.95, self.dof);
        100.0 - self.percent > wider * self.u_percent
    }
}

/// Why two rigs cannot be compared.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NoComparison {
    /// Both logged this much of the same time only, hours.
    TooShort { hours: f64 },
    /// The first gave nothing.
    NothingToCompareWith,
    /// Nothing of the check, or nothing on one side of the exchange.
    NoCheck,
    /// The second as percent of the first record, before and after an exchange that cannot be both by more than the meters' sheets.
    HalvesContradict { before_percent: f64, after_percent: f64 },
}

/// Blocks of so many minutes at least, and so many blocks at least.
const BLOCK_S: f64 = 300.0;
const LEAST_BLOCKS: usize = 6;
const MOST_BLOCKS: usize = 48;

/// Compares the second rig with the first.
///
/// # The interval
/// With block energies `a_b`, `b_b` and their ratio `R = sum b / sum a`, the blocks' residuals are `d_b = b_b - R a_b`, and to first order
/// `var R = sum d_b^2 n/(n-1) / (sum a)^2`. Blocks that follow each other are fewer than they seem: the variance is multiplied by `(1 + r)
/// / (1 - r)`,
/// `r` the correlation of neighbouring residuals, corrected for the number of blocks (`r + (1 + 4 r) / n`: Marriott and Pope 1954, Bias in
/// the estimation of autocorrelations; from memory); the variance itself is known with `n (1 - r^2) / (1 + r^2) - 1` degrees of
/// freedom (Bartlett 1946, from memory). Since `r` is itself an
/// estimate, a claim is held to half a standard deviation more of it (`sqrt((1 - r^2) / n)`), and to the degrees of freedom of as many
/// independent blocks. Meters' gain is added in squares: both sheets where they were not checked; the check's own scatter where they were,
/// and half of what it changed from before to after.
pub fn compare(first: &RigHours<'_>, second: &RigHours<'_>, arrangement: &Arrangement) -> Result<OverHours, NoComparison> {
    let all = both(first.power, second.power);
    let hours =
        if arrangement.hours.is_empty() { all.map(|window| vec![window]).unwrap_or_default() } else { arrangement.hours.clone() };
    let not_counted: Vec<Window> = arrangement.checks.iter().chain(&arrangement.left_out).copied().collect();
    let counted: Vec<Window> = hours.iter().flat_map(|window| without(*window, &not_counted)).collect();
    let mut both_u = 0.0;
    let (parts, gain) = match arrangement.exchanged {
        Some(Exchange { at_s, stays }) => {
            // The step in which they were exchanged is of both.
            let step_s = first.power.median_step_s().max(second.power.median_step_s());
            let before: Vec<Window> =
                counted.iter().filter_map(|window| cut(*window, f64::NEG_INFINITY, at_s - step_s)).collect();
            let after: Vec<Window> = counted.iter().filter_map(|window| cut(*window, at_s + step_s, f64::INFINITY)).collect();
            if before.is_empty() || after.is_empty() {
                return Err(NoComparison::NoCheck);
            }
            let halves = (Blocks::of(first, second, &before)?, Blocks::of(first, second, &after)?);
            let meters_u = first.meter_u_percent.hypot(second.meter_u_percent) / 100.0;
            let (stays, which_u) = stays_with(stays, &halves, meters_u)?;
            both_u = which_u;
            let after = if stays == Stays::Meter { halves.1.exchanged() } else { halves.1 };
            (vec![halves.0, after], Gain::Exchanged { stays })
        }
        None => (vec![Blocks::of(first, second, &counted)?], gain_of(first, second, &arrangement.checks)?),
    };
    let own = match (first.own_w, second.own_w) {
        (Some(first_w), Some(second_w)) => second_w.over(first_w),
        (Some(_), None) | (None, Some(_)) | (None, None) => Interval::about(1.0, 0.0),
    };
    // Of an exchange, the geometric mean of the two halves: the meters' ratio is in one above and in the other below.
    let count = parts.len() as f64;
    let log_ratio = parts.iter().map(|part| part.ratio.ln()).sum::<f64>() / count;
    let variance = |of: fn(&Blocks) -> f64| parts.iter().map(of).sum::<f64>() / (count * count);
    let (variance, cautious_variance) = (variance(|part| part.rel_variance), variance(|part| part.cautious_rel_variance));
    let dof = (welch(&parts, |part| part.dof), welch(&parts, |part| part.cautious_dof));
    let (gain_share, gain_u) = match gain {
        Gain::Unchecked { u_percent } => (1.0, u_percent / 100.0),
        Gain::Checked { percent, u_percent } => (percent / 100.0, u_percent / percent),
        Gain::Exchanged { .. } => (1.0, both_u),
    };
    let percent = 100.0 * log_ratio.exp() / gain_share / own.value;
    let own_u = (own.high - own.low) / 2.0 / own.value;
    let u = |level: f64, variance: f64, dof: f64| {
        let fixed = gain_u.hypot(own_u) * t_factor(level, f64::INFINITY) / t_factor(0.95, f64::INFINITY);
        percent * (t_factor(level, dof) * variance.sqrt()).hypot(fixed)
    };
    let (u_percent, u_99_percent) = (u(0.95, variance, dof.0), u(0.99, cautious_variance, dof.1));
    let sum = |of: fn(&Blocks) -> f64| parts.iter().map(of).sum::<f64>();
    Ok(OverHours {
        energy_wh: (sum(|part| part.energy_wh.0), sum(|part| part.energy_wh.1)),
        percent,
        u_percent,
        u_99_percent,
        dof: dof.0,
        gain,
        verdict: words(percent, u_percent, u_99_percent),
        hours: sum(|part| part.hours),
        left_out_h: sum(|part| part.left_out_h),
        blocks: parts.iter().map(|part| part.count).sum(),
    })
}

/// What of the light and the load differs between two halves of a day beside rigs and meters, as a share. Common practice, no source.
const HALVES_REL: f64 = 0.02;

/// With what the records stay, and half the 95 % interval that is added where the halves allow both.
///
/// With `R` the rigs' ratio and `g` the meters', a record that stays with its rig shows `R g` and then `R / g`, one that stays with its
/// meter `R g` and then `g / R`. The logarithms of the halves differ by `2 ln g` in the first case and add up to it in the second; `g` is
/// known to be near 1 by the sheets.
fn stays_with(said: Stays, (before, after): &(Blocks, Blocks), meters_u: f64) -> Result<(Stays, f64), NoComparison> {
    let scatter = (before.rel_variance + after.rel_variance).sqrt();
    // Both at 99 %.
    let limit = 2.0 * meters_u * t_factor(0.99, f64::INFINITY) / t_factor(0.95, f64::INFINITY)
        + t_factor(0.99, f64::INFINITY) * scatter
        + HALVES_REL;
    let (one, two) = (before.ratio.ln(), after.ratio.ln());
    let (by_rig, by_meter) = ((one - two).abs() <= limit, (one + two).abs() <= limit);
    let contradict = NoComparison::HalvesContradict { before_percent: 100.0 * before.ratio, after_percent: 100.0 * after.ratio };
    match (said, by_rig, by_meter) {
        (Stays::Rig, true, _) | (Stays::NotSaid, true, false) => Ok((Stays::Rig, 0.0)),
        (Stays::Meter, _, true) | (Stays::NotSaid, false, true) => Ok((Stays::Meter, 0.0)),
        // The two answers are half of what the second half would turn apart, either way from their middle.
        (Stays::NotSaid, true, true) => Ok((Stays::NotSaid, two.abs())),
        (Stays::Rig, false, _) | (Stays::Meter, _, false) | (Stays::NotSaid, false, false) => Err(contradict),
    }
}

/// The words of a difference, as for levels of a test: claimed at 99 %, probable at 95 %, and else what could hide.
pub fn words(percent: f64, u_percent: f64, u_99_percent: f64) -> LevelVerdict {
    let off = percent - 100.0;
    match (off.abs() > u_99_percent, off.abs() > u_percent, off > 0.0) {
        (true, _, true) => LevelVerdict::More,
        (true, _, false) => LevelVerdict::Less,
        (false, true, true) => LevelVerdict::ProbablyMore,
        (false, true, false) => LevelVerdict::ProbablyLess,
        (false, false, _) => LevelVerdict::NoDifferenceOver { within_percent: off.abs() + u_percent },
    }
}

/// One rig on another day with the same gear differs by this share: light, dirt, cell temperature, set-up. Common practice, no source: 1
/// to 2 %; known to three tenths of itself.
pub const DAYS_REL: f64 = 0.015;
pub const DAYS_DOF: f64 = 6.0;

/// A day of one rig: both intervals are of sampling and gaps alone, since the same meters measured the other day too and their gains
/// cancel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayYield {
    pub energy_wh: Interval,
    pub irradiation_wh_m2: Interval,
    /// Otherwise it is that of a clear sky, which says nothing of the clouds of that day.
    pub is_measured: bool,
}

/// One rig, or one place, on two days by irradiation: the second's yield as percent of the first's, with what days differ by anyway in the
/// interval. Where the irradiation of either was not measured, clouds stand in the ratio, and there is no telling.
pub fn by_irradiation(first: DayYield, second: DayYield) -> (Interval, LevelVerdict) {
    let of = |day: DayYield| day.energy_wh.over(day.irradiation_wh_m2);
    let ratio = of(second).over(of(first)).times(100.0);
    // Two days, each with its own.
    let days = |level: f64| 100.0 * t_factor(level, DAYS_DOF) * DAYS_REL * std::f64::consts::SQRT_2;
    let sampled = (ratio.high - ratio.value).max(ratio.value - ratio.low);
    let u_99 = (sampled * t_factor(0.99, f64::INFINITY) / t_factor(0.95, f64::INFINITY)).hypot(ratio.value * days(0.99) / 100.0);
    let ratio = ratio.with_gain(days(0.95));
    let u = (ratio.high - ratio.value).max(ratio.value - ratio.low);
    let verdict = if first.is_measured && second.is_measured { words(ratio.value, u, u_99) } else { LevelVerdict::CantTell };
    (ratio, verdict)
}

fn gain_of(first: &RigHours<'_>, second: &RigHours<'_>, checks: &[Window]) -> Result<Gain, NoComparison> {
    if checks.is_empty() {
        return Ok(Gain::Unchecked { u_percent: first.meter_u_percent.hypot(second.meter_u_percent) });
    }
    let found: Vec<Blocks> = checks.iter().map(|check| Blocks::of_check(first, second, *check)).collect::<Result<_, _>>()?;
    let count = found.len() as f64;
    let ratio = found.iter().map(|part| part.ratio).sum::<f64>() / count;
    let variance = found.iter().map(|part| part.rel_variance).sum::<f64>() / (count * count);
    let farthest = found.iter().map(|part| (part.ratio / ratio - 1.0).abs()).fold(0.0, f64::max);
    let u = (t_factor(0.95, welch(&found, |part| part.dof)) * variance.sqrt()).hypot(farthest);
    Ok(Gain::Checked { percent: 100.0 * ratio, u_percent: 100.0 * ratio * u })
}

/// Welch and Satterthwaite over parts of equal weight.
fn welch(parts: &[Blocks], dof: fn(&Blocks) -> f64) -> f64 {
    let sum: f64 = parts.iter().map(|part| part.rel_variance).sum();
    let each: f64 = parts.iter().map(|part| part.rel_variance.powi(2) / dof(part)).sum();
    if each > 0.0 { sum * sum / each } else { parts.iter().map(dof).sum() }
}

/// Energies of two rigs in blocks of the time that both logged.
struct Blocks {
    energy_wh: (f64, f64),
    ratio: f64,
    rel_variance: f64,
    dof: f64,
    /// For a claim.
    cautious_rel_variance: f64,
    cautious_dof: f64,
    count: usize,
    hours: f64,
    left_out_h: f64,
}

impl Blocks {
    /// Of two records that changed their rigs: the second rig is in the first.
    fn exchanged(self) -> Self {
        Blocks { energy_wh: (self.energy_wh.1, self.energy_wh.0), ratio: 1.0 / self.ratio, ..self }
    }

    fn of(first: &RigHours<'_>, second: &RigHours<'_>, windows: &[Window]) -> Result<Self, NoComparison> {
        Self::in_blocks(first, second, windows, BLOCK_S)
    }

    /// A check lasts minutes: blocks are as short as the samples allow.
    fn of_check(first: &RigHours<'_>, second: &RigHours<'_>, check: Window) -> Result<Self, NoComparison> {
        let shortest_s = first.power.median_step_s().max(second.power.median_step_s()).max((check.to_s - check.from_s) / 12.0);
        Self::in_blocks(first, second, &[check], shortest_s).map_err(|_| NoComparison::NoCheck)
    }

    fn in_blocks(first: &RigHours<'_>, second: &RigHours<'_>, windows: &[Window], shortest_s: f64) -> Result<Self, NoComparison> {
        let wanted_s: f64 = windows.iter().map(|window| (window.to_s - window.from_s).max(0.0)).sum();
        let block_s = (wanted_s / MOST_BLOCKS as f64).max(shortest_s);
        let (mut pairs, mut covered_s, mut dark_s) = (Vec::new(), 0.0, 0.0);
        for window in windows {
            let steps = ((window.to_s - window.from_s) / block_s).floor().max(1.0) as usize;
            let step_s = (window.to_s - window.from_s) / steps as f64;
            for step in 0..steps {
                let part =
                    Window { from_s: window.from_s + step as f64 * step_s, to_s: window.from_s + (step + 1) as f64 * step_s };
                for part in shared(first.power, second.power, part) {
                    let (a, b) = (integrate(first.power, part, None).sampled, integrate(second.power, part, None).sampled);
                    // The dark says nothing of either, and would only seem to be more blocks.
                    if a <= 0.0 && b <= 0.0 {
                        dark_s += part.to_s - part.from_s;
                        continue;
                    }
                    pairs.push((a, b));
                    covered_s += part.to_s - part.from_s;
                }
            }
        }
        let hours = covered_s / 3600.0;
        if pairs.len() < LEAST_BLOCKS {
            return Err(NoComparison::TooShort { hours });
        }
        let energy_wh = pairs.iter().fold((0.0, 0.0), |(a, b), pair| (a + pair.0, b + pair.1));
        if energy_wh.0 <= 0.0 || energy_wh.1 <= 0.0 {
            return Err(NoComparison::NothingToCompareWith);
        }
        let ratio = energy_wh.1 / energy_wh.0;
        let off: Vec<f64> = pairs.iter().map(|(a, b)| b - ratio * a).collect();
        let square: f64 = off.iter().map(|d| d * d).sum();
        let count = off.len() as f64;
        let seen = if square > 0.0 { off.windows(2).map(|pair| pair[0] * pair[1]).sum::<f64>() / square } else { 0.0 };
        let r = (seen + (1.0 + 4.0 * seen) / count).clamp(0.0, 0.9);
        let inflation = |r: f64| (1.0 + r) / (1.0 - r);
        let variance = square * count / (count - 1.0) / energy_wh.1.powi(2);
        let rel_variance = variance * inflation(r);
        let r_cautious = (r + 0.5 * ((1.0 - r * r) / count).sqrt()).min(0.95);
        let cautious_rel_variance = variance * inflation(r_cautious);
        let dof = (count * (1.0 - r * r) / (1.0 + r * r) - 1.0).max(1.0);
        let cautious_dof = (count / inflation(r) - 1.0).max(1.0);
        Ok(Blocks {
            energy_wh,
            ratio,
            rel_variance,
            dof,
            cautious_rel_variance,
            cautious_dof,
            count: pairs.len(),
            hours,
            left_out_h: (wanted_s - covered_s - dark_s).max(0.0) / 3600.0,
        })
    }
}

/// Parts of a window that both have samples for: the steps that are no gap on either side.
fn shared(first: &Series, second: &Series, window: Window) -> Vec<Window> {
    let gaps_of = |series: &Series| integrate(series, window, Some(&|_| 1.0)).gaps;
    let gaps: Vec<Window> =
        gaps_of(first).into_iter().chain(gaps_of(second)).map(|gap| Window { from_s: gap.from_s, to_s: gap.to_s }).collect();
    without(window, &gaps).into_iter().filter(|part| part.to_s - part.from_s > 0.25 * (window.to_s - window.from_s)).collect()
}

/// What is left of a window when others are taken out of it.
fn without(window: Window, others: &[Window]) -> Vec<Window> {
    let mut left = vec![window];
    for other in others {
        left = left
            .into_iter()
            .flat_map(|part| [cut(part, f64::NEG_INFINITY, other.from_s), cut(part, other.to_s, f64::INFINITY)])
            .flatten()
            .collect();
    }
    left
}

fn cut(window: Window, from_s: f64, to_s: f64) -> Option<Window> {
    let cut = Window { from_s: window.from_s.max(from_s), to_s: window.to_s.min(to_s) };
    (cut.to_s > cut.from_s).then_some(cut)
}

/// The time from where both have begun to where the first of them ends.
fn both(first: &Series, second: &Series) -> Option<Window> {
    let second = second.span()?;
    cut(first.span()?, second.from_s, second.to_s)
}
