//! The drawing of a day of a log, or of any window of it.

use crate::day::{Day, timestamp};
use crate::door::typed::{Pairs, value};
use crate::draw::day::{Band, Panel, Trace, draw};
use crate::error::AppError;
use crate::figures::{day as day_words, stretch, unit};
use crate::state::AppState;
use crate::words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use flindo_core::energy::log::assess::LogAssessment;
use flindo_core::energy::log::event::EventKind;
use flindo_core::measure::quantity::{Dimension, Quantity};
use flindo_store::LogRecorded;
use jiff::Timestamp;
use std::sync::Arc;

/// Stretches of a drawing: about one to each point of its width.
const STRETCHES: i64 = 700;

/// A window is never shorter than this, ms.
const SHORTEST_MS: i64 = 2_000;

/// The drawing alone, for another window.
#[derive(Template, WebTemplate)]
#[template(path = "parts/day_chart.html")]
pub struct Chart {
    id: i64,
    svg: Arc<str>,
    from_ms: i64,
    to_ms: i64,
    /// The whole of what can be shown.
    whole: (i64, i64),
    is_recording: bool,
}

/// The class of an event's band: what takes away, what limits, what is missing.
pub fn class(kind: EventKind) -> &'static str {
    match kind {
        EventKind::Clear => "is-clear",
        EventKind::Cloud => "is-cloud",
        EventKind::Shade | EventKind::Snow => "is-shade",
        EventKind::Clipping | EventKind::Throttled | EventKind::Hunting => "is-limit",
        EventKind::Wake | EventKind::Sleep | EventKind::Asleep | EventKind::Gap => "is-none",
    }
}

fn ms(unix_s: f64) -> i64 {
    (unix_s * 1000.0) as i64
}

/// The drawing of a window of a day; the part of it with light, where no window is asked for.
pub async fn chart_of(
    state: &AppState,
    log: &LogRecorded,
    worked: &LogAssessment,
    asked: Option<(i64, i64)>,
) -> Result<Chart, AppError> {
    let whole = (ms(worked.window.from_s), ms(worked.window.to_s));
    let (from_ms, to_ms) = match asked {
        Some((from_ms, to_ms)) if to_ms - from_ms >= SHORTEST_MS => (from_ms.max(whole.0), to_ms.min(whole.1)),
        Some(_) | None => worked.lit().map_or(whole, |lit| (ms(lit.from_s), ms(lit.to_s))),
    };
    let svg = match state.kept.days.drawn(log, (from_ms, to_ms)) {
        Some(svg) => svg,
        None => {
            let svg: Arc<str> = drawn(state, log, worked, (from_ms, to_ms)).await?.into();
            state.kept.days.keep_drawn(log, (from_ms, to_ms), Arc::clone(&svg));
            svg
        }
    };
    Ok(Chart { id: log.row.id, svg, from_ms, to_ms, whole, is_recording: log.row.ended_utc.is_none() })
}

async fn drawn(
    state: &AppState,
    log: &LogRecorded,
    worked: &LogAssessment,
    (from_ms, to_ms): (i64, i64),
) -> Result<String, AppError> {
    let mut panels: Vec<Panel> = Vec::new();
    for (quantity, buckets) in state.store.log_drawn(&log.row, (from_ms, to_ms), STRETCHES).await? {
        let dimension = quantity.dimension();
        let is_tall = dimension == Dimension::Power;
        let course = course(worked, quantity, (from_ms, to_ms));
        let is_output = matches!(
            quantity,
            Quantity::OutputVoltage | Quantity::OutputCurrent | Quantity::OutputPower | Quantity::Air | Quantity::Ghi
        );
        let trace = Trace { class: if is_output { "second" } else { "first" }, label: words::capital(quantity.label()), buckets };
        match panels
            .iter_mut()
            .find(|panel| panel.unit == unit(quantity) && !matches!(dimension, Dimension::Energy | Dimension::Charge))
        {
            Some(panel) => panel.traces.push(trace),
            None => panels.push(Panel {
                label: words::capital(quantity.label()),
                unit: unit(quantity),
                is_tall,
                traces: vec![trace],
                course,
            }),
        }
    }
    panels.extend(energy_so_far(worked, (from_ms, to_ms)));
    panels.sort_by_key(|panel| !panel.is_tall);
    for panel in &mut panels {
        if panel.traces.len() > 1 {
            panel.label = panel.traces.iter().map(|trace| trace.label.as_str()).collect::<Vec<_>>().join(" \u{2014} and - - ");
        }
    }
    let bands = worked.events.iter().map(|event| Band {
        class: class(event.kind),
        word: words::day::word(event.kind).to_owned(),
        title: format!("{} {}", stretch(event.from_s, event.to_s, &log.zone), event.kind.label()),
        from_ms: ms(event.from_s),
        to_ms: ms(event.to_s),
    });
    let bands: Vec<Band> = bands.collect();
    let title = format!("{}, {}", log.row.name, day_words(timestamp(worked.window.from_s), &log.zone));
    Ok(draw(&title, &panels, &bands, (from_ms, to_ms), &log.zone))
}

/// The clear sky's course in a panel of watts.
fn course(worked: &LogAssessment, quantity: Quantity, (from_ms, to_ms): (i64, i64)) -> Vec<(i64, f64)> {
    let is_of_course =
        quantity == Quantity::Power || quantity == Quantity::OutputPower && worked.steps.column(Quantity::Power).is_none();
    if !is_of_course {
        return Vec::new();
    }
    let points = worked.clear_course_w().into_iter().map(|(at_s, watts)| (ms(at_s), watts));
    points.filter(|(at_ms, _)| (from_ms..=to_ms).contains(at_ms)).collect()
}

/// Watt-hours so far, over the day.
fn energy_so_far(worked: &LogAssessment, (from_ms, to_ms): (i64, i64)) -> Option<Panel> {
    let points = worked.energy_so_far_wh();
    if points.is_empty() {
        return None;
    }
    let points = points.into_iter().map(|(at_s, wh)| (ms(at_s), wh, wh, wh));
    let buckets = points.filter(|point| (from_ms..=to_ms).contains(&point.0)).collect();
    let label = "Energy so far".to_owned();
    let traces = vec![Trace { class: "first", label: label.clone(), buckets }];
    Some(Panel { label, unit: "Wh", is_tall: false, traces, course: Vec::new() })
}

/// The drawing of another window, for a script.
pub async fn chart(State(state): State<AppState>, Path(id): Path<i64>, Query(query): Query<Pairs>) -> Result<Chart, AppError> {
    let log = state.store.log_recorded(id).await?;
    let ms = |name: &'static str| {
        value(&query, name)
            .parse::<f64>()
            .map(|ms| ms as i64)
            .map_err(|_| AppError::input(name, value(&query, name), "This is not a time in milliseconds."))
    };
    let asked = (ms("from")?, ms("to")?);
    let day = Day::of(Timestamp::from_millisecond((asked.0 + asked.1) / 2).unwrap_or(log.row.started_utc), &log.zone);
    let worked = state.kept.days.judged(&state.store, &log, &day).await?;
    chart_of(&state, &log, &worked, Some(asked)).await
}
