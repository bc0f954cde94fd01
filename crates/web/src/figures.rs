//! The only place that rounds and adds units.

use crate::day::timestamp;
use flindo_core::measure::quantity::{Quantity, Seen, ValueKind};
use flindo_core::measure::series::integral::Interval;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// A number with its unit, ready to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Figure {
    pub value: String,
    /// The expanded uncertainty, where there is one.
    pub u: Option<String>,
    pub unit: &'static str,
}

impl std::fmt::Display for Figure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}", self.value)?;
        if let Some(u) = &self.u {
            write!(f, " \u{b1} {u}")?;
        }
        let space = if self.unit == "\u{b0}" { "" } else { "\u{a0}" };
        write!(f, "{space}{}", self.unit)
    }
}

/// A value with its expanded uncertainty, both to the second digit of the uncertainty (JCGM 100:2008, 7.2.6).
pub fn with_u(value: f64, u: f64, unit: &'static str) -> Figure {
    let decimals = decimals_for(u, 2);
    Figure { value: number(value, decimals), u: Some(number(u, decimals)), unit }
}

/// A value with its 95 % interval, which need not lie even about it: to the second digit of its width.
pub fn between(interval: Interval, unit: &'static str) -> String {
    let decimals = decimals_for((interval.high - interval.low).max(interval.value.abs() * 1e-4) / 2.0, 2);
    let figure = Figure { value: number(interval.value, decimals), u: None, unit };
    format!("{figure} ({} to {})", number(interval.low, decimals), number(interval.high, decimals))
}

/// A value worked out from readings, to four digits; irradiance and temperature to what any instrument of theirs shows.
pub fn computed(value: f64, unit: &'static str) -> Figure {
    let decimals = match unit {
        "W/m\u{b2}" => 0,
        "\u{b0}C" => 1,
        _ => decimals_for(value, 4),
    };
    Figure { value: number(value, decimals), u: None, unit }
}

/// A rating or an expectation: three digits, and no zeros that say nothing.
pub fn rough(value: f64, unit: &'static str) -> Figure {
    let text = number(value, decimals_for(value, 3));
    let value = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text };
    Figure { value, u: None, unit }
}

/// What a live meter shows: as many decimals as hand-held displays have.
pub fn shown(value: f64, unit: &'static str) -> Figure {
    let decimals = match unit {
        "V" | "A" => 2,
        "W" | "\u{b0}C" | "Wh" => 1,
        _ => 0,
    };
    Figure { value: number(value, decimals), u: None, unit }
}

/// A share of something, in percent with one decimal.
pub fn percent(value: f64) -> Figure {
    Figure { value: number(value, 1), u: None, unit: "%" }
}

/// A value as it stands on a label or in a form: all its digits.
pub fn stated(value: f64, unit: &'static str) -> Figure {
    Figure { value: value.to_string().replace('-', "\u{2212}"), u: None, unit }
}

/// A figure of a reading, in the steps of its instrument; a range as a range.
pub fn as_read(quantity: Quantity, seen: &Seen) -> Figure {
    let decimals = if seen.step > 0.0 { decimals_for(seen.step, 1) } else { decimals_for(seen.low, 4) };
    let value = if seen.how == ValueKind::Range {
        format!("{}\u{2013}{}", number(seen.low, decimals), number(seen.high, decimals))
    } else {
        number(seen.low, decimals)
    };
    Figure { value, u: None, unit: unit(quantity) }
}

/// A figure of a reading with what says which it is: the word before it where its unit leaves that open, and for who hears the page the
/// quantity's name where it does not.
pub fn named_as_read(quantity: Quantity, seen: &Seen) -> (&'static str, String) {
    let figure = as_read(quantity, seen);
    match quantity {
        Quantity::Voltage | Quantity::Current | Quantity::Power | Quantity::Energy | Quantity::Charge | Quantity::Poa => {
            (quantity.label(), figure.to_string())
        }
        Quantity::OutputVoltage
        | Quantity::OutputCurrent
        | Quantity::OutputPower
        | Quantity::Voc
        | Quantity::Isc
        | Quantity::Ghi
        | Quantity::Rear
        | Quantity::CheckPower
        | Quantity::CheckEnergy
        | Quantity::ReferenceCurrent
        | Quantity::ReferencePower
        | Quantity::ReferenceCell
        | Quantity::Cell
        | Quantity::Back
        | Quantity::Air
        | Quantity::Humidity
        | Quantity::Wind => ("", format!("{}\u{a0}{figure}", quantity.entry_name())),
    }
}

/// The unit of a quantity as it is printed.
pub fn unit(quantity: Quantity) -> &'static str {
    match quantity.unit() {
        "W/m2" => "W/m\u{b2}",
        "C" => "\u{b0}C",
        unit => unit,
    }
}

/// Fixed decimals with a true minus sign.
pub fn number(value: f64, decimals: usize) -> String {
    let text = format!("{value:.decimals$}");
    let is_zero = text.bytes().all(|byte| matches!(byte, b'-' | b'0' | b'.'));
    match text.strip_prefix('-') {
        Some(text) if is_zero => text.to_owned(),
        Some(text) => format!("\u{2212}{text}"),
        None => text,
    }
}

/// With a sign on either side of zero.
pub fn signed(value: f64, decimals: usize) -> String {
    let text = number(value, decimals);
    if value > 0.0 && !text.bytes().all(|byte| matches!(byte, b'0' | b'.')) { format!("+{text}") } else { text }
}

/// The decimals that show `digits` digits of a value of this size; none for zero.
fn decimals_for(value: f64, digits: i32) -> usize {
    if value == 0.0 || !value.is_finite() {
        return 0;
    }
    // The small addition keeps 0.1, which is a little less in binary, at its own size.
    let size = (value.abs().log10() + 1e-9).floor() as i32;
    (digits - 1 - size).clamp(0, 9) as usize
}

pub fn clock(time: Timestamp, zone: &TimeZone) -> String {
    time.to_zoned_datetime(zone.clone()).strftime("%H:%M:%S").to_string()
}

/// To the minute.
pub fn clock_short(time: Timestamp, zone: &TimeZone) -> String {
    time.to_zoned_datetime(zone.clone()).strftime("%H:%M").to_string()
}

/// A time of the day, or from one to another.
pub fn stretch(from_s: f64, to_s: f64, zone: &TimeZone) -> String {
    let at = |unix_s: f64| clock_short(timestamp(unix_s), zone);
    if to_s > from_s { format!("{} to {}", at(from_s), at(to_s)) } else { at(from_s) }
}

/// "January" for 0.
pub fn month_name(month: usize) -> String {
    jiff::civil::Date::new(2025, month as i8 + 1, 1).map(|date| date.strftime("%B").to_string()).unwrap_or_default()
}

pub fn day(time: Timestamp, zone: &TimeZone) -> String {
    time.to_zoned_datetime(zone.clone()).strftime("%-d %B %Y").to_string()
}

/// For a `datetime-local` field.
pub fn for_field(time: Timestamp, zone: &TimeZone) -> String {
    time.to_zoned_datetime(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S").to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn value_and_uncertainty_end_at_the_same_digit() {
        assert_eq!(with_u(98.734, 5.21, "%").to_string(), "98.7 \u{b1} 5.2\u{a0}%");
        assert_eq!(with_u(143.26, 12.3, "W").to_string(), "143 \u{b1} 12\u{a0}W");
        assert_eq!(with_u(9.12345, 0.0712, "A").to_string(), "9.123 \u{b1} 0.071\u{a0}A");
    }

    #[test]
    fn a_reading_is_shown_in_the_steps_of_its_meter() {
        assert_eq!(as_read(Quantity::Current, &Seen::at(5.6, 0.1)).to_string(), "5.6\u{a0}A");
        assert_eq!(as_read(Quantity::Current, &Seen::at(5.6, 0.01)).to_string(), "5.60\u{a0}A");
        let range = Seen { low: 79.0, high: 81.0, step: 1.0, how: ValueKind::Range };
        assert_eq!(as_read(Quantity::Power, &range).to_string(), "79\u{2013}81\u{a0}W");
        assert_eq!(as_read(Quantity::Cell, &Seen::at(-5.0, 1.0)).to_string(), "\u{2212}5\u{a0}\u{b0}C");
    }

    #[test]
    fn a_rating_has_three_digits_and_no_idle_zeros() {
        let rough = |value| rough(value, "V").value;
        assert_eq!(
            (rough(60.0), rough(113.4), rough(8.754), rough(0.7)),
            ("60".into(), "113".into(), "8.75".into(), "0.7".into())
        );
        assert_eq!((rough(1000.0), rough(0.0), rough(-4.0)), ("1000".into(), "0".into(), "\u{2212}4".into()));
    }

    #[test]
    fn zero_has_no_sign() {
        assert_eq!(number(-0.04, 1), "0.0");
        assert_eq!((signed(0.04, 1), signed(1.26, 1), signed(-1.26, 1)), ("0.0".into(), "+1.3".into(), "\u{2212}1.3".into()));
        assert_eq!(computed(0.0, "W").value, "0");
    }
}
