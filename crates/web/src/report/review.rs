//! What a review says: products and days side by side, and claims held against them.

use crate::door::review::chosen;
use crate::error::AppError;
use crate::figures::{computed, day, number, rough, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::review as words;
use askama::Template;
use flindo_core::review::claim::check;
use flindo_core::review::grid::grid;
use flindo_core::review::summary::Summary;
use flindo_core::review::table::{Apart, Table, table};

/// What a review says; alone in a file of its own it has no forms.
#[derive(Template)]
#[template(path = "parts/review_article.html")]
pub struct ReviewArticle {
    is_alone: bool,
    version: &'static str,
    id: i64,
    pub name: String,
    notes: String,
    subjects: Vec<SubjectView>,
    rows: Vec<RowView>,
    summary: Vec<String>,
    apart: Vec<String>,
    has_bare_watts: bool,
    claims: Vec<(String, &'static str, String)>,
    grid: Option<GridView>,
    tests: Vec<TestLine>,
    patterns: Vec<String>,
    missing: usize,
}

impl ReviewArticle {
    fn has_ratings(&self) -> bool {
        self.subjects.iter().any(|subject| !subject.rating.is_empty())
    }
}

struct SubjectView {
    name: String,
    baseline: String,
    rating: String,
    price: String,
    reason: String,
}

struct RowView {
    pattern: String,
    cells: Vec<CellView>,
}

struct CellView {
    percent: String,
    rank: usize,
    mean: String,
    predicted: String,
    tests: usize,
}

struct GridView {
    controllers: Vec<String>,
    rows: Vec<(String, Vec<(String, String)>)>,
    is_one_test: bool,
}

struct TestLine {
    uid: String,
    id: i64,
    name: String,
}

/// The review as it is shown, or as it stands alone.
pub async fn article(state: &AppState, frame: &Frame, id: i64, is_alone: bool) -> Result<ReviewArticle, AppError> {
    let row = state.store.review(id).await?;
    let (digests, missing) = chosen(state, &row.draft).await?;
    let summaries: Vec<Summary> = digests.iter().map(|digest| digest.summary.clone()).collect();
    let found = table(&summaries);
    let register = state.store.register().await?;
    let label_of =
        |kind: &str| register.panels.iter().find(|panel| panel.name() == kind).map(|panel| panel.label().construction());
    let subject = |(at, subject): (usize, &flindo_core::review::table::Subject)| {
        let first = subject.tests.first().and_then(|test| summaries[*test].levels.first());
        let kind = first.and_then(|level| level.panels.first()).map(|piece| piece.kind.clone()).unwrap_or_default();
        SubjectView {
            name: subject.name.clone(),
            baseline: subject
                .baseline_means
                .iter()
                .map(|(mean, unit)| rough(*mean, unit).to_string())
                .collect::<Vec<_>>()
                .join(", "),
            rating: subject.rating_percent.map(|figure| words::figure(figure, "%")).unwrap_or_default(),
            price: subject
                .price_per_w
                .map(|price| format!("{} \u{b1} {} {}/W", number(price.value, 3), number(price.u, 3), frame.bench.currency))
                .unwrap_or_default(),
            reason: label_of(&kind).map(|construction| reason(construction.label(), &found, at)).unwrap_or_default(),
        }
    };
    let has_bare_watts = found.apart.contains(&Apart::BareWatts);
    Ok(ReviewArticle {
        is_alone,
        version: env!("CARGO_PKG_VERSION"),
        id,
        subjects: found.subjects.iter().enumerate().map(subject).collect(),
        rows: rows(&found, &summaries),
        summary: words::summary(&found),
        apart: found.apart.iter().map(words::apart).collect(),
        has_bare_watts,
        claims: row
            .draft
            .claims
            .iter()
            .map(|claim| {
                let checked = check(claim, &found);
                (words::claim(claim), checked.verdict.name(), words::checked(&checked))
            })
            .collect(),
        grid: grid_view(&summaries),
        patterns: found.rows.iter().map(|row| row.pattern.clone()).collect(),
        tests: digests
            .iter()
            .map(|digest| TestLine {
                uid: digest.test.uid.clone(),
                id: digest.test.id,
                name: format!(
                    "{} {}, {}",
                    digest.tag,
                    digest.kind,
                    day(digest.summary.last_utc.unwrap_or(digest.test.created_utc), &frame.time_zone)
                ),
            })
            .collect(),
        missing,
        name: row.draft.name,
        notes: row.draft.notes,
    })
}

/// Why a product does as it does: its cells and diodes, and whether the solved circuit agrees with what was measured.
fn reason(construction: &str, found: &Table, subject: usize) -> String {
    let cells =
        || found.rows.iter().filter_map(|row| row.cells[subject].as_ref()).filter(|cell| cell.predicted_percent.is_some());
    let (all, agree) = (cells().count(), cells().filter(|cell| cell.agrees).count());
    match all {
        0 => construction.to_owned(),
        _ => format!("{construction}; the solved circuit agrees with {agree} of {all} patterns"),
    }
}

fn rows(found: &Table, summaries: &[Summary]) -> Vec<RowView> {
    let unit = summaries.iter().find_map(|summary| summary.compared).map_or("", |compared| compared.unit());
    let view = |cell: &Option<flindo_core::review::table::Cell>| match cell {
        None => CellView { percent: "not measured".to_owned(), rank: 0, mean: String::new(), predicted: String::new(), tests: 0 },
        Some(cell) => CellView {
            percent: words::figure(cell.percent, "%"),
            rank: cell.rank,
            mean: cell.mean.map(|mean| rough(mean, unit).to_string()).unwrap_or_default(),
            predicted: cell.predicted_percent.map(|percent| crate::figures::percent(percent).to_string()).unwrap_or_default(),
            tests: cell.tests,
        },
    };
    found.rows.iter().map(|row| RowView { pattern: row.pattern.clone(), cells: row.cells.iter().map(view).collect() }).collect()
}

fn grid_view(summaries: &[Summary]) -> Option<GridView> {
    let found = grid(summaries)?;
    let field = |field: &Option<flindo_core::review::grid::Field>| match field {
        None => ("not measured".to_owned(), String::new()),
        Some(field) => (
            with_u(field.percent.value, field.percent.u, "%").to_string(),
            field.mean.map(|(mean, unit)| computed(mean, unit).to_string()).unwrap_or_default(),
        ),
    };
    let rows = found.panels.into_iter().zip(&found.fields).map(|(panel, fields)| (panel, fields.iter().map(field).collect()));
    Some(GridView { rows: rows.collect(), controllers: found.controllers, is_one_test: found.is_one_test })
}
