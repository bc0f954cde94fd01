//! Numbers in words: how many cells, rows, panels; which of them.

/// Counting words. With "a" and "an" for one, which stand before a noun.
const COUNTS: [(&str, f64); 32] = [
    ("zero", 0.0),
    ("a", 1.0),
    ("an", 1.0),
    ("one", 1.0),
    ("two", 2.0),
    ("three", 3.0),
    ("four", 4.0),
    ("five", 5.0),
    ("six", 6.0),
    ("seven", 7.0),
    ("eight", 8.0),
    ("nine", 9.0),
    ("ten", 10.0),
    ("eleven", 11.0),
    ("twelve", 12.0),
    ("dozen", 12.0),
    ("thirteen", 13.0),
    ("fourteen", 14.0),
    ("fifteen", 15.0),
    ("sixteen", 16.0),
    ("seventeen", 17.0),
    ("eighteen", 18.0),
    ("nineteen", 19.0),
    ("twenty", 20.0),
    ("thirty", 30.0),
    ("forty", 40.0),
    ("fifty", 50.0),
    ("sixty", 60.0),
    ("seventy", 70.0),
    ("eighty", 80.0),
    ("ninety", 90.0),
    ("hundred", 100.0),
];

/// Parts of one: the word, its plural, its value.
const PARTS: [(&str, &str, f64); 7] = [
    ("half", "halves", 0.5),
    ("third", "thirds", 1.0 / 3.0),
    ("quarter", "quarters", 0.25),
    ("fifth", "fifths", 0.2),
    ("sixth", "sixths", 1.0 / 6.0),
    ("eighth", "eighths", 0.125),
    ("tenth", "tenths", 0.1),
];

/// Which of several, from 1.
const ORDINALS: [&str; 20] = [
    "first",
    "second",
    "third",
    "fourth",
    "fifth",
    "sixth",
    "seventh",
    "eighth",
    "ninth",
    "tenth",
    "eleventh",
    "twelfth",
    "thirteenth",
    "fourteenth",
    "fifteenth",
    "sixteenth",
    "seventeenth",
    "eighteenth",
    "nineteenth",
    "twentieth",
];

/// "two" and "2", "2.5" and "2,5"; never below zero, never infinite.
pub fn read(word: &str) -> Option<f64> {
    let named = COUNTS.iter().find(|(name, _)| *name == word).map(|(_, value)| *value);
    let digits = || {
        let begins = word.starts_with(|c: char| c.is_ascii_digit() || c == '.');
        begins.then(|| word.replace(',', ".").parse::<f64>().ok()).flatten().filter(|value| value.is_finite())
    };
    named.or_else(digits)
}

/// A whole number up to 99 in words, as [`amount`] reads it: "twenty-one".
pub fn write(number: u32) -> Option<String> {
    let word = |value: u32| {
        COUNTS.iter().filter(|(name, _)| !["a", "an", "dozen"].contains(name)).find(|(_, of)| *of == f64::from(value))
    };
    match number {
        0..=20 => word(number).map(|(name, _)| (*name).to_owned()),
        21..=99 if number.is_multiple_of(10) => word(number).map(|(name, _)| (*name).to_owned()),
        21..=99 => Some(format!("{}-{}", word(number / 10 * 10)?.0, word(number % 10)?.0)),
        _ => None,
    }
}

/// "second" is 2, and so is "2nd".
pub fn read_ordinal(word: &str) -> Option<usize> {
    let named = ORDINALS.iter().position(|name| *name == word).map(|place| place + 1);
    let digits = || {
        let head = ["st", "nd", "rd", "th"].into_iter().find_map(|end| word.strip_suffix(end))?;
        head.parse().ok().filter(|number| (1..=500).contains(number))
    };
    named.or_else(digits)
}

/// 2 is "second"; beyond those that have a word of their own "21st".
pub fn write_ordinal(number: usize) -> String {
    match number.checked_sub(1).and_then(|place| ORDINALS.get(place)) {
        Some(word) => (*word).to_owned(),
        None => {
            let end = match (number % 100, number % 10) {
                (11..=13, _) => "th",
                (_, 1) => "st",
                (_, 2) => "nd",
                (_, 3) => "rd",
                _ => "th",
            };
            format!("{number}{end}")
        }
    }
}

/// "half" is a half, "thirds" a third.
pub fn read_part(word: &str) -> Option<f64> {
    PARTS.iter().find(|(one, many, _)| *one == word || *many == word).map(|(_, _, value)| *value)
}

/// Words with a hyphen between two number words, parted; any other word as it is.
pub(super) fn parted(word: &str) -> Vec<String> {
    match word.split_once('-') {
        Some((left, right)) if is_tens(left) && read(right).is_some_and(|value| (1.0..10.0).contains(&value)) => {
            vec![left.to_owned(), right.to_owned()]
        }
        Some((left, right)) if read(left).is_some() && read_part(right).is_some() => vec![left.to_owned(), right.to_owned()],
        Some(_) | None => vec![word.to_owned()],
    }
}

fn is_tens(word: &str) -> bool {
    COUNTS.iter().any(|(name, value)| *name == word && *value >= 20.0 && *value < 100.0)
}

/// An amount at the end of some words, with how many of them it takes: "two", "twenty one", "two and a half", "half a", "a quarter of 6",
/// "two thirds of a".
pub fn amount_before(words: &[&str]) -> Option<(f64, usize)> {
    // The longest that reads as one amount to its end.
    (1..=words.len().min(6)).rev().find_map(|count| whole_amount(&words[words.len() - count..]).map(|value| (value, count)))
}

/// All of the words as one amount.
pub fn whole_amount(words: &[&str]) -> Option<f64> {
    match words {
        [] => None,
        [one] => read(one).or_else(|| read_part(one)),
        [tens, ones] if is_tens(tens) => {
            read(ones).filter(|ones| (1.0..10.0).contains(ones)).and_then(|ones| Some(read(tens)? + ones))
        }
        ["a", "dozen"] => read("dozen"),
        [number, "and", rest @ ..] => {
            let part = part_of_one(rest)?;
            read(number).filter(|number| *number >= 1.0).map(|number| number + part)
        }
        _ => part_of(words),
    }
}

/// "a half", "two thirds", "half": a part of one.
fn part_of_one(words: &[&str]) -> Option<f64> {
    match words {
        [part] => read_part(part),
        [times, part] => Some(read(times)? * read_part(part)?).filter(|part| *part <= 1.0),
        _ => None,
    }
}

/// "half a", "half of one", "a quarter of 6", "two thirds of a", "three quarters of the": of how many, where one is said.
fn part_of(words: &[&str]) -> Option<f64> {
    let end = words.iter().position(|word| read_part(word).is_some())?;
    let part = part_of_one(&words[..=end])?;
    let rest: Vec<&str> = words[end + 1..].iter().copied().filter(|word| *word != "of" && *word != "the").collect();
    match &rest[..] {
        [] => Some(part),
        of => whole_amount(of).filter(|of| *of >= 1.0).map(|of| part * of),
    }
}

/// Whether a word says a number, a part or a place in an order.
pub(super) fn is_word(word: &str) -> bool {
    read(word).is_some() || read_part(word).is_some() || read_ordinal(word).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn amount(text: &str) -> Option<f64> {
        let words = super::super::words(text);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        whole_amount(&words)
    }

    #[test]
    fn amounts_are_read_as_they_are_said() {
        for (text, value) in [
            ("two", 2.0),
            ("twenty", 20.0),
            ("twenty-one", 21.0),
            ("a dozen", 12.0),
            ("12,5", 12.5),
            ("half", 0.5),
            ("half a", 0.5),
            ("a half", 0.5),
            ("two and a half", 2.5),
            ("one and three quarters", 1.75),
            ("a quarter of 6", 1.5),
            ("a quarter of six", 1.5),
            ("two thirds of a", 2.0 / 3.0),
            ("three quarters of the", 0.75),
            ("half of twenty two", 11.0),
        ] {
            assert!(amount(text).is_some_and(|found| (found - value).abs() < 1e-12), "{text}: {:?}", amount(text));
        }
        for text in ["umpteen", "two two", "half and", "of", "five halves of two", "-2", "inf", "nan", "1e400"] {
            assert_eq!(amount(text), None, "{text}");
        }
        assert_eq!(
            (read_ordinal("third"), read_ordinal("22nd"), read_ordinal("th"), read_ordinal("0th")),
            (Some(3), Some(22), None, None)
        );
    }

    #[test]
    fn an_amount_takes_the_words_that_are_its_own() {
        assert_eq!(amount_before(&["along", "the", "bottom", "two"]), Some((2.0, 1)));
        assert_eq!(amount_before(&["strip", "two", "and", "a", "half"]), Some((2.5, 4)));
        assert_eq!(amount_before(&["cover", "a", "quarter", "of", "6"]), Some((1.5, 4)));
        assert_eq!(amount_before(&["bottom", "row", "of"]), None);
    }

    proptest! {
        #[test]
        fn a_number_in_words_is_read_as_that_number(number in 0..100_u32) {
            let words = write(number).unwrap();
            prop_assert_eq!(amount(&words), Some(f64::from(number)), "{}", words);
        }

        #[test]
        fn a_place_in_words_is_read_as_that_place(number in 1..500_usize) {
            prop_assert_eq!(read_ordinal(&write_ordinal(number)), Some(number));
        }
    }
}
