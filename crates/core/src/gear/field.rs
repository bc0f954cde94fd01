//! One field of a piece of gear, and how it is read.

use crate::form::FieldNotes;
use std::collections::BTreeMap;

/// One field of a kind of gear.
#[derive(Debug, Clone, Copy)]
pub struct Field {
    pub name: &'static str,
    pub label: &'static str,
    pub unit: &'static str,
    pub input: Input,
}

/// What a field takes.
#[derive(Debug, Clone, Copy)]
pub enum Input {
    /// A number that has to be there.
    Needed { low: f64, high: f64 },
    /// A number that may be unknown.
    Optional { low: f64, high: f64 },
    /// A number with one that is taken where the field is empty.
    Usual { low: f64, high: f64, usual: f64 },
    /// One of a few: (name, what a person reads). The first is taken where the field is empty.
    Choice(&'static [(&'static str, &'static str)]),
    /// Free text, read by the piece itself.
    Text { hint: &'static str },
}

/// The fields as typed, by name.
pub type Typed = BTreeMap<String, String>;

/// Reads the fields of one kind by their names.
pub(crate) struct Reader<'a> {
    fields: &'static [Field],
    typed: &'a Typed,
    pub notes: FieldNotes,
}

impl<'a> Reader<'a> {
    pub fn new(fields: &'static [Field], typed: &'a Typed) -> Self {
        Reader { fields, typed, notes: FieldNotes::default() }
    }

    fn field(&self, name: &str) -> &'static Field {
        self.fields.iter().find(|field| field.name == name).expect("a piece reads only fields of its own table")
    }

    pub fn text(&self, name: &str) -> &str {
        self.typed.get(name).map_or("", |text| text.trim())
    }

    /// A number that may be unknown.
    pub fn optional(&mut self, name: &'static str) -> Option<f64> {
        let (low, high) = match self.field(name).input {
            Input::Needed { low, high } | Input::Optional { low, high } | Input::Usual { low, high, .. } => (low, high),
            Input::Choice(_) | Input::Text { .. } => return None,
        };
        let typed = self.typed.get(name).map_or("", String::as_str);
        self.notes.number(name, typed, low, high)
    }

    /// A number that is needed or has a usual one. 0 stands in for a missing one, which is noted.
    pub fn number(&mut self, name: &'static str) -> f64 {
        let read = self.optional(name);
        match (read, self.field(name).input) {
            (Some(number), _) => number,
            (None, Input::Usual { usual, .. }) => usual,
            (None, _) => {
                if self.text(name).is_empty() {
                    self.notes.add(name, "This is needed.".to_owned());
                }
                0.0
            }
        }
    }

    /// The name of the choice made, or of the first.
    pub fn choice(&mut self, name: &'static str) -> &'static str {
        let Input::Choice(choices) = self.field(name).input else { return "" };
        let typed = self.text(name).to_owned();
        if typed.is_empty() {
            return choices[0].0;
        }
        match choices.iter().find(|(choice, _)| *choice == typed) {
            Some((choice, _)) => choice,
            None => {
                self.notes.add(name, format!("\"{typed}\" is not one of the choices."));
                choices[0].0
            }
        }
    }

    pub fn is_yes(&mut self, name: &'static str) -> bool {
        self.choice(name) == "yes"
    }
}

pub(super) const YES_NO: Input = Input::Choice(&[("yes", "yes"), ("no", "no")]);
