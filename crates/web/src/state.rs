//! What every handler shares.

use crate::background::copies::Copies;
use crate::background::hub::Hub;
use crate::background::importing::Imports;
use crate::background::log_files::LogFiles;
use crate::gate::sharing::Sharing;
use crate::kept::Kept;
use crate::kept::assessments::{Depth, Judged};
use crate::kept::digests::{All, Digest};
use flindo_meters::Allowed;
use flindo_store::Store;
use std::sync::Arc;
use tokio::sync::{Mutex, OwnedMutexGuard};

#[derive(Debug, Clone)]
pub struct AppState {
    pub store: Store,
    pub hub: Hub,
    /// What was worked out and has not changed.
    pub kept: Kept,
    /// Files that are being brought in.
    pub imports: Imports,
    /// Files of other loggers that are being brought in.
    pub log_files: LogFiles,
    /// Daily copies; none of a demo.
    pub copies: Option<Copies>,
    /// Who is let in from other machines; none where only this one is served.
    pub sharing: Option<Sharing>,
    /// Held while an edit is compared with what is there and saved; see [`AppState::turn_to_edit`].
    editing: Arc<Mutex<()>>,
}

impl AppState {
    /// Of a bench that was opened, with its meters listened to from now on.
    pub async fn start(store: Store, allowed: Allowed) -> Result<Self, flindo_store::StoreError> {
        let state = AppState::still(store, allowed);
        state.hub.refresh().await?;
        state.hub.resume().await?;
        Ok(state)
    }

    /// Of a bench whose meters are not listened to.
    pub fn still(store: Store, allowed: Allowed) -> Self {
        AppState {
            hub: Hub::new(store.clone(), allowed),
            store,
            kept: Kept::default(),
            log_files: LogFiles::default(),
            imports: Imports::default(),
            copies: None,
            sharing: None,
            editing: Arc::default(),
        }
    }

    /// One edit at a time, from reading what is there until it is saved: of two that were filled from the same state the second is told of
    /// the first. This process alone writes the bench, so that nobody else comes between.
    pub async fn turn_to_edit(&self) -> OwnedMutexGuard<()> {
        Arc::clone(&self.editing).lock_owned().await
    }

    /// All tests, summed up, the newest first.
    pub async fn all_digests(&self) -> Result<All, crate::error::AppError> {
        self.kept.digests.all(&self.store).await
    }

    /// Some tests, summed up with what the circuit predicts for them.
    pub async fn whole_digests(&self, ids: &[i64]) -> Result<Vec<Arc<Digest>>, crate::error::AppError> {
        self.kept.digests.whole(&self.store, ids).await
    }

    /// A test with its assessment.
    pub async fn judged(&self, test_id: i64, depth: Depth) -> Result<Judged, crate::error::AppError> {
        self.kept.assessments.judged(&self.store, test_id, depth).await
    }
}
