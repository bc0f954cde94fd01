//! An integral over irregular samples by the trapezoid, with what sampling, gaps and the ends leave open.

use super::Series;
use crate::measure::coverage::t_factor;
use crate::window::Window;

/// What the quantity can be at a moment (Unix seconds), in its own unit; never negative. Without one, nothing bounds a gap from
/// above but the highest sample.
pub type Ceiling<'a> = &'a dyn Fn(f64) -> f64;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GapKind {
    /// Before the first sample of the window.
    Before,
    Between,
    /// After the last.
    After,
}

/// A time without samples.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gap {
    pub kind: GapKind,
    pub from_s: f64,
    pub to_s: f64,
    /// What it held by the samples on either side, and at least and at most; unit-hours.
    pub middle: f64,
    pub low: f64,
    pub high: f64,
}

/// An integral in unit-hours: watt-hours from watts.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Integral {
    /// Of all of the window, gaps filled by their middle.
    pub total: f64,
    /// What was sampled alone.
    pub sampled: f64,
    /// Expanded uncertainty (95 %) of `sampled` from the sampling alone.
    pub u_sampling: f64,
    /// The 95 % interval: sampling, and gaps at their bounds.
    pub low: f64,
    pub high: f64,
    pub gaps: Vec<Gap>,
    /// Seconds within steps that are no gap.
    pub covered_s: f64,
}

/// A value with its 95 % interval, which need not lie even about it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Interval {
    pub value: f64,
    pub low: f64,
    pub high: f64,
}

impl Interval {
    /// Even about the value.
    pub fn about(value: f64, u: f64) -> Self {
        Interval { value, low: value - u, high: value + u }
    }

    /// Widened by an independent gain of `percent` (95 %), added in squares on either side.
    pub fn with_gain(self, percent: f64) -> Self {
        let gain = self.value.abs() * percent / 100.0;
        Interval {
            low: self.value - (self.value - self.low).hypot(gain),
            high: self.value + (self.high - self.value).hypot(gain),
            ..self
        }
    }

    /// Divided by another one that is independent of it and positive: relative widths added in squares.
    pub fn over(self, other: Interval) -> Self {
        let value = self.value / other.value;
        let side = |own: f64, others: f64| value.abs() * (own / self.value.abs().max(1e-12)).hypot(others / other.value);
        Interval {
            value,
            low: value - side(self.value - self.low, other.high - other.value),
            high: value + side(self.high - self.value, other.value - other.low),
        }
    }

    /// Times a number above 0.
    pub fn times(self, factor: f64) -> Self {
        Interval { value: self.value * factor, low: self.low * factor, high: self.high * factor }
    }
}

/// Seconds between looks at the ceiling within a gap.
const LOOK_S: f64 = 60.0;

impl Integral {
    pub fn interval(&self) -> Interval {
        Interval { value: self.total, low: self.low, high: self.high }
    }
}

/// Integrates a quantity that is not negative (power, irradiance, current into a battery) over a window.
///
/// # The error of sampling
/// Leaving out sample `i` moves the integral by `a_i = d_i (t_(i+1) - t_(i-1)) / 2`, where `d_i` is how far the sample lies off
/// the straight line between its neighbours. Every second sample left out: half of the `a_i` add up, and that is the error of
/// steps twice as long. From it the error of the steps at hand follows in two ways, of which both are counted:
/// - of a smooth course it falls with the square of the step (Press and others, Numerical Recipes, 4.2, from memory): the error
///   at hand is a third of the change, `|sum a_i| / 2 / 3`;
/// - of a rough one, whose wanderings between samples are independent, the variance of one step grows with the third power of
///   its length and their number falls with it, so that steps twice as long have four times the variance `V`, and the change has
///   `4 V - V`: `V = (sum a_i^2 / 2) / 3`.
pub fn integrate(series: &Series, window: Window, ceiling: Option<Ceiling<'_>>) -> Integral {
    let longest_s = series.longest_step_s();
    let inside = clipped(series, window, longest_s);
    let mut integral = Integral::default();
    let (at, values) = (inside.at_s(), inside.values());
    let highest = values.iter().copied().fold(0.0, f64::max);
    let bound = |from_s: f64, to_s: f64, edges: (Option<f64>, Option<f64>), kind: GapKind| {
        gap(kind, (from_s, to_s), edges, highest, ceiling)
    };
    let (mut smooth, mut rough) = (0.0, 0.0);
    for (nth, pair) in at.windows(2).enumerate() {
        let step_s = pair[1] - pair[0];
        if step_s > longest_s {
            let edges = (Some(values[nth]), Some(values[nth + 1]));
            integral.gaps.push(bound(pair[0], pair[1], edges, GapKind::Between));
            continue;
        }
        integral.sampled += (values[nth] + values[nth + 1]) / 2.0 * step_s;
        integral.covered_s += step_s;
        if nth > 0 && pair[0] - at[nth - 1] <= longest_s {
            let share = (pair[0] - at[nth - 1]) / (pair[1] - at[nth - 1]);
            let straight = values[nth - 1] + share * (values[nth + 1] - values[nth - 1]);
            let moved = (values[nth] - straight) * (pair[1] - at[nth - 1]) / 2.0;
            smooth += moved;
            rough += moved * moved;
        }
    }
    match (at.first(), at.last()) {
        (Some(first_s), Some(last_s)) => {
            if *first_s > window.from_s {
                let edge = (None, values.first().copied());
                integral.gaps.insert(0, bound(window.from_s, *first_s, edge, GapKind::Before));
            }
            if *last_s < window.to_s {
                integral.gaps.push(bound(*last_s, window.to_s, (values.last().copied(), None), GapKind::After));
            }
        }
        _ => integral.gaps.push(bound(window.from_s, window.to_s, (None, None), GapKind::Between)),
    }
    integral.gaps.retain(|gap| gap.high > 0.0);
    let standard = ((smooth.abs() / 6.0).powi(2) + rough / 6.0).sqrt();
    integral.sampled /= 3600.0;
    integral.u_sampling = t_factor(0.95, f64::INFINITY) * standard / 3600.0;
    let sum = |of: fn(&Gap) -> f64| integral.gaps.iter().map(of).sum::<f64>();
    let (middle, low, high) = (sum(|gap| gap.middle), sum(|gap| gap.low), sum(|gap| gap.high));
    integral.total = integral.sampled + middle;
    integral.low = (integral.sampled - integral.u_sampling).max(0.0) + low;
    integral.high = integral.sampled + integral.u_sampling + high;
    integral
}

/// The samples of a window, with one at each of its ends where the samples around it reach over it.
fn clipped(series: &Series, window: Window, longest_s: f64) -> Series {
    let mut samples: Vec<(f64, f64)> = Vec::new();
    samples.extend(series.at(window.from_s, longest_s).map(|value| (window.from_s, value)));
    samples.extend(series.between(window.from_s, window.to_s).iter().filter(|(at_s, _)| *at_s > window.from_s));
    if samples.last().is_none_or(|last| last.0 < window.to_s) {
        samples.extend(series.at(window.to_s, longest_s).map(|value| (window.to_s, value)));
    }
    Series::new(samples).0
}

/// Under a ceiling the middle keeps the shares of it that the samples on either side have; at least nothing, at most all of it.
fn gap(
    kind: GapKind,
    (from_s, to_s): (f64, f64),
    (left, right): (Option<f64>, Option<f64>),
    highest: f64,
    ceiling: Option<Ceiling<'_>>,
) -> Gap {
    let span_s = (to_s - from_s).max(0.0);
    let looks = (span_s / LOOK_S).ceil().max(1.0);
    let step_s = span_s / looks;
    let most = |at_s: f64| ceiling.map_or(highest, |ceiling| ceiling(at_s).max(0.0));
    let share_of = |value: f64, at_s: f64| if most(at_s) > 0.0 { (value / most(at_s)).clamp(0.0, 1.0) } else { 0.0 };
    let (left, right) = (left.map(|value| share_of(value, from_s)), right.map(|value| share_of(value, to_s)));
    let (left, right) = match (left, right) {
        (Some(left), Some(right)) => (left, right),
        (Some(one), None) | (None, Some(one)) => (one, one),
        // Nothing was seen at all: anything from nothing to the ceiling.
        (None, None) => (0.5, 0.5),
    };
    let (mut middle, mut high) = (0.0, 0.0);
    for nth in 0..looks as usize {
        let share = (nth as f64 + 0.5) / looks;
        let most = most(from_s + share * span_s) * step_s / 3600.0;
        middle += most * (left + share * (right - left));
        high += most;
    }
    Gap { kind, from_s, to_s, middle, low: 0.0, high }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::PI;

    const HOUR: Window = Window { from_s: 0.0, to_s: 3600.0 };

    fn sampled(step_s: f64, of: impl Fn(f64) -> f64) -> Series {
        Series::new((0..=(3600.0 / step_s) as usize).map(|nth| (nth as f64 * step_s, of(nth as f64 * step_s)))).0
    }

    /// Half a sine: 2/pi of its top.
    #[test]
    fn a_half_sine_comes_to_its_closed_form_within_the_stated_error() {
        let of = |at_s: f64| 100.0 * (PI * at_s / 3600.0).sin();
        for step_s in [600.0, 120.0, 10.0] {
            let found = integrate(&sampled(step_s, of), HOUR, None);
            let off = (found.total - 200.0 / PI).abs();
            assert!(off <= found.u_sampling && found.u_sampling < 20.0 * off + 1e-9, "{step_s}: {off} {}", found.u_sampling);
            assert!(found.gaps.is_empty() && (found.covered_s - 3600.0).abs() < 1e-9);
        }
    }

    /// Wanderings between samples, made finely and read coarsely: the interval of 95 % holds the fine integral that often.
    #[test]
    fn the_error_of_a_rough_course_is_stated_well() {
        let mut held = 0;
        for seed in 0..400_u64 {
            let mut value = 500.0;
            let fine: Vec<(f64, f64)> = (0..=3600_u64)
                .map(|second| {
                    value += (crate::seed::hashed(seed, second) - 0.5) * 20.0;
                    (second as f64, value)
                })
                .collect();
            let truth = integrate(&Series::new(fine.iter().copied()).0, HOUR, None).total;
            let coarse = integrate(&Series::new(fine.into_iter().step_by(30)).0, HOUR, None);
            held += usize::from((coarse.total - truth).abs() <= coarse.u_sampling);
        }
        assert!((372..=390).contains(&held), "{held} of 400: 93 to 97.5 % wanted");
    }

    #[test]
    fn a_gap_is_bounded_by_nothing_and_by_the_sky() {
        let ceiling = |_: f64| 200.0;
        let series = Series::new((0..=3600).filter(|s| !(1000..2800).contains(s)).map(|s| (f64::from(s), 100.0))).0;
        let found = integrate(&series, HOUR, Some(&ceiling));
        let gap = found.gaps[0];
        assert!(found.gaps.len() == 1 && gap.kind == GapKind::Between && gap.from_s == 999.0 && gap.to_s == 2800.0);
        assert!((gap.high - 200.0 * 1801.0 / 3600.0).abs() < 1e-9 && gap.low == 0.0);
        assert!((found.total - 100.0).abs() < 1e-9, "the shares on either side go on through it");
        assert!((found.low - 100.0 * 1799.0 / 3600.0).abs() < 1e-6 && (found.high - (found.low + gap.high)).abs() < 1e-6);
    }

    #[test]
    fn a_log_that_begins_late_is_bounded_at_its_ends() {
        let series = Series::new((600..=3000).map(|s| (f64::from(s), 60.0))).0;
        let found = integrate(&series, HOUR, Some(&|_| 60.0));
        assert_eq!(found.gaps.iter().map(|gap| gap.kind).collect::<Vec<_>>(), [GapKind::Before, GapKind::After]);
        assert!((found.total - 60.0).abs() < 1e-9 && (found.low - 40.0).abs() < 1e-9 && (found.high - 60.0).abs() < 1e-9);
        assert!(integrate(&series, HOUR, Some(&|_| 0.0)).gaps.is_empty(), "a night is no gap");
        let nothing = integrate(&Series::default(), HOUR, Some(&|_| 60.0));
        assert!(nothing.low == 0.0 && (nothing.high - 60.0).abs() < 1e-9 && (nothing.total - 30.0).abs() < 1e-9);
    }

    #[test]
    fn a_window_cuts_between_samples() {
        let found = integrate(&sampled(10.0, |at_s| at_s), Window { from_s: 5.0, to_s: 15.0 }, None);
        assert!((found.total - 100.0 / 3600.0).abs() < 1e-12);
    }

    proptest! {
        /// A straight line is integrated exactly however irregular its samples.
        #[test]
        fn a_straight_line_has_no_error(late in prop::collection::vec(0.0..9.0_f64, 359), slope in 0.0..1.0_f64) {
            let inside = late.into_iter().enumerate().map(|(nth, late_s)| (nth + 1) as f64 * 10.0 - late_s);
            let at = [0.0].into_iter().chain(inside).chain([3600.0]);
            let series = Series::new(at.map(|at_s| (at_s, 10.0 + slope * at_s))).0;
            let found = integrate(&series, HOUR, None);
            prop_assert!(found.gaps.is_empty());
            prop_assert!((found.total - (10.0 + slope * 1800.0)).abs() < 1e-6 && found.u_sampling < 1e-6);
        }
    }
}
