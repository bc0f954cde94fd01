//! A JSON body as the fields of a form, so that programs and pages pass the same checks.

use crate::door::typed::{Notes, Pairs};
use crate::error::{AppError, InputError};
use axum::Json;
use axum::extract::rejection::JsonRejection;
use axum::extract::{FromRequestParts, Query};
use axum::http::request::Parts;
use flindo_core::form::FieldNote;
use serde::Serialize;
use serde_json::{Map, Value, json};
use utoipa::{IntoParams, ToSchema};

/// A body as it arrived.
pub type Body = Result<Json<Value>, JsonRejection>;

pub fn refuse(field: &str, value: &Value, message: impl Into<String>, allowed: Option<&str>) -> AppError {
    AppError::Input(InputError {
        message: message.into(),
        field: Some(field.to_owned()),
        value: Some(value.clone()),
        allowed: allowed.map(str::to_owned),
        index: None,
    })
}

/// One object; the error says what it is instead.
pub fn object(body: Body) -> Result<Map<String, Value>, AppError> {
    let Json(body) = body.map_err(|error| AppError::Input(InputError { message: error.body_text(), ..InputError::default() }))?;
    object_of("body", body)
}

pub fn object_of(field: &str, value: Value) -> Result<Map<String, Value>, AppError> {
    if let Value::Object(map) = value {
        return Ok(map);
    }
    Err(refuse(field, &value, "This has to be a JSON object.", Some("an object")))
}

/// Refuses fields that are not known, so that a misspelt one is not dropped in silence.
pub fn only(map: &Map<String, Value>, known: &[&str]) -> Result<(), AppError> {
    match map.iter().find(|(name, _)| !known.contains(&name.as_str())) {
        Some((name, value)) => Err(refuse(name, value, format!("There is no field \"{name}\" here."), Some(&known.join(", ")))),
        None => Ok(()),
    }
}

/// The text of a plain value, as it would be typed.
pub fn text(field: &str, value: &Value) -> Result<String, AppError> {
    match value {
        Value::String(text) => Ok(text.clone()),
        Value::Number(number) => Ok(number.to_string()),
        Value::Bool(true) => Ok("yes".to_owned()),
        Value::Bool(false) => Ok("no".to_owned()),
        Value::Null => Ok(String::new()),
        Value::Array(_) | Value::Object(_) => {
            Err(refuse(field, value, format!("\"{field}\" has to be a text or a number."), None))
        }
    }
}

/// The named fields as a form would send them; those that are not there are left out.
pub fn pairs(map: &Map<String, Value>, names: &[&str]) -> Result<Pairs, AppError> {
    let there = names.iter().filter_map(|name| map.get(*name).map(|value| (*name, value)));
    there.map(|(name, value)| Ok((name.to_owned(), text(name, value)?))).collect()
}

/// The text of a field; empty where it is not there.
pub fn field(map: &Map<String, Value>, name: &str) -> Result<String, AppError> {
    map.get(name).map_or(Ok(String::new()), |value| text(name, value))
}

/// The first field that a form's check refused.
pub fn refused_of(map: &Map<String, Value>, notes: &Notes) -> Option<AppError> {
    let (field, sentence) = notes.first_refused()?;
    let value = map.get(&field).cloned().unwrap_or(Value::Null);
    Some(refuse(&field, &value, sentence, None))
}

pub fn field_notes(map: &Map<String, Value>, notes: &[FieldNote]) -> AppError {
    match notes.first() {
        Some(note) => refuse(note.field, map.get(note.field).unwrap_or(&Value::Null), note.text.clone(), None),
        None => AppError::Input(InputError { message: "This was refused.".to_owned(), ..InputError::default() }),
    }
}

/// Which part of a list is wanted.
#[derive(Debug, Clone, Copy, Default, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Asked {
    /// The `next` of the answer before.
    after: Option<i64>,
    /// 1 to 1000; 1000 without it.
    most: Option<i64>,
}

/// A part of a list: every list is answered so.
#[derive(Debug, Serialize, ToSchema)]
pub struct Part<T> {
    pub items: Vec<T>,
    /// To be sent as `after` for what follows; null at the end.
    pub next: Option<i64>,
    /// Of the whole list.
    pub total: i64,
}

impl<S: Send + Sync> FromRequestParts<S> for Asked {
    type Rejection = AppError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, AppError> {
        let Query(query) = Query::<Pairs>::from_request_parts(parts, state)
            .await
            .map_err(|error| refuse("query", &Value::Null, error.body_text(), None))?;
        Asked::of(&query)
    }
}

impl Asked {
    /// Items of a part at most.
    pub const MOST: i64 = 1000;

    /// What a query asks for, beside what else is in it.
    ///
    /// # Errors
    /// A number that is none or out of its range.
    pub fn of(query: &Pairs) -> Result<Self, AppError> {
        let mut asked = Asked::default();
        for (name, typed) in query {
            let (place, range) = match name.as_str() {
                "after" => (&mut asked.after, 0..=i64::MAX),
                "most" => (&mut asked.most, 1..=Self::MOST),
                _ => continue,
            };
            let number = typed.parse::<i64>().ok().filter(|number| range.contains(number));
            let allowed = if name == "most" { "1 to 1000" } else { "the next of the answer before" };
            let sentence = "This is no number of the list.";
            *place = Some(number.ok_or_else(|| refuse(name, &Value::from(typed.as_str()), sentence, Some(allowed)))?);
        }
        Ok(asked)
    }

    /// What the part follows, and how many items it has at most.
    pub fn places(self) -> (i64, i64) {
        (self.after.unwrap_or(0), self.most.unwrap_or(Self::MOST))
    }

    /// The part of a list that is there as a whole. `next` is a place in it.
    pub fn part<T, S>(self, all: Vec<T>, show: impl FnMut(T) -> S) -> Json<Part<S>> {
        let (after, most) = self.places();
        let (skip, total) = (usize::try_from(after).unwrap_or(usize::MAX), all.len());
        let most = usize::try_from(most).unwrap_or(usize::MAX);
        let items = all.into_iter().skip(skip).take(most).map(show).collect();
        self.answer(items, i64::try_from(total).unwrap_or(i64::MAX))
    }

    /// The items of a part, with how many there are in all. `next` is a place in the list.
    pub fn answer<T>(self, items: Vec<T>, total: i64) -> Json<Part<T>> {
        let end = self.places().0.saturating_add(i64::try_from(items.len()).unwrap_or(i64::MAX));
        Json(Part { items, next: Some(end).filter(|end| *end < total), total })
    }
}

/// Items of one array at most.
pub const MOST_ITEMS: usize = 10_000;

/// An item that was refused, among answers to others.
pub fn refused(uid: &Value, error: AppError) -> Value {
    let status = error.status().as_u16();
    let error = if let AppError::Input(input) = error {
        json!({ "message": input.message, "field": input.field, "value": input.value, "allowed": input.allowed })
    } else {
        json!({ "message": error.to_string() })
    };
    json!({ "uid": uid, "answer": "refused", "status": status, "error": error })
}
