//! The bench itself: its name, its clock, its currency.

use super::place_form::zones;
use super::typed::{Notes, Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::PlaceRow;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "bench.html")]
pub struct BenchPage {
    frame: Frame,
    typed: Pairs,
    notes: Notes,
    zones: Vec<String>,
    places: Vec<PlaceRow>,
}

impl BenchPage {
    fn is_current(&self, id: &i64) -> bool {
        self.frame.place.as_ref().is_some_and(|place| place.id == *id)
    }

    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<BenchPage, AppError> {
    let places = state.store.places().await?;
    let bench = &frame.bench;
    let typed = [("name", &bench.name), ("time_zone", &bench.time_zone), ("currency", &bench.currency)];
    let typed = typed.map(|(name, text)| (name.to_owned(), text.clone())).to_vec();
    Ok(BenchPage { frame, typed, notes: Notes::default(), zones: zones(), places })
}

pub async fn change(State(state): State<AppState>, frame: Frame, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let text = |name| value(&typed, name).trim();
    let mut notes = Notes::default();
    for (field, most) in [("name", 60), ("currency", 8)] {
        let length = text(field).chars().count();
        if length == 0 || length > most {
            notes.add(field, "refused", format!("Write 1 to {most} characters."));
        }
    }
    if TimeZone::get(text("time_zone")).is_err() {
        notes.add(
            "time_zone",
            "refused",
            format!("\"{}\" is not a time zone known here: choose one such as Europe/Lisbon.", text("time_zone")),
        );
    }
    if notes.has("refused") {
        let places = state.store.places().await?;
        let page = BenchPage { frame, typed, notes, zones: zones(), places };
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    state.store.change_bench(text("name"), text("time_zone"), text("currency")).await?;
    Ok(Redirect::to("/bench").into_response())
}
