//! A run of a test and what happened to it.

use super::condition::Conditions;
use crate::named::named;
use jiff::Timestamp;

/// What can happen to a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunEventKind {
    Begun,
    Done,
    Skipped,
    /// Resumed after it was skipped or done.
    Resumed,
    Cloud,
    Note,
    /// A reading that was asked about is right.
    Confirmed,
    /// Its state was another one than was entered.
    Corrected,
}

named!(RunEventKind {
    Begun = "begun", "begun";
    Done = "done", "done";
    Skipped = "skipped", "skipped";
    Resumed = "taken_up", "resumed";
    Cloud = "cloud", "cloud";
    Note = "note", "note";
    Confirmed = "confirmed", "confirmed";
    Corrected = "corrected", "state corrected";
});

#[derive(Debug, Clone, PartialEq)]
pub struct RunEvent {
    pub uid: String,
    pub run_id: i64,
    pub what: RunEventKind,
    /// Reason, note, or the reading that was confirmed.
    pub text: String,
    pub at_utc: Timestamp,
}

/// How far a run has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunState {
    Waiting,
    Begun,
    Done,
    Skipped,
}

/// A run of a test with what happened to it, in the order in which it did.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    pub id: i64,
    pub uid: String,
    /// In the order of the sheet, from 1.
    pub place: i64,
    /// 0 is the baseline.
    pub level: usize,
    /// 1 or 2 side by side, else 0.
    pub rig: u8,
    /// Repeated, not on the sheet.
    pub is_added: bool,
    pub planned_utc: Option<Timestamp>,
    /// Of an open test: what was the case in it, as it was corrected last; `None` in a run of a plan, whose level says it.
    pub state: Option<Conditions>,
    pub events: Vec<RunEvent>,
}

impl Run {
    pub fn state(&self) -> RunState {
        let last = self.events.iter().rev().find_map(|event| match event.what {
            RunEventKind::Begun | RunEventKind::Resumed => Some(RunState::Begun),
            RunEventKind::Done => Some(RunState::Done),
            RunEventKind::Skipped => Some(RunState::Skipped),
            RunEventKind::Cloud | RunEventKind::Note | RunEventKind::Confirmed | RunEventKind::Corrected => None,
        });
        last.unwrap_or(RunState::Waiting)
    }

    /// When it was last begun or resumed.
    pub fn begun_utc(&self) -> Option<Timestamp> {
        let begins = self.events.iter().rev().find(|event| matches!(event.what, RunEventKind::Begun | RunEventKind::Resumed));
        begins.map(|event| event.at_utc)
    }

    /// Whether a reading of this time came after the run had ended.
    pub fn is_late(&self, taken_utc: Timestamp) -> bool {
        let ends = |event: &&RunEvent| matches!(event.what, RunEventKind::Done | RunEventKind::Skipped);
        let opens = |event: &RunEvent| matches!(event.what, RunEventKind::Begun | RunEventKind::Resumed);
        let ended = self.events.iter().rev().find(ends).map(|event| event.at_utc);
        let is_open = self.events.iter().rev().find(|event| ends(event) || opens(event)).is_none_or(opens);
        !is_open && ended.is_some_and(|ended| taken_utc > ended)
    }

    /// Whether it was last skipped or resumed, and why.
    pub fn left_or_resumed(&self) -> Option<(RunEventKind, &str)> {
        let last = self.events.iter().rev().find(|event| matches!(event.what, RunEventKind::Skipped | RunEventKind::Resumed))?;
        Some((last.what, last.text.as_str()))
    }

    pub fn is_confirmed(&self, reading_uid: &str) -> bool {
        self.events.iter().any(|event| event.what == RunEventKind::Confirmed && event.text == reading_uid)
    }
}
