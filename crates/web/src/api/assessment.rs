//! What a test comes to, as JSON and as a table.

use crate::door::evaluated::Evaluated;
use crate::error::AppError;
use crate::kept::assessments::Depth;
use crate::state::AppState;
use crate::words;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::load::operate::TrackingFinding;
use flindo_core::record::open;
use flindo_core::record::test::TestRecord;
use flindo_core::review::next::next_acts;
use flindo_core::verdict::assessment::{AssessedLevel, Assessment, Prediction};
use flindo_core::verdict::comparison::OfSum;
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::controller::BothSides;
use flindo_core::verdict::estimate::Difference;
use flindo_core::verdict::finding::{Effect, Named};
use flindo_core::verdict::rating::RatingResult;
use flindo_store::StoreError;
use flindo_store::exchange::outward;
use jiff::Timestamp;
use serde_json::{Value, json};

/// The assessment of a test: verdict, interval, levels, what was named, what was left out, what would settle it.
#[utoipa::path(get, path = "/tests/{id}/assessment", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    Ok(Json(answer(judged.evaluated())))
}

fn answer(evaluated: &Evaluated<'_>) -> Value {
    let main = of_record(evaluated, &evaluated.recorded.record, &evaluated.assessment);
    let Some(open) = &evaluated.recorded.open else { return main };
    let answers: Vec<Value> = evaluated
        .answers()
        .iter()
        .map(|(one, assessment)| {
            let mut shown = of_record(evaluated, &one.record, assessment);
            shown["states"] = one.states.iter().map(|at| open.states[*at].letter.as_str()).collect();
            shown["baseline_state"] = open.states[one.states[0]].letter.as_str().into();
            shown
        })
        .collect();
    let mut shown = main;
    shown["question"] = "open".into();
    shown["states"] = open.states.iter().map(state_json).collect();
    shown["answers"] = answers.into();
    shown["next"] = next_acts(&open.states, &evaluated.answers())
        .iter()
        .map(|act| json!({ "act": words::open::act(act), "brings": words::open::brings(act) }))
        .collect();
    shown
}

fn state_json(state: &open::State) -> Value {
    json!({ "letter": state.letter, "name": words::open::state(&state.conditions), "runs": state.run_ids.len() })
}

/// One assessment of a record.
fn of_record(evaluated: &Evaluated<'_>, record: &TestRecord, assessment: &Assessment<'_>) -> Value {
    let named: Vec<Value> = assessment.named.iter().map(|one| named_json(one, assessment)).collect();
    let left_out: Vec<Value> = assessment
        .readings
        .iter()
        .flat_map(|reading| {
            reading
                .left_out
                .iter()
                .map(|reason| json!({ "reading_uid": reading.uid, "code": reason.code(), "why": words::advice(reason).why }))
        })
        .collect();
    let mut answer = match assessment.outcome.comparison() {
        None => rating(assessment),
        Some(found) => comparison(assessment, found.as_ref().ok(), found.as_ref().err().copied()),
    };
    answer["question"] = assessment.question.name().into();
    answer["headline"] = evaluated.headline_of(record, assessment).into();
    answer["named"] = named.into();
    answer["left_out"] = left_out.into();
    answer["settles"] = assessment.settles.iter().map(words::settle::settle).collect::<Vec<_>>().into();
    if let Some(prediction) = &assessment.prediction {
        answer["predicted"] = predicted(prediction);
    }
    answer
}

fn named_json(one: &Named, assessment: &Assessment<'_>) -> Value {
    let words::Advice { why, to_do } = words::finding::finding(&one.finding);
    let mut shown = json!({ "code": one.finding.code(), "evidence": why, "to_do": to_do, "effect": effect(one.effect) });
    if let Some(level) = one.level {
        shown["level"] = level.into();
        shown["level_name"] = assessment.level(level).map(|level| level.name.clone()).into();
    }
    if let Some(uid) = &one.reading_uid {
        shown["reading_uid"] = uid.as_str().into();
    }
    shown
}

fn effect(effect: Effect) -> &'static str {
    match effect {
        Effect::LeftOut => "left_out",
        Effect::Widens => "widens",
        Effect::Bounds => "bounds",
        Effect::Forbids => "forbids",
        Effect::Told => "told",
    }
}

/// Percent with its interval; nothing where there is none.
fn interval(rating: &RatingResult) -> Value {
    match &rating.pmax {
        Some(pmax) => json!({
            "percent": pmax.percent, "u_percent": pmax.u_percent, "low_percent": (pmax.percent - pmax.u_percent).max(0.0),
            "high_percent": pmax.percent + pmax.u_percent,
            "chance_percent": rating.conformity.map(|conformity| conformity.chance * 100.0),
            "hidden_shortfall_percent": rating.conformity.map(|conformity| conformity.hidden_shortfall_percent)
        }),
        None => rating.bounds.map_or_else(
            || json!({}),
            |bounds| {
                json!({
                    "low_percent": bounds.low_percent, "high_percent": bounds.high_percent,
                    "bounds": {"poa_w_m2": [bounds.poa_w_m2.0, bounds.poa_w_m2.1], "cell_c": [bounds.cell_c.0, bounds.cell_c.1]}
                })
            },
        ),
    }
}

fn rating(assessment: &Assessment<'_>) -> Value {
    let mut answer = assessment.rating().map_or_else(|| json!({}), interval);
    answer["verdict"] = assessment.rating_verdict(0).name().into();
    answer["compared"] = "power_w".into();
    answer["levels"] = if assessment.levels.len() > 1 || assessment.graded(0).is_some() {
        assessment.levels.iter().map(|level| level_rating(assessment, level)).collect()
    } else {
        json!([])
    };
    answer
}

fn level_rating(assessment: &Assessment<'_>, level: &AssessedLevel<'_>) -> Value {
    let mut shown = interval(&level.rating);
    let rated_w: f64 = level.subject.panels().map(|panel| panel.label.rated_w).sum();
    shown["level"] = level.level.into();
    shown["letter"] = level.letter.as_str().into();
    shown["name"] = level.name.as_str().into();
    shown["panel"] = level.subject.line().into();
    shown["verdict"] = assessment.rating_verdict(level.level).name().into();
    shown["rank"] = level.place.into();
    shown["rank_low"] = level.place.into();
    shown["rank_high"] = level.place_high.into();
    if let Some(pmax) = &level.rating.pmax {
        shown["at_stc_w"] = (pmax.percent / 100.0 * rated_w).into();
    }
    if let Some((price, u)) = level.price_per_w {
        shown["price_per_w"] = price.into();
        shown["u_price_per_w"] = u.into();
    }
    if let Some(used) = assessment.graded(level.level) {
        shown["grade"] = used.grade.name().into();
        if let Some(voc_rel) = used.voc_rel {
            shown["voc_percent"] = (voc_rel * 100.0).into();
        }
        if let Some(isc_rel) = used.isc_rel {
            shown["isc_percent"] = (isc_rel * 100.0).into();
        }
    }
    shown
}

/// What a controller that was read on both sides does; whether it tracks, where the readings tell.
fn add_sides(shown: &mut Value, sides: &BothSides) {
    shown["efficiency_percent"] = (sides.efficiency * 100.0).into();
    shown["operating"] = words::controller::operating(sides).into();
    shown["is_tracking"] = match sides.operating {
        TrackingFinding::Tracking { .. } => true.into(),
        TrackingFinding::NotTracking { .. } => false.into(),
        TrackingFinding::Impossible { .. }
        | TrackingFinding::Standby
        | TrackingFinding::Throttled { .. }
        | TrackingFinding::Clipped
        | TrackingFinding::Unclear { .. } => Value::Null,
    };
}

/// The answer of one hour of a comparison that was made at several.
fn hour((at_s, of): &(f64, Difference)) -> Value {
    let at_utc = Timestamp::from_second(*at_s as i64).map(|at| at.to_string()).ok();
    json!({ "at_utc": at_utc, "percent": of.percent, "u_percent": of.u_percent })
}

fn comparison(
    assessment: &Assessment<'_>,
    found: Option<&flindo_core::verdict::comparison::Comparison>,
    not_yet: Option<flindo_core::verdict::comparison::NoComparison>,
) -> Value {
    let Some(found) = found else {
        let why = not_yet.map(|why| words::headline::not_yet(why, &assessment.levels[0].name)).unwrap_or_default();
        return json!({ "verdict": "cant_tell", "why": why, "levels": [] });
    };
    let levels: Vec<Value> = found
        .levels
        .iter()
        .map(|one| {
            let difference = &one.difference;
            let verdict = assessment.level_verdict(difference.level);
            let level = assessment.level(difference.level);
            let ranked = found.ranked(difference.level);
            let mut shown = json!({
                "level": difference.level, "letter": level.map(|level| level.letter.clone()), "name": level.map(|level| level.name.clone()),
                "percent": difference.percent, "u_percent": difference.u_percent,
                "low_percent": (difference.percent - difference.u_percent).max(0.0),
                "high_percent": difference.percent + difference.u_percent, "verdict": verdict.name(), "rank": ranked.map(|one| one.low),
                "rank_low": ranked.map(|one| one.low), "rank_high": ranked.map(|one| one.high),
                "mean": one.mean, "unit": found.compared.unit(), "runs": difference.runs, "is_bracketed": difference.is_bracketed
            });
            if let Some(hours) = assessment.hours.iter().find(|of| of.level == difference.level) {
                shown["hours"] = hours.hours.iter().map(hour).collect();
                shown["day"] = json!(hours.day.map(|day| json!({ "percent": day.percent, "u_percent": day.u_percent })));
            }
            match verdict {
                LevelVerdict::NoDifferenceOver { within_percent } => shown["within_percent"] = within_percent.into(),
                LevelVerdict::AtLeast { .. } => shown["high_percent"] = Value::Null,
                LevelVerdict::More
                | LevelVerdict::Less
                | LevelVerdict::ProbablyMore
                | LevelVerdict::ProbablyLess
                | LevelVerdict::CantTell => {}
            }
            if let Some(sides) = level.and_then(|level| level.sides) {
                add_sides(&mut shown, &sides);
            }
            if let Some((price, _)) = level.and_then(|level| level.price_per_w) {
                shown["price_per_w"] = price.into();
            }
            shown
        })
        .collect();
    let pairs: Vec<Value> = found
        .pairs
        .iter()
        .map(|(level, other, one)| json!({ "level": level, "of": other, "percent": one.percent, "u_percent": one.u_percent }))
        .collect();
    let mut answer = json!({
        "compared": found.compared.name(), "levels": levels, "pairs": pairs, "in_percent": !found.is_absolute,
        "baseline": { "mean": found.baseline.0, "u": found.baseline.1, "unit": found.compared.unit(), "name": assessment.levels[0].name }
    });
    if let Some(sides) = assessment.levels[0].sides {
        add_sides(&mut answer["baseline"], &sides);
    }
    // The verdict of the whole is that of its only level; with several each has its own.
    let first = found.levels.first();
    answer["verdict"] = match (found.levels.len(), first) {
        (1, Some(one)) => assessment.level_verdict(one.difference.level).name().into(),
        _ => "see_levels".into(),
    };
    let whole = found
        .of_sum()
        .or_else(|| first.filter(|_| found.levels.len() == 1).map(|one| (one.difference.percent, one.difference.u_percent)));
    if let Some((percent, u_percent)) = whole {
        answer["percent"] = percent.into();
        answer["u_percent"] = u_percent.into();
        answer["low_percent"] = (percent - u_percent).max(0.0).into();
        answer["high_percent"] = (percent + u_percent).into();
    }
    if let Some((percent, u_percent)) = found.of_sum() {
        answer["of_sum"] = json!({ "percent": percent, "u_percent": u_percent });
        let of = |one: &OfSum| json!({ "level": one.level, "percent": one.percent, "u_percent": one.u_percent });
        answer["sums"] = found.sums.iter().map(of).collect();
    }
    answer
}

fn predicted(prediction: &Prediction) -> Value {
    let levels: Vec<Value> = prediction
        .levels
        .iter()
        .map(|one| match &one.percent {
            Ok(percent) => json!({ "level": one.level, "percent": percent, "agrees": one.agrees }),
            Err(why) => json!({ "level": one.level, "why": why.to_string() }),
        })
        .collect();
    json!({ "levels": levels, "construction": prediction.construction.name(), "better": prediction.better.map(|better| better.name()) })
}

/// The assessment as a table: one line for each level, then one for each finding.
pub async fn table(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    let shown = answer(judged.evaluated());
    let columns = ["what", "level", "name", "percent", "u_percent", "verdict", "code", "reading_uid", "evidence"];
    let mut writer = csv::Writer::from_writer(Vec::new());
    let cell = |value: &Value, name: &str| match value.get(name) {
        None | Some(Value::Null) => String::new(),
        Some(Value::String(text)) => text.clone(),
        Some(other) => other.to_string(),
    };
    let mut rows = vec![("test", &shown)];
    rows.extend(shown["levels"].as_array().into_iter().flatten().map(|level| ("level", level)));
    rows.extend(shown["named"].as_array().into_iter().flatten().map(|named| ("found", named)));
    rows.extend(shown["left_out"].as_array().into_iter().flatten().map(|left_out| ("left_out", left_out)));
    let failed = |error: csv::Error| StoreError::Corrupt(error.to_string());
    writer.write_record(columns).map_err(failed)?;
    for (what, row) in rows {
        let cells = columns[1..].iter().map(|name| outward(&cell(row, name)).into_owned());
        writer.write_record(std::iter::once(what.to_owned()).chain(cells)).map_err(failed)?;
    }
    let bytes = writer.into_inner().map_err(|error| StoreError::Corrupt(error.to_string()))?;
    let disposition = format!("attachment; filename=\"test-{id}-assessment.csv\"");
    let kind = "text/csv; charset=utf-8".to_owned();
    Ok(([(header::CONTENT_TYPE, kind), (header::CONTENT_DISPOSITION, disposition)], bytes).into_response())
}
