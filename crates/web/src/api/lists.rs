//! Lists of the bench as tables for a spreadsheet, and panels from such a table.
//!
//! Every table has a line of names first, one record a line after it, numbers with a point, and cells that a spreadsheet would run as
//! formulas behind an apostrophe, as all tables of the program.

use super::bench::{kind_of, panel_drafts};
use crate::door::file::file;
use crate::door::typed::{Pairs, value};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::extract::{Multipart, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::panel::label::LabelTyped;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::review::league::{By, Ranked, league};
use flindo_store::exchange::{inward, outward};
use flindo_store::{Kind, PanelDraft, StoreError};
use serde_json::{Map, Value};
use std::collections::HashMap;
use std::collections::hash_map::Entry;

const PANEL: [&str; 8] = ["tag", "kind", "is_used", "age_years", "price", "provenance", "defects", "notes"];

/// Panels that are brought in at once: a delivery, not a field.
const MOST_PANELS: usize = 5000;

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
    let head: Vec<&str> = PANEL.iter().chain(LabelTyped::FIELDS).copied().collect();
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
#[utoipa::path(get, path = "/league.csv", params(("of" = Option<String>, Query), ("by" = Option<String>, Query)), responses((status = 200, content_type = "text/csv")))]
pub async fn league_table(State(state): State<AppState>, Query(typed): Query<Pairs>) -> Result<Response, AppError> {
    let of = Ranked::from_name(value(&typed, "of")).unwrap_or_default();
    let by = By::from_name(value(&typed, "by")).filter(|by| of.figures().contains(by)).unwrap_or(of.figures()[0]);
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let panels: Vec<_> = register.listed().map(flindo_store::panel_record).collect();
    let found = league(&all.summaries(), &panels, of, by);
    let currency = state.store.bench().await?.currency;
    let unit = if by == By::PricePerWatt { format!("{currency}/W") } else { by.unit().to_owned() };
    let head = ["rank_low", "rank_high", "name", "kind", "figure", "unit", "value", "u", "tests", "newest_utc", "scatter"];
    let rows = found.entries.into_iter().map(|entry| {
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

/// A row of a table of panels: its line, and its cells by the names of the head.
type Row = (u64, Map<String, Value>);

fn wrong(line: u64, column: &str, why: &str) -> AppError {
    let message = format!("Line {line}, column {column}: {why} Nothing of the table was kept.");
    AppError::Input(InputError { message, field: Some(column.to_owned()), ..InputError::default() })
}

/// What an input error of a row says, with its line.
fn at_line(line: u64, error: AppError) -> AppError {
    match error {
        AppError::Input(InputError { message, field, .. }) => wrong(line, field.as_deref().unwrap_or("tag"), &message),
        other => other,
    }
}

fn rows_of(text: &str) -> Result<Vec<Row>, AppError> {
    let mut reader = csv::ReaderBuilder::new().trim(csv::Trim::All).from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let unread = |error: csv::Error| {
        let line = error.position().map_or(1, csv::Position::line);
        wrong(line, "1", &format!("the row cannot be read ({error})."))
    };
    let head: Vec<String> = reader.headers().map_err(unread)?.iter().map(str::to_owned).collect();
    let known: Vec<&str> = PANEL.iter().chain(LabelTyped::FIELDS).copied().collect();
    if let Some(other) = head.iter().find(|name| !known.contains(&name.as_str())) {
        return Err(wrong(1, other, &format!("it is not one of the columns: {}.", known.join(", "))));
    }
    if let Some(missing) = ["tag", "kind"].iter().find(|name| !head.iter().any(|own| own == *name)) {
        return Err(wrong(1, missing, "it is missing."));
    }
    let mut rows = Vec::new();
    for record in reader.records() {
        let record = record.map_err(unread)?;
        let line = record.position().map_or(0, csv::Position::line);
        let cells = head.iter().zip(&record).filter(|(_, cell)| !cell.is_empty());
        rows.push((line, cells.map(|(name, cell)| (name.clone(), Value::from(inward(cell)))).collect()));
        if rows.len() > MOST_PANELS {
            return Err(wrong(line, "tag", &format!("a table brings {MOST_PANELS} panels at most: send the rest in another.")));
        }
    }
    Ok(rows)
}

fn is_used(line: u64, map: &mut Map<String, Value>) -> Result<(), AppError> {
    let Some(text) = map.get("is_used").and_then(Value::as_str) else { return Ok(()) };
    let is_used = match text.to_lowercase().as_str() {
        "true" | "yes" | "1" | "used" => true,
        "false" | "no" | "0" | "new" => false,
        other => return Err(wrong(line, "is_used", &format!("\u{201c}{other}\u{201d} is neither true nor false."))),
    };
    map.insert("is_used".to_owned(), is_used.into());
    Ok(())
}

/// Brings panels in from a table with the columns that [`panel_table`] writes; `tag` and `kind` are needed, and `rated_w` of a kind that
/// the bench does not have. All of it or nothing; answers how many.
///
/// # Errors
/// Line and column of what is wrong.
pub async fn bring_in(state: &AppState, text: &str) -> Result<usize, AppError> {
    let mut rows = rows_of(text)?;
    let mut kinds: HashMap<String, i64> =
        state.store.kinds().await?.into_iter().map(|kind| (kind.draft.name.to_lowercase(), kind.id)).collect();
    let mut tags: HashMap<String, u64> =
        state.store.panels().await?.into_iter().map(|panel| (panel.draft.tag.to_lowercase(), 0)).collect();
    let mut drafts: Vec<(String, PanelDraft)> = Vec::new();
    let mut new_kinds = Vec::new();
    for (line, map) in &mut rows {
        let line = *line;
        is_used(line, map)?;
        let label: Map<String, Value> =
            LabelTyped::FIELDS.iter().filter_map(|field| Some(((*field).to_owned(), map.remove(*field)?))).collect();
        let kind = map.remove("kind").and_then(|kind| kind.as_str().map(str::to_owned)).unwrap_or_default();
        if kind.is_empty() {
            return Err(wrong(line, "kind", "a panel is of a kind."));
        }
        if let Entry::Vacant(unknown) = kinds.entry(kind.to_lowercase()) {
            let mut of = label;
            of.insert("name".to_owned(), kind.as_str().into());
            new_kinds.push((kind.to_lowercase(), kind_of(&of, true).map_err(|error| at_line(line, error))?));
            unknown.insert(0);
        }
        for draft in panel_drafts(map).map_err(|error| at_line(line, error))? {
            if let Some(before) = tags.insert(draft.tag.to_lowercase(), line) {
                let where_it_is = if before == 0 { "on the bench".to_owned() } else { format!("in line {before}") };
                return Err(wrong(line, "tag", &format!("\u{201c}{}\u{201d} is there already, {where_it_is}.", draft.tag)));
            }
            drafts.push((kind.to_lowercase(), draft));
        }
    }
    for (name, draft) in new_kinds {
        kinds.insert(name, state.store.add_kind(&draft).await?);
    }
    let of_kind = |(name, draft): (String, PanelDraft)| {
        let kind_id = kinds.get(&name).copied().ok_or(StoreError::NotFound("kind of panel"))?;
        Ok(PanelDraft { kind_id, ..draft })
    };
    let drafts: Vec<PanelDraft> = drafts.into_iter().map(of_kind).collect::<Result<_, StoreError>>()?;
    if drafts.is_empty() {
        return Err(wrong(2, "tag", "the table has no panel."));
    }
    Ok(state.store.add_panels(&drafts).await?.len())
}

/// Panels from a table with the columns of [`panel_table`]; all of it or nothing.
#[utoipa::path(post, path = "/panels.csv", request_body(content = String, content_type = "text/csv"), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Line and column of what was refused")))]
pub async fn add_panel_table(State(state): State<AppState>, body: String) -> Result<Response, AppError> {
    let added = bring_in(&state, &body).await?;
    Ok((axum::http::StatusCode::CREATED, axum::Json(serde_json::json!({ "added": added }))).into_response())
}

/// The same from the page of panels.
pub async fn from_page(State(state): State<AppState>, form: Multipart) -> Result<Response, AppError> {
    let bytes = file(form).await.map_err(|message| AppError::Input(InputError { message, ..InputError::default() }))?;
    let text = String::from_utf8(bytes).map_err(|_| wrong(1, "1", "the file is not text in UTF-8."))?;
    bring_in(&state, &text).await?;
    Ok(axum::response::Redirect::to("/panels").into_response())
}
