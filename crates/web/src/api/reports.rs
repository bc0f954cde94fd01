//! Reports as files for programs, and such a file held against the data in it.

use crate::door::json::refuse;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::report::file::{Of, download};
use crate::report::recompute::{Differing, Recomputed, recompute};
use crate::state::AppState;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use serde::Serialize;
use serde_json::{Value, json};
use utoipa::ToSchema;

/// The report of a test as one HTML file with its data inside; `?brief=yes` without budget and readings.
#[utoipa::path(
    get,
    path = "/tests/{id}/report.html",
    params(("id" = i64, Path), ("brief" = Option<String>, Query, description = "yes or no")),
    responses((status = 200, content_type = "text/html"), (status = 404), (status = 422))
)]
pub async fn of_test(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    let is_brief = match value(&query, "brief") {
        "yes" => true,
        "" | "no" => false,
        typed => return Err(refuse("brief", &json!(typed), "A report is brief or it is not.", Some("yes, no"))),
    };
    download(&state, Of::Test(id), is_brief).await
}

/// A review as one HTML file with the data of all its tests inside.
#[utoipa::path(
    get,
    path = "/reviews/{id}/report.html",
    params(("id" = i64, Path)),
    responses((status = 200, content_type = "text/html"), (status = 404))
)]
pub async fn of_review(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    download(&state, Of::Review(id), false).await
}

/// How a report compares with what follows from its own data.
#[derive(Debug, Serialize, ToSchema)]
pub struct RecomputedAnswer {
    /// Whether every printed figure follows.
    follows: bool,
    /// How many are printed, drawings included.
    figures: usize,
    differing: Vec<DifferingAnswer>,
    /// The version of the program that made the report, where it is another one.
    other_program: Option<String>,
}

/// A figure or words of a report that do not follow from its data.
#[derive(Debug, Serialize, ToSchema)]
pub struct DifferingAnswer {
    /// The words before it.
    after: String,
    printed: String,
    follows: String,
}

/// Takes the HTML file of a report, assesses the data in it anew and says of its figures whether they follow. Nothing comes onto the bench.
#[utoipa::path(
    post,
    path = "/recompute",
    request_body(content = String, content_type = "text/html"),
    responses((status = 200, body = RecomputedAnswer), (status = 422))
)]
pub async fn held_against(body: Bytes) -> Result<Json<RecomputedAnswer>, AppError> {
    let refused = |sentence: String| refuse("body", &Value::Null, sentence, Some("the HTML file of a report"));
    let html = std::str::from_utf8(&body).map_err(|error| refused(format!("This is no text: {error}.")))?;
    let found = recompute(html).await.map_err(refused)?;
    let Recomputed { figures, differing, other_program } = found;
    let differing: Vec<DifferingAnswer> =
        differing.into_iter().map(|Differing { after, printed, follows }| DifferingAnswer { after, printed, follows }).collect();
    Ok(Json(RecomputedAnswer { follows: differing.is_empty(), figures, differing, other_program }))
}
