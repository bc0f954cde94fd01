//! Files in: tests, logs, panels and packages for the bench, or readings for one test.

use crate::background::importing::{Failed, Running};
use crate::door::file::{MOST_BYTES, file};
use crate::door::incoming::{Incoming, Kept, keep, remove};
use crate::door::log_file::from_path;
use crate::door::panel_table;
use crate::error::{AppError, InputError};
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

/// Any file: it goes on where files of its kind are brought in.
pub async fn add(State(state): State<AppState>, frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    let kept = match keep(&state.store, multipart).await {
        Ok(kept) => kept,
        Err(sentence) => return Ok(wrong(frame, None, sentence)),
    };
    let incoming = kept.incoming().await.map_err(|error| AppError::failed(&error))?;
    if incoming == Incoming::Package {
        return Ok(Redirect::to(&format!("/bench/package/{}", kept.uid)).into_response());
    }
    let answer = sorted(&state, frame, &kept, incoming).await;
    remove(&kept.at).await;
    answer
}

async fn sorted(state: &AppState, frame: Frame, kept: &Kept, incoming: Incoming) -> Result<Response, AppError> {
    match incoming {
        Incoming::Package => Ok(Redirect::to("/bench/package").into_response()),
        Incoming::Report => {
            let sentence = "This is a report of a test: Recompute, under Results, says whether its figures follow from its data.";
            Ok(wrong(frame, None, sentence.to_owned()))
        }
        Incoming::Log => match from_path(&state.store, &kept.at, &kept.name).await {
            Ok(file) => Ok(Redirect::to(&format!("/logs/files/{}", file.id)).into_response()),
            Err(sentence) => Ok(wrong(frame, None, sentence)),
        },
        Incoming::Readings | Incoming::Panels => {
            let bytes = tokio::fs::read(&kept.at).await.map_err(|error| AppError::failed(&error))?;
            if bytes.len() > MOST_BYTES {
                let sentence = format!("A table of records is up to {} MB here: bring it in parts.", MOST_BYTES / 1024 / 1024);
                return Ok(wrong(frame, None, sentence));
            }
            if incoming == Incoming::Readings {
                return Ok(readings(state, frame, None, bytes).await);
            }
            match panel_table::of_file(state, bytes).await {
                Ok(_) => Ok(Redirect::to("/panels").into_response()),
                Err(AppError::Input(InputError { message, .. }) | AppError::Taken(InputError { message, .. })) => {
                    Ok(wrong(frame, None, message))
                }
                Err(error) => Err(error),
            }
        }
    }
}

fn wrong(frame: Frame, into: Option<i64>, sentence: String) -> Response {
    (StatusCode::UNPROCESSABLE_ENTITY, Import { error: Some(sentence), ..view(frame, into) }).into_response()
}

pub async fn add_to_test(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    multipart: Multipart,
) -> Result<Response, AppError> {
    state.store.test(id).await?;
    match file(multipart).await {
        Ok(bytes) => Ok(readings(&state, frame, Some(id), bytes).await),
        Err(sentence) => Ok(wrong(frame, Some(id), ImportError::File(sentence).to_string())),
    }
}

/// A table of readings is brought in; one that takes its time shows how far it is.
async fn readings(state: &AppState, frame: Frame, into: Option<i64>, bytes: Vec<u8>) -> Response {
    let running = state.imports.start(state.store.clone(), bytes, into);
    running.ended(A_MOMENT).await;
    match running.outcome() {
        None => Redirect::to(&format!("/import/{}", running.number)).into_response(),
        Some(_) => shown(frame, &running),
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
