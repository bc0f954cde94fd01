//! Samples of one quantity on one clock, irregular as loggers are, and what is done with them.
//!
//! | file | does |
//! |---|---|
//! | here | samples in order, duplicates and disorder named, power from volts and amps |
//! | [`integral`] | watt-hours from watts by the trapezoid, with the error of sampling and the bounds of gaps |
//! | [`counter`] | a meter's own counter: resets, overflow |
//! | [`suspect`] | spikes and stuck values: named and bounded |

use crate::window::Window;

pub mod counter;
pub mod integral;
pub mod suspect;

/// Samples of one quantity: Unix seconds, strictly rising, and values in the quantity's unit, all of them numbers.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Series {
    at_s: Vec<f64>,
    values: Vec<f64>,
}

/// Steps of a long series that tell its usual step.
const STEPS_ASKED: usize = 10_000;

/// What was wrong with samples as they came. Nothing of it is repaired in silence: each is counted, with the first time it happened.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Arrival {
    /// Values or times that are no numbers: left out.
    pub not_numbers: usize,
    /// Samples before their predecessor's time: put in order.
    pub disordered: usize,
    /// The same time and the same value again: kept once.
    pub duplicates: usize,
    /// The same time with another value: the mean of them is kept.
    pub conflicts: usize,
    /// Unix seconds of the first of these; `None` where there was none.
    pub first_s: Option<f64>,
}

impl Arrival {
    fn note(&mut self, at_s: f64) {
        self.first_s.get_or_insert(at_s);
    }

    /// None of the four happened.
    pub fn is_clean(&self) -> bool {
        self.not_numbers + self.disordered + self.duplicates + self.conflicts == 0
    }
}

impl Series {
    /// Samples (Unix seconds, value) as they came, in any order.
    pub fn new(samples: impl IntoIterator<Item = (f64, f64)>) -> (Self, Arrival) {
        let mut arrival = Arrival::default();
        let mut all: Vec<(f64, f64)> = Vec::new();
        for (at_s, value) in samples {
            if !(at_s.is_finite() && value.is_finite()) {
                arrival.not_numbers += 1;
                arrival.note(if at_s.is_finite() { at_s } else { all.last().map_or(0.0, |last| last.0) });
                continue;
            }
            if all.last().is_some_and(|last| at_s < last.0) {
                arrival.disordered += 1;
                arrival.note(at_s);
            }
            all.push((at_s, value));
        }
        // Stable: of the same time, the order of arrival stays.
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut series = Series::default();
        for same in all.chunk_by(|a, b| a.0 == b.0) {
            let (at_s, first) = same[0];
            let differs = same.iter().any(|(_, value)| *value != first);
            if same.len() > 1 {
                if differs {
                    arrival.conflicts += same.len() - 1
                } else {
                    arrival.duplicates += same.len() - 1
                }
                arrival.note(at_s);
            }
            series.at_s.push(at_s);
            series.values.push(same.iter().map(|(_, value)| value).sum::<f64>() / same.len() as f64);
        }
        (series, arrival)
    }

    pub fn len(&self) -> usize {
        self.at_s.len()
    }

    pub fn is_empty(&self) -> bool {
        self.at_s.is_empty()
    }

    /// Unix seconds.
    pub fn at_s(&self) -> &[f64] {
        &self.at_s
    }

    pub fn values(&self) -> &[f64] {
        &self.values
    }

    pub fn iter(&self) -> impl Iterator<Item = (f64, f64)> {
        self.at_s.iter().copied().zip(self.values.iter().copied())
    }

    /// From the first to the last sample; `None` for no samples.
    pub fn span(&self) -> Option<Window> {
        Some(Window { from_s: *self.at_s.first()?, to_s: *self.at_s.last()? })
    }

    /// Samples of `from_s..=to_s`.
    pub fn between(&self, from_s: f64, to_s: f64) -> Series {
        let (first, end) = (self.at_s.partition_point(|at| *at < from_s), self.at_s.partition_point(|at| *at <= to_s));
        if first >= end {
            return Series::default();
        }
        Series { at_s: self.at_s[first..end].to_vec(), values: self.values[first..end].to_vec() }
    }

    /// The middle one of the steps between samples, s; 0 for fewer than two samples. Of a long series, of [`STEPS_ASKED`] steps spread
    /// evenly over it.
    pub fn median_step_s(&self) -> f64 {
        quantile(&mut self.steps_asked(), 0.5)
    }

    fn steps_asked(&self) -> Vec<f64> {
        let each = (self.at_s.len() / STEPS_ASKED).max(1);
        self.at_s.windows(2).step_by(each).map(|pair| pair[1] - pair[0]).collect()
    }

    /// A step longer than this is a gap: five of the usual ones; or two of the longest twentieth, since a logger that writes on change
    /// writes seldom in steady sun; and at least ten seconds. Common practice, no source.
    pub fn longest_step_s(&self) -> f64 {
        let mut steps = self.steps_asked();
        (5.0 * quantile(&mut steps, 0.5)).max(2.0 * quantile(&mut steps, 0.95)).max(10.0)
    }

    /// The value at a moment, straight between its neighbours; `None` outside, and where they are more than `longest_step_s` apart.
    pub fn at(&self, moment_s: f64, longest_step_s: f64) -> Option<f64> {
        let after = self.at_s.partition_point(|at| *at < moment_s);
        if self.at_s.get(after) == Some(&moment_s) {
            return Some(self.values[after]);
        }
        let before = after.checked_sub(1)?;
        let (left_s, right_s) = (self.at_s[before], *self.at_s.get(after)?);
        if right_s - left_s > longest_step_s {
            return None;
        }
        let share = (moment_s - left_s) / (right_s - left_s);
        Some(self.values[before] + share * (self.values[after] - self.values[before]))
    }

    /// The same at many rising moments, gone through side by side.
    pub fn at_each(&self, moments_s: &[f64], longest_step_s: f64) -> Vec<Option<f64>> {
        let mut after = 0;
        let of = |moment_s: &f64| {
            while after < self.at_s.len() && self.at_s[after] < *moment_s {
                after += 1;
            }
            let right_s = *self.at_s.get(after)?;
            if right_s == *moment_s {
                return Some(self.values[after]);
            }
            let before = after.checked_sub(1)?;
            let left_s = self.at_s[before];
            let share = (moment_s - left_s) / (right_s - left_s);
            (right_s - left_s <= longest_step_s).then(|| self.values[before] + share * (self.values[after] - self.values[before]))
        };
        moments_s.iter().map(of).collect()
    }

    /// Power from volts and amps: at the times of the one with fewer samples, the other taken straight between its own. Where the two were
    /// not recorded together, there is none.
    pub fn times(&self, other: &Series) -> Series {
        let (few, many) = if self.len() <= other.len() { (self, other) } else { (other, self) };
        let others = many.at_each(few.at_s(), many.longest_step_s());
        let products = few.iter().zip(others).filter_map(|((at_s, value), other)| Some((at_s, value * other?)));
        let (at_s, values) = products.unzip();
        Series { at_s, values }
    }

    /// Every value times a factor: a unit's scale, or a meter's gain.
    pub fn scaled(&self, factor: f64) -> Series {
        Series { at_s: self.at_s.clone(), values: self.values.iter().map(|value| value * factor).collect() }
    }

    /// The same samples on a clock that is put forward by so many seconds.
    pub fn shifted(&self, forward_s: f64) -> Series {
        Series { at_s: self.at_s.iter().map(|at| at + forward_s).collect(), values: self.values.clone() }
    }
}

/// The value that this share of others stay below; 0 of none.
fn quantile(values: &mut [f64], share: f64) -> f64 {
    let Some(last) = values.len().checked_sub(1) else { return 0.0 };
    let nth = (share * last as f64).round() as usize;
    *values.select_nth_unstable_by(nth, f64::total_cmp).1
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_wrong_with_samples_is_counted_and_told() {
        let (series, arrival) =
            Series::new([(0.0, 1.0), (2.0, 3.0), (1.0, 2.0), (2.0, 3.0), (3.0, f64::NAN), (4.0, 5.0), (4.0, 7.0)]);
        assert_eq!(series.iter().collect::<Vec<_>>(), [(0.0, 1.0), (1.0, 2.0), (2.0, 3.0), (4.0, 6.0)]);
        assert_eq!((arrival.disordered, arrival.duplicates, arrival.conflicts, arrival.not_numbers), (1, 1, 1, 1));
        assert!(arrival.first_s == Some(1.0) && !arrival.is_clean());
        assert!(Series::new([(0.0, 1.0), (1.0, 1.0)]).1.is_clean());
        // Each by itself is no clean arrival.
        for came in [[(0.0, 1.0), (1.0, f64::NAN)], [(1.0, 1.0), (0.0, 2.0)], [(0.0, 1.0), (0.0, 1.0)], [(0.0, 1.0), (0.0, 2.0)]]
        {
            assert!(!Series::new(came).1.is_clean(), "{came:?}");
        }
    }

    #[test]
    fn a_value_between_two_samples_lies_on_their_line_and_none_lies_in_a_gap() {
        let (series, _) = Series::new([(0.0, 10.0), (10.0, 20.0), (20.0, 20.0), (200.0, 0.0)]);
        assert_eq!(series.at(2.5, 50.0), Some(12.5));
        assert_eq!(series.at(20.0, 50.0), Some(20.0));
        assert_eq!((series.at(100.0, 50.0), series.at(-1.0, 50.0), series.at(201.0, 50.0)), (None, None, None));
        let moments = [-1.0, 0.0, 2.5, 10.0, 19.0, 100.0, 200.0, 201.0];
        assert_eq!(series.at_each(&moments, 50.0), moments.map(|at_s| series.at(at_s, 50.0)));
    }

    /// A logger that writes each second under clouds and each minute in steady sun has no gaps; one that pauses for ten minutes has.
    #[test]
    fn a_logger_that_writes_on_change_has_no_gaps() {
        let mut at_s = 0.0;
        let mut at = Vec::new();
        for nth in 0..900 {
            at_s += if nth % 15 == 0 { 60.0 } else { 1.0 };
            at.push((at_s, 1.0));
        }
        let (series, _) = Series::new(at);
        assert!(series.longest_step_s() >= 60.0 && series.longest_step_s() < 600.0, "{}", series.longest_step_s());
        let even = Series::new((0..100).map(|nth| (f64::from(nth) * 60.0, 1.0))).0;
        assert_eq!((even.median_step_s(), even.longest_step_s()), (60.0, 300.0));
    }

    #[test]
    fn power_stands_where_volts_and_amps_were_recorded_together() {
        let (volts, _) = Series::new((0..100).map(|second| (f64::from(second), 20.0)));
        let (amps, _) = Series::new([(0.5, 2.0), (50.5, 4.0), (200.0, 4.0)]);
        assert_eq!(volts.times(&amps).iter().collect::<Vec<_>>(), [(0.5, 40.0), (50.5, 80.0)]);
    }
}
