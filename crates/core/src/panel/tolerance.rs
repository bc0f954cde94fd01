//! The power tolerance as labels print it: "0/+3 %", "±3 %", "-0/+5 W".

use crate::decimal::Decimal;
use std::ops::RangeInclusive;

/// The unit a label states its tolerance in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ToleranceUnit {
    #[default]
    Percent,
    Watt,
}

/// How far the maker allows the rated watts to be off.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Tolerance {
    /// At most 0.
    pub minus: f64,
    /// At least 0.
    pub plus: f64,
    pub unit: ToleranceUnit,
}

impl Tolerance {
    /// From its lower to its upper side, as shares of the rating.
    pub fn relative(&self, rated_w: f64) -> RangeInclusive<f64> {
        let whole = match self.unit {
            ToleranceUnit::Percent => 100.0,
            ToleranceUnit::Watt => rated_w,
        };
        self.minus / whole..=self.plus / whole
    }

    /// As a label prints it; [`parse`] reads it back. Empty where there is none.
    pub fn as_text(&self) -> String {
        let unit = match self.unit {
            ToleranceUnit::Percent => "%",
            ToleranceUnit::Watt => "W",
        };
        match (self.minus, self.plus) {
            (0.0, 0.0) => String::new(),
            (minus, plus) if minus == -plus => format!("\u{b1}{plus} {unit}"),
            // Adding 0 turns -0 into 0.
            (minus, plus) => format!("{}/+{plus} {unit}", minus + 0.0),
        }
    }
}

/// Reads a tolerance. Empty text is none: the rating itself counts. The error is a sentence that quotes the text.
pub fn parse(text: &str) -> Result<Tolerance, String> {
    let quoted = text.trim();
    if quoted.is_empty() {
        return Ok(Tolerance::default());
    }
    let unclear = || format!("\"{quoted}\" is not a tolerance: write it like 0/+3 %, \u{b1}3 % or -0/+5 W");
    let unit = if quoted.ends_with(['W', 'w']) { ToleranceUnit::Watt } else { ToleranceUnit::Percent };
    let plain = quoted.replace("+/-", "\u{b1}").replace('\u{2212}', "-").replace("to", "/").replace(['~', ';'], "/");
    let numbers = plain.replace([' ', '%', 'W', 'w'], "");
    let number = |part: &str| Decimal::parse(part).map(Decimal::value).map_err(|_| unclear());
    let (low, high) = if let Some((low, high)) = numbers.split_once('/') {
        (number(low)?, number(high)?)
    } else if numbers.starts_with('+') {
        (0.0, number(&numbers)?)
    } else {
        let both = number(numbers.trim_start_matches('\u{b1}'))?.abs();
        (-both, both)
    };
    let (minus, plus) = (low.min(high), low.max(high));
    if minus > 0.0 || plus < 0.0 {
        return Err(format!("\"{quoted}\" does not hold the rating itself: one side is negative or 0, the other positive or 0"));
    }
    Ok(Tolerance { minus: minus + 0.0, plus: plus + 0.0, unit })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_are_read_as_they_print_it() {
        let band = |text| parse(text).map(|tolerance| tolerance.relative(250.0));
        assert_eq!(band(""), Ok(0.0..=0.0));
        for text in ["\u{b1}3 %", "+/-3%", "3", "-3/+3 %", "-3 % / +3 %", "3 %"] {
            assert_eq!(band(text), Ok(-0.03..=0.03), "{text}");
        }
        for text in ["0/+5 W", "-0/+5W", "0 ~ +5 W", "0 W to +5 W", "+5 W"] {
            assert_eq!(band(text), Ok(0.0..=0.02), "{text}");
        }
    }

    #[test]
    fn what_is_printed_reads_back_the_same() {
        for text in ["", "\u{b1}3 %", "0/+5 W", "-5/+10 %"] {
            assert_eq!(parse(text).unwrap().as_text(), text);
        }
    }

    #[test]
    fn what_is_no_tolerance_is_quoted_back() {
        for text in ["some", "3/5 %", "-5/-3 %", "/"] {
            assert!(parse(text).unwrap_err().contains(text));
        }
    }
}
