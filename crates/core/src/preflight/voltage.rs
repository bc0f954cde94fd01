//! Volts on the coldest morning against everything that has to stand them.

use super::item::{Item, Level, Missing, Risk, over};
use crate::rig::expect::{array, at};
use crate::rig::{MeterPosition, Rig, Sink};

/// From this share of a limit on it is a caution: a colder morning, or a label's tolerance, uses it up. Flindo's own margin.
const NEAR: f64 = 0.9;

pub(super) fn look(rig: &Rig) -> Vec<Item> {
    let mut items = Vec::new();
    for placed in rig.meters.iter().filter(|placed| placed.meter.kind.bears_volts()) {
        let Some(there) = at(rig, placed.spot) else { continue };
        let item = |level, risk| Item::new(level, &placed.name, Some(placed.spot), risk);
        items.push(match placed.meter.max_v {
            Some(limit_v) => item(
                over(there.cold_voc_v, limit_v * NEAR, limit_v),
                Risk::MeterVolts { cold_v: there.cold_voc_v, voc_v: there.voc_v, limit_v },
            ),
            None => item(Level::Caution, Risk::MeterVoltsUnknown { cold_v: there.cold_voc_v }),
        });
    }
    let Some(array) = array(rig) else { return items };
    let cold_v = array.cold_voc_v;
    let mut part = |name: &str, limit_v: Option<f64>, spot, risk: fn(f64, f64) -> Risk| {
        if let Some(limit_v) = limit_v {
            items.push(Item::new(over(cold_v, limit_v * NEAR, limit_v), name, Some(spot), risk(cold_v, limit_v)));
        }
    };
    if let Some(joint) = &rig.joint {
        part(&joint.name, joint.part.max_v, MeterPosition::Array, |cold_v, limit_v| Risk::JointVolts { cold_v, limit_v });
    }
    if let Some(fuse) = &rig.string_fuse {
        part(&fuse.name, fuse.part.max_v, MeterPosition::String, |cold_v, limit_v| Risk::FuseVolts { cold_v, limit_v });
    }
    let input = match &rig.sink {
        Sink::Open | Sink::Load(_) => None,
        Sink::Controller { name, controller, .. } => Some((name, controller.max_input_v)),
        Sink::Station { name, station } => Some((name, Some(station.max_input_v))),
    };
    match input {
        Some((name, Some(limit_v))) => {
            let risk = Risk::InputVolts { cold_v, voc_v: array.voc_v, limit_v };
            items.push(Item::new(over(cold_v, limit_v * NEAR, limit_v), name, Some(MeterPosition::Array), risk));
        }
        Some((name, None)) => {
            let risk = Risk::Unknown { missing: Missing::InputVoltage { cold_v } };
            items.push(Item::new(Level::Caution, name, Some(MeterPosition::Array), risk));
        }
        None => {}
    }
    items
}
