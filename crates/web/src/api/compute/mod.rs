//! `POST /api/v1/compute/NAME`: one object or an array of up to 10,000, answered in the same shape and order.

mod correct;
mod entry;

use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::extract::rejection::JsonRejection;
use axum::routing::get;
use axum::{Json, Router};
use flindo_core::error::Error;
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

const MOST_ITEMS: usize = 10_000;

#[derive(OpenApi)]
#[openapi(info(
    title = "Flindo compute",
    description = "The computations behind the pages. Every body may be one object or an array of up to 10,000 objects, answered in the same shape and order.",
    version = "1",
    license(name = "MIT OR Apache-2.0"),
    contact()
))]
struct Description;

/// Every computation, and their description.
pub fn routes() -> Router<AppState> {
    let (router, description) = OpenApiRouter::with_openapi(Description::openapi())
        .nest("/compute", OpenApiRouter::new().routes(routes!(entry::compute)).routes(routes!(correct::compute)))
        .split_for_parts();
    router.route("/openapi.json", get(move || async move { Json(description) }))
}

/// The body of a request, as it arrived.
type Body = Result<Json<Value>, JsonRejection>;

/// Runs `compute` on one input or on each of an array.
fn one_or_many<I, O>(body: Body, compute: impl Fn(I) -> Result<O, InputError>) -> Result<Json<Value>, AppError>
where
    I: DeserializeOwned,
    O: Serialize,
{
    let Json(body) = body.map_err(|error| AppError::Input(InputError { message: error.body_text(), ..InputError::default() }))?;
    let run = |value: Value| -> Result<Value, InputError> {
        let output = compute(read(value)?)?;
        serde_json::to_value(output).map_err(|error| InputError { message: error.to_string(), ..InputError::default() })
    };
    let answer = match body {
        Value::Array(items) if items.len() > MOST_ITEMS => {
            let message = format!("This array has {} items.", items.len());
            return Err(AppError::Input(InputError {
                message,
                allowed: Some(format!("up to {MOST_ITEMS} items")),
                ..InputError::default()
            }));
        }
        Value::Array(items) => {
            let each = items
                .into_iter()
                .enumerate()
                .map(|(index, item)| run(item).map_err(|error| InputError { index: Some(index), ..error }));
            each.collect::<Result<Vec<Value>, InputError>>().map(Value::Array)
        }
        item => run(item),
    };
    answer.map(Json).map_err(AppError::Input)
}

/// An input from JSON; the error names the field.
fn read<I: DeserializeOwned>(value: Value) -> Result<I, InputError> {
    serde_path_to_error::deserialize(&value).map_err(|error| {
        let path = error.path().to_string();
        let message = error.into_inner().to_string();
        // serde names a missing field only in its sentence.
        let missing = message.strip_prefix("missing field `").and_then(|rest| rest.split('`').next());
        let field = match (missing, path.as_str()) {
            (Some(name), "." | "?") => name.to_owned(),
            (Some(name), path) => format!("{path}.{name}"),
            (None, path) => path.to_owned(),
        };
        let at_fault = value.pointer(&format!("/{}", field.replace('.', "/"))).map(Value::to_string);
        InputError { message: format!("{message}."), field: Some(field), value: at_fault, ..InputError::default() }
    })
}

/// An error of the core as an error of the input.
fn refused(error: Error) -> InputError {
    let (value, allowed) = match &error {
        Error::OutOfRange { value, low, high, .. } => (Some(value.to_string()), Some(format!("{low} to {high}"))),
        Error::Inconsistent { .. } => (None, None),
    };
    InputError { message: format!("{error}."), field: Some(error.field().to_owned()), value, allowed, index: None }
}
