//! Forms as typed, for the pages that show them again with what is wrong beside each field.

use std::collections::HashMap;

/// What a browser sends for a form.
pub type Pairs = Vec<(String, String)>;

/// The value of a field; empty where it was not sent.
pub fn value<'a>(pairs: &'a Pairs, name: &str) -> &'a str {
    pairs.iter().find(|(key, _)| key == name).map_or("", |(_, value)| value)
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

    /// The heaviest weight beside a field, as a class.
    pub fn class(&self, field: &str) -> &'static str {
        let notes = self.of(field);
        ["refused", "doubt"].into_iter().find(|weight| notes.iter().any(|(of, _)| of == weight)).unwrap_or("")
    }
}
