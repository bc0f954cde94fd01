//! Lists of the bench as tables for a spreadsheet, and panels from such a table.
//!
//! Every table has a line of names first, one record a line after it, numbers with a point, and cells that a spreadsheet would run as
//! formulas behind an apostrophe, as all tables of the program.

use crate::api::keeping::{AskedLeague, asked_league};
use crate::door::file::file;
use crate::door::panel_table;
use crate::door::typed::Pairs;
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::extract::{Multipart, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use flindo_core::panel::label::LabelTyped;
use flindo_core::panel::nameplate::Nameplate;
use flindo_store::exchange::outward;
use flindo_store::{Kind, StoreError};
use serde::Serialize;
use utoipa::ToSchema;

pub(super) fn table(name: &str, head: &[&str], rows: impl IntoIterator<Item = Vec<String>>) -> Result<Response, AppError> {
    let failed = |error: csv::Error| StoreError::Corrupt(error.to_string());
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(head).map_err(failed)?;
    for row in rows {
        writer.write_record(row.iter().map(|cell| outward(cell).into_owned())).map_err(failed)?;
    }
    let bytes = writer.into_inner().map_err(|error| StoreError::Corrupt(error.to_string()))?;
    let disposition = format!("attachment; filename=\"{name}.csv\"");
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes)
        .into_response())
}

fn optional(value: Option<f64>) -> String {
    value.map(|value| value.to_string()).unwrap_or_default()
}

fn label_cells(nameplate: &Nameplate) -> impl Iterator<Item = String> {
    let typed = LabelTyped::of(nameplate);
    LabelTyped::FIELDS.iter().map(move |field| typed.get(field).unwrap_or_default().to_owned())
}

/// All panels with the labels of their kinds, as CSV.
#[utoipa::path(get, path = "/panels.csv", responses((status = 200, content_type = "text/csv")))]
pub async fn panel_table(State(state): State<AppState>) -> Result<Response, AppError> {
    let head: Vec<&str> = panel_table::COLUMNS.iter().chain(LabelTyped::FIELDS).copied().collect();
    let rows = state.store.panels().await?.into_iter().map(|panel| {
        let draft = &panel.draft;
        let defects: Vec<&str> = draft.wear.iter().map(|wear| wear.name()).collect();
        let own = [
            draft.tag.clone(),
            panel.kind.draft.name.clone(),
            draft.is_used.to_string(),
            optional(draft.age_years),
            optional(panel.price()),
            draft.provenance.clone(),
            defects.join(", "),
            draft.notes.clone(),
        ];
        own.into_iter().chain(label_cells(&panel.kind.draft.nameplate)).collect()
    });
    table("panels", &head, rows)
}

/// All kinds with their labels, as CSV.
#[utoipa::path(get, path = "/panel-kinds.csv", responses((status = 200, content_type = "text/csv")))]
pub async fn kind_table(State(state): State<AppState>) -> Result<Response, AppError> {
    let head: Vec<&str> = ["name", "price"].iter().chain(LabelTyped::FIELDS).copied().collect();
    let row = |kind: Kind| {
        let own = [kind.draft.name.clone(), optional(kind.draft.price)];
        own.into_iter().chain(label_cells(&kind.draft.nameplate)).collect()
    };
    table("panel-kinds", &head, state.store.kinds().await?.into_iter().map(row))
}

/// All gear as CSV: what every piece has, and a column for each field that any of them has.
#[utoipa::path(get, path = "/gear.csv", responses((status = 200, content_type = "text/csv")))]
pub async fn gear_table(State(state): State<AppState>) -> Result<Response, AppError> {
    let all = state.store.gear().await?;
    let mut fields: Vec<&str> = all.iter().flat_map(|row| &row.draft.typed).map(|(name, _)| name.as_str()).collect();
    fields.sort_unstable();
    fields.dedup();
    let head: Vec<&str> = ["gear", "name", "notes"].iter().chain(&fields).copied().collect();
    let rows = all.iter().map(|row| {
        let of = |field: &&str| row.draft.typed.iter().find(|(name, _)| name == field).map(|(_, text)| text.clone());
        let own = [row.draft.kind.name().to_owned(), row.draft.name.clone(), row.draft.notes.clone()];
        own.into_iter().chain(fields.iter().map(|field| of(field).unwrap_or_default())).collect()
    });
    table("gear", &head, rows)
}

/// A league as CSV: `of` and `by` as on its page.
#[utoipa::path(
    get,
    path = "/league.csv",
    params(("of" = Option<String>, Query), ("by" = Option<String>, Query)),
    responses((status = 200, content_type = "text/csv"), (status = 422))
)]
pub async fn league_table(State(state): State<AppState>, Query(typed): Query<Pairs>) -> Result<Response, AppError> {
    let AskedLeague { by, unit, found, .. } = asked_league(&state, &typed).await?;
    let head = ["rank_low", "rank_high", "name", "kind", "figure", "unit", "value", "u", "tests", "newest_utc", "scatter"];
    let rows = found.entries.iter().cloned().map(|entry| {
        vec![
            entry.rank.to_string(),
            entry.rank_high.to_string(),
            entry.name,
            entry.kind,
            by.name().to_owned(),
            unit.clone(),
            entry.figure.value.to_string(),
            entry.figure.u.to_string(),
            entry.tests.len().to_string(),
            entry.newest_utc.map(|at| at.to_string()).unwrap_or_default(),
            entry.scatter.to_string(),
        ]
    });
    table("league", &head, rows)
}

/// Every test, the newest first, with its answer in one sentence, as CSV.
#[utoipa::path(get, path = "/logbook.csv", responses((status = 200, content_type = "text/csv")))]
pub async fn logbook_table(State(state): State<AppState>) -> Result<Response, AppError> {
    let all = state.all_digests().await?;
    let head = ["test", "uid", "question", "panel", "kind", "place", "first_utc", "last_utc", "readings", "found", "headline"];
    let rows = all.digests.iter().map(|one| {
        let at = |at: Option<jiff::Timestamp>| at.map(|at| at.to_string()).unwrap_or_default();
        vec![
            one.test.id.to_string(),
            one.test.uid.clone(),
            if one.test.is_open { "open".to_owned() } else { one.test.question.name().to_owned() },
            one.tag.clone(),
            one.kind.clone(),
            one.place.clone(),
            at(one.summary.first_utc),
            at(one.summary.last_utc),
            one.summary.readings.to_string(),
            one.summary.found().name().to_owned(),
            one.headline.clone(),
        ]
    });
    table("logbook", &head, rows)
}

/// How many panels a table added.
#[derive(Debug, Serialize, ToSchema)]
pub struct PanelsFromTable {
    added: usize,
}

/// Panels from a table with the columns of [`panel_table`]; all of it or nothing.
#[utoipa::path(
    post,
    path = "/panels.csv",
    request_body(content = String, content_type = "text/csv"),
    responses(
        (status = 201, body = PanelsFromTable),
        (status = 409),
        (status = 422, description = "Line and column of what was refused")
    )
)]
pub async fn add_panel_table(
    State(state): State<AppState>,
    body: String,
) -> Result<(StatusCode, Json<PanelsFromTable>), AppError> {
    let added = panel_table::bring_in(&state, &body).await?;
    Ok((StatusCode::CREATED, Json(PanelsFromTable { added })))
}

/// The same from the page of panels.
pub async fn from_page(State(state): State<AppState>, form: Multipart) -> Result<Response, AppError> {
    let bytes = file(form).await.map_err(|message| AppError::Input(InputError { message, ..InputError::default() }))?;
    panel_table::of_file(&state, bytes).await?;
    Ok(axum::response::Redirect::to("/panels").into_response())
}
