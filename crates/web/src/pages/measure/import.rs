//! CSV in: whole tests for the bench, or readings for one test.

use crate::background::importing::{Failed, Running};
use crate::door::file::file;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_store::exchange::{ImportError, Imported};
use std::time::Duration;

/// A file that takes longer than this shows how far it is.
const A_MOMENT: Duration = Duration::from_secs(2);

#[derive(Template, WebTemplate)]
#[template(path = "import.html")]
pub struct Import {
    frame: Frame,
    /// The test that takes the readings; `None` for the bench.
    into: Option<i64>,
    done: Option<Imported>,
    error: Option<String>,
    /// How much of it is in, percent; the page looks again by itself.
    under_way: Option<u64>,
    quantities: Vec<&'static str>,
}

fn view(frame: Frame, into: Option<i64>) -> Import {
    let quantities = Quantity::ALL.iter().map(|quantity| quantity.name()).collect();
    Import { frame, into, done: None, error: None, under_way: None, quantities }
}

pub async fn page(frame: Frame) -> Import {
    view(frame, None)
}

pub async fn page_of_test(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<Import, AppError> {
    state.store.test(id).await?;
    Ok(view(frame, Some(id)))
}

pub async fn add(State(state): State<AppState>, frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    bring(state, frame, None, multipart).await
}

pub async fn add_to_test(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    multipart: Multipart,
) -> Result<Response, AppError> {
    bring(state, frame, Some(id), multipart).await
}

async fn bring(state: AppState, frame: Frame, into: Option<i64>, multipart: Multipart) -> Result<Response, AppError> {
    if let Some(id) = into {
        state.store.test(id).await?;
    }
    let bytes = match file(multipart).await {
        Ok(bytes) => bytes,
        Err(sentence) => {
            let page = Import { error: Some(ImportError::File(sentence).to_string()), ..view(frame, into) };
            return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
        }
    };
    let running = state.imports.start(state.store.clone(), bytes, into);
    running.ended(A_MOMENT).await;
    match running.outcome() {
        None => Ok(Redirect::to(&format!("/import/{}", running.number)).into_response()),
        Some(_) => Ok(shown(frame, &running)),
    }
}

/// A file that takes its time: how far it is, and what became of it.
pub async fn under_way(State(state): State<AppState>, frame: Frame, Path(number): Path<u64>) -> Result<Response, AppError> {
    let running = state.imports.get(number).ok_or(AppError::NoSuchPage)?;
    Ok(shown(frame, &running))
}

fn shown(frame: Frame, running: &Running) -> Response {
    let page = view(frame, running.into);
    match running.outcome() {
        None => Import { under_way: Some(running.percent()), ..page }.into_response(),
        Some(Ok(done)) => Import { done: Some(done), ..page }.into_response(),
        Some(Err(Failed { sentence, is_of_file })) => {
            let status = if is_of_file { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::INSUFFICIENT_STORAGE };
            (status, Import { error: Some(sentence), ..page }).into_response()
        }
    }
}
