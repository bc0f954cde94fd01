//! A new panel, or a changed label. While it is typed, the core answers beside each field.

use super::typed::{Notes, Pairs, number, value};
use crate::error::AppError;
use crate::figures::{self, computed};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::label::{self, LabelCheck, LabelTyped, Weight};
use flindo_core::panel::nameplate::Technology;
use flindo_core::panel::wear::Wear;
use flindo_store::{Panel, PanelDraft, StoreError};

/// The fields of a panel that are not on its label.
const OWN_FIELDS: [&str; 9] = ["tag", "name", "state", "age_years", "price", "notes", "keep_doubts", "units", "provenance"];

#[derive(Template, WebTemplate)]
#[template(path = "panel_form.html")]
pub struct PanelForm {
    frame: Frame,
    /// The panel being changed; `None` for a new one.
    id: Option<i64>,
    typed: Pairs,
    notes: Notes,
    told: Vec<(&'static str, String)>,
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

    fn wears(&self) -> &'static [Wear] {
        Wear::ALL
    }

    fn is_worn(&self, wear: &Wear) -> bool {
        self.typed.iter().any(|(name, value)| name == "wear" && value == wear.name())
    }

    fn technologies(&self) -> &'static [Technology] {
        Technology::ALL
    }

    fn constructions(&self) -> &'static [Construction] {
        Construction::ALL
    }
}

pub async fn new(frame: Frame) -> PanelForm {
    let typed = vec![("state".to_owned(), "used".to_owned())];
    PanelForm { frame, id: None, typed, notes: Notes::default(), told: Vec::new() }
}

pub async fn edit(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<PanelForm, AppError> {
    let panel = state.store.panel(id).await?;
    let typed = typed_of(&panel);
    let checked = label::check(&label_of(&typed));
    let told = told(&checked);
    Ok(PanelForm { frame, id: Some(id), typed, notes: notes_of(&checked), told })
}

/// What the core says of a label as it stands.
pub async fn answer(Form(typed): Form<Pairs>) -> LabelAnswer {
    let checked = label::check(&label_of(&typed));
    let told = told(&checked);
    let notes = checked.notes.into_iter().map(|note| (note.field, weight_class(note.weight), note.text)).collect();
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

async fn save(state: AppState, frame: Frame, id: Option<i64>, typed: Pairs) -> Result<Response, AppError> {
    let checked = label::check(&label_of(&typed));
    let mut notes = notes_of(&checked);
    let draft = draft_of(&typed, &checked, &mut notes);
    let told = told(&checked);
    let kept = value(&typed, "keep_doubts") == "yes";
    if let Some(draft) = draft.filter(|_| !notes.has("refused") && (kept || !checked.has_doubts())) {
        let saved = match id {
            Some(id) => state.store.change_panel(id, &draft).await.map(|()| id),
            None => state.store.add_panel(&draft).await,
        };
        match saved {
            Ok(id) => return Ok(Redirect::to(&format!("/panels/{id}")).into_response()),
            Err(StoreError::Conflict(sentence)) => notes.add("tag", "refused", sentence),
            Err(error) => return Err(error.into()),
        }
    }
    let page = PanelForm { frame, id, typed, notes, told };
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

fn label_of(typed: &Pairs) -> LabelTyped {
    let mut label = LabelTyped::default();
    for (name, text) in typed {
        label.set(name, text.as_str());
    }
    label
}

fn typed_of(panel: &Panel) -> Pairs {
    let draft = &panel.draft;
    let label = LabelTyped::of(&draft.nameplate);
    let text = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let own = [
        draft.tag.clone(),
        draft.name.clone(),
        if draft.is_used { "used" } else { "new" }.to_owned(),
        text(draft.age_years),
        text(draft.price),
        draft.notes.clone(),
        if draft.doubts_kept { "yes" } else { "" }.to_owned(),
        draft.units.max(1).to_string(),
        draft.provenance.clone(),
    ];
    let wear = draft.wear.iter().map(|wear| ("wear".to_owned(), wear.name().to_owned()));
    let label = LabelTyped::FIELDS.iter().map(|field| ((*field).to_owned(), label.get(field).unwrap_or_default().to_owned()));
    OWN_FIELDS.iter().map(|field| (*field).to_owned()).zip(own).chain(label).chain(wear).collect()
}

fn draft_of(typed: &Pairs, checked: &LabelCheck, notes: &mut Notes) -> Option<PanelDraft> {
    let text = |name: &str| value(typed, name).trim().to_owned();
    let tag = text("tag");
    if tag.is_empty() {
        notes.add("tag", "refused", "A tag is needed: what is written on the tape on its back.".to_owned());
    }
    for (field, most) in [("tag", 40), ("name", 80), ("notes", 2000), ("provenance", 200)] {
        if text(field).chars().count() > most {
            notes.add(field, "refused", format!("This is longer than {most} characters."));
        }
    }
    let age_years = number(typed, "age_years", (0.0, 100.0), notes);
    let price = number(typed, "price", (0.0, 1e7), notes);
    let units = number(typed, "units", (1.0, 1000.0), notes).unwrap_or(1.0);
    if units.fract() != 0.0 {
        notes.add("units", "refused", format!("{units} is not a whole number of panels."));
    }
    Some(PanelDraft {
        tag,
        name: text("name"),
        is_used: text("state") == "used",
        age_years,
        price,
        notes: text("notes"),
        nameplate: checked.nameplate.clone()?,
        doubts_kept: checked.has_doubts(),
        units: units as u32,
        provenance: text("provenance"),
        wear: typed.iter().filter(|(name, _)| name == "wear").filter_map(|(_, wear)| Wear::from_name(wear)).collect(),
    })
}

fn weight_class(weight: Weight) -> &'static str {
    match weight {
        Weight::Told => "told",
        Weight::Doubt => "doubt",
        Weight::Refused => "refused",
    }
}

fn notes_of(checked: &LabelCheck) -> Notes {
    let mut notes = Notes::default();
    for note in &checked.notes {
        notes.add(note.field, weight_class(note.weight), note.text.clone());
    }
    notes
}

/// What follows from the label.
fn told(checked: &LabelCheck) -> Vec<(&'static str, String)> {
    let rows = [
        ("Vmp x Imp", checked.vmp_times_imp_w.map(|watts_w| computed(watts_w, "W").to_string())),
        ("fill factor", checked.fill_factor.map(|factor| figures::number(factor, 3))),
        ("volts for each cell", checked.voc_per_cell_v.map(|volts_v| format!("{}\u{a0}V", figures::number(volts_v, 3)))),
    ];
    rows.into_iter().filter_map(|(what, figure)| Some((what, figure?))).collect()
}
