//! The league: panels, kinds, controllers, tilts and wirings ranked by one figure, with ties, and with what was left out.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::league::LeagueRow;
use crate::views::league::drawn;
use crate::views::league::row;
use crate::words::review;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::review::again::again;
use flindo_core::review::league::{By, Ranked};
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "league.html")]
pub struct LeaguePage {
    frame: Frame,
    of: Ranked,
    by: By,
    rows: Vec<LeagueRow>,
    svg: Option<String>,
    left_out: Vec<(String, String)>,
    baseline: Option<String>,
    waiting: usize,
}

impl LeaguePage {
    fn rankeds(&self) -> &'static [Ranked] {
        Ranked::ALL
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<LeaguePage, AppError> {
    let of = Ranked::from_name(value(&typed, "of")).unwrap_or_default();
    let asked = By::from_name(value(&typed, "by")).filter(|by| of.figures().contains(by));
    let by = asked.unwrap_or(of.figures()[0]);
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let found = state.kept.leagues.of(&all, &register, of, by);
    Ok(LeaguePage {
        rows: found.entries.iter().map(|entry| row(entry, of, by, &register, &frame)).collect(),
        svg: drawn(&found, by, &frame.bench.currency),
        left_out: found.left_out.iter().map(|(name, why)| (name.clone(), review::why_out(why))).collect(),
        baseline: found.baseline.clone(),
        waiting: all.waiting,
        of,
        by,
        frame,
    })
}

#[derive(Template, WebTemplate)]
#[template(path = "again.html")]
pub struct AgainPage {
    frame: Frame,
    rows: Vec<AgainRow>,
    tested: usize,
}

struct AgainRow {
    tag: String,
    kind: String,
    panel_id: i64,
    why: String,
    /// The newest test.
    test_id: Option<i64>,
}

/// Which panels to test again, and why.
pub async fn again_page(State(state): State<AppState>, frame: Frame) -> Result<AgainPage, AppError> {
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let found = again(&all.summaries(), &register.panel_records(), Timestamp::now());
    let rows: Vec<AgainRow> = found
        .into_iter()
        .map(|one| AgainRow {
            panel_id: register.panels.iter().find(|panel| panel.uid == one.panel).map_or(0, |panel| panel.id),
            why: review::why_again(&one.why),
            test_id: one.test.map(|at| all.digests[at].test.id),
            tag: one.tag,
            kind: one.kind,
        })
        .collect();
    Ok(AgainPage { tested: register.listed().count().saturating_sub(rows.len()), rows, frame })
}
