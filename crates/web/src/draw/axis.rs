//! The axis that all drawings share: round ticks within the range, and labels that never collide.

use crate::figures::number;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// Fewest and most ticks.
const FEWEST: usize = 3;
const MOST: usize = 8;

/// A tick: its value, and its label without a unit.
#[derive(Debug, Clone, PartialEq)]
pub struct Tick {
    pub value: f64,
    pub label: String,
}

/// Width of a digit and height of a line in the type of drawings, in their own units: that of phones, which is the largest.
const DIGIT: f64 = 11.0;

const LINE: f64 = 26.0;

/// A gap that keeps two labels apart.
const GAP: f64 = 10.0;

/// Ticks at multiples of 1, 2 or 5 times a power of ten in `low..=high`, 3 to 8 of them; as many as fit into `length`, where labels stand
/// one beside the other (`is_across`) or one above the other. No ticks for a range that is none.
pub fn ticks(low: f64, high: f64, length: f64, is_across: bool) -> Vec<Tick> {
    if !(low < high && low.is_finite() && high.is_finite()) {
        return Vec::new();
    }
    let size = (high - low).log10().floor() as i32;
    let steps = (size - 2..=size + 1).rev().flat_map(|power| [5.0, 2.0, 1.0].map(|step| (step, power)));
    let mut best: Vec<Tick> = Vec::new();
    for (step, power) in steps {
        // Worked out from whole numbers, so that 0.3 is 0.3.
        let unit = step * 10_f64.powi(power);
        let (first, last) = ((low / unit - 1e-9).ceil() as i64, (high / unit + 1e-9).floor() as i64);
        let decimals = usize::try_from(-power).unwrap_or(0);
        let value = |nth: i64| if power < 0 { nth as f64 * step / 10_f64.powi(-power) } else { nth as f64 * unit };
        let count = usize::try_from(last - first + 1).unwrap_or(0);
        if count > MOST {
            break;
        }
        let found: Vec<Tick> = (first..=last).map(value).map(|value| Tick { value, label: number(value, decimals) }).collect();
        if count >= FEWEST && !best.is_empty() && !fits(&found, length, is_across) {
            break;
        }
        if count >= FEWEST {
            best = found;
        }
    }
    best
}

fn fits(ticks: &[Tick], length: f64, is_across: bool) -> bool {
    let widest = ticks.iter().map(|tick| tick.label.chars().count()).max().unwrap_or(0) as f64;
    let each = if is_across { widest * DIGIT + GAP } else { LINE };
    (ticks.len() as f64) * each <= length
}

/// Steps between ticks of a clock, s: parts of a minute, of an hour and of a day.
const CLOCK_STEPS_S: [i64; 20] =
    [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 14_400, 21_600, 43_200, 86_400, 172_800];

/// Where ticks stand in a drawing, with their labels.
pub fn placed(ticks: Vec<Tick>, at: impl Fn(f64) -> f64) -> Vec<(f64, String)> {
    ticks.into_iter().map(|tick| (at(tick.value), tick.label)).collect()
}

/// Ticks at quarter, whole or several hours (or parts of a minute, or days) of the local clock, as many as fit into `length`. Values are
/// Unix seconds.
pub fn clock_ticks(from_s: f64, to_s: f64, length: f64, zone: &TimeZone) -> Vec<Tick> {
    if !(from_s < to_s && from_s.is_finite() && to_s.is_finite()) {
        return Vec::new();
    }
    let offset_s = |at_s: f64| Timestamp::from_second(at_s as i64).map_or(0, |at| i64::from(zone.to_offset(at).seconds()));
    let offset = offset_s((from_s + to_s) / 2.0);
    let mut best: Vec<Tick> = Vec::new();
    for step in CLOCK_STEPS_S.iter().rev() {
        let first = (from_s as i64 + offset).div_euclid(*step) + i64::from((from_s as i64 + offset).rem_euclid(*step) > 0);
        let last = (to_s as i64 + offset).div_euclid(*step);
        let count = usize::try_from(last - first + 1).unwrap_or(0);
        if count > MOST {
            break;
        }
        let label = |at_s: i64| clock_label(at_s, *step, zone);
        let found: Vec<Tick> =
            (first..=last).map(|nth| nth * step - offset).map(|at_s| Tick { value: at_s as f64, label: label(at_s) }).collect();
        if count >= FEWEST && !best.is_empty() && !fits(&found, length, true) {
            break;
        }
        if count >= FEWEST || best.is_empty() {
            best = found;
        }
    }
    best
}

fn clock_label(at_s: i64, step_s: i64, zone: &TimeZone) -> String {
    let form = match step_s {
        0..60 => "%H:%M:%S",
        60..86_400 => "%H:%M",
        _ => "%-d %b",
    };
    Timestamp::from_second(at_s).map(|at| at.to_zoned_datetime(zone.clone()).strftime(form).to_string()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn labels(low: f64, high: f64, length: f64) -> Vec<String> {
        ticks(low, high, length, true).into_iter().map(|tick| tick.label).collect()
    }

    #[test]
    fn ticks_are_round() {
        assert_eq!(labels(0.0, 10.83, 500.0), ["0", "2", "4", "6", "8", "10"]);
        assert_eq!(labels(0.0, 0.7, 500.0), ["0.0", "0.1", "0.2", "0.3", "0.4", "0.5", "0.6", "0.7"]);
        // Seven of three digits do not fit beside each other into so little: the coarsest step with three ticks stays.
        assert_eq!(labels(92.0, 108.0, 120.0), ["95", "100", "105"]);
        assert_eq!(labels(-30.0, 45.0, 500.0).first().unwrap(), "\u{2212}30");
        assert!(ticks(1.0, 1.0, 500.0, true).is_empty() && ticks(f64::NAN, 1.0, 500.0, true).is_empty());
    }

    #[test]
    fn hours_are_quarter_or_whole_by_the_local_clock() {
        let zone = TimeZone::get("Asia/Kathmandu").unwrap();
        // 2026-06-21, 07:40 to 12:25 by a clock of 5 h 45 min before UTC.
        let from = zone.to_timestamp(jiff::civil::date(2026, 6, 21).at(7, 40, 0, 0)).unwrap().as_second() as f64;
        let found: Vec<String> = clock_ticks(from, from + 17_100.0, 500.0, &zone).into_iter().map(|tick| tick.label).collect();
        assert_eq!(found, ["08:00", "09:00", "10:00", "11:00", "12:00"]);
        let found: Vec<String> = clock_ticks(from, from + 3000.0, 500.0, &zone).into_iter().map(|tick| tick.label).collect();
        assert_eq!(found, ["07:40", "07:50", "08:00", "08:10", "08:20", "08:30"]);
        assert!(clock_ticks(from, from, 500.0, &zone).is_empty());
    }

    proptest! {
        #[test]
        fn ticks_are_three_to_eight_within_the_range_and_apart(
            low in -1e6..1e6_f64, power in -3.0..6.0_f64, length in 120.0..900.0_f64, is_across: bool
        ) {
            let high = low + 10_f64.powf(power);
            let found = ticks(low, high, length, is_across);
            prop_assert!((3..=8).contains(&found.len()), "{found:?}");
            let span = high - low;
            prop_assert!(found.iter().all(|tick| tick.value >= low - 1e-8 * span.max(low.abs()) && tick.value <= high + 1e-8 * span.max(low.abs())));
            let step = found[1].value - found[0].value;
            let mantissa = step / 10_f64.powf(step.log10().floor());
            prop_assert!([1.0, 2.0, 5.0, 10.0].iter().any(|round| (mantissa - round).abs() < 1e-3), "{step}");
            let mut labels: Vec<&String> = found.iter().map(|tick| &tick.label).collect();
            labels.dedup();
            prop_assert_eq!(labels.len(), found.len());
        }

        #[test]
        fn clock_ticks_are_within_the_range_and_at_most_eight(from in 0.0..4e9_f64, span in 30.0..900_000.0_f64) {
            let zone = TimeZone::get("Europe/Lisbon").unwrap();
            let found = clock_ticks(from, from + span, 600.0, &zone);
            prop_assert!((1..=8).contains(&found.len()), "{found:?}");
            prop_assert!(found.iter().all(|tick| tick.value >= from.floor() && tick.value <= from + span));
        }
    }
}
