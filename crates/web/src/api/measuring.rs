//! Measuring with what stands there: the preflight of a test, a level once more, what a live meter shows, a stretch of a log, a page of
//! a notebook.

use crate::api::acts::{RunStands, sent_uid};
use crate::api::bodies::{MeterTakeBody, NotebookBody, RepeatBody, StopsBody, StretchBody, known};
use crate::door::json::{Asked, Body, Part, field, object, only, pairs, refuse};
use crate::door::typed::Pairs;
use crate::door::{notebook, stops, taking};
use crate::error::AppError;
use crate::frame::Clock;
use crate::state::AppState;
use crate::words::preflight::{ItemWords, item};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use flindo_core::preflight::item::Level;
use flindo_core::record::run::RunEventKind;
use flindo_core::window::Window;
use flindo_store::{Accepted, NewEvent, PlaceRow, StoreError, Test};
use jiff::Timestamp;
use serde::Serialize;
use serde_json::{Map, Value, json};
use utoipa::ToSchema;

/// A finding of a preflight.
#[derive(Debug, Serialize, ToSchema)]
pub struct PreflightItem {
    key: String,
    /// ok, caution or stop.
    level: &'static str,
    place: String,
    figure: String,
    why: String,
    to_do: String,
    /// A stop that somebody goes on in spite of, as it is now.
    is_acknowledged: bool,
}

/// The preflight of a test's rig as it stands; empty without a rig.
#[utoipa::path(get, path = "/tests/{id}/preflight", params(("id" = i64, Path), Asked),
    responses((status = 200, body = Part<PreflightItem>), (status = 404), (status = 422)))]
pub async fn preflight(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    asked: Asked,
) -> Result<Json<Part<PreflightItem>>, AppError> {
    let test = state.store.test(id).await?;
    let known = state.store.acknowledgements(id).await?;
    let found = stops::findings(&state, place_of(&state, &test).await?.as_ref(), &test).await?;
    let shown = |one: ItemWords| PreflightItem {
        is_acknowledged: one.level == Level::Stop && known.iter().any(|known| known.key == one.key),
        key: one.key,
        level: one.level.name(),
        place: one.place,
        figure: one.figure,
        why: one.why,
        to_do: one.to_do,
    };
    Ok(asked.part(found.iter().map(item).collect(), shown))
}

/// Goes on in spite of stops, each named by its key: `{stops: [...]}`. Answers the preflight.
#[utoipa::path(post, path = "/tests/{id}/preflight", params(("id" = i64, Path)), request_body = StopsBody,
    responses((status = 200, body = Part<PreflightItem>), (status = 404), (status = 422)))]
pub async fn acknowledge(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<Json<Part<PreflightItem>>, AppError> {
    let map = object(body)?;
    only(&map, &known::<StopsBody>())?;
    let sent = map.get("stops").unwrap_or(&Value::Null);
    let named: Option<Vec<&str>> = sent.as_array().and_then(|all| all.iter().map(Value::as_str).collect());
    let named = named.ok_or_else(|| refuse("stops", sent, "A list of keys is wanted.", Some("the keys of the preflight")))?;
    let test = state.store.test(id).await?;
    let open = stops::open(&state, place_of(&state, &test).await?.as_ref(), &test).await?;
    let stands = state.store.acknowledgements(id).await?;
    let is_stop = |key: &&str| open.iter().any(|one| one.key == *key) || stands.iter().any(|one| one.key == *key);
    if let Some(unknown) = named.iter().find(|key| !is_stop(key)) {
        return Err(refuse("stops", &json!(unknown), "This test has no such stop.", Some("the keys of the preflight")));
    }
    stops::acknowledge(&state, id, open, &named).await?;
    preflight(State(state), Path(id), Asked::default()).await
}

async fn place_of(state: &AppState, test: &Test) -> Result<Option<PlaceRow>, AppError> {
    Ok(match test.place_id {
        Some(id) => Some(state.store.place(id).await?),
        None => state.store.current_place().await?,
    })
}

/// A level once more, now: `{level?, uid?}`, the baseline where none is named. The same `uid` again adds nothing.
#[utoipa::path(post, path = "/tests/{id}/runs", params(("id" = i64, Path)),
    request_body(content = RepeatBody, example = json!({"level": 0})),
    responses((status = 201, body = RunStands), (status = 404), (status = 422)))]
pub async fn repeat(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<(StatusCode, Json<RunStands>), AppError> {
    let map = object(body)?;
    only(&map, &known::<RepeatBody>())?;
    let record = state.store.recorded(id, Timestamp::now()).await?.record;
    let plan = record.plan.as_ref().filter(|_| !record.runs.is_empty());
    let levels = plan.map(|plan| plan.levels.len()).ok_or(StoreError::NotFound("test with a plan"))?;
    let level = number(&map, "level")?.unwrap_or(0);
    let level = usize::try_from(level).ok().filter(|level| *level <= levels).ok_or_else(|| {
        refuse("level", &json!(level), "This test has no such level.", Some(&format!("0 (the baseline) to {levels}")))
    })?;
    let uid = sent_uid(&map)?;
    let at_utc = Timestamp::now();
    let event = NewEvent { uid: uid.clone(), what: RunEventKind::Begun, text: String::new(), at_utc };
    let run = state.store.repeat_level(id, level, 0, &event).await?;
    state.hub.tell(id);
    Ok((StatusCode::CREATED, Json(RunStands::of(uid, run, RunEventKind::Begun, at_utc))))
}

/// A reading that came in without being typed.
#[derive(Debug, Serialize, ToSchema)]
pub struct Taken {
    test: i64,
    /// accepted, or already where it was here.
    answer: &'static str,
}

fn taken(test: i64, accepted: Accepted) -> (StatusCode, Json<Taken>) {
    match accepted {
        Accepted::New => (StatusCode::CREATED, Json(Taken { test, answer: "accepted" })),
        Accepted::Already => (StatusCode::OK, Json(Taken { test, answer: "already" })),
    }
}

/// Takes what a live meter shows, with its range, as a reading: `{meter, run?, uid?}`.
#[utoipa::path(post, path = "/tests/{id}/take", params(("id" = i64, Path)),
    request_body(content = MeterTakeBody, example = json!({"meter": 1})),
    responses((status = 201, body = Taken), (status = 200, body = Taken), (status = 404), (status = 422)))]
pub async fn take(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<(StatusCode, Json<Taken>), AppError> {
    let map = object(body)?;
    only(&map, &known::<MeterTakeBody>())?;
    let test = state.store.test(id).await?;
    let meter = number(&map, "meter")?.ok_or_else(|| refuse("meter", &Value::Null, "Say which meter.", None))?;
    state.store.gear_piece(meter).await?;
    let run = number(&map, "run")?;
    let runs = state.store.runs(id).await?;
    if run.is_some_and(|run| runs.iter().all(|one| one.id != run)) {
        return Err(refuse("run", &json!(run), "This test has no such run.", None));
    }
    let accepted = taking::from_meter(&state, &test, meter, (sent_uid(&map)?, run)).await?;
    Ok(taken(id, accepted))
}

/// Takes a stretch of a log as a reading of its test: `{from_utc, to_utc, run?}`, the run by its place on the sheet and else the one at
/// work then. The same stretch again adds nothing.
#[utoipa::path(post, path = "/logs/{id}/take", params(("id" = i64, Path)),
    request_body(content = StretchBody, example = json!({"from_utc": "2026-06-21T11:20:00Z", "to_utc": "2026-06-21T11:25:00Z"})),
    responses((status = 201, body = Taken), (status = 200, body = Taken), (status = 404), (status = 422)))]
pub async fn take_stretch(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<(StatusCode, Json<Taken>), AppError> {
    let map = object(body)?;
    only(&map, &known::<StretchBody>())?;
    let at = |name: &str| {
        let sent = field(&map, name)?;
        let time = sent.parse::<Timestamp>().map(|time| time.as_millisecond() as f64 / 1000.0);
        time.map_err(|_| refuse(name, &json!(sent), "This is not a time.", Some("RFC 3339, such as 2026-06-01T12:30:00Z")))
    };
    let (from_s, to_s) = (at("from_utc")?, at("to_utc")?);
    if to_s <= from_s {
        return Err(refuse("to_utc", &json!(field(&map, "to_utc")?), "The end is not after the beginning.", None));
    }
    let log = state.store.log_recorded(id).await?;
    let (test, accepted) = taking::from_log(&state, &log, Window { from_s, to_s }, number(&map, "run")?).await?;
    Ok(taken(test, accepted))
}

fn number(map: &Map<String, Value>, name: &str) -> Result<Option<i64>, AppError> {
    match map.get(name) {
        None | Some(Value::Null) => Ok(None),
        Some(value) => value.as_i64().map(Some).ok_or_else(|| refuse(name, value, "This is no whole number.", None)),
    }
}

/// A line of a notebook, and what it becomes.
#[derive(Debug, Serialize, ToSchema)]
pub struct NotebookLineJson {
    /// From 1, as it stands in the text.
    line: usize,
    text: String,
    at_utc: Option<String>,
    /// Readings and changes in it; none for a heading.
    entries: usize,
    /// What is to be asked about it.
    asked: Vec<String>,
}

/// What is still to be said of a page of a notebook.
#[derive(Debug, Serialize, ToSchema)]
pub struct WantedField {
    field: String,
    sentence: String,
}

/// A page of a notebook as it was read.
#[derive(Debug, Serialize, ToSchema)]
pub struct NotebookRead {
    /// The open test that it became; none for a preview, or while something is wanted.
    test: Option<i64>,
    /// What is wanted before it can come in.
    wanted: Vec<WantedField>,
    lines: Vec<NotebookLineJson>,
}

/// A page of a notebook into an open test: `{text, hangs?, day?, first?, apart_min?, as_notes?, preview?}`. `hangs` is a tag or a rig's
/// name, `first` the clock of the first reading. With `preview` it is only read. What is not understood comes in as a note with
/// `as_notes`, and is asked about without it (422, with every line).
#[utoipa::path(post, path = "/notebook",
    request_body(content = NotebookBody, example = json!({"text": "flat 78 W\ntilt 35: 91 W\nflat 79 W", "hangs": "P-1", "preview": true})),
    responses((status = 201, body = NotebookRead), (status = 200, body = NotebookRead), (status = 422)))]
pub async fn add_notebook(
    State(state): State<AppState>,
    Clock(zone): Clock,
    body: Body,
) -> Result<(StatusCode, Json<NotebookRead>), AppError> {
    let map = object(body)?;
    only(&map, &known::<NotebookBody>())?;
    let typed: Pairs = pairs(&map, &["text", "hangs", "day", "first", "apart_min"])?;
    let is = |name: &str| match map.get(name) {
        None | Some(Value::Null) => Ok(false),
        Some(Value::Bool(is)) => Ok(*is),
        Some(other) => Err(refuse(name, other, "This is neither true nor false.", Some("true, false"))),
    };
    let (is_preview, as_notes) = (is("preview")?, is("as_notes")?);
    let register = state.store.register().await?;
    let page = notebook::read(&register, &typed, &zone, Timestamp::now());
    let lines = page.lines.iter().zip(&page.times).map(|(line, time)| NotebookLineJson {
        line: line.number,
        text: line.text.clone(),
        at_utc: time.map(|time| time.to_string()),
        entries: line.entries.len(),
        asked: line.entries.iter().filter_map(|entry| Some(entry.understood.as_ref().err()?.asked.clone())).collect(),
    });
    let lines: Vec<NotebookLineJson> = lines.collect();
    let wanted = page.wanted.iter().map(|(field, said)| WantedField { field: (*field).to_owned(), sentence: said.clone() });
    let wanted: Vec<WantedField> = wanted.collect();
    if is_preview {
        return Ok((StatusCode::OK, Json(NotebookRead { test: None, wanted, lines })));
    }
    let of_line = |line: &NotebookLineJson| {
        Some(WantedField { field: "text".to_owned(), sentence: format!("Line {}: {}", line.line, line.asked.first()?) })
    };
    let asked = lines.iter().find_map(of_line).filter(|_| !as_notes);
    if let Some(WantedField { field, sentence }) = wanted.into_iter().next().or(asked) {
        return Err(refuse(&field, &json!(lines), sentence, None));
    }
    let place = state.store.current_place().await?.map(|place| place.id);
    let test = notebook::take(&state, &page, place, &zone).await?;
    Ok((StatusCode::CREATED, Json(NotebookRead { test: Some(test), wanted: Vec::new(), lines })))
}
