//! Reviews for programs: tests side by side, with what follows from them.

use super::body::{Body, object, only, refuse, text};
use crate::door::review::{make, reviewed};
use crate::error::AppError;
use crate::state::AppState;
use crate::words::review as words;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use flindo_core::review::claim::{Claim, check};
use flindo_core::review::table::Table;
use serde_json::{Value, json};

/// All reviews, the newest first.
#[utoipa::path(get, path = "/reviews", responses((status = 200, body = Vec<Object>)))]
pub async fn list(State(state): State<AppState>) -> Result<Json<Value>, AppError> {
    let reviews = state.store.reviews().await?;
    let one =
        |row: &flindo_store::ReviewRow| json!({ "id": row.id, "uid": row.uid, "name": row.draft.name, "tests": row.draft.tests });
    Ok(Json(reviews.iter().map(one).collect()))
}

/// Makes a review: `{name?, tests: [uid], claims?: [{subject, than, pattern, low_percent, high_percent?}], notes?}`.
#[utoipa::path(post, path = "/reviews", request_body = Object, responses((status = 201, body = Object), (status = 422)))]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<(StatusCode, Json<Value>), AppError> {
    let map = object(body)?;
    only(&map, &["name", "tests", "claims", "notes"])?;
    let field = |name: &str| map.get(name).map_or_else(|| Ok(String::new()), |value| text(name, value));
    let given = map.get("tests").unwrap_or(&Value::Null);
    let uids =
        given.as_array().ok_or_else(|| refuse("tests", given, "The uids of the tests are wanted.", Some("a list of uids")))?;
    let tests: Vec<String> = uids.iter().map(|uid| text("tests", uid)).collect::<Result<_, _>>()?;
    let claims: Vec<Claim> = match map.get("claims") {
        None | Some(Value::Null) => Vec::new(),
        Some(claims) => serde_json::from_value(claims.clone())
            .map_err(|error| refuse("claims", claims, format!("A claim cannot be read: {error}."), None))?,
    };
    let id = make(&state, &field("name")?, tests, claims, &field("notes")?).await?;
    let uid = state.store.review(id).await?.uid;
    Ok((StatusCode::CREATED, Json(json!({ "id": id, "uid": uid }))))
}

/// A review: its subjects, percent of own baseline by pattern with intervals and ranks, what keeps figures apart, and its claims.
#[utoipa::path(get, path = "/reviews/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    let row = state.store.review(id).await?;
    let (_, table) = reviewed(&state, &row.draft).await?;
    let claims: Vec<Value> = row
        .draft
        .claims
        .iter()
        .map(|claim| {
            let checked = check(claim, &table);
            json!({
                "claim": claim, "verdict": checked.verdict.name(),
                "percent_more": checked.measured_percent.map(|more| more.value), "u_percent": checked.measured_percent.map(|more| more.u)
            })
        })
        .collect();
    Ok(Json(json!({
        "id": row.id, "uid": row.uid, "name": row.draft.name, "tests": row.draft.tests, "notes": row.draft.notes,
        "subjects": subjects(&table), "rows": rows(&table), "apart": table.apart.iter().map(words::apart).collect::<Vec<_>>(),
        "claims": claims, "summary": words::summary(&table)
    })))
}

fn subjects(table: &Table) -> Vec<Value> {
    let one = |subject: &flindo_core::review::table::Subject| {
        json!({
            "name": subject.name, "rating_percent": subject.rating_percent.map(|figure| figure.value),
            "u_rating_percent": subject.rating_percent.map(|figure| figure.u), "price_per_w": subject.price_per_w.map(|figure| figure.value)
        })
    };
    table.subjects.iter().map(one).collect()
}

fn rows(table: &Table) -> Vec<Value> {
    let cell = |cell: &Option<flindo_core::review::table::Cell>| match cell {
        None => Value::Null,
        Some(cell) => json!({
            "percent": cell.percent.value, "u_percent": cell.percent.u, "low_percent": cell.percent.low().max(0.0),
            "high_percent": cell.percent.high(), "rank": cell.rank, "tests": cell.tests, "predicted_percent": cell.predicted_percent
        }),
    };
    table
        .rows
        .iter()
        .map(|row| json!({ "pattern": row.pattern, "cells": row.cells.iter().map(cell).collect::<Vec<_>>() }))
        .collect()
}
