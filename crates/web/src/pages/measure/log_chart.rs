//! The drawing of a day of a log, or of any window of it.

use crate::day::{Day, timestamp};
use crate::door::typed::{Pairs, value};
use crate::draw::day::{Band, Panel, Trace, draw};
use crate::error::AppError;
use crate::figures::{clock_short, day as day_words, unit};
use crate::logged::{Context, Worked, context};
use crate::state::AppState;
use crate::words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use flindo_core::energy::log::happened::EventKind;
use flindo_core::measure::quantity::{Dimension, Quantity};
use flindo_store::{Bucket, LogRow};
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
    log: &LogRow,
    context: &Context,
    worked: &Worked,
    asked: Option<(i64, i64)>,
) -> Result<Chart, AppError> {
    let whole = (ms(worked.window.from_s), ms(worked.window.to_s));
    let (from_ms, to_ms) = match asked {
        Some((from_ms, to_ms)) if to_ms - from_ms >= SHORTEST_MS => (from_ms.max(whole.0), to_ms.min(whole.1)),
        Some(_) | None => lit(worked).unwrap_or(whole),
    };
    let svg = match state.days.drawn(log, context, worked, (from_ms, to_ms)) {
        Some(svg) => svg,
        None => {
            let svg: Arc<str> = drawn(state, log, context, worked, (from_ms, to_ms)).await?.into();
            state.days.keep_drawn(log, context, worked, (from_ms, to_ms), Arc::clone(&svg));
            svg
        }
    };
    Ok(Chart { id: log.id, svg, from_ms, to_ms, whole, is_recording: log.ended_utc.is_none() })
}

async fn drawn(
    state: &AppState,
    log: &LogRow,
    context: &Context,
    worked: &Worked,
    (from_ms, to_ms): (i64, i64),
) -> Result<String, AppError> {
    let ahead_ms = ms(log.belongs.ahead_s);
    let mut panels: Vec<Panel> = Vec::new();
    for (quantity, buckets) in shown(state, log, (from_ms + ahead_ms, to_ms + ahead_ms)).await? {
        let buckets: Vec<Bucket> = buckets.into_iter().map(|(at, low, mean, high)| (at - ahead_ms, low, mean, high)).collect();
        let dimension = quantity.dimension();
        let is_tall = dimension == Dimension::Power;
        let course = course(worked, quantity, (from_ms, to_ms));
        let is_output = matches!(
            quantity,
            Quantity::OutputVoltage | Quantity::OutputCurrent | Quantity::OutputPower | Quantity::Air | Quantity::Ghi
        );
        let trace = Trace { class: if is_output { "second" } else { "first" }, label: capital(quantity.label()), buckets };
        match panels
            .iter_mut()
            .find(|panel| panel.unit == unit(quantity) && !matches!(dimension, Dimension::Energy | Dimension::Charge))
        {
            Some(panel) => panel.traces.push(trace),
            None => panels.push(Panel {
                label: capital(quantity.label()),
                unit: unit(quantity),
                is_tall,
                traces: vec![trace],
                course,
            }),
        }
    }
    panels.extend(running_sum(worked, (from_ms, to_ms)));
    panels.sort_by_key(|panel| !panel.is_tall);
    for panel in &mut panels {
        if panel.traces.len() > 1 {
            panel.label = panel.traces.iter().map(|trace| trace.label.as_str()).collect::<Vec<_>>().join(" \u{2014} and - - ");
        }
    }
    let bands = worked.events.iter().map(|event| Band {
        class: class(event.kind),
        word: words::day::word(event.kind).to_owned(),
        title: format!("{} {}", stretch(event.from_s, event.to_s, context), event.kind.label()),
        from_ms: ms(event.from_s),
        to_ms: ms(event.to_s),
    });
    let bands: Vec<Band> = bands.collect();
    let title = format!("{}, {}", log.name, day_words(timestamp(worked.window.from_s), &context.zone));
    Ok(draw(&title, &panels, &bands, (from_ms, to_ms), &context.zone))
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map(|first| first.to_uppercase().chain(chars).collect()).unwrap_or_default()
}

/// What is drawn: every quantity, and watts where volts and amps stand for them.
async fn shown(state: &AppState, log: &LogRow, window: (i64, i64)) -> Result<Vec<(Quantity, Vec<Bucket>)>, AppError> {
    let mut all: Vec<(Quantity, Vec<Bucket>)> = Vec::new();
    for quantity in state.store.log_quantities(log.id).await? {
        all.push((quantity, state.store.log_window(log, quantity, window, STRETCHES).await?));
    }
    let has = |quantity: Quantity| all.iter().any(|one| one.0 == quantity);
    if !has(Quantity::Power) && has(Quantity::Voltage) && has(Quantity::Current) {
        let of = |quantity: Quantity| all.iter().find(|one| one.0 == quantity).map(|one| one.1.clone()).unwrap_or_default();
        let (volts, amps) = (of(Quantity::Voltage), of(Quantity::Current));
        let mut amps = amps.into_iter().peekable();
        let mut watts = Vec::new();
        for volts in volts {
            while amps.peek().is_some_and(|amps| amps.0 < volts.0) {
                amps.next();
            }
            if let Some(amps) = amps.peek().filter(|amps| amps.0 - volts.0 < 1000) {
                watts.push((volts.0, volts.1 * amps.1, volts.2 * amps.2, volts.3 * amps.3));
            }
        }
        all.insert(0, (Quantity::Power, watts));
    }
    Ok(all)
}

/// From a little before the first light to a little after the last, where the log knows its sky.
fn lit(worked: &Worked) -> Option<(i64, i64)> {
    let is_lit = |step: &usize| {
        let at_s = worked.grid.at_s(*step);
        (worked.window.from_s..worked.window.to_s).contains(&at_s)
            && worked.happened.in_clear_w.get(*step).is_some_and(|watts| *watts > 0.0)
    };
    let (first, last) = ((0..worked.grid.steps).find(is_lit)?, (0..worked.grid.steps).rfind(is_lit)?);
    let ms = |step: usize, aside_s: f64| ((worked.grid.at_s(step) + aside_s) * 1000.0) as i64;
    (last > first + 10).then(|| (ms(first, -900.0), ms(last, 900.0)))
}

/// The clear sky's course in a panel of watts.
fn course(worked: &Worked, quantity: Quantity, (from_ms, to_ms): (i64, i64)) -> Vec<(i64, f64)> {
    if quantity != Quantity::Power && (quantity != Quantity::OutputPower || worked.grid.column(Quantity::Power).is_some()) {
        return Vec::new();
    }
    let points =
        worked.happened.in_clear_w.iter().enumerate().map(|(step, watts)| ((worked.grid.at_s(step) * 1000.0) as i64, *watts));
    points.filter(|(at_ms, watts)| (from_ms..=to_ms).contains(at_ms) && *watts > 0.0).collect()
}

/// Watt-hours so far, over the day.
fn running_sum(worked: &Worked, window: (i64, i64)) -> Option<Panel> {
    let power = worked.grid.power()?;
    let mut sum_wh = 0.0;
    let mut points = Vec::new();
    for (step, seen) in power.iter().enumerate() {
        let at_s = worked.grid.at_s(step);
        if !(worked.window.from_s..worked.window.to_s).contains(&at_s) {
            continue;
        }
        let Some(seen) = seen else { continue };
        sum_wh += seen.mean * worked.grid.step_s / 3600.0;
        let at_ms = (at_s * 1000.0) as i64;
        if (window.0..=window.1).contains(&at_ms) {
            points.push((at_ms, sum_wh, sum_wh, sum_wh));
        }
    }
    let traces = vec![Trace { class: "first", label: "Energy so far".to_owned(), buckets: points }];
    Some(Panel { label: "Energy so far".to_owned(), unit: "Wh", is_tall: false, traces, course: Vec::new() })
}

/// The drawing of another window, for a script.
pub async fn chart(State(state): State<AppState>, Path(id): Path<i64>, Query(query): Query<Pairs>) -> Result<Chart, AppError> {
    let log = state.store.log(id).await?;
    let context = context(&state.store, &log).await?;
    let ms = |name: &'static str| {
        value(&query, name)
            .parse::<f64>()
            .map(|ms| ms as i64)
            .map_err(|_| AppError::input(name, value(&query, name), "This is not a time in milliseconds."))
    };
    let asked = (ms("from")?, ms("to")?);
    let day = Day::of(Timestamp::from_millisecond((asked.0 + asked.1) / 2).unwrap_or(log.started_utc), &context.zone);
    let worked = state.days.of(&state.store, &log, &context, &day).await?;
    chart_of(&state, &log, &context, &worked, Some(asked)).await
}

/// A time of the day, or from one to another.
pub fn stretch(from_s: f64, to_s: f64, context: &Context) -> String {
    let at = |unix_s: f64| clock_short(timestamp(unix_s), &context.zone);
    if to_s > from_s { format!("{} to {}", at(from_s), at(to_s)) } else { at(from_s) }
}
