//! Days under a passing shadow that were worked out: the hour that is looked at changes with every touch, and the day does not.

use flindo_core::load::day::Day;
use jiff::Timestamp;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Days that are kept.
const MOST_KEPT: usize = 16;

/// What a day was worked out from.
#[derive(Debug, Clone, PartialEq)]
pub struct DayOf {
    /// How often anything was written to the bench before: its panels, gear and place are in the day.
    pub writes: u64,
    pub start: Timestamp,
    /// The fields of the form, without the hour.
    pub typed: Vec<(String, String)>,
}

/// A day, and the shares that every construction gets of it: its name, in series, in parallel.
#[derive(Debug)]
pub struct WholeDay {
    pub day: Day,
    pub constructions: Vec<[String; 3]>,
}

/// A day and what it was worked out from.
type Kept = (DayOf, Arc<WholeDay>);

/// The days that were worked out last.
#[derive(Debug, Clone, Default)]
pub struct Shadows(Arc<Mutex<VecDeque<Kept>>>);

impl Shadows {
    pub fn kept(&self, of: &DayOf) -> Option<Arc<WholeDay>> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.iter().find(|(known, _)| known == of).map(|(_, day)| Arc::clone(day))
    }

    /// Keeps a day in the place of the oldest.
    pub fn keep(&self, of: DayOf, day: Arc<WholeDay>) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= MOST_KEPT {
            kept.pop_front();
        }
        kept.push_back((of, day));
    }
}
