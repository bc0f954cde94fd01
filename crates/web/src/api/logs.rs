//! Logs for programs: a file with how it is to be read, or samples as JSON; what a log holds, and what its days come to.

use super::log_answer::{self, FaultAnswer, LogAnswer, LogItem, LogsAdded, about};
use crate::api::bodies::{LogBody, LogOfBody, known};
use crate::day::Day;
use crate::door::json::{Asked, Body, Part, object, only, refuse, text};
use crate::door::log_file::{Arrived, arrive, fails};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{FromRequest, Multipart, Path, Query, Request, State};
use axum::http::{StatusCode, header};
use flindo_core::measure::logger::doubt::Assumed;
use flindo_core::measure::logger::guess::guess;
use flindo_core::measure::logger::{Encoding, Format};
use flindo_core::measure::quantity::Quantity;
use flindo_store::{Belongs, LogFile, LogProgress};
use jiff::Timestamp;
use jiff::civil::Date;
use serde_json::{Map, Value, json};

/// Faults that are told of a file.
const MOST_FAULTS: i64 = 50;

/// All logs, the newest first.
#[utoipa::path(get, path = "/logs", params(Asked), responses((status = 200, body = Part<LogItem>), (status = 422)))]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<LogItem>>, AppError> {
    let (after, most) = asked.places();
    let mut found = Vec::new();
    for log in state.store.logs(after, most).await? {
        found.push(about(&state, log).await?);
    }
    Ok(asked.answer(found, state.store.count_logs().await?))
}

/// Adds logs: a form with `file` and, where the guess from its first lines is not right, `mapping` (JSON); or JSON
/// `{name, samples: [{time_utc, power_w, ...}]}`. Both take `test` (id), `panel` (tag), `rig`, `place` (names), `side`, `tilt_deg`,
/// `azimuth_deg` and
/// `meter_percent`. A row with a fault is kept aside and told. The same file again adds nothing (200).
#[utoipa::path(
    post,
    path = "/logs",
    request_body(
        content = LogBody,
        example = json!({
            "name": "roof", "panel": "S-1", "tilt_deg": 30, "azimuth_deg": 180,
            "samples": [{"time_utc": "2026-06-21T11:20:00Z", "power_w": 151.2}]
        })
    ),
    responses(
        (status = 201, body = LogsAdded),
        (status = 200, body = LogsAdded, description = "The file was here already"),
        (status = 422)
    )
)]
pub async fn add(State(state): State<AppState>, request: Request) -> Result<(StatusCode, Json<LogsAdded>), AppError> {
    let kind = request.headers().get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default().to_owned();
    let arrived = if kind.starts_with("multipart/") {
        let multipart = Multipart::from_request(request, &state)
            .await
            .map_err(|error| refuse("file", &Value::Null, error.body_text(), None))?;
        arrive(&state.store, multipart).await.map_err(|sentence| refuse("file", &Value::Null, sentence, None))?
    } else {
        let bytes = Bytes::from_request(request, &state)
            .await
            .map_err(|error| refuse("samples", &Value::Null, error.body_text(), None))?;
        of_json(&state, &bytes).await?
    };
    let Arrived { file, fields } = arrived;
    let is_new = file.ended_utc.is_none();
    let mut taken_so = Vec::new();
    let file = if is_new { bring_in(&state, file, value(&fields, "mapping"), &mut taken_so).await? } else { file };
    let belongs = belongs(&state, &fields).await?;
    let mut logs = Vec::new();
    for log in state.store.logs_of_file(file.id).await? {
        if is_new {
            state.store.bind_log(log.id, &belongs).await?;
        }
        logs.push(about(&state, state.store.log(log.id).await?).await?);
    }
    let faults = state.store.log_faults(file.id, MOST_FAULTS).await?;
    let faults = faults.into_iter().map(|one| FaultAnswer {
        line: one.line,
        column: one.fault.column,
        name: one.fault.name,
        cell: one.fault.cell,
        why: one.fault.why.to_string(),
    });
    let answer = LogsAdded {
        id: logs.first().map(|log| log.id),
        file: log_answer::file(&file),
        logs,
        faults: faults.collect(),
        assumed: taken_so.iter().map(|one| log_answer::assumed(one, file.format.as_ref())).collect(),
    };
    Ok((if is_new { StatusCode::CREATED } else { StatusCode::OK }, Json(answer)))
}

/// Brings in a file by its mapping, as files of its look were before, or as it seems; `assumed` gets what of that is an assumption.
async fn bring_in(state: &AppState, file: LogFile, mapping: &str, assumed: &mut Vec<Assumed>) -> Result<LogFile, AppError> {
    let format: Format = match (mapping.trim(), &file.format) {
        ("", Some(format)) => format.clone(),
        ("", None) => {
            let (head, _) = state.store.log_text_ends(&file).map_err(fails)?;
            let zone = state.store.current_place().await?.map_or_else(|| "UTC".to_owned(), |place| place.draft.time_zone);
            let seems = guess(&head, &zone).ok_or_else(|| {
                refuse("file", &Value::Null, "This is no table of samples.", Some("rows of a time and figures"))
            })?;
            let remembered = state.store.remembered_format(&seems.format.look()).await?;
            assumed.extend(seems.assumed.into_iter().filter(|one| remembered.is_none() || one.is_of_this_file()));
            remembered.unwrap_or(seems.format)
        }
        (mapping, _) => serde_json::from_str(mapping).map_err(|error| {
            refuse("mapping", &Value::String(mapping.to_owned()), format!("The mapping cannot be read: {error}."), None)
        })?,
    };
    let confirmed = state.store.confirm_format(file.id, &format).await;
    confirmed.map_err(|error| refuse("mapping", &json!(format), error.to_string(), None))?;
    let (store, id, runtime) = (state.store.clone(), file.id, tokio::runtime::Handle::current());
    let done = tokio::task::spawn_blocking(move || runtime.block_on(store.bring_in_log(id, &LogProgress::default())));
    done.await.map_err(|error| AppError::failed(&error))?.map_err(fails)
}

/// Samples as JSON are kept as the file that they would be, so that the same ones again add nothing.
async fn of_json(state: &AppState, bytes: &[u8]) -> Result<Arrived, AppError> {
    let body: Value = serde_json::from_slice(bytes)
        .map_err(|error| refuse("samples", &Value::Null, format!("This is not JSON: {error}."), None))?;
    let map = body
        .as_object()
        .cloned()
        .ok_or_else(|| refuse("samples", &body, "An object is wanted.", Some("{name, samples: [...]}")))?;
    only(&map, &known::<LogBody>())?;
    let samples = map.get("samples").and_then(Value::as_array);
    let samples = samples.filter(|samples| !samples.is_empty()).ok_or_else(|| {
        refuse(
            "samples",
            map.get("samples").unwrap_or(&Value::Null),
            "A list of samples is wanted.",
            Some("[{time_utc, power_w, ...}]"),
        )
    })?;
    let quantities: Vec<&Quantity> =
        Quantity::ALL.iter().filter(|quantity| samples.iter().any(|sample| sample.get(quantity.name()).is_some())).collect();
    let mut table = format!("time_utc,{}\n", quantities.iter().map(|quantity| quantity.name()).collect::<Vec<_>>().join(","));
    for (nth, sample) in samples.iter().enumerate() {
        let row = sample.as_object().ok_or_else(|| refuse("samples", sample, format!("Item {nth} is no object."), None))?;
        let mut names = vec!["time_utc"];
        names.extend(quantities.iter().map(|quantity| quantity.name()));
        only(row, &names)?;
        table.push_str(&text("time_utc", row.get("time_utc").unwrap_or(&Value::Null))?);
        for quantity in &quantities {
            table.push(',');
            match row.get(quantity.name()) {
                None | Some(Value::Null) => {}
                Some(figure) => table.push_str(&text(quantity.name(), figure)?),
            }
        }
        table.push('\n');
    }
    let name = map.get("name").map_or_else(|| Ok("log".to_owned()), |name| text("name", name))?;
    let mut arriving = state.store.log_file_arrives(Some(Encoding::Utf8)).map_err(fails)?;
    arriving.take(table.as_bytes()).map_err(|error| AppError::failed(&error))?;
    let file = state.store.log_file_arrived(arriving, &name, Timestamp::now()).await.map_err(fails)?;
    Ok(Arrived { file, fields: fields(&map)? })
}

fn fields(map: &Map<String, Value>) -> Result<Pairs, AppError> {
    let mut fields = Pairs::new();
    for (name, value) in map.iter().filter(|(name, value)| *name != "samples" && *name != "name" && !value.is_null()) {
        fields.push((name.clone(), text(name, value)?));
    }
    Ok(fields)
}

/// What the fields say a log belongs to.
async fn belongs(state: &AppState, fields: &Pairs) -> Result<Belongs, AppError> {
    let register = state.store.register().await?;
    let unknown = |field: &str, what: &str| {
        refuse(field, &Value::String(value(fields, field).to_owned()), format!("There is no such {what}."), None)
    };
    let named = |field: &str| Some(value(fields, field).trim()).filter(|text| !text.is_empty()).map(str::to_owned);
    let number = |field: &str, low: f64, high: f64| number(fields, field, low, high);
    let test_id = match named("test") {
        None => None,
        Some(text) => {
            let id = text.parse().map_err(|_| unknown("test", "test"))?;
            Some(state.store.test(id).await.map_err(|_| unknown("test", "test"))?.id)
        }
    };
    let panel = named("panel").map(|tag| {
        register.panels.iter().find(|panel| panel.draft.tag.eq_ignore_ascii_case(&tag)).ok_or_else(|| unknown("panel", "panel"))
    });
    let rig =
        named("rig").map(|name| register.rigs.iter().find(|rig| rig.draft.name == name).ok_or_else(|| unknown("rig", "rig")));
    let place = named("place")
        .map(|name| register.places.iter().find(|place| place.draft.name == name).ok_or_else(|| unknown("place", "place")));
    let (tilt_deg, azimuth_deg) = (number("tilt_deg", 0.0, 90.0)?, number("azimuth_deg", 0.0, 360.0)?);
    Ok(Belongs {
        test_id,
        panel_id: panel.transpose()?.map(|panel| panel.id),
        rig_id: rig.transpose()?.map(|rig| rig.id),
        place_id: place.transpose()?.map(|place| place.id),
        side: number("side", 0.0, 2.0)?.map_or(0, |side| side as u8),
        tilt_deg,
        azimuth_deg,
        meter_percent: number("meter_percent", 0.01, 20.0)?,
        ahead_s: 0.0,
    })
}

/// Changes what a log belongs to: the fields of `POST /logs`, and `clock_ahead_s`. Panel, rig and place are taken as the numbers of their
/// records too, as they are answered.
#[utoipa::path(
    put,
    path = "/logs/{id}",
    params(("id" = i64, Path)),
    request_body = LogOfBody,
    responses((status = 200, body = LogItem), (status = 404), (status = 422))
)]
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<LogItem>, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut map = object(body)?;
    let answered = ["id", "name", "started_utc", "ended_utc", "samples", "quantities", "day"];
    map.retain(|name, _| !answered.contains(&name.as_str()));
    only(&map, &known::<LogOfBody>())?;
    state.store.log(id).await?;
    let register = state.store.register().await?;
    let panel = |id| register.panels.iter().find(|panel| panel.id == id).map(|panel| panel.draft.tag.clone());
    let rig = |id| register.rigs.iter().find(|rig| rig.id == id).map(|rig| rig.draft.name.clone());
    let place = |id| register.places.iter().find(|place| place.id == id).map(|place| place.draft.name.clone());
    let by_number = |name: &str, id: i64| match name {
        "panel" => panel(id),
        "rig" => rig(id),
        _ => place(id),
    };
    for name in ["panel", "rig", "place"] {
        if let Some(id) = map.get(name).and_then(Value::as_i64) {
            let found = by_number(name, id).ok_or_else(|| refuse(name, &id.into(), "There is no such record.", None))?;
            map.insert(name.to_owned(), found.into());
        }
    }
    let fields = fields(&map)?;
    let ahead_s = number(&fields, "clock_ahead_s", -86_400.0, 86_400.0)?.unwrap_or(0.0);
    let belongs = Belongs { ahead_s, ..belongs(&state, &fields).await? };
    if belongs.tilt_deg.is_some() != belongs.azimuth_deg.is_some() {
        return Err(refuse("tilt_deg", map.get("tilt_deg").unwrap_or(&Value::Null), "Tilt and azimuth go together.", None));
    }
    state.store.bind_log(id, &belongs).await?;
    if let Some(test_id) = belongs.test_id {
        state.hub.tell(test_id);
    }
    Ok(Json(about(&state, state.store.log(id).await?).await?))
}

/// A field that is a number, where it is there.
fn number(fields: &Pairs, field: &str, low: f64, high: f64) -> Result<Option<f64>, AppError> {
    let text = value(fields, field).trim();
    if text.is_empty() {
        return Ok(None);
    }
    match text.parse::<f64>() {
        Ok(value) if (low..=high).contains(&value) => Ok(Some(value)),
        Ok(_) | Err(_) => {
            Err(refuse(field, &text.into(), "This is not a number in the range.", Some(&format!("{low} to {high}"))))
        }
    }
}

/// A log with the figures and events of a day: `?day=2026-09-18`; its last day without.
#[utoipa::path(
    get,
    path = "/logs/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = LogAnswer), (status = 404), (status = 422))
)]
pub async fn one(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Json<LogAnswer>, AppError> {
    let log = state.store.log_recorded(id).await?;
    let text = value(&query, "day");
    let day = match text {
        "" => {
            let last = state.store.log_span(id).await?.and_then(|span| Timestamp::from_millisecond(span.1 - 1).ok());
            Day::of(last.unwrap_or(log.row.started_utc), &log.zone)
        }
        text => match text.parse::<Date>() {
            Ok(date) => Day::at(date, &log.zone),
            Err(_) => return Err(AppError::input("day", text, "This is not a date: write 2026-09-18.")),
        },
    };
    let worked = state.kept.days.judged(&state.store, &log, &day).await?;
    let shown = log_answer::day(&worked, &log, &day);
    Ok(Json(LogAnswer { of: about(&state, log.row).await?, day: shown }))
}

/// Takes a file out again with all the logs that came with it, and stops its import where that is under way.
#[utoipa::path(delete, path = "/logs/files/{id}", params(("id" = i64, Path)), responses((status = 204), (status = 404)))]
pub async fn remove_file(State(state): State<AppState>, Path(id): Path<i64>) -> Result<StatusCode, AppError> {
    state.log_files.stop(id).await;
    state.store.remove_log_file(id).await.map_err(fails)?;
    Ok(StatusCode::NO_CONTENT)
}
