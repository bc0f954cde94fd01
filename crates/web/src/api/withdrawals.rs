//! Records taken back and restored, for programs.

use crate::api::bodies::{WithdrawalBody, known};
use crate::door::json::{Asked, Body, Part, object, only, text};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use flindo_store::{Withdrawable, Withdrawn};
use jiff::Timestamp;
use serde::Serialize;
use utoipa::ToSchema;

/// A record that is withdrawn.
#[derive(Debug, Serialize, ToSchema)]
pub struct WithdrawnJson {
    /// One of test, panel, kind, gear, rig, place, log, review.
    what: &'static str,
    id: i64,
    name: String,
    /// RFC 3339, UTC.
    at_utc: String,
    reason: String,
}

/// Whether a record is withdrawn now.
#[derive(Debug, Serialize, ToSchema)]
pub struct StandsJson {
    what: &'static str,
    id: i64,
    is_withdrawn: bool,
}

/// All that is withdrawn, the newest first.
#[utoipa::path(get, path = "/withdrawn", params(Asked), responses((status = 200, body = Part<WithdrawnJson>), (status = 422)))]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<WithdrawnJson>>, AppError> {
    let one = |one: Withdrawn| WithdrawnJson {
        what: one.what.name(),
        id: one.id,
        name: one.name,
        at_utc: one.at_utc.to_string(),
        reason: one.reason,
    };
    Ok(asked.part(state.store.withdrawn().await?, one))
}

/// Takes a record back, with a reason: `{reason?}`. `what` is one of test, panel, kind, gear, rig, place, log, review.
#[utoipa::path(post, path = "/withdrawn/{what}/{id}", params(("what" = String, Path), ("id" = i64, Path)), request_body = WithdrawalBody,
    responses((status = 200, body = StandsJson), (status = 404), (status = 409), (status = 422)))]
pub async fn withdraw(
    State(state): State<AppState>,
    Path((what, id)): Path<(String, i64)>,
    body: Body,
) -> Result<Json<StandsJson>, AppError> {
    let map = object(body)?;
    only(&map, &known::<WithdrawalBody>())?;
    let reason = map.get("reason").map_or_else(|| Ok(String::new()), |value| text("reason", value))?;
    stands(&state, &what, id, Some(&reason)).await
}

/// Restores a record that was withdrawn.
#[utoipa::path(post, path = "/withdrawn/{what}/{id}/restore", params(("what" = String, Path), ("id" = i64, Path)),
    responses((status = 200, body = StandsJson), (status = 404)))]
pub async fn restore(State(state): State<AppState>, Path((what, id)): Path<(String, i64)>) -> Result<Json<StandsJson>, AppError> {
    stands(&state, &what, id, None).await
}

async fn stands(state: &AppState, what: &str, id: i64, reason: Option<&str>) -> Result<Json<StandsJson>, AppError> {
    let what = Withdrawable::from_name(what).ok_or(AppError::NoSuchPage)?;
    state.store.withdraw((what, id), reason.is_some(), reason.unwrap_or_default(), Timestamp::now()).await?;
    Ok(Json(StandsJson { what: what.name(), id, is_withdrawn: reason.is_some() }))
}
