//! All gear of the bench, and one piece of it as a form made from the core's table of its kind.

use crate::door::changed::{Edit, note_changed_answers};
use crate::door::gear::draft_of;
use crate::door::gear::typed_of;
use crate::door::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::preflight as words;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::gear::{Field, GearKind, Input};
use flindo_core::preflight::{gravest, preflight};
use flindo_core::rig::wiring;
use flindo_store::{GearRow, StoreError, rig_of};

#[derive(Template, WebTemplate)]
#[template(path = "gear.html")]
pub struct GearPage {
    frame: Frame,
    rigs: Vec<RigLine>,
    kinds: Vec<(GearKind, Vec<PieceLine>)>,
}

struct RigLine {
    id: i64,
    name: String,
    wiring: String,
    mark: &'static str,
    word: &'static str,
}

struct PieceLine {
    id: i64,
    name: String,
    /// Its filled fields, in short.
    figures: Vec<String>,
    notes: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "gear_form.html")]
pub struct GearForm {
    frame: Frame,
    id: Option<i64>,
    kind: GearKind,
    typed: Pairs,
    notes: Notes,
}

impl GearForm {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn choices(&self, field: &Field) -> &'static [(&'static str, &'static str)] {
        if let Input::Choice(choices) = field.input { choices } else { &[] }
    }

    /// What stands in an empty field, to show that it may stay empty.
    fn hint(&self, field: &Field) -> String {
        match field.input {
            Input::Usual { usual, .. } => usual.to_string(),
            Input::Text { hint } => hint.to_owned(),
            Input::Needed { .. } | Input::Optional { .. } | Input::Choice(_) => String::new(),
        }
    }

    fn is_wide(&self, field: &Field) -> bool {
        matches!(field.input, Input::Text { .. }) && field.name == "map"
    }
}

fn line(row: &GearRow) -> PieceLine {
    let figures = row.draft.kind.fields().iter().filter_map(|field| {
        let text = row.draft.typed.get(field.name)?;
        if let Input::Choice(choices) = field.input {
            return choices.iter().find(|(name, _)| name == text).map(|(_, label)| (*label).to_owned());
        }
        if field.unit.is_empty() {
            return Some(text.clone());
        }
        Some(format!("{} {text}\u{a0}{}", field.label.to_lowercase(), field.unit))
    });
    PieceLine { id: row.id, name: row.draft.name.clone(), figures: figures.take(3).collect(), notes: row.draft.notes.clone() }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<GearPage, AppError> {
    let (gear, panels) = (state.store.gear().await?, state.store.panels().await?);
    let rigs = state.store.rigs().await?;
    let rigs = rigs
        .iter()
        .map(|row| {
            let (mark, word) = match rig_of(&row.draft, &panels, &gear, frame.place.as_ref()) {
                Ok(rig) => {
                    let level = gravest(&preflight(&rig));
                    (words::mark(level), level.label())
                }
                Err(_) => ("cant-tell", "cannot be read"),
            };
            let wired =
                wiring::parse(&row.draft.wiring).map(|strings| wiring::words(&strings.iter().map(Vec::len).collect::<Vec<_>>()));
            RigLine {
                id: row.id,
                name: row.draft.name.clone(),
                wiring: format!("{} ({})", row.draft.wiring, wired.unwrap_or_default()),
                mark,
                word,
            }
        })
        .collect();
    let of_kind = |kind: GearKind| gear.iter().filter(|row| row.draft.kind == kind).map(line).collect();
    let kinds = GearKind::ALL.iter().map(|kind| (*kind, of_kind(*kind))).collect();
    Ok(GearPage { frame, rigs, kinds })
}

pub async fn new(frame: Frame, Query(query): Query<Pairs>) -> Result<GearForm, AppError> {
    let kind = GearKind::from_name(value(&query, "kind")).ok_or(AppError::NoSuchPage)?;
    Ok(GearForm { frame, id: None, kind, typed: Pairs::new(), notes: Notes::default() })
}

pub async fn edit(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<GearForm, AppError> {
    let draft = state.store.gear_piece(id).await?.draft;
    let typed = versioned(typed_of(&draft));
    Ok(GearForm { frame, id: Some(id), kind: draft.kind, typed, notes: Notes::default() })
}

pub async fn add(State(state): State<AppState>, frame: Frame, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let kind = GearKind::from_name(value(&typed, "gear_kind")).ok_or(AppError::NoSuchPage)?;
    save(state, frame, None, kind, typed).await
}

pub async fn change(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let draft = state.store.gear_piece(id).await?.draft;
    save(state, frame, Some((id, typed_of(&draft))), draft.kind, typed).await
}

/// `there`: the piece that is changed, with its fields as they are now.
async fn save(
    state: AppState,
    frame: Frame,
    there: Option<(i64, Pairs)>,
    kind: GearKind,
    mut typed: Pairs,
) -> Result<Response, AppError> {
    let mut notes = Notes::default();
    if let Some((_, current)) = &there {
        note_changes(current, &mut typed, &mut notes);
    }
    let id = there.map(|(id, _)| id);
    let draft = draft_of(kind, &typed, &mut notes);
    if let (Some(id), false) = (id, notes.has("refused")) {
        note_changed_answers(&state, Edit::Gear(id, draft.clone()), &mut typed, &mut notes).await?;
    }
    if !notes.has("refused") {
        let saved = match id {
            Some(id) => state.store.change_gear(id, &draft).await.map(|()| id),
            None => state.store.add_gear(&draft).await,
        };
        match saved {
            Ok(_) => {
                state.hub.refresh().await?;
                return Ok(Redirect::to("/gear").into_response());
            }
            Err(StoreError::Conflict(sentence)) => notes.add("name", "refused", sentence),
            Err(error) => return Err(error.into()),
        }
    }
    Ok((StatusCode::UNPROCESSABLE_ENTITY, GearForm { frame, id, kind, typed, notes }).into_response())
}
