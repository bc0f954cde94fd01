//! A stretch of a log taken as a reading of its test.

use crate::day::timestamp;
use crate::door::typed::{Notes, Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::pages::measure::log::{fields, show};
use crate::pages::measure::log_chart::stretch;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::window::Window;
use jiff::Timestamp;
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
    let Some(test_id) = log.row.belongs.test_id else {
        return Err(AppError::input(
            "test",
            "",
            "This log belongs to no test: choose one under \u{201c}What it belongs to\u{201d} first.",
        ));
    };
    let (Some(from_s), Some(to_s), false) = (from_s, to_s, notes.has("refused")) else {
        let mut all = fields(&log.row.belongs);
        all.extend(typed.iter().filter(|(name, _)| name == "from" || name == "to").cloned());
        let query = vec![("day".to_owned(), day.to_string())];
        return Ok(
            (axum::http::StatusCode::UNPROCESSABLE_ENTITY, show(&state, frame, log, &query, all, notes).await?).into_response()
        );
    };
    let samples = state.store.log_samples_between(&log.row, Window { from_s, to_s }).await?;
    let run_id = run_at(&state, test_id, (from_s + to_s) / 2.0, value(&typed, "run")).await?;
    let Some(reading) = flindo_core::record::run_energy::stretch_reading(&samples.series, Window { from_s, to_s }) else {
        return Err(AppError::input("from", "", "There are no samples in this stretch: choose another one."));
    };
    let new = flindo_store::NewReading {
        // The same stretch of the same log a second time is the same reading.
        uid: format!("log-{id}-{:.0}-{:.0}", from_s * 1000.0, to_s * 1000.0),
        taken_utc: timestamp((from_s + to_s) / 2.0),
        typed: String::new(),
        note: format!("{}, {}", log.row.name, stretch(from_s, to_s, &log.zone)),
        sky: None,
        figures: reading,
        run_id,
        revision: None,
    };
    state.store.accept(test_id, &new, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok(Redirect::to(&format!("/logs/{id}?day={day}&taken={test_id}")).into_response())
}

/// The run that is named, or else the one at work at a moment.
async fn run_at(state: &AppState, test_id: i64, at_s: f64, named: &str) -> Result<Option<i64>, AppError> {
    let runs = state.store.runs(test_id).await?;
    if let Some(run) = named.parse::<i64>().ok().and_then(|place| runs.iter().find(|run| run.place == place)) {
        return Ok(Some(run.id));
    }
    let at = timestamp(at_s);
    let holds = |run: &&flindo_core::record::run::Run| run.begun_utc().is_some_and(|begun| begun <= at) && !run.is_late(at);
    Ok(runs.iter().rfind(holds).map(|run| run.id))
}
