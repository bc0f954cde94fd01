//! What stands between a test and its capture: the stops of its rig's preflight, and those that somebody goes on in spite of.

use crate::error::AppError;
use crate::state::AppState;
use crate::words::preflight::{self as words, ItemWords};
use flindo_core::preflight::item::{Item, Level};
use flindo_core::preflight::preflight;
use flindo_store::{Acknowledgement, PlaceRow, Test, rig_of};
use jiff::Timestamp;

/// The findings of a test's rig as it stands at a place; none without a rig, or of one that is not whole.
pub async fn findings(state: &AppState, place: Option<&PlaceRow>, test: &Test) -> Result<Vec<Item>, AppError> {
    let Some(rig_id) = test.rig_id else { return Ok(Vec::new()) };
    let row = state.store.rig(rig_id).await?;
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    Ok(rig_of(&row.draft, &panels, &gear, place).map(|rig| preflight(&rig)).unwrap_or_default())
}

/// Stops that nobody acknowledged as they are now.
pub async fn open(state: &AppState, place: Option<&PlaceRow>, test: &Test) -> Result<Vec<ItemWords>, AppError> {
    let known = state.store.acknowledgements(test.id).await?;
    let is_open = |item: &ItemWords| item.level == Level::Stop && !known.iter().any(|known| known.key == item.key);
    Ok(findings(state, place, test).await?.iter().map(words::item).filter(is_open).collect())
}

/// Goes on in spite of the stops that are named by their keys. Answers what is still open.
pub async fn acknowledge(
    state: &AppState,
    test_id: i64,
    open: Vec<ItemWords>,
    named: &[&str],
) -> Result<Vec<ItemWords>, AppError> {
    let (known, left): (Vec<_>, Vec<_>) = open.into_iter().partition(|item| named.contains(&item.key.as_str()));
    for item in known {
        let why = format!("{}: {} {}", item.place, item.figure, item.why);
        let known = Acknowledgement { key: item.key, risk: item.risk.to_owned(), why, at_utc: Timestamp::now() };
        state.store.acknowledge(test_id, &known).await?;
    }
    Ok(left)
}
