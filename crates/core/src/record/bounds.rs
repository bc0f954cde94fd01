//! What a record may hold, at whatever door it comes in: times, notes, figures.

use crate::measure::quantity::{Quantity, Seen};

/// Longest note, reason or prediction, in characters.
pub const MOST_NOTE_CHARS: usize = 2000;

/// First second of 1970 and of 2101, UTC. Before it no instrument of this kind was read, and beyond it the sun's delta T is a guess.
const FIRST_S: i64 = 0;
const END_S: i64 = 4_133_980_800;

/// A display whose step is more than this share of all that can be read shows nothing. Flindo's own limit.
const MOST_STEP_REL: f64 = 0.1;

/// Why something is no part of a record: the field, and a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{sentence}")]
pub struct Refused {
    pub field: &'static str,
    pub sentence: String,
}

/// A moment of 1970 to 2100.
///
/// # Errors
/// Outside of these years; the sentence is about `field`.
pub fn check_time(field: &'static str, unix_s: i64) -> Result<(), Refused> {
    if (FIRST_S..END_S).contains(&unix_s) {
        return Ok(());
    }
    Err(Refused { field, sentence: "This time is outside the years 1970 to 2100.".to_owned() })
}

/// Whether a civil day of this year can be asked about: 1970 to 2100.
pub fn is_known_year(year: i16) -> bool {
    (1970..=2100).contains(&year)
}

/// A note of up to [`MOST_NOTE_CHARS`].
///
/// # Errors
/// A longer one; the sentence is about `field`.
pub fn check_note(field: &'static str, text: &str) -> Result<(), Refused> {
    let chars = text.chars().count();
    if chars <= MOST_NOTE_CHARS {
        return Ok(());
    }
    Err(Refused { field, sentence: format!("This has {chars} characters, and {MOST_NOTE_CHARS} fit.") })
}

/// A figure that can be read off a panel: within what its quantity allows, low before high, with a step that a display can have.
///
/// # Errors
/// Anything else; the sentence is about the quantity.
pub fn check_seen(quantity: Quantity, seen: &Seen) -> Result<(), Refused> {
    let (low, high) = quantity.allowed().into_inner();
    let refused = |sentence| Err(Refused { field: quantity.name(), sentence });
    if !(seen.low >= low && seen.high <= high && seen.low <= seen.high) {
        let unit = quantity.unit();
        return refused(format!("{} to {} {unit} is outside {low} to {high} {unit}.", seen.low, seen.high));
    }
    let most_step = MOST_STEP_REL * (high - low);
    if !(0.0..=most_step).contains(&seen.step) {
        return refused(format!("A step of {} is outside 0 to {most_step} {}.", seen.step, quantity.unit()));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::quantity::ValueKind;

    #[test]
    fn both_sides_of_every_bound() {
        // 1970-01-01T00:00:00Z is 0 by definition (POSIX); 2100-12-31T23:59:59Z by jiff.
        let last = "2100-12-31T23:59:59Z".parse::<jiff::Timestamp>().unwrap().as_second();
        for (unix_s, is_sound) in [(0, true), (-1, false), (last, true), (last + 1, false)] {
            assert_eq!(check_time("taken_utc", unix_s).is_ok(), is_sound, "{unix_s}");
        }
        assert!(check_note("note", &"\u{e9}".repeat(2000)).is_ok() && check_note("note", &"a".repeat(2001)).is_err());
        let seen = |low, high, step| Seen { low, high, step, how: ValueKind::Shown };
        for (figure, is_sound) in [
            (seen(0.0, 1500.0, 150.0), true),
            (seen(0.0, 1500.1, 0.0), false),
            (seen(-0.1, 10.0, 0.0), false),
            (seen(10.0, 9.0, 0.0), false),
            (seen(10.0, 10.0, 150.1), false),
            (seen(10.0, 10.0, -0.1), false),
            (seen(f64::NAN, 10.0, 0.1), false),
            (seen(10.0, 10.0, f64::NAN), false),
        ] {
            assert_eq!(check_seen(Quantity::Voltage, &figure).is_ok(), is_sound, "{figure:?}");
        }
    }
}
