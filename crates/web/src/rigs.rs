//! A rig as it is kept, by ids and tags, made into the rig that the core computes with.

use flindo_core::gear::Gear;
use flindo_core::rig::{Module, Named, Placed, Rig, Sink, wiring};
use flindo_store::{GearRow, Panel, PlaceRow, RigDraft};
use std::collections::HashMap;

/// Taken where the bench has no place, C.
const USUAL_COLDEST_C: f64 = -10.0;
const USUAL_HOTTEST_C: f64 = 40.0;

/// The rig for the core. The error is a sentence: which panel or wiring cannot be read.
pub fn rig_of(draft: &RigDraft, panels: &[Panel], gear: &[GearRow], place: Option<&PlaceRow>) -> Result<Rig, String> {
    let strings = wiring::parse(&draft.wiring)?;
    let mut used: HashMap<&str, u32> = HashMap::new();
    for tag in strings.iter().flatten() {
        *used.entry(tag).or_default() += 1;
    }
    for (tag, count) in used {
        let panel = panel_of(tag, panels)?;
        let units = panel.draft.units.max(1);
        if count > units {
            let there = if units == 1 { "one of it".to_owned() } else { format!("{units} of them") };
            return Err(format!(
                "{tag} is wired {count} times, and the bench has {there}. Say how many there are on its own page."
            ));
        }
    }
    let module = |tag: &String| {
        panel_of(tag, panels).map(|panel| Module {
            tag: panel.draft.tag.clone(),
            nameplate: panel.draft.nameplate.clone(),
            wear: panel.draft.wear.clone(),
        })
    };
    let strings = strings.iter().map(|string| string.iter().map(module).collect()).collect::<Result<_, _>>()?;
    let piece = |id: Option<i64>| id.and_then(|id| gear.iter().find(|row| row.id == id));
    let battery =
        piece(draft.battery_id).and_then(|row| if let Gear::Battery(battery) = &row.gear { Some(battery.clone()) } else { None });
    let sink = match piece(draft.sink_id).map(|row| (&row.draft.name, &row.gear)) {
        Some((name, Gear::Controller(controller))) => {
            Sink::Controller { name: name.clone(), controller: controller.clone(), battery }
        }
        Some((name, Gear::Station(station))) => Sink::Station { name: name.clone(), station: station.clone() },
        _ => Sink::Open,
    };
    Ok(Rig {
        strings,
        string_fuse: piece(draft.string_fuse_id).and_then(|row| match &row.gear {
            Gear::Fuse(part) => Some(Named { name: row.draft.name.clone(), part: part.clone() }),
            _ => None,
        }),
        joint: piece(draft.joint_id).and_then(|row| match &row.gear {
            Gear::Joint(part) => Some(Named { name: row.draft.name.clone(), part: part.clone() }),
            _ => None,
        }),
        lead: piece(draft.lead_id).and_then(|row| match &row.gear {
            Gear::Lead(part) => Some(Named { name: row.draft.name.clone(), part: part.clone() }),
            _ => None,
        }),
        sink,
        meters: draft
            .meters
            .iter()
            .filter_map(|(spot, id)| {
                let row = piece(Some(*id))?;
                let Gear::Meter(meter) = &row.gear else { return None };
                Some(Placed { name: row.draft.name.clone(), meter: meter.clone(), spot: *spot })
            })
            .collect(),
        coldest_c: place.map_or(USUAL_COLDEST_C, |place| place.draft.coldest_c),
        hottest_c: place.map_or(USUAL_HOTTEST_C, |place| place.draft.hottest_c),
    })
}

fn panel_of<'a>(tag: &str, panels: &'a [Panel]) -> Result<&'a Panel, String> {
    panels.iter().find(|panel| panel.draft.tag.eq_ignore_ascii_case(tag)).ok_or_else(|| {
        let tags: Vec<&str> = panels.iter().map(|panel| panel.draft.tag.as_str()).take(12).collect();
        format!("There is no panel with the tag \u{201c}{tag}\u{201d}. The bench has {}.", tags.join(", "))
    })
}
