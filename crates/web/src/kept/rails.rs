//! What surrounds every page, kept: what it shows of the bench until something is written, and drawings of today's sun, which change once a minute.

use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use flindo_store::{Bench, PlaceRow};
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Drawings that are kept: one for each plane that pages are about.
const MOST_KEPT: usize = 32;

/// Tests whose facts are kept.
const MOST_TESTS: usize = 1000;

/// What a rail is drawn from.
#[derive(Debug, Clone, PartialEq)]
pub struct RailOf {
    pub site: Site,
    pub plane: Plane,
    pub zone: String,
    /// Since 1970: the mark of now moves once a minute.
    pub minute: i64,
    /// How often readings were written.
    pub reading_writes: u64,
}

/// A rail, or why it cannot be drawn.
pub type Rail = Result<Arc<str>, Arc<str>>;

/// A rail and what it was drawn from.
type Drawn = (RailOf, Rail);

/// What the frame of a page shows of the bench.
#[derive(Debug)]
pub struct Facts {
    pub bench: Bench,
    /// The place of the page's test, and else the one in use.
    pub place: Option<PlaceRow>,
    /// That the page is about.
    pub plane: Option<Plane>,
}

/// By the test that a page is about; read while so often was written.
#[derive(Debug, Default)]
struct KeptFacts {
    writes: u64,
    of: HashMap<Option<i64>, Arc<Facts>>,
}

/// What was read and drawn last.
#[derive(Debug, Clone, Default)]
pub struct Rails {
    drawn: Arc<Mutex<VecDeque<Drawn>>>,
    facts: Arc<Mutex<KeptFacts>>,
}

fn locked<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Rails {
    /// The drawing, where it is kept.
    pub fn drawn(&self, of: &RailOf) -> Option<Rail> {
        locked(&self.drawn).iter().find(|(known, _)| known == of).map(|(_, drawn)| drawn.clone())
    }

    /// Keeps a drawing in the place of the oldest.
    pub fn keep(&self, of: RailOf, drawn: Rail) {
        let mut kept = locked(&self.drawn);
        if kept.len() >= MOST_KEPT {
            kept.pop_front();
        }
        kept.push_back((of, drawn));
    }

    /// The facts of a test's page, or of any other, where nothing was written since they were read.
    pub fn facts(&self, writes: u64, test: Option<i64>) -> Option<Arc<Facts>> {
        let kept = locked(&self.facts);
        (kept.writes == writes).then(|| kept.of.get(&test).cloned()).flatten()
    }

    /// Keeps facts that were read while so often was written.
    pub fn keep_facts(&self, writes: u64, test: Option<i64>, facts: Arc<Facts>) {
        let mut kept = locked(&self.facts);
        if kept.writes != writes || kept.of.len() >= MOST_TESTS {
            *kept = KeptFacts { writes, of: HashMap::new() };
        }
        kept.of.insert(test, facts);
    }
}
