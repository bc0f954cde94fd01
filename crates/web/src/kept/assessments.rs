//! Tests with their assessment.

use super::shelf::Shelf;
use crate::door::evaluated::Evaluated;
use crate::error::AppError;
use crate::heavy;
use flindo_store::{Recorded, Store, TestState};
use jiff::Timestamp;
use self_cell::self_cell;
use std::sync::Arc;
use std::time::Instant;

/// Readings of all tests that are kept while they are asked for; beyond it those asked for least are given up. One takes some 5 KB.
const MOST_READINGS: u64 = 40_000;

/// and of those that nobody asks for.
const MOST_IDLE_READINGS: u64 = 5_000;

/// Tests that a bench in use asks for again and again.
const USUAL_TESTS: usize = 200;

/// How much of a test is assessed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Depth {
    /// Without predictions, for lists and for pages that are asked for with every reading.
    Brief,
    Whole,
}

self_cell!(
    struct Cell {
        owner: Recorded,
        #[covariant]
        dependent: Evaluated,
    }
);

/// A test with its assessment.
#[derive(Clone)]
pub struct Judged(Arc<Cell>);

impl Judged {
    pub fn of(recorded: Recorded, depth: Depth) -> Result<Self, AppError> {
        let cell = Cell::try_new(recorded, |recorded| match depth {
            Depth::Brief => Evaluated::in_brief(recorded),
            Depth::Whole => Evaluated::of(recorded),
        });
        Ok(Judged(Arc::new(cell?)))
    }

    pub fn evaluated(&self) -> &Evaluated<'_> {
        self.0.borrow_dependent()
    }

    /// An empty test takes room too.
    fn readings(&self) -> u64 {
        self.0.borrow_owner().lines.len() as u64 + 1
    }
}

/// The tests that are kept, by id and depth.
#[derive(Clone)]
pub struct Assessments(Shelf<(i64, Depth), TestState, Judged>);

impl Default for Assessments {
    fn default() -> Self {
        Assessments(Shelf::new(MOST_READINGS, USUAL_TESTS))
    }
}

impl Assessments {
    /// A test as it is now. What is not kept is read, and assessed away from the threads that answer pages.
    pub async fn judged(&self, store: &Store, test_id: i64, depth: Depth) -> Result<Judged, AppError> {
        let state = store.test_state(test_id).await?;
        // A whole assessment serves for a brief one.
        let known = |state: &TestState| [Depth::Whole, depth].into_iter().find_map(|depth| self.0.get(&(test_id, depth), state));
        if let Some(judged) = state.as_ref().and_then(known) {
            return Ok(judged);
        }
        let recorded = store.recorded(test_id, Timestamp::now()).await?;
        let judged = heavy::run(move |_| Judged::of(recorded, depth)).await??;
        if let Some(state) = state {
            if depth == Depth::Whole {
                self.0.remove(&(test_id, Depth::Brief));
            }
            self.0.put((test_id, depth), state, judged.clone(), judged.readings());
        }
        Ok(judged)
    }

    pub fn give_up_idle(&self, before: Instant) {
        self.0.give_up_idle(before, MOST_IDLE_READINGS);
    }
}
