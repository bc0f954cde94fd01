//! Readings that arrive while another is being written wait for it, and are then written together: one write to the disk keeps and acknowledges all of them.
//! Without this the fiftieth of fifty browsers would wait for fifty of them.
//!
//! Those that were acknowledged together send their next readings at about the same time, and the first of them must not begin a write that the others just miss:
//! they would wait for two. Where several came together the last time, the next write therefore waits until as many are there again, for half of the time that
//! the disk took at most. Who sends alone waits for nobody.

use crate::error::StoreError;
use crate::readings::{Accepted, NewReading};
use crate::together::{ForTest, MOST_TOGETHER, insert_readings};
use jiff::Timestamp;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Instant;
use tokio::sync::{Notify, oneshot};

/// A reading that waits to be written.
#[derive(Debug)]
struct Arrival {
    test_id: i64,
    new: NewReading,
    accepted_utc: Timestamp,
    answer: oneshot::Sender<Result<Accepted, StoreError>>,
}

impl Arrival {
    fn reading(&self) -> ForTest<'_> {
        ForTest { test_id: self.test_id, new: &self.new, accepted_utc: self.accepted_utc }
    }
}

/// Readings that wait, in the order in which they came.
#[derive(Debug, Default)]
pub(crate) struct Arrivals {
    waiting: Mutex<Vec<Arrival>>,
    /// Told of every reading that comes.
    came: Notify,
    /// Held by whoever writes.
    turn: tokio::sync::Mutex<Option<LastWrite>>,
}

/// What the last write tells of the next one.
#[derive(Debug, Clone, Copy)]
struct LastWrite {
    /// How many readings it kept, and how many had come in the meantime.
    together: usize,
    /// No longer than this is waited for as many.
    until: Instant,
}

impl Arrivals {
    fn waiting(&self) -> MutexGuard<'_, Vec<Arrival>> {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn add(&self, arrival: Arrival) {
        self.waiting().push(arrival);
        self.came.notify_one();
    }

    /// Until as many wait as came together the last time.
    async fn gather(&self, last: LastWrite) {
        let all_came = async {
            while self.waiting().len() < last.together {
                self.came.notified().await;
            }
        };
        // Who does not come in time is written with the next.
        let _ = tokio::time::timeout_at(last.until.into(), all_came).await;
    }

    fn take(&self) -> Vec<Arrival> {
        let mut waiting = self.waiting();
        let count = waiting.len().min(MOST_TOGETHER);
        waiting.drain(..count).collect()
    }
}

impl crate::Store {
    /// Adds a reading or a revision. When this returns `Ok`, it is on the disk.
    ///
    /// # Errors
    /// What is wrong with the reading, or with the file; nothing of it is written then.
    pub async fn accept(&self, test_id: i64, new: &NewReading, accepted_utc: Timestamp) -> Result<Accepted, StoreError> {
        let (answer, answered) = oneshot::channel();
        self.arrivals.add(Arrival { test_id, new: new.clone(), accepted_utc, answer });
        // By itself: whoever sent a reading may hang up while those of others are written with it.
        let store = self.clone();
        tokio::spawn(async move { store.write_arrivals().await });
        // The answer is only dropped with the program.
        answered.await.unwrap_or(Err(StoreError::Busy))
    }

    async fn write_arrivals(&self) {
        let mut last = self.arrivals.turn.lock().await;
        // They were written with others.
        if self.arrivals.waiting().is_empty() {
            return;
        }
        if let Some(last) = *last {
            self.arrivals.gather(last).await;
        }
        let arrivals = self.arrivals.take();
        let (count, begun) = (arrivals.len(), Instant::now());
        self.write(arrivals).await;
        *last = Some(LastWrite { together: count + self.arrivals.waiting().len(), until: Instant::now() + begun.elapsed() / 2 });
    }

    async fn write(&self, arrivals: Vec<Arrival>) {
        match self.write_together(&arrivals).await {
            Ok(answers) => {
                for (arrival, answer) in arrivals.into_iter().zip(answers) {
                    // Whoever hung up needs no answer.
                    let _ = arrival.answer.send(answer);
                }
            }
            // Nothing was written. Each by itself, so that the fault of one is not told to all.
            Err(_) => {
                for arrival in arrivals {
                    let written = self.write_together(std::slice::from_ref(&arrival)).await;
                    let answer = written.and_then(|mut answers| answers.pop().unwrap_or(Err(StoreError::Busy)));
                    let _ = arrival.answer.send(answer);
                }
            }
        }
    }

    /// One answer for each. A reading that is refused is so before anything of it is written; a fault of the file is one of all.
    async fn write_together(&self, arrivals: &[Arrival]) -> Result<Vec<Result<Accepted, StoreError>>, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let readings: Vec<ForTest<'_>> = arrivals.iter().map(Arrival::reading).collect();
        let answers = insert_readings(&mut transaction, &readings).await?;
        transaction.commit().await?;
        Ok(answers)
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
