//! Forms as typed, for the pages that show them again with what is wrong beside each field.

use flindo_core::decimal::Decimal;
use sha2::{Digest, Sha256};
use std::borrow::Cow;
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

/// The field of a form that says which state of the record it was filled from.
pub const VERSION: &str = "version";

/// Names the state of a record by its fields.
pub fn version(fields: &Pairs) -> String {
    let mut hash = Sha256::new();
    for (name, text) in fields.iter().filter(|(name, _)| name != VERSION) {
        // Neither can hold the other's end.
        hash.update(name.len().to_le_bytes());
        hash.update(name);
        hash.update(text.len().to_le_bytes());
        hash.update(text);
    }
    hash.finalize().iter().take(8).fold(String::new(), |text, byte| format!("{text}{byte:02x}"))
}

/// A form filled from a record.
pub fn versioned(mut fields: Pairs) -> Pairs {
    let version = version(&fields);
    fields.push((VERSION.to_owned(), version));
    fields
}

/// Holds a form that was sent against the record as it is now. Where somebody else changed it since the form was filled, each field that
/// differs gets a note with the other's text, the form one with all of them, and the form is brought to the state of now: sent again, it
/// is meant. Programs send no version and are not asked.
pub fn note_changes(current: &Pairs, typed: &mut Pairs, notes: &mut Notes) {
    let now = version(current);
    let sent = value(typed, VERSION);
    if sent.is_empty() || sent == now {
        return;
    }
    let mut changed = Vec::new();
    for (field, theirs) in current {
        if value(typed, field).trim() != theirs.trim() {
            let theirs = if theirs.trim().is_empty() { "empty".to_owned() } else { format!("\u{201c}{theirs}\u{201d}") };
            notes.add(field.clone(), "refused", format!("There this is {theirs}."));
            changed.push(format!("{} {theirs}", field.replace('_', " ")));
        }
    }
    if !changed.is_empty() {
        let changed = changed.join("; ");
        let sentence = format!("Somebody changed this record meanwhile: {changed}. Save again to keep what stands here.");
        notes.add(VERSION, "refused", sentence);
    }
    typed.retain(|(name, _)| name != VERSION);
    typed.push((VERSION.to_owned(), now));
}

/// Notes by field: (weight, sentence).
#[derive(Debug, Default)]
pub struct Notes(HashMap<Cow<'static, str>, Vec<(&'static str, String)>>);

impl Notes {
    pub fn add(&mut self, field: impl Into<Cow<'static, str>>, weight: &'static str, text: String) {
        self.0.entry(field.into()).or_default().push((weight, text));
    }

    pub fn of(&self, field: &str) -> &[(&'static str, String)] {
        self.0.get(field).map_or(&[], Vec::as_slice)
    }

    pub fn has(&self, weight: &str) -> bool {
        self.0.values().flatten().any(|(of, _)| *of == weight)
    }

    /// The first field that was refused, by its name, with its sentence.
    pub fn first_refused(&self) -> Option<(String, String)> {
        let mut refused: Vec<(&str, &String)> = self
            .0
            .iter()
            .filter_map(|(field, notes)| {
                notes.iter().find(|(weight, _)| *weight == "refused").map(|(_, text)| (field.as_ref(), text))
            })
            .collect();
        refused.sort_unstable();
        refused.first().map(|(field, text)| ((*field).to_owned(), (*text).clone()))
    }

    /// The heaviest weight beside a field, as a class.
    pub fn class(&self, field: &str) -> &'static str {
        let notes = self.of(field);
        ["refused", "doubt"].into_iter().find(|weight| notes.iter().any(|(of, _)| of == weight)).unwrap_or("")
    }
}
