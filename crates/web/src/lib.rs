//! The server: pages for people, JSON for programs. It shows what the core computes and keeps what the store remembers.
//!
//! | part | what it does |
//! |---|---|
//! | [`cli`] | the command line: which bench, which address |
//! | `router` | every route on one screen |
//! | `pages` | the rooms, `today` to `bench`: one file a page: extract, load, ask the core, save, view |
//! | `report` | what is handed to somebody else: reports of tests and reviews, as one file, and such a file held against its data |
//! | `views` | parts of pages that several of them show, reports too |
//! | `api` | JSON; the path of the file is the path of the route |
//! | `door` | what was typed or sent, on its way in: both doors, pages and programs, use the same |
//! | `gate` | connections, who is let in from other machines, what is refused |
//! | `kept` | assessments, digests, days and drawings, kept while what they were made from stays the same |
//! | `background` | what goes on without a page: meters listened to, logs recorded, files brought in, daily copies |
//! | `draw` | one file a drawing: values of the core to SVG |
//! | `rooms` | the navigation: rooms, and the pages of each |
//! | `figures` | the only place that rounds and adds units |
//! | `words` | findings and reasons as sentences |
//! | `workings` | how each figure came about, for whoever opens it |
//! | `simulate` | the stand-ins of the demo and of the command line |
//! | `day` | the civil day of a place, for the core |
//! | `heavy` | work that takes its time, with places of its own |
//! | `state` | what every request reaches |
//! | `error`, `assets`, `frame` | what every answer shares |
//! | `demo` | the made-up bench |

// A new variant has to be met wherever variants are told apart.
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

mod api;
mod assets;
mod background;
mod calendar;
pub mod cli;
mod day;
mod demo;
mod door;
mod draw;
mod error;
mod escape;
mod figures;
mod frame;
pub mod gate;
mod heavy;
mod kept;
pub mod memory;
mod pages;
mod report;
mod rooms;
mod router;
mod simulate;
mod state;
mod views;
mod words;
mod workings;

pub use demo::fill as fill_demo;
pub use router::router;
pub use state::AppState;
use std::time::Duration;

/// Requests that are half sent when the program is told to stop are given this long.
const LONGEST_STOP: Duration = Duration::from_secs(3);

/// Serves until `shutdown` resolves, then finishes what was accepted and closes the bench.
pub async fn run(
    listener: tokio::net::TcpListener,
    state: AppState,
    shutdown: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let AppState { store, hub, copies, .. } = state.clone();
    let tidying = tokio::spawn(state.kept.clone().tidy());
    let warming = tokio::spawn(state.kept.digests.clone().fill(store.clone()));
    let copying = copies.map(|copies| tokio::spawn(copies.daily(store.clone())));
    let closing = hub.clone();
    let (told, was_told) = tokio::sync::oneshot::channel();
    let stop = async move {
        shutdown.await;
        // Nobody waits for it any more where the server has ended by itself.
        let _ = told.send(());
        // Open event streams would keep the server from ever being done.
        closing.close().await;
    };
    let too_late = async {
        match was_told.await {
            Ok(()) => tokio::time::sleep(LONGEST_STOP).await,
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! {
        () = gate::serve::serve(listener, router(state), stop) => {}
        () = too_late => tracing::warn!("stopped with requests half sent; nothing that was acknowledged is lost"),
    }
    warming.abort();
    tidying.abort();
    if let Some(copying) = copying {
        copying.abort();
    }
    // A request that hangs may hold a connection: what was acknowledged is on the disk all the same.
    let _ = tokio::time::timeout(Duration::from_secs(1), store.close()).await;
    Ok(())
}
