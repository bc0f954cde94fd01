//! The result of a test: verdict, ladder, readings, and every figure opened.

use super::judged::{Judged, LineView};
use super::predicted::PredictedView;
use super::progress::{ComparedView, Progress};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::{self, OPEN_SHORT_CANNOT, OPEN_SHORT_PROVES, Verdict};
use crate::workings::{self, BudgetLine, Working};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use flindo_core::verdict::combine::Combined;
use flindo_core::verdict::point::What;
use flindo_core::verdict::rating::Finding;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "result.html")]
pub struct ResultPage {
    frame: Frame,
    test_id: i64,
    tag: String,
    name: String,
    sheet: Sheet,
}

/// What result and report share.
pub struct Sheet {
    pub verdict: Verdict,
    pub conditions: String,
    pub ladder: Option<String>,
    pub ladder_notes: Vec<String>,
    pub forest: Option<String>,
    pub lines: Vec<LineView>,
    /// Of the whole test.
    pub workings: Vec<Working>,
    pub budget: Vec<BudgetLine>,
    pub reading_workings: Vec<ReadingWorkings>,
    /// Voc and Isc of the whole test: (what, figure).
    pub open_short: Vec<(&'static str, String)>,
    pub proves: &'static [&'static str],
    pub cannot: &'static [&'static str],
}

/// The figures of one reading, opened.
pub struct ReadingWorkings {
    pub heading: String,
    pub workings: Vec<Working>,
}

pub fn sheet(judged: &Judged, zone: &TimeZone) -> Sheet {
    let result = &judged.result;
    let whole = result.pmax.as_ref().zip(result.ladder.as_ref());
    let only_open_short = result.finding == Finding::OpenAndShortOnly;
    let budget = result.pmax.as_ref().or(if only_open_short { result.short_circuit.as_ref() } else { None });
    Sheet {
        verdict: judged.verdict(),
        conditions: words::conditions(&judged.test.setup),
        ladder: judged.ladder_svg(),
        ladder_notes: ladder_notes(judged),
        forest: judged.forest_svg(zone),
        lines: judged.views(zone),
        workings: whole.map(|(combined, ladder)| workings::of_whole(combined, ladder)).unwrap_or_default(),
        budget: budget.map(|combined| workings::budget(&combined.budget)).unwrap_or_default(),
        reading_workings: reading_workings(judged, zone),
        open_short: [What::Voc, What::Isc]
            .into_iter()
            .filter_map(|what| result.combined(what).map(|combined| (what.label(), percent_of_label(combined))))
            .collect(),
        proves: if only_open_short { &OPEN_SHORT_PROVES } else { &[] },
        cannot: if only_open_short { &OPEN_SHORT_CANNOT } else { &[] },
    }
}

/// What to know beside the ladder.
fn ladder_notes(judged: &Judged) -> Vec<String> {
    let mut notes = Vec::new();
    if judged.result.ladder.as_ref().is_some_and(|ladder| !ladder.counts) {
        notes.push("None of these readings counts for the rating; the ladder shows where their watts went.".to_owned());
    }
    notes.extend(judged.not_understood.clone());
    notes
}

fn percent_of_label(combined: &Combined) -> String {
    crate::figures::with_u(combined.percent, combined.u_percent, "%").to_string()
}

fn reading_workings(judged: &Judged, zone: &TimeZone) -> Vec<ReadingWorkings> {
    let mut all = Vec::new();
    for (reading, result) in judged.standing() {
        let points = [&result.pmax, &result.voc, &result.isc].into_iter().flatten();
        let workings: Vec<Working> =
            points.flat_map(|point| workings::of_reading(&reading.what.figures, &judged.test.setup, point)).collect();
        if !workings.is_empty() {
            all.push(ReadingWorkings { heading: format!("Reading of {}", judged.when(reading.what.taken_utc, zone)), workings });
        }
    }
    all
}

/// The result of a test whose runs are compared with each other.
#[derive(Template, WebTemplate)]
#[template(path = "compare.html")]
pub struct ComparePage {
    frame: Frame,
    test_id: i64,
    tag: String,
    question: &'static str,
    conditions: String,
    compared: ComparedView,
    predicted: Option<PredictedView>,
    lines: Vec<LineView>,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<Response, AppError> {
    let progress = Progress::load(&state, id).await?;
    if let Some(progress) = progress.filter(|progress| !progress.plan.question.is_of_rating()) {
        let test = &progress.judged.test;
        let (compared, predicted) = progress.compared_and_predicted();
        let page = ComparePage {
            test_id: id,
            question: test.question.label(),
            conditions: words::conditions(&test.setup),
            compared,
            predicted,
            lines: progress.views(&frame.time_zone),
            tag: progress.judged.panel.draft.tag.clone(),
            frame,
        };
        return Ok(page.into_response());
    }
    let judged = Judged::load(&state.store, id).await?;
    let sheet = sheet(&judged, &frame.time_zone);
    Ok(ResultPage { test_id: id, tag: judged.panel.draft.tag, name: judged.panel.draft.name, sheet, frame }.into_response())
}
