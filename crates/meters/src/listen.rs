//! Listens to a meter, and connects again when it is gone.

use crate::allowed::Allowed;
use crate::session::{Ear, Ended, Received};
use crate::source::Source;
use crate::{lines, modbus, now_ms, scpi};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio_util::sync::CancellationToken;

const FIRST_RETRY: Duration = Duration::from_millis(300);
const LAST_RETRY: Duration = Duration::from_secs(5);

/// Listens until `cancel`, or until nobody takes what is heard. A full channel holds the meter back; nothing is dropped.
pub async fn listen(source: Source, out: mpsc::Sender<Received>, allowed: Allowed, cancel: CancellationToken) {
    let _ = cancel.run_until_cancelled(keep_listening(&source, &Ear::new(out, allowed))).await;
}

/// What a file with times of its own already holds, from its first line on; of other meters nothing.
pub async fn already_written(source: Source, out: mpsc::Sender<Received>, allowed: Allowed) {
    match source {
        Source::File { path, columns, .. } => {
            let ear = Ear::new(out, allowed);
            if let Err(ended) = lines::whole(&path, &columns, &ear).await
                && !matches!(ended, Ended::Unheard)
            {
                tracing::warn!(path = %path.display(), "a file was not read to its end: {ended}");
            }
        }
        Source::Scpi { .. } | Source::Lines { .. } | Source::Modbus { .. } => {}
    }
}

async fn keep_listening(source: &Source, ear: &Ear) {
    let mut wait = FIRST_RETRY;
    loop {
        let begun_ms = now_ms();
        ear.begin();
        let ended = match source {
            Source::Scpi { address, queries, poll } => scpi::session(address, queries, *poll, ear).await,
            Source::Lines { address, columns } => lines::session(address, columns, ear).await,
            Source::File { path, columns, poll } => lines::follow(path, columns, *poll, ear).await,
            Source::Modbus { address, unit, registers, poll } => modbus::session(address, *unit, registers, *poll, ear).await,
        };
        if matches!(ended, Ended::Unheard) || ear.tell(ear.lost(&ended, &source.place())).await.is_err() {
            return;
        }
        // One that was there for a while is asked again at once.
        wait = if now_ms() - begun_ms > 5000 { FIRST_RETRY } else { (wait * 2).min(LAST_RETRY) };
        tokio::time::sleep(wait).await;
    }
}
