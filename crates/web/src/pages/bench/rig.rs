//! One rig: its wiring drawn as it is typed, and the preflight beside it.

use crate::door::rig::draft_of;
use crate::door::rig::typed_of;
use crate::door::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::preflight::PreflightView;
use crate::words::DEFER;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::gear::GearKind;
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_store::{GearRow, StoreError, rig_of};

#[derive(Template, WebTemplate)]
#[template(path = "rig.html")]
pub struct RigPage {
    frame: Frame,
    id: Option<i64>,
    typed: Pairs,
    notes: Notes,
    tags: Vec<String>,
    gear: Vec<GearRow>,
    looked: PreflightView,
    defer: &'static str,
}

/// Selects of the form: (field, label, kinds).
const PARTS: [(&str, &str, &[GearKind]); 5] = [
    ("sink_id", "Controller or station", &[GearKind::Controller, GearKind::Station]),
    ("battery_id", "Battery", &[GearKind::Battery]),
    ("lead_id", "Lead", &[GearKind::Lead]),
    ("joint_id", "Combiner", &[GearKind::Combiner]),
    ("string_fuse_id", "Fuse in every string", &[GearKind::Fuse]),
];

/// A select of the form: (field, label, pieces to choose from).
type Select<'a> = (String, &'static str, Vec<(i64, &'a str)>);

impl RigPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn parts(&self) -> Vec<Select<'_>> {
        PARTS.iter().map(|(field, label, kinds)| ((*field).to_owned(), *label, self.pieces(kinds))).collect()
    }

    fn spots(&self) -> Vec<Select<'_>> {
        MeterPosition::ALL
            .iter()
            .map(|spot| (format!("meter_{}", spot.name()), spot.label(), self.pieces(&[GearKind::Meter])))
            .collect()
    }

    fn pieces(&self, kinds: &[GearKind]) -> Vec<(i64, &str)> {
        self.gear.iter().filter(|row| kinds.contains(&row.draft.kind)).map(|row| (row.id, row.draft.name.as_str())).collect()
    }

    fn loads(&self) -> &'static [RigLoad] {
        RigLoad::ALL
    }

    fn is_chosen(&self, field: &str, id: &i64) -> bool {
        self.value(field) == id.to_string()
    }
}

async fn view(state: &AppState, frame: Frame, id: Option<i64>, typed: Pairs, notes: Notes) -> Result<RigPage, AppError> {
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let looked = PreflightView::at(&draft_of(&typed, &gear), &panels, &gear, &frame);
    let tags = panels.into_iter().map(|panel| panel.draft.tag).collect();
    Ok(RigPage { frame, id, typed, notes, tags, gear, looked, defer: DEFER })
}

/// A new rig; with a query, as it is being typed.
pub async fn new(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<RigPage, AppError> {
    view(&state, frame, None, typed, Notes::default()).await
}

/// A rig as it is kept; with a query, as it is being changed.
pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<RigPage, AppError> {
    let row = state.store.rig(id).await?;
    let typed = if query.is_empty() { versioned(typed_of(&row.draft)) } else { query };
    view(&state, frame, Some(id), typed, Notes::default()).await
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
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let draft = draft_of(&typed, &gear);
    let mut notes = Notes::default();
    if let Some(id) = id {
        note_changes(&typed_of(&state.store.rig(id).await?.draft), &mut typed, &mut notes);
    }
    if draft.name.is_empty() || draft.name.chars().count() > 60 {
        notes.add("name", "refused", "A name of 1 to 60 characters is needed.".to_owned());
    }
    if let Err(sentence) = rig_of(&draft, &panels, &gear, frame.place.as_ref()) {
        notes.add("wiring", "refused", sentence);
    }
    if !notes.has("refused") {
        let saved = match id {
            Some(id) => state.store.change_rig(id, &draft).await.map(|()| id),
            None => state.store.add_rig(&draft).await,
        };
        match saved {
            Ok(id) => return Ok(Redirect::to(&format!("/rigs/{id}")).into_response()),
            Err(StoreError::Conflict(sentence)) => notes.add("name", "refused", sentence),
            Err(error) => return Err(error.into()),
        }
    }
    let page = view(&state, frame, id, typed, notes).await?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}
