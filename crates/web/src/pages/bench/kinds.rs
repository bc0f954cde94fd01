//! Kinds of panel: the spread of their pieces, and the grades of a batch with their evidence.

use crate::error::AppError;
use crate::figures::{number, percent, stated, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::panel::label_rows;
use crate::views::row::{Row, test_row};
use crate::words::finding;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, State};
use flindo_core::record::test::PanelRecord;
use flindo_core::review::batch::{PieceResult, RatedByPanel, Spread, batch};
use flindo_core::review::history::expected_loss_percent_per_year;
use flindo_core::verdict::used::Grade;
use flindo_store::Register;
use std::collections::HashSet;

#[derive(Template, WebTemplate)]
#[template(path = "kinds.html")]
pub struct KindsPage {
    frame: Frame,
    kinds: Vec<KindLine>,
}

struct KindLine {
    id: i64,
    name: String,
    rated: String,
    pieces: usize,
    spread: String,
    price: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "kind.html")]
pub struct KindPage {
    frame: Frame,
    id: i64,
    name: String,
    label: Vec<(&'static str, String)>,
    spreads: Vec<(&'static str, String)>,
    grades: Vec<String>,
    pieces: Vec<PieceLine>,
    expected: String,
    tests: Vec<Row>,
    first_panel: Option<i64>,
}

struct PieceLine {
    id: i64,
    tag: String,
    percent: String,
    voc: String,
    grade: &'static str,
    evidence: Vec<String>,
    test: Option<i64>,
}

fn spread_words(spread: &Spread) -> String {
    let under = match spread.under_half {
        0 => String::new(),
        under => format!("; {under} of {} under half", spread.count),
    };
    if spread.count == 1 {
        return format!("{} (1 piece)", percent(spread.best));
    }
    format!(
        "best {}, median {}, worst {} ({} pieces){under}",
        percent(spread.best),
        percent(spread.median),
        percent(spread.worst),
        spread.count
    )
}

/// "7 of 10: reject."
fn grades(pieces: &[PieceResult]) -> Vec<String> {
    let count = |grade: Grade| pieces.iter().filter(|piece| piece.grade == Some(grade)).count();
    let graded = pieces.iter().filter(|piece| piece.grade.is_some()).count();
    Grade::ALL
        .iter()
        .filter(|grade| count(**grade) > 0)
        .map(|grade| format!("{} of {graded}: {}", count(*grade), grade.label()))
        .collect()
}

fn of_kind<'a>(register: &Register, records: &'a [PanelRecord], kind_id: i64) -> Vec<&'a PanelRecord> {
    let of_kind: HashSet<&str> =
        register.panels.iter().filter(|panel| panel.kind.id == kind_id).map(|panel| panel.uid.as_str()).collect();
    records.iter().filter(|record| of_kind.contains(record.id.as_str())).collect()
}

pub async fn list(State(state): State<AppState>, frame: Frame) -> Result<KindsPage, AppError> {
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let (summaries, records) = (all.summaries(), register.panel_records());
    let rated = RatedByPanel::of(&summaries);
    let kinds = state.store.kinds().await?;
    let line = |kind: &flindo_store::Kind| {
        let pieces = of_kind(&register, &records, kind.id);
        let found = batch(&rated, &pieces);
        KindLine {
            id: kind.id,
            name: kind.draft.name.clone(),
            rated: kind.draft.nameplate.rated_w.map(|rated_w| stated(rated_w, "W").to_string()).unwrap_or_default(),
            pieces: pieces.len(),
            spread: found
                .percent
                .or(found.voc_percent)
                .map(|spread| spread_words(&spread))
                .unwrap_or_else(|| "not tested".to_owned()),
            price: kind.draft.price.map(|price| format!("{} {}", number(price, 2), frame.bench.currency)).unwrap_or_default(),
        }
    };
    Ok(KindsPage { kinds: kinds.iter().map(line).collect(), frame })
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<KindPage, AppError> {
    let kind = state.store.kind(id).await?;
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let records = register.panel_records();
    let pieces = of_kind(&register, &records, id);
    let found = batch(&RatedByPanel::of(&all.summaries()), &pieces);
    let panel_id = |uid: &str| register.panels.iter().find(|panel| panel.uid == uid).map_or(0, |panel| panel.id);
    let (loss, is_stated) = expected_loss_percent_per_year(&kind.draft.nameplate);
    let spreads = [("percent of rating", found.percent), ("Voc, percent of label", found.voc_percent)];
    let tests = all.digests.iter().filter(|digest| pieces.iter().any(|piece| digest.summary.is_of(&piece.id)));
    Ok(KindPage {
        id,
        label: register.panels.iter().find(|panel| panel.kind.id == id).map(label_rows).unwrap_or_default(),
        spreads: spreads.into_iter().filter_map(|(what, spread)| Some((what, spread_words(&spread?)))).collect(),
        grades: grades(&found.pieces),
        expected: format!("{} %/year, {}", number(loss, 2), if is_stated { "stated" } else { "median of field studies" }),
        tests: tests.map(|digest| test_row(digest, &frame)).collect(),
        first_panel: pieces.first().map(|piece| panel_id(&piece.id)),
        pieces: found
            .pieces
            .into_iter()
            .map(|piece| PieceLine {
                id: panel_id(&piece.id),
                percent: piece.percent.map(|figure| with_u(figure.value, figure.u, "%").to_string()).unwrap_or_default(),
                voc: piece.voc_percent.map(|voc| percent(voc).to_string()).unwrap_or_default(),
                grade: piece.grade.map(|grade| grade.label()).unwrap_or_default(),
                evidence: piece.found.iter().map(|found| finding::finding(found).why).collect(),
                test: piece.test.map(|at| all.digests[at].test.id),
                tag: piece.tag,
            })
            .collect(),
        name: kind.draft.name,
        frame,
    })
}
