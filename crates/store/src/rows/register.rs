//! What tests refer to, and a test with everything about it.

use crate::rows::gear::GearRow;
use crate::rows::panel::Panel;
use crate::rows::place::PlaceRow;
use crate::rows::reading::Line;
use crate::rows::rig::RigRow;
use crate::rows::test::Test;
use flindo_core::record::language::work::Turn;
use flindo_core::record::open::{Answered, State};
use flindo_core::record::test::TestRecord;
use jiff::Timestamp;
use std::collections::HashSet;

/// What tests of a bench refer to, loaded once for as many tests as are looked at.
#[derive(Debug, Clone)]
pub struct Register {
    /// All, since tests of a withdrawn panel are still read; [`Register::listed`] are those that lists show.
    pub panels: Vec<Panel>,
    pub withdrawn_panels: HashSet<i64>,
    pub gear: Vec<GearRow>,
    pub rigs: Vec<RigRow>,
    pub places: Vec<PlaceRow>,
    /// The one in use.
    pub place_id: Option<i64>,
}

impl Register {
    /// The panels that are not withdrawn.
    pub fn listed(&self) -> impl Iterator<Item = &Panel> {
        self.panels.iter().filter(|panel| !self.withdrawn_panels.contains(&panel.id))
    }
}

/// One test with everything about it.
#[derive(Debug, Clone)]
pub struct Recorded {
    pub test: Test,
    /// The panel it is of.
    pub panel: Panel,
    pub place: Option<PlaceRow>,
    /// All readings by the time they were taken, withdrawn ones too.
    pub lines: Vec<Line>,
    /// Of an open test: that of its main answer.
    pub record: TestRecord,
    pub open: Option<OpenTest>,
}

/// What an open test holds besides its main answer.
#[derive(Debug, Clone)]
pub struct OpenTest {
    /// As it was entered: runs by their states, without a plan.
    pub entered: TestRecord,
    pub states: Vec<State>,
    /// The questions that it answers, the main one first.
    pub answers: Vec<Answered>,
    /// Panels that are being read one after the other, and since when.
    pub turn: Option<(Timestamp, Turn)>,
}
