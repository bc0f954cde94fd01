//! Conditions as JSON: in by their factors, out by the names of the record.

use crate::door::json::{object_of, refuse, text};
use crate::error::AppError;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value as Meaning};
use flindo_core::record::language::{level, measured_at};
use flindo_core::record::names::Names;
use serde_json::{Map, Value, json};

/// Where a meter can sit.
const PLACES: &str = "together, controller, battery, {\"string\": 1}";

/// One level, or the baseline: conditions by their factors.
pub(super) fn conditions(field_name: &str, value: &Value, names: &Names) -> Result<Conditions, AppError> {
    conditions_of(field_name, &object_of(field_name, value.clone())?, names)
}

/// Conditions by their factors.
pub(super) fn conditions_of(field_name: &str, map: &Map<String, Value>, names: &Names) -> Result<Conditions, AppError> {
    let mut conditions = Conditions::new();
    for (name, value) in map {
        let at = format!("{field_name}.{name}");
        let factor = Factor::named(name).ok_or_else(|| {
            let known: Vec<&str> = Factor::ALL.iter().map(|factor| factor.name()).collect();
            refuse(&at, value, format!("\"{name}\" is not a condition."), Some(&known.join(", ")))
        })?;
        let typed = match value {
            // As it is given out: {"string": 2}.
            Value::Object(_) if factor == Factor::MeasuredAt => {
                let place = serde_json::from_value(value.clone());
                measured_at::write(
                    place.map_err(|_| refuse(&at, value, "This is no place of a meter.".to_owned(), Some(PLACES)))?,
                )
            }
            Value::Array(list) => list.iter().map(|item| text(&at, item)).collect::<Result<Vec<_>, _>>()?.join(" + "),
            Value::Object(_) | Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) => text(&at, value)?,
        };
        let condition = level::read(factor, &typed, names).map_err(|sentence| refuse(&at, value, sentence, None))?;
        // A panel or a rig that is not here is a slip, not a name.
        let is_unknown = condition.value == Meaning::Name
            && (matches!(factor, Factor::Panel | Factor::Rig) || matches!(factor, Factor::Tilt | Factor::Azimuth));
        if is_unknown {
            let (what, known) = if factor == Factor::Panel {
                ("a panel of this bench", list_of(&names.panels))
            } else if factor == Factor::Rig {
                ("a rig of this bench", list_of(&names.rigs))
            } else {
                ("a number of degrees", "0 to 90 from horizontal, or 0 to below 360 from north".to_owned())
            };
            return Err(refuse(&at, value, format!("\"{typed}\" is not {what}."), Some(&known)));
        }
        conditions.insert(factor, condition);
    }
    Ok(conditions)
}

fn list_of(list: &[(String, String)]) -> String {
    list.iter().map(|(_, name)| name.as_str()).take(40).collect::<Vec<_>>().join(", ")
}

/// Conditions by the names of the record: panels as tags, angles as numbers, the rest in words.
pub(super) fn state_json(conditions: &Conditions, names: &Names) -> Map<String, Value> {
    let one = |factor: Factor, condition: &Condition| match (&condition.value, factor) {
        (Meaning::Panels(ids), _) => ids.iter().map(|id| Value::from(names.tag(id).unwrap_or(id))).collect(),
        (Meaning::Degrees(degrees), _) => json!(degrees),
        (Meaning::LoadKind(load), _) => load.name().into(),
        (Meaning::MeasuredAt(place), _) => json!(place),
        (Meaning::Shade(patches), _) if patches.is_empty() => "none".into(),
        (
            Meaning::Shade(_)
            | Meaning::Rig(_)
            | Meaning::Gear(_)
            | Meaning::Wiring(_)
            | Meaning::Face(_)
            | Meaning::Cooling(_)
            | Meaning::Sky(_)
            | Meaning::Day(_)
            | Meaning::Name,
            _,
        ) => condition.typed.as_str().into(),
    };
    conditions.iter().map(|(factor, condition)| (factor.name().to_owned(), one(*factor, condition))).collect()
}
