//! The power tolerance as labels print it: "0/+3 %", "±3 %", "-0/+5 W".

use super::nameplate::Tolerance;
use crate::decimal::Decimal;

/// Reads a tolerance. Empty text is none: the rating itself counts. Watts become shares of `rated_w`.
///
/// The error is a sentence that quotes the text.
pub fn parse(text: &str, rated_w: Option<f64>) -> Result<Tolerance, String> {
    let quoted = text.trim();
    if quoted.is_empty() {
        return Ok(Tolerance::default());
    }
    let unclear = || format!("\"{quoted}\" is not a tolerance: write it like 0/+3 %, \u{b1}3 % or -0/+5 W");
    let plain = quoted.replace("+/-", "\u{b1}").replace('\u{2212}', "-").replace("to", "/").replace(['~', ';'], "/");
    let (numbers, in_watts) = match plain.trim_end_matches(|c: char| c.is_whitespace()) {
        text if text.ends_with('%') => (text.trim_end_matches('%'), false),
        text if text.ends_with(['W', 'w']) => (text.trim_end_matches(['W', 'w']), true),
        text => (text, false),
    };
    let numbers = numbers.replace([' ', '%', 'W', 'w'], "");
    let number = |part: &str| Decimal::parse(part).map(Decimal::value).map_err(|_| unclear());
    let (minus, plus) = if let Some(both) = numbers.strip_prefix('\u{b1}') {
        let both = number(both)?;
        (-both, both)
    } else if let Some((low, high)) = numbers.split_once('/') {
        (number(low)?, number(high)?)
    } else if numbers.starts_with('+') {
        (0.0, number(&numbers)?)
    } else {
        let both = number(&numbers)?;
        (-both.abs(), both.abs())
    };
    let (minus, plus) = (minus.min(plus), minus.max(plus));
    let per = match (in_watts, rated_w) {
        (false, _) => 100.0,
        (true, Some(rated_w)) if rated_w > 0.0 => rated_w,
        (true, _) => return Err(format!("\"{quoted}\" is in watts: it needs the rated watts")),
    };
    let tolerance = Tolerance { minus_rel: minus / per, plus_rel: plus / per };
    if tolerance.minus_rel > 0.0 || tolerance.plus_rel < 0.0 {
        return Err(format!("\"{quoted}\" does not hold the rating itself: one side is negative or 0, the other positive or 0"));
    }
    if tolerance.minus_rel < -0.3 || tolerance.plus_rel > 0.3 {
        return Err(format!("\"{quoted}\" is more than 30 % of the rating"));
    }
    Ok(tolerance)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_are_read_as_they_print_it() {
        let band = |text| parse(text, Some(250.0)).map(|t| (t.minus_rel, t.plus_rel));
        assert_eq!(band(""), Ok((0.0, 0.0)));
        for text in ["\u{b1}3 %", "+/-3%", "3", "-3/+3 %", "-3 % / +3 %", "3 %"] {
            assert_eq!(band(text), Ok((-0.03, 0.03)), "{text}");
        }
        for text in ["0/+5 W", "-0/+5W", "0 ~ +5 W", "0 W to +5 W", "+5 W"] {
            assert_eq!(band(text), Ok((0.0, 0.02)), "{text}");
        }
    }

    #[test]
    fn what_is_no_tolerance_is_quoted_back() {
        for text in ["some", "3/5 %", "\u{b1}45 %", "5 W"] {
            let error = parse(text, None).unwrap_err();
            assert!(error.contains(text), "{error}");
        }
    }
}
