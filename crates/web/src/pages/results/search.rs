//! One box for everything on the bench: records by the words that were written about them.

use crate::door::search::{Hit, hits};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};

#[derive(Template, WebTemplate)]
#[template(path = "search.html")]
pub struct SearchPage {
    frame: Frame,
    typed: String,
    /// By their kind, in the order of the list.
    groups: Vec<(&'static str, Vec<Hit>)>,
    is_cut: bool,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<SearchPage, AppError> {
    let typed = value(&query, "q").trim().to_owned();
    let found = hits(&state, &typed).await?;
    let mut groups: Vec<(&'static str, Vec<Hit>)> = Vec::new();
    for hit in found.hits {
        match groups.last_mut() {
            Some((heading, of_it)) if *heading == hit.heading => of_it.push(hit),
            Some(_) | None => groups.push((hit.heading, vec![hit])),
        }
    }
    Ok(SearchPage { frame, typed, groups, is_cut: found.is_cut })
}
