//! The bench at a glance: its tests with what they show, and its panels.

use super::evaluated::{Evaluated, list_word};
use super::paging::{Paging, TESTS_ON_A_PAGE};
use super::typed::Pairs;
use crate::draw::forest::{self, Interval};
use crate::error::AppError;
use crate::figures::{day, with_u};
use crate::frame::Frame;
use crate::judged::Depth;
use crate::state::AppState;
use crate::words::aim;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_store::{Listed, StoreError, Test};

#[derive(Template, WebTemplate)]
#[template(path = "home.html")]
pub struct Home {
    frame: Frame,
    tests: Vec<TestView>,
    part: Paging,
    panels: usize,
}

/// A test in a list.
pub struct TestView {
    pub id: i64,
    pub tag: String,
    pub name: String,
    pub mark: &'static str,
    pub word: String,
    pub percent: Option<String>,
    pub day: String,
    pub aim: String,
    pub load: &'static str,
    pub question: &'static str,
    pub readings: usize,
    /// The result on a small scale.
    pub svg: Option<String>,
}

/// A part of the tests (of one panel, if given), the newest first. Only those that are shown are read and assessed.
pub async fn test_views(
    state: &AppState,
    frame: &Frame,
    of_panel: Option<i64>,
    query: &Pairs,
) -> Result<(Vec<TestView>, Paging), AppError> {
    let store = &state.store;
    let total = usize::try_from(store.count_tests(of_panel).await?).unwrap_or_default();
    let part = Paging::of_tests(query, total);
    let shown = store.tests(of_panel, part.newer_ones() as i64, TESTS_ON_A_PAGE as i64).await?;
    let mut views = Vec::new();
    for listed in shown {
        views.push(match listed {
            Listed::Unreadable { id, why } => unreadable(id, why),
            Listed::Read(test) => match view_of(state, &test, frame).await {
                Ok(view) => view,
                Err(AppError::Store(StoreError::Corrupt(why))) => unreadable(test.id, why),
                Err(error) => return Err(error),
            },
        });
    }
    Ok((views, part))
}

async fn view_of(state: &AppState, test: &Test, frame: &Frame) -> Result<TestView, AppError> {
    Ok(test_view(state.judged(test.id, Depth::Brief).await?.evaluated(), frame))
}

/// A test that the file holds no readable record of.
fn unreadable(id: i64, why: String) -> TestView {
    TestView {
        id,
        tag: String::new(),
        name: format!("Test {id} cannot be read: {why}"),
        mark: "cant-tell",
        word: "Unreadable".to_owned(),
        percent: None,
        day: String::new(),
        aim: String::new(),
        load: "",
        question: "",
        readings: 0,
        svg: None,
    }
}

fn test_view(evaluated: &Evaluated<'_>, frame: &Frame) -> TestView {
    let (mark, word) = list_word(evaluated);
    let (test, panel) = (&evaluated.recorded.test, &evaluated.recorded.panel);
    let is_comparison = evaluated.is_comparison();
    let pmax = evaluated.assessment.rating().and_then(|rating| rating.pmax.as_ref()).filter(|_| !is_comparison);
    let compared = evaluated.assessment.outcome.comparison().and_then(|found| found.as_ref().ok());
    let only = compared.and_then(|found| if let [one] = &found.levels[..] { Some(&one.difference) } else { None });
    let first = evaluated.recorded.lines.first().map(|line| line.newest().what.taken_utc).unwrap_or(test.created_utc);
    let (low_w, high_w) = panel.label().rated_band_w();
    let rated_w = panel.label().rated_w;
    let figure = pmax.map(|pmax| (pmax.percent, pmax.u_percent)).or(only.map(|one| (one.percent, one.u_percent)));
    TestView {
        id: test.id,
        tag: panel.draft.tag.clone(),
        name: panel.name().to_owned(),
        mark,
        word,
        percent: figure.map(|(percent, u)| with_u(percent, u, "%").to_string()),
        day: day(first, &frame.time_zone),
        aim: aim(&test.setup),
        load: test.setup.load.label(),
        question: test.question.label(),
        readings: evaluated.assessment.readings.len(),
        svg: pmax.map(|pmax| {
            let whole = Interval { label: String::new(), percent: pmax.percent, u_percent: pmax.u_percent, counts: true };
            forest::draw_small(&whole, (low_w / rated_w * 100.0, high_w / rated_w * 100.0))
        }),
    }
}

/// Assesses the tests of the first page, so that it is as quick after a start as at any other time.
pub async fn warm_up(state: AppState) {
    let Ok(newest) = state.store.tests(None, 0, TESTS_ON_A_PAGE as i64).await else { return };
    for test in newest.into_iter().filter_map(Listed::test) {
        // What cannot be assessed is told by the page.
        if let Err(error) = state.judged(test.id, Depth::Brief).await {
            tracing::debug!(%error, test = test.id, "not assessed");
        }
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<Home, AppError> {
    let (tests, part) = test_views(&state, &frame, None, &query).await?;
    let panels = state.store.panels().await?.len();
    Ok(Home { frame, tests, part, panels })
}
