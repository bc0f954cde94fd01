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
use tokio::sync::Mutex;

/// Readings of all tests that are kept while they are asked for; beyond it those asked for least are given up. One takes some 5 KB.
const MOST_READINGS: u64 = 40_000;

/// and of those that nobody asks for.
const MOST_IDLE_READINGS: u64 = 2_000;

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
    /// `before`: the same test as it was assessed before, where it was.
    pub fn of(recorded: Recorded, depth: Depth, before: Option<&Judged>) -> Result<Self, AppError> {
        let before = before.map(Judged::evaluated);
        let cell = Cell::try_new(recorded, |recorded| match depth {
            Depth::Brief => Evaluated::in_brief(recorded, before),
            Depth::Whole => Evaluated::of(recorded, before),
        });
        Ok(Judged(Arc::new(cell?)))
    }

    pub fn evaluated(&self) -> &Evaluated<'_> {
        self.0.borrow_dependent()
    }

    /// A test that compares nothing has nothing to predict: its brief assessment is the whole one.
    fn has_nothing_to_predict(&self) -> bool {
        !matches!(self.evaluated().assessment.outcome.comparison(), Some(Ok(_)))
    }

    /// An empty test takes room too.
    fn readings(&self) -> u64 {
        self.0.borrow_owner().lines.len() as u64 + 1
    }
}

/// The tests that are kept, by id and depth.
#[derive(Clone)]
pub struct Assessments {
    shelf: Shelf<(i64, Depth), TestState, Judged>,
    /// One at a time of the tests that share a turn is made: of many who ask for the same, the others find it made.
    turns: Arc<[Mutex<()>; TURNS]>,
}

const TURNS: usize = 16;

impl Default for Assessments {
    fn default() -> Self {
        Assessments { shelf: Shelf::new(MOST_READINGS, USUAL_TESTS), turns: Arc::default() }
    }
}

impl Assessments {
    /// A test as it is now. What is not kept is read, and assessed away from the threads that answer pages.
    pub async fn judged(&self, store: &Store, test_id: i64, depth: Depth) -> Result<Judged, AppError> {
        if let Some(judged) = self.known(store.test_state(test_id).await?.as_ref(), test_id, depth) {
            return Ok(judged);
        }
        let _turn = self.turns[test_id.unsigned_abs() as usize % TURNS].lock().await;
        let state = store.test_state(test_id).await?;
        if let Some(judged) = self.known(state.as_ref(), test_id, depth) {
            return Ok(judged);
        }
        let before = [Depth::Brief, Depth::Whole].into_iter().find_map(|depth| self.shelf.last(&(test_id, depth)));
        let recorded = match &before {
            Some(before) => store.recorded_since(before.0.borrow_owner(), Timestamp::now()).await?,
            None => store.recorded(test_id, Timestamp::now()).await?,
        };
        let judged = heavy::run(move |_| Judged::of(recorded, depth, before.as_ref())).await??;
        if let Some(state) = state {
            let depth = if judged.has_nothing_to_predict() { Depth::Whole } else { depth };
            if depth == Depth::Whole {
                self.shelf.remove(&(test_id, Depth::Brief));
            }
            self.shelf.put((test_id, depth), state, judged.clone(), judged.readings());
        }
        Ok(judged)
    }

    /// A whole assessment serves for a brief one.
    pub fn known(&self, state: Option<&TestState>, test_id: i64, depth: Depth) -> Option<Judged> {
        let state = state?;
        [Depth::Whole, depth].into_iter().find_map(|depth| self.shelf.get(&(test_id, depth), state))
    }

    /// Answers how many it gave up.
    pub fn give_up_idle(&self, before: Instant) -> u64 {
        self.shelf.give_up_idle(before, MOST_IDLE_READINGS)
    }
}
