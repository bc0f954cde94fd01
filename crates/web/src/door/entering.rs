//! What a reading goes through on its way in, whichever page or program sends it.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{clock, day};
use crate::state::AppState;
use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::entry::{ClockTime, Entry, understand};
use flindo_core::record::run::{RunEventKind, RunState};
use flindo_core::record::setup::Setup;
use flindo_store::{Accepted, NewEvent, NewReading, new_uid};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use serde_json::json;

/// A clock may run ahead by this much before a time counts as in the future.
const AHEAD_S: i64 = 300;

/// The line to be typed, with what else its form carries.
pub struct Entering {
    pub typed: String,
    pub error: Option<String>,
    pub uid: String,
    pub taken: String,
    pub example: String,
}

/// An identity made by the sender: letters, digits and hyphens.
pub fn checked_uid(uid: &str) -> Result<String, AppError> {
    let sound = (8..=64).contains(&uid.len()) && uid.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-');
    if sound {
        Ok(uid.to_owned())
    } else {
        Err(AppError::input("uid", uid, "A reading needs an identity of 8 to 64 letters, digits and hyphens."))
    }
}

/// The moment of a time of day, on the day of `taken`; `taken` itself where the line has none.
pub fn at_time(time: Option<ClockTime>, taken: Timestamp, zone: &TimeZone) -> Option<Timestamp> {
    let Some(ClockTime { hour, minute, second }) = time else { return Some(taken) };
    let day = taken.to_zoned_datetime(zone.clone()).date();
    zone.to_timestamp(day.at(hour as i8, minute as i8, second as i8, 0)).ok()
}

/// A moment that is not in the future, to the second.
pub fn checked_time(taken_utc: Timestamp, field: &str, typed: &str, zone: &TimeZone) -> Result<Timestamp, AppError> {
    if taken_utc.as_second() > Timestamp::now().as_second() + AHEAD_S {
        return Err(AppError::input(
            field,
            typed,
            format!("{} {} is in the future.", day(taken_utc, zone), clock(taken_utc, zone)),
        ));
    }
    // Fractions of a second are more than anybody's thumb is good for.
    Ok(Timestamp::from_second(taken_utc.as_second()).unwrap_or(taken_utc))
}

/// A typed line as a reading. A time in the line (`@13:05`) is of the day of `taken`.
pub fn read_line(setup: &Setup, pairs: &Pairs, taken: Timestamp, zone: &TimeZone) -> Result<NewReading, AppError> {
    let typed = value(pairs, "typed");
    let entry: Entry = understand(typed, &setup.meaning()).map_err(|error| AppError::entry(typed, &error))?;
    let taken_utc = at_time(entry.time, taken, zone)
        .ok_or_else(|| AppError::input("typed", typed, "That time cannot be placed on this day."))?;
    Ok(NewReading {
        uid: checked_uid(value(pairs, "uid"))?,
        taken_utc: checked_time(taken_utc, "typed", typed, zone)?,
        typed: typed.trim().to_owned(),
        note: entry.note.clone().unwrap_or_default(),
        sky: entry.sky,
        figures: entry.figures(),
        run_id: value(pairs, "run").parse().ok(),
        revision: None,
    })
}

/// When the reading was taken: when it was entered, unless the person set the time.
pub fn taken(pairs: &Pairs, entered: Timestamp, zone: &TimeZone) -> Result<Timestamp, AppError> {
    let local = value(pairs, "taken").trim();
    if value(pairs, "set_time").is_empty() || local.is_empty() {
        return Ok(entered);
    }
    let parsed: Result<DateTime, _> = local.parse();
    let placed = parsed.and_then(|local| zone.to_timestamp(local));
    placed.map_err(|_| AppError::input("taken", local, format!("\"{local}\" is not a date and time.")))
}

/// A reading begins the run it belongs to, and resumes one that was skipped: both are events that the page shows.
pub async fn open_run(state: &AppState, test_id: i64, run_id: Option<i64>, at_utc: Timestamp) -> Result<(), AppError> {
    let Some(run_id) = run_id else { return Ok(()) };
    let runs = state.store.runs(test_id).await?;
    let Some(run) = runs.iter().find(|run| run.id == run_id) else { return Ok(()) };
    let (what, text) = match run.state() {
        RunState::Waiting => (RunEventKind::Begun, ""),
        RunState::Skipped => (RunEventKind::Resumed, "a reading of it came"),
        // A reading after the end is shown as late.
        RunState::Begun | RunState::Done => return Ok(()),
    };
    let event = NewEvent { uid: new_uid(), what, text: text.to_owned(), at_utc };
    Ok(state.store.add_event(test_id, run_id, &event).await?)
}

/// A reading from the page's script: the same, answered in JSON, with the time at which Enter was pressed.
pub async fn add_line(state: AppState, zone: TimeZone, id: i64, pairs: Pairs) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let entered = value(&pairs, "taken_utc");
    let entered = entered.parse().map_err(|_| AppError::input("taken_utc", entered, format!("\"{entered}\" is not a time.")))?;
    let taken = taken(&pairs, entered, &zone)?;
    let new = read_line(&test.setup, &pairs, taken, &zone)?;
    let accepted = state.store.accept(id, &new, Timestamp::now()).await?;
    open_run(&state, id, new.run_id, new.taken_utc).await?;
    state.hub.tell(id);
    let (status, word) = match accepted {
        Accepted::New => (StatusCode::CREATED, "new"),
        Accepted::Already => (StatusCode::OK, "already"),
    };
    Ok((status, Json(json!({ "accepted": word, "uid": new.uid }))).into_response())
}
