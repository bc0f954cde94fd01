//! Leagues: each holds all panels of the bench against each other, pair by pair.

use super::digests::{All, States};
use super::shelf::Shelf;
use flindo_core::review::league::{By, League, Ranked, league};
use flindo_store::Register;
use std::sync::Arc;

/// Leagues by every figure of everything that is ranked.
const MOST_KEPT: u64 = 64;

/// What a league was made from: the tests as they stood, and the panels.
#[derive(Clone)]
struct MadeFrom {
    states: States,
    register: Arc<Register>,
}

impl PartialEq for MadeFrom {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.register, &other.register) && self.states == other.states
    }
}

/// The leagues, by what they rank and by which figure.
#[derive(Clone)]
pub struct Leagues(Shelf<(Ranked, By), MadeFrom, Arc<League>>);

impl Default for Leagues {
    fn default() -> Self {
        Leagues(Shelf::new(MOST_KEPT, MOST_KEPT as usize))
    }
}

impl Leagues {
    /// The league of the tests that are summed up.
    pub fn of(&self, all: &All, register: &Arc<Register>, of: Ranked, by: By) -> Arc<League> {
        let made_from = all.states.clone().map(|states| MadeFrom { states, register: Arc::clone(register) });
        if let Some(kept) = made_from.as_ref().and_then(|made_from| self.0.get(&(of, by), made_from)) {
            return kept;
        }
        let found = Arc::new(league(&all.summaries(), &register.panel_records(), of, by));
        if let Some(made_from) = made_from {
            self.0.put((of, by), made_from, Arc::clone(&found), 1);
        }
        found
    }
}
