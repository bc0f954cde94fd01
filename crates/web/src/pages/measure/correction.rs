//! A reading corrected, withdrawn or restored: a new row that replaces the one before it. Two corrections that meet are shown to each
//! other.

use crate::door::revising::{self, line_of, row_of};
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
use flindo_store::{Line, StoreError, new_uid};

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
    let kept = revising::correct(&state, (id, &uid), &pairs, reason(&pairs, "corrected"), &frame.time_zone).await;
    let (status, error) = match kept {
        Ok(_) => {
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
    revising::withdraw(&state, (id, &uid), value(&pairs, "uid"), (!was_withdrawn, reason(&pairs, usual))).await?;
    Ok(Redirect::to(&format!("/tests/{id}")))
}

fn reason(pairs: &Pairs, usual: &str) -> String {
    match value(pairs, "reason").trim() {
        "" => usual.to_owned(),
        given => given.to_owned(),
    }
}
