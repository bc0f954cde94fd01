//! What ratings say a panel gives.

use crate::error::AppError;
use crate::state::AppState;
use flindo_core::record::test::PanelRecord;
use flindo_core::review::league::{By, Ranked, league};

/// The watts at STC that a panel's ratings came to, with their interval in percent.
pub async fn measured(state: &AppState, tag: &str) -> Result<Option<(f64, f64)>, AppError> {
    let panels: Vec<PanelRecord> = state.store.register().await?.panels.iter().map(flindo_store::panel_record).collect();
    let found = league(&state.all_digests().await?.summaries(), &panels, Ranked::Panels, By::StcWatts);
    let of_panel = found.entries.iter().find(|entry| entry.name == tag);
    Ok(of_panel.map(|entry| (entry.figure.value, 100.0 * entry.figure.u / entry.figure.value.max(1e-9))))
}
