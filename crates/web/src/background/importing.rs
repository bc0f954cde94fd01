//! Files that are being brought in: they go on when the page is closed, and whoever opens it again sees how far they are.

use flindo_store::Store;
use flindo_store::exchange::{ImportError, Imported, Progress};
use jiff::Timestamp;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::watch;

/// Files whose outcome is remembered.
const MOST_REMEMBERED: usize = 20;

/// Why a file was not brought in, for the page: the sentence, and whether the file is at fault.
#[derive(Debug, Clone)]
pub struct Failed {
    pub sentence: String,
    pub is_of_file: bool,
}

/// What became of a file; `None` while it is brought in.
type Outcome = Option<Result<Imported, Failed>>;

/// One file.
#[derive(Debug)]
pub struct Running {
    pub number: u64,
    /// The test that takes its readings; `None` for the bench.
    pub into: Option<i64>,
    progress: Arc<Progress>,
    outcome: watch::Receiver<Outcome>,
}

impl Running {
    /// How much of it is in, percent.
    pub fn percent(&self) -> u64 {
        let (done, total) = (self.progress.done.load(Ordering::Relaxed), self.progress.total.load(Ordering::Relaxed));
        (done * 100).checked_div(total).unwrap_or(0).min(100) as u64
    }

    pub fn outcome(&self) -> Outcome {
        self.outcome.borrow().clone()
    }

    /// Waits for its end, but no longer than a person waits for a page.
    pub async fn ended(&self, longest: Duration) {
        let mut outcome = self.outcome.clone();
        // Late is no failure: the page shows how far it is.
        let _ = tokio::time::timeout(longest, outcome.wait_for(Option::is_some)).await;
    }
}

/// The files of this run of the program.
#[derive(Debug, Clone, Default)]
pub struct Imports(Arc<Inner>);

#[derive(Debug, Default)]
struct Inner {
    count: AtomicU64,
    known: Mutex<VecDeque<Arc<Running>>>,
}

impl Imports {
    /// Begins to bring in a file, on a thread of its own.
    pub fn start(&self, store: Store, bytes: Vec<u8>, into: Option<i64>) -> Arc<Running> {
        let progress = Arc::new(Progress::default());
        let (tell, outcome) = watch::channel(None);
        let number = self.0.count.fetch_add(1, Ordering::Relaxed) + 1;
        let running = Arc::new(Running { number, into, progress: Arc::clone(&progress), outcome });
        let runtime = tokio::runtime::Handle::current();
        tokio::task::spawn_blocking(move || {
            let done = runtime.block_on(store.import(&bytes, into, Timestamp::now(), &progress));
            // Nobody may look any more.
            let _ = tell.send(Some(done.map_err(|error| {
                let is_of_file = matches!(error, ImportError::At { .. } | ImportError::File(_));
                if let ImportError::Store(error) = &error {
                    store.note_failure(error);
                    tracing::error!(%error, "a file was not brought in");
                }
                Failed { sentence: error.to_string(), is_of_file }
            })));
        });
        let mut known = self.0.known.lock().unwrap_or_else(PoisonError::into_inner);
        if known.len() >= MOST_REMEMBERED {
            known.pop_front();
        }
        known.push_back(Arc::clone(&running));
        running
    }

    pub fn get(&self, number: u64) -> Option<Arc<Running>> {
        let known = self.0.known.lock().unwrap_or_else(PoisonError::into_inner);
        known.iter().find(|running| running.number == number).cloned()
    }
}
