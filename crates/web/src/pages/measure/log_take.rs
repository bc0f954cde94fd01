//! A stretch of a log taken as a reading of its test.

use crate::door::taking::from_log;
use crate::door::typed::{Notes, Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::pages::measure::log::{fields, show};
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::window::Window;
use jiff::civil::Date;

/// Takes a stretch of a log as a reading of its test: the mean of each quantity, with the range in which 95 of 100 of its samples lie.
pub async fn take(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let log = state.store.log_recorded(id).await?;
    let mut notes = Notes::default();
    let day =
        value(&typed, "day").parse::<Date>().unwrap_or_else(|_| log.row.started_utc.to_zoned_datetime(log.zone.clone()).date());
    let mut at = |field: &'static str| {
        let text = value(&typed, field).trim();
        let time = text.parse::<jiff::civil::Time>().ok().and_then(|time| log.zone.to_timestamp(day.to_datetime(time)).ok());
        if time.is_none() {
            notes.add(field, "refused", format!("\u{201c}{text}\u{201d} is not a time of the day: write 12:34 or 12:34:56."));
        }
        time.map(|time| time.as_millisecond() as f64 / 1000.0)
    };
    let (from_s, to_s) = (at("from"), at("to"));
    if let (Some(from_s), Some(to_s)) = (from_s, to_s)
        && to_s <= from_s
    {
        notes.add("to", "refused", "The end is not after the beginning.".to_owned());
    }
    let (Some(from_s), Some(to_s), false) = (from_s, to_s, notes.has("refused")) else {
        let mut all = fields(&log.row.belongs);
        all.extend(typed.iter().filter(|(name, _)| name == "from" || name == "to").cloned());
        let query = vec![("day".to_owned(), day.to_string())];
        return Ok(
            (axum::http::StatusCode::UNPROCESSABLE_ENTITY, show(&state, frame, log, &query, all, notes).await?).into_response()
        );
    };
    let place = value(&typed, "run").parse().ok();
    let (test_id, _) = from_log(&state, &log, Window { from_s, to_s }, place).await?;
    Ok(Redirect::to(&format!("/logs/{id}?day={day}&taken={test_id}")).into_response())
}
