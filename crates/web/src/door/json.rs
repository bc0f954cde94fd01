//! A JSON body as the fields of a form, so that programs and pages pass the same checks.

use crate::door::typed::{Notes, Pairs};
use crate::error::{AppError, InputError};
use axum::Json;
use axum::extract::rejection::JsonRejection;
use flindo_core::form::FieldNote;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value, json};
use utoipa::ToSchema;

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
#[derive(Deserialize)]
pub struct Paging {
    /// From 1.
    page: Option<usize>,
    /// 1 to 500; 100 if absent.
    per_page: Option<usize>,
}

/// A page of a list.
#[derive(Debug, Serialize, ToSchema)]
pub struct Page<T> {
    items: Vec<T>,
    /// From 1.
    page: usize,
    per_page: usize,
    /// Of the whole list.
    total: usize,
}

impl Paging {
    /// The page of a list, with how many there are in all.
    pub fn of<T, S>(&self, all: Vec<T>, show: impl FnMut(T) -> S) -> Json<Page<S>> {
        let ((skip, most), total) = (self.places(), all.len());
        self.answer(all.into_iter().skip(skip).take(most).map(show).collect(), total)
    }

    /// How many items come before the page, and how many it has at most.
    pub fn places(&self) -> (usize, usize) {
        let per_page = self.per_page.unwrap_or(100).clamp(1, 500);
        ((self.page.unwrap_or(1).max(1) - 1).saturating_mul(per_page), per_page)
    }

    /// The items of the page, with how many there are in all.
    pub fn answer<T>(&self, items: Vec<T>, total: usize) -> Json<Page<T>> {
        let (skip, per_page) = self.places();
        Json(Page { items, page: skip / per_page + 1, per_page, total })
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
