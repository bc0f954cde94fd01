//! What a handler can fail with. The status is decided in one place; people get a page, programs get JSON.

use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use axum::extract::{FromRequestParts, Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Response};
use flindo_core::measure::entry::EntryError;
use flindo_store::StoreError;
use flindo_store::exchange::ImportError;
use serde_json::json;

/// Every way to fail; each prints as a sentence for the person.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    #[error("There is no such page.")]
    NoSuchPage,
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Import(#[from] ImportError),
    #[error("{0}")]
    Input(InputError),
}

/// An input that was refused.
#[derive(Debug, Clone, Default)]
pub struct InputError {
    pub message: String,
    pub field: Option<String>,
    /// As it was sent.
    pub value: Option<serde_json::Value>,
    pub allowed: Option<String>,
    /// In an array of inputs, which.
    pub index: Option<usize>,
}

impl std::fmt::Display for InputError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.message)
    }
}

impl AppError {
    pub fn input(field: &str, value: &str, message: impl Into<String>) -> Self {
        AppError::Input(InputError {
            message: message.into(),
            field: Some(field.to_owned()),
            value: Some(value.into()),
            ..InputError::default()
        })
    }

    /// A line that was not understood.
    pub fn entry(typed: &str, error: &EntryError) -> Self {
        AppError::input("typed", typed, format!("{error}."))
    }

    fn status(&self) -> StatusCode {
        match self {
            AppError::NoSuchPage | AppError::Store(StoreError::NotFound(_)) => StatusCode::NOT_FOUND,
            AppError::Import(ImportError::Store(StoreError::NotFound(_))) => StatusCode::NOT_FOUND,
            AppError::Store(StoreError::Conflict(_)) => StatusCode::CONFLICT,
            AppError::Import(ImportError::At { .. } | ImportError::File(_)) | AppError::Input(_) => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            AppError::Store(_) | AppError::Import(ImportError::Store(_)) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        let status = self.status();
        if status.is_server_error() {
            tracing::error!(error = ?self, "failed");
        }
        let details = match self {
            AppError::Input(details) => details,
            other => InputError { message: other.to_string(), ..InputError::default() },
        };
        let mut response = status.into_response();
        response.extensions_mut().insert(details);
        response
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    frame: Frame,
    heading: &'static str,
    message: String,
}

/// Gives every failed answer its body: JSON below /api, a page elsewhere.
pub async fn as_page_or_json(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let (parts, body) = request.into_parts();
    let mut asked = parts.clone();
    let is_api = parts.uri.path().starts_with("/api/");
    let response = next.run(Request::from_parts(parts, body)).await;
    let status = response.status();
    if !status.is_client_error() && !status.is_server_error() {
        return response;
    }
    let details = match response.extensions().get::<InputError>() {
        Some(details) => details.clone(),
        // A page that shows its own errors beside its fields.
        None if response.headers().get("content-type").is_some_and(|kind| kind.as_bytes().starts_with(b"text/html")) => {
            return response;
        }
        None => InputError { message: plain_sentence(status).to_owned(), ..InputError::default() },
    };
    if is_api {
        let mut error =
            json!({ "message": details.message, "field": details.field, "value": details.value, "allowed": details.allowed });
        if let Some(index) = details.index {
            error["index"] = index.into();
        }
        return (status, axum::Json(json!({ "error": error }))).into_response();
    }
    let heading = if status == StatusCode::NOT_FOUND { "Not here" } else { "That did not work" };
    let Ok(frame) = Frame::from_request_parts(&mut asked, &state).await else { return (status, details.message).into_response() };
    match (ErrorPage { frame, heading, message: details.message.clone() }).render() {
        Ok(page) => (status, Html(page)).into_response(),
        Err(_) => (status, details.message).into_response(),
    }
}

/// For answers that come from the layers around the handlers.
fn plain_sentence(status: StatusCode) -> &'static str {
    match status {
        StatusCode::NOT_FOUND => "There is no such page.",
        StatusCode::FORBIDDEN => "This came from another site, and was refused.",
        StatusCode::METHOD_NOT_ALLOWED => "This page does not take that.",
        StatusCode::PAYLOAD_TOO_LARGE => "That is larger than this page takes.",
        _ if status.is_client_error() => "That could not be understood.",
        _ => "Something went wrong here. It is written in the log of the server.",
    }
}
