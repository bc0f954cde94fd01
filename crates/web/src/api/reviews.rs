//! Reviews for programs: tests side by side, with what follows from them.

use crate::api::bodies::{ReviewBody, known};
use crate::door::json::{Asked, Body, Part, field, object, only, refuse, text};
use crate::door::review::{draft_of, reviewed};
use crate::error::AppError;
use crate::state::AppState;
use crate::words::review as words;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use flindo_core::review::claim::{Claim, check};
use flindo_core::review::table::{Cell, Row, Subject, Table};
use flindo_store::{ReviewDraft, ReviewRow};
use jiff::Timestamp;
use serde::Serialize;
use serde_json::Value;
use utoipa::ToSchema;

/// A review in the list.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReviewItem {
    id: i64,
    uid: String,
    name: String,
    /// The uids of its tests.
    tests: Vec<String>,
}

/// A review, and what follows from its tests.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReviewAnswer {
    #[serde(flatten)]
    of: ReviewItem,
    notes: String,
    /// The columns of the table.
    subjects: Vec<SubjectAnswer>,
    rows: Vec<RowAnswer>,
    /// What keeps figures apart, as sentences.
    apart: Vec<String>,
    claims: Vec<ClaimAnswer>,
    /// As sentences.
    summary: Vec<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct SubjectAnswer {
    name: String,
    rating_percent: Option<f64>,
    u_rating_percent: Option<f64>,
    /// In the bench's currency.
    price_per_w: Option<f64>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct RowAnswer {
    pattern: String,
    /// One for each subject; null where it was not tested so.
    cells: Vec<Option<CellAnswer>>,
}

/// Percent of the subject's own baseline.
#[derive(Debug, Serialize, ToSchema)]
pub struct CellAnswer {
    percent: f64,
    u_percent: f64,
    low_percent: f64,
    high_percent: f64,
    rank: usize,
    /// How many tests it is of.
    tests: usize,
    /// What the circuit predicts.
    predicted_percent: Option<f64>,
}

/// A claim of somebody, held against the table.
#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimAnswer {
    #[schema(value_type = Object)]
    claim: Claim,
    verdict: &'static str,
    percent_more: Option<f64>,
    u_percent: Option<f64>,
}

/// Which review was made.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReviewMade {
    id: i64,
    uid: String,
}

fn item(row: ReviewRow) -> ReviewItem {
    ReviewItem { id: row.id, uid: row.uid, name: row.draft.name, tests: row.draft.tests }
}

/// All reviews, the newest first.
#[utoipa::path(get, path = "/reviews", params(Asked), responses((status = 200, body = Part<ReviewItem>), (status = 422)))]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<ReviewItem>>, AppError> {
    Ok(asked.part(state.store.reviews().await?, item))
}

/// Makes a review: `{name?, tests: [uid], claims?: [{subject, than, pattern, low_percent, high_percent?}], notes?}`.
#[utoipa::path(post, path = "/reviews", request_body = ReviewBody, responses((status = 201, body = ReviewMade), (status = 422)))]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<(StatusCode, Json<ReviewMade>), AppError> {
    let draft = draft(&state, body).await?;
    let id = state.store.add_review(&draft, Timestamp::now()).await?;
    let uid = state.store.review(id).await?.uid;
    Ok((StatusCode::CREATED, Json(ReviewMade { id, uid })))
}

/// Changes a review, by the same fields.
#[utoipa::path(
    put,
    path = "/reviews/{id}",
    params(("id" = i64, Path)),
    request_body = ReviewBody,
    responses((status = 200, body = ReviewAnswer), (status = 404), (status = 422))
)]
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<ReviewAnswer>, AppError> {
    let _turn = state.turn_to_edit().await;
    state.store.review(id).await?;
    let draft = draft(&state, body).await?;
    state.store.change_review(id, &draft).await?;
    one(State(state), Path(id)).await
}

/// A review out of a body; what an answer says besides, and how its claims were found, is not read.
async fn draft(state: &AppState, body: Body) -> Result<ReviewDraft, AppError> {
    let mut map = object(body)?;
    map.retain(|name, _| !["id", "uid", "subjects", "rows", "apart", "summary"].contains(&name.as_str()));
    only(&map, &known::<ReviewBody>())?;
    let given = map.get("tests").unwrap_or(&Value::Null);
    let uids =
        given.as_array().ok_or_else(|| refuse("tests", given, "The uids of the tests are wanted.", Some("a list of uids")))?;
    let tests: Vec<String> = uids.iter().map(|uid| text("tests", uid)).collect::<Result<_, _>>()?;
    let claims: Vec<Claim> = match map.get("claims") {
        None | Some(Value::Null) => Vec::new(),
        Some(Value::Array(claims)) => {
            claims.iter().map(|claim| claim_of(claim.get("claim").unwrap_or(claim))).collect::<Result<_, _>>()?
        }
        Some(other) => return Err(refuse("claims", other, "Claims are a list.", None)),
    };
    draft_of(state, &field(&map, "name")?, tests, claims, &field(&map, "notes")?).await
}

fn claim_of(claim: &Value) -> Result<Claim, AppError> {
    serde_json::from_value(claim.clone())
        .map_err(|error| refuse("claims", claim, format!("A claim cannot be read: {error}."), None))
}

/// A review: its subjects, percent of own baseline by pattern with intervals and ranks, what keeps figures apart, and its claims.
#[utoipa::path(
    get,
    path = "/reviews/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = ReviewAnswer), (status = 404))
)]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<ReviewAnswer>, AppError> {
    let row = state.store.review(id).await?;
    let (_, table) = reviewed(&state, &row.draft).await?;
    let claims = row.draft.claims.iter().map(|of| claim(of, &table)).collect();
    let notes = row.draft.notes.clone();
    Ok(Json(ReviewAnswer {
        of: item(row),
        notes,
        subjects: table.subjects.iter().map(subject).collect(),
        rows: table.rows.iter().map(table_row).collect(),
        apart: table.apart.iter().map(words::apart).collect(),
        claims,
        summary: words::summary(&table),
    }))
}

fn claim(claim: &Claim, table: &Table) -> ClaimAnswer {
    let checked = check(claim, table);
    ClaimAnswer {
        claim: claim.clone(),
        verdict: checked.verdict.name(),
        percent_more: checked.measured_percent.map(|more| more.value),
        u_percent: checked.measured_percent.map(|more| more.u),
    }
}

fn subject(subject: &Subject) -> SubjectAnswer {
    SubjectAnswer {
        name: subject.name.clone(),
        rating_percent: subject.rating_percent.map(|figure| figure.value),
        u_rating_percent: subject.rating_percent.map(|figure| figure.u),
        price_per_w: subject.price_per_w.map(|figure| figure.value),
    }
}

fn table_row(row: &Row) -> RowAnswer {
    let cell = |cell: &Cell| CellAnswer {
        percent: cell.percent.value,
        u_percent: cell.percent.u,
        low_percent: cell.percent.low().max(0.0),
        high_percent: cell.percent.high(),
        rank: cell.rank,
        tests: cell.tests,
        predicted_percent: cell.predicted_percent,
    };
    RowAnswer { pattern: row.pattern.clone(), cells: row.cells.iter().map(|one| one.as_ref().map(cell)).collect() }
}
