//! Readings are written by whoever comes first, with all that wait.

use crate::connections::Store;
use crate::error::StoreError;
use crate::queue::{Arrival, LastWrite};
use crate::rows::reading::{Accepted, NewReading};
use crate::together::{ForTest, insert_readings};
use jiff::Timestamp;
use std::time::Instant;
use tokio::sync::oneshot;

impl Store {
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
        let readings: Vec<ForTest<'_>> = arrivals.iter().map(reading).collect();
        let answers = insert_readings(&mut transaction, &readings).await?;
        transaction.commit().await?;
        Ok(answers)
    }
}

fn reading(arrival: &Arrival) -> ForTest<'_> {
    ForTest { test_id: arrival.test_id, new: &arrival.new, accepted_utc: arrival.accepted_utc }
}
