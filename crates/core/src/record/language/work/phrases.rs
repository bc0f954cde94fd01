//! What is told of a line before its clauses are read: whole lines, corrections, units, asides, and where one clause ends.

use super::at::{At, Understood, WorkEvent};
use crate::decimal::Decimal;
use crate::measure::quantity::Quantity;
use crate::record::language::words;

/// Lines that are one word or phrase.
pub(super) fn whole_line(lower: &str, at: &At<'_>) -> Option<Understood> {
    const PHRASES: [(WorkEvent, &[&str]); 4] = [
        (WorkEvent::Cloud, &["cloud", "a cloud", "clouds", "cloud now", "cloud passing", "passing cloud"]),
        (WorkEvent::Begin, &["begin", "go", "start", "plugged in, go", "plugged in"]),
        (WorkEvent::End, &["end", "done", "stop", "unplugged", "finished"]),
        (WorkEvent::RepeatValue, &["same", "ditto", "same again", "the same", "unchanged"]),
    ];
    let text = lower.trim_end_matches('.');
    let event = match PHRASES.iter().find(|(_, phrases)| phrases.contains(&text)) {
        Some((event, _)) => *event,
        None if takes_back(text) => WorkEvent::Undo,
        None => return None,
    };
    Some(Understood { event: Some(event), state: at.current.clone(), ..Understood::default() })
}

/// "Undo", "scratch that", "ignore that last one", "delete the last reading".
fn takes_back(text: &str) -> bool {
    const VERBS: [&str; 12] =
        ["undo", "scratch", "forget", "delete", "ignore", "scrap", "strike", "drop", "cancel", "remove", "discard", "disregard"];
    const WHAT: [&str; 14] =
        ["that", "last", "the", "one", "reading", "line", "it", "this", "value", "figure", "previous", "again", "out", "please"];
    let said = words(text);
    let Some((verb, what)) = said.split_first() else { return false };
    // "Remove that" and "drop it" may be said of what lies on the panel.
    let names = |list: &[&str]| what.iter().any(|word| list.contains(&word.as_str()));
    let is_of_a_line = match verb.as_str() {
        "remove" | "drop" => names(&["last", "reading", "line", "value", "figure"]),
        "delete" | "scrap" | "discard" => names(&["that", "last", "reading", "line", "value", "figure"]),
        _ => true,
    };
    VERBS.contains(&verb.as_str()) && is_of_a_line && what.iter().all(|word| WHAT.contains(&word.as_str()))
        || ["take that back", "that was wrong", "that one was wrong", "last one was wrong", "strike that out"].contains(&text)
}

/// What follows words that put a state right: "should have been tilt 30", "that was flat". A line that begins with "no" may be a shade.
pub(super) fn state_correction(lower: &str) -> Option<&str> {
    const BEFORE: [&str; 16] = [
        "correction: ",
        "correction ",
        "sorry, that was ",
        "sorry, it was ",
        "oops, that was ",
        "oops, it was ",
        "that was ",
        "it was really ",
        "that was really ",
        "it was still ",
        "that was still ",
        "should have been ",
        "that should have been ",
        "it should have been ",
        "i meant ",
        "i mean ",
    ];
    BEFORE.iter().find_map(|word| lower.strip_prefix(word))
}

/// What follows a word of correction.
pub(super) fn correction<'a>(lower: &'a str, at: &At<'_>) -> Option<&'a str> {
    let lower = ["oops, ", "oops ", "wait, ", "wait ", "hm, ", "no wait, "]
        .iter()
        .find_map(|word| lower.strip_prefix(word))
        .unwrap_or(lower);
    const BEFORE: [&str; 33] = [
        "typo, ",
        "typo: ",
        "misread, ",
        "misread: ",
        "last one was wrong, ",
        "that was wrong, ",
        "wrong, ",
        "no, ",
        "no ",
        "i mean ",
        "i meant ",
        "meant ",
        "sorry ",
        "sorry, ",
        "rather ",
        "correction ",
        "correction: ",
        "actually ",
        "make that ",
        "make it ",
        "should be ",
        "should have been ",
        "should read ",
        "that should be ",
        "that should have been ",
        "that should read ",
        "that was ",
        "that is ",
        "it was ",
        "last one was ",
        "the last one was ",
        "last was ",
        "last one should be ",
    ];
    let is_figure = |rest: &&str| rest.starts_with(|sign: char| sign.is_ascii_digit() || sign == '.');
    let before = BEFORE.iter().filter_map(|word| lower.strip_prefix(word)).find(is_figure);
    let after = || lower.strip_suffix(" sorry").or_else(|| lower.strip_suffix(", sorry")).filter(is_figure);
    match before.or_else(after) {
        // "Last one was 71, not 61": what was wrong is not read as well.
        Some(counts) => Some(instead(counts, at).unwrap_or(counts)),
        None => was_another(lower, at).or_else(|| instead(lower, at).filter(is_figure)),
    }
}

/// "The 161 was 151", "161 should be 151", after 161: what stands behind is what counts.
fn was_another<'a>(lower: &'a str, at: &At<'_>) -> Option<&'a str> {
    const BETWEEN: [&str; 6] = [" was really ", " was ", " is really ", " should have been ", " should be ", " should read "];
    let rest = lower.strip_prefix("the ").unwrap_or(lower);
    let (wrong, counts) = BETWEEN.iter().find_map(|between| rest.split_once(between))?;
    is_of_the_last(wrong, at).then_some(counts).filter(|counts| counts.starts_with(|sign: char| sign.is_ascii_digit()))
}

/// "152 W, not 125" after 125 W: what stands before is what counts.
fn instead<'a>(lower: &'a str, at: &At<'_>) -> Option<&'a str> {
    let (counts, wrong) = lower.split_once(", not ").or_else(|| lower.split_once(" not "))?;
    is_of_the_last(wrong, at).then_some(counts)
}

/// Whether a figure stands in the last reading; of one of several quantities, in any of them.
fn is_of_the_last(figure: &str, at: &At<'_>) -> bool {
    let Some(Ok(figure)) = figure.split_whitespace().next().map(Decimal::parse) else { return false };
    let figure = figure.value();
    let is_of_it = |quantity: Quantity| at.last.is_none_or(|last| last == quantity);
    let mut seen = at.latest.iter().filter(|(quantity, _)| is_of_it(*quantity));
    seen.any(|(_, seen)| seen.low == figure || seen.high == figure)
}

/// A text at its commas, colons, semicolons and full stops; those between two digits belong to a figure.
pub(super) fn clauses(text: &str) -> Vec<&str> {
    let signs: Vec<(usize, char)> = text.char_indices().collect();
    let mut clauses = Vec::new();
    let mut from = 0;
    for (nth, (at, sign)) in signs.iter().enumerate() {
        let digit = |other: Option<&(usize, char)>| other.is_some_and(|(_, sign)| sign.is_ascii_digit());
        let before = nth.checked_sub(1).and_then(|nth| signs.get(nth));
        let after = signs.get(nth + 1);
        let parts = match sign {
            ',' | '.' | ':' => {
                !(digit(before) && digit(after))
                    && !(*sign == '.'
                        && (digit(after) || after.is_some_and(|one| one.1 == '.') || before.is_some_and(|one| one.1 == '.')))
            }
            ';' | '(' | ')' => true,
            // A dash between words or before one; between figures it makes a range.
            '-' | '\u{2013}' => {
                let is_space = |one: Option<&(usize, char)>| one.is_some_and(|one| one.1 == ' ');
                is_space(before) && is_space(after) && signs.get(nth + 2).is_some_and(|one| one.1.is_alphabetic())
            }
            _ => false,
        };
        if parts {
            clauses.push(&text[from..*at]);
            from = at + sign.len_utf8();
        }
    }
    clauses.push(&text[from..]);
    clauses.into_iter().map(str::trim).filter(|clause| !clause.is_empty()).collect()
}

/// "dial on amps", "volts now", "in watts from here": of what bare figures are from here on. A multimeter that was on volts reads Isc.
pub(super) fn unit_said(lower: &str, at: &At<'_>) -> Option<Quantity> {
    const BESIDE: [&str; 20] = [
        "dial",
        "meter",
        "multimeter",
        "switched",
        "switch",
        "set",
        "on",
        "to",
        "now",
        "in",
        "from",
        "here",
        "the",
        "all",
        "figures",
        "are",
        "is",
        "next",
        "reading",
        "only",
    ];
    let said = words(lower);
    let mut units = said.iter().filter(|word| !BESIDE.contains(&word.as_str()));
    let (unit, None) = (units.next()?, units.next()) else { return None };
    let is_said = said.len() > 1;
    let meaning = at.meaning(at.current);
    let quantity = match unit.as_str() {
        "amps" | "ampere" | "amperes" => meaning.amps,
        "volts" => meaning.volts,
        "watts" => Quantity::Power,
        "wh" | "watt-hours" => Quantity::Energy,
        _ => return None,
    };
    is_said.then_some(quantity)
}

/// A line without what stands in brackets at its end and has no figure in it: an aside, whatever it speaks of.
pub(super) fn without_an_aside(text: &str) -> (&str, Option<&str>) {
    let aside = text.strip_suffix(')').and_then(|inner| inner.rsplit_once('('));
    match aside {
        Some((before, aside)) if !before.trim().is_empty() && !aside.chars().any(|sign| sign.is_ascii_digit()) => {
            (before.trim(), Some(aside.trim()))
        }
        Some(_) | None => (text, None),
    }
}

/// "Six cells, a quarter of each one" is one shade: "a quarter of six cells".
pub(super) fn of_each(clauses: Vec<&str>) -> Vec<String> {
    let mut joined: Vec<String> = Vec::new();
    for clause in clauses {
        let lower = clause.to_lowercase();
        let part = ["of each one", "of each cell", "of each"].iter().find_map(|end| lower.strip_suffix(end));
        match (part, joined.last_mut()) {
            (Some(part), Some(before)) if before.to_lowercase().contains("cells") => *before = format!("{}of {before}", part),
            (Some(_) | None, _) => joined.push(clause.to_owned()),
        }
    }
    joined
}

/// "S-1, S-2 and N-1 in parallel": one list of panels.
pub(super) fn panels_joined(clauses: Vec<String>, at: &At<'_>) -> Vec<String> {
    let is_panel = |clause: &str| {
        let said: Vec<&str> = clause.split_whitespace().collect();
        at.names.panel_at(&said).is_some_and(|(_, count)| count == said.len())
    };
    let goes_on = |clause: &str| {
        let said: Vec<&str> = clause.split_whitespace().collect();
        at.names.panel_at(&said).is_some()
            && said.iter().any(|word| ["and", "+", "&", "series", "parallel", "together"].contains(word))
    };
    let mut joined: Vec<String> = Vec::new();
    for clause in clauses.into_iter().rev() {
        match joined.last_mut() {
            Some(next) if is_panel(&clause) && goes_on(next) => *next = format!("{clause} + {next}"),
            Some(_) | None => joined.push(clause),
        }
    }
    joined.reverse();
    joined
}

/// A line without the number of its reading: "2) 170 W", "reading 3: 171 W", "avg of 3: 170 W".
pub(super) fn without_its_number(text: &str) -> &str {
    let number = |rest: &str| rest.len() - rest.trim_start_matches(|sign: char| sign.is_ascii_digit()).len();
    let lower = text.to_lowercase();
    if let Some(rest) = lower.strip_prefix("reading ") {
        let end = "reading ".len() + number(rest);
        if number(rest) > 0 && text[end..].starts_with(':') {
            return text[end + 1..].trim_start();
        }
    }
    for of in ["avg of ", "average of ", "mean of "] {
        if let Some(rest) = lower.strip_prefix(of) {
            let end = of.len() + number(rest);
            if number(rest) > 0 && text[end..].starts_with(':') {
                return text[end + 1..].trim_start();
            }
        }
    }
    // "One more: 160.2", "third time 160.3".
    const ONCE_MORE: [&str; 11] = [
        "one more",
        "another one",
        "another",
        "once more",
        "repeat",
        "repeated",
        "second time",
        "third time",
        "second reading",
        "third reading",
        "next reading",
    ];
    if let Some(rest) = ONCE_MORE.iter().find_map(|said| Some(lower.strip_prefix(said)?.trim_start_matches([':', ',', ' '])))
        && rest.starts_with(|sign: char| sign.is_ascii_digit())
        && rest.len() < lower.len()
        && lower.len() == text.len()
    {
        return &text[text.len() - rest.len()..];
    }
    let end = number(text);
    if (1..=2).contains(&end) && text[end..].starts_with(") ") { text[end + 2..].trim_start() } else { text }
}

/// Words that a state can begin or end with and that carry nothing of it.
pub(super) const FILLERS: [&str; 24] = [
    "now", "then", "again", "only", "just", "and", "the", "is", "are", "it", "both", "all", "on", "onto", "plugged", "set", "to",
    "at", "in", "with", "as", "well", "too", "once",
];
