//! One panel: its label and its own curve with everything measured on it, its history over the years, its tests, its place in the league.

use crate::day::{Day, timestamp};
use crate::door::typed::{Pairs, value};
use crate::draw::{history, panel_curve};
use crate::error::AppError;
use crate::figures::{day, number, stated, with_u};
use crate::frame::Frame;
use crate::heavy;
use crate::kept::assessments::Depth;
use crate::kept::digests::{All, Digest};
use crate::kept::leagues::Leagues;
use crate::state::AppState;
use crate::views::compared::rank_words;
use crate::views::league::figure;
use crate::views::panel::label_rows;
use crate::views::panel::ratings_of;
use crate::views::row::{Row, test_row, unreadable_row};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use flindo_core::measure::correct::isc_at_stc_a;
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::layout;
use flindo_core::record::panel_event::PanelEventKind;
use flindo_core::record::question::Question;
use flindo_core::review::history::{At, ageing, expected_loss_percent_per_year};
use flindo_core::review::league::{By, Ranked, alone};
use flindo_store::{Bench, Panel, Register};
use jiff::Timestamp;
use jiff::civil::Date;
use std::sync::Arc;

/// Tests whose readings are drawn on the curve: the newest.
const TESTS_DRAWN: usize = 12;

#[derive(Template, WebTemplate)]
#[template(path = "panel.html")]
pub struct PanelPage {
    frame: Frame,
    panel: Panel,
    /// (what, figure)
    label: Vec<(&'static str, String)>,
    facts: Vec<(&'static str, String)>,
    /// (by what, rank, of how many, figure)
    /// (by, ranks, of how many, figure)
    ranks: Vec<(&'static str, String, usize, String)>,
    curve: Option<String>,
    history: Option<String>,
    ageing: Vec<String>,
    events: Vec<EventLine>,
    today: String,
    ratings: Vec<Row>,
    shade: Vec<Row>,
    others: Vec<Row>,
    photos: Vec<(i64, i64, String)>,
    /// Id, name, when.
    logs: Vec<(i64, String, String)>,
}

impl PanelPage {
    fn kinds_of_event(&self) -> &'static [PanelEventKind] {
        PanelEventKind::ALL
    }
}

struct EventLine {
    id: i64,
    day: String,
    what: &'static str,
    text: String,
}

fn facts(panel: &Panel, bench: &Bench) -> Vec<(&'static str, String)> {
    let draft = &panel.draft;
    let mut facts = vec![("condition", if draft.is_used { "used" } else { "new" }.to_owned())];
    if let Some(age_years) = draft.age_years {
        facts.push(("age", stated(age_years, "years").to_string()));
    }
    if !draft.provenance.is_empty() {
        facts.push(("source", draft.provenance.clone()));
    }
    if !draft.wear.is_empty() {
        facts.push(("inspection", draft.wear.iter().map(|wear| wear.label()).collect::<Vec<_>>().join(", ")));
    }
    if let Some(price) = panel.price() {
        facts.push(("price", format!("{} {}", number(price, 2), bench.currency)));
        let per_w = panel.label().rated_w.map(|rated_w| format!("{} {}/W", number(price / rated_w, 3), bench.currency));
        facts.extend(per_w.map(|per_w| ("price per rated watt", per_w)));
    }
    facts
}

/// Its places in the leagues in which it has one.
fn ranks(
    leagues: &Leagues,
    all: &All,
    register: &Arc<Register>,
    panel: &Panel,
    currency: &str,
) -> Vec<(&'static str, String, usize, String)> {
    let rank = |by: &By| {
        let found = leagues.of(all, register, Ranked::Panels, *by);
        let entry = found.entries.iter().find(|entry| entry.name == panel.tag())?;
        Some((by.label(), rank_words(entry.rank, entry.rank_high), found.entries.len(), figure(entry, *by, currency)))
    };
    Ranked::Panels.figures().iter().filter_map(rank).collect()
}

/// How it ages, beside what is expected of its kind.
fn ageing_words(points: &[At], panel: &Panel) -> Vec<String> {
    let (expected, is_stated) = expected_loss_percent_per_year(panel.label());
    let by = if is_stated { "stated for its kind" } else { "median of field studies for its technology" };
    let expected = format!("Expected: \u{2212}{} %/year ({by}).", number(expected, 2));
    let mut told = match ageing(points) {
        Some(found) => vec![format!(
            "Change: {} over {} years, from {} tests.",
            with_u(found.percent_per_year.value, found.percent_per_year.u, "%/year"),
            number(found.years, 1),
            found.tests
        )],
        None if points.len() == 1 => vec!["The change per year follows from a second test on another day.".to_owned()],
        None => Vec::new(),
    };
    if !points.is_empty() {
        told.push(expected);
    }
    told
}

/// Readings of one test that are drawn: more of them lie on each other.
const READINGS_DRAWN: usize = 300;

/// What was measured on it, brought to STC: the loaded points of its ratings, Voc and Isc. Of a test of more readings every so many.
async fn measured(state: &AppState, all: &All, panel: &Panel, frame: &Frame) -> Result<Vec<panel_curve::Measured>, AppError> {
    let mut points = Vec::new();
    let of_panel = all.digests.iter().filter(|digest| alone(&digest.summary, &panel.uid).next().is_some());
    for digest in of_panel.take(TESTS_DRAWN) {
        let judged = state.judged(digest.test.id, Depth::Brief).await?;
        let evaluated = judged.evaluated();
        let step = evaluated.assessment.readings.len().div_ceil(READINGS_DRAWN).max(1);
        for (reading, assessed) in evaluated.standing().step_by(step) {
            let level = evaluated.assessment.level(assessed.level);
            if !level.is_some_and(|level| level.subject.count() == 1 && level.subject.first().id == panel.uid) {
                continue;
            }
            let (label, result) = (panel.label(), &assessed.result);
            let when = format!(
                "{}, {}",
                day(reading.what.taken_utc, &frame.time_zone),
                evaluated.when(reading.what.taken_utc, &frame.time_zone)
            );
            let mut add = |voltage_v: f64, current_a: f64, counts: bool| {
                points.push(panel_curve::Measured { voltage_v, current_a, when: when.clone(), counts });
            };
            let read_a = reading.what.figures.get(Quantity::Current).map(|seen| seen.value(digest.test.setup.unsteady));
            if let (Some(pmax), Some(known), Some(read_a), Some(rated_w)) = (&result.pmax, &result.known, read_a, label.rated_w) {
                let current_a = isc_at_stc_a(read_a, known.at, label.alpha().per_k);
                let watts_w = pmax.percent / 100.0 * rated_w;
                if current_a > 0.0 {
                    add(watts_w / current_a, current_a, result.counts());
                }
            }
            if let (Some(voc), Some(label_v)) = (&result.voc, label.voc_v) {
                add(voc.percent / 100.0 * label_v, 0.0, true);
            }
            if let (Some(isc), Some(label_a)) = (&result.isc, label.isc_a) {
                add(0.0, isc.percent / 100.0 * label_a, true);
            }
        }
    }
    Ok(points)
}

/// Its curve at STC; `None` where its label says too little for one.
async fn curve(panel: &Panel, measured: Vec<panel_curve::Measured>) -> Result<Option<String>, AppError> {
    let (label, name) = (panel.label().clone(), format!("{} {}", panel.tag(), panel.name()));
    let draw = move |_: &heavy::Asker| {
        let solution = layout::Panel::of(&label)?.lit(1000.0, 25.0, &[]).solve()?;
        Ok::<_, flindo_core::error::Error>(panel_curve::draw(&name, solution.curve(), &measured))
    };
    Ok(heavy::run(draw).await?.ok())
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<PanelPage, AppError> {
    let panel = state.store.panel(id).await?;
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let zone = frame.time_zone.clone();
    let events = state.store.panel_events(id).await?;
    let points: Vec<At> = ratings_of(&all, &panel.uid)
        .into_iter()
        .map(|(at, rating)| At { unix_s: at.as_second() as f64, percent: rating.percent })
        .collect();
    let noon_s = |date: Date| Day::at(date, &zone).start_s() + 43_200.0;
    let happened: Vec<history::Happened> = events
        .iter()
        .map(|event| {
            (noon_s(event.day), format!("{}: {} {}", day(timestamp(noon_s(event.day)), &zone), event.what.label(), event.text))
        })
        .collect();
    let found_ageing = ageing(&points);
    let mut photos = Vec::new();
    let of_panel: Vec<&Arc<Digest>> = all.digests.iter().filter(|digest| digest.summary.is_of(&panel.uid)).collect();
    for digest in of_panel.iter().filter(|digest| digest.test.panel_id == id).take(TESTS_DRAWN) {
        let of_test = state.store.photos(digest.test.id).await?;
        photos.extend(of_test.into_iter().map(|photo| (digest.test.id, photo.id, photo.caption)));
    }
    let logs = state.store.logs_of_panel(id).await?;
    let logs = logs.into_iter().map(|log| (log.id, log.name, day(log.started_utc, &zone))).collect();
    let measured = measured(&state, &all, &panel, &frame).await?;
    let rows = |wanted: &dyn Fn(&Digest) -> bool| -> Vec<Row> {
        of_panel.iter().filter(|digest| wanted(digest)).map(|digest| test_row(digest, &frame)).collect()
    };
    let mut unreadable = Vec::new();
    if !all.unreadable.is_empty() {
        let listed = state.store.tests(Some(id), 0, i64::MAX).await?;
        let ids: Vec<i64> = listed.iter().map(flindo_store::Listed::id).collect();
        unreadable.extend(all.unreadable.iter().filter(|(of, _)| ids.contains(of)).map(|(of, why)| unreadable_row(*of, why)));
    }
    let is_shade = |digest: &Digest| digest.test.question == Question::ShadeCost;
    Ok(PanelPage {
        label: label_rows(&panel),
        facts: facts(&panel, &frame.bench),
        ranks: ranks(&state.kept.leagues, &all, &register, &panel, &frame.bench.currency),
        curve: curve(&panel, measured).await?,
        history: history::draw(panel.tag(), &points, &happened, found_ageing.as_ref(), &zone),
        ageing: ageing_words(&points, &panel),
        events: events
            .into_iter()
            .map(|event| EventLine {
                id: event.id,
                day: event.day.strftime("%-d %B %Y").to_string(),
                what: event.what.label(),
                text: event.text,
            })
            .collect(),
        today: Day::of(Timestamp::now(), &zone).date.to_string(),
        ratings: unreadable.into_iter().chain(rows(&|digest| !digest.summary.is_comparison())).collect(),
        shade: rows(&is_shade),
        others: rows(&|digest| digest.summary.is_comparison() && !is_shade(digest)),
        photos,
        logs,
        panel,
        frame,
    })
}

pub async fn add_event(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let text = value(&typed, "day").trim();
    let refused = || AppError::input("day", text, format!("\u{201c}{text}\u{201d} is not a date. Write it as 2026-06-21."));
    let date: Date = text.parse().map_err(|_| refused())?;
    if !flindo_core::record::bounds::is_known_year(date.year()) {
        return Err(AppError::input("day", text, "The date is outside 1970 to 2100."));
    }
    let what = PanelEventKind::from_name(value(&typed, "what")).ok_or_else(|| {
        AppError::input("what", value(&typed, "what"), "Choose what was done: cleaned, moved, repaired, damaged, other.")
    })?;
    state.store.add_panel_event(id, date, what, value(&typed, "text").trim()).await?;
    Ok(Redirect::to(&format!("/panels/{id}#history")))
}

pub async fn remove_event(State(state): State<AppState>, Path((id, event)): Path<(i64, i64)>) -> Result<Redirect, AppError> {
    state.store.remove_panel_event(id, event).await?;
    Ok(Redirect::to(&format!("/panels/{id}#history")))
}
