//! CSV in: whole tests for the bench, or readings for one test.

use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_store::exchange::{ImportError, Imported};
use jiff::Timestamp;

/// A day of readings is far smaller.
pub const MOST_BYTES: usize = 8 * 1024 * 1024;

#[derive(Template, WebTemplate)]
#[template(path = "import.html")]
pub struct Import {
    frame: Frame,
    /// The test that takes the readings; `None` for the bench.
    into: Option<i64>,
    done: Option<Imported>,
    error: Option<String>,
    quantities: Vec<&'static str>,
}

fn view(frame: Frame, into: Option<i64>) -> Import {
    let quantities = Quantity::ALL.iter().map(|quantity| quantity.name()).collect();
    Import { frame, into, done: None, error: None, quantities }
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
    let imported = match file(multipart).await {
        Ok(bytes) => state.store.import(&bytes, into, Timestamp::now()).await,
        Err(sentence) => Err(ImportError::File(sentence)),
    };
    let mut page = view(frame, into);
    match imported {
        Ok(done) => {
            page.done = Some(done);
            Ok(page.into_response())
        }
        Err(error @ (ImportError::At { .. } | ImportError::File(_))) => {
            page.error = Some(error.to_string());
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(error) => Err(error.into()),
    }
}

/// The file of a form.
pub async fn file(mut multipart: Multipart) -> Result<Vec<u8>, String> {
    let unread = |error: axum::extract::multipart::MultipartError| match error.status() {
        StatusCode::PAYLOAD_TOO_LARGE => format!("This file is larger than {} MB.", MOST_BYTES / 1024 / 1024),
        _ => "The file did not arrive whole.".to_owned(),
    };
    while let Some(field) = multipart.next_field().await.map_err(unread)? {
        if field.name() == Some("file") {
            return field.bytes().await.map(|bytes| bytes.to_vec()).map_err(unread);
        }
    }
    Err("Choose a file first.".to_owned())
}
