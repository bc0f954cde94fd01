//! Guided capture: the next run fills the screen, then the one-line entry or the live meter.

use super::capture::{Entering, checked_uid};
use super::judged::LineView;
use super::live::{MetersView, meters_view};
use super::preflight::open_stops;
use super::progress::{ComparedView, Progress};
use super::typed::{Pairs, value};
use crate::draw::aim;
use crate::error::AppError;
use crate::figures::{clock, clock_short, number};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::{self, DEFER};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::protocol::condition::{Factor, Part};
use flindo_core::protocol::setup::Load;
use flindo_store::{Happened, NewEvent, NewReading, Photo, RunRow, RunState, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "guided.html")]
pub struct Guided {
    frame: Frame,
    test_id: i64,
    tag: String,
    question: &'static str,
    board: Board,
    meters: MetersView,
    entering: Entering,
    photos: Vec<Photo>,
    cautions: Vec<&'static str>,
    defer: &'static str,
}

/// All of the page that changes while somebody else works on the same test; also served alone.
pub struct Board {
    run: RunPart,
    readings: ReadingsPart,
}

/// The runs in order, and the one at work.
#[derive(Template)]
#[template(path = "parts/board_run.html")]
struct RunPart {
    test_id: i64,
    strip: Vec<StripRun>,
    run: Option<RunView>,
    bracket: Option<(bool, String)>,
}

/// What the runs show so far, and their readings.
#[derive(Template)]
#[template(path = "parts/board_readings.html")]
struct ReadingsPart {
    test_id: i64,
    compared: ComparedView,
    lines: Vec<LineView>,
    done: usize,
    total: usize,
}

impl RunPart {
    /// An identity for one press of a button.
    fn fresh_uid(&self) -> String {
        new_uid()
    }
}

impl IntoResponse for Board {
    fn into_response(self) -> Response {
        match self.run.render().and_then(|run| Ok(run + &self.readings.render()?)) {
            Ok(html) => Html(html).into_response(),
            Err(error) => {
                tracing::error!(%error, "a board could not be shown");
                StatusCode::INTERNAL_SERVER_ERROR.into_response()
            }
        }
    }
}

struct StripRun {
    id: i64,
    number: i64,
    letter: String,
    name: String,
    state: &'static str,
    is_current: bool,
    is_added: bool,
    readings: usize,
    reason: String,
}

pub struct RunView {
    id: i64,
    number: i64,
    rig: u8,
    is_baseline: bool,
    parts: Vec<Part>,
    aim: String,
    /// A drawing of the shade, where the plan varies it.
    shade: Option<String>,
    is_begun: bool,
    planned: Option<String>,
    /// Still to wait, and of how long, s.
    settle_left_s: i64,
    settle_s: String,
    readings: usize,
    wanted: usize,
    next: Option<String>,
    notes: Vec<(&'static str, String)>,
    uid: String,
}

impl Board {
    pub fn of(progress: &Progress, zone: &TimeZone, now: Timestamp) -> Self {
        let current = progress.current();
        let strip = progress
            .runs
            .iter()
            .map(|run| {
                let readings = progress.readings_of(run.id).len();
                let state = match run.state() {
                    _ if current.is_some_and(|current| current.id == run.id) => "current",
                    RunState::Skipped => "skipped",
                    _ if readings > 0 => "done",
                    RunState::Done | RunState::Begun | RunState::Waiting => "open",
                };
                StripRun {
                    id: run.id,
                    number: run.place,
                    letter: progress.letter(run),
                    name: progress.plan.level_name(run.level),
                    state,
                    is_current: state == "current",
                    is_added: run.is_added,
                    readings,
                    reason: run
                        .events
                        .iter()
                        .rev()
                        .find(|event| event.what == Happened::Skipped)
                        .map(|event| event.text.clone())
                        .unwrap_or_default(),
                }
            })
            .collect();
        let mut lines = progress.views(zone);
        lines.reverse();
        let done = progress.runs.iter().filter(|run| !progress.readings_of(run.id).is_empty()).count();
        let run = current.map(|run| run_view(progress, run, zone, now));
        let test_id = progress.judged.test.id;
        Board {
            readings: ReadingsPart { test_id, compared: progress.compared(), lines, done, total: progress.runs.len() },
            run: RunPart { test_id, strip, run, bracket: progress.bracket(now) },
        }
    }

    /// The run at work, for the form of the line; empty when all are done.
    pub fn run_id(&self) -> String {
        self.run.run.as_ref().map(|run| run.id.to_string()).unwrap_or_default()
    }
}

fn run_view(progress: &Progress, run: &RunRow, zone: &TimeZone, now: Timestamp) -> RunView {
    let setup = &progress.judged.test.setup;
    let is_begun = run.state() == RunState::Begun;
    let since_s = run.begun_utc().map_or(0.0, |begun| (now.as_second() - begun.as_second()) as f64);
    let left_s =
        if is_begun { (progress.plan.settle_s - since_s).max(0.0).ceil() as i64 } else { progress.plan.settle_s.ceil() as i64 };
    let shade = progress.plan.conditions(run.level).get(&Factor::Shade).cloned();
    let happened = |event: &flindo_store::RunEvent| match event.what {
        Happened::Cloud => Some(("cloud", clock(event.at_utc, zone))),
        Happened::Note => Some(("note", event.text.clone())),
        _ => None,
    };
    RunView {
        id: run.id,
        number: run.place,
        rig: run.rig,
        is_baseline: run.level == 0,
        parts: progress.parts(run),
        aim: aim::draw(progress.tilt_deg(run), setup.azimuth_deg),
        shade: shade.map(|shade| progress.judged.arranged.face(&shade)),
        is_begun,
        planned: run.planned_utc.map(|planned| clock_short(planned, zone)),
        settle_left_s: left_s,
        settle_s: number(progress.plan.settle_s, 0),
        readings: progress.readings_of(run.id).len(),
        wanted: progress.plan.readings_per_run,
        next: progress
            .next_after(Some(run))
            .map(|next| format!("{} {}", progress.letter(next), progress.plan.level_name(next.level))),
        notes: run.events.iter().filter_map(happened).collect(),
        uid: new_uid(),
    }
}

/// The page of a planned test; its preflight first, where a stop is open.
pub async fn page(state: AppState, frame: Frame, progress: Progress, entering: Entering) -> Result<Response, AppError> {
    let test = &progress.judged.test;
    let (_, open) = open_stops(&state, &frame, test).await?;
    if !open.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{}/preflight", test.id)).into_response());
    }
    let page = Guided {
        test_id: test.id,
        tag: progress.judged.panel.draft.tag.clone(),
        question: test.question.label(),
        board: Board::of(&progress, &frame.time_zone, Timestamp::now()),
        meters: meters_view(&state, Some(test.id)).await,
        entering,
        photos: state.store.photos(test.id).await?,
        cautions: words::cautions(test.setup.load),
        defer: DEFER,
        frame,
    };
    Ok(page.into_response())
}

fn event(pairs: &Pairs, what: Happened) -> Result<NewEvent, AppError> {
    let text: String = value(pairs, "text").trim().chars().take(400).collect();
    Ok(NewEvent { uid: checked_uid(value(pairs, "uid"))?, what, text, at_utc: Timestamp::now() })
}

fn back(state: &AppState, test_id: i64) -> Redirect {
    state.hub.tell(test_id);
    Redirect::to(&format!("/tests/{test_id}"))
}

/// Something that happened to a run: begun (in any order), skipped with a reason, a cloud, a note, a reading confirmed.
pub async fn happened(
    State(state): State<AppState>,
    Path((id, run_id)): Path<(i64, i64)>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let name = value(&pairs, "what");
    let what = Happened::from_name(name).ok_or_else(|| AppError::input("what", name, "This cannot happen to a run."))?;
    state.store.add_event(id, run_id, &event(&pairs, what)?).await?;
    Ok(back(&state, id))
}

/// The run at work is done, and the next one begins.
pub async fn next(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    let Some(progress) = Progress::load(&state, id).await? else { return Err(AppError::NoSuchPage) };
    let event = event(&pairs, Happened::Begun)?;
    let current = progress.current();
    // Pressed twice, or on two browsers: the page's own run tells which one was meant.
    let meant = value(&pairs, "run").parse::<i64>().ok();
    if let Some(current) = current.filter(|current| meant.is_none_or(|meant| meant == current.id)) {
        if current.state() == RunState::Waiting {
            state.store.add_event(id, current.id, &event).await?;
            return Ok(back(&state, id));
        }
        let done = NewEvent { uid: new_uid(), what: Happened::Done, text: String::new(), at_utc: event.at_utc };
        state.store.add_event(id, current.id, &done).await?;
        if let Some(next) = progress.next_after(Some(current)) {
            state.store.add_event(id, next.id, &event).await?;
        }
    }
    Ok(back(&state, id))
}

/// The baseline once more, now.
pub async fn repeat(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    state.store.repeat_level(id, 0, 0, &event(&pairs, Happened::Begun)?).await?;
    Ok(back(&state, id))
}

/// One key takes what a live meter shows, with its range.
pub async fn take(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let (_, open) = open_stops(&state, &frame, &test).await?;
    if !open.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{id}/preflight")).into_response());
    }
    let meter = value(&pairs, "meter");
    let meter_id: i64 = meter.parse().map_err(|_| AppError::input("meter", meter, "Choose the meter."))?;
    let uid = checked_uid(value(&pairs, "uid"))?;
    let (figures, at) = match state.hub.take(meter_id, test.setup.wobble)? {
        Ok(taken) => taken,
        Err(refusal) => return Err(AppError::input("meter", meter, refusal.to_string())),
    };
    let name = state.store.gear_piece(meter_id).await?.draft.name;
    let now = Timestamp::from_second(at.as_second()).unwrap_or(at);
    let run_id = value(&pairs, "run").parse().ok();
    let reading = NewReading {
        uid,
        taken_utc: now,
        typed: String::new(),
        note: format!("from {name}"),
        sky: None,
        figures: meant(figures, test.setup.load),
        run_id,
        revision: None,
    };
    state.store.accept(id, &reading, Timestamp::now()).await?;
    begin_if_waiting(&state, id, run_id, now).await?;
    Ok(back(&state, id).into_response())
}

/// With nothing connected to the panel, the meter's volts and amps are Voc and Isc.
fn meant(figures: Figures, load: Load) -> Figures {
    if load != Load::MultimeterOnly {
        return figures;
    }
    let named = |quantity| match quantity {
        Quantity::Voltage => Quantity::Voc,
        Quantity::Current => Quantity::Isc,
        other => other,
    };
    figures.iter().filter(|(quantity, _)| *quantity != Quantity::Power).map(|(quantity, seen)| (named(quantity), *seen)).collect()
}

/// A reading begins the run it belongs to.
pub async fn begin_if_waiting(state: &AppState, test_id: i64, run_id: Option<i64>, at_utc: Timestamp) -> Result<(), AppError> {
    let Some(run_id) = run_id else { return Ok(()) };
    let runs = state.store.runs(test_id).await?;
    if runs.iter().any(|run| run.id == run_id && run.state() == RunState::Waiting) {
        let begun = NewEvent { uid: new_uid(), what: Happened::Begun, text: String::new(), at_utc };
        state.store.add_event(test_id, run_id, &begun).await?;
    }
    Ok(())
}
