//! Where the meter sits, in words: "string 2", "top string", "all strings", "at the battery".

use super::{number, words};
use crate::record::condition::MeasuredAt;

/// Words that go with a place and say nothing more.
const BESIDE: [&str; 15] =
    ["the", "a", "at", "in", "of", "on", "lead", "alone", "only", "measured", "clamp", "amps", "side", "terminals", "one"];

const STRING: &str = "string";

/// Words for all strings at once.
const TOGETHER: [&str; 11] = [
    "together",
    "all strings",
    "all of them",
    "main lead",
    "main",
    "combined",
    "whole array",
    "all main lead",
    "all strings together",
    "both strings",
    "all together",
];

/// Places in a rack, by which strings are told that lie one above the other or one behind the other.
const FIRST: [&str; 4] = ["top", "upper", "front", "first"];
const MIDDLE: [&str; 3] = ["middle", "centre", "center"];
const LAST: [&str; 5] = ["bottom", "lower", "back", "rear", "last"];

/// Reads a place. `strings`: how many the array has, where it is known; without, "the last" and "the middle string" are nobody's number.
pub fn read(text: &str, strings: Option<usize>) -> Option<MeasuredAt> {
    let said = words(text);
    // "The one string" says nothing of which; "string one" does.
    let is_number = |nth: usize| nth > 0 && said[nth] == "one" && said[nth - 1] == STRING;
    let own: Vec<&str> = said
        .iter()
        .enumerate()
        .filter(|(nth, word)| !BESIDE.contains(&word.as_str()) || is_number(*nth))
        .map(|(_, word)| word.as_str())
        .collect();
    let joined = own.join(" ");
    if TOGETHER.contains(&joined.as_str()) || said.join(" ") == TOGETHER[0] {
        return Some(MeasuredAt::Together);
    }
    match &own[..] {
        ["controller"] => return Some(MeasuredAt::Controller),
        ["battery"] => return Some(MeasuredAt::Battery),
        // "All three": of an array that has so many.
        ["all" | "both", count @ ..] if !count.is_empty() => {
            let count: Vec<&str> = count.iter().copied().filter(|word| !["strings", "main"].contains(word)).collect();
            let all = number::whole_amount(&count).filter(|count| strings.is_some_and(|strings| *count == strings as f64));
            return all.map(|_| MeasuredAt::Together);
        }
        _ => {}
    }
    let which: Vec<&str> = own.iter().copied().filter(|word| *word != STRING).collect();
    let ([which], true) = (&which[..], own.contains(&STRING)) else { return None };
    nth(which, strings).map(MeasuredAt::String)
}

/// "2", "second", "top", "middle", "last": which of so many.
pub fn nth(which: &str, strings: Option<usize>) -> Option<usize> {
    let by_place = || match (which, strings) {
        (which, _) if FIRST.contains(&which) => Some(1),
        (which, Some(strings)) if MIDDLE.contains(&which) && strings % 2 == 1 => Some(strings.div_ceil(2)),
        (which, Some(strings)) if LAST.contains(&which) => Some(strings),
        (_, _) => None,
    };
    let in_words = || number::whole_amount(&[which]).filter(|count| count.fract() == 0.0).map(|count| count as usize);
    let by_number = || number::read_ordinal(which).or_else(|| which.parse().ok()).or_else(in_words);
    by_number().or_else(by_place).filter(|nth| *nth > 0 && strings.is_none_or(|strings| *nth <= strings))
}

/// A place in words that [`read`] reads as the same.
pub fn write(place: MeasuredAt) -> String {
    match place {
        MeasuredAt::Together => "all strings".to_owned(),
        MeasuredAt::String(nth) => format!("{STRING} {nth}"),
        MeasuredAt::Controller => "the controller".to_owned(),
        MeasuredAt::Battery => "the battery".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_is_read_as_it_is_said() {
        let of = |text: &str| read(text, Some(3));
        for (text, place) in [
            ("string 2", MeasuredAt::String(2)),
            ("the second string", MeasuredAt::String(2)),
            ("top string", MeasuredAt::String(1)),
            ("middle string", MeasuredAt::String(2)),
            ("back string", MeasuredAt::String(3)),
            ("all three on the main lead", MeasuredAt::Together),
            ("all strings", MeasuredAt::Together),
            ("together", MeasuredAt::Together),
            ("at the battery terminals", MeasuredAt::Battery),
        ] {
            assert_eq!(of(text), Some(place), "{text}");
        }
        for text in ["string 4", "string 0", "all four on the main lead", "string", "towel on string 2", "middle"] {
            assert_eq!(of(text), None, "{text}");
        }
        // Of an array of unknown size nobody's number, and of an even one no middle.
        assert_eq!((read("last string", None), read("middle string", Some(4))), (None, None));
        assert_eq!(read("last string", Some(4)), Some(MeasuredAt::String(4)));
    }

    #[test]
    fn a_place_is_written_as_it_is_read() {
        for place in
            [MeasuredAt::Together, MeasuredAt::String(1), MeasuredAt::String(12), MeasuredAt::Controller, MeasuredAt::Battery]
        {
            assert_eq!(read(&write(place), None), Some(place));
        }
    }
}
