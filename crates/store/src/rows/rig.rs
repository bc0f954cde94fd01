//! A rig: panels and gear wired together.

use flindo_core::rig::{MeterPosition, RigLoad};

/// A rig to be written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RigDraft {
    pub name: String,
    /// "S-1 + S-2 | 2 x M-1".
    pub wiring: String,
    pub string_fuse_id: Option<i64>,
    pub joint_id: Option<i64>,
    pub lead_id: Option<i64>,
    /// A controller or a power station.
    pub sink_id: Option<i64>,
    pub battery_id: Option<i64>,
    /// What it ends in where that is neither; `None`: not said.
    pub ends_in: Option<RigLoad>,
    /// One meter a spot.
    pub meters: Vec<(MeterPosition, i64)>,
}

/// A rig of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct RigRow {
    pub id: i64,
    pub uid: String,
    pub draft: RigDraft,
}
