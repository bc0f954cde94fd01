//! Readings into a test: typed lines, or figures by their names; one, or up to 10,000 in one step.

use super::working;
use crate::door::entering::{add_line, checked_time, checked_uid, open_run, read_line};
use crate::door::json::{MOST_ITEMS, field, object_of, only, refuse, refused, text};
use crate::door::typed::Pairs;
use crate::error::{AppError, InputError};
use crate::frame::Clock;
use crate::state::AppState;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use flindo_core::decimal::Decimal;
use flindo_core::measure::quantity::{Figures, Quantity, Seen, ValueKind};
use flindo_core::record::test::TestRecord;
use flindo_core::sky::note::SkyNote;
use flindo_store::{Accepted, NewReading, StoreError, Test};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::{Map, Value, json};

const OWN: [&str; 6] = ["uid", "typed", "taken_utc", "run", "sky", "note"];

/// Adds readings. Without `run` a reading of a planned test belongs to the run at work. The same `uid` again is answered `already`; with
/// other content it is refused (409). A form with one line, as the pages send it, is taken too.
#[utoipa::path(
    post,
    path = "/tests/{id}/readings",
    params(("id" = i64, Path)),
    request_body(
        content = Value,
        example = json!([
            {"uid": "reading-0001", "typed": "18.4 V 5.6 A 880 W/m2 52 C", "taken_utc": "2026-06-21T11:20:00Z"},
            {
                "uid": "reading-0002", "taken_utc": "2026-06-21T11:21:00Z", "voltage_v": "18.40", "current_a": "5.60",
                "poa_w_m2": 880
            }
        ])
    ),
    responses(
        (status = 201, body = Object),
        (status = 200, body = Value, description = "It had arrived before, or a list of answers"),
        (status = 404),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add(
    State(state): State<AppState>,
    Clock(zone): Clock,
    Path(id): Path<i64>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<Response, AppError> {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    if kind.starts_with("application/x-www-form-urlencoded") {
        let pairs: Pairs = form_urlencoded::parse(&body).into_owned().collect();
        if state.store.test(id).await?.is_open {
            return working::form(&state, &zone, id, &pairs).await;
        }
        return add_line(state, zone, id, pairs).await;
    }
    let body: Value = serde_json::from_slice(&body).map_err(|error| {
        AppError::Input(InputError { message: format!("This is not JSON: {error}."), ..InputError::default() })
    })?;
    if state.store.test(id).await?.is_open {
        return working::lines(&state, &zone, id, body).await;
    }
    let receiving = Receiving::of(&state, id).await?;
    let Value::Array(items) = body else { return one(&state, &zone, &receiving, body).await };
    if items.len() > MOST_ITEMS {
        let message = format!("This array has {} items.", items.len());
        let allowed = Some(format!("up to {MOST_ITEMS} items"));
        return Err(AppError::Input(InputError { message, allowed, ..InputError::default() }));
    }
    many(&state, &zone, &receiving, items).await
}

/// The test that readings are for.
struct Receiving {
    test: Test,
    /// Of a planned test, whose readings belong to runs. Any other takes the thousandth reading as quickly as the first.
    record: Option<TestRecord>,
}

impl Receiving {
    async fn of(state: &AppState, id: i64) -> Result<Self, AppError> {
        let test = state.store.test(id).await?;
        let record = match test.plan {
            Some(_) => Some(state.store.recorded(id, Timestamp::now()).await?.record),
            None => None,
        };
        Ok(Receiving { test, record })
    }

    fn runs(&self) -> Runs {
        self.record.as_ref().map_or_else(Runs::default, Runs::of)
    }
}

/// Which run readings without one belong to: the run at work, until it has as many as the plan wants.
#[derive(Default)]
struct Runs {
    /// Run and how many readings it still takes.
    open: Vec<(i64, usize)>,
    last: Option<i64>,
}

impl Runs {
    fn of(record: &TestRecord) -> Self {
        let wanted = record.plan.as_ref().map_or(1, |plan| plan.readings_per_run);
        let at_work = record.at_work();
        let mut runs: Vec<_> = record.runs.iter().collect();
        runs.sort_by_key(|run| (!at_work.iter().any(|at_work| at_work.id == run.id), run.place));
        let left = |run: &&flindo_core::record::run::Run| {
            let read = record.readings_of(run.id).len();
            wanted.checked_sub(read).filter(|left| *left > 0).map(|left| (run.id, left))
        };
        Runs {
            open: runs.iter().filter_map(left).collect(),
            last: runs.iter().map(|run| (run.place, run.id)).max().map(|(_, id)| id),
        }
    }

    fn next(&mut self) -> Option<i64> {
        match self.open.first_mut() {
            Some((id, left)) => {
                let id = *id;
                *left -= 1;
                if *left == 0 {
                    self.open.remove(0);
                }
                Some(id)
            }
            None => self.last,
        }
    }
}

async fn one(state: &AppState, zone: &TimeZone, receiving: &Receiving, item: Value) -> Result<Response, AppError> {
    let new = reading(zone, receiving, &mut receiving.runs(), item)?;
    let accepted = state.store.accept(receiving.test.id, &new, Timestamp::now()).await?;
    open_run(state, receiving.test.id, new.run_id, new.taken_utc).await?;
    state.hub.tell(receiving.test.id);
    let (status, answer) = match accepted {
        Accepted::New => (StatusCode::CREATED, "accepted"),
        Accepted::Already => (StatusCode::OK, "already"),
    };
    Ok((status, Json(json!({ "uid": new.uid, "answer": answer, "run": new.run_id }))).into_response())
}

async fn many(state: &AppState, zone: &TimeZone, receiving: &Receiving, items: Vec<Value>) -> Result<Response, AppError> {
    let mut runs = receiving.runs();
    let read: Vec<(Value, Result<NewReading, AppError>)> = items
        .into_iter()
        .map(|item| {
            let uid = item.get("uid").cloned().unwrap_or(Value::Null);
            (uid, reading(zone, receiving, &mut runs, item))
        })
        .collect();
    let sound: Vec<NewReading> = read.iter().filter_map(|(_, reading)| reading.as_ref().ok().cloned()).collect();
    let mut kept = state.store.accept_all(receiving.test.id, &sound, Timestamp::now()).await?.into_iter();
    let mut begun: Vec<i64> = Vec::new();
    let mut answers = Vec::with_capacity(read.len());
    for (uid, reading) in read {
        let answer = match reading {
            Ok(reading) => match kept.next() {
                Some(Ok(accepted)) => {
                    if let Some(run) = reading.run_id.filter(|run| !begun.contains(run)) {
                        open_run(state, receiving.test.id, Some(run), reading.taken_utc).await?;
                        begun.push(run);
                    }
                    let answer = if accepted == Accepted::New { "accepted" } else { "already" };
                    json!({ "uid": uid, "answer": answer, "run": reading.run_id })
                }
                Some(Err(error)) => refused(&uid, error.into()),
                None => refused(&uid, AppError::Store(StoreError::NotFound("reading"))),
            },
            Err(error) => refused(&uid, error),
        };
        answers.push(answer);
    }
    state.hub.tell(receiving.test.id);
    Ok(Json(Value::Array(answers)).into_response())
}

fn reading(zone: &TimeZone, receiving: &Receiving, runs: &mut Runs, item: Value) -> Result<NewReading, AppError> {
    let map = object_of("reading", item)?;
    let known: Vec<&str> = OWN.iter().copied().chain(Quantity::ALL.iter().map(|quantity| quantity.name())).collect();
    only(&map, &known)?;
    let uid = checked_uid(&field(&map, "uid")?)?;
    let at = field(&map, "taken_utc")?;
    let taken: Timestamp = at.parse().map_err(|_| {
        refuse(
            "taken_utc",
            map.get("taken_utc").unwrap_or(&Value::Null),
            format!("\"{at}\" is not a time."),
            Some("RFC 3339, such as 2026-06-01T12:30:00Z"),
        )
    })?;
    let typed = field(&map, "typed")?;
    let figures = figures(&map)?;
    let mut new = if typed.trim().is_empty() {
        if figures.is_empty() {
            return Err(refuse("typed", &Value::Null, "A reading has a typed line, or figures by their names.", None));
        }
        let taken_utc = checked_time(taken, "taken_utc", &at, zone)?;
        NewReading { uid, taken_utc, typed: String::new(), note: String::new(), sky: None, figures, run_id: None, revision: None }
    } else {
        if !figures.is_empty() {
            return Err(refuse("typed", &map["typed"], "A reading has a typed line or figures by their names, not both.", None));
        }
        let pairs: Pairs = vec![("uid".to_owned(), uid), ("typed".to_owned(), typed)];
        read_line(&receiving.test.setup, &pairs, taken, zone)?
    };
    let (sky, note) = (field(&map, "sky")?, field(&map, "note")?);
    if !sky.is_empty() {
        let known: Vec<&str> = SkyNote::ALL.iter().map(|sky| sky.name()).collect();
        let found = SkyNote::from_name(&sky);
        new.sky =
            Some(found.ok_or_else(|| {
                refuse("sky", &map["sky"], format!("\"{sky}\" is not one of the skies."), Some(&known.join(", ")))
            })?);
    }
    if !note.is_empty() {
        new.note = note;
    }
    new.run_id = run_of(&map, receiving, runs)?;
    Ok(new)
}

fn run_of(map: &Map<String, Value>, receiving: &Receiving, runs: &mut Runs) -> Result<Option<i64>, AppError> {
    let Some(given) = map.get("run").filter(|run| !run.is_null()) else {
        return Ok(if receiving.record.is_some() { runs.next() } else { None });
    };
    let of_test: Vec<i64> = receiving.record.iter().flat_map(|record| &record.runs).map(|run| run.id).collect();
    let id: Option<i64> = text("run", given)?.parse().ok();
    match id.filter(|id| of_test.contains(id)) {
        Some(id) => Ok(Some(id)),
        None => {
            let known = of_test.iter().map(i64::to_string).collect::<Vec<_>>().join(", ");
            Err(refuse("run", given, format!("{given} is not a run of this test."), Some(&known)))
        }
    }
}

/// Figures by the core's names: a number, a text with its decimals (so that the display step is known), or an object with `low`, `high`,
/// `step` and `how`.
fn figures(map: &Map<String, Value>) -> Result<Figures, AppError> {
    let mut figures = Figures::default();
    for &quantity in Quantity::ALL {
        let name = quantity.name();
        let Some(value) = map.get(name).filter(|value| !value.is_null()) else { continue };
        let (low, high) = quantity.allowed().into_inner();
        let allowed = format!("{low} to {high} {}", quantity.unit());
        let wrong = |sentence: String| refuse(name, value, sentence, Some(&allowed));
        let seen = match value {
            Value::Number(number) => Seen::at(number.as_f64().unwrap_or(f64::NAN), 0.0),
            Value::String(text) => {
                let decimal = Decimal::parse(text).map_err(|error| wrong(format!("{error}.")))?;
                Seen::at(decimal.value(), decimal.step())
            }
            Value::Object(parts) => {
                seen_of(parts).ok_or_else(|| wrong("This needs a low, and may have a high, a step and a how.".to_owned()))?
            }
            Value::Null | Value::Bool(_) | Value::Array(_) => return Err(wrong("This has to be a number.".to_owned())),
        };
        if !(seen.low >= low && seen.high <= high && seen.low <= seen.high && seen.step >= 0.0) {
            return Err(wrong(format!("{value} is outside {allowed} for the {}.", quantity.label())));
        }
        figures.set(quantity, seen);
    }
    Ok(figures)
}

fn seen_of(parts: &Map<String, Value>) -> Option<Seen> {
    let number = |name: &str| parts.get(name).and_then(Value::as_f64);
    let low = number("low")?;
    let high = number("high").unwrap_or(low);
    let usual = if high > low { ValueKind::Range } else { ValueKind::Shown };
    let how = match parts.get("how") {
        None => usual,
        Some(how) => ValueKind::from_name(how.as_str()?)?,
    };
    Some(Seen { low, high, step: number("step").unwrap_or(0.0), how })
}
