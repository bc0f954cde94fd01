//! Capture: one line takes a whole reading. What was understood is shown before Enter, and the verdict so far after it.

use super::guided::{self, Board, begin_if_waiting};
use super::judged::{Judged, LineView, site_of};
use super::progress::Progress;
use super::typed::{Pairs, value};
use crate::arranged::{Arranged, baseline};
use crate::day::day_of_year;
use crate::draw::aim;
use crate::error::AppError;
use crate::figures::{as_read, clock, computed, for_field, with_u};
use crate::frame::{Clock, Frame};
use crate::state::AppState;
use crate::words::{self, Verdict, advice, remark};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use axum::{Form, Json};
use flindo_core::measure::entry::{ClockTime, Entry, understand};
use flindo_core::measure::quantity::Quantity;
use flindo_core::protocol::setup::Setup;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::rating::judge_arranged;
use flindo_store::{Accepted, NewReading, Panel, Revision, StoreError, Test, lines, new_uid};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use serde_json::json;

/// A clock may run ahead by this much before a time counts as still to come.
const AHEAD_S: i64 = 300;

#[derive(Template, WebTemplate)]
#[template(path = "capture.html")]
pub struct Capture {
    frame: Frame,
    test: Test,
    panel: Panel,
    aim: String,
    aim_words: String,
    cautions: Vec<&'static str>,
    defer: &'static str,
    typed: String,
    error: Option<String>,
    uid: String,
    taken: String,
    readings: Readings,
}

/// The readings with the verdict so far; also served alone, for the page to take in.
#[derive(Template, WebTemplate)]
#[template(path = "parts/readings.html")]
pub struct Readings {
    test_id: i64,
    lines: Vec<LineView>,
    verdict: Verdict,
    percent: Option<String>,
    count: usize,
}

impl Readings {
    fn of(judged: &Judged, zone: &TimeZone) -> Self {
        let pmax = judged.result.pmax.as_ref();
        let mut lines = judged.views(zone);
        lines.reverse();
        Readings {
            test_id: judged.test.id,
            lines,
            verdict: judged.verdict(),
            percent: pmax.map(|pmax| with_u(pmax.percent, pmax.u_percent, "%").to_string()),
            count: judged.result.readings.len(),
        }
    }
}

/// What was understood of the line so far.
#[derive(Template, WebTemplate)]
#[template(path = "parts/understood.html")]
pub struct Understood {
    figures: Vec<(&'static str, String)>,
    watts: Option<String>,
    at_stc: Option<String>,
    percent: Option<String>,
    time: Option<String>,
    sky: Option<&'static str>,
    note: Option<String>,
    doubts: Vec<String>,
    error: Option<String>,
}

/// The line to be typed, with what else its form carries.
pub struct Entering {
    pub typed: String,
    pub error: Option<String>,
    pub uid: String,
    pub taken: String,
    pub example: String,
}

/// The page of a test: guided where it has a plan.
pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<Response, AppError> {
    view(state, frame, id, String::new(), None).await
}

async fn view(state: AppState, frame: Frame, id: i64, typed: String, error: Option<String>) -> Result<Response, AppError> {
    let Some(progress) = Progress::load(&state, id).await? else {
        let judged = Judged::load(&state.store, id).await?;
        return Ok(capture(frame, judged, typed, error).into_response());
    };
    let setup = &progress.judged.test.setup;
    let example =
        if progress.plan.question.card().reads[0].contains(&Quantity::Energy) { "412 Wh".to_owned() } else { setup.example() };
    let taken = for_field(Timestamp::now(), &frame.time_zone);
    guided::page(state, frame, progress, Entering { typed, error, uid: new_uid(), taken, example }).await
}

fn capture(frame: Frame, judged: Judged, typed: String, error: Option<String>) -> Capture {
    let setup = &judged.test.setup;
    Capture {
        aim: aim::draw(setup.tilt_deg, setup.azimuth_deg),
        aim_words: words::aim(setup),
        cautions: words::cautions(setup.load),
        defer: words::DEFER,
        typed,
        error,
        uid: new_uid(),
        taken: for_field(Timestamp::now(), &frame.time_zone),
        readings: Readings::of(&judged, &frame.time_zone),
        panel: judged.panel,
        test: judged.test,
        frame,
    }
}

pub async fn readings(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Response, AppError> {
    if let Some(progress) = Progress::load(&state, id).await? {
        return Ok(Board::of(&progress, &zone, Timestamp::now()).into_response());
    }
    let judged = Judged::load(&state.store, id).await?;
    Ok(Readings::of(&judged, &zone).into_response())
}

pub async fn understood(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Clock(zone): Clock,
    Query(query): Query<Pairs>,
) -> Result<Understood, AppError> {
    let test = state.store.test(id).await?;
    let panel = state.store.panel(test.panel_id).await?;
    let site = site_of(&state.store, &test).await?;
    let arranged = Arranged::load(&state.store, &test, &panel).await?;
    let entered = taken(&query, Timestamp::now(), &zone)?;
    let nothing = Understood {
        figures: Vec::new(),
        watts: None,
        at_stc: None,
        percent: None,
        time: None,
        sky: None,
        note: None,
        doubts: Vec::new(),
        error: None,
    };
    Ok(match understand(value(&query, "typed"), &test.setup.meaning()) {
        Err(error) => Understood { error: Some(format!("{error}.")), ..nothing },
        Ok(entry) => {
            let figures = entry.figures();
            let moment = at_time(entry.time, entered, &zone).unwrap_or(entered);
            let taken =
                Taken { figures: &figures, unix_s: moment.as_second() as f64, day_of_year: day_of_year(moment), sky: entry.sky };
            let arrangement = arranged.under(&baseline(&test)).ok();
            let judged = judge_arranged(&panel.draft.nameplate, &test.setup, site.as_ref(), arrangement.as_ref(), [taken]);
            let result = &judged.readings[0];
            let point = result.pmax.as_ref();
            Understood {
                figures: figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect(),
                watts: result.watts_w.map(|watts_w| computed(watts_w, "W").to_string()),
                at_stc: point.map(|point| with_u(point.at_stc, point.u_at_stc(), "W").to_string()),
                percent: point.map(|point| with_u(point.percent, point.u_percent(), "%").to_string()),
                time: entry.time.map(clock_text),
                sky: entry.sky.map(SkyNote::label),
                note: entry.note.clone(),
                doubts: result
                    .left_out
                    .iter()
                    .map(|reason| advice(reason).why)
                    .chain(result.remarks.iter().map(remark))
                    .collect(),
                error: None,
            }
        }
    })
}

fn clock_text(ClockTime { hour, minute, second }: ClockTime) -> String {
    format!("{hour:02}:{minute:02}:{second:02}")
}

/// A reading from the form of the page, without a script.
pub async fn add(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let taken = taken(&pairs, Timestamp::now(), &frame.time_zone);
    let accepted = match taken.and_then(|taken| read_line(&test.setup, &pairs, taken, &frame.time_zone)) {
        Ok(new) => state.store.accept(id, &new, Timestamp::now()).await.map(|_| new).map_err(AppError::from),
        Err(error) => Err(error),
    };
    match accepted {
        Ok(new) => {
            begin_if_waiting(&state, id, new.run_id, new.taken_utc).await?;
            state.hub.tell(id);
            Ok(Redirect::to(&format!("/tests/{id}")).into_response())
        }
        Err(AppError::Input(input)) => {
            let page = view(state, frame, id, value(&pairs, "typed").to_owned(), Some(input.message)).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(error) => Err(error),
    }
}

/// A reading from the page's script: the same, answered in JSON, with the time at which Enter was pressed.
pub async fn add_json(
    State(state): State<AppState>,
    Clock(zone): Clock,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let entered = value(&pairs, "taken_utc");
    let entered = entered.parse().map_err(|_| AppError::input("taken_utc", entered, format!("\"{entered}\" is not a time.")))?;
    let taken = taken(&pairs, entered, &zone)?;
    let new = read_line(&test.setup, &pairs, taken, &zone)?;
    let accepted = state.store.accept(id, &new, Timestamp::now()).await?;
    begin_if_waiting(&state, id, new.run_id, new.taken_utc).await?;
    state.hub.tell(id);
    let (status, word) = match accepted {
        Accepted::New => (StatusCode::CREATED, "new"),
        Accepted::Already => (StatusCode::OK, "already"),
    };
    Ok((status, Json(json!({ "accepted": word, "uid": new.uid }))).into_response())
}

/// A correction: the line typed anew, and why.
pub async fn correct(
    State(state): State<AppState>,
    Clock(zone): Clock,
    Path((id, uid)): Path<(i64, String)>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let test = state.store.test(id).await?;
    let old = newest(&state, id, &uid).await?;
    let mut new = read_line(&test.setup, &pairs, old.taken_utc, &zone)?;
    new.run_id = old.run_id;
    new.revision = Some(Revision { replaces_uid: uid, reason: reason(&pairs, "corrected"), withdrawn: false });
    state.store.accept(id, &new, Timestamp::now()).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}

/// Takes a reading back, or puts it back: a revision with the figures it had.
pub async fn withdraw(
    State(state): State<AppState>,
    Path((id, uid)): Path<(i64, String)>,
    Form(pairs): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let old = newest(&state, id, &uid).await?;
    let was_withdrawn = old.revision.as_ref().is_some_and(|revision| revision.withdrawn);
    let usual = if was_withdrawn { "put back" } else { "taken back" };
    let revision = Revision { replaces_uid: uid, reason: reason(&pairs, usual), withdrawn: !was_withdrawn };
    let new = NewReading { uid: checked_uid(value(&pairs, "uid"))?, revision: Some(revision), ..old };
    state.store.accept(id, &new, Timestamp::now()).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}

/// The row a revision is about. A second arrival of the same revision finds its line changed, and is recognised later by
/// its own identity.
async fn newest(state: &AppState, test_id: i64, uid: &str) -> Result<NewReading, AppError> {
    let lines = lines(state.store.readings(test_id).await?);
    let mut rows = lines.into_iter().flat_map(|line| line.past.into_iter().chain(line.current));
    let row = rows.find(|row| row.what.uid == uid).ok_or(StoreError::NotFound("reading"))?;
    Ok(row.what)
}

fn reason(pairs: &Pairs, usual: &str) -> String {
    match value(pairs, "reason").trim() {
        "" => usual.to_owned(),
        given => given.chars().take(200).collect(),
    }
}

/// An identity made by the sender: letters, digits and hyphens.
pub fn checked_uid(uid: &str) -> Result<String, AppError> {
    let sound = (8..=64).contains(&uid.len()) && uid.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-');
    if sound {
        Ok(uid.to_owned())
    } else {
        Err(AppError::input("uid", uid, "A reading needs an identity of 8 to 64 letters, digits and hyphens."))
    }
}

/// The moment of a time of day, on the day of `taken`; `taken` itself where the line has none.
fn at_time(time: Option<ClockTime>, taken: Timestamp, zone: &TimeZone) -> Option<Timestamp> {
    let Some(ClockTime { hour, minute, second }) = time else { return Some(taken) };
    let day = taken.to_zoned_datetime(zone.clone()).date();
    zone.to_timestamp(day.at(hour as i8, minute as i8, second as i8, 0)).ok()
}

/// A typed line as a reading. A time in the line (`@13:05`) is of the day of `taken`.
fn read_line(setup: &Setup, pairs: &Pairs, taken: Timestamp, zone: &TimeZone) -> Result<NewReading, AppError> {
    let typed = value(pairs, "typed");
    let entry: Entry = understand(typed, &setup.meaning()).map_err(|error| AppError::entry(typed, &error))?;
    let taken_utc = at_time(entry.time, taken, zone)
        .ok_or_else(|| AppError::input("typed", typed, "That time cannot be placed on this day."))?;
    if taken_utc.as_second() > Timestamp::now().as_second() + AHEAD_S {
        let message = format!("{} is still to come.", clock(taken_utc, zone));
        return Err(AppError::input("typed", typed, message));
    }
    // Fractions of a second are more than anybody's thumb is good for.
    let taken_utc = Timestamp::from_second(taken_utc.as_second()).unwrap_or(taken_utc);
    Ok(NewReading {
        uid: checked_uid(value(pairs, "uid"))?,
        taken_utc,
        typed: typed.trim().to_owned(),
        note: entry.note.clone().unwrap_or_default(),
        sky: entry.sky,
        figures: entry.figures(),
        run_id: value(pairs, "run").parse().ok(),
        revision: None,
    })
}

/// When the reading was taken: when it was entered, unless the person set the time.
fn taken(pairs: &Pairs, entered: Timestamp, zone: &TimeZone) -> Result<Timestamp, AppError> {
    let local = value(pairs, "taken").trim();
    if value(pairs, "set_time").is_empty() || local.is_empty() {
        return Ok(entered);
    }
    let parsed: Result<DateTime, _> = local.parse();
    let placed = parsed.and_then(|local| zone.to_timestamp(local));
    placed.map_err(|_| AppError::input("taken", local, format!("\"{local}\" is not a date and time.")))
}
