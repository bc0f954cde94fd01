//! A place: where the bench stands, what stands around it, what lies before it. Several places, one of them in use.

use crate::door::changed::{Edit, note_changed_answers};
use crate::door::place::draft_of;
use crate::door::place::typed_of;
use crate::door::place::zones;
use crate::door::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::Ground;
use flindo_store::StoreError;

#[derive(Template, WebTemplate)]
#[template(path = "place_form.html")]
pub struct PlaceForm {
    frame: Frame,
    /// The place being changed; `None` for a new one.
    id: Option<i64>,
    typed: Pairs,
    notes: Notes,
    zones: Vec<String>,
}

impl PlaceForm {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn grounds(&self) -> &'static [Ground] {
        Ground::ALL
    }

    fn clarities(&self) -> &'static [Clarity] {
        Clarity::ALL
    }
}

fn form(frame: Frame, id: Option<i64>, typed: Pairs, notes: Notes) -> PlaceForm {
    PlaceForm { frame, id, typed, notes, zones: zones() }
}

pub async fn new(frame: Frame) -> PlaceForm {
    let typed = [
        ("time_zone", frame.time_zone_name.as_str()),
        ("coldest_c", "-5"),
        ("hottest_c", "40"),
        ("ground", "grass"),
        ("clarity", "clear"),
    ];
    let typed = typed.map(|(name, text)| (name.to_owned(), text.to_owned())).to_vec();
    form(frame, None, typed, Notes::default())
}

pub async fn edit(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<PlaceForm, AppError> {
    let typed = versioned(typed_of(state.store.place(id).await?.draft));
    Ok(form(frame, Some(id), typed, Notes::default()))
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

/// Uses a place from now on.
pub async fn choose(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Redirect, AppError> {
    state.store.use_place(id).await?;
    Ok(Redirect::to("/bench"))
}

async fn save(state: AppState, frame: Frame, id: Option<i64>, mut typed: Pairs) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut notes = Notes::default();
    if let Some(id) = id {
        note_changes(&typed_of(state.store.place(id).await?.draft), &mut typed, &mut notes);
    }
    let draft = draft_of(&typed, &mut notes);
    if let (Some(id), Some(draft), false) = (id, &draft, notes.has("refused")) {
        note_changed_answers(&state, Edit::Place(id, draft.clone()), &mut typed, &mut notes).await?;
    }
    if let Some(draft) = draft.filter(|_| !notes.has("refused")) {
        let saved = match id {
            Some(id) => state.store.change_place(id, &draft).await,
            None => state.store.add_place(&draft).await.map(|_| ()),
        };
        match saved {
            Ok(()) => return Ok(Redirect::to(if id.is_some() { "/bench" } else { "/today" }).into_response()),
            Err(StoreError::Conflict(sentence)) => notes.add("name", "refused", sentence),
            Err(error) => return Err(error.into()),
        }
    }
    Ok((StatusCode::UNPROCESSABLE_ENTITY, form(frame, id, typed, notes)).into_response())
}
