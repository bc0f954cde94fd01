//! Lines at work into an open test, for programs: each answers what was understood of it, or what is to be asked.

use super::conditions::{conditions_of, state_json};
use crate::door::entering::taken;
use crate::door::json::{MOST_ITEMS, field, object_of, only, refuse, refused};
use crate::door::typed::{Pairs, value};
use crate::door::working::{WorkLine, Worked, take};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::quantity::{Figures, ValueKind};
use flindo_core::record::language::work::{Asked, Understood};
use flindo_core::record::names::Names;
use flindo_store::Accepted;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::{Map, Value, json};

const OWN: [&str; 5] = ["uid", "typed", "taken_utc", "state", "as_step"];

/// One line, or a list of them, in their order.
pub async fn lines(state: &AppState, zone: &TimeZone, test_id: i64, body: Value) -> Result<Response, AppError> {
    let Value::Array(items) = body else {
        let (status, answer) = line(state, zone, test_id, body).await?;
        return Ok((status, Json(answer)).into_response());
    };
    if items.len() > MOST_ITEMS {
        let message = format!("This array has {} items.", items.len());
        let allowed = Some(format!("up to {MOST_ITEMS} items"));
        return Err(AppError::Input(InputError { message, allowed, ..InputError::default() }));
    }
    let mut answers = Vec::with_capacity(items.len());
    for item in items {
        let uid = item.get("uid").cloned().unwrap_or(Value::Null);
        answers.push(match line(state, zone, test_id, item).await {
            Ok((_, answer)) => answer,
            Err(error) => refused(&uid, error),
        });
    }
    Ok(Json(Value::Array(answers)).into_response())
}

async fn line(state: &AppState, zone: &TimeZone, test_id: i64, item: Value) -> Result<(StatusCode, Value), AppError> {
    let map = object_of("reading", item)?;
    only(&map, &OWN)?;
    let at = field(&map, "taken_utc")?;
    let entered_utc: Timestamp = at.parse().map_err(|_| {
        let given = map.get("taken_utc").unwrap_or(&Value::Null);
        refuse("taken_utc", given, format!("\"{at}\" is not a time."), Some("RFC 3339, such as 2026-06-01T12:30:00Z"))
    })?;
    let names = state.store.register().await?.names();
    let said = match map.get("state") {
        None | Some(Value::Null) => None,
        Some(state) => Some(conditions_of("state", &object_of("state", state.clone())?, &names)?),
    };
    let (uid, typed) = (field(&map, "uid")?, field(&map, "typed")?);
    // A step is a state of its own by the name that was typed.
    let typed = if map.get("as_step") == Some(&Value::Bool(true)) { format!("step = {typed}") } else { typed };
    let line = WorkLine { uid: &uid, typed: &typed, entered_utc, state: said };
    Ok(match take(state, test_id, &line, zone).await? {
        Ok(worked) => answer(&uid, &worked, &names),
        Err(Asked { asked, choices, unknown_panel }) => {
            let mut answer = json!({ "uid": uid, "answer": "asked", "asked": asked, "choices": choices });
            if let Some(tag) = unknown_panel {
                answer["unknown_panel"] = tag.into();
            }
            (StatusCode::OK, answer)
        }
    })
}

fn answer(uid: &str, worked: &Worked, names: &Names) -> (StatusCode, Value) {
    let (status, answer) = match worked.accepted {
        Accepted::New => (StatusCode::CREATED, "accepted"),
        Accepted::Already => (StatusCode::OK, "already"),
    };
    (
        status,
        json!({ "uid": uid, "answer": answer, "run": worked.run_id, "understood": understood(&worked.understood, &worked.figures, names) }),
    )
}

/// What changed, the figures by quantity, and what else the line was.
pub fn understood(one: &Understood, figures: &Figures, names: &Names) -> Value {
    let mut shown = Map::new();
    let mut changes = state_json(&one.changes, names);
    for factor in one.without.iter().filter(|factor| !one.state.contains_key(factor)) {
        changes.insert(factor.name().to_owned(), Value::Null);
    }
    if let Some(sky) = one.sky.or_else(|| one.reading.as_ref().and_then(|reading| reading.sky)) {
        changes.insert("sky".to_owned(), sky.name().into());
    }
    if !changes.is_empty() {
        shown.insert("state".to_owned(), changes.into());
    }
    if figures.iter().next().is_some() {
        shown.insert("reading".to_owned(), figures_json(figures));
    }
    if let Some(turn) = &one.turn {
        let tags: Vec<&str> = turn.panels.iter().map(|(_, tag)| tag.as_str()).collect();
        shown.insert("in_turn".to_owned(), json!(tags));
    }
    if let Some(event) = one.event {
        shown.insert("event".to_owned(), event.name().into());
    }
    if !one.note.is_empty() {
        shown.insert("note".to_owned(), one.note.as_str().into());
    }
    shown.into()
}

pub fn figures_json(figures: &Figures) -> Value {
    let one = |seen: &flindo_core::measure::quantity::Seen| match seen.how {
        ValueKind::Shown if seen.low == seen.high => json!(seen.low),
        ValueKind::Shown | ValueKind::Range => json!({ "low": seen.low, "high": seen.high, "kind": "range" }),
        ValueKind::Peak | ValueKind::Settled => {
            json!({ "value": seen.high, "low": seen.low, "high": seen.high, "kind": seen.how.name() })
        }
    };
    figures.iter().map(|(quantity, seen)| (quantity.name().to_owned(), one(seen))).collect::<Map<_, _>>().into()
}

/// A line from the page's script, with the time at which Enter was pressed.
pub async fn form(state: &AppState, zone: &TimeZone, test_id: i64, pairs: &Pairs) -> Result<Response, AppError> {
    let entered = value(pairs, "taken_utc");
    let entered = entered.parse().map_err(|_| AppError::input("taken_utc", entered, format!("\"{entered}\" is not a time.")))?;
    let entered_utc = taken(pairs, entered, zone)?;
    let (uid, typed) = (value(pairs, "uid"), value(pairs, "typed"));
    let names = state.store.register().await?.names();
    match take(state, test_id, &WorkLine { uid, typed, entered_utc, state: None }, zone).await? {
        Ok(worked) => {
            let (status, answer) = answer(uid, &worked, &names);
            Ok((status, Json(answer)).into_response())
        }
        Err(asked) => Err(AppError::input("typed", typed, asked.asked)),
    }
}
