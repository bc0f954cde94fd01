//! The wiring of panels as one line: `S-1 + S-2 | 2 x M-1`.
//!
//! `+` puts panels in series, `|` puts strings in parallel, and a number with an x repeats a panel.

/// More panels than this in one rig are a power station of another kind.
const MOST_PANELS: usize = 120;

/// Reads the line into strings of tags. The error is a sentence.
pub fn parse(text: &str) -> Result<Vec<Vec<String>>, String> {
    let text = text.trim();
    if text.is_empty() {
        return Err("Name the panels: S-1 + S-2 in series, S-1 | S-2 in parallel.".to_owned());
    }
    let mut strings = Vec::new();
    let mut count = 0;
    for string in text.split('|') {
        let mut tags = Vec::new();
        for item in string.split('+') {
            let (times, tag) = repeated(item.trim());
            if tag.is_empty() {
                return Err("There is a + or | with no panel beside it.".to_owned());
            }
            count += times;
            if times == 0 || count > MOST_PANELS {
                return Err(format!("\"{}\": a rig has 1 to {MOST_PANELS} panels.", item.trim()));
            }
            tags.extend(std::iter::repeat_n(tag.to_owned(), times));
        }
        strings.push(tags);
    }
    Ok(strings)
}

/// The line after a panel has another tag; `None` where it does not name it. Everything else stays as it was typed.
pub fn renamed(line: &str, from: &str, to: &str) -> Option<String> {
    let names_it = |item: &str| repeated(item.trim()).1.eq_ignore_ascii_case(from);
    if !line.split(['+', '|']).any(names_it) {
        return None;
    }
    let item = |item: &str| {
        if !names_it(item) {
            return item.to_owned();
        }
        let tag = repeated(item.trim()).1;
        let begins = item.rfind(tag).unwrap_or_default();
        format!("{}{to}{}", &item[..begins], &item[begins + tag.len()..])
    };
    let string = |string: &str| string.split('+').map(item).collect::<Vec<_>>().join("+");
    Some(line.split('|').map(string).collect::<Vec<_>>().join("|"))
}

/// "3 x S-1" as (3, "S-1").
fn repeated(item: &str) -> (usize, &str) {
    let digits = item.find(|c: char| !c.is_ascii_digit()).unwrap_or(item.len());
    let (number, rest) = item.split_at(digits);
    let after = rest.trim_start();
    match (number.parse(), after.strip_prefix(['x', 'X', '\u{d7}'])) {
        (Ok(times), Some(tag)) if tag.starts_with(char::is_whitespace) => (times, tag.trim()),
        _ => (1, item),
    }
}

/// As a person says it: "2 in series, 3 in parallel".
pub fn words(strings: &[usize]) -> String {
    match strings {
        [] => "no panel".to_owned(),
        [1] => "one panel".to_owned(),
        [series] => format!("{series} in series"),
        many if many.iter().all(|series| *series == 1) => format!("{} in parallel", many.len()),
        many if many.iter().all(|series| series == &many[0]) => format!("{} in series, {} in parallel", many[0], many.len()),
        many => {
            let lengths: Vec<String> = many.iter().map(usize::to_string).collect();
            format!("strings of {} in parallel", lengths.join(" and "))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_panel_with_another_tag_hangs_where_it_hung() {
        let new = |line| renamed(line, "S-1", "Z-9");
        assert_eq!(new("S-1 + S-2 | 2 x M-1").as_deref(), Some("Z-9 + S-2 | 2 x M-1"));
        assert_eq!(new("S-10|3x s-1 +S-1").as_deref(), Some("S-10|3x Z-9 +Z-9"));
        assert_eq!(new(" x S-1"), None, "that is a tag of its own");
        for line in ["S-10 | S-11", "", "S-1.5 + AS-1"] {
            assert_eq!(new(line), None, "{line}");
        }
    }

    #[test]
    fn series_parallel_and_repeats_are_read() {
        let tags = |strings: &[&[&str]]| {
            strings.iter().map(|string| string.iter().map(|tag| (*tag).to_owned()).collect()).collect::<Vec<Vec<String>>>()
        };
        assert_eq!(parse("S-1"), Ok(tags(&[&["S-1"]])));
        assert_eq!(parse("S-1 + S-2 | 2 x M-1"), Ok(tags(&[&["S-1", "S-2"], &["M-1", "M-1"]])));
        assert_eq!(parse("3x U-1"), Ok(tags(&[&["U-1", "U-1", "U-1"]])));
        assert_eq!(parse("3xenon"), Ok(tags(&[&["3xenon"]])));
    }

    #[test]
    fn what_is_missing_is_said() {
        assert!(parse("").unwrap_err().contains("Name the panels"));
        assert!(parse("S-1 +").unwrap_err().contains("no panel beside"));
        assert!(parse("0 x S-1").unwrap_err().contains("1 to 120"));
        assert!(parse("999999999 x S-1").is_err());
    }

    #[test]
    fn a_wiring_is_told_in_words() {
        assert_eq!(words(&[1]), "one panel");
        assert_eq!(words(&[3]), "3 in series");
        assert_eq!(words(&[1, 1]), "2 in parallel");
        assert_eq!(words(&[2, 2, 2]), "2 in series, 3 in parallel");
        assert_eq!(words(&[2, 1]), "strings of 2 and 1 in parallel");
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic(text in "[-0-9xX+| a-zA-Z\u{d7}\u{e4}]{0,40}") {
            let _ = parse(&text);
        }
    }
}
