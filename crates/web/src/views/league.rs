//! The league as pages show it.

use crate::draw::forest::{self, Interval};
use crate::figures::{day, number, with_u};
use crate::frame::Frame;
use crate::kept::digests::All;
use crate::kept::leagues::Leagues;
use crate::views::compared::rank_words;
use flindo_core::review::league::{By, Entry, League, Ranked};
use flindo_store::{Panel, Register};
use std::sync::Arc;

/// One line, ready to be shown.
pub struct LeagueRow {
    /// The best rank that it can have, and both as words.
    pub place: usize,
    pub rank: String,
    pub name: String,
    pub kind: String,
    /// Its own page; empty where it has none.
    pub href: String,
    pub figure: String,
    pub tests: usize,
    pub newest: String,
    pub scatter: String,
}

/// A figure of a league with its unit.
pub fn figure(entry: &Entry, by: By, currency: &str) -> String {
    if by == By::PricePerWatt {
        let decimals = if entry.figure.value < 10.0 { 3 } else { 1 };
        return format!("{} \u{b1} {}\u{a0}{currency}/W", number(entry.figure.value, decimals), number(entry.figure.u, decimals));
    }
    with_u(entry.figure.value, entry.figure.u, by.unit()).to_string()
}

pub fn row(entry: &Entry, of: Ranked, by: By, register: &Register, frame: &Frame) -> LeagueRow {
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
        place: entry.rank,
        rank: rank_words(entry.rank, entry.rank_high),
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
pub fn drawn(found: &League, by: By, currency: &str) -> Option<String> {
    let intervals: Vec<Interval> = found
        .entries
        .iter()
        .map(|entry| Interval { label: entry.name.clone(), percent: entry.figure.value, u_percent: entry.figure.u, counts: true })
        .collect();
    let title = format!("{}, with expanded uncertainty", crate::words::capital(by.label()));
    let unit = if by == By::PricePerWatt { format!("{currency}/W") } else { by.unit().to_owned() };
    (!intervals.is_empty()).then(|| forest::ranked(&intervals, &title, &unit))
}

/// The first lines of the league of panels, for the overview.
pub fn glance(
    leagues: &Leagues,
    all: &All,
    register: &Arc<Register>,
    frame: &Frame,
    most: usize,
) -> (Vec<LeagueRow>, Option<String>) {
    let whole = leagues.of(all, register, Ranked::Panels, By::PercentOfRating);
    let found = League { entries: whole.entries.iter().take(most).cloned().collect(), ..League::default() };
    let rows = found.entries.iter().map(|entry| row(entry, Ranked::Panels, By::PercentOfRating, register, frame)).collect();
    (rows, drawn(&found, By::PercentOfRating, ""))
}
