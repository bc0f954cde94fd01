//! What tests refer to, and a test with everything about it.

use crate::rows::gear::GearRow;
use crate::rows::panel::Panel;
use crate::rows::place::PlaceRow;
use crate::rows::reading::Line;
use crate::rows::rig::RigRow;
use crate::rows::test::Test;
use flindo_core::record::test::TestRecord;

/// What tests of a bench refer to, loaded once for as many tests as are looked at.
#[derive(Debug, Clone)]
pub struct Register {
    pub panels: Vec<Panel>,
    pub gear: Vec<GearRow>,
    pub rigs: Vec<RigRow>,
    pub places: Vec<PlaceRow>,
    /// The one in use.
    pub place_id: Option<i64>,
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
    pub record: TestRecord,
}
