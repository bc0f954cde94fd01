//! The league: panels, kinds, controllers, tilts and wirings ranked by one figure, with ties, and with what was left out.

use super::typed::{Pairs, value};
use crate::digests::All;
use crate::draw::forest::{self, Interval};
use crate::error::AppError;
use crate::figures::{day, number, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::review;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::record::test::PanelRecord;
use flindo_core::review::again::again;
use flindo_core::review::league::{By, Entry, League, Ranked, league};
use flindo_store::{Panel, Register};
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

/// One line, ready to be shown.
pub struct LeagueRow {
    pub rank: usize,
    pub name: String,
    pub kind: String,
    /// Its own page; empty where it has none.
    pub href: String,
    pub figure: String,
    pub tests: usize,
    pub newest: String,
    pub scatter: String,
}

/// Of the bench, as the core wants them.
pub fn panel_records(register: &Register) -> Vec<PanelRecord> {
    register.panels.iter().map(flindo_store::panel_record).collect()
}

/// A figure of a league with its unit.
pub fn figure(entry: &Entry, by: By, currency: &str) -> String {
    if by == By::PricePerWatt {
        let decimals = if entry.figure.value < 10.0 { 3 } else { 1 };
        return format!("{} \u{b1} {}\u{a0}{currency}/W", number(entry.figure.value, decimals), number(entry.figure.u, decimals));
    }
    with_u(entry.figure.value, entry.figure.u, by.unit()).to_string()
}

fn row(entry: &Entry, of: Ranked, by: By, register: &Register, frame: &Frame) -> LeagueRow {
    let panel = |name: &str| register.panels.iter().find(|panel: &&Panel| panel.tag() == name);
    let href = match of {
        Ranked::Panels => panel(&entry.name).map(|panel| format!("/panels/{}", panel.id)),
        Ranked::Kinds => {
            register.panels.iter().find(|panel| panel.name() == entry.name).map(|one| format!("/kinds/{}", one.kind.id))
        }
        Ranked::Controllers => {
            register.gear.iter().find(|row| row.draft.name == entry.name).map(|row| format!("/gear/{}", row.id))
        }
        Ranked::Tilts | Ranked::Wirings => None,
    };
    let unit = if by == By::PricePerWatt { "" } else { by.unit() };
    LeagueRow {
        rank: entry.rank,
        name: entry.name.clone(),
        kind: entry.kind.clone(),
        href: href.unwrap_or_default(),
        figure: figure(entry, by, &frame.bench.currency),
        tests: entry.tests.len(),
        newest: entry.newest_utc.map(|at| day(at, &frame.time_zone)).unwrap_or_default(),
        scatter: if entry.scatter > 0.0 { format!("{}\u{a0}{unit}", number(entry.scatter, 2)) } else { String::new() },
    }
}

/// The intervals of a league on one scale.
fn drawn(found: &League, by: By, currency: &str) -> Option<String> {
    let intervals: Vec<Interval> = found
        .entries
        .iter()
        .map(|entry| Interval { label: entry.name.clone(), percent: entry.figure.value, u_percent: entry.figure.u, counts: true })
        .collect();
    let title = format!("{}, with expanded uncertainty", review::capital(by.label()));
    let unit = if by == By::PricePerWatt { format!("{currency}/W") } else { by.unit().to_owned() };
    (!intervals.is_empty()).then(|| forest::ranked(&intervals, &title, &unit))
}

/// The first lines of the league of panels, for the overview.
pub fn glance(all: &All, register: &Register, frame: &Frame, most: usize) -> (Vec<LeagueRow>, Option<String>) {
    let mut found = league(&all.summaries(), &panel_records(register), Ranked::Panels, By::PercentOfRating);
    found.entries.truncate(most);
    let rows = found.entries.iter().map(|entry| row(entry, Ranked::Panels, By::PercentOfRating, register, frame)).collect();
    (rows, drawn(&found, By::PercentOfRating, ""))
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<LeaguePage, AppError> {
    let of = Ranked::from_name(value(&typed, "of")).unwrap_or_default();
    let asked = By::from_name(value(&typed, "by")).filter(|by| of.figures().contains(by));
    let by = asked.unwrap_or(of.figures()[0]);
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let found = league(&all.summaries(), &panel_records(&register), of, by);
    Ok(LeaguePage {
        rows: found.entries.iter().map(|entry| row(entry, of, by, &register, &frame)).collect(),
        svg: drawn(&found, by, &frame.bench.currency),
        left_out: found.left_out.iter().map(|(name, why)| (name.clone(), review::why_out(why))).collect(),
        baseline: found.baseline,
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
    let found = again(&all.summaries(), &panel_records(&register), Timestamp::now());
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
    Ok(AgainPage { tested: register.panels.len() - rows.len(), rows, frame })
}
