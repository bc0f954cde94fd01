//! The gear of a bench: what each piece can stand, and how well it sees.
//!
//! Every kind has one table of fields. A form, the store and the check all follow from it: a new figure of a piece of gear is
//! a line in its table and a member of its struct.

pub mod battery;
pub mod cable;
pub mod controller;
pub mod meter;
pub mod parts;

use crate::form::{FieldNote, FieldNotes};
use crate::named::named;
use battery::Battery;
use controller::{Controller, Station};
use meter::Meter;
use parts::{Combiner, Fuse, Lead};
use std::collections::BTreeMap;

/// What a piece of gear is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum GearKind {
    Meter,
    Controller,
    Battery,
    Station,
    Lead,
    Combiner,
    Fuse,
}

named!(GearKind {
    Meter = "meter", "meter";
    Controller = "controller", "charge controller";
    Battery = "battery", "battery";
    Station = "station", "power station";
    Lead = "lead", "lead";
    Combiner = "joint", "connector or branch";
    Fuse = "fuse", "fuse";
});

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

/// A piece of gear after it was checked.
#[derive(Debug, Clone, PartialEq)]
pub enum Gear {
    Meter(Meter),
    Controller(Controller),
    Battery(Battery),
    Station(Station),
    Lead(Lead),
    Combiner(Combiner),
    Fuse(Fuse),
}

impl GearKind {
    /// The fields of this kind, in the order of its form.
    pub fn fields(self) -> &'static [Field] {
        match self {
            GearKind::Meter => meter::FIELDS,
            GearKind::Controller => controller::FIELDS,
            GearKind::Battery => battery::FIELDS,
            GearKind::Station => controller::STATION_FIELDS,
            GearKind::Lead => parts::LEAD_FIELDS,
            GearKind::Combiner => parts::JOINT_FIELDS,
            GearKind::Fuse => parts::FUSE_FIELDS,
        }
    }

    /// Checks a piece as typed. Every wrong field is named.
    pub fn check(self, typed: &Typed) -> Result<Gear, Vec<FieldNote>> {
        let mut read = Reader { fields: self.fields(), typed, notes: FieldNotes::default() };
        let gear = match self {
            GearKind::Meter => Gear::Meter(Meter::read(&mut read)),
            GearKind::Controller => Gear::Controller(Controller::read(&mut read)),
            GearKind::Battery => Gear::Battery(Battery::read(&mut read)),
            GearKind::Station => Gear::Station(Station::read(&mut read)),
            GearKind::Lead => Gear::Lead(Lead::read(&mut read)),
            GearKind::Combiner => Gear::Combiner(Combiner::read(&mut read)),
            GearKind::Fuse => Gear::Fuse(Fuse::read(&mut read)),
        };
        read.notes.give(gear)
    }
}

/// Reads the fields of one kind by their names.
pub(crate) struct Reader<'a> {
    fields: &'static [Field],
    typed: &'a Typed,
    pub(crate) notes: FieldNotes,
}

impl Reader<'_> {
    fn field(&self, name: &str) -> &'static Field {
        self.fields.iter().find(|field| field.name == name).expect("a piece reads only fields of its own table")
    }

    pub(crate) fn text(&self, name: &str) -> &str {
        self.typed.get(name).map_or("", |text| text.trim())
    }

    /// A number that may be unknown.
    pub(crate) fn optional(&mut self, name: &'static str) -> Option<f64> {
        let (low, high) = match self.field(name).input {
            Input::Needed { low, high } | Input::Optional { low, high } | Input::Usual { low, high, .. } => (low, high),
            Input::Choice(_) | Input::Text { .. } => return None,
        };
        let typed = self.typed.get(name).map_or("", String::as_str);
        self.notes.number(name, typed, low, high)
    }

    /// A number that is needed or has a usual one. 0 stands in for a missing one, which is noted.
    pub(crate) fn number(&mut self, name: &'static str) -> f64 {
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
    pub(crate) fn choice(&mut self, name: &'static str) -> &'static str {
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

    pub(crate) fn is_yes(&mut self, name: &'static str) -> bool {
        self.choice(name) == "yes"
    }
}

pub(crate) const YES_NO: Input = Input::Choice(&[("yes", "yes"), ("no", "no")]);

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn typed(fields: &[(&str, &str)]) -> Typed {
        fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect()
    }

    #[test]
    fn what_is_needed_is_asked_for_by_name() {
        let missing: Vec<_> = GearKind::Station.check(&typed(&[])).unwrap_err().into_iter().map(|note| note.field).collect();
        assert_eq!(missing, ["max_input_v", "max_input_w"]);
        // What only a check needs is asked for there.
        assert!(GearKind::Controller.check(&typed(&[])).is_ok() && GearKind::Battery.check(&typed(&[])).is_ok());
        let wrong = GearKind::Meter.check(&typed(&[("max_v", "sixty"), ("kind", "lamp")])).unwrap_err();
        assert_eq!(wrong.iter().map(|note| note.field).collect::<Vec<_>>(), ["kind", "max_v"]);
        assert!(wrong[1].text.contains("\"sixty\" is not a number"));
    }

    #[test]
    fn every_field_of_every_kind_has_a_name_of_its_own() {
        for kind in GearKind::ALL {
            let mut names: Vec<_> = kind.fields().iter().map(|field| field.name).collect();
            names.sort_unstable();
            names.dedup();
            assert_eq!(names.len(), kind.fields().len(), "{}", kind.name());
        }
    }

    proptest! {
        #[test]
        fn no_typed_piece_makes_it_panic(texts in proptest::collection::vec("[-+0-9.,a-zA-Z /]{0,8}", 24)) {
            for kind in GearKind::ALL {
                let typed: Typed = kind.fields().iter().zip(&texts).map(|(field, text)| (field.name.to_owned(), text.clone())).collect();
                let _ = kind.check(&typed);
            }
        }
    }
}
