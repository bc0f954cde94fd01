//! What a look at the panels shows, and panels that do not fit together.

use super::item::{Item, Level, Risk};
use crate::rig::expect::string;
use crate::rig::{MeterPosition, Rig};

/// Strings in parallel whose volts differ by more than this share pull each other down. Common practice, no source.
const UNLIKE_VOLTS_REL: f64 = 0.05;

/// The same for amps of panels in series.
const UNLIKE_AMPS_REL: f64 = 0.10;

pub(super) fn look(rig: &Rig) -> Vec<Item> {
    let mut items = Vec::new();
    let mut seen: Vec<&str> = Vec::new();
    for module in rig.modules() {
        // Several units of one kind are one label and one look.
        if seen.contains(&module.tag.as_str()) {
            continue;
        }
        seen.push(&module.tag);
        if module.nameplate.label_point().is_none() {
            items.push(Item::new(Level::Caution, &module.tag, None, Risk::LabelSilent { tag: module.tag.clone() }));
        }
        for wear in &module.wear {
            let level = if wear.stops() { Level::Stop } else { Level::Caution };
            items.push(Item::new(level, &module.tag, None, Risk::Worn { tag: module.tag.clone(), wear: *wear }));
        }
    }
    let volts: Vec<f64> =
        rig.strings.iter().filter_map(|modules| string(modules, rig.coldest_c, rig.hottest_c)).map(|there| there.vmp_v).collect();
    if let Some((low_v, high_v)) = unlike(&volts, UNLIKE_VOLTS_REL) {
        items.push(Item::new(Level::Caution, "strings", Some(MeterPosition::Array), Risk::UnlikeVolts { low_v, high_v }));
    }
    for modules in &rig.strings {
        let amps: Vec<f64> =
            modules.iter().filter_map(|module| module.nameplate.label_point()).map(|point| point.imp_a).collect();
        if let Some((low_a, high_a)) = unlike(&amps, UNLIKE_AMPS_REL) {
            items.push(Item::new(
                Level::Caution,
                "panels in series",
                Some(MeterPosition::String),
                Risk::UnlikeAmps { low_a, high_a },
            ));
        }
    }
    items
}

/// The lowest and highest, where they are further apart than a share of the highest.
fn unlike(values: &[f64], limit_rel: f64) -> Option<(f64, f64)> {
    let (low, high) = values.iter().fold((f64::INFINITY, 0.0_f64), |(low, high), value| (low.min(*value), high.max(*value)));
    (low < high * (1.0 - limit_rel)).then_some((low, high))
}
