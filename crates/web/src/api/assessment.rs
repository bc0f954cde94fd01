//! What a test comes to, as JSON and as a table.

use super::answer::{AssessmentAnswer, answer};
use crate::error::AppError;
use crate::kept::assessments::Depth;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_store::StoreError;
use flindo_store::exchange::outward;
use serde_json::Value;

/// The assessment of a test: verdict, interval, levels, what was named, what was left out, what would settle it.
#[utoipa::path(
    get,
    path = "/tests/{id}/assessment",
    params(("id" = i64, Path)),
    responses((status = 200, body = AssessmentAnswer), (status = 404))
)]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<AssessmentAnswer>, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    Ok(Json(answer(judged.evaluated())))
}

/// The assessment as a table: one line for each level, then one for each finding.
pub async fn table(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    let shown = serde_json::to_value(answer(judged.evaluated())).map_err(|error| AppError::failed(&error))?;
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
