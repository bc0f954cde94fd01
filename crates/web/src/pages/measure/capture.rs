//! Capture: one line takes a whole reading. What was understood is shown before Enter, and the verdict so far after it.

use crate::door::entering::{Entering, at_time, open_run, read_line, taken};
use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::door::typed::{Pairs, value};
use crate::draw::aim;
use crate::error::AppError;
use crate::figures::{as_read, computed, for_field, with_u};
use crate::frame::{Clock, Frame};
use crate::kept::assessments::Depth;
use crate::pages::measure::guided::{self, Board};
use crate::pages::measure::work::{self, WorkBoard};
use crate::state::AppState;
use crate::views::reading::LineView;
use crate::words::{self, Verdict, advice, remark};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::measure::entry::{ClockTime, understand};
use flindo_core::measure::quantity::Quantity;
use flindo_core::record::test::ReadingRecord;
use flindo_core::sky::note::SkyNote;
use flindo_store::{Panel, Recorded, Test, day_of_year, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

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
    settles: Vec<String>,
    count: usize,
    part: Paging,
}

impl Readings {
    fn of(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> Self {
        let mut lines = evaluated.views(zone, part);
        lines.reverse();
        Readings {
            test_id: evaluated.recorded.test.id,
            lines,
            verdict: evaluated.verdict(),
            settles: evaluated.settles(),
            count: evaluated.assessment.readings.len(),
            part,
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

/// The page of a test: guided where it has a plan.
pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    view(state, frame, id, (String::new(), None), &query).await
}

async fn view(
    state: AppState,
    frame: Frame,
    id: i64,
    (typed, error): (String, Option<String>),
    query: &Pairs,
) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Brief).await?;
    let (evaluated, recorded) = (judged.evaluated(), judged.evaluated().recorded);
    let part = Paging::of(query, recorded.lines.len());
    if let Some(board) = WorkBoard::of(evaluated) {
        return Ok(work::page(&state, frame, evaluated, (typed, error), board).await.into_response());
    }
    let Some(plan) = evaluated.plan() else { return Ok(capture(frame, evaluated, typed, error, part).into_response()) };
    let setup = &recorded.test.setup;
    let example = if plan.question.card().reads[0].contains(&Quantity::Energy) { "412 Wh".to_owned() } else { setup.example() };
    let taken = for_field(Timestamp::now(), &frame.time_zone);
    guided::page(state, frame, evaluated, part, Entering { typed, error, uid: new_uid(), taken, example }).await
}

fn capture(frame: Frame, evaluated: &Evaluated<'_>, typed: String, error: Option<String>, part: Paging) -> Capture {
    let Recorded { test, panel, .. } = evaluated.recorded;
    let setup = &test.setup;
    Capture {
        aim: aim::draw(setup.tilt_deg, setup.azimuth_deg),
        aim_words: words::aim(setup),
        cautions: words::cautions(setup.load),
        defer: words::DEFER,
        typed,
        error,
        uid: new_uid(),
        taken: for_field(Timestamp::now(), &frame.time_zone),
        readings: Readings::of(evaluated, &frame.time_zone, part),
        panel: panel.clone(),
        test: test.clone(),
        frame,
    }
}

pub async fn readings(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Brief).await?;
    let evaluated = judged.evaluated();
    if let Some(board) = WorkBoard::of(evaluated) {
        return Ok(board.into_response());
    }
    let part = Paging::newest(evaluated.recorded.lines.len());
    if evaluated.plan().is_some() {
        return Ok(Board::of(evaluated, &zone, part).into_response());
    }
    Ok(Readings::of(evaluated, &zone, part).into_response())
}

pub async fn understood(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Clock(zone): Clock,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    if state.store.test(id).await?.is_open {
        return Ok(work::understood(&state, id, value(&query, "typed")).await?.into_response());
    }
    Ok(understood_reading(&state, id, &zone, &query).await?.into_response())
}

async fn understood_reading(state: &AppState, id: i64, zone: &TimeZone, query: &Pairs) -> Result<Understood, AppError> {
    // As one more reading of this test, so that it is judged as it will be.
    let mut recorded = state.store.recorded(id, Timestamp::now()).await?;
    let setup = recorded.test.setup;
    let entered = taken(query, Timestamp::now(), zone)?;
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
    Ok(match understand(value(query, "typed"), &setup.meaning()) {
        Err(error) => Understood { error: Some(format!("{error}.")), ..nothing },
        Ok(entry) => {
            let figures = entry.figures();
            let moment = at_time(entry.time, entered, zone).unwrap_or(entered);
            let uid = new_uid();
            recorded.record.readings.push(ReadingRecord {
                uid: uid.clone(),
                run_id: value(query, "run").parse().ok(),
                taken_utc: moment,
                day_of_year: day_of_year(moment),
                sky: entry.sky,
                figures: figures.clone(),
            });
            let evaluated = Evaluated::in_brief(&recorded, None)?;
            let judged = evaluated.judged(&uid);
            let point = judged.and_then(|judged| judged.result.pmax.as_ref()).filter(|_| !evaluated.is_comparison());
            let odd = evaluated.assessment.named.iter().filter(|one| one.reading_uid.as_deref() == Some(uid.as_str()));
            let left_out = judged.map(|judged| judged.left_out.iter().map(|reason| advice(reason).why).collect::<Vec<_>>());
            let mut doubts: Vec<String> = left_out.unwrap_or_default();
            doubts.extend(
                odd.map(|one| words::finding::finding(&one.finding).why).filter(|why| !doubts.contains(why)).collect::<Vec<_>>(),
            );
            doubts.extend(judged.iter().flat_map(|judged| judged.result.remarks.iter().map(remark)));
            Understood {
                figures: figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect(),
                watts: judged.and_then(|judged| judged.result.watts_w).map(|watts_w| computed(watts_w, "W").to_string()),
                at_stc: point.map(|point| with_u(point.at_stc, point.u_at_stc(), "W").to_string()),
                percent: point.map(|point| with_u(point.percent, point.u_percent(), "%").to_string()),
                time: entry.time.map(clock_text),
                sky: entry.sky.map(SkyNote::label),
                note: entry.note.clone(),
                doubts,
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
    if test.is_open {
        return work::add(state, frame, id, &pairs).await;
    }
    let taken = taken(&pairs, Timestamp::now(), &frame.time_zone);
    let accepted = match taken.and_then(|taken| read_line(&test.setup, &pairs, taken, &frame.time_zone)) {
        Ok(new) => state.store.accept(id, &new, Timestamp::now()).await.map(|_| new).map_err(AppError::from),
        Err(error) => Err(error),
    };
    match accepted {
        Ok(new) => {
            open_run(&state, id, new.run_id, new.taken_utc).await?;
            state.hub.tell(id);
            Ok(Redirect::to(&format!("/tests/{id}")).into_response())
        }
        Err(AppError::Input(input)) => {
            let page = view(state, frame, id, (value(&pairs, "typed").to_owned(), Some(input.message)), &Pairs::new()).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(error) => Err(error),
    }
}
