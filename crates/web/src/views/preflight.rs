//! The findings of a rig before it is plugged, as pages show them.

use crate::draw;
use crate::frame::Frame;
use crate::words::preflight::{self as words, ItemWords};
use flindo_core::preflight::item::Level;
use flindo_core::preflight::{gravest, preflight};
use flindo_store::{GearRow, Panel, RigDraft, rig_of};

/// The drawing and the findings of a rig as it stands, or why there are none.
pub struct PreflightView {
    pub svg: Option<String>,
    pub why_not: Option<String>,
    pub items: Vec<ItemWords>,
    pub mark: &'static str,
    pub word: String,
}

impl PreflightView {
    pub fn at(draft: &RigDraft, panels: &[Panel], gear: &[GearRow], frame: &Frame) -> Self {
        match rig_of(draft, panels, gear, frame.place.as_ref()) {
            Ok(rig) => {
                let items = preflight(&rig);
                let count = |level| items.iter().filter(|item| item.level == level).count();
                let word = match (count(Level::Stop), count(Level::Caution)) {
                    (0, 0) => "No stop, no caution".to_owned(),
                    (0, cautions) => format!("{cautions} cautions"),
                    (stops, 0) => format!("Stop: {stops}"),
                    (stops, cautions) => format!("Stop: {stops}; cautions: {cautions}"),
                };
                PreflightView {
                    svg: Some(draw::rig::draw(&rig)),
                    why_not: None,
                    mark: words::mark(gravest(&items)),
                    word,
                    items: items.iter().map(words::item).collect(),
                }
            }
            Err(sentence) => PreflightView {
                svg: None,
                why_not: Some(sentence),
                items: Vec::new(),
                mark: "cant-tell",
                word: "Incomplete".to_owned(),
            },
        }
    }
}
