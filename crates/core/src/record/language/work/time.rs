//! The time at the beginning of a line.

use crate::measure::entry::ClockTime;

/// The time at the beginning of a line, and what follows it: "12:40 flat 78", "9h05 - back", "2:15 pm: 80".
pub(super) fn leading_time(text: &str) -> (Option<ClockTime>, &str) {
    let none = (None, text);
    let digits = text.bytes().take_while(u8::is_ascii_digit).count();
    if !(1..=2).contains(&digits) || !matches!(text.as_bytes().get(digits), Some(b':' | b'h')) {
        return none;
    }
    let mut parts = [0_u8; 3];
    let (mut rest, mut count) = (text, 0);
    while count < 3 {
        let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
        let Some(value) =
            rest.get(..digits).filter(|_| digits == 2 || digits == 1 && count == 0).and_then(|text| text.parse().ok())
        else {
            break;
        };
        (parts[count], count) = (value, count + 1);
        rest = &rest[digits..];
        match rest.as_bytes() {
            [b':' | b'h', next, ..] if next.is_ascii_digit() && count < 3 => rest = &rest[1..],
            _ => break,
        }
    }
    let trimmed = rest.trim_start();
    let half = ["a.m.", "am", "p.m.", "pm"].into_iter().find(|half| trimmed.to_lowercase().starts_with(half));
    if let Some(half) = half {
        parts[0] = parts[0] % 12 + if half.starts_with('p') { 12 } else { 0 };
        rest = &trimmed[half.len()..];
    }
    let is_time = count >= 2 && parts[0] < 24 && parts[1] < 60 && parts[2] < 60;
    // What follows a time at once is no time: "12:40" of a ratio with a unit behind it.
    let ends = rest.chars().next().is_none_or(|sign| !sign.is_alphanumeric());
    if !is_time || !ends {
        return none;
    }
    let [hour, minute, second] = parts;
    let rest =
        rest.trim_start_matches(|sign: char| sign.is_whitespace() || matches!(sign, ':' | ',' | ';' | '-' | '\u{2013}' | '.'));
    (Some(ClockTime { hour, minute, second }), rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_only_looks_like_a_time_is_none() {
        for text in ["12:40W", "25:10 flat", "18.4 V", "3:1 mixed", "100:20 x"] {
            assert_eq!(leading_time(text).0, None, "{text}");
        }
        assert_eq!(leading_time("10:15").1, "");
    }
}
