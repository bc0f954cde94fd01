//! Gives every failed answer its body: JSON for programs, a page for people.

use crate::error::{AppError, InputError, IsDamage};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use axum::extract::{FromRequestParts, Request, State};
use axum::http::request::Parts;
use axum::http::{StatusCode, header};
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Response};
use flindo_store::StoreError;
use serde_json::json;

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    frame: Frame,
    heading: &'static str,
    message: String,
}

/// A handler that panicked answers as any other fault of the program.
pub fn panicked(why: Box<dyn std::any::Any + Send + 'static>) -> Response {
    let why = why.downcast_ref::<String>().map(String::as_str).or(why.downcast_ref::<&str>().copied()).unwrap_or("no reason");
    AppError::failed(&why).into_response()
}

/// Gives every failed answer its body: JSON below /api, a page elsewhere.
pub async fn as_page_or_json(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let (parts, body) = request.into_parts();
    let mut asked = parts.clone();
    let is_api = parts.uri.path().starts_with("/api/");
    let response = next.run(Request::from_parts(parts, body)).await;
    if response.extensions().get::<IsDamage>().is_some() {
        state.store.note_failure(&StoreError::Damaged);
    }
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
    // What the answer says besides its body stays: which methods there are, what a script has to send.
    let mut said = response.headers().clone();
    for name in [header::CONTENT_TYPE, header::CONTENT_LENGTH] {
        said.remove(name);
    }
    let mut answer = body_of(&state, &mut asked, is_api, status, &details).await;
    answer.headers_mut().extend(said);
    answer
}

async fn body_of(state: &AppState, asked: &mut Parts, is_api: bool, status: StatusCode, details: &InputError) -> Response {
    if is_api {
        let mut error =
            json!({ "message": details.message, "field": details.field, "value": details.value, "allowed": details.allowed });
        if let Some(index) = details.index {
            error["index"] = index.into();
        }
        return (status, axum::Json(json!({ "error": error }))).into_response();
    }
    let heading = if status == StatusCode::NOT_FOUND { "Page not found" } else { "Not saved" };
    let Ok(frame) = Frame::from_request_parts(asked, state).await else {
        return (status, details.message.clone()).into_response();
    };
    match (ErrorPage { frame, heading, message: details.message.clone() }).render() {
        Ok(page) => (status, Html(page)).into_response(),
        Err(_) => (status, details.message.clone()).into_response(),
    }
}

/// For answers that come from the layers around the handlers.
fn plain_sentence(status: StatusCode) -> &'static str {
    match status {
        StatusCode::NOT_FOUND => "There is no such page.",
        StatusCode::FORBIDDEN => "This came from another site, and was refused.",
        StatusCode::METHOD_NOT_ALLOWED => "Method not allowed on this page.",
        StatusCode::PAYLOAD_TOO_LARGE => "Too large for this page.",
        _ if status.is_client_error() => "Request not readable.",
        _ => "Something went wrong here. It is written in the log of the server.",
    }
}
