//! Reviews: tests of several products and days side by side, and claims held against them.

use crate::door::review::{claim_of, make, reviewed};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::day;
use crate::frame::Frame;
use crate::report::file::{Of, download};
use crate::report::review::{ReviewArticle, article};
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::StoreError;
use flindo_store::exchange::outward;

#[derive(Template, WebTemplate)]
#[template(path = "reviews.html")]
pub struct ReviewsPage {
    frame: Frame,
    reviews: Vec<(i64, String, String, usize)>,
}

#[derive(Template, WebTemplate)]
#[template(path = "review.html")]
pub struct ReviewPage {
    frame: Frame,
    article: ReviewArticle,
}

pub async fn list(State(state): State<AppState>, frame: Frame) -> Result<ReviewsPage, AppError> {
    let reviews = state.store.reviews().await?;
    let line =
        |row: flindo_store::ReviewRow| (row.id, row.draft.name, day(row.created_utc, &frame.time_zone), row.draft.tests.len());
    Ok(ReviewsPage { reviews: reviews.into_iter().map(line).collect(), frame })
}

/// Makes a review of the tests that were chosen in the logbook.
pub async fn add(State(state): State<AppState>, Form(typed): Form<Pairs>) -> Result<Redirect, AppError> {
    let tests: Vec<String> = typed.iter().filter(|(name, _)| name == "test").map(|(_, uid)| uid.clone()).collect();
    let id = make(&state, value(&typed, "name"), tests, Vec::new(), value(&typed, "notes")).await?;
    Ok(Redirect::to(&format!("/reviews/{id}")))
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<ReviewPage, AppError> {
    let article = article(&state, &frame, id, false).await?;
    Ok(ReviewPage { frame, article })
}

/// A review as one file, with the data of all its tests.
pub async fn one_file(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    download(&state, Of::Review(id), false).await
}

/// Changes name, notes and tests of a review, adds a claim or takes one away.
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, Form(typed): Form<Pairs>) -> Result<Redirect, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut draft = state.store.review(id).await?.draft;
    unchanged(&draft, &typed)?;
    // A field that was left as it was filled keeps what is there now.
    let is_ours = |field: &str| {
        let before = typed.iter().find(|(name, _)| *name == format!("{field}_before"));
        before.is_none_or(|(_, before)| before.trim() != value(&typed, field).trim())
    };
    if !value(&typed, "name").trim().is_empty() && is_ours("name") {
        draft.name = value(&typed, "name").trim().chars().take(120).collect();
    }
    if typed.iter().any(|(name, _)| name == "notes") && is_ours("notes") {
        draft.notes = value(&typed, "notes").trim().to_owned();
    }
    let removed = value(&typed, "remove_test");
    draft.tests.retain(|uid| uid != removed);
    if let Ok(at) = value(&typed, "remove_claim").parse::<usize>()
        && at < draft.claims.len()
    {
        draft.claims.remove(at);
    }
    if !value(&typed, "subject").is_empty() {
        draft.claims.push(claim_of(&typed)?);
    }
    state.store.change_review(id, &draft).await?;
    Ok(Redirect::to(&format!("/reviews/{id}")))
}

/// Refuses name and notes that were filled from an older state, where the other's differ from both.
fn unchanged(draft: &flindo_store::ReviewDraft, typed: &Pairs) -> Result<(), AppError> {
    for (field, before, now) in [("name", "name_before", &draft.name), ("notes", "notes_before", &draft.notes)] {
        let has = |name: &str| typed.iter().any(|(known, _)| known == name);
        let (ours, before) = (value(typed, field).trim(), value(typed, before).trim());
        if has(field) && has(&format!("{field}_before")) && before != now.trim() && ours != now.trim() && ours != before {
            let sentence = format!(
                "Somebody changed the {field} of this review meanwhile to \u{201c}{now}\u{201d}. \
                 Yours was not saved: \u{201c}{ours}\u{201d}."
            );
            return Err(AppError::Taken(crate::error::InputError {
                message: sentence,
                field: Some(field.to_owned()),
                value: Some(ours.into()),
                ..crate::error::InputError::default()
            }));
        }
    }
    Ok(())
}

/// The table of a review as CSV: a line for each pattern and product.
pub async fn csv(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    let row = state.store.review(id).await?;
    let (_, found) = reviewed(&state, &row.draft).await?;
    let failed = |error: csv::Error| StoreError::Corrupt(error.to_string());
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer
        .write_record(["pattern", "subject", "percent_of_baseline", "u_percent", "rank", "tests", "predicted_percent"])
        .map_err(failed)?;
    for row in &found.rows {
        for (subject, cell) in found.subjects.iter().zip(&row.cells) {
            let Some(cell) = cell else { continue };
            let figures = [
                cell.percent.value.to_string(),
                cell.percent.u.to_string(),
                cell.rank.to_string(),
                cell.tests.to_string(),
                cell.predicted_percent.map(|percent| percent.to_string()).unwrap_or_default(),
            ];
            let names = [outward(&row.pattern).into_owned(), outward(&subject.name).into_owned()];
            writer.write_record(names.into_iter().chain(figures)).map_err(failed)?;
        }
    }
    let bytes = writer.into_inner().map_err(|error| StoreError::Corrupt(error.to_string()))?;
    let disposition = format!("attachment; filename=\"review-{id}.csv\"");
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes)
        .into_response())
}
