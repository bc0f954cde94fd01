//! What every handler shares.

use flindo_store::Store;

#[derive(Debug, Clone)]
pub struct AppState {
    pub store: Store,
}
