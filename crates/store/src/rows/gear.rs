//! A piece of gear.

use flindo_core::gear::{Gear, GearKind, Typed};

/// A piece of gear to be written; its fields have passed [`GearKind::check`].
#[derive(Debug, Clone, PartialEq)]
pub struct GearDraft {
    pub kind: GearKind,
    pub name: String,
    pub notes: String,
    pub typed: Typed,
}

/// A piece of gear of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct GearRow {
    pub id: i64,
    pub uid: String,
    pub draft: GearDraft,
    pub gear: Gear,
}
