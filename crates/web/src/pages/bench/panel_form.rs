//! A new panel, or a changed label. While it is typed, the core answers beside each field.

use crate::door::changed::{Edit, note_changed_answers};
use crate::door::panel::{change as change_panel, drafts_of, label_of, notes_of, severity_class, typed_of};
use crate::door::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::error::AppError;
use crate::figures::{self, computed};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{self, LabelCheck, LabelTyped};
use flindo_core::panel::nameplate::Technology;
use flindo_store::{KindDraft, Panel, PanelDraft, StoreError};

#[derive(Template, WebTemplate)]
#[template(path = "panel_form.html")]
pub struct PanelForm {
    frame: Frame,
    /// The panel being changed; `None` for a new one.
    id: Option<i64>,
    typed: Pairs,
    notes: Notes,
    told: Vec<(&'static str, String)>,
    /// Kinds whose label is known: (id, name).
    kinds: Vec<(i64, String)>,
    /// Pieces that share the label being changed.
    pieces: usize,
    /// It takes the label of a kind: a new panel, or one whose label nobody has read.
    takes_kind: bool,
}

/// The answer to a label while it is typed; `parts/label_answer.html` alone.
#[derive(Template, WebTemplate)]
#[template(path = "parts/label_answer.html")]
pub struct LabelAnswer {
    told: Vec<(&'static str, String)>,
    notes: Vec<(&'static str, &'static str, String)>,
}

impl PanelForm {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is_kind(&self, id: &i64) -> bool {
        self.value("kind_id") == id.to_string()
    }

    fn wears(&self) -> &'static [Defect] {
        Defect::ALL
    }

    fn is_worn(&self, wear: &Defect) -> bool {
        self.typed.iter().any(|(name, value)| name == "wear" && value == wear.name())
    }

    fn technologies(&self) -> &'static [Technology] {
        Technology::ALL
    }

    fn constructions(&self) -> &'static [Construction] {
        Construction::ALL
    }
}

async fn kinds_of(state: &AppState) -> Result<Vec<(i64, String)>, AppError> {
    let has_label = |kind: &flindo_store::Kind| kind.draft.nameplate.rated_w.is_some();
    Ok(state.store.kinds().await?.into_iter().filter(has_label).map(|kind| (kind.id, kind.draft.name)).collect())
}

/// A new panel; `?kind=3` takes the label of a kind that is there.
pub async fn new(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<PanelForm, AppError> {
    let mut typed = vec![("state".to_owned(), "used".to_owned()), ("kind_id".to_owned(), value(&query, "kind").to_owned())];
    typed.extend(query.into_iter().filter(|(name, _)| name != "kind"));
    Ok(PanelForm {
        frame,
        id: None,
        typed,
        notes: Notes::default(),
        told: Vec::new(),
        kinds: kinds_of(&state).await?,
        pieces: 0,
        takes_kind: true,
    })
}

pub async fn edit(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<PanelForm, AppError> {
    let panels = state.store.panels().await?;
    let panel = panels.iter().find(|panel| panel.id == id).ok_or(StoreError::NotFound("panel"))?;
    let typed = versioned(typed_of(panel));
    let checked = label::checked(&label_of(&typed), panel.is_unlabelled());
    let told = told(&checked);
    let pieces = panels.iter().filter(|other| other.kind.id == panel.kind.id).count();
    Ok(PanelForm {
        frame,
        id: Some(id),
        typed,
        notes: notes_of(&checked),
        told,
        kinds: kinds_of(&state).await?,
        pieces,
        takes_kind: panel.is_unlabelled(),
    })
}

/// What the core says of a label as it stands.
pub async fn answer(Form(typed): Form<Pairs>) -> LabelAnswer {
    let checked = label::check(&label_of(&typed));
    let told = told(&checked);
    let notes = checked.notes.into_iter().map(|note| (note.field, severity_class(note.severity), note.text)).collect();
    LabelAnswer { told, notes }
}

pub async fn add(State(state): State<AppState>, frame: Frame, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    save(state, frame, None, typed).await
}

pub async fn change(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    save(state, frame, Some(id), typed).await
}

async fn save(state: AppState, frame: Frame, id: Option<i64>, mut typed: Pairs) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let there = match id {
        Some(id) => Some(state.store.panel(id).await?),
        None => None,
    };
    let is_unlabelled = there.as_ref().is_some_and(Panel::is_unlabelled);
    let chosen = match value(&typed, "kind_id").parse() {
        Ok(kind_id) if id.is_none() || is_unlabelled => Some(state.store.kind(kind_id).await?),
        Ok(_) | Err(_) => None,
    };
    let checked = match &chosen {
        Some(kind) => label::checked(&LabelTyped::of(&kind.draft.nameplate), true),
        None => label::checked(&label_of(&typed), is_unlabelled),
    };
    let mut notes = if chosen.is_some() { Notes::default() } else { notes_of(&checked) };
    if let Some(there) = &there {
        note_changes(&typed_of(there), &mut typed, &mut notes);
    }
    let drafts = drafts_of(&typed, id.is_some(), &mut notes);
    let kept = value(&typed, "keep_doubts") == "yes" || chosen.is_some();
    if let (Some(id), Some(nameplate), false) = (id, &checked.nameplate, notes.has("refused")) {
        let edit = Edit::Panel(id, Box::new((drafts[0].clone(), nameplate.clone())));
        note_changed_answers(&state, edit, &mut typed, &mut notes).await?;
    }
    if let Some(nameplate) = checked.nameplate.clone().filter(|_| !notes.has("refused") && (kept || !checked.has_doubts())) {
        let name = value(&typed, "name").trim();
        let kind = KindDraft {
            name: if name.is_empty() { drafts[0].tag.clone() } else { name.to_owned() },
            nameplate,
            doubts_kept: checked.has_doubts(),
            price: None,
        };
        match keep(&state, there.as_ref(), chosen.map(|kind| kind.id), &kind, drafts).await {
            Ok(added) => {
                // Back to the work that it was added for.
                let test = value(&typed, "test").parse::<i64>().ok().filter(|_| id.is_none());
                let to = test.map_or_else(|| format!("/panels/{added}"), |test| format!("/tests/{test}"));
                return Ok(Redirect::to(&to).into_response());
            }
            Err(StoreError::Conflict(sentence)) => {
                let field = if sentence.contains("kind of panel") { "name" } else { "tag" };
                notes.add(field, "refused", sentence);
            }
            Err(error) => return Err(error.into()),
        }
    }
    let told = told(&checked);
    let page = PanelForm {
        frame,
        id,
        typed,
        notes,
        told,
        kinds: kinds_of(&state).await?,
        pieces: 0,
        takes_kind: id.is_none() || is_unlabelled,
    };
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

/// Writes the kind and its pieces; answers the id of the first.
async fn keep(
    state: &AppState,
    there: Option<&Panel>,
    kind_id: Option<i64>,
    kind: &KindDraft,
    mut drafts: Vec<PanelDraft>,
) -> Result<i64, StoreError> {
    if let Some(there) = there {
        let known = kind_id.filter(|kind_id| *kind_id != there.kind.id);
        let draft = PanelDraft { kind_id: known.unwrap_or(there.kind.id), ..drafts.remove(0) };
        if known.is_none() {
            let is_unread = kind.nameplate.rated_w.is_none();
            let name = if is_unread { there.name() } else { kind.name.as_str() }.to_owned();
            let kind = KindDraft { name, price: there.kind.draft.price, ..kind.clone() };
            state.store.change_kind(there.kind.id, &kind).await?;
        }
        return change_panel(&state.store, there, &draft).await.map(|()| there.id);
    }
    let kind_id = match kind_id {
        Some(kind_id) => kind_id,
        None => state.store.add_kind(kind).await?,
    };
    drafts.iter_mut().for_each(|draft| draft.kind_id = kind_id);
    Ok(state.store.add_panels(&drafts).await?[0])
}

/// What follows from the label.
fn told(checked: &LabelCheck) -> Vec<(&'static str, String)> {
    let rows = [
        ("Vmp x Imp", checked.vmp_times_imp_w.map(|watts_w| computed(watts_w, "W").to_string())),
        ("fill factor", checked.fill_factor.map(|factor| figures::number(factor, 3))),
        ("voltage per cell", checked.voc_per_cell_v.map(|volts_v| format!("{}\u{a0}V", figures::number(volts_v, 3)))),
    ];
    rows.into_iter().filter_map(|(what, figure)| Some((what, figure?))).collect()
}
