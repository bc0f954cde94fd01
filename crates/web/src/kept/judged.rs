//! Tests with their assessment, kept for as long as nothing of them changes. Nothing that is kept is written anywhere: what a page shows follows
//! from the record, and is worked out again after every change of it.

use crate::door::evaluated::Evaluated;
use crate::error::AppError;
use crate::heavy;
use flindo_store::{Recorded, Store, TestState};
use jiff::Timestamp;
use self_cell::self_cell;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// Readings of all tests that are kept while they are asked for; beyond it those asked for longest ago are given up. One takes some 5 KB.
const MOST_READINGS: usize = 40_000;

/// and of those that nobody has asked for in [`IDLE`].
const MOST_IDLE_READINGS: usize = 5_000;
const IDLE: Duration = Duration::from_secs(20);

/// How often it is looked for idle ones.
const LOOK_EVERY: Duration = Duration::from_secs(5);

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

    fn readings(&self) -> usize {
        self.0.borrow_owner().lines.len()
    }
}

/// One test that is kept.
struct One {
    state: TestState,
    judged: Judged,
    /// When it was last asked for.
    asked: Instant,
}

/// The tests that are kept.
#[derive(Clone, Default)]
pub struct Kept(Arc<Mutex<Inner>>);

#[derive(Default)]
struct Inner {
    tests: HashMap<(i64, Depth), One>,
}

impl Inner {
    /// Gives up the tests that were asked for longest ago, of those asked for before a time, until no more readings are kept than `most`.
    fn give_up(&mut self, most: usize, before: Instant) {
        let mut readings: usize = self.tests.values().map(|one| one.judged.readings()).sum();
        while readings > most {
            let idle = self.tests.iter().filter(|(_, one)| one.asked < before);
            let oldest = idle.min_by_key(|(_, one)| one.asked).map(|(key, _)| *key);
            let Some(given_up) = oldest.and_then(|key| self.tests.remove(&key)) else { return };
            readings -= given_up.judged.readings();
        }
    }
}

impl std::fmt::Debug for Kept {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Kept")
    }
}

impl Kept {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A test as it is now. What is not kept is read, and assessed away from the threads that answer pages.
    pub async fn judged(&self, store: &Store, test_id: i64, depth: Depth) -> Result<Judged, AppError> {
        let state = store.test_state(test_id).await?;
        if let Some(state) = state
            && let Some(judged) = self.known(test_id, depth, state)
        {
            return Ok(judged);
        }
        let recorded = store.recorded(test_id, Timestamp::now()).await?;
        let judged = heavy::run(move |_| Judged::of(recorded, depth)).await??;
        if let Some(state) = state {
            self.keep(test_id, depth, state, &judged);
        }
        Ok(judged)
    }

    fn known(&self, test_id: i64, depth: Depth, state: TestState) -> Option<Judged> {
        let mut inner = self.inner();
        // A whole assessment serves for a brief one.
        for depth in [Depth::Whole, depth] {
            if let Some(one) = inner.tests.get_mut(&(test_id, depth))
                && one.state == state
            {
                one.asked = Instant::now();
                return Some(one.judged.clone());
            }
        }
        None
    }

    fn keep(&self, test_id: i64, depth: Depth, state: TestState, judged: &Judged) {
        let mut inner = self.inner();
        let asked = Instant::now();
        // The one that was just asked for is kept, however large it is.
        inner.give_up(MOST_READINGS.saturating_sub(judged.readings()), asked);
        if depth == Depth::Whole {
            inner.tests.remove(&(test_id, Depth::Brief));
        }
        inner.tests.insert((test_id, depth), One { state, judged: judged.clone(), asked });
    }

    /// Gives up what nobody asks for, for as long as the server runs.
    pub async fn tidy(self) {
        let mut ticks = tokio::time::interval(LOOK_EVERY);
        loop {
            ticks.tick().await;
            if let Some(before) = Instant::now().checked_sub(IDLE) {
                self.inner().give_up(MOST_IDLE_READINGS, before);
            }
        }
    }
}
