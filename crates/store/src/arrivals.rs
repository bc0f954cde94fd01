//! Readings that arrive while another is being written wait for it, and are then written together: one write to the disk keeps and acknowledges all of them.
//! Without this the fiftieth of fifty browsers would wait for fifty of them.

use crate::error::StoreError;
use crate::readings::{Accepted, NewReading, insert_reading};
use jiff::Timestamp;
use std::sync::{Mutex, PoisonError};
use tokio::sync::oneshot;

/// A reading that waits to be written.
#[derive(Debug)]
struct Arrival {
    test_id: i64,
    new: NewReading,
    accepted_utc: Timestamp,
    answer: oneshot::Sender<Result<Accepted, StoreError>>,
}

/// Readings that wait, in the order in which they came.
#[derive(Debug, Default)]
pub(crate) struct Arrivals {
    waiting: Mutex<Vec<Arrival>>,
    /// Held by whoever writes.
    turn: tokio::sync::Mutex<()>,
}

/// More than these are written in parts, so that no transaction grows without bounds.
const MOST_TOGETHER: usize = 500;

impl Arrivals {
    fn add(&self, arrival: Arrival) {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner).push(arrival);
    }

    fn take(&self) -> Vec<Arrival> {
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
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
        let _turn = self.arrivals.turn.lock().await;
        let arrivals = self.arrivals.take();
        if arrivals.is_empty() {
            return;
        }
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
        let mut answers = Vec::with_capacity(arrivals.len());
        for Arrival { test_id, new, accepted_utc, .. } in arrivals {
            answers.push(match insert_reading(&mut transaction, *test_id, new, *accepted_utc, None).await {
                Err(error) if error.is_of_the_file() => return Err(error),
                answer => answer,
            });
        }
        transaction.commit().await?;
        Ok(answers)
    }
}
