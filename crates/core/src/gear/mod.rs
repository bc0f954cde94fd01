//! The gear of a bench: what each piece can stand, and how well it sees.
//!
//! Every kind has one table of fields. A form, the store and the check all follow from it: a new figure of a piece of gear is
//! a line in its table and a member of its struct.

pub mod battery;
pub mod cable;
pub mod controller;
mod field;
pub mod meter;
pub mod parts;

use crate::form::FieldNote;
use crate::named::named;
use battery::Battery;
use controller::{Controller, Station};
use field::Reader;
pub use field::{Field, Input, Typed};
use meter::Meter;
use parts::{Combiner, Fuse, Lead};

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
        let mut read = Reader::new(self.fields(), typed);
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
