//! `POST /api/v1/compute/NAME`: one object or an array of up to 10,000, answered in the same shape and order.

mod cell_temperature;
mod circuit;
mod correct;
mod entry;
mod incidence;
mod panel;
mod sky;
mod sun;
mod tilt_year;

pub(super) use circuit::{DiodeJson, WithDiodeJson};

use crate::error::{AppError, InputError};
use crate::heavy::{self, Asker};
use crate::state::AppState;
use axum::Json;
use axum::extract::rejection::JsonRejection;
use flindo_core::error::Error;
use flindo_core::record::bounds;
use jiff::Timestamp;
use jiff::civil::Date;
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;
use std::time::Duration;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

const MOST_ITEMS: usize = 10_000;

/// Every computation.
pub fn routes() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(sun::position))
        .routes(routes!(sun::day))
        .routes(routes!(sky::clear))
        .routes(routes!(sky::split))
        .routes(routes!(sky::plane))
        .routes(routes!(incidence::compute))
        .routes(routes!(cell_temperature::compute))
        .routes(routes!(tilt_year::compute))
        .routes(routes!(panel::panel_fit))
        .routes(routes!(panel::panel_points))
        .routes(routes!(panel::single_diode))
        .routes(routes!(circuit::compute))
        .routes(routes!(correct::compute))
        .routes(routes!(entry::compute))
}

/// The body of a request, as it arrived.
type Body = Result<Json<Value>, JsonRejection>;

/// What one request may ask for in all, where items differ in size.
#[derive(Clone, Copy)]
struct Bound {
    /// In words.
    of: &'static str,
    weigh: fn(&Value) -> usize,
    most: usize,
}

impl Bound {
    fn weight(&self, body: &Value) -> usize {
        if let Value::Array(items) = body {
            return items.iter().map(self.weigh).fold(0, usize::saturating_add);
        }
        (self.weigh)(body)
    }

    fn check(&self, body: &Value) -> Result<(), InputError> {
        let asked = self.weight(body);
        if asked <= self.most {
            return Ok(());
        }
        let message = format!("This asks for {asked} {} in one request.", self.of);
        Err(InputError { message, allowed: Some(format!("up to {} {}", self.most, self.of)), ..InputError::default() })
    }
}

/// Runs `compute` on one input or on each of an array, away from the threads that answer pages. `item_us`: what one takes about, measured
/// on two cores of a small server.
async fn one_or_many<I, O>(body: Body, compute: fn(I) -> Result<O, InputError>, item_us: u64) -> Result<Json<Value>, AppError>
where
    I: DeserializeOwned + 'static,
    O: Serialize + 'static,
{
    one_or_many_bounded(body, compute, None, item_us).await
}

async fn one_or_many_bounded<I, O>(
    body: Body,
    compute: fn(I) -> Result<O, InputError>,
    bound: Option<Bound>,
    item_us: u64,
) -> Result<Json<Value>, AppError>
where
    I: DeserializeOwned + 'static,
    O: Serialize + 'static,
{
    let Json(body) = body.map_err(|error| AppError::Input(InputError { message: error.body_text(), ..InputError::default() }))?;
    if let Some(bound) = bound {
        bound.check(&body).map_err(AppError::Input)?;
    }
    // Where items differ in size, the weight of one is what takes the time.
    let items = match (&body, bound) {
        (Value::Array(items), None) => items.len().min(MOST_ITEMS),
        (_, None) => 1,
        (body, Some(bound)) => bound.weight(body),
    };
    let about = Duration::from_micros(item_us.saturating_mul(items as u64));
    heavy::run_for_program(about, move |asker| answer(body, compute, asker)).await?.map(Json).map_err(AppError::Input)
}

fn answer<I: DeserializeOwned, O: Serialize>(
    body: Value,
    compute: fn(I) -> Result<O, InputError>,
    asker: &Asker,
) -> Result<Value, InputError> {
    let mut bytes = 0;
    let mut run = |value: Value| -> Result<Value, InputError> {
        if asker.has_gone() {
            return Err(InputError { message: "Nobody waits for this any more.".to_owned(), ..InputError::default() });
        }
        let output = serde_json::to_value(compute(read(value)?)?)
            .map_err(|error| InputError { message: error.to_string(), ..InputError::default() })?;
        bytes += size_of(&output);
        if bytes > MOST_ANSWER_BYTES {
            let (message, allowed) = ("The answer would be too large.".to_owned(), Some("up to 32 MB in one answer".to_owned()));
            return Err(InputError { message, allowed, ..InputError::default() });
        }
        Ok(output)
    };
    match body {
        Value::Array(items) if items.len() > MOST_ITEMS => {
            let message = format!("This array has {} items.", items.len());
            Err(InputError { message, allowed: Some(format!("up to {MOST_ITEMS} items")), ..InputError::default() })
        }
        Value::Array(items) => {
            let each = items
                .into_iter()
                .enumerate()
                .map(|(index, item)| run(item).map_err(|error| InputError { index: Some(index), ..error }));
            each.collect::<Result<Vec<Value>, InputError>>().map(Value::Array)
        }
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) | Value::Object(_) => run(body),
    }
}

/// What an answer may hold; about four times as much in memory while it is made.
const MOST_ANSWER_BYTES: usize = 32 * 1024 * 1024;

/// About the bytes of a value as text.
fn size_of(value: &Value) -> usize {
    match value {
        Value::Null | Value::Bool(_) => 5,
        Value::Number(_) => 20,
        Value::String(text) => text.len() + 2,
        Value::Array(items) => items.iter().map(|item| size_of(item) + 1).sum::<usize>() + 2,
        Value::Object(fields) => fields.iter().map(|(name, value)| name.len() + 4 + size_of(value)).sum::<usize>() + 2,
    }
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
        let at_fault = value.pointer(&format!("/{}", field.replace('.', "/"))).cloned();
        InputError { message: format!("{message}."), field: Some(field), value: at_fault, ..InputError::default() }
    })
}

/// An error of the core as an error of the input.
fn refused(error: Error) -> InputError {
    InputError {
        message: format!("{error}."),
        field: Some(error.field().to_owned()),
        value: error.value().map(Into::into),
        allowed: error.allowed(),
        index: None,
    }
}

/// A moment, from RFC 3339.
fn moment(field: &str, text: &str) -> Result<Timestamp, InputError> {
    let time: Timestamp = text.parse().map_err(|_| not_a(field, text, "a time", "RFC 3339, such as 2026-06-01T12:30:00Z"))?;
    let is_sound = bounds::check_time("time", time.as_second()).is_ok();
    if is_sound { Ok(time) } else { Err(not_a(field, text, "of the years 1970 to 2100", "1970 to 2100")) }
}

/// A civil day, from RFC 3339.
fn civil_day(field: &str, text: &str) -> Result<Date, InputError> {
    let day: Date = text.parse().map_err(|_| not_a(field, text, "a date", "RFC 3339, such as 2026-06-01"))?;
    if bounds::is_known_year(day.year()) { Ok(day) } else { Err(not_a(field, text, "of the years 1970 to 2100", "1970 to 2100")) }
}

fn not_a(field: &str, text: &str, what: &str, allowed: &str) -> InputError {
    InputError {
        message: format!("\"{text}\" is not {what}."),
        field: Some(field.to_owned()),
        value: Some(text.into()),
        allowed: Some(allowed.to_owned()),
        index: None,
    }
}

/// One of the names of a closed set; `usual` where none was given.
fn one_of<T>(
    field: &str,
    name: Option<String>,
    usual: T,
    allowed: &str,
    from_name: fn(&str) -> Option<T>,
) -> Result<T, InputError> {
    let Some(name) = name else { return Ok(usual) };
    from_name(&name).ok_or_else(|| not_a(field, &name, &format!("one of {allowed}"), allowed))
}

/// Unix seconds with their fraction.
fn unix_s(time: Timestamp) -> f64 {
    time.as_nanosecond() as f64 / 1e9
}
