//! Amps in bright light against everything they run through.

use super::item::{Item, Level, Risk, over};
use crate::rig::expect::{BRIGHT_LIGHT_FACTOR, CONTINUOUS_FACTOR, array, at};
use crate::rig::{MeterPosition, Rig};

/// Volts lost in the lead above this share are worth a thicker one. Common practice, no source: 3 %.
const DROP_PERCENT: f64 = 3.0;

/// Copper in the sun, C. Common practice, no source.
const HOT_COPPER_C: f64 = 60.0;

/// Up to this many strings no one of them can be driven backwards by more than another's own current (NEC 2020, 690.9(A),
/// exception; from memory).
const STRINGS_WITHOUT_FUSE: usize = 2;

pub(super) fn look(rig: &Rig) -> Vec<Item> {
    let mut items = meters(rig);
    let (Some(array), Some(string)) = (array(rig), at(rig, MeterPosition::String)) else { return items };
    let strings = rig.strings.len();
    if let Some(joint) = &rig.joint {
        let isc_a = if joint.part.is_branch { array.isc_a } else { string.isc_a };
        let (planned_a, limit_a) = (isc_a * BRIGHT_LIGHT_FACTOR, joint.part.max_a);
        // At the limit exactly is a caution as well: nothing is left for bright light.
        let level = if isc_a > limit_a { Level::Stop } else { over(planned_a, limit_a, f64::INFINITY) };
        items.push(Item::new(
            level,
            &joint.name,
            Some(MeterPosition::Array),
            Risk::JointAmps { isc_a, planned_a, limit_a, strings },
        ));
    }
    match &rig.string_fuse {
        Some(fuse) => {
            let (needed_a, rated_a) = (string.isc_a * BRIGHT_LIGHT_FACTOR * CONTINUOUS_FACTOR, fuse.part.rated_a);
            let level = over(needed_a, rated_a, f64::INFINITY);
            items.push(Item::new(level, &fuse.name, Some(MeterPosition::String), Risk::FuseSmall { needed_a, rated_a }));
        }
        None if strings > STRINGS_WITHOUT_FUSE => {
            let reverse_a = (array.isc_a - string.isc_a) * BRIGHT_LIGHT_FACTOR;
            items.push(Item::new(Level::Stop, "strings", Some(MeterPosition::String), Risk::NoStringFuse { strings, reverse_a }));
        }
        None => {}
    }
    if let Some(lead) = &rig.lead {
        let (needed_a, limit_a) = (array.isc_a * BRIGHT_LIGHT_FACTOR * CONTINUOUS_FACTOR, lead.part.max_a);
        let level =
            if array.isc_a * BRIGHT_LIGHT_FACTOR > limit_a { Level::Stop } else { over(needed_a, limit_a, f64::INFINITY) };
        items.push(Item::new(level, &lead.name, Some(MeterPosition::Array), Risk::LeadAmps { needed_a, limit_a }));
        let drop_v = array.imp_a * lead.part.loop_ohm(HOT_COPPER_C);
        let percent = drop_v / array.vmp_v * 100.0;
        let level = over(percent, DROP_PERCENT, f64::INFINITY);
        items.push(Item::new(level, &lead.name, Some(MeterPosition::Array), Risk::LeadDrop { drop_v, percent }));
    }
    items
}

fn meters(rig: &Rig) -> Vec<Item> {
    let mut items = Vec::new();
    for placed in &rig.meters {
        let Some(there) = at(rig, placed.spot) else { continue };
        let (kind, spot) = (placed.meter.kind, placed.spot);
        let mut item = |level, risk| items.push(Item::new(level, &placed.name, Some(spot), risk));
        if !placed.meter.reads_dc && kind.bears_volts() {
            item(Level::Stop, Risk::MeterShowsNoDc);
        }
        if let Some(limit_a) = placed.meter.max_a.filter(|_| kind.carries_amps()) {
            let planned_a = there.isc_a * BRIGHT_LIGHT_FACTOR;
            let level = if there.isc_a > limit_a { Level::Stop } else { over(planned_a, limit_a, f64::INFINITY) };
            let several = spot == MeterPosition::Array && rig.strings.len() > 1;
            let one_string_a = at(rig, MeterPosition::String).filter(|_| several).map(|string| string.isc_a);
            item(level, Risk::MeterAmps { isc_a: there.isc_a, planned_a, limit_a, one_string_a });
        }
        if let Some(limit_w) = placed.meter.max_w.filter(|_| kind.carries_amps()) {
            let level = over(there.watts_w, limit_w * 0.9, limit_w);
            item(level, Risk::MeterWatts { watts_w: there.watts_w, limit_w });
        }
    }
    items
}
