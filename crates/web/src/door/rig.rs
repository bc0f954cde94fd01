//! A rig out of a form, and back.

use crate::door::typed::{Pairs, value};
use flindo_core::gear::Gear;
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_store::{GearRow, RigDraft};

pub fn draft_of(typed: &Pairs, gear: &[GearRow]) -> RigDraft {
    let id = |field: &str| value(typed, field).parse::<i64>().ok();
    let meter = |spot: &MeterPosition| {
        let id = id(&format!("meter_{}", spot.name()))?;
        gear.iter().any(|row| row.id == id && matches!(row.gear, Gear::Meter(_))).then_some((*spot, id))
    };
    RigDraft {
        name: value(typed, "name").trim().to_owned(),
        wiring: value(typed, "wiring").trim().to_owned(),
        string_fuse_id: id("string_fuse_id"),
        joint_id: id("joint_id"),
        lead_id: id("lead_id"),
        sink_id: id("sink_id"),
        battery_id: id("battery_id"),
        ends_in: RigLoad::from_name(value(typed, "ends_in")),
        meters: MeterPosition::ALL.iter().filter_map(meter).collect(),
    }
}

pub fn typed_of(draft: &RigDraft) -> Pairs {
    let id = |id: Option<i64>| id.map(|id| id.to_string()).unwrap_or_default();
    let mut typed: Pairs = [
        ("name", draft.name.clone()),
        ("wiring", draft.wiring.clone()),
        ("string_fuse_id", id(draft.string_fuse_id)),
        ("joint_id", id(draft.joint_id)),
        ("lead_id", id(draft.lead_id)),
        ("sink_id", id(draft.sink_id)),
        ("battery_id", id(draft.battery_id)),
        ("ends_in", draft.ends_in.map(RigLoad::name).unwrap_or_default().to_owned()),
    ]
    .map(|(name, text)| (name.to_owned(), text))
    .into();
    typed.extend(draft.meters.iter().map(|(spot, id)| (format!("meter_{}", spot.name()), id.to_string())));
    typed
}
