//! Places, kinds of panel, panels, gear and rigs. Every `POST` passes the checks of its form; the same `uid` a second time is the one that
//! is there. A `PUT` takes what a `GET` answered, with what is to change: a field that is left out is empty afterwards, and the record
//! before stays as its revision.

pub mod gear;
mod items;
pub mod panels;
pub mod places;
pub mod rigs;

use crate::door::changed::{ChangedAnswer, Edit, changed_answers};
use crate::door::json::{Body, field, object, refuse};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_store::{Identified, StoreError};
use serde::Serialize;
use serde_json::{Map, Value};
use utoipa::ToSchema;

/// A record after an edit, and the answers that it changed.
#[derive(Debug, Serialize, ToSchema)]
pub struct Edited<T> {
    #[serde(flatten)]
    of: T,
    changed: Vec<ChangedTest>,
    /// Older tests that were not looked at.
    not_looked_at: usize,
}

/// A test that answers otherwise since an edit.
#[derive(Debug, Serialize, ToSchema)]
pub struct ChangedTest {
    /// Its panel and day.
    test: String,
    /// Its headline before, and now.
    was: String,
    becomes: String,
}

/// What an edit will change in answers that were given.
struct Changes(Vec<ChangedAnswer>, usize);

impl Changes {
    /// Of records that no answer reads.
    const NONE: Changes = Changes(Vec::new(), 0);

    async fn of(state: &AppState, edit: Edit) -> Result<Self, AppError> {
        let (changed, left) = changed_answers(state, edit).await?;
        Ok(Changes(changed, left))
    }

    fn with<T>(self, of: T) -> Json<Edited<T>> {
        let one = |one: ChangedAnswer| ChangedTest { test: one.test, was: one.was, becomes: one.becomes };
        Json(Edited { of, changed: self.0.into_iter().map(one).collect(), not_looked_at: self.1 })
    }
}

/// The object of a body. What an answer says of a record besides its fields may stand in it.
fn sent(body: Body) -> Result<Map<String, Value>, AppError> {
    let mut map = object(body)?;
    map.retain(|name, _| !["id", "changed", "not_looked_at"].contains(&name.as_str()));
    Ok(map)
}

/// Refuses the identity of another record.
fn is_of(map: &Map<String, Value>, uid: &str) -> Result<(), AppError> {
    match field(map, "uid")? {
        sent if sent.is_empty() || sent == uid => Ok(()),
        _ => Err(refuse("uid", &map["uid"], "This is the identity of another record.", Some(uid))),
    }
}

fn created<T: Serialize>(shown: T) -> Response {
    (StatusCode::CREATED, Json(shown)).into_response()
}

/// The record that already carries the body's `uid`.
async fn already(state: &AppState, what: Identified, map: &Map<String, Value>) -> Result<Option<i64>, AppError> {
    let uid = field(map, "uid")?;
    if uid.is_empty() {
        return Ok(None);
    }
    crate::door::entering::checked_uid(&uid)?;
    Ok(state.store.id_of_uid(what, &uid).await?)
}

/// What the bench refused, with the field whose name another record carries.
fn taken(map: &Map<String, Value>, field: &str) -> impl Fn(StoreError) -> AppError + use<> {
    let value = map.get(field).cloned();
    let field = field.to_owned();
    move |error| {
        let StoreError::Conflict(message) = error else { return error.into() };
        AppError::Taken(InputError { message, field: Some(field.clone()), value: value.clone(), ..InputError::default() })
    }
}

async fn identify(state: &AppState, what: Identified, id: i64, map: &Map<String, Value>) -> Result<(), AppError> {
    let uid = field(map, "uid")?;
    if !uid.is_empty() {
        state.store.set_uid(what, id, &uid).await?;
    }
    Ok(())
}
