//! On which panels of an array a shade lies, in words.

use super::{number, shade};
use crate::record::names::{Id, Names};
use crate::record::shading::On;

/// Words for panels and for strings: one, several.
const PANEL: [&str; 4] = ["panel", "panels", "module", "modules"];
const STRING: [&str; 2] = ["string", "strings"];

/// Words for all of them alike; the first is written.
const EACH: [&str; 4] = ["each", "both", "every", "all"];

/// Words before a place.
const BEFORE: [&str; 5] = ["on", "of", "over", "at", "across"];

/// More panels than these are in no array here.
const MOST: usize = 500;

/// Covered or left free.
pub(super) const COVERED: &str = "covered";
pub(super) const UNCOVERED: &str = "uncovered";

fn is_panel(word: &str) -> bool {
    PANEL.contains(&word)
}

/// The panels that some words name, and the words that are left.
pub fn read<'a>(words: &[&'a str], names: &Names) -> (On, Vec<&'a str>) {
    tagged(words, names)
        .or_else(|| each(words))
        .or_else(|| numbered(words))
        .or_else(|| counted(words))
        .or_else(|| of_one(words))
        .unwrap_or_else(|| (On::Unsaid, words.to_vec()))
}

/// In words that [`read`] understands as the same; empty where nobody said.
pub fn write(on: &On, names: &Names) -> String {
    let numbers = |numbers: &[usize]| joined(numbers.iter().map(usize::to_string));
    match on {
        On::Unsaid => String::new(),
        On::Each => format!("on {} panel", EACH[0]),
        On::Numbers(list) => format!("on {} {}", if list.len() == 1 { PANEL[0] } else { PANEL[1] }, numbers(list)),
        On::Panels(ids) => format!("on {}", joined(ids.iter().map(|id| names.tag(id).unwrap_or(id).to_owned()))),
        On::Strings(list) => format!("on {} {}", if list.len() == 1 { STRING[0] } else { STRING[1] }, numbers(list)),
        On::CoveredStrings(panels) => format!("{panels} {COVERED}"),
        On::Uncovered(panels) => format!("{panels} {UNCOVERED}"),
    }
}

/// "1", "1 and 3", "1 2 and 3": a comma between figures would be a decimal mark.
fn joined(parts: impl Iterator<Item = String>) -> String {
    let parts: Vec<String> = parts.collect();
    match parts.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, before)) => format!("{} and {last}", before.join(" ")),
        None => String::new(),
    }
}

/// The words without those from one place to another, and without the "on" before them.
fn cut<'a>(words: &[&'a str], from: usize, to: usize) -> Vec<&'a str> {
    let from = if from > 0 && BEFORE.contains(&words[from - 1]) { from - 1 } else { from };
    words[..from].iter().chain(&words[to..]).copied().collect()
}

/// "On S-2", "on S-1 and S-2": tags of the bench, also those of several words.
fn tagged<'a>(words: &[&'a str], names: &Names) -> Option<(On, Vec<&'a str>)> {
    let mut found: Vec<(usize, usize, Id)> = Vec::new();
    let mut at = 0;
    while at < words.len() {
        match names.panel_at(&words[at..]) {
            Some((id, count)) => {
                found.push((at, at + count, id));
                at += count;
            }
            None => at += 1,
        }
    }
    let (from, to) = (found.first()?.0, found.last()?.1);
    Some((On::Panels(found.into_iter().map(|(_, _, id)| id).collect()), cut(words, from, to)))
}

/// "On each panel alike", "both panels", "all panels".
fn each<'a>(words: &[&'a str]) -> Option<(On, Vec<&'a str>)> {
    let at = words.iter().position(|word| EACH.contains(word))?;
    let mut end = at + 1;
    while words.get(end).is_some_and(|word| is_panel(word) || ["of", "the", "alike"].contains(word)) {
        end += 1;
    }
    let names_panels = words[at..end].iter().any(|word| is_panel(word)) || words[at] == "both" || words[at] == "each";
    names_panels.then(|| (On::Each, cut(words, at, end)))
}

/// "Panels 2 and 3", "string 1", "second panel".
fn numbered<'a>(words: &[&'a str]) -> Option<(On, Vec<&'a str>)> {
    for (at, word) in words.iter().enumerate() {
        let is_string = STRING.contains(word);
        if !is_string && !is_panel(word) {
            continue;
        }
        let on = |numbers| if is_string { On::Strings(numbers) } else { On::Numbers(numbers) };
        let number = |word: &&str| {
            word.parse::<usize>().ok().or_else(|| number_in_words(word)).filter(|number| (1..=MOST).contains(number))
        };
        let mut end = at + 1;
        let mut numbers = Vec::new();
        while let Some(next) = words.get(end) {
            // "On panel 2 20 % through": the second figure is no panel.
            let is_of_a_size = words.get(end + 1).is_some_and(|unit| shade::is_unit(unit));
            match number(next).filter(|_| !is_of_a_size) {
                Some(number) => numbers.push(number),
                None if *next == "and" && words.get(end + 1).and_then(number).is_some() => {}
                None => break,
            }
            end += 1;
        }
        if !numbers.is_empty() {
            return Some((on(numbers), cut(words, at, end)));
        }
        if let Some(number) = at.checked_sub(1).and_then(|before| number::read_ordinal(words[before])) {
            return Some((on(vec![number]), cut(words, at - 1, at + 1)));
        }
    }
    None
}

/// "Two" of "panel two"; "a" is none.
fn number_in_words(word: &str) -> Option<usize> {
    let value = number::read(word).filter(|value| value.fract() == 0.0 && word != "a" && word != "an")?;
    Some(value as usize)
}

/// "One and a half uncovered", "two panels covered".
fn counted<'a>(words: &[&'a str]) -> Option<(On, Vec<&'a str>)> {
    let at = words.iter().position(|word| [COVERED, UNCOVERED].contains(word))?;
    let before: Vec<&str> = words[..at].iter().copied().filter(|word| !is_panel(word)).collect();
    let panels = match &before[..] {
        ["half", "of", "one"] => Some(0.5),
        before => number::whole_amount(before),
    }?;
    let on = if words[at] == COVERED { On::CoveredStrings(panels) } else { On::Uncovered(panels) };
    Some((on, words[at + 1..].to_vec()))
}

/// "Half of one", "half of one panel".
fn of_one<'a>(words: &[&'a str]) -> Option<(On, Vec<&'a str>)> {
    let at = words.windows(2).position(|pair| pair == ["of", "one"])?;
    let end = if words.get(at + 2).is_some_and(|word| is_panel(word)) { at + 3 } else { at + 2 };
    // "Half of one cell" is a size.
    let is_panel_or_end = end == at + 3 || words.get(end).is_none() || words[end] == COVERED;
    is_panel_or_end.then(|| (On::Numbers(vec![1]), words[..at].iter().chain(&words[end..]).copied().collect()))
}

/// Whether a word says where.
pub(super) fn is_known(word: &str) -> bool {
    is_panel(word)
        || STRING.contains(&word)
        || EACH.contains(&word)
        || BEFORE.contains(&word)
        || [COVERED, UNCOVERED, "alike"].contains(&word)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn names() -> Names {
        let of = |tag: &str| (format!("id of {tag}"), tag.to_owned());
        Names { panels: ["S-1", "S-2", "old roof 3"].map(of).to_vec(), ..Names::default() }
    }

    fn on(text: &str) -> On {
        let words = super::super::words(text);
        read(&words.iter().map(String::as_str).collect::<Vec<_>>(), &names()).0
    }

    #[test]
    fn a_shade_lies_where_it_is_said() {
        let ids = |tags: &[&str]| On::Panels(tags.iter().map(|tag| format!("id of {tag}")).collect());
        for (text, wanted) in [
            ("band across 20 %", On::Unsaid),
            ("towel across the middle of both panels", On::Each),
            ("strip along the bottom 10 % on each panel alike", On::Each),
            ("panels 2 and 3 covered", On::Numbers(vec![2, 3])),
            ("panel 2 20 % through", On::Numbers(vec![2])),
            ("panels 1 and 3 2 cells", On::Numbers(vec![1, 3])),
            ("panels 1 2 and 12", On::Numbers(vec![1, 2, 12])),
            ("panel two", On::Numbers(vec![2])),
            ("one cell on panel 2", On::Numbers(vec![2])),
            ("eleventh panel covered", On::Numbers(vec![11])),
            ("half of one", On::Numbers(vec![1])),
            ("half of one cell", On::Unsaid),
            ("bottom row on S-2", ids(&["S-2"])),
            ("bottom row on old roof 3 and S-1", ids(&["old roof 3", "S-1"])),
            ("first string covered", On::Strings(vec![1])),
            ("strings 1 and 3 covered", On::Strings(vec![1, 3])),
            ("one panel covered", On::CoveredStrings(1.0)),
            ("twenty panels covered", On::CoveredStrings(20.0)),
            ("one and a half uncovered", On::Uncovered(1.5)),
        ] {
            assert_eq!(on(text), wanted, "{text}");
        }
    }

    fn places() -> impl Strategy<Value = On> {
        let numbers = || prop::collection::btree_set(1..100_usize, 1..4).prop_map(|set| set.into_iter().collect::<Vec<_>>());
        let tags = prop::collection::btree_set(0..3_usize, 1..4)
            .prop_map(|set| set.into_iter().map(|nth| names().panels[nth].0.clone()).collect());
        prop_oneof![
            Just(On::Unsaid),
            Just(On::Each),
            numbers().prop_map(On::Numbers),
            numbers().prop_map(On::Strings),
            tags.prop_map(On::Panels),
            (1..60_u32).prop_map(|halves| On::CoveredStrings(f64::from(halves) / 2.0)),
            (1..60_u32).prop_map(|halves| On::Uncovered(f64::from(halves) / 2.0)),
        ]
    }

    proptest! {
        #[test]
        fn a_place_in_words_is_read_as_that_place(place in places()) {
            prop_assert_eq!(on(&write(&place, &names())), place);
        }
    }
}
