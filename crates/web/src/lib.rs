//! The server: pages for people, JSON for programs. It shows what the core computes and keeps what the store remembers.
//!
//! | part | what it does |
//! |---|---|
//! | [`cli`] | the command line: which bench, which address |
//! | [`router`] | every route on one screen |
//! | `pages` | one file a page: extract, load, ask the core, save, view |
//! | `api` | JSON; the path of the file is the path of the route |
//! | `draw` | one file a drawing: values of the core to SVG |
//! | `figures` | the only place that rounds and adds units |
//! | `words` | findings and reasons as sentences |
//! | `workings` | how each figure came about, for whoever opens it |
//! | `live` | meters that are listened to, logs that are recorded, pages that watch |
//! | `making` | a new test out of what a page or a program says of it |
//! | `simulate` | the stand-ins of the demo and of the command line |
//! | `day` | the civil day of a place, for the core |
//! | `error`, `refused`, `security`, `assets`, `frame` | what every answer shares |
//! | `demo` | the made-up bench |

mod api;
mod assets;
pub mod cli;
mod day;
mod demo;
mod draw;
mod error;
mod figures;
mod frame;
mod live;
mod making;
mod pages;
mod refused;
mod router;
mod security;
mod simulate;
mod state;
mod words;
mod workings;

pub use demo::fill as fill_demo;
pub use router::router;
pub use state::AppState;

/// Serves until `shutdown` resolves, then finishes what was accepted and closes the bench.
pub async fn run(
    listener: tokio::net::TcpListener,
    state: AppState,
    shutdown: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let AppState { store, hub } = state.clone();
    let closing = hub.clone();
    let stop = async move {
        shutdown.await;
        // Open event streams would keep the server from ever being done.
        closing.close().await;
    };
    axum::serve(listener, router(state)).with_graceful_shutdown(stop).await?;
    store.close().await;
    Ok(())
}
