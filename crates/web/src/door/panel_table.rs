//! Panels from a table, one a line.

use crate::door::panel_json::{kind_of, panel_drafts};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use flindo_core::panel::label::LabelTyped;
use flindo_store::exchange::inward;
use flindo_store::{PanelDraft, StoreError};
use serde_json::{Map, Value};
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// What a table says of a panel besides its label.
pub const COLUMNS: [&str; 8] = ["tag", "kind", "is_used", "age_years", "price", "provenance", "defects", "notes"];

/// Panels that are brought in at once: a delivery, not a field.
const MOST_PANELS: usize = 5000;

/// A row of a table of panels: its line, and its cells by the names of the head.
type Row = (u64, Map<String, Value>);

fn wrong(line: u64, column: &str, why: &str) -> AppError {
    let message = format!("Line {line}, column {column}: {why} Nothing of the table was kept.");
    AppError::Input(InputError { message, field: Some(column.to_owned()), ..InputError::default() })
}

/// What an input error of a row says, with its line.
fn at_line(line: u64, error: AppError) -> AppError {
    let AppError::Input(InputError { message, field, .. }) = error else { return error };
    wrong(line, field.as_deref().unwrap_or("tag"), &message)
}

fn rows_of(text: &str) -> Result<Vec<Row>, AppError> {
    let mut reader = csv::ReaderBuilder::new().trim(csv::Trim::All).from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let unread = |error: csv::Error| {
        let line = error.position().map_or(1, csv::Position::line);
        wrong(line, "1", &format!("the row cannot be read ({error})."))
    };
    let head: Vec<String> = reader.headers().map_err(unread)?.iter().map(str::to_owned).collect();
    let known: Vec<&str> = COLUMNS.iter().chain(LabelTyped::FIELDS).copied().collect();
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

/// Brings panels in from a table with the columns that `panels.csv` writes; `tag` and `kind` are needed, and `rated_w` of a kind that
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
            new_kinds.push((kind.to_lowercase(), kind_of(&of, true, false).map_err(|error| at_line(line, error))?));
            unknown.insert(0);
        }
        for draft in panel_drafts(map, false).map_err(|error| at_line(line, error))? {
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

/// The same of a file.
pub async fn of_file(state: &AppState, bytes: Vec<u8>) -> Result<usize, AppError> {
    let text = String::from_utf8(bytes).map_err(|_| wrong(1, "1", "the file is not text in UTF-8."))?;
    bring_in(state, &text).await
}
