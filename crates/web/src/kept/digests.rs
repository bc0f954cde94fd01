//! All tests of the bench, summed up, for the logbook, the league and the pages of panels: much smaller than assessments.

use super::assessments::{Assessments, Depth};
use super::shelf::Shelf;
use crate::door::evaluated::zone_of;
use crate::error::AppError;
use crate::heavy;
use crate::words;
use flindo_core::review::headline::headline;
use flindo_core::review::summary::Summary;
use flindo_core::verdict::assess::{assess, assess_measured};
use flindo_core::verdict::assessment::Assessment;
use flindo_store::{Recorded, Store, StoreError, Test, TestState};
use jiff::Timestamp;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// A page waits so long for tests that are not summed up yet; it then shows the others, and says how many are missing. Of a bench of ordinary
/// size all are there by then; of a large one it does not wait for what takes seconds.
const LONGEST_WAIT: Duration = Duration::from_millis(1500);
const WAIT_OF_MANY: Duration = Duration::from_millis(30);

/// More tests than these are many.
const MANY: usize = 300;

/// While it waits it looks for them this often.
const LOOK_EVERY: Duration = Duration::from_millis(10);

/// No more tests than these are summed up by a page itself.
const A_FEW: usize = 20;

/// One test, summed up.
#[derive(Debug, Clone)]
pub struct Digest {
    pub test: Test,
    /// Of the panel that the test is of.
    pub tag: String,
    pub kind: String,
    pub place: String,
    /// The answer in one sentence.
    pub headline: String,
    pub summary: Summary,
}

/// The states of all tests of the bench, the newest first.
pub type States = Arc<Vec<(i64, Option<TestState>)>>;

/// The tests, the newest first.
#[derive(Debug, Default)]
pub struct All {
    pub digests: Vec<Arc<Digest>>,
    /// Ids of tests that cannot be read, and why.
    pub unreadable: Vec<(i64, String)>,
    /// Tests that are being summed up.
    pub waiting: usize,
    /// What all of it was made from; `None` while something is missing or written.
    pub states: Option<States>,
}

impl All {
    /// The summaries alone, in the order of the digests.
    pub fn summaries(&self) -> Vec<&Summary> {
        self.digests.iter().map(|digest| &digest.summary).collect()
    }
}

/// A test that was summed up, or why it cannot be.
type Known = Result<Arc<Digest>, String>;

/// Tests of a bench of many years. A digest takes some 2 KB.
const MOST_TESTS: u64 = 50_000;

/// The tests that are summed up, by id and depth.
#[derive(Clone)]
pub struct Digests {
    shelf: Shelf<(i64, Depth), TestState, Known>,
    is_filling: Arc<AtomicBool>,
    /// What is assessed already is not assessed for its summary again.
    assessments: Assessments,
}

impl Digests {
    pub fn beside(assessments: Assessments) -> Self {
        Digests { shelf: Shelf::new(MOST_TESTS, 1000), is_filling: Arc::default(), assessments }
    }

    fn known(&self, test: (i64, Depth), state: Option<TestState>) -> Option<Known> {
        self.shelf.get(&test, &state?)
    }
}

/// A test with its summary.
pub fn digest_of(recorded: &Recorded, depth: Depth) -> Result<Digest, String> {
    let assessment = match depth {
        Depth::Brief => assess_measured(&recorded.record),
        Depth::Whole => assess(&recorded.record),
    };
    let assessment = assessment.ok_or_else(|| format!("the panel of test {} is not in the file", recorded.test.id))?;
    Ok(summed_up(recorded, &assessment))
}

fn summed_up(recorded: &Recorded, assessment: &Assessment<'_>) -> Digest {
    let summary = Summary::of(&recorded.record, assessment);
    Digest {
        headline: words::headline::headline(&headline(&summary), &zone_of(recorded)),
        summary,
        tag: recorded.panel.draft.tag.clone(),
        kind: recorded.panel.name().to_owned(),
        place: recorded.place.as_ref().map(|place| place.draft.name.clone()).unwrap_or_default(),
        test: recorded.test.clone(),
    }
}

impl Digests {
    async fn of_test(&self, store: &Store, test: (i64, Depth), state: Option<TestState>) -> Result<Known, AppError> {
        if let Some(known) = self.known(test, state) {
            return Ok(known);
        }
        let (id, depth) = test;
        if let Some(judged) = self.assessments.known(state.as_ref(), id, depth) {
            let evaluated = judged.evaluated();
            let known = Ok(Arc::new(summed_up(evaluated.recorded, &evaluated.assessment)));
            if let Some(state) = state {
                self.shelf.put(test, state, Known::clone(&known), 1);
            }
            return Ok(known);
        }
        let known = match store.recorded(id, Timestamp::now()).await {
            Ok(recorded) => heavy::run(move |_| digest_of(&recorded, depth)).await?.map(Arc::new),
            Err(StoreError::Corrupt(why)) => Err(why),
            Err(error) => return Err(error.into()),
        };
        if let Some(state) = state {
            self.shelf.put(test, state, known.clone(), 1);
        }
        Ok(known)
    }

    /// All tests, the newest first. A few that are not summed up yet are so now; many are in the background, and are waited for only for a
    /// moment.
    pub async fn all(&self, store: &Store) -> Result<All, AppError> {
        let begun = Instant::now();
        let states = store.test_states().await?;
        let is_unknown =
            |(id, state): &(i64, Option<TestState>)| state.is_some() && self.known((*id, Depth::Brief), *state).is_none();
        let unknown = states.iter().filter(|test| is_unknown(test)).count();
        let until = begun + if unknown > MANY { WAIT_OF_MANY } else { LONGEST_WAIT };
        if unknown > A_FEW {
            tokio::spawn(self.clone().fill(store.clone()));
            while states.iter().any(is_unknown) && Instant::now() < until {
                tokio::time::sleep(LOOK_EVERY).await;
            }
        }
        let mut all = All::default();
        let mut left = if unknown > MANY { 0 } else { A_FEW };
        let is_still = states.iter().all(|(_, state)| state.is_some());
        for &(id, state) in &states {
            let test = (id, Depth::Brief);
            let known = match self.known(test, state) {
                Some(known) => known,
                None if left > 0 => {
                    left -= 1;
                    self.of_test(store, test, state).await?
                }
                // While something is written nothing is kept, and nobody else will have it.
                None if state.is_none() && Instant::now() < until => self.of_test(store, test, state).await?,
                None => {
                    all.waiting += 1;
                    continue;
                }
            };
            match known {
                Ok(digest) => all.digests.push(digest),
                Err(why) => all.unreadable.push((id, why)),
            }
        }
        all.states = (is_still && all.waiting == 0).then(|| Arc::new(states));
        Ok(all)
    }

    /// Sums up all tests, so that a page finds them ready; nothing where that is being done already.
    pub async fn fill(self, store: Store) {
        if self.is_filling.swap(true, Ordering::SeqCst) {
            return;
        }
        match store.test_states().await {
            // Two at once: one is read while the other is assessed.
            Ok(states) => {
                let (even, odd): (Vec<_>, Vec<_>) = states.into_iter().enumerate().partition(|(nth, _)| nth % 2 == 0);
                tokio::join!(self.fill_with(&store, even), self.fill_with(&store, odd));
            }
            Err(error) => tracing::debug!(%error, "the tests were not summed up"),
        }
        self.is_filling.store(false, Ordering::SeqCst);
    }

    async fn fill_with(&self, store: &Store, states: Vec<(usize, (i64, Option<TestState>))>) {
        for (_, (id, of)) in states {
            // What cannot be assessed is told by the page.
            if let Err(error) = self.of_test(store, (id, Depth::Brief), of).await {
                tracing::debug!(%error, test = id, "not summed up");
            }
        }
    }

    /// Some tests with what the circuit predicts for them, in the order of their ids.
    pub async fn whole(&self, store: &Store, ids: &[i64]) -> Result<Vec<Arc<Digest>>, AppError> {
        let mut digests = Vec::with_capacity(ids.len());
        for id in ids {
            let state = store.test_state(*id).await?;
            let known = self.of_test(store, (*id, Depth::Whole), state).await?;
            digests.push(known.map_err(|why| AppError::Store(StoreError::Corrupt(why)))?);
        }
        Ok(digests)
    }
}
