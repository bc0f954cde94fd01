//! Days under a passing shadow: the hour that is looked at changes with every touch, and the day does not.

use super::shelf::Shelf;
use flindo_core::load::day::Day;
use jiff::Timestamp;
use std::sync::Arc;

/// Days that are kept.
const MOST_KEPT: u64 = 16;

/// What a day was worked out from, besides its form.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayOf {
    /// How often anything was written to the bench before: its panels, gear and place are in the day.
    pub writes: u64,
    pub start: Timestamp,
}

/// The fields of the form, without the hour.
pub type Form = Vec<(String, String)>;

/// A day, and the shares that every construction gets of it: its name, in series, in parallel.
#[derive(Debug)]
pub struct WholeDay {
    pub day: Day,
    pub constructions: Vec<[String; 3]>,
}

/// The days, by their form.
#[derive(Clone)]
pub struct Shadows(Shelf<Form, DayOf, Arc<WholeDay>>);

impl Default for Shadows {
    fn default() -> Self {
        Shadows(Shelf::new(MOST_KEPT, MOST_KEPT as usize))
    }
}

impl Shadows {
    pub fn get(&self, form: &Form, of: &DayOf) -> Option<Arc<WholeDay>> {
        self.0.get(form, of)
    }

    pub fn put(&self, form: Form, of: DayOf, day: Arc<WholeDay>) {
        self.0.put(form, of, day, 1);
    }
}
