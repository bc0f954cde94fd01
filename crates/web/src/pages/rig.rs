//! One rig: its wiring drawn as it is typed, and the preflight beside it.

use super::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::draw;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::DEFER;
use crate::words::preflight::{self as words, ItemWords};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::gear::{Gear, GearKind};
use flindo_core::preflight::item::Level;
use flindo_core::preflight::{gravest, preflight};
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_store::{GearRow, Panel, RigDraft, StoreError, rig_of};

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

/// The drawing and the findings of a rig as it stands, or why there are none.
pub struct PreflightView {
    pub svg: Option<String>,
    pub why_not: Option<String>,
    pub items: Vec<ItemWords>,
    pub mark: &'static str,
    pub word: String,
}

impl PreflightView {
    pub fn at(draft: &RigDraft, panels: &[Panel], gear: &[GearRow], frame: &Frame) -> Self {
        match rig_of(draft, panels, gear, frame.place.as_ref()) {
            Ok(rig) => {
                let items = preflight(&rig);
                let count = |level| items.iter().filter(|item| item.level == level).count();
                let word = match (count(Level::Stop), count(Level::Caution)) {
                    (0, 0) => "No stop, no caution".to_owned(),
                    (0, cautions) => format!("{cautions} cautions"),
                    (stops, 0) => format!("Stop: {stops}"),
                    (stops, cautions) => format!("Stop: {stops}; cautions: {cautions}"),
                };
                PreflightView {
                    svg: Some(draw::rig::draw(&rig)),
                    why_not: None,
                    mark: words::mark(gravest(&items)),
                    word,
                    items: items.iter().map(words::item).collect(),
                }
            }
            Err(sentence) => PreflightView {
                svg: None,
                why_not: Some(sentence),
                items: Vec::new(),
                mark: "cant-tell",
                word: "Incomplete".to_owned(),
            },
        }
    }
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

fn draft_of(typed: &Pairs, gear: &[GearRow]) -> RigDraft {
    let id = |field: &str| value(typed, field).parse::<i64>().ok();
    let meter = |spot: &MeterPosition| {
        let id = id(&format!("meter_{}", spot.name()))?;
        gear.iter().any(|row| row.id == id && matches!(row.gear, Gear::Meter(_))).then_some((*spot, id))
    };
    RigDraft {
        name: value(typed, "name").trim().to_owned(),
        wiring: value(typed, "wiring").trim().to_owned(),
        string_fuse_id: id("string_fuse_id"),
        joint_id: id("joint_id"),
        lead_id: id("lead_id"),
        sink_id: id("sink_id"),
        battery_id: id("battery_id"),
        ends_in: RigLoad::from_name(value(typed, "ends_in")),
        meters: MeterPosition::ALL.iter().filter_map(meter).collect(),
    }
}

fn typed_of(draft: &RigDraft) -> Pairs {
    let id = |id: Option<i64>| id.map(|id| id.to_string()).unwrap_or_default();
    let mut typed: Pairs = [
        ("name", draft.name.clone()),
        ("wiring", draft.wiring.clone()),
        ("string_fuse_id", id(draft.string_fuse_id)),
        ("joint_id", id(draft.joint_id)),
        ("lead_id", id(draft.lead_id)),
        ("sink_id", id(draft.sink_id)),
        ("battery_id", id(draft.battery_id)),
        ("ends_in", draft.ends_in.map(RigLoad::name).unwrap_or_default().to_owned()),
    ]
    .map(|(name, text)| (name.to_owned(), text))
    .into();
    typed.extend(draft.meters.iter().map(|(spot, id)| (format!("meter_{}", spot.name()), id.to_string())));
    typed
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
