//! What a visit of an open test was really of, where its state was entered wrongly. Its readings go along.

use crate::door::typed::{Pairs, value};
use crate::door::working;
use crate::error::AppError;
use crate::figures::clock_short;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::open;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::language::work::Asked;
use flindo_core::record::open::visits;
use flindo_store::new_uid;
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "state_correction.html")]
pub struct StateCorrectionPage {
    frame: Frame,
    test_id: i64,
    /// The newest first: (run, when it began and what was entered).
    visits: Vec<(i64, String)>,
    /// The one that was chosen.
    run_id: i64,
    uid: String,
    typed: String,
    error: String,
    choices: Vec<String>,
}

/// Asks what it was.
pub async fn asked(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<StateCorrectionPage, AppError> {
    page(&state, frame, id, &Vec::new(), (String::new(), Vec::new())).await
}

/// Keeps it.
pub async fn correct(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let run_id = value(&pairs, "run").parse().unwrap_or_default();
    let typed = value(&pairs, "typed").trim();
    let wrong = match working::correct_state(&state, (id, run_id), value(&pairs, "uid"), typed).await {
        Ok(Ok(_)) => return Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        Ok(Err(Asked { asked, choices, .. })) => (asked, choices),
        Err(AppError::Input(input)) => (input.message, Vec::new()),
        Err(error) => return Err(error),
    };
    let page = page(&state, frame, id, &pairs, wrong).await?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

async fn page(
    state: &AppState,
    frame: Frame,
    test_id: i64,
    pairs: &Pairs,
    (error, choices): (String, Vec<String>),
) -> Result<StateCorrectionPage, AppError> {
    let recorded = state.store.recorded(test_id, Timestamp::now()).await?;
    let entered = &working::opened(&recorded)?.entered;
    let visits: Vec<(i64, String)> = visits(entered)
        .into_iter()
        .rev()
        .map(|run| {
            let began = run.begun_utc().map(|at| clock_short(at, &frame.time_zone)).unwrap_or_default();
            let count = entered.readings_of(run.id).len();
            let words = run.state.as_ref().map(open::state).unwrap_or_default();
            (run.id, format!("{began} \u{b7} {words} \u{b7} {count} reading{}", if count == 1 { "" } else { "s" }))
        })
        .collect();
    Ok(StateCorrectionPage {
        test_id,
        run_id: value(pairs, "run").parse().ok().or_else(|| visits.first().map(|one| one.0)).unwrap_or_default(),
        visits,
        uid: new_uid(),
        typed: value(pairs, "typed").to_owned(),
        error,
        choices,
        frame,
    })
}
