//! The bench itself: its name, its clock, its currency.

use crate::door::bench as bench_form;
use crate::door::place::zones;
use crate::door::typed::{Notes, Pairs, note_changes, value, versioned};
use crate::error::AppError;
use crate::figures::{clock, day};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::{Bench, PlaceRow};
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "places.html")]
pub struct BenchPage {
    frame: Frame,
    typed: Pairs,
    notes: Notes,
    zones: Vec<String>,
    places: Vec<PlaceRow>,
    copies: Option<CopiesView>,
    is_shared: bool,
    sessions: Vec<SessionView>,
}

/// A browser that was let in from elsewhere.
struct SessionView {
    id: i64,
    opened: String,
    from: String,
    program: String,
    name: String,
    stays: bool,
}

/// The daily copies, as they are shown.
struct CopiesView {
    folder: String,
    kept: usize,
    /// When the last one was made.
    newest: Option<String>,
}

impl CopiesView {
    fn of(state: &AppState, frame: &Frame) -> Option<Self> {
        let copies = state.copies.as_ref()?;
        let newest = copies.newest().map(|at| {
            let hours = (Timestamp::now().as_second() - at.as_second()).max(0) / 3600;
            format!("{} {}, {hours} h ago", day(at, &frame.time_zone), clock(at, &frame.time_zone))
        });
        Some(CopiesView { folder: copies.folder().display().to_string(), kept: copies.kept(), newest })
    }
}

impl BenchPage {
    async fn of(state: &AppState, frame: Frame, typed: Pairs, notes: Notes) -> Result<Self, AppError> {
        let sessions = state.store.sessions().await?.into_iter().map(|row| {
            let opened = Timestamp::from_millisecond(row.opened_ms).unwrap_or(Timestamp::UNIX_EPOCH);
            let opened = format!("{} {}", day(opened, &frame.time_zone), clock(opened, &frame.time_zone));
            SessionView { id: row.id, opened, from: row.from_address, program: row.program, name: row.name, stays: row.stays }
        });
        let sessions = sessions.collect();
        let places = state.store.places().await?;
        let copies = CopiesView::of(state, &frame);
        Ok(BenchPage { frame, typed, notes, zones: zones(), places, copies, is_shared: state.sharing.is_some(), sessions })
    }

    fn is_current(&self, id: &i64) -> bool {
        self.frame.place.as_ref().is_some_and(|place| place.id == *id)
    }

    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<BenchPage, AppError> {
    let typed = versioned(typed_of(&frame.bench));
    BenchPage::of(&state, frame, typed, Notes::default()).await
}

fn typed_of(bench: &Bench) -> Pairs {
    let typed = [("name", &bench.name), ("time_zone", &bench.time_zone), ("currency", &bench.currency)];
    typed.map(|(name, text)| (name.to_owned(), text.clone())).to_vec()
}

pub async fn change(State(state): State<AppState>, frame: Frame, Form(mut typed): Form<Pairs>) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut notes = Notes::default();
    note_changes(&typed_of(&state.store.bench().await?), &mut typed, &mut notes);
    bench_form::check(&typed, &mut notes);
    if notes.has("refused") {
        let page = BenchPage::of(&state, frame, typed, notes).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let text = |name| value(&typed, name).trim();
    state.store.change_bench(text("name"), text("time_zone"), text("currency")).await?;
    Ok(Redirect::to("/bench").into_response())
}

/// Makes a copy now.
pub async fn copy(State(state): State<AppState>) -> Result<Response, AppError> {
    let copies = state.copies.as_ref().ok_or_else(|| {
        AppError::input(
            "copies",
            "",
            "Daily copies are off here. Copy with `flindo backup FILE`, or start without --daily-copies 0.",
        )
    })?;
    copies.make(&state.store, Timestamp::now()).await.map_err(|error| AppError::input("copies", "", error.to_string()))?;
    Ok(Redirect::to("/bench").into_response())
}

/// Names a device that was let in, and says whether it stays signed in when the bench is started again.
pub async fn name_session(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let name = value(&pairs, "name").trim();
    if name.chars().count() > LONGEST_NAME {
        let message = format!("The name of a device has up to {LONGEST_NAME} characters.");
        return Err(AppError::input("name", name, message));
    }
    state.store.name_session(id, name, value(&pairs, "stays") == "yes").await?;
    Ok(Redirect::to("/bench#sessions").into_response())
}

/// Characters of the name of a device.
const LONGEST_NAME: usize = 60;

/// Lets a browser in no longer.
pub async fn end_session(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    match &state.sharing {
        Some(sharing) => sharing.end(&state.store, id).await?,
        None => {
            state.store.end_session(id).await?;
        }
    }
    Ok(Redirect::to("/bench#sessions").into_response())
}
