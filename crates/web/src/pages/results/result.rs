//! The result of a test: verdict, ladder, readings, and every figure opened.

use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::door::typed::Pairs;
use crate::error::AppError;
use crate::frame::Frame;
use crate::kept::assessments::Depth;
use crate::report::sheet::{ReadingWorkings, Sheet, sheet};
use crate::state::AppState;
use crate::views::compared::{ComparedView, PredictedView};
use crate::views::drawn::Drawn;
use crate::views::evaluated::{NamedView, SidesRow};
use crate::views::reading::LineView;
use crate::words;
use crate::workings;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Response};

#[derive(Template, WebTemplate)]
#[template(path = "result.html")]
pub struct ResultPage {
    frame: Frame,
    drawn: Drawn,
    test_id: i64,
    tag: String,
    name: String,
    sheet: Sheet,
}

/// The percent of each level, opened.
fn level_workings(evaluated: &Evaluated<'_>) -> Vec<ReadingWorkings> {
    let Some(Ok(found)) = evaluated.assessment.outcome.comparison() else { return Vec::new() };
    let of = |one: &flindo_core::verdict::comparison::Level| ReadingWorkings {
        heading: evaluated.level_name(one.difference.level),
        workings: workings::opened(one.difference.derivation()),
    };
    found.levels.iter().map(of).collect()
}

/// The result of a test whose runs are compared with each other.
#[derive(Template, WebTemplate)]
#[template(path = "compare.html")]
pub struct ComparePage {
    frame: Frame,
    drawn: Drawn,
    test_id: i64,
    tag: String,
    question: &'static str,
    conditions: String,
    compared: ComparedView,
    also: Vec<(String, &'static str)>,
    predicted: Option<PredictedView>,
    sides: Vec<SidesRow>,
    named: Vec<NamedView>,
    settles: Vec<String>,
    lines: Vec<LineView>,
    part: Paging,
    /// By level.
    workings: Vec<ReadingWorkings>,
    /// The calculation it was started from: name, and where it is.
    calculation: Option<(String, String)>,
    /// Its logs: id, name.
    logs: Vec<(i64, String)>,
    question_name: &'static str,
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    let (evaluated, recorded) = (judged.evaluated(), judged.evaluated().recorded);
    let part = Paging::of(&query, recorded.lines.len());
    let drawn = Drawn::of_test(recorded, &frame.time_zone);
    let (test, panel) = (&recorded.test, &recorded.panel);
    if evaluated.is_comparison() {
        let page = ComparePage {
            test_id: id,
            question: test.question.label(),
            conditions: words::conditions(&test.setup),
            compared: evaluated.compared(&frame.time_zone),
            also: evaluated.also(),
            predicted: evaluated.predicted(),
            sides: evaluated.sides(),
            named: evaluated.named(),
            settles: evaluated.settles(),
            lines: evaluated.views(&frame.time_zone, part),
            part,
            workings: level_workings(evaluated),
            calculation: state.store.calculation_of(id).await?.map(|one| (one.name.clone(), one.link())),
            logs: state.store.logs_of_test(id).await?.into_iter().map(|log| (log.id, log.name)).collect(),
            question_name: test.question.name(),
            tag: panel.draft.tag.clone(),
            drawn,
            frame,
        };
        return Ok(page.into_response());
    }
    let sheet = sheet(evaluated, &frame, part);
    Ok(ResultPage { test_id: id, tag: panel.draft.tag.clone(), name: panel.name().to_owned(), sheet, drawn, frame }
        .into_response())
}
