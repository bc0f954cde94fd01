//! Readings that arrive while another is being written wait for it, and are then written together: one write to the disk keeps and
//! acknowledges all of them. Without this the fiftieth of fifty browsers would wait for fifty of them.
//!
//! Those that were acknowledged together send their next readings at about the same time, and the first of them must not begin a write
//! that the others just miss: they would wait for two. Where several came together the last time, the next write therefore waits until as
//! many are there again, for half of the time that the disk took at most. Who sends alone waits for nobody.

use crate::error::StoreError;
use crate::rows::reading::{Accepted, NewReading};
use jiff::Timestamp;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Instant;
use tokio::sync::{Notify, oneshot};

/// More than these are written in parts.
pub(crate) const MOST_TOGETHER: usize = 235;

/// A reading that waits to be written.
#[derive(Debug)]
pub(crate) struct Arrival {
    pub test_id: i64,
    pub new: NewReading,
    pub accepted_utc: Timestamp,
    pub answer: oneshot::Sender<Result<Accepted, StoreError>>,
}

/// Readings that wait, in the order in which they came.
#[derive(Debug, Default)]
pub(crate) struct Arrivals {
    pub waiting: Mutex<Vec<Arrival>>,
    /// Told of every reading that comes.
    came: Notify,
    /// Held by whoever writes.
    pub turn: tokio::sync::Mutex<Option<LastWrite>>,
}

/// What the last write tells of the next one.
#[derive(Debug, Clone, Copy)]
pub(crate) struct LastWrite {
    /// How many readings it kept, and how many had come in the meantime.
    pub together: usize,
    /// No longer than this is waited for as many.
    pub until: Instant,
}

impl Arrivals {
    pub fn waiting(&self) -> MutexGuard<'_, Vec<Arrival>> {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn add(&self, arrival: Arrival) {
        self.waiting().push(arrival);
        self.came.notify_one();
    }

    /// Until as many wait as came together the last time.
    pub async fn gather(&self, last: LastWrite) {
        let all_came = async {
            while self.waiting().len() < last.together {
                self.came.notified().await;
            }
        };
        // Who does not come in time is written with the next.
        let _ = tokio::time::timeout_at(last.until.into(), all_came).await;
    }

    pub fn take(&self) -> Vec<Arrival> {
        let mut waiting = self.waiting();
        let count = waiting.len().min(MOST_TOGETHER);
        waiting.drain(..count).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::measure::quantity::Figures;
    use std::sync::Arc;
    use std::time::Duration;

    fn arrival() -> Arrival {
        let (uid, taken_utc, typed, note) = (crate::new_uid(), Timestamp::UNIX_EPOCH, String::new(), String::new());
        let new =
            NewReading { uid, taken_utc, typed, note, sky: None, figures: Figures::default(), run_id: None, revision: None };
        Arrival { test_id: 1, new, accepted_utc: Timestamp::UNIX_EPOCH, answer: oneshot::channel().0 }
    }

    #[tokio::test]
    async fn a_write_waits_for_as_many_as_came_together_before_and_no_longer_than_it_may() {
        let arrivals = Arc::new(Arrivals::default());
        arrivals.add(arrival());
        // Time enough: the third ends the wait.
        let sender = Arc::clone(&arrivals);
        tokio::spawn(async move {
            for _ in 0..2 {
                tokio::task::yield_now().await;
                sender.add(arrival());
            }
        });
        arrivals.gather(LastWrite { together: 3, until: Instant::now() + Duration::from_secs(60) }).await;
        assert_eq!(arrivals.waiting().len(), 3);
        // As many are there: nothing is waited for. And no time left: the fourth does not come.
        arrivals.gather(LastWrite { together: 3, until: Instant::now() + Duration::from_secs(60) }).await;
        arrivals.gather(LastWrite { together: 4, until: Instant::now() }).await;
        assert_eq!(arrivals.take().len(), 3);
    }
}
