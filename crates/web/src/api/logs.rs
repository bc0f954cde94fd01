//! Logs for programs: a file with how it is to be read, or samples as JSON; what a log holds, and what its days come to.

use super::body::{only, refuse, text};
use crate::day::{Day, timestamp};
use crate::door::log_file::{Arrived, arrive, fails};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{FromRequest, Multipart, Path, Query, Request, State};
use axum::http::{StatusCode, header};
use flindo_core::energy::log::assess::LogAssessment;
use flindo_core::energy::log::named::LogFinding;
use flindo_core::measure::logger::doubt::Assumed;
use flindo_core::measure::logger::guess::guess;
use flindo_core::measure::logger::{Encoding, Format};
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::integral::Interval;
use flindo_store::{Belongs, LogFile, LogProgress, LogRecorded, LogRow};
use jiff::Timestamp;
use jiff::civil::Date;
use serde_json::{Map, Value, json};

/// Logs on a page of the list.
const ON_A_PAGE: i64 = 100;

/// Faults that are told of a file.
const MOST_FAULTS: i64 = 50;

/// All logs, the newest first, a hundred at a time: `?skip=100`.
#[utoipa::path(get, path = "/logs", responses((status = 200, body = Vec<Object>)))]
pub async fn list(State(state): State<AppState>, Query(query): Query<Pairs>) -> Result<Json<Value>, AppError> {
    let skip = value(&query, "skip").parse::<i64>().unwrap_or(0).max(0);
    let mut found = Vec::new();
    for log in state.store.logs(skip, ON_A_PAGE).await? {
        found.push(about(&state, &log).await?);
    }
    Ok(Json(Value::Array(found)))
}

async fn about(state: &AppState, log: &LogRow) -> Result<Value, AppError> {
    let quantities: Vec<&str> = state.store.log_quantities(log.id).await?.into_iter().map(Quantity::name).collect();
    let belongs = &log.belongs;
    Ok(json!({
        "id": log.id, "name": log.name, "started_utc": log.started_utc.to_string(), "ended_utc": log.ended_utc.map(|at| at.to_string()),
        "samples": log.samples, "quantities": quantities, "test": belongs.test_id, "rig": belongs.rig_id, "panel": belongs.panel_id,
        "side": belongs.side, "tilt_deg": belongs.tilt_deg, "azimuth_deg": belongs.azimuth_deg, "clock_ahead_s": belongs.ahead_s
    }))
}

/// Adds logs: a form with `file` and, where the guess from its first lines is not right, `mapping` (JSON); or JSON
/// `{name, samples: [{time_utc, power_w, ...}]}`. Both take `test` (id), `panel` (tag), `rig`, `place` (names), `side`, `tilt_deg`,
/// `azimuth_deg` and
/// `meter_percent`. A row with a fault is kept aside and told. The same file again adds nothing (200).
#[utoipa::path(post, path = "/logs", request_body(content = Object, example = json!({"name": "roof", "panel": "S-1", "tilt_deg": 30, "azimuth_deg": 180, "samples": [{"time_utc": "2026-06-21T11:20:00Z", "power_w": 151.2}]})), responses((status = 201, body = Object), (status = 200, body = Object, description = "The file was here already"), (status = 422)))]
pub async fn add(State(state): State<AppState>, request: Request) -> Result<(StatusCode, Json<Value>), AppError> {
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
    let mut assumed = Vec::new();
    let file = if is_new { bring_in(&state, file, value(&fields, "mapping"), &mut assumed).await? } else { file };
    let belongs = belongs(&state, &fields).await?;
    let mut logs = Vec::new();
    for log in state.store.logs_of_file(file.id).await? {
        if is_new {
            state.store.bind_log(log.id, &belongs).await?;
        }
        logs.push(about(&state, &state.store.log(log.id).await?).await?);
    }
    let faults = state.store.log_faults(file.id, MOST_FAULTS).await?;
    let faults: Vec<Value> = faults
        .iter()
        .map(|one| json!({ "line": one.line, "column": one.fault.column, "name": one.fault.name, "cell": one.fault.cell, "why": one.fault.why }))
        .collect();
    let first = logs.first().and_then(|log| log.get("id")).cloned().unwrap_or(Value::Null);
    let answer = json!({
        "id": first, "file": { "id": file.id, "sha256": file.sha256, "rows": file.rows_done, "rows_aside": file.rows_aside, "encoding": file.encoding, "format": file.format },
        "logs": logs, "faults": faults, "assumed": assumed.iter().map(told).collect::<Vec<Value>>()
    });
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

/// An assumption, with what it is about.
fn told(assumed: &Assumed) -> Value {
    let name = assumed.name();
    match assumed {
        Assumed::Zone | Assumed::DayOrMonth | Assumed::NoHeader => json!({ "name": name }),
        Assumed::Thousands { cell, read_as, or } => json!({ "name": name, "cell": cell, "read_as": read_as, "or": or }),
        Assumed::OfLoad { column, is_taken } => json!({ "name": name, "column": column, "is_taken": is_taken }),
        Assumed::UnitByProduct { column, unit } => json!({ "name": name, "column": column, "unit": unit }),
        Assumed::WattsDisagree { ratio } => json!({ "name": name, "ratio": ratio }),
    }
}

/// Samples as JSON are kept as the file that they would be, so that the same ones again add nothing.
async fn of_json(state: &AppState, bytes: &[u8]) -> Result<Arrived, AppError> {
    let body: Value = serde_json::from_slice(bytes)
        .map_err(|error| refuse("samples", &Value::Null, format!("This is not JSON: {error}."), None))?;
    let map = body
        .as_object()
        .cloned()
        .ok_or_else(|| refuse("samples", &body, "An object is wanted.", Some("{name, samples: [...]}")))?;
    only(&map, &["name", "samples", "test", "panel", "rig", "place", "side", "tilt_deg", "azimuth_deg", "meter_percent"])?;
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
    let number = |field: &str, low: f64, high: f64| match named(field) {
        None => Ok(None),
        Some(text) => match text.parse::<f64>() {
            Ok(value) if (low..=high).contains(&value) => Ok(Some(value)),
            Ok(_) | Err(_) => {
                Err(refuse(field, &Value::String(text), "This is not a number in the range.", Some(&format!("{low} to {high}"))))
            }
        },
    };
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

/// A log with the figures and events of a day: `?day=2026-09-18`; its last day without.
#[utoipa::path(get, path = "/logs/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404), (status = 422)))]
pub async fn one(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Json<Value>, AppError> {
    let log = state.store.log_recorded(id).await?;
    let mut answer = about(&state, &log.row).await?;
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
    if let Some(map) = answer.as_object_mut() {
        map.insert("day".to_owned(), day_value(&worked, &log, &day));
    }
    Ok(Json(answer))
}

fn day_value(worked: &LogAssessment, log: &LogRecorded, day: &Day) -> Value {
    let three = |interval: Option<Interval>| {
        interval.map_or(Value::Null, |of| json!({ "value": of.value, "low": of.low, "high": of.high }))
    };
    let figures = worked.figures.as_ref();
    let named: Vec<Value> = worked
        .named
        .iter()
        .map(|finding| match finding {
            LogFinding::Gap { hours, most_wh } => json!({ "code": finding.code(), "hours": hours, "most_wh": most_wh }),
            LogFinding::CounterReset { at_s, uncounted_wh } => json!({
                "code": finding.code(), "at_utc": timestamp(*at_s).to_string(), "uncounted_wh": Some(*uncounted_wh).filter(|wh| wh.is_finite())
            }),
            LogFinding::ClockWrong { ahead_s, u_s } => json!({ "code": finding.code(), "ahead_s": ahead_s, "u_s": u_s }),
        })
        .collect();
    let events: Vec<Value> = worked
        .events
        .iter()
        .map(|event| {
            json!({ "event": event.kind.name(), "from_utc": timestamp(event.from_s).to_string(), "to_utc": timestamp(event.to_s).to_string(), "lost_wh": event.lost_wh })
        })
        .collect();
    json!({
        "date": day.date.to_string(),
        "energy_wh": three(figures.map(|figures| figures.energy_wh)),
        "not_logged_wh": three(figures.and_then(|figures| figures.not_logged_wh)),
        "counter_wh": worked.counter.as_ref().map(|counter| counter.total),
        "irradiation_wh_m2": three(figures.map(|figures| figures.irradiation_wh_m2)),
        "irradiation_is_measured": figures.map(|figures| figures.irradiation_is_measured),
        "peak_sun_h": three(figures.map(|figures| figures.peak_sun_h)),
        "specific_yield_h": three(figures.and_then(|figures| figures.specific_yield_h)),
        "performance_ratio_percent": three(figures.and_then(|figures| figures.performance_ratio_percent)),
        "performance_ratio_at_25_c_percent": three(figures.and_then(|figures| figures.performance_ratio_at_25_c_percent)),
        "best_five_hours_w": figures.and_then(|figures| figures.best_five_hours_w),
        "rated_w": log.record.known.rated_w,
        "clock_ahead_s": worked.clock.map(|check| check.ahead_s),
        "clock_is_wrong": worked.clock.map(|check| check.is_wrong()),
        "named": named,
        "events": events
    })
}
