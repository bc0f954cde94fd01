//! The logs of the bench.

use crate::door::paging::{LOGS_ON_A_PAGE, Paging};
use crate::door::typed::Pairs;
use crate::error::AppError;
use crate::figures::{clock_short, day as day_words};
use crate::frame::Frame;
use crate::pages::measure::log::links;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};

struct LogLine {
    id: i64,
    name: String,
    when: String,
    samples: i64,
    state: &'static str,
    of: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "logs.html")]
pub struct LogsPage {
    frame: Frame,
    logs: Vec<LogLine>,
    /// Files that are not all in: id, name.
    open: Vec<(i64, String)>,
    part: Paging,
}

/// All logs, the newest first.
pub async fn list(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<LogsPage, AppError> {
    let recording: Vec<i64> = state.hub.recording().await;
    let part = Paging::of_logs(&query, usize::try_from(state.store.count_logs().await?).unwrap_or_default());
    let logs = state.store.logs(part.newer_ones() as i64, LOGS_ON_A_PAGE as i64).await?;
    let open = state.store.open_log_files().await?;
    let mut lines = Vec::new();
    for log in logs {
        let of = links(&state.store.of_log(log.clone()).await?);
        let is_open = log.file_id.is_some_and(|file| open.iter().any(|one| one.id == file));
        lines.push(LogLine {
            id: log.id,
            when: format!("{}, {}", day_words(log.started_utc, &frame.time_zone), clock_short(log.started_utc, &frame.time_zone)),
            samples: log.samples,
            state: match log.ended_utc {
                _ if is_open => "not all of it is in",
                Some(_) => "complete",
                None if recording.contains(&log.id) => "recording",
                None => "cut off",
            },
            of: of.into_iter().map(|(_, words)| words).next().unwrap_or_default(),
            name: log.name,
        });
    }
    let open = open.into_iter().map(|file| (file.id, file.name)).collect();
    Ok(LogsPage { logs: lines, open, part, frame })
}
