//! The tilt planner: every tilt by month, the true best for one, two, four and twelve settings, what the common rules lose, and
//! whether the hardware is worth it.

mod answer;
pub mod ask;

use crate::calendar;
use crate::door::typed::Pairs;
use crate::error::AppError;
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use answer::Plan;
use ask::{Asked, SkyChoice};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Multipart, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::energy::epw;
use flindo_store::{PlaceRow, WeatherRow};

#[derive(Template, WebTemplate)]
#[template(path = "tilt.html")]
pub struct TiltPage {
    frame: Frame,
    kept: Vec<KeptLine>,
    asked: Asked,
    plan: Option<Plan>,
    weathers: Vec<WeatherRow>,
    weather_error: Option<String>,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<Response, AppError> {
    let Some(place) = frame.place.clone() else {
        return Ok(Redirect::to("/places/new").into_response());
    };
    Ok(view(&state, frame, &place, typed, None).await?.into_response())
}

async fn view(
    state: &AppState,
    frame: Frame,
    place: &PlaceRow,
    typed: Pairs,
    weather_error: Option<String>,
) -> Result<TiltPage, AppError> {
    let weathers = state.store.weathers().await?;
    let asked = Asked::read(typed, place, &weathers);
    let plan = plan(state, place, &asked).await?;
    Ok(TiltPage { kept: kept(state, "/tilt").await?, frame, asked, plan, weathers, weather_error })
}

/// Works the plan out, away from the threads that answer pages; `None` while a field is wrong.
async fn plan(state: &AppState, place: &PlaceRow, asked: &Asked) -> Result<Option<Plan>, AppError> {
    let Some(question) = asked.question() else { return Ok(None) };
    let hours = match question.sky {
        SkyChoice::Weather(id) => Some(state.store.weather_file(id).await?),
        SkyChoice::Clear | SkyChoice::Climate(_) => None,
    };
    let place = place.draft.clone();
    let worked_out = heavy::run(move |_| answer::work_out(&place, &question, hours.as_deref())).await?;
    worked_out.map(Some).map_err(|sentence| AppError::input("sky", "", sentence))
}

/// The days on which to change the tilt, every year, as an iCalendar file.
pub async fn ics(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<Response, AppError> {
    let place = frame.place.clone().ok_or(AppError::NoSuchPage)?;
    let asked = Asked::read(typed, &place, &state.store.weathers().await?);
    let plan = plan(&state, &place, &asked).await?.ok_or(AppError::NoSuchPage)?;
    let now = jiff::Timestamp::now();
    let events = plan.changes(asked.changes()).into_iter().map(|change| {
        let uid = format!("tilt-{}-{}-{}@flindo", place.id, asked.changes(), change.date);
        let summary = format!("Set the tilt to {}\u{b0}", change.tilt);
        let caution = "Wind lifts a panel while its bar is loose: two people, and tie it down.";
        calendar::every_year(uid, now, change.date, &summary, caution)
    });
    Ok(calendar::file("tilt.ics", events.collect()))
}

/// An EPW file, dropped in.
pub async fn add_weather(State(state): State<AppState>, frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    let Some(place) = frame.place.clone() else {
        return Ok(Redirect::to("/places/new").into_response());
    };
    let read = match crate::door::file::file(multipart).await {
        Ok(bytes) => String::from_utf8(bytes).map_err(|_| "This is not a text file in UTF-8.".to_owned()),
        Err(sentence) => Err(sentence),
    };
    match read.and_then(|text| epw::parse(&text).map(|weather| (weather, text))) {
        Ok((weather, text)) => {
            let id = state.store.add_weather(&weather, &text).await?;
            Ok(Redirect::to(&format!("/tilt?sky=weather:{id}")).into_response())
        }
        Err(sentence) => {
            let page = view(&state, frame, &place, Pairs::new(), Some(format!("{sentence} Nothing was kept."))).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
    }
}
