//! The bench at a glance: its tests with what they show, and its panels.

use super::evaluated::{Evaluated, list_word};
use crate::draw::forest::{self, Interval};
use crate::error::AppError;
use crate::figures::{day, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::aim;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "home.html")]
pub struct Home {
    frame: Frame,
    tests: Vec<TestView>,
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

/// All tests (of one panel, if given), the newest first.
pub async fn test_views(state: &AppState, frame: &Frame, of_panel: Option<i64>) -> Result<Vec<TestView>, AppError> {
    let store = &state.store;
    let register = store.register().await?;
    let mut readings = store.all_readings().await?;
    let mut runs = store.all_runs().await?;
    let mut views = Vec::new();
    for test in store.tests().await? {
        if of_panel.is_some_and(|id| id != test.panel_id) {
            continue;
        }
        let (rows, of_test) = (readings.remove(&test.id).unwrap_or_default(), runs.remove(&test.id).unwrap_or_default());
        let recorded = register.recorded(test, rows, of_test, Timestamp::now())?;
        views.push(test_view(&Evaluated::in_brief(&recorded)?, frame));
    }
    Ok(views)
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

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<Home, AppError> {
    let tests = test_views(&state, &frame, None).await?;
    let panels = state.store.panels().await?.len();
    Ok(Home { frame, tests, panels })
}
