//! What every handler shares.

use crate::background::copies::Copies;
use crate::background::hub::Hub;
use crate::background::importing::Imports;
use crate::background::log_files::LogFiles;
use crate::gate::sharing::Sharing;
use crate::kept::days::Days;
use crate::kept::digests::{All, Digest, Digests};
use crate::kept::judged::{Depth, Judged, Kept};
use crate::kept::rails::Rails;
use crate::kept::shadows::Shadows;
use flindo_meters::Allowed;
use flindo_store::Store;
use std::sync::Arc;

#[derive(Debug, Clone)]
pub struct AppState {
    pub store: Store,
    pub hub: Hub,
    /// Assessments of tests that have not changed.
    pub kept: Kept,
    /// All tests, summed up.
    pub digests: Digests,
    /// Files that are being brought in.
    pub imports: Imports,
    /// Days of logs, worked out.
    pub days: Days,
    /// Files of other loggers that are being brought in.
    pub log_files: LogFiles,
    /// Drawings of today's sun.
    pub rails: Rails,
    /// Days under a passing shadow.
    pub shadows: Shadows,
    /// Daily copies; none of a demo.
    pub copies: Option<Copies>,
    /// Who is let in from other machines; none where only this one is served.
    pub sharing: Option<Sharing>,
}

impl AppState {
    /// Of a bench that was opened, with its meters listened to from now on.
    pub async fn start(store: Store, allowed: Allowed) -> Result<Self, flindo_store::StoreError> {
        let hub = Hub::new(store.clone(), allowed);
        hub.refresh().await?;
        hub.resume().await?;
        Ok(AppState {
            store,
            hub,
            kept: Kept::default(),
            digests: Digests::default(),
            rails: Rails::default(),
            shadows: Shadows::default(),
            days: Days::default(),
            log_files: LogFiles::default(),
            imports: Imports::default(),
            copies: None,
            sharing: None,
        })
    }

    /// All tests, summed up, the newest first.
    pub async fn all_digests(&self) -> Result<All, crate::error::AppError> {
        self.digests.all(&self.store).await
    }

    /// Some tests, summed up with what the circuit predicts for them.
    pub async fn whole_digests(&self, ids: &[i64]) -> Result<Vec<Arc<Digest>>, crate::error::AppError> {
        self.digests.whole(&self.store, ids).await
    }

    /// A test with its assessment.
    pub async fn judged(&self, test_id: i64, depth: Depth) -> Result<Judged, crate::error::AppError> {
        self.kept.judged(&self.store, test_id, depth).await
    }
}
