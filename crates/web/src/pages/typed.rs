//! Forms as typed, for the pages that show them again with what is wrong beside each field.

use flindo_core::decimal::Decimal;
use std::collections::HashMap;

/// What a browser sends for a form.
pub type Pairs = Vec<(String, String)>;

/// The value of a field; empty where it was not sent.
pub fn value<'a>(pairs: &'a Pairs, name: &str) -> &'a str {
    pairs.iter().find(|(key, _)| key == name).map_or("", |(_, value)| value)
}

/// A number of a field, within `low..=high`; `None` for an empty field, and with a note for a wrong one.
pub fn number(pairs: &Pairs, field: &'static str, (low, high): (f64, f64), notes: &mut Notes) -> Option<f64> {
    let text = value(pairs, field).trim();
    if text.is_empty() {
        return None;
    }
    match Decimal::parse(text).map(Decimal::value) {
        Ok(number) if (low..=high).contains(&number) => return Some(number),
        Ok(_) => notes.add(field, "refused", format!("{text} is outside {low} to {high}.")),
        Err(error) => notes.add(field, "refused", format!("{error}.")),
    }
    None
}

/// The same of a field that must not be empty.
pub fn needed_number(pairs: &Pairs, field: &'static str, range: (f64, f64), notes: &mut Notes) -> Option<f64> {
    if value(pairs, field).trim().is_empty() {
        notes.add(field, "refused", "This is needed.".to_owned());
    }
    number(pairs, field, range, notes)
}

/// Notes by field: (weight, sentence).
#[derive(Debug, Default)]
pub struct Notes(HashMap<&'static str, Vec<(&'static str, String)>>);

impl Notes {
    pub fn add(&mut self, field: &'static str, weight: &'static str, text: String) {
        self.0.entry(field).or_default().push((weight, text));
    }

    pub fn of(&self, field: &str) -> &[(&'static str, String)] {
        self.0.get(field).map_or(&[], Vec::as_slice)
    }

    pub fn has(&self, weight: &str) -> bool {
        self.0.values().flatten().any(|(of, _)| *of == weight)
    }

    /// The first field that was refused, by its name, with its sentence.
    pub fn first_refused(&self) -> Option<(&'static str, String)> {
        let mut refused: Vec<(&'static str, &String)> = self
            .0
            .iter()
            .filter_map(|(field, notes)| notes.iter().find(|(weight, _)| *weight == "refused").map(|(_, text)| (*field, text)))
            .collect();
        refused.sort_unstable();
        refused.first().map(|(field, text)| (*field, (*text).clone()))
    }

    /// The heaviest weight beside a field, as a class.
    pub fn class(&self, field: &str) -> &'static str {
        let notes = self.of(field);
        ["refused", "doubt"].into_iter().find(|weight| notes.iter().any(|(of, _)| of == weight)).unwrap_or("")
    }
}
