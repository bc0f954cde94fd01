//! A number exactly as a person typed it, with the step of its last digit.
//!
//! Meters have a last digit, and what is typed carries it: "0.4" was read in steps of 0.1, "0.40" in steps of 0.01.
//! A float forgets that, so figures stay decimals until they are computed with.

use std::fmt;

/// Digits beyond this are refused: no instrument shows them, and an `i64` holds them.
const MAX_DIGITS: usize = 12;

/// `mantissa / 10^decimals`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Decimal {
    mantissa: i64,
    decimals: u8,
}

/// Why a text is no number. Prints as a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DecimalError {
    #[error("\"{0}\" is not a number")]
    NotANumber(String),
    #[error("\"{0}\" can be read in two ways: write {plain} or {point}", plain = .0.replace(',', ""), point = .0.replace(',', "."))]
    ThousandsOrDecimals(String),
    #[error("\"{0}\" has more digits than any meter shows")]
    TooLong(String),
}

impl Decimal {
    /// Reads an optional sign and digits with a decimal point or a decimal comma. No exponent, no thousands marks.
    pub fn parse(text: &str) -> Result<Self, DecimalError> {
        let text = text.trim();
        let not_a_number = || DecimalError::NotANumber(text.chars().take(40).collect());
        let (negative, digits) = match text.strip_prefix(['-', '\u{2212}']) {
            Some(rest) => (true, rest),
            None => (false, text.strip_prefix('+').unwrap_or(text)),
        };
        let (whole, fraction) = digits.split_once(['.', ',']).unwrap_or((digits, ""));
        let all_digits = |part: &str| part.bytes().all(|byte| byte.is_ascii_digit());
        if !all_digits(whole) || !all_digits(fraction) || whole.is_empty() && fraction.is_empty() {
            return Err(not_a_number());
        }
        if digits.contains(',') && fraction.len() == 3 && (1..=3).contains(&whole.len()) && !whole.starts_with('0') {
            return Err(DecimalError::ThousandsOrDecimals(text.to_owned()));
        }
        if whole.len() + fraction.len() > MAX_DIGITS {
            return Err(DecimalError::TooLong(text.chars().take(40).collect()));
        }
        let magnitude: i64 = format!("{whole}{fraction}").parse().map_err(|_| not_a_number())?;
        Ok(Decimal { mantissa: if negative { -magnitude } else { magnitude }, decimals: fraction.len() as u8 })
    }

    /// The nearest float.
    pub fn value(self) -> f64 {
        self.mantissa as f64 / 10_f64.powi(i32::from(self.decimals))
    }

    /// Digits behind the point, as typed.
    pub fn decimals(self) -> usize {
        usize::from(self.decimals)
    }

    /// The step of the last digit typed: 0.1 for "18.4", 1 for "880".
    pub fn step(self) -> f64 {
        1.0 / 10_f64.powi(i32::from(self.decimals))
    }
}

impl fmt::Display for Decimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let places = usize::from(self.decimals);
        let digits = format!("{:0width$}", self.mantissa.unsigned_abs(), width = places + 1);
        let (whole, fraction) = digits.split_at(digits.len() - places);
        let sign = if self.mantissa < 0 { "-" } else { "" };
        if places == 0 { write!(f, "{sign}{whole}") } else { write!(f, "{sign}{whole}.{fraction}") }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_point_and_a_comma_say_the_same() {
        assert_eq!(Decimal::parse("18.4"), Decimal::parse("18,4"));
        assert_eq!(Decimal::parse("18,4").unwrap().value(), 18.4);
    }

    #[test]
    fn the_last_digit_typed_is_the_step() {
        assert_eq!(Decimal::parse("0.4").unwrap().step(), 0.1);
        assert_eq!(Decimal::parse("0.40").unwrap().step(), 0.01);
        assert_eq!(Decimal::parse("880").unwrap().step(), 1.0);
    }

    #[test]
    fn a_comma_before_three_digits_is_asked_about() {
        let error = Decimal::parse("1,234").unwrap_err();
        assert_eq!(error.to_string(), "\"1,234\" can be read in two ways: write 1234 or 1.234");
        assert_eq!(Decimal::parse("0,125").unwrap().value(), 0.125);
    }

    #[test]
    fn rubbish_is_no_number() {
        for text in ["", "-", ".", ",", "1.2.3", "1e3", "NaN", "inf", "--2", "12a", "\u{661}"] {
            assert!(Decimal::parse(text).is_err(), "{text:?} was taken");
        }
        assert!(matches!(Decimal::parse("1234567890123"), Err(DecimalError::TooLong(_))));
    }

    proptest! {
        #[test]
        fn what_is_printed_reads_back_the_same(mantissa in -99_999_999_i64..99_999_999, decimals in 0_u8..4) {
            let number = Decimal { mantissa, decimals };
            prop_assert_eq!(Decimal::parse(&number.to_string()), Ok(number));
        }

        #[test]
        fn no_text_makes_it_panic(text in "\\PC*") {
            let _ = Decimal::parse(&text);
        }
    }
}
