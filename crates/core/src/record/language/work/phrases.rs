//! What is told of a line before its clauses are read: whole lines, corrections, units, asides, and where one clause ends.

use super::at::{At, Understood, WorkEvent};
use crate::decimal::Decimal;
use crate::measure::quantity::Quantity;
use crate::record::language::words;

/// Lines that are one word or phrase.
pub(super) fn whole_line(lower: &str, at: &At<'_>) -> Option<Understood> {
    const PHRASES: [(WorkEvent, &[&str]); 5] = [
        (WorkEvent::Cloud, &["cloud", "a cloud", "clouds", "cloud now", "cloud passing", "passing cloud"]),
        (WorkEvent::Begin, &["begin", "go", "start", "plugged in, go", "plugged in"]),
        (WorkEvent::End, &["end", "done", "stop", "unplugged", "finished"]),
        (WorkEvent::Undo, &["undo", "scratch that", "forget that", "delete that"]),
        (WorkEvent::RepeatValue, &["same", "ditto", "same again", "the same", "unchanged"]),
    ];
    let (event, _) = PHRASES.iter().find(|(_, phrases)| phrases.contains(&lower.trim_end_matches('.')))?;
    Some(Understood { event: Some(*event), state: at.current.clone(), ..Understood::default() })
}

/// What follows a word of correction.
pub(super) fn correction<'a>(lower: &'a str, at: &At<'_>) -> Option<&'a str> {
    const BEFORE: [&str; 7] = ["no, ", "no ", "i mean ", "sorry ", "sorry, ", "rather ", "correction "];
    let before = BEFORE.iter().find_map(|word| lower.strip_prefix(word));
    let after = || lower.strip_suffix(" sorry").or_else(|| lower.strip_suffix(", sorry"));
    before
        .or_else(after)
        .or_else(|| instead(lower, at))
        .filter(|rest| rest.starts_with(|sign: char| sign.is_ascii_digit() || sign == '.'))
}

/// "152 W, not 125" after 125 W: what stands before is what counts.
fn instead<'a>(lower: &'a str, at: &At<'_>) -> Option<&'a str> {
    let (counts, wrong) = lower.split_once(", not ")?;
    let wrong = Decimal::parse(wrong.split_whitespace().next()?).ok()?.value();
    // Of a reading of several quantities, any of them.
    let is_of_it = |quantity: Quantity| at.last.is_none_or(|last| last == quantity);
    let mut seen = at.latest.iter().filter(|(quantity, _)| is_of_it(*quantity));
    seen.any(|(_, seen)| seen.low == wrong || seen.high == wrong).then_some(counts)
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

/// Words that a state can begin or end with and that carry nothing of it.
pub(super) const FILLERS: [&str; 24] = [
    "now", "then", "again", "only", "just", "and", "the", "is", "are", "it", "both", "all", "on", "onto", "plugged", "set", "to",
    "at", "in", "with", "as", "well", "too", "once",
];
