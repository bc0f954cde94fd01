//! What is on the bench, by words.

use crate::door::json::{Asked, Part};
use crate::door::search::{Hit, hits};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Query, State};
use serde::Serialize;
use utoipa::ToSchema;

/// A record that has all the words.
#[derive(Debug, Serialize, ToSchema)]
pub struct SearchItem {
    /// test, panel, kind, gear, rig, place, log or review.
    what: &'static str,
    id: i64,
    name: String,
    /// Its page.
    path: String,
    /// What stands around the first word that is not in its name.
    excerpt: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct SearchAnswer {
    #[serde(flatten)]
    part: Part<SearchItem>,
    /// Of a kind there are more than are shown.
    is_cut: bool,
}

/// Records that have every one of the words in their names, notes, history or captions; 50 of a kind at most.
#[utoipa::path(
    get,
    path = "/search",
    params(("q" = String, Query, description = "Words, with blanks between them"), Asked),
    responses((status = 200, body = SearchAnswer), (status = 422))
)]
pub async fn search(State(state): State<AppState>, Query(query): Query<Pairs>) -> Result<Json<SearchAnswer>, AppError> {
    let found = hits(&state, value(&query, "q")).await?;
    let item = |hit: Hit| SearchItem { what: hit.what.name(), id: hit.id, name: hit.name, path: hit.path, excerpt: hit.excerpt };
    let Json(part) = Asked::of(&query)?.part(found.hits, item);
    Ok(Json(SearchAnswer { part, is_cut: found.is_cut }))
}
