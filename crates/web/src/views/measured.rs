//! What ratings say a panel gives.

use crate::error::AppError;
use crate::state::AppState;
use flindo_core::review::league::{By, Ranked};

/// The watts at STC that a panel's ratings came to, with their interval in percent.
pub async fn measured(state: &AppState, tag: &str) -> Result<Option<(f64, f64)>, AppError> {
    let (all, register) = (state.all_digests().await?, state.store.register().await?);
    let found = state.kept.leagues.of(&all, &register, Ranked::Panels, By::StcWatts);
    let of_panel = found.entries.iter().find(|entry| entry.name == tag);
    Ok(of_panel.map(|entry| (entry.figure.value, 100.0 * entry.figure.u / entry.figure.value.max(1e-9))))
}
