//! A reading corrected, withdrawn or restored: a new row that replaces the one before it. Two corrections that meet are shown to each
//! other.

use crate::door::entering::{checked_uid, read_line};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{as_read, clock_short};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::{Line, NewReading, Revision, StoreError, lines, new_uid};
use jiff::Timestamp;

/// A correction that could not be kept, with what was typed.
#[derive(Template, WebTemplate)]
#[template(path = "correction.html")]
pub struct CorrectionPage {
    frame: Frame,
    test_id: i64,
    /// When the reading was taken.
    clock: String,
    /// As it stands now.
    figures: Vec<(&'static str, String)>,
    is_withdrawn: bool,
    /// Why it stands so, where it was changed.
    reason: String,
    newest_uid: String,
    uid: String,
    typed: String,
    why: String,
    error: String,
}

/// A correction: the line typed anew, and why.
pub async fn correct(
    State(state): State<AppState>,
    frame: Frame,
    Path((id, uid)): Path<(i64, String)>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let old = row_of(&line_of(&state, id, &uid).await?, &uid)?;
    let corrected = read_line(&test.setup, &pairs, old.taken_utc, &frame.time_zone);
    let kept = match corrected {
        Ok(mut new) => {
            new.run_id = old.run_id;
            new.revision = Some(Revision { replaces_uid: uid.clone(), reason: reason(&pairs, "corrected"), withdrawn: false });
            state.store.accept(id, &new, Timestamp::now()).await.map_err(AppError::from)
        }
        Err(error) => Err(error),
    };
    let (status, error) = match kept {
        Ok(_) => {
            state.hub.tell(id);
            return Ok(Redirect::to(&format!("/tests/{id}")).into_response());
        }
        Err(AppError::Input(input)) => (StatusCode::UNPROCESSABLE_ENTITY, input.message),
        Err(AppError::Store(StoreError::Conflict(sentence))) => (StatusCode::CONFLICT, sentence),
        Err(error) => return Err(error),
    };
    let line = line_of(&state, id, &uid).await?;
    Ok((status, page(frame, id, &line, &pairs, error)).into_response())
}

fn page(frame: Frame, test_id: i64, line: &Line, pairs: &Pairs, error: String) -> CorrectionPage {
    let newest = &line.newest().what;
    let figures = newest.figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect();
    CorrectionPage {
        clock: clock_short(newest.taken_utc, &frame.time_zone),
        figures,
        is_withdrawn: line.current.is_none(),
        reason: newest.revision.as_ref().map(|revision| revision.reason.clone()).unwrap_or_default(),
        newest_uid: newest.uid.clone(),
        uid: new_uid(),
        typed: value(pairs, "typed").to_owned(),
        why: value(pairs, "reason").to_owned(),
        error,
        test_id,
        frame,
    }
}

/// Withdraws a reading, or restores it: a revision with the figures it had.
pub async fn withdraw(
    State(state): State<AppState>,
    Path((id, uid)): Path<(i64, String)>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let old = row_of(&line_of(&state, id, &uid).await?, &uid)?;
    let was_withdrawn = old.revision.as_ref().is_some_and(|revision| revision.withdrawn);
    let usual = if was_withdrawn { "restored" } else { "withdrawn" };
    let revision = Revision { replaces_uid: uid, reason: reason(&pairs, usual), withdrawn: !was_withdrawn };
    let new = NewReading { uid: checked_uid(value(&pairs, "uid"))?, revision: Some(revision), ..old };
    state.store.accept(id, &new, Timestamp::now()).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}

/// The reading that a row is of, with all its rows.
async fn line_of(state: &AppState, test_id: i64, uid: &str) -> Result<Line, AppError> {
    let mut lines = lines(state.store.readings(test_id).await?).into_iter();
    let is_of = |line: &Line| line.past.iter().chain(&line.current).any(|row| row.what.uid == uid);
    Ok(lines.find(is_of).ok_or(StoreError::NotFound("reading"))?)
}

/// The row that a revision is about. A second arrival of the same revision finds its line changed, and is recognised later by its own
/// identity.
fn row_of(line: &Line, uid: &str) -> Result<NewReading, AppError> {
    let row = line.past.iter().chain(&line.current).find(|row| row.what.uid == uid);
    Ok(row.ok_or(StoreError::NotFound("reading"))?.what.clone())
}

fn reason(pairs: &Pairs, usual: &str) -> String {
    match value(pairs, "reason").trim() {
        "" => usual.to_owned(),
        given => given.to_owned(),
    }
}
