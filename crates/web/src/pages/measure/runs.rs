//! What happens to the runs of a planned test: begun, ended, left out, repeated, and read by a live meter.

use crate::door::entering::checked_uid;
use crate::door::stops;
use crate::door::taking::from_meter;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::run::{Run, RunEventKind, RunState};
use flindo_store::{NewEvent, new_uid};
use jiff::Timestamp;

fn event(pairs: &Pairs, what: RunEventKind) -> Result<NewEvent, AppError> {
    let text = value(pairs, "text").trim().to_owned();
    Ok(NewEvent { uid: checked_uid(value(pairs, "uid"))?, what, text, at_utc: Timestamp::now() })
}

fn back(state: &AppState, test_id: i64) -> Redirect {
    state.hub.tell(test_id);
    Redirect::to(&format!("/tests/{test_id}"))
}

/// Something that happened to a run: begun (in any order), skipped with a reason, a cloud, a note, a reading confirmed.
pub async fn happened(
    State(state): State<AppState>,
    Path((id, run_id)): Path<(i64, i64)>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let name = value(&pairs, "what");
    let what = RunEventKind::from_name(name).ok_or_else(|| AppError::input("what", name, "This cannot happen to a run."))?;
    state.store.add_event(id, run_id, &event(&pairs, what)?).await?;
    Ok(back(&state, id))
}

/// What is at work is done, and what comes next begins; side by side both runs of a pair.
pub async fn next(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    // Of two presses at once the second sees what the first one did.
    let _turn = state.turn_to_edit().await;
    let record = state.store.recorded(id, Timestamp::now()).await?.record;
    if record.plan.is_none() {
        return Err(AppError::NoSuchPage);
    }
    let event = event(&pairs, RunEventKind::Begun)?;
    let at_work = record.at_work();
    // Pressed twice, or on two browsers: the page's own run tells which one was meant.
    let meant = value(&pairs, "run").parse::<i64>().ok();
    let is_meant = meant.is_none_or(|meant| at_work.iter().any(|run| run.id == meant));
    let Some(last) = at_work.last().filter(|_| is_meant) else { return Ok(back(&state, id)) };
    // What the button said when it was pressed: a double click that began a run does not end it too.
    let waits = at_work.iter().all(|run| run.state() == RunState::Waiting);
    if matches!((value(&pairs, "act"), waits), ("begin", false) | ("end", true)) {
        return Ok(back(&state, id));
    }
    if waits {
        begin(&state, id, &at_work, &event).await?;
        return Ok(back(&state, id));
    }
    for run in &at_work {
        let done = NewEvent { uid: new_uid(), what: RunEventKind::Done, text: String::new(), at_utc: event.at_utc };
        state.store.add_event(id, run.id, &done).await?;
    }
    // A recording ends with its run, and the next run of the same rig is recorded by the same meter.
    let done: Vec<i64> = at_work.iter().map(|run| run.id).collect();
    let recorded = state.hub.end_with_runs(&done).await?;
    if let Some(next) = record.next_after(Some(last)) {
        let beside = record.beside(next);
        begin(&state, id, &beside, &event).await?;
        for (meter_id, run_id) in recorded {
            let rig = at_work.iter().find(|run| run.id == run_id).map(|run| run.rig);
            if let Some(run) = beside.iter().find(|run| Some(run.rig) == rig).or(beside.first()) {
                state.hub.record(meter_id, Some(id), Some(run.id)).await?;
            }
        }
    }
    Ok(back(&state, id))
}

/// Begins runs that are at work together; the first keeps the identity of the press.
async fn begin(state: &AppState, test_id: i64, runs: &[&Run], event: &NewEvent) -> Result<(), AppError> {
    for (nth, run) in runs.iter().enumerate() {
        let event = if nth == 0 { event.clone() } else { NewEvent { uid: new_uid(), ..event.clone() } };
        state.store.add_event(test_id, run.id, &event).await?;
    }
    Ok(())
}

/// The baseline once more, now.
pub async fn repeat(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    let event = event(&pairs, RunEventKind::Begun)?;
    // Pressed on two devices at once: the second one's page still shows the run that was at work before.
    let _turn = state.turn_to_edit().await;
    let record = state.store.recorded(id, Timestamp::now()).await?.record;
    let at_work = record.at_work();
    let is_meant = match value(&pairs, "run") {
        "" => true,
        "none" => at_work.is_empty(),
        meant => meant.parse::<i64>().is_ok_and(|meant| at_work.iter().any(|run| run.id == meant)),
    };
    if is_meant {
        state.store.repeat_level(id, 0, 0, &event).await?;
    }
    Ok(back(&state, id))
}

/// One key takes what a live meter shows, with its range.
pub async fn take(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    if !stops::open(&state, frame.place.as_ref(), &test).await?.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{id}/preflight")).into_response());
    }
    let meter = value(&pairs, "meter");
    let meter_id: i64 = meter.parse().map_err(|_| AppError::input("meter", meter, "Choose the meter."))?;
    let uid = checked_uid(value(&pairs, "uid"))?;
    from_meter(&state, &test, meter_id, (uid, value(&pairs, "run").parse().ok())).await?;
    Ok(Redirect::to(&format!("/tests/{id}")).into_response())
}
