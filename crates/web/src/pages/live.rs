//! Meters that are listened to: what they show, with its age; and the streams that keep pages up to date.

use super::enter::peer;
use super::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{self, clock, number};
use crate::frame::{Clock, Frame};
use crate::live::{MeterNow, Told};
use crate::sharing::is_loopback;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::Extensions;
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::run::RunState;
use flindo_meters::live::{MeterState, STALE_MS, Shown};
use flindo_store::new_uid;
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

/// All live meters; also sent alone, twice a second.
#[derive(Template)]
#[template(path = "parts/meters.html")]
pub struct MetersView {
    test_id: Option<i64>,
    meters: Vec<MeterView>,
}

impl MetersView {
    fn is_none(&self) -> bool {
        self.meters.is_empty()
    }
}

struct MeterView {
    id: i64,
    name: String,
    who: String,
    /// CSS class, and the word that goes with it.
    state: &'static str,
    word: String,
    figures: Vec<FigureView>,
    /// Quantities without a figure, and what the meter says in its place.
    no_figures: Vec<(&'static str, String)>,
    can_take: bool,
    can_hold: bool,
    /// Who holds it, and since when.
    held: Option<String>,
    recording: Option<i64>,
    uid: String,
}

struct FigureView {
    label: &'static str,
    figure: String,
    is_old: bool,
    /// Range, peak, settled mean, age.
    more: Vec<(&'static str, String)>,
    jumped: bool,
}

fn view(now: MeterNow, zone: &TimeZone) -> MeterView {
    let (state, word) = match &now.state {
        MeterState::Waiting => ("unheard", "no data yet".to_owned()),
        MeterState::Live => ("live", "live".to_owned()),
        MeterState::Silent => ("silent", "silent: last value is old".to_owned()),
        MeterState::Unreadable(what) => ("rubbish", format!("unreadable: {what}")),
        MeterState::Lost(why) => ("lost", format!("lost: {why}")),
    };
    let is_without = |shown: &&Shown| now.no_figures.iter().any(|one| one.quantity == shown.quantity);
    let values = now
        .shown
        .iter()
        .filter(|shown| !is_without(shown))
        .map(|shown| {
            let unit = figures::unit(shown.quantity);
            let figure = |value: f64| figures::shown(value, unit).to_string();
            let mut more = Vec::new();
            if shown.high > shown.low {
                more.push((
                    "over 5 s",
                    format!("{}\u{2013}{}", figures::shown(shown.low, unit).value, figures::shown(shown.high, unit).value),
                ));
            }
            more.push(("peak", figures::shown(shown.peak, unit).value));
            if let Some(mean) = shown.settled {
                more.push(("settled", figures::shown(mean, unit).value));
            }
            more.push(("age", format!("{} s", number(shown.age_ms as f64 / 1000.0, 1))));
            FigureView {
                label: shown.quantity.label(),
                figure: figure(shown.value),
                is_old: shown.age_ms > STALE_MS,
                more,
                jumped: shown.jumped,
            }
        })
        .collect();
    MeterView {
        id: now.id,
        name: now.name,
        who: now.who,
        can_take: (now.state == MeterState::Live || now.held_by.is_some()) && now.no_figures.is_empty(),
        can_hold: now.state == MeterState::Live || now.held_by.is_some(),
        no_figures: now.no_figures.into_iter().map(|one| (one.quantity.label(), one.what)).collect(),
        held: now.held_by.map(|(by, at)| format!("held since {} by {by}", clock(at, zone))),
        state,
        word,
        figures: values,
        recording: now.recording,
        uid: new_uid(),
    }
}

/// All meters as they are now.
pub async fn meters_view(state: &AppState, zone: &TimeZone, test_id: Option<i64>) -> MetersView {
    MetersView { test_id, meters: state.hub.meters().await.into_iter().map(|now| view(now, zone)).collect() }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<MetersPage, AppError> {
    let meters = meters_view(&state, &frame.time_zone, None).await;
    Ok(MetersPage { frame, meters })
}

/// The figures of all meters, twice a second.
pub async fn meters_events(State(state): State<AppState>, Clock(zone): Clock) -> Response {
    events(state, zone, None)
}

/// The same, and word of every change of one test.
pub async fn test_events(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Response, AppError> {
    state.store.test(id).await?;
    Ok(events(state, zone, Some(id)))
}

fn events(state: AppState, zone: TimeZone, test_id: Option<i64>) -> Response {
    let (out, stream) = mpsc::channel::<Result<Event, Infallible>>(8);
    tokio::spawn(async move {
        let closing = state.hub.closing();
        let mut watch = test_id.map(|id| state.hub.watch(id));
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
                    let view = meters_view(&state, &zone, test_id).await;
                    if view.meters.is_empty() && last.is_empty() { continue }
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
