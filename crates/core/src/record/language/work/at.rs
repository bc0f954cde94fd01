//! Where the work stands, and what a line comes to.

use super::turn::Turn;
use crate::measure::entry::{ClockTime, Entry, Meaning};
use crate::measure::quantity::{Figures, Quantity};
use crate::named::named;
use crate::record::beside::Beside;
use crate::record::condition::{Conditions, Factor, Value, Wiring, panels_of};
use crate::record::names::{Id, Names};
use crate::record::setup::{Load, Setup};
use crate::sky::note::SkyNote;

/// What a line is besides a state and a reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WorkEvent {
    Note,
    Cloud,
    Begin,
    End,
    /// The last line was wrong.
    Undo,
    /// The figures replace those of the last reading.
    Correction,
    /// The state was another one than was entered: it replaces that of the run at work.
    StateCorrection,
    /// An earlier state again.
    RepeatState,
    /// The last reading again.
    RepeatValue,
}

named!(WorkEvent {
    Note = "note", "note";
    Cloud = "cloud", "cloud";
    Begin = "begin", "begin";
    End = "end", "end";
    Undo = "undo", "undo";
    Correction = "correction", "correction";
    StateCorrection = "state_correction", "correction of the state";
    RepeatState = "repeat_state", "back to an earlier state";
    RepeatValue = "repeat_value", "as before";
});

/// What was understood of a line.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Understood {
    /// What changes of the state; empty: the same state.
    pub changes: Conditions,
    /// Factors that are not known any more, or do not apply.
    pub without: Vec<Factor>,
    /// All conditions after the line.
    pub state: Conditions,
    pub reading: Option<Entry>,
    pub sky: Option<SkyNote>,
    /// Of what bare figures are from here on, where the line says so.
    pub unit: Option<Quantity>,
    /// The panels that are read one after the other from here on, where the line says so.
    pub turn: Option<Turn>,
    /// When it was, where the line begins with it; a reading has one of its own where it was typed so.
    pub time: Option<ClockTime>,
    pub event: Option<WorkEvent>,
    /// Words that say nothing that is computed with.
    pub note: String,
}

impl Understood {
    /// The figures of its reading; none without one.
    pub fn figures(&self) -> Figures {
        self.reading.as_ref().map(Entry::figures).unwrap_or_default()
    }
}

/// What has to be asked before a line counts, with the likely answers as lines to be sent.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("{asked}")]
pub struct Asked {
    pub asked: String,
    pub choices: Vec<String>,
    /// A word that has the shape of a tag and names no panel of the bench: it may be one that has to be added first.
    pub unknown_panel: Option<String>,
}

impl Asked {
    pub fn new(asked: impl Into<String>, choices: Vec<String>) -> Self {
        Asked { asked: asked.into(), choices, unknown_panel: None }
    }
}

/// Where the work stands.
#[derive(Debug, Clone)]
pub struct At<'a> {
    pub names: &'a Names,
    /// Conditions of the states so far, in the order of their first visits.
    pub states: &'a [Conditions],
    pub current: &'a Conditions,
    /// The panels of the rig at work, string by string, in its order: "1 + 2" are its first two.
    pub rig_strings: &'a [Vec<Id>],
    /// Other rigs that stand there at the same time.
    pub beside: Beside<'a>,
    /// What the last reading was of: a bare figure is of that.
    pub last: Option<Quantity>,
    /// The latest figure of each quantity: "same volts"; "152 W, not 125", where the last reading was of watts.
    pub latest: &'a Figures,
    /// Panels that are being read one after the other: a figure by itself is of the next one.
    pub turn: Option<&'a Turn>,
    /// Of the test; what a bare volt means follows the load of the state.
    pub setup: Setup,
}

impl At<'_> {
    /// A panel of the rig by its number, from 1.
    pub(super) fn rig_panel(&self, number: usize) -> Option<&Id> {
        self.rig_strings.iter().flatten().nth(number.checked_sub(1)?)
    }

    /// How many strings hang there, where it is known: as they were said to be joined, or as the rig has them.
    pub(super) fn strings(&self) -> Option<usize> {
        let panels = panels_of(self.current).map(<[Id]>::len).unwrap_or_else(|| self.rig_strings.iter().flatten().count());
        match self.current.get(&Factor::Wiring).map(|wiring| &wiring.value) {
            Some(Value::Wiring(Wiring::StringsOf(each))) if panels > 0 => Some(panels / each),
            Some(Value::Wiring(Wiring::Strings(strings))) => Some(strings.len()),
            Some(_) | None => Some(self.rig_strings.len()).filter(|strings| *strings > 1),
        }
    }

    /// What bare figures mean in a state: into a multimeter alone volts are Voc.
    pub(super) fn meaning(&self, state: &Conditions) -> Meaning {
        let load = match state.get(&Factor::Load).map(|load| &load.value) {
            Some(Value::LoadKind(load)) => *load,
            // Into a controller or station they are those of a load.
            Some(Value::Gear(_)) => Load::TrackingController,
            Some(_) | None => self.setup.load,
        };
        let meaning = Setup { load, ..self.setup }.meaning();
        // "24.8 V" in a turn of Voc is Voc.
        match self.turn.and_then(|turn| turn.quantity) {
            Some(Quantity::Voc) => Meaning { volts: Quantity::Voc, ..meaning },
            Some(Quantity::Isc) => Meaning { amps: Quantity::Isc, ..meaning },
            Some(_) | None => meaning,
        }
    }
}
