//! Panels and what takes their watts, as the solving pages read them from their forms.

use crate::door::typed::{Notes, Pairs, number, value};
use flindo_core::gear::Gear;
use flindo_core::gear::controller::Controller;
use flindo_core::load::operate::Charger;
use flindo_core::load::series_parallel::Converter;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::layout::Panel;
use flindo_core::rig::wiring;
use flindo_store::GearRow;

/// More panels do not fit on a screen.
pub const MOST_PANELS: usize = 6;

/// The hidden fields of what is painted, one for each panel.
pub const PAINT: [&str; MOST_PANELS] = ["paint0", "paint1", "paint2", "paint3", "paint4", "paint5"];

/// The panels of a wiring line.
pub struct Line {
    pub tags: Vec<String>,
    /// Strings, in the order of the panels.
    pub lengths: Vec<usize>,
    pub panels: Vec<Panel>,
    /// Of the last of them.
    pub construction: Construction,
}

/// Reads a line such as "S-1 + S-2 | M-1", every panel in the construction that is chosen, if one is. What is wrong stands beside the
/// field `wiring`.
pub fn line(text: &str, chosen: Option<Construction>, bench: &[flindo_store::Panel], notes: &mut Notes) -> Option<Line> {
    let mut refuse = |sentence: String| {
        notes.add("wiring", "refused", sentence);
        None
    };
    let strings = match wiring::parse(text) {
        Ok(strings) => strings,
        Err(sentence) => return refuse(sentence),
    };
    let tags: Vec<String> = strings.iter().flatten().cloned().collect();
    if tags.len() > MOST_PANELS {
        return refuse(format!("{} panels: the bench holds up to {MOST_PANELS}.", tags.len()));
    }
    let (mut panels, mut construction) = (Vec::new(), Construction::default());
    for tag in &tags {
        let Some(known) = bench.iter().find(|panel| panel.draft.tag.eq_ignore_ascii_case(tag)) else {
            return refuse(format!("There is no panel with the tag \u{201c}{tag}\u{201d} on the bench."));
        };
        match Panel::of(known.label()) {
            Ok(panel) => panels.push(panel.built(chosen)),
            Err(error) => return refuse(format!("The label of {tag}: {error}.")),
        }
        construction = chosen.unwrap_or(known.label().construction());
    }
    Some(Line { tags, lengths: strings.iter().map(Vec::len).collect(), panels, construction })
}

/// Cells painted by hand: their numbers with full stops between. What is no number is left out.
pub fn paint(text: &str, through: f64, shares: &mut [f64]) {
    for cell in text.split('.').filter_map(|number| number.parse::<usize>().ok()) {
        if let Some(share) = shares.get_mut(cell) {
            *share = share.min(through);
        }
    }
}

/// A controller with its battery, as a form has it.
pub struct Taking {
    pub name: String,
    pub controller: Option<Controller>,
    pub battery_v: f64,
    accepts_a: f64,
    is_global: bool,
}

impl Taking {
    /// Reads the fields `controller`, `battery_v`, `accepts_a` and `tracks`.
    pub fn read(typed: &Pairs, gear: &[GearRow], notes: &mut Notes) -> Self {
        let chosen = gear.iter().find(|row| row.id.to_string() == value(typed, "controller"));
        let controller = chosen.and_then(|row| if let Gear::Controller(one) = &row.gear { Some(one.clone()) } else { None });
        Taking {
            name: chosen.map(|row| row.draft.name.clone()).unwrap_or_default(),
            controller,
            battery_v: number(typed, "battery_v", (2.0, 800.0), notes).unwrap_or(13.0),
            accepts_a: number(typed, "accepts_a", (0.0, 1000.0), notes).unwrap_or(1000.0),
            is_global: value(typed, "tracks") != "first",
        }
    }

    /// Without a controller: whatever the panels can give.
    pub fn taker(&self) -> Converter<'_> {
        match &self.controller {
            Some(controller) => Converter::Through(Charger {
                controller,
                battery_v: self.battery_v,
                accepts_a: self.accepts_a,
                is_global: self.is_global,
            }),
            None if self.is_global => Converter::Ideal,
            None => Converter::FirstHill,
        }
    }
}

/// Controllers to choose from: (id, name).
pub fn controllers(gear: &[GearRow]) -> Vec<(i64, String)> {
    let is_one = |row: &&GearRow| matches!(row.gear, Gear::Controller(_));
    gear.iter().filter(is_one).map(|row| (row.id, row.draft.name.clone())).collect()
}
