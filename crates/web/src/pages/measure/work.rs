//! The page of a test at work, whatever it is: without a plan, planned run by run, or a panel's rating. One line takes what is read, and in
//! a test without a plan what changes; state, states and answers stand beside it.

use crate::door::entering::{Entering, open_run, read_line, taken};
use crate::door::paging::Paging;
use crate::door::stops;
use crate::door::typed::{Pairs, value};
use crate::door::working::{self, WorkLine};
use crate::error::AppError;
use crate::figures::for_field;
use crate::frame::{Clock, Frame};
use crate::kept::assessments::Depth;
use crate::pages::measure::board::Board;
use crate::pages::measure::choices::Choices;
use crate::state::AppState;
use crate::views::meters::{MetersView, OfTest, meters_view};
use crate::words;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_store::{Photo, Test, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "work.html")]
pub struct WorkPage {
    frame: Frame,
    test_id: i64,
    /// What it is of and what it asks.
    name: String,
    is_open: bool,
    entering: Entering,
    cautions: Vec<&'static str>,
    defer: &'static str,
    /// On the keypad.
    units: Vec<&'static str>,
    board: Board,
    /// What the chips of a test without a plan open.
    choices: Vec<Choices>,
    meters: MetersView,
    photos: Vec<Photo>,
}

/// The page of a test; its preflight first, where a stop of its rig is open.
pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    view(&state, frame, id, (String::new(), None), &query).await
}

async fn view(
    state: &AppState,
    frame: Frame,
    id: i64,
    (typed, error): (String, Option<String>),
    query: &Pairs,
) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Brief).await?;
    let evaluated = judged.evaluated();
    let test = &evaluated.recorded.test;
    if test.plan.is_some() && !stops::open(state, frame.place.as_ref(), test).await?.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{id}/preflight")).into_response());
    }
    let register = state.store.register().await?;
    let tag = &evaluated.recorded.panel.draft.tag;
    let taken = for_field(Timestamp::now(), &frame.time_zone);
    let page = WorkPage {
        test_id: id,
        name: if test.is_open { "Measure now".to_owned() } else { format!("{tag} \u{b7} {}", test.question.label()) },
        is_open: test.is_open,
        entering: Entering { typed, error, uid: new_uid(), taken, example: example(test) },
        cautions: words::cautions(test.setup.load),
        defer: words::DEFER,
        units: test.setup.units_read(),
        board: Board::of(evaluated, &frame.time_zone, Paging::of(query, evaluated.recorded.lines.len())),
        choices: if test.is_open { Choices::of(&register, evaluated) } else { Vec::new() },
        meters: meters_view(state, &frame.time_zone, Some(OfTest::of(test))).await,
        photos: state.store.photos(id).await?,
        frame,
    };
    Ok(page.into_response())
}

/// A line as it may be typed.
fn example(test: &Test) -> String {
    if test.is_open {
        return "66.0 W, or flat: 61.5 W".to_owned();
    }
    let reads_energy = test.plan.as_ref().is_some_and(|plan| plan.question.card().reads[0].contains(&Quantity::Energy));
    if reads_energy { "412 Wh".to_owned() } else { test.setup.example() }
}

/// The parts of the page that change; also for a page that takes them in.
pub async fn readings(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Board, AppError> {
    let judged = state.judged(id, Depth::Brief).await?;
    let evaluated = judged.evaluated();
    Ok(Board::of(evaluated, &zone, Paging::newest(evaluated.recorded.lines.len())))
}

/// A line from the form of the page, without a script.
pub async fn add(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let zone = frame.time_zone.clone();
    let kept =
        if test.is_open { add_work(&state, &test, &pairs, &zone).await } else { add_reading(&state, &test, &pairs, &zone).await };
    match kept {
        Ok(()) => Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        Err(AppError::Input(input)) => {
            let typed = value(&pairs, "typed").to_owned();
            let page = view(&state, frame, id, (typed, Some(input.message)), &Pairs::new()).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(error) => Err(error),
    }
}

async fn add_work(state: &AppState, test: &Test, pairs: &Pairs, zone: &TimeZone) -> Result<(), AppError> {
    let entered_utc = taken(pairs, Timestamp::now(), zone)?;
    let typed = value(pairs, "typed");
    let line = WorkLine { uid: value(pairs, "uid"), typed, entered_utc, state: None };
    match working::take(state, test.id, &line, zone).await? {
        Ok(_) => Ok(()),
        Err(asked) => Err(AppError::input("typed", typed, asked.asked)),
    }
}

async fn add_reading(state: &AppState, test: &Test, pairs: &Pairs, zone: &TimeZone) -> Result<(), AppError> {
    let taken = taken(pairs, Timestamp::now(), zone)?;
    let new = read_line(&test.setup, pairs, taken, zone)?;
    state.store.accept(test.id, &new, Timestamp::now()).await?;
    open_run(state, test.id, new.run_id, new.taken_utc).await?;
    state.hub.tell(test.id);
    Ok(())
}
