//! Drawings of today's sun that are kept: every page has one, and it changes once a minute.

use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Drawings that are kept: one for each plane that pages are about.
const MOST_KEPT: usize = 32;

/// What a rail is drawn from.
#[derive(Debug, Clone, PartialEq)]
pub struct RailOf {
    pub site: Site,
    pub plane: Plane,
    pub zone: String,
    /// Since 1970: the mark of now moves once a minute.
    pub minute: i64,
    pub newest_reading: i64,
}

/// A rail and what it was drawn from; `None` for one that could not be drawn.
type Drawn = (RailOf, Option<String>);

/// The rails that were drawn last.
#[derive(Debug, Clone, Default)]
pub struct Rails(Arc<Mutex<VecDeque<Drawn>>>);

impl Rails {
    /// The drawing, where it is kept.
    pub fn drawn(&self, of: &RailOf) -> Option<Option<String>> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.iter().find(|(known, _)| known == of).map(|(_, drawn)| drawn.clone())
    }

    /// Keeps a drawing in the place of the oldest.
    pub fn keep(&self, of: RailOf, drawn: Option<String>) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= MOST_KEPT {
            kept.pop_front();
        }
        kept.push_back((of, drawn));
    }
}
