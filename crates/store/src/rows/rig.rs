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

impl RigDraft {
    /// Every piece of gear in it.
    pub fn gear_ids(&self) -> Vec<i64> {
        let parts = [self.string_fuse_id, self.joint_id, self.lead_id, self.sink_id, self.battery_id];
        parts.into_iter().flatten().chain(self.meters.iter().map(|(_, id)| *id)).collect()
    }
}

/// A rig of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct RigRow {
    pub id: i64,
    pub uid: String,
    pub draft: RigDraft,
}
