//! Work that takes its time, away from the threads that answer pages: a bounded number at once, and given up when whoever asked has gone.

use crate::error::AppError;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, LazyLock};
use tokio::sync::Semaphore;

/// As many at once as there are processors; the next ones wait without a thread.
static ROOM: LazyLock<Semaphore> =
    LazyLock::new(|| Semaphore::new(std::thread::available_parallelism().map_or(2, std::num::NonZero::get)));

/// Whether anybody still waits for the answer.
#[derive(Debug, Clone)]
pub struct Asker(Arc<AtomicBool>);

impl Asker {
    /// Long work looks here between its parts.
    pub fn has_gone(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Says that the asker has gone when it is dropped: the server drops a request whose connection is closed.
struct UntilDropped(Asker);

impl Drop for UntilDropped {
    fn drop(&mut self) {
        self.0.0.store(true, Ordering::Relaxed);
    }
}

/// Runs work on a thread of its own.
///
/// # Errors
/// A fault of the program, where the work panicked.
pub async fn run<T: Send + 'static>(work: impl FnOnce(&Asker) -> T + Send + 'static) -> Result<T, AppError> {
    let asker = Asker(Arc::new(AtomicBool::new(false)));
    let _gone = UntilDropped(asker.clone());
    // Never closed, so that a permit always comes; it goes with the work, not with the asker.
    let permit = ROOM.acquire().await.map_err(|error| AppError::failed(&error))?;
    let done = tokio::task::spawn_blocking(move || {
        let _permit = permit;
        work(&asker)
    });
    done.await.map_err(|error| AppError::failed(&error))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;

    #[tokio::test]
    async fn work_ends_when_whoever_asked_has_gone() {
        let (tell, told) = std::sync::mpsc::channel();
        let working = tokio::spawn(run(move |asker: &Asker| {
            while !asker.has_gone() {
                std::thread::sleep(Duration::from_millis(1));
            }
            tell.send(()).unwrap();
        }));
        tokio::time::sleep(Duration::from_millis(50)).await;
        assert!(told.try_recv().is_err(), "it works while somebody waits");
        working.abort();
        let ended = tokio::task::spawn_blocking(move || told.recv_timeout(Duration::from_secs(5))).await.unwrap();
        assert!(ended.is_ok());
    }

    #[tokio::test]
    async fn a_panic_is_a_failure_of_the_program() {
        let failed = run(|_| panic!("no reason")).await;
        assert!(matches!(failed, Err(AppError::Failed(_))));
    }
}
