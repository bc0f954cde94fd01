//! Meters that are listened to: what they show, with its age; and the streams that keep pages up to date.

use crate::background::hub::Told;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::{Clock, Frame};
use crate::gate::enter::peer;
use crate::gate::sharing::is_loopback;
use crate::state::AppState;
use crate::views::meters::{MetersView, OfTest, meter_view, meters_view};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::Extensions;
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::run::RunState;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;

/// How often the figures of live meters are sent.
const SHOW_EVERY: Duration = Duration::from_millis(500);

#[derive(Template, WebTemplate)]
#[template(path = "meters.html")]
pub struct MetersPage {
    frame: Frame,
    meters: MetersView,
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<MetersPage, AppError> {
    let meters = meters_view(&state, &frame.time_zone, None).await;
    Ok(MetersPage { frame, meters })
}

/// One meter in figures that are read from across the roof.
#[derive(Template, WebTemplate)]
#[template(path = "meter.html")]
pub struct MeterPage {
    frame: Frame,
    id: i64,
    name: String,
    meters: MetersView,
}

pub async fn one(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<MeterPage, AppError> {
    let name = state.store.gear_piece(id).await?.draft.name;
    let meters = meter_view(&state, &frame.time_zone, id).await;
    Ok(MeterPage { frame, id, name, meters })
}

/// The figures of all meters, twice a second.
pub async fn meters_events(State(state): State<AppState>, Clock(zone): Clock) -> Response {
    events(state, zone, Of::All)
}

pub async fn meter_events(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Response {
    events(state, zone, Of::Meter(id))
}

/// What a stream shows.
#[derive(Clone, Copy)]
enum Of {
    All,
    Meter(i64),
    Test(OfTest),
}

impl Of {
    async fn view(self, state: &AppState, zone: &TimeZone) -> MetersView {
        match self {
            Of::All => meters_view(state, zone, None).await,
            Of::Meter(id) => meter_view(state, zone, id).await,
            Of::Test(test) => meters_view(state, zone, Some(test)).await,
        }
    }
}

/// The same, and word of every change of one test.
pub async fn test_events(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    Ok(events(state, zone, Of::Test(OfTest::of(&test))))
}

fn events(state: AppState, zone: TimeZone, of: Of) -> Response {
    let (out, stream) = mpsc::channel::<Result<Event, Infallible>>(8);
    tokio::spawn(async move {
        let closing = state.hub.closing();
        let mut watch = match of {
            Of::Test(test) => Some(state.hub.watch(test.id)),
            Of::All | Of::Meter(_) => None,
        };
        let mut ticks = tokio::time::interval(SHOW_EVERY);
        ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        let mut last = String::new();
        loop {
            let told = async {
                match &mut watch {
                    Some(watch) => watch.next().await,
                    None => std::future::pending().await,
                }
            };
            let event = tokio::select! {
                () = closing.cancelled() => return,
                () = out.closed() => return,
                told = told => match told { Told::Changed | Told::Missed => Event::default().event("changed").data("now") },
                _ = ticks.tick() => {
                    let view = of.view(&state, &zone).await;
                    if view.is_none() && last.is_empty() { continue }
                    match view.render() {
                        Ok(html) => {
                            last.clone_from(&html);
                            Event::default().event("meters").data(html.replace(['\r', '\n'], " "))
                        }
                        Err(_) => continue,
                    }
                }
            };
            if out.send(Ok(event)).await.is_err() {
                return;
            }
        }
    });
    Sse::new(ReceiverStream::new(stream)).keep_alive(KeepAlive::default()).into_response()
}

fn back(pairs: &Pairs) -> Redirect {
    match value(pairs, "test").parse::<i64>() {
        Ok(test_id) => Redirect::to(&format!("/tests/{test_id}")),
        Err(_) => Redirect::to("/meters"),
    }
}

/// Holds what is shown, or lets it go.
pub async fn hold(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    extensions: Extensions,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let from = peer(&extensions);
    let by = if is_loopback(from) { "this machine".to_owned() } else { from.to_string() };
    state.hub.hold(id, &by)?;
    Ok(back(&pairs))
}

/// Resets the peak.
pub async fn reset_peak(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    state.hub.reset_peak(id)?;
    Ok(back(&pairs))
}

pub async fn record(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    // A log that begins during a run belongs to it.
    let test_id: Option<i64> = value(&pairs, "test").parse().ok();
    let run_id = match test_id {
        Some(test_id) => {
            let record = state.store.recorded(test_id, Timestamp::now()).await?.record;
            record.at_work().iter().find(|run| run.state() == RunState::Begun).map(|run| run.id)
        }
        None => None,
    };
    state.hub.record(id, test_id, run_id).await?;
    Ok(back(&pairs))
}

pub async fn stop(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    let lost = state.hub.stop_recording(id).await?;
    if lost > 0 {
        let message = format!(
            "The recording is stopped. The last {lost} samples could not be written in time and are lost: look at the disk."
        );
        return Err(AppError::input("record", "", message));
    }
    Ok(back(&pairs))
}
