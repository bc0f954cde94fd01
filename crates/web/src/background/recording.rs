//! A meter written into a log: samples wait for the disk, batches are tried again, and what cannot be written is counted and told.

use flindo_store::{LogEvent, LogEventKind, NewSample, Store};
use jiff::Timestamp;
use std::sync::Arc;
use std::sync::atomic::{AtomicI64, AtomicUsize, Ordering};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio::task::JoinHandle;

/// Samples are written to the bench this often: what a power cut can cost.
const WRITE_EVERY: Duration = Duration::from_secs(1);

/// Between two writes it is looked this often whether samples pile up.
const LOOKS: u32 = 50;

/// Samples that may wait for the disk.
const WAITING_SAMPLES: usize = 4096;

/// A batch that the disk refuses is tried this often, a second apart; then it is given up, and counted.
const MOST_TRIES: u32 = 60;

/// A sample waits this long for room among those that wait; then it is counted as lost.
const LONGEST_WAIT: Duration = Duration::from_secs(2);

/// One log that is written.
#[derive(Debug)]
pub struct Recording {
    pub log_id: i64,
    /// The run it was begun in.
    pub run_id: Option<i64>,
    out: mpsc::Sender<NewSample>,
    writer: JoinHandle<()>,
    /// Taken from the meter, and neither written nor given up.
    waiting: Arc<AtomicUsize>,
    no_room: Arc<NoRoom>,
}

/// The way of samples into a log.
#[derive(Debug, Clone)]
pub struct Inlet {
    out: mpsc::Sender<NewSample>,
    waiting: Arc<AtomicUsize>,
    no_room: Arc<NoRoom>,
}

/// Samples for which there was no room, until the log says so.
#[derive(Debug, Default)]
struct NoRoom {
    count: AtomicUsize,
    /// When the first of them was taken, ms.
    first_ms: AtomicI64,
}

impl NoRoom {
    fn add(&self, at_ms: i64) {
        if self.count.fetch_add(1, Ordering::SeqCst) == 0 {
            self.first_ms.store(at_ms, Ordering::SeqCst);
        }
    }

    /// What has to be told, as an event of the log.
    fn take(&self) -> Option<LogEvent> {
        let first_ms = self.first_ms.load(Ordering::SeqCst);
        let count = self.count.swap(0, Ordering::SeqCst);
        (count > 0).then_some(LogEvent { at_ms: first_ms, what: LogEventKind::Lost, samples: count as i64 })
    }
}

impl Inlet {
    /// Puts a sample among those that wait. A disk that lags holds the meter back for a moment, and then costs samples, not the display:
    /// each is counted, and the log tells of them once the disk takes something again.
    pub async fn put(&self, sample: NewSample) {
        self.waiting.fetch_add(1, Ordering::Relaxed);
        if self.out.send_timeout(sample, LONGEST_WAIT).await.is_err() {
            self.waiting.fetch_sub(1, Ordering::Relaxed);
            self.no_room.add(sample.at_ms);
            tracing::warn!(quantity = sample.quantity.name(), "a sample found no room and is lost");
        }
    }
}

impl Recording {
    /// Begins to write into a log.
    pub fn start(store: Store, log_id: i64, run_id: Option<i64>) -> Self {
        let (out, samples) = mpsc::channel(WAITING_SAMPLES);
        let (waiting, no_room) = (Arc::new(AtomicUsize::new(0)), Arc::new(NoRoom::default()));
        let writer = tokio::spawn(write(store, log_id, samples, Arc::clone(&waiting), Arc::clone(&no_room)));
        Recording { log_id, run_id, out, writer, waiting, no_room }
    }

    pub fn inlet(&self) -> Inlet {
        Inlet { out: self.out.clone(), waiting: Arc::clone(&self.waiting), no_room: Arc::clone(&self.no_room) }
    }

    /// Writes what waits, for no longer than `deadline`; answers how many samples are lost.
    pub async fn finish(self, deadline: Duration) -> usize {
        let Recording { out, mut writer, waiting, log_id, run_id: _, no_room: _ } = self;
        // The writer writes what waits and ends.
        drop(out);
        if tokio::time::timeout(deadline, &mut writer).await.is_ok() {
            return 0;
        }
        writer.abort();
        let lost = waiting.load(Ordering::Relaxed);
        tracing::error!(log_id, lost, "samples could not be written in time and are lost");
        lost
    }
}

async fn write(
    store: Store,
    log_id: i64,
    mut samples: mpsc::Receiver<NewSample>,
    waiting: Arc<AtomicUsize>,
    no_room: Arc<NoRoom>,
) {
    let mut batch = Vec::new();
    // Whatever waits is written together.
    while samples.recv_many(&mut batch, WAITING_SAMPLES).await > 0 {
        if !write_batch(&store, log_id, &batch).await {
            tracing::error!(log_id, lost = batch.len(), "the disk took no samples for a minute: these are lost");
            let at_ms = batch.first().map_or_else(|| Timestamp::now().as_millisecond(), |sample| sample.at_ms);
            tell_lost(&store, log_id, LogEvent { at_ms, what: LogEventKind::Lost, samples: batch.len() as i64 }).await;
        }
        if let Some(lost) = no_room.take() {
            tell_lost(&store, log_id, lost).await;
        }
        waiting.fetch_sub(batch.len(), Ordering::Relaxed);
        batch.clear();
        // One write a second for a meter that leaves time for it; a fast one or a stop does not wait.
        for _ in 0..LOOKS {
            if samples.is_closed() || samples.len() > WAITING_SAMPLES / 4 {
                break;
            }
            tokio::time::sleep(WRITE_EVERY / LOOKS).await;
        }
    }
}

/// `false` where the disk refused it every time.
async fn write_batch(store: &Store, log_id: i64, batch: &[NewSample]) -> bool {
    for _ in 0..MOST_TRIES {
        match store.add_samples(log_id, batch).await {
            Ok(()) => return true,
            Err(error) => {
                store.note_failure(&error);
                tracing::error!(%error, log_id, "samples wait for the bench");
                tokio::time::sleep(WRITE_EVERY).await;
            }
        }
    }
    false
}

/// Names the loss in the log; a disk that takes no samples may not take this either, and then the server's own log has it.
async fn tell_lost(store: &Store, log_id: i64, event: LogEvent) {
    if let Err(error) = store.add_log_event(log_id, event).await {
        tracing::error!(%error, log_id, "the loss could not be written into the log");
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::measure::quantity::Quantity;

    /// A channel of one place that nobody empties: the second and third sample find no room.
    #[tokio::test(start_paused = true)]
    async fn a_sample_that_found_no_room_is_counted_as_lost() {
        let (out, _samples) = mpsc::channel(1);
        let inlet = Inlet { out, waiting: Arc::default(), no_room: Arc::default() };
        for at_ms in [100, 200, 300] {
            inlet.put(NewSample { quantity: Quantity::Power, at_ms, value: 1.0 }).await;
        }
        assert_eq!(inlet.waiting.load(Ordering::Relaxed), 1);
        assert_eq!(inlet.no_room.take(), Some(LogEvent { at_ms: 200, what: LogEventKind::Lost, samples: 2 }));
        assert_eq!(inlet.no_room.take(), None, "told once");
    }
}
