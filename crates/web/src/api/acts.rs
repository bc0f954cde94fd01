//! What happens during tests: to runs, to panels between tests, meters that record, pictures of a set-up.

use crate::api::bodies::{PanelEventBody, RecordBody, RunEventBody, RunStateBody, known as known_fields};
use crate::api::conditions::{conditions_of, state_json};
use crate::door::entering::checked_uid;
use crate::door::json::{Asked, Body, Part, field, object, object_of, only, refuse};
use crate::door::{photo, typed::Pairs, typed::value};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use flindo_core::record::bounds::is_known_year;
use flindo_core::record::panel_event::PanelEventKind;
use flindo_core::record::run::RunEventKind;
use flindo_store::{NewEvent, PanelEvent, Photo, StoreError, new_uid};
use jiff::Timestamp;
use jiff::civil::Date;
use serde::Serialize;
use serde_json::{Map, Value, json};
use utoipa::ToSchema;

/// What a run is at after something happened to it.
#[derive(Debug, Serialize, ToSchema)]
pub struct RunStands {
    uid: String,
    run: i64,
    what: &'static str,
    at_utc: String,
}

impl RunStands {
    pub(super) fn of(uid: String, run: i64, what: RunEventKind, at_utc: Timestamp) -> Self {
        RunStands { uid, run, what: what.name(), at_utc: at_utc.to_string() }
    }
}

/// Something happened to a run: `{what, text?, at_utc?, uid?}`; `what` is one of begun, done, skipped, taken_up, cloud, note,
/// confirmed. The same `uid` again adds nothing.
#[utoipa::path(
    post,
    path = "/tests/{id}/runs/{run}",
    params(("id" = i64, Path), ("run" = i64, Path)),
    request_body(content = RunEventBody, example = json!({"what": "done", "at_utc": "2026-06-21T11:26:00Z"})),
    responses((status = 201, body = RunStands), (status = 404), (status = 422))
)]
pub async fn run_event(
    State(state): State<AppState>,
    Path((id, run)): Path<(i64, i64)>,
    body: Body,
) -> Result<(StatusCode, Json<RunStands>), AppError> {
    let map = object(body)?;
    only(&map, &known_fields::<RunEventBody>())?;
    let name = field(&map, "what")?;
    let what = RunEventKind::from_name(&name).ok_or_else(|| {
        refuse("what", sent(&map, "what"), "This cannot happen to a run.", Some(&known(RunEventKind::ALL, RunEventKind::name)))
    })?;
    let text = field(&map, "text")?.trim().to_owned();
    let at_utc = match field(&map, "at_utc")? {
        at if at.is_empty() => Timestamp::now(),
        at => at.parse().map_err(|_| {
            refuse("at_utc", sent(&map, "at_utc"), "This is not a time.", Some("RFC 3339, such as 2026-06-01T12:30:00Z"))
        })?,
    };
    let uid = sent_uid(&map)?;
    let event = NewEvent { uid: uid.clone(), what, text, at_utc };
    state.store.add_event(id, run, &event).await?;
    state.hub.tell(id);
    Ok((StatusCode::CREATED, Json(RunStands::of(uid, run, what, at_utc))))
}

/// What a run of an open test was really of: `{state}`, with the conditions that were entered wrongly; the others stay. Its readings go
/// along. The same `uid` again adds nothing.
#[utoipa::path(
    post,
    path = "/tests/{id}/runs/{run}/state",
    params(("id" = i64, Path), ("run" = i64, Path)),
    request_body(content = RunStateBody, example = json!({"state": {"tilt_deg": 30}})),
    responses((status = 201, body = Object), (status = 404), (status = 409), (status = 422))
)]
pub async fn run_state(
    State(state): State<AppState>,
    Path((id, run)): Path<(i64, i64)>,
    body: Body,
) -> Result<(StatusCode, Json<Value>), AppError> {
    let map = object(body)?;
    only(&map, &known_fields::<RunStateBody>())?;
    let names = state.store.register().await?.names();
    let said = conditions_of("state", &object_of("state", sent(&map, "state").clone())?, &names)?;
    let uid = sent_uid(&map)?;
    let runs = state.store.runs(id).await?;
    let of_run = runs.iter().find(|one| one.id == run).ok_or(StoreError::NotFound("run"))?;
    let mut stands = of_run.state.clone().unwrap_or_default();
    stands.extend(said);
    state.store.correct_state(id, run, (&uid, Timestamp::now()), &stands).await?;
    state.hub.tell(id);
    Ok((StatusCode::CREATED, Json(json!({ "run": run, "state": state_json(&stands, &names) }))))
}

/// The identity that was sent, or a new one.
pub(super) fn sent_uid(map: &Map<String, Value>) -> Result<String, AppError> {
    match field(map, "uid")? {
        uid if uid.is_empty() => Ok(new_uid()),
        uid => checked_uid(&uid),
    }
}

fn sent<'a>(map: &'a Map<String, Value>, name: &str) -> &'a Value {
    map.get(name).unwrap_or(&Value::Null)
}

fn known<T: Copy>(all: &[T], name: impl Fn(T) -> &'static str) -> String {
    all.iter().map(|one| name(*one)).collect::<Vec<_>>().join(", ")
}

/// Something that was done to a panel between tests.
#[derive(Debug, Serialize, ToSchema)]
pub struct PanelEventItem {
    id: i64,
    day: String,
    /// cleaned, moved, repaired, damaged or other.
    what: &'static str,
    text: String,
}

fn panel_event(event: PanelEvent) -> PanelEventItem {
    PanelEventItem { id: event.id, day: event.day.to_string(), what: event.what.name(), text: event.text }
}

/// What was done to a panel between tests, the oldest first.
#[utoipa::path(
    get,
    path = "/panels/{id}/events",
    params(("id" = i64, Path), Asked),
    responses((status = 200, body = Part<PanelEventItem>), (status = 404), (status = 422))
)]
pub async fn panel_events(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    asked: Asked,
) -> Result<Json<Part<PanelEventItem>>, AppError> {
    state.store.panel(id).await?;
    Ok(asked.part(state.store.panel_events(id).await?, panel_event))
}

/// Notes what was done to a panel: `{day, what, text?}`.
#[utoipa::path(
    post,
    path = "/panels/{id}/events",
    params(("id" = i64, Path)),
    request_body(content = PanelEventBody, example = json!({"day": "2026-06-20", "what": "cleaned", "text": "with rain water"})),
    responses((status = 201, body = Part<PanelEventItem>), (status = 404), (status = 422))
)]
pub async fn add_panel_event(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<(StatusCode, Json<Part<PanelEventItem>>), AppError> {
    let map = object(body)?;
    only(&map, &known_fields::<PanelEventBody>())?;
    let day = field(&map, "day")?.parse::<Date>().ok().filter(|day| is_known_year(day.year()));
    let day = day.ok_or_else(|| refuse("day", sent(&map, "day"), "This is not a date.", Some("2026-06-21, 1970 to 2100")))?;
    let what = PanelEventKind::from_name(&field(&map, "what")?).ok_or_else(|| {
        let known = known(PanelEventKind::ALL, PanelEventKind::name);
        refuse("what", sent(&map, "what"), "This cannot be done to a panel.", Some(&known))
    })?;
    state.store.add_panel_event(id, day, what, field(&map, "text")?.trim()).await?;
    let Json(events) = panel_events(State(state), Path(id), Asked::default()).await?;
    Ok((StatusCode::CREATED, Json(events)))
}

/// Takes a note of a panel away.
#[utoipa::path(
    delete,
    path = "/panels/{id}/events/{event}",
    params(("id" = i64, Path), ("event" = i64, Path)),
    responses((status = 204, description = "It is gone"), (status = 404))
)]
pub async fn remove_panel_event(
    State(state): State<AppState>,
    Path((id, event)): Path<(i64, i64)>,
) -> Result<StatusCode, AppError> {
    state.store.remove_panel_event(id, event).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Whether a meter records.
#[derive(Debug, Serialize, ToSchema)]
pub struct Recording {
    /// Of the gear.
    meter: i64,
    /// The log that is written; null after it was stopped.
    log: Option<i64>,
    /// Samples that could not be written in time.
    lost: usize,
}

/// Starts a log from a meter that is connected: `{test?, run?}` says what it belongs to.
#[utoipa::path(
    post,
    path = "/meters/{id}/record",
    params(("id" = i64, Path)),
    request_body(content = RecordBody, example = json!({"test": 3})),
    responses((status = 201, body = Recording), (status = 404), (status = 409), (status = 422))
)]
pub async fn record(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<(StatusCode, Json<Recording>), AppError> {
    let map = object(body)?;
    only(&map, &known_fields::<RecordBody>())?;
    let number = |name: &str| match map.get(name) {
        None | Some(Value::Null) => Ok(None),
        Some(value) => value.as_i64().map(Some).ok_or_else(|| refuse(name, value, "This is no number of a record.", None)),
    };
    let (test, run) = (number("test")?, number("run")?);
    if let Some(test) = test {
        let record = state.store.recorded(test, Timestamp::now()).await?.record;
        if run.is_some_and(|run| record.runs.iter().all(|one| one.id != run)) {
            return Err(refuse("run", sent(&map, "run"), "This test has no such run.", None));
        }
    } else if run.is_some() {
        return Err(refuse("run", sent(&map, "run"), "A run is of a test: say which.", None));
    }
    let log = state.hub.record(id, test, run).await?;
    Ok((StatusCode::CREATED, Json(Recording { meter: id, log: Some(log), lost: 0 })))
}

/// Ends the log of a meter.
#[utoipa::path(
    post,
    path = "/meters/{id}/stop",
    params(("id" = i64, Path)),
    responses((status = 200, body = Recording), (status = 404))
)]
pub async fn stop(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Recording>, AppError> {
    let lost = state.hub.stop_recording(id).await?;
    Ok(Json(Recording { meter: id, log: None, lost }))
}

/// A picture of a set-up.
#[derive(Debug, Serialize, ToSchema)]
pub struct PhotoItem {
    id: i64,
    run: Option<i64>,
    caption: String,
    width_px: u32,
    height_px: u32,
}

fn photo_item(photo: Photo) -> PhotoItem {
    PhotoItem { id: photo.id, run: photo.run_id, caption: photo.caption, width_px: photo.width_px, height_px: photo.height_px }
}

/// The pictures of a test, the oldest first.
#[utoipa::path(
    get,
    path = "/tests/{id}/photos",
    params(("id" = i64, Path), Asked),
    responses((status = 200, body = Part<PhotoItem>), (status = 404), (status = 422))
)]
pub async fn photos(State(state): State<AppState>, Path(id): Path<i64>, asked: Asked) -> Result<Json<Part<PhotoItem>>, AppError> {
    state.store.test(id).await?;
    Ok(asked.part(state.store.photos(id).await?, photo_item))
}

/// Adds a picture, PNG or JPEG: `?caption=the+towel&run=7`. It is kept without what a camera writes into it.
#[utoipa::path(
    post,
    path = "/tests/{id}/photos",
    params(("id" = i64, Path), ("caption" = Option<String>, Query), ("run" = Option<i64>, Query)),
    request_body(content = Vec<u8>, content_type = "image/jpeg"),
    responses((status = 201, body = PhotoItem), (status = 404), (status = 422))
)]
pub async fn add_photo(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
    bytes: Bytes,
) -> Result<(StatusCode, Json<PhotoItem>), AppError> {
    let run = match value(&query, "run") {
        "" => None,
        text => {
            let run = text.parse::<i64>().map_err(|_| AppError::input("run", text, "This is no number of a run."))?;
            Some(run)
        }
    };
    let added = photo::keep(&state, id, bytes.to_vec(), run, value(&query, "caption")).await?;
    let found = state.store.photos(id).await?.into_iter().find(|photo| photo.id == added).ok_or(AppError::NoSuchPage)?;
    Ok((StatusCode::CREATED, Json(photo_item(found))))
}

/// A picture as it is kept.
#[utoipa::path(
    get,
    path = "/tests/{id}/photos/{photo}",
    params(("id" = i64, Path), ("photo" = i64, Path)),
    responses((status = 200, content_type = "image/jpeg"), (status = 404))
)]
pub async fn photo_file(State(state): State<AppState>, Path((id, photo)): Path<(i64, i64)>) -> Result<Response, AppError> {
    let (media_type, bytes) = state.store.photo_file(id, photo).await?;
    Ok(([(header::CONTENT_TYPE, media_type)], bytes).into_response())
}

/// Takes a picture away.
#[utoipa::path(
    delete,
    path = "/tests/{id}/photos/{photo}",
    params(("id" = i64, Path), ("photo" = i64, Path)),
    responses((status = 204, description = "It is gone"), (status = 404))
)]
pub async fn remove_photo(State(state): State<AppState>, Path((id, photo)): Path<(i64, i64)>) -> Result<StatusCode, AppError> {
    state.store.remove_photo(id, photo).await?;
    state.hub.tell(id);
    Ok(StatusCode::NO_CONTENT)
}
