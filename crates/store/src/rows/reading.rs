//! Readings and their revisions.

use flindo_core::measure::quantity::Figures;
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;
use std::collections::HashMap;

/// What a revision does to the reading it replaces.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Revision {
    pub replaces_uid: String,
    pub reason: String,
    /// The reading is taken back; its figures are those it had.
    pub withdrawn: bool,
}

/// A reading to be added.
#[derive(Debug, Clone, PartialEq)]
pub struct NewReading {
    /// Made by the sender; the same one arriving again adds nothing.
    pub uid: String,
    pub taken_utc: Timestamp,
    /// The line as typed; empty where it was not typed.
    pub typed: String,
    pub note: String,
    /// What the sky looked like, if that was noted.
    pub sky: Option<SkyNote>,
    pub figures: Figures,
    /// The run of the plan it belongs to.
    pub run_id: Option<i64>,
    pub revision: Option<Revision>,
}

/// A reading of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    pub id: i64,
    pub accepted_utc: Timestamp,
    pub what: NewReading,
}

/// What became of a reading that was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Accepted {
    New,
    /// It had arrived before.
    Already,
}

/// One reading with its history.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// As it stands; `None` when it was withdrawn.
    pub current: Option<Reading>,
    /// What it was before, the oldest first; for a withdrawn reading the withdrawal is the last.
    pub past: Vec<Reading>,
}

impl Line {
    /// The newest row of this line, which a revision has to replace.
    pub fn newest(&self) -> &Reading {
        self.current.as_ref().or(self.past.last()).expect("a line is made from at least one reading")
    }
}

/// Puts readings (in the order in which they were accepted) into lines, by the time the reading was taken.
pub fn lines(readings: Vec<Reading>) -> Vec<Line> {
    let mut chains: Vec<Vec<Reading>> = Vec::new();
    let mut chain_of: HashMap<String, usize> = HashMap::new();
    for reading in readings {
        let earlier = reading.what.revision.as_ref().and_then(|revision| chain_of.get(&revision.replaces_uid).copied());
        let chain = earlier.unwrap_or(chains.len());
        chain_of.insert(reading.what.uid.clone(), chain);
        match chains.get_mut(chain) {
            Some(readings) => readings.push(reading),
            None => chains.push(vec![reading]),
        }
    }
    let mut lines: Vec<Line> = chains
        .into_iter()
        .map(|mut past| {
            let current = past.pop_if(|newest| !newest.what.revision.as_ref().is_some_and(|revision| revision.withdrawn));
            Line { current, past }
        })
        .collect();
    lines.sort_by_key(|line| (line.newest().what.taken_utc, line.newest().id));
    lines
}
