//! Files of other loggers that are being brought in: they go on when the page is closed, stop when somebody wants it, and go on again.

use flindo_store::{LogFileError, LogProgress, Store};
use std::collections::HashMap;
use std::sync::atomic::Ordering;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::watch;

/// One file at work.
#[derive(Debug, Clone)]
struct Running {
    progress: Arc<LogProgress>,
    ended: watch::Receiver<bool>,
}

/// The files at work, and why the last of each stopped.
#[derive(Debug, Clone, Default)]
pub struct LogFiles(Arc<Mutex<Inner>>);

#[derive(Debug, Default)]
struct Inner {
    running: HashMap<i64, Running>,
    failed: HashMap<i64, String>,
}

impl LogFiles {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Brings in a file from where it stands, on a thread of its own; one that is being brought in goes on.
    pub fn start(&self, store: Store, id: i64) {
        let (tell, ended) = watch::channel(false);
        let progress = Arc::new(LogProgress::default());
        {
            let mut inner = self.inner();
            if inner.running.contains_key(&id) {
                return;
            }
            inner.failed.remove(&id);
            inner.running.insert(id, Running { progress: Arc::clone(&progress), ended });
        }
        let (files, runtime) = (self.clone(), tokio::runtime::Handle::current());
        tokio::task::spawn_blocking(move || {
            let done = runtime.block_on(store.bring_in_log(id, &progress));
            let mut inner = files.inner();
            inner.running.remove(&id);
            if let Err(error) = done {
                if let LogFileError::Store(error) = &error {
                    store.note_failure(error);
                }
                tracing::error!(%error, id, "a log was not brought in whole");
                inner.failed.insert(id, error.to_string());
            }
            drop(inner);
            // Nobody may wait for it.
            let _ = tell.send(true);
        });
    }

    /// Stops a file after the part that is being written.
    pub async fn stop(&self, id: i64) {
        if let Some(running) = self.running(id) {
            running.progress.is_stopped.store(true, Ordering::Relaxed);
            self.ended(id, Duration::from_secs(10)).await;
        }
    }

    /// Waits for the end of a file, but no longer than this.
    pub async fn ended(&self, id: i64, longest: Duration) {
        if let Some(mut running) = self.running(id) {
            let _ = tokio::time::timeout(longest, running.ended.wait_for(|ended| *ended)).await;
        }
    }

    fn running(&self, id: i64) -> Option<Running> {
        self.inner().running.get(&id).cloned()
    }

    pub fn is_running(&self, id: i64) -> bool {
        self.inner().running.contains_key(&id)
    }

    /// Why it stopped, as a sentence.
    pub fn failure(&self, id: i64) -> Option<String> {
        self.inner().failed.get(&id).cloned()
    }
}
