//! Kinds of panel and panels out of named fields, by the checks of their form.

use crate::door::json::{field, only, pairs, refuse, refused_of};
use crate::door::panel as panel_form;
use crate::door::typed::{Notes, Pairs};
use crate::error::AppError;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_store::{KindDraft, PanelDraft};
use serde_json::{Map, Value};

const KIND_OWN: [&str; 3] = ["uid", "name", "price"];

/// A kind from its JSON: the label by the core's names. `may_be_unread`: nobody has read it so far.
pub fn kind_of(map: &Map<String, Value>, keeps: bool, may_be_unread: bool) -> Result<KindDraft, AppError> {
    let known: Vec<&str> = KIND_OWN.iter().chain(LabelTyped::FIELDS).copied().collect();
    only(map, &known)?;
    let mut typed = LabelTyped::default();
    for name in LabelTyped::FIELDS {
        typed.set(name, field(map, name)?);
    }
    let name = field(map, "name")?.trim().to_owned();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(refuse("name", map.get("name").unwrap_or(&Value::Null), "A kind needs a name.", Some("1 to 80 characters")));
    }
    let checked = label::checked(&typed, may_be_unread);
    let least = if keeps { label::Severity::Error } else { label::Severity::Warning };
    if let Some(note) = checked.notes.iter().find(|note| note.severity >= least) {
        let hint = (note.severity == label::Severity::Warning).then_some("correct it, or send keep_contradictions: true");
        return Err(refuse(note.field, map.get(note.field).unwrap_or(&Value::Null), note.text.clone(), hint));
    }
    let price = number(map, "price", (0.0, 1e7))?;
    let has_doubts = checked.has_doubts();
    let nameplate =
        checked.nameplate.ok_or_else(|| refuse("rated_w", &Value::Null, "The rated watts are needed.", Some("0.1 to 2000 W")))?;
    Ok(KindDraft { name, nameplate, doubts_kept: has_doubts, price })
}

fn number(map: &Map<String, Value>, name: &'static str, range: (f64, f64)) -> Result<Option<f64>, AppError> {
    let mut notes = Notes::default();
    let found = crate::door::typed::number(&pairs(map, &[name])?, name, range, &mut notes);
    match refused_of(map, &notes) {
        Some(error) => Err(error),
        None => Ok(found),
    }
}

/// The pieces of a body, by the checks of the form; one where it is a change.
pub fn panel_drafts(map: &Map<String, Value>, is_change: bool) -> Result<Vec<PanelDraft>, AppError> {
    let mut typed: Pairs = pairs(map, &["tag", "age_years", "price", "provenance", "notes"])?;
    let is_used = match map.get("is_used") {
        None => false,
        Some(Value::Bool(is_used)) => *is_used,
        Some(other) => return Err(refuse("is_used", other, "This is true or false.", Some("true, false"))),
    };
    typed.push(("state".to_owned(), if is_used { "used" } else { "new" }.to_owned()));
    let defects = match map.get("defects") {
        None | Some(Value::Null) => Vec::new(),
        Some(Value::Array(list)) => list.clone(),
        Some(Value::String(list)) => list.split(',').map(|name| Value::from(name.trim())).filter(|name| name != "").collect(),
        Some(other) => return Err(refuse("defects", other, "This is a list of names.", None)),
    };
    for defect in &defects {
        let known: Vec<&str> = flindo_core::panel::inspection::Defect::ALL.iter().map(|wear| wear.name()).collect();
        match defect.as_str().filter(|name| known.contains(name)) {
            Some(name) => typed.push(("wear".to_owned(), name.to_owned())),
            None => {
                return Err(refuse("defects", defect, format!("{defect} is not one of the choices."), Some(&known.join(", "))));
            }
        }
    }
    let mut notes = Notes::default();
    let drafts = panel_form::drafts_of(&typed, is_change, &mut notes);
    match refused_of(map, &notes) {
        Some(error) => Err(error),
        None => Ok(drafts),
    }
}
