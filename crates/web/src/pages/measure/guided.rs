//! Guided capture: the next run fills the screen, then the one-line entry or the live meter.

use crate::door::entering::{Entering, checked_uid};
use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::door::stops;
use crate::door::taking::from_meter;
use crate::door::typed::{Pairs, value};
use crate::draw::aim;
use crate::error::AppError;
use crate::figures::{clock, clock_short, number};
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::compared::ComparedView;
use crate::views::evaluated::{RatingRow, letter};
use crate::views::meters::{MetersView, OfTest, meters_view};
use crate::views::reading::LineView;
use crate::words::{self, DEFER};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use flindo_core::record::condition::Part;
use flindo_core::record::run::{Run, RunEvent, RunEventKind, RunState};
use flindo_store::{NewEvent, Photo, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "guided.html")]
pub struct Guided {
    frame: Frame,
    test_id: i64,
    tag: String,
    /// On the keypad.
    units: Vec<&'static str>,
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
    /// At work at the same time, on the other rig: (rig, letter, conditions, readings).
    beside: Option<(u8, String, String, usize)>,
    bracket: Option<(bool, String)>,
}

/// What the runs show so far, and their readings.
#[derive(Template)]
#[template(path = "parts/board_readings.html")]
struct ReadingsPart {
    test_id: i64,
    compared: ComparedView,
    /// One line a panel, for a test of ratings.
    ratings: Vec<RatingRow>,
    lines: Vec<LineView>,
    part: Paging,
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

impl RunView {
    /// Readings that it still wants.
    fn wants(&self) -> usize {
        self.wanted.saturating_sub(self.readings)
    }
}

impl Board {
    pub fn of(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> Self {
        let record = &evaluated.recorded.record;
        let at_work = record.at_work();
        // Side by side the rig with fewer readings is next.
        let target = at_work.iter().copied().min_by_key(|run| (record.readings_of(run.id).len(), run.place));
        let mut runs: Vec<&Run> = record.runs.iter().collect();
        runs.sort_by_key(|run| run.place);
        let strip = runs
            .iter()
            .map(|run| {
                let readings = record.readings_of(run.id).len();
                let is_current = at_work.iter().any(|current| current.id == run.id);
                let state = match run.state() {
                    _ if is_current => "current",
                    RunState::Skipped => "skipped",
                    _ if readings > 0 => "done",
                    RunState::Done | RunState::Begun | RunState::Waiting => "open",
                };
                StripRun {
                    id: run.id,
                    number: run.place,
                    letter: letter(run),
                    name: evaluated.level_name(run.level),
                    state,
                    is_current,
                    is_added: run.is_added,
                    readings,
                    reason: run.left_or_resumed().map(|(what, why)| format!("{}: {why}", what.label())).unwrap_or_default(),
                }
            })
            .collect();
        let mut lines = evaluated.views(zone, part);
        lines.reverse();
        let done = runs.iter().filter(|run| !record.readings_of(run.id).is_empty()).count();
        let beside = at_work.iter().find(|run| target.is_some_and(|target| target.id != run.id)).map(|run| {
            let told = evaluated.parts(run).into_iter().map(|part| part.text).collect::<Vec<_>>().join(" \u{b7} ");
            (run.rig, letter(run), told, record.readings_of(run.id).len())
        });
        let run = target.map(|run| run_view(evaluated, run, zone));
        let test_id = evaluated.recorded.test.id;
        let ratings = evaluated.ratings("");
        let compared = if evaluated.is_comparison() {
            evaluated.compared(zone)
        } else {
            let verdict = evaluated.verdict();
            ComparedView { sentence: verdict.word, mark: verdict.mark, ..evaluated.compared(zone) }
        };
        Board {
            readings: ReadingsPart { test_id, compared, ratings, lines, part, done, total: runs.len() },
            run: RunPart { test_id, strip, run, beside, bracket: evaluated.bracket() },
        }
    }

    /// The run at work, for the form of the line; empty when all are done.
    pub fn run_id(&self) -> String {
        self.run.run.as_ref().map(|run| run.id.to_string()).unwrap_or_default()
    }
}

fn run_view(evaluated: &Evaluated<'_>, run: &Run, zone: &TimeZone) -> RunView {
    let record = &evaluated.recorded.record;
    let (settle_s, wanted) = evaluated.plan().map_or((0.0, 1), |plan| (plan.settle_s, plan.readings_per_run));
    let is_begun = run.state() == RunState::Begun;
    let since_s = run.begun_utc().map_or(0.0, |begun| (Timestamp::now().as_second() - begun.as_second()) as f64);
    let left_s = if is_begun { (settle_s - since_s).max(0.0).ceil() as i64 } else { settle_s.ceil() as i64 };
    let told = |event: &RunEvent| match event.what {
        RunEventKind::Cloud => Some(("cloud", clock(event.at_utc, zone))),
        RunEventKind::Note => Some(("note", event.text.clone())),
        RunEventKind::Corrected => Some(("state", "corrected".to_owned())),
        RunEventKind::Begun | RunEventKind::Done | RunEventKind::Skipped | RunEventKind::Resumed | RunEventKind::Confirmed => {
            None
        }
    };
    RunView {
        id: run.id,
        number: run.place,
        rig: run.rig,
        is_baseline: run.level == 0,
        parts: evaluated.parts(run),
        aim: aim::draw(evaluated.tilt_deg(run), record.setup.azimuth_deg),
        shade: evaluated.faces(run),
        is_begun,
        planned: run.planned_utc.map(|planned| clock_short(planned, zone)),
        settle_left_s: left_s,
        settle_s: number(settle_s, 0),
        readings: record.readings_of(run.id).len(),
        wanted,
        next: record.next_after(Some(run)).map(|next| format!("{} {}", letter(next), evaluated.level_name(next.level))),
        notes: run.events.iter().filter_map(told).collect(),
        uid: new_uid(),
    }
}

/// The page of a planned test; its preflight first, where a stop is open.
pub async fn page(
    state: AppState,
    frame: Frame,
    evaluated: &Evaluated<'_>,
    part: Paging,
    entering: Entering,
) -> Result<Response, AppError> {
    let test = &evaluated.recorded.test;
    if !stops::open(&state, frame.place.as_ref(), test).await?.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{}/preflight", test.id)).into_response());
    }
    let page = Guided {
        test_id: test.id,
        tag: evaluated.recorded.panel.draft.tag.clone(),
        units: test.setup.units_read(),
        question: test.question.label(),
        board: Board::of(evaluated, &frame.time_zone, part),
        meters: meters_view(&state, &frame.time_zone, Some(OfTest::of(test))).await,
        entering,
        photos: state.store.photos(test.id).await?,
        cautions: words::cautions(test.setup.load),
        defer: DEFER,
        frame,
    };
    Ok(page.into_response())
}

fn event(pairs: &Pairs, what: RunEventKind) -> Result<NewEvent, AppError> {
    let text = value(pairs, "text").trim().to_owned();
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
    let what = RunEventKind::from_name(name).ok_or_else(|| AppError::input("what", name, "This cannot happen to a run."))?;
    state.store.add_event(id, run_id, &event(&pairs, what)?).await?;
    Ok(back(&state, id))
}

/// What is at work is done, and what comes next begins; side by side both runs of a pair.
pub async fn next(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    // Of two presses at once the second sees what the first one did.
    let _turn = state.turn_to_edit().await;
    let record = state.store.recorded(id, Timestamp::now()).await?.record;
    if record.plan.is_none() {
        return Err(AppError::NoSuchPage);
    }
    let event = event(&pairs, RunEventKind::Begun)?;
    let at_work = record.at_work();
    // Pressed twice, or on two browsers: the page's own run tells which one was meant.
    let meant = value(&pairs, "run").parse::<i64>().ok();
    let is_meant = meant.is_none_or(|meant| at_work.iter().any(|run| run.id == meant));
    let Some(last) = at_work.last().filter(|_| is_meant) else { return Ok(back(&state, id)) };
    // What the button said when it was pressed: a double click that began a run does not end it too.
    let waits = at_work.iter().all(|run| run.state() == RunState::Waiting);
    if matches!((value(&pairs, "act"), waits), ("begin", false) | ("end", true)) {
        return Ok(back(&state, id));
    }
    if waits {
        begin(&state, id, &at_work, &event).await?;
        return Ok(back(&state, id));
    }
    for run in &at_work {
        let done = NewEvent { uid: new_uid(), what: RunEventKind::Done, text: String::new(), at_utc: event.at_utc };
        state.store.add_event(id, run.id, &done).await?;
    }
    // A recording ends with its run, and the next run of the same rig is recorded by the same meter.
    let done: Vec<i64> = at_work.iter().map(|run| run.id).collect();
    let recorded = state.hub.end_with_runs(&done).await?;
    if let Some(next) = record.next_after(Some(last)) {
        let beside = record.beside(next);
        begin(&state, id, &beside, &event).await?;
        for (meter_id, run_id) in recorded {
            let rig = at_work.iter().find(|run| run.id == run_id).map(|run| run.rig);
            if let Some(run) = beside.iter().find(|run| Some(run.rig) == rig).or(beside.first()) {
                state.hub.record(meter_id, Some(id), Some(run.id)).await?;
            }
        }
    }
    Ok(back(&state, id))
}

/// Begins runs that are at work together; the first keeps the identity of the press.
async fn begin(state: &AppState, test_id: i64, runs: &[&Run], event: &NewEvent) -> Result<(), AppError> {
    for (nth, run) in runs.iter().enumerate() {
        let event = if nth == 0 { event.clone() } else { NewEvent { uid: new_uid(), ..event.clone() } };
        state.store.add_event(test_id, run.id, &event).await?;
    }
    Ok(())
}

/// The baseline once more, now.
pub async fn repeat(State(state): State<AppState>, Path(id): Path<i64>, Form(pairs): Form<Pairs>) -> Result<Redirect, AppError> {
    let event = event(&pairs, RunEventKind::Begun)?;
    // Pressed on two devices at once: the second one's page still shows the run that was at work before.
    let _turn = state.turn_to_edit().await;
    let record = state.store.recorded(id, Timestamp::now()).await?.record;
    let at_work = record.at_work();
    let is_meant = match value(&pairs, "run") {
        "" => true,
        "none" => at_work.is_empty(),
        meant => meant.parse::<i64>().is_ok_and(|meant| at_work.iter().any(|run| run.id == meant)),
    };
    if is_meant {
        state.store.repeat_level(id, 0, 0, &event).await?;
    }
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
    if !stops::open(&state, frame.place.as_ref(), &test).await?.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{id}/preflight")).into_response());
    }
    let meter = value(&pairs, "meter");
    let meter_id: i64 = meter.parse().map_err(|_| AppError::input("meter", meter, "Choose the meter."))?;
    let uid = checked_uid(value(&pairs, "uid"))?;
    from_meter(&state, &test, meter_id, (uid, value(&pairs, "run").parse().ok())).await?;
    Ok(Redirect::to(&format!("/tests/{id}")).into_response())
}
