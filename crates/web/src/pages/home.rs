//! The bench at a glance: its tests with what they show, and its panels.

use super::judged::{Judged, site_of};
use super::progress::Progress;
use crate::arranged::Arranged;
use crate::draw::forest::{self, Interval};
use crate::error::AppError;
use crate::figures::{day, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::{self, aim};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use flindo_store::Panel;
use std::collections::HashMap;

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
    pub word: &'static str,
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
    let panels: HashMap<i64, Panel> = store.panels().await?.into_iter().map(|panel| (panel.id, panel)).collect();
    let mut readings = store.all_readings().await?;
    let mut views = Vec::new();
    for test in store.tests().await? {
        let Some(panel) = panels.get(&test.panel_id).filter(|panel| of_panel.is_none_or(|id| id == panel.id)) else { continue };
        let rows = readings.remove(&test.id).unwrap_or_default();
        let id = test.id;
        if test.plan.is_some() && !test.question.is_of_rating() {
            if let Some(progress) = Progress::load(state, id).await? {
                views.push(compared_view(&progress, frame));
            }
            continue;
        }
        let site = site_of(store, &test).await?;
        let arranged = Arranged::load(store, &test, panel).await?;
        views.push(test_view(&Judged::of(panel.clone(), test, rows, site.as_ref(), arranged), frame));
    }
    Ok(views)
}

/// A test whose runs are compared: its sentence in the place of a finding.
fn compared_view(progress: &Progress, frame: &Frame) -> TestView {
    let compared = progress.compared();
    let (shown, word) =
        if compared.mark == "makes" { ("makes", "Shows a difference") } else { ("cant-tell", "No difference shown yet") };
    let one = if let [one] = &compared.rows.iter().filter(|row| row.shown != "baseline").collect::<Vec<_>>()[..] {
        Some(one.percent.clone())
    } else {
        None
    };
    TestView { mark: shown, word, percent: one, svg: None, ..test_view(&progress.judged, frame) }
}

fn test_view(judged: &Judged, frame: &Frame) -> TestView {
    let (mark, word) = words::finding(judged.result.finding);
    let pmax = judged.result.pmax.as_ref();
    let first = judged.lines.first().map(|line| line.newest().what.taken_utc).unwrap_or(judged.test.created_utc);
    let (low_w, high_w) = judged.panel.draft.nameplate.rated_band_w();
    let rated_w = judged.panel.draft.nameplate.rated_w;
    TestView {
        id: judged.test.id,
        tag: judged.panel.draft.tag.clone(),
        name: judged.panel.draft.name.clone(),
        mark,
        word,
        percent: pmax.map(|pmax| with_u(pmax.percent, pmax.u_percent, "%").to_string()),
        day: day(first, &frame.time_zone),
        aim: aim(&judged.test.setup),
        load: judged.test.setup.load.label(),
        question: judged.test.question.label(),
        readings: judged.result.readings.len(),
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
