//! Live meters as pages show them.

use crate::background::hub::MeterNow;
use crate::draw::trace;
use crate::figures::{self, clock, number};
use crate::state::AppState;
use askama::Template;
use flindo_core::record::plan::steady_within_rel;
use flindo_meters::live::{MeterState, STALE_MS, Shown};
use flindo_store::{Test, new_uid};
use jiff::tz::TimeZone;

/// All live meters; also sent alone, twice a second.
#[derive(Template)]
#[template(path = "parts/meters.html")]
pub struct MetersView {
    test_id: Option<i64>,
    /// On a page of its own.
    is_alone: bool,
    meters: Vec<MeterView>,
}

impl MetersView {
    pub fn is_none(&self) -> bool {
        self.meters.is_empty()
    }
}

/// The test that meters are read for.
#[derive(Debug, Clone, Copy)]
pub struct OfTest {
    pub id: i64,
    /// See [`steady_within_rel`].
    pub within_rel: f64,
}

impl OfTest {
    pub fn of(test: &Test) -> Self {
        OfTest { id: test.id, within_rel: steady_within_rel(test.plan.as_ref()) }
    }
}

pub struct FigureView {
    label: &'static str,
    figure: String,
    is_old: bool,
    /// Range, peak, settled mean, age.
    more: Vec<(&'static str, String)>,
    jumped: bool,
    trace: String,
}

pub struct MeterView {
    id: i64,
    name: String,
    who: String,
    /// CSS class, and the word that goes with it.
    state: &'static str,
    word: String,
    figures: Vec<FigureView>,
    /// Quantities without a figure, and what the meter says in its place.
    no_figures: Vec<(&'static str, String)>,
    can_take: bool,
    /// What it waits for before it is taken by itself; none: it can be.
    waits: Option<String>,
    can_hold: bool,
    /// Who holds it, and since when.
    held: Option<String>,
    recording: Option<i64>,
    uid: String,
}

pub fn view(now: MeterNow, zone: &TimeZone) -> MeterView {
    let (state, word) = match &now.state {
        MeterState::Waiting => ("unheard", "no data yet".to_owned()),
        MeterState::Live => ("live", "live".to_owned()),
        MeterState::Silent => ("silent", "silent: last value is old".to_owned()),
        MeterState::Unreadable(what) => ("rubbish", format!("unreadable: {what}")),
        MeterState::Lost(why) => ("lost", format!("lost: {why}")),
    };
    let is_without = |shown: &&Shown| now.no_figures.iter().any(|one| one.quantity == shown.quantity);
    let values = now
        .shown
        .iter()
        .filter(|shown| !is_without(shown))
        .map(|shown| {
            let unit = figures::unit(shown.quantity);
            let figure = |value: f64| figures::shown(value, unit).to_string();
            let mut more = Vec::new();
            if shown.high > shown.low {
                more.push((
                    "over 5 s",
                    format!("{}\u{2013}{}", figures::shown(shown.low, unit).value, figures::shown(shown.high, unit).value),
                ));
            }
            more.push(("peak", figures::shown(shown.peak, unit).value));
            if let Some(mean) = shown.settled {
                more.push(("settled", figures::shown(mean, unit).value));
            }
            more.push(("age", format!("{} s", number(shown.age_ms as f64 / 1000.0, 1))));
            FigureView {
                label: shown.quantity.label(),
                figure: figure(shown.value),
                is_old: shown.age_ms > STALE_MS,
                more,
                jumped: shown.jumped,
                trace: trace::draw(shown, now.traces.get(&shown.quantity).map_or(&[], Vec::as_slice), now.taken_ago_ms),
            }
        })
        .collect();
    MeterView {
        id: now.id,
        name: now.name,
        who: now.who,
        can_take: (now.state == MeterState::Live || now.held_by.is_some()) && now.no_figures.is_empty(),
        waits: now.steady.as_ref().err().map(ToString::to_string),
        can_hold: now.state == MeterState::Live || now.held_by.is_some(),
        no_figures: now.no_figures.into_iter().map(|one| (one.quantity.label(), one.what)).collect(),
        held: now.held_by.map(|(by, at)| format!("held since {} by {by}", clock(at, zone))),
        state,
        word,
        figures: values,
        recording: now.recording,
        uid: new_uid(),
    }
}

/// All meters as they are now.
pub async fn meters_view(state: &AppState, zone: &TimeZone, test: Option<OfTest>) -> MetersView {
    let within_rel = test.map_or(steady_within_rel(None), |test| test.within_rel);
    let meters = state.hub.meters(within_rel).await.into_iter().map(|now| view(now, zone)).collect();
    MetersView { test_id: test.map(|test| test.id), is_alone: false, meters }
}

/// One meter alone; none where it is not listened to.
pub async fn meter_view(state: &AppState, zone: &TimeZone, id: i64) -> MetersView {
    let meters = state.hub.meters(steady_within_rel(None)).await.into_iter().filter(|now| now.id == id);
    MetersView { test_id: None, is_alone: true, meters: meters.map(|now| view(now, zone)).collect() }
}
