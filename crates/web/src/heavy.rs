//! Work that takes its time, away from the threads that answer pages: a bounded number at once, and given up when whoever asked has gone.
//!
//! Pages and programs have places of their own, so that a program with a long list never holds up a page. What programs ask for is weighed
//! before it begins: beyond [`MOST_WAITING`] of work it is refused, with the time after which to ask again.

use crate::error::AppError;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, LazyLock};
use std::time::Duration;
use tokio::sync::{Semaphore, SemaphorePermit};

fn processors() -> usize {
    std::thread::available_parallelism().map_or(2, std::num::NonZero::get)
}

/// As many pages at once as there are processors; the next ones wait without a thread.
static PAGES: LazyLock<Semaphore> = LazyLock::new(|| Semaphore::new(processors()));

/// Programs leave one processor to the pages.
static PROGRAMS: LazyLock<Semaphore> = LazyLock::new(|| Semaphore::new(places_of_programs()));

fn places_of_programs() -> usize {
    processors().saturating_sub(1).max(1)
}

/// What programs have asked for and not got yet, as it was weighed.
static WAITING: Waiting = Waiting(AtomicU64::new(0));

/// Work that may wait at once.
pub const MOST_WAITING: Duration = Duration::from_secs(120);

/// Work of programs that goes with that of pages: a page takes about as long.
const SHORT: Duration = Duration::from_millis(500);

/// Microseconds of work.
#[derive(Debug)]
struct Waiting(AtomicU64);

impl Waiting {
    /// Takes a call on, or says after which time there is room again. One alone is always taken: its own bounds hold it.
    fn take(&'static self, work: Duration) -> Result<Weighed, Duration> {
        let us = u64::try_from(work.as_micros()).unwrap_or(u64::MAX);
        let most = u64::try_from(MOST_WAITING.as_micros()).unwrap_or(u64::MAX);
        let taken = self.0.fetch_update(Ordering::SeqCst, Ordering::SeqCst, |waiting| {
            (waiting == 0 || waiting.saturating_add(us) <= most).then(|| waiting.saturating_add(us))
        });
        match taken {
            Ok(_) => Ok(Weighed { of: self, us }),
            Err(waiting) => {
                let too_much = waiting.saturating_add(us).saturating_sub(most).min(waiting);
                Err(Duration::from_micros(too_much / places_of_programs() as u64))
            }
        }
    }
}

/// A call that was taken on; it weighs nothing any more when it is done or given up.
#[derive(Debug)]
struct Weighed {
    of: &'static Waiting,
    us: u64,
}

impl Drop for Weighed {
    fn drop(&mut self) {
        self.of.0.fetch_sub(self.us, Ordering::SeqCst);
    }
}

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

/// Runs the work of a page on a thread of its own.
///
/// # Errors
/// A fault of the program, where the work panicked.
pub async fn run<T: Send + 'static>(work: impl FnOnce(&Asker) -> T + Send + 'static) -> Result<T, AppError> {
    let asker = Asker(Arc::new(AtomicBool::new(false)));
    let _gone = UntilDropped(asker.clone());
    // Never closed, so that a permit always comes.
    let permit = PAGES.acquire().await.map_err(|error| AppError::failed(&error))?;
    on_a_thread(permit, asker, (), work).await
}

/// Runs what a program asked for, which is about so much work.
///
/// # Errors
/// Where programs have asked for too much already; a fault of the program, where the work panicked.
pub async fn run_for_program<T: Send + 'static>(
    about: Duration,
    work: impl FnOnce(&Asker) -> T + Send + 'static,
) -> Result<T, AppError> {
    let weighed = WAITING.take(about).map_err(|after| AppError::TooMuch { after_s: after.as_secs() + 1 })?;
    let asker = Asker(Arc::new(AtomicBool::new(false)));
    let _gone = UntilDropped(asker.clone());
    // What is short does not stand behind what is long.
    let room = if about <= SHORT { &PAGES } else { &PROGRAMS };
    let permit = room.acquire().await.map_err(|error| AppError::failed(&error))?;
    on_a_thread(permit, asker, weighed, work).await
}

/// The permit and what was weighed go with the work, not with the asker.
async fn on_a_thread<T: Send + 'static>(
    permit: SemaphorePermit<'static>,
    asker: Asker,
    weighed: impl Send + 'static,
    work: impl FnOnce(&Asker) -> T + Send + 'static,
) -> Result<T, AppError> {
    let done = tokio::task::spawn_blocking(move || {
        let _held = (permit, weighed);
        work(&asker)
    });
    done.await.map_err(|error| AppError::failed(&error))
}

#[cfg(test)]
mod tests {
    use super::*;

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

    #[test]
    fn beyond_two_minutes_of_work_the_next_waits() {
        static OF_TEST: Waiting = Waiting(AtomicU64::new(0));
        let s = Duration::from_secs;
        // One alone is taken whatever it is.
        drop(OF_TEST.take(s(4000)).unwrap());
        let first = OF_TEST.take(s(100)).unwrap();
        let second = OF_TEST.take(s(20)).unwrap();
        let after = OF_TEST.take(s(30)).unwrap_err();
        assert_eq!(after, s(30) / u32::try_from(places_of_programs()).unwrap());
        drop(first);
        let third = OF_TEST.take(s(100)).unwrap();
        assert!(OF_TEST.take(Duration::from_micros(1)).is_err());
        drop((second, third));
        assert_eq!(OF_TEST.0.load(Ordering::SeqCst), 0);
    }

    #[tokio::test]
    async fn a_panic_is_a_failure_of_the_program() {
        let failed = run(|_| panic!("no reason")).await;
        assert!(matches!(failed, Err(AppError::Failed(_))));
    }
}
