//! One log: a day of it drawn over the clear sky, what happened, what it comes to; a stretch taken as a reading; what it belongs to; and the whole of it as
//! a table.

use super::typed::{Notes, Pairs, number, value};
use crate::day::{Day, timestamp};
use crate::draw::day::{Band, Panel, Trace, draw};
use crate::error::AppError;
use crate::figures::{between, clock, clock_short, computed, day as day_words, number as plain, percent, unit};
use crate::frame::Frame;
use crate::logged::{Context, Worked, context, power, series};
use crate::state::AppState;
use crate::words;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::energy::log::happened::EventKind;
use flindo_core::measure::quantity::{Dimension, Quantity};
use flindo_core::measure::series::integral::{Window, integrate};
use flindo_store::{Belongs, Bucket, LogEvent, LogEventKind, LogRow, Store, StoreError};
use jiff::civil::Date;
use jiff::{Timestamp, ToSpan};

/// Stretches of a drawing: about one to each point of its width.
const STRETCHES: i64 = 700;

/// A window is never shorter than this, ms.
const SHORTEST_MS: i64 = 2_000;

/// Days that are offered.
const MOST_DAYS: usize = 400;

#[derive(Template, WebTemplate)]
#[template(path = "log.html")]
pub struct LogPage {
    frame: Frame,
    log: LogRow,
    when: String,
    of: Vec<(String, String)>,
    /// Days of the log, (date, words), and which is shown.
    days: Vec<(String, String)>,
    date: String,
    chart: Chart,
    facts: Vec<(&'static str, String, &'static str)>,
    events: Vec<EventLine>,
    /// What is missing or in doubt, as sentences.
    doubts: Vec<String>,
    ahead_min: Option<String>,
    more: Vec<(&'static str, String)>,
    over_light: Vec<[String; 3]>,
    over_load: Vec<[String; 3]>,
    hours: Vec<[String; 4]>,
    needs: Vec<&'static str>,
    choices: Choices,
    typed: Pairs,
    notes: Notes,
    taken: Option<String>,
}

/// The drawing alone, for another window.
#[derive(Template, WebTemplate)]
#[template(path = "parts/day_chart.html")]
pub struct Chart {
    id: i64,
    svg: String,
    from_ms: i64,
    to_ms: i64,
    /// The whole of what can be shown.
    whole: (i64, i64),
    is_recording: bool,
}

struct EventLine {
    class: &'static str,
    what: &'static str,
    when: String,
    lost: String,
    shown_by: String,
}

/// What a log can belong to.
struct Choices {
    tests: Vec<(i64, String)>,
    rigs: Vec<(i64, String)>,
    panels: Vec<(i64, String)>,
    places: Vec<(i64, String)>,
}

impl LogPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is_chosen(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }
}

/// The class of an event's band: what takes away, what limits, what is missing.
fn class(kind: EventKind) -> &'static str {
    match kind {
        EventKind::Clear => "is-clear",
        EventKind::Cloud => "is-cloud",
        EventKind::Shade | EventKind::Snow => "is-shade",
        EventKind::Clipping | EventKind::Throttled | EventKind::Hunting => "is-limit",
        EventKind::Wake | EventKind::Sleep | EventKind::Asleep | EventKind::Gap => "is-none",
    }
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<LogPage, AppError> {
    let log = state.store.log(id).await?;
    let typed = fields(&log.belongs);
    show(&state, frame, log, &query, typed, Notes::default()).await
}

async fn show(
    state: &AppState,
    frame: Frame,
    log: LogRow,
    query: &Pairs,
    typed: Pairs,
    notes: Notes,
) -> Result<LogPage, AppError> {
    let context = context(&state.store, &log).await?;
    let days = days(&state.store, &log, &context).await?;
    let chosen = value(query, "day").parse::<Date>().ok().filter(|date| days.contains(date));
    let date = chosen.or(days.last().copied()).unwrap_or_else(|| log.started_utc.to_zoned_datetime(context.zone.clone()).date());
    let day = Day::at(date, &context.zone);
    let worked = state.days.of(&state.store, &log, &context, &day).await?;
    let chart = chart_of(state, &log, &context, &worked, None).await?;
    let taken = value(query, "taken").parse::<i64>().ok().map(|test| format!("/tests/{test}"));
    Ok(LogPage {
        when: format!("{}, {}", day_words(log.started_utc, &context.zone), clock_short(log.started_utc, &context.zone)),
        of: context.of.clone(),
        days: days.iter().map(|date| (date.to_string(), day_words(Day::at(*date, &context.zone).start, &context.zone))).collect(),
        date: date.to_string(),
        chart,
        facts: facts(&worked, &context),
        events: events(&worked, &context),
        doubts: doubts(&state.store, &log, &worked, &context).await?,
        ahead_min: worked
            .clock
            .filter(|check| check.is_wrong())
            .map(|check| plain((log.belongs.ahead_s + check.ahead_s) / 60.0, 0).replace('\u{2212}', "-")),
        more: more(&worked, &context),
        over_light: bands(&worked.over_light, "W/m\u{b2}"),
        over_load: bands(&worked.over_load, "W"),
        hours: hours(state, &log, &context, &day).await?,
        needs: needs(&context, &worked),
        choices: choices(state).await?,
        frame,
        log,
        typed,
        notes,
        taken,
    })
}

/// The days on which a log has samples, by its place's clock, the newest ones of many.
async fn days(store: &Store, log: &LogRow, context: &Context) -> Result<Vec<Date>, AppError> {
    let Some((first_ms, last_ms)) = store.log_span(log.id).await? else { return Ok(Vec::new()) };
    let ahead_ms = (log.belongs.ahead_s * 1000.0) as i64;
    let date = |ms: i64| {
        let at = Timestamp::from_millisecond(ms - ahead_ms).unwrap_or(log.started_utc);
        at.to_zoned_datetime(context.zone.clone()).date()
    };
    let (mut at, last) = (date(first_ms), date(last_ms - 1));
    let mut days = Vec::new();
    while at <= last && days.len() < MOST_DAYS {
        days.push(at);
        at = at.checked_add(1.day()).unwrap_or(last);
        if days.last() == Some(&at) {
            break;
        }
    }
    Ok(days)
}

/// The drawing of a window of a day; the part of it with light, where no window is asked for.
async fn chart_of(
    state: &AppState,
    log: &LogRow,
    context: &Context,
    worked: &Worked,
    asked: Option<(i64, i64)>,
) -> Result<Chart, AppError> {
    let ms = |unix_s: f64| (unix_s * 1000.0) as i64;
    let whole = (ms(worked.window.from_s), ms(worked.window.to_s));
    let ahead_ms = ms(log.belongs.ahead_s);
    let (from_ms, to_ms) = match asked {
        Some((from_ms, to_ms)) if to_ms - from_ms >= SHORTEST_MS => (from_ms.max(whole.0), to_ms.min(whole.1)),
        Some(_) | None => lit(worked).unwrap_or(whole),
    };
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
    let svg = draw(&title, &panels, &bands, (from_ms, to_ms), &context.zone);
    Ok(Chart { id: log.id, svg, from_ms, to_ms, whole, is_recording: log.ended_utc.is_none() })
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

fn stretch(from_s: f64, to_s: f64, context: &Context) -> String {
    let at = |unix_s: f64| clock_short(timestamp(unix_s), &context.zone);
    if to_s > from_s { format!("{} to {}", at(from_s), at(to_s)) } else { at(from_s) }
}

/// (what, figure, how it comes)
fn facts(worked: &Worked, context: &Context) -> Vec<(&'static str, String, &'static str)> {
    let mut facts = Vec::new();
    let Some(found) = &worked.figures else { return facts };
    let is_measured = found.irradiation_is_measured;
    facts.push(("Energy", between(found.energy_wh, "Wh"), "trapezoid; gaps at their bounds, meter included"));
    facts.push((
        "Peak sun hours",
        between(found.peak_sun_h, "h"),
        if is_measured { "measured in the plane" } else { "clear sky: the most the day could give" },
    ));
    if let Some(ratio) = found.performance_ratio_percent {
        facts.push((
            if is_measured { "Performance ratio" } else { "Of a clear sky" },
            between(ratio, "%"),
            "specific yield over peak sun hours",
        ));
    }
    if let Some(ratio) = found.performance_ratio_at_25_c_percent {
        facts.push(("Performance ratio at 25 \u{b0}C", between(ratio, "%"), "IEC 61724-1, from memory"));
    }
    if let Some(yield_h) = found.specific_yield_h {
        facts.push(("Specific yield", between(yield_h, "Wh/W"), "energy over rated power"));
    }
    if let Some(share) = found.share_of_rated_percent {
        facts.push(("Of rated power all day", percent(share).to_string(), "from first to last light"));
    }
    if let Some(watts) = found.best_five_hours_w {
        let share = context.rated_w.map(|rated_w| format!(", {} of rated", percent(100.0 * watts / rated_w))).unwrap_or_default();
        facts.push(("Best five hours", format!("{}{share}", computed(watts, "W")), "mean"));
    }
    if let Some(counter) = worked.counter.as_ref().filter(|counter| counter.total > 0.0) {
        facts.push(("Meter\u{2019}s own counter", computed(counter.total, "Wh").to_string(), "last less first, resets told"));
    }
    facts
}

fn events(worked: &Worked, context: &Context) -> Vec<EventLine> {
    let line = |event: &flindo_core::energy::log::happened::Event| EventLine {
        class: class(event.kind),
        what: event.kind.label(),
        when: stretch(event.from_s, event.to_s, context),
        lost: if event.lost_wh >= 0.05 { computed(event.lost_wh, "Wh").to_string() } else { String::new() },
        shown_by: words::day::shown_by(event),
    };
    worked.events.iter().map(line).collect()
}

async fn doubts(store: &Store, log: &LogRow, worked: &Worked, context: &Context) -> Result<Vec<String>, AppError> {
    let mut doubts = Vec::new();
    for event in store.log_events(log.id).await? {
        doubts.push(gap(store, log.id, event, context).await?);
    }
    if let Some(found) = &worked.figures {
        let open: f64 = found.integral.gaps.iter().map(|gap| gap.high - gap.low).sum();
        let hours: f64 = found.integral.gaps.iter().map(|gap| gap.to_s - gap.from_s).sum::<f64>() / 3600.0;
        if open > 0.01 * found.energy_wh.value && open > 0.5 {
            doubts.push(format!(
                "{} h of light without samples could hold up to {}: the interval of the energy includes it.",
                plain(hours, 1),
                computed(open, "Wh")
            ));
        }
    }
    doubts.extend(worked.clock.as_ref().and_then(words::day::clock));
    doubts.extend(worked.arrivals.iter().map(|(quantity, arrival)| words::day::arrival(*quantity, arrival)));
    let at = |one: &flindo_core::measure::series::suspect::Suspect| clock(timestamp(one.from_s), &context.zone);
    doubts.extend(worked.suspects.iter().take(5).map(|one| words::day::suspect(one, &at(one))));
    if worked.suspects.len() > 5 {
        doubts.push(format!("{} more stretches of samples are in doubt.", worked.suspects.len() - 5));
    }
    Ok(doubts)
}

/// What is missing around something that happened, as a sentence.
async fn gap(store: &Store, id: i64, event: LogEvent, context: &Context) -> Result<String, StoreError> {
    let at = |at_ms: i64| clock(Timestamp::from_millisecond(at_ms).unwrap_or(Timestamp::UNIX_EPOCH), &context.zone);
    let (before, after) = store.samples_around(id, event.at_ms).await?;
    let until = after.map(at).unwrap_or_else(|| "now".to_owned());
    Ok(match event.what {
        LogEventKind::Resumed => {
            let from = before.map(at).unwrap_or_else(|| "its beginning".to_owned());
            format!("No samples from {from} to {until}: the program was not running.")
        }
        LogEventKind::Lost => format!("{} samples about {} are lost: the disk took none.", event.samples, at(event.at_ms)),
    })
}

fn more(worked: &Worked, context: &Context) -> Vec<(&'static str, String)> {
    let mut more = Vec::new();
    if let Some(words) = worked.tracking.and_then(words::day::tracking) {
        more.push(("Controller", words.to_owned()));
    }
    if let Some(own_w) = worked.own_draw_w {
        more.push(("Own draw at night", computed(own_w, "W").to_string()));
    }
    if let Some(found) = &worked.coefficient {
        more.push(("Temperature coefficient", words::day::coefficient(found, context.gamma_per_k.map(|gamma| 100.0 * gamma))));
    }
    if let Some(soak) = worked.soak {
        let words = format!(
            "cells from {} to {}, 63 % of it in {} min",
            computed(soak.from_c, "\u{b0}C"),
            computed(soak.to_c, "\u{b0}C"),
            plain(soak.time_constant_s / 60.0, 1)
        );
        more.push(("Warming", words));
    }
    if let Some(soiling) = &worked.happened.soiling {
        more.push(("Soiling", words::day::soiling(soiling)));
    }
    more
}

fn bands(found: &[flindo_core::energy::log::regress::Band], unit: &'static str) -> Vec<[String; 3]> {
    let line = |band: &flindo_core::energy::log::regress::Band| {
        let u = (band.percent.high - band.percent.low) / 2.0;
        let share = format!("{} \u{b1} {} %", plain(band.percent.value, 1), plain(u.max(0.1), 1));
        [computed(band.at, unit).to_string(), share, band.minutes.to_string()]
    };
    found.iter().map(line).collect()
}

/// By hours: from when, watt-hours, mean watts, mean irradiance.
async fn hours(state: &AppState, log: &LogRow, context: &Context, day: &Day) -> Result<Vec<[String; 4]>, AppError> {
    let (all, _) = series(&state.store, log, Window { from_s: day.start_s(), to_s: day.end_s() }).await?;
    let Some(power) = power(&all) else { return Ok(Vec::new()) };
    let mut lines = Vec::new();
    let mut from_s = day.start_s();
    while from_s < day.end_s() {
        let window = Window { from_s, to_s: (from_s + 3600.0).min(day.end_s()) };
        let found = integrate(power, window, None);
        if found.covered_s > 0.0 {
            let light = all.get(&Quantity::Poa).map(|poa| integrate(poa, window, None)).filter(|light| light.covered_s > 0.0);
            lines.push([
                clock_short(timestamp(from_s), &context.zone),
                computed(found.sampled, "Wh").to_string(),
                computed(found.sampled * 3600.0 / found.covered_s, "W").to_string(),
                light.map_or_else(
                    || "none".to_owned(),
                    |light| computed(light.sampled * 3600.0 / light.covered_s, "W/m\u{b2}").to_string(),
                ),
            ]);
        }
        from_s += 3600.0;
    }
    Ok(lines)
}

/// What is not known and would say more.
fn needs(context: &Context, worked: &Worked) -> Vec<&'static str> {
    let mut needs = Vec::new();
    if context.site.is_none() {
        needs.push("a place, for the sun over it");
    }
    if context.plane.is_none() {
        needs.push("tilt and azimuth, for the clear sky in the plane");
    }
    if context.rated_w.is_none() {
        needs.push("its panel or rig, for the rated power");
    }
    if worked.grid.power().is_none() {
        needs.push("watts, or volts and amps of the same side");
    }
    needs
}

async fn choices(state: &AppState) -> Result<Choices, AppError> {
    let register = state.store.register().await?;
    let tests = state.store.tests(None, 0, 200).await?.into_iter().filter_map(flindo_store::Listed::test);
    let zone = |place: Option<i64>| {
        let place = register.places.iter().find(|one| Some(one.id) == place);
        place.and_then(|place| jiff::tz::TimeZone::get(&place.draft.time_zone).ok()).unwrap_or(jiff::tz::TimeZone::UTC)
    };
    let tag = |id: i64| register.panel(id).map(|panel| panel.draft.tag.clone()).unwrap_or_default();
    Ok(Choices {
        tests: tests
            .map(|test| {
                (
                    test.id,
                    format!(
                        "{} \u{b7} {} \u{b7} {}",
                        tag(test.panel_id),
                        test.question.label(),
                        day_words(test.created_utc, &zone(test.place_id))
                    ),
                )
            })
            .collect(),
        rigs: register.rigs.iter().map(|rig| (rig.id, rig.draft.name.clone())).collect(),
        panels: register.panels.iter().map(|panel| (panel.id, format!("{} \u{b7} {}", panel.draft.tag, panel.name()))).collect(),
        places: register.places.iter().map(|place| (place.id, place.draft.name.clone())).collect(),
    })
}

fn fields(belongs: &Belongs) -> Pairs {
    let id = |id: Option<i64>| id.map(|id| id.to_string()).unwrap_or_default();
    let figure = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let text = |name: &str, value: String| (name.to_owned(), value);
    vec![
        text("test", id(belongs.test_id)),
        text("rig", id(belongs.rig_id)),
        text("panel", id(belongs.panel_id)),
        text("place", id(belongs.place_id)),
        text("side", if belongs.side == 0 { String::new() } else { belongs.side.to_string() }),
        text("tilt_deg", figure(belongs.tilt_deg)),
        text("azimuth_deg", figure(belongs.azimuth_deg)),
        text("meter_percent", figure(belongs.meter_percent)),
        text(
            "ahead_min",
            if belongs.ahead_s == 0.0 { String::new() } else { plain(belongs.ahead_s / 60.0, 1).replace('\u{2212}', "-") },
        ),
    ]
}

/// Says what a log belongs to.
pub async fn change(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let log = state.store.log(id).await?;
    let mut notes = Notes::default();
    let one = |name: &str| value(&typed, name).parse::<i64>().ok();
    let belongs = Belongs {
        test_id: one("test"),
        rig_id: one("rig"),
        panel_id: one("panel"),
        place_id: one("place"),
        side: value(&typed, "side").parse().ok().filter(|side| *side <= 2).unwrap_or(0),
        tilt_deg: number(&typed, "tilt_deg", (0.0, 90.0), &mut notes),
        azimuth_deg: number(&typed, "azimuth_deg", (0.0, 360.0), &mut notes),
        meter_percent: number(&typed, "meter_percent", (0.01, 20.0), &mut notes),
        ahead_s: number(&typed, "ahead_min", (-1440.0, 1440.0), &mut notes).unwrap_or(0.0) * 60.0,
    };
    if belongs.tilt_deg.is_some() != belongs.azimuth_deg.is_some() && !notes.has("refused") {
        let field = if belongs.tilt_deg.is_some() { "azimuth_deg" } else { "tilt_deg" };
        notes.add(field, "refused", "Tilt and azimuth go together.".to_owned());
    }
    if notes.has("refused") {
        return Ok((axum::http::StatusCode::UNPROCESSABLE_ENTITY, show(&state, frame, log, &Vec::new(), typed, notes).await?)
            .into_response());
    }
    state.store.bind_log(id, &belongs).await?;
    if let Some(test_id) = belongs.test_id {
        state.hub.tell(test_id);
    }
    Ok(Redirect::to(&format!("/logs/{id}?day={}", value(&typed, "day"))).into_response())
}

/// Takes a stretch of a log as a reading of its test: the mean of each quantity, with the range in which 95 of 100 of its samples lie.
pub async fn take(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let log = state.store.log(id).await?;
    let context = context(&state.store, &log).await?;
    let mut notes = Notes::default();
    let day =
        value(&typed, "day").parse::<Date>().unwrap_or_else(|_| log.started_utc.to_zoned_datetime(context.zone.clone()).date());
    let mut at = |field: &'static str| {
        let text = value(&typed, field).trim();
        let time = text.parse::<jiff::civil::Time>().ok().and_then(|time| context.zone.to_timestamp(day.to_datetime(time)).ok());
        if time.is_none() {
            notes.add(field, "refused", format!("\u{201c}{text}\u{201d} is not a time of the day: write 12:34 or 12:34:56."));
        }
        time.map(|time| time.as_millisecond() as f64 / 1000.0)
    };
    let (from_s, to_s) = (at("from"), at("to"));
    if let (Some(from_s), Some(to_s)) = (from_s, to_s)
        && to_s <= from_s
    {
        notes.add("to", "refused", "The end is not after the beginning.".to_owned());
    }
    let Some(test_id) = log.belongs.test_id else {
        return Err(AppError::input(
            "test",
            "",
            "This log belongs to no test: choose one under \u{201c}What it belongs to\u{201d} first.",
        ));
    };
    let (Some(from_s), Some(to_s), false) = (from_s, to_s, notes.has("refused")) else {
        let mut all = fields(&log.belongs);
        all.extend(typed.iter().filter(|(name, _)| name == "from" || name == "to").cloned());
        let query = vec![("day".to_owned(), day.to_string())];
        return Ok(
            (axum::http::StatusCode::UNPROCESSABLE_ENTITY, show(&state, frame, log, &query, all, notes).await?).into_response()
        );
    };
    let (all, _) = series(&state.store, &log, Window { from_s, to_s }).await?;
    let run_id = run_at(&state, test_id, (from_s + to_s) / 2.0, value(&typed, "run")).await?;
    let Some(reading) = flindo_core::record::run_energy::stretch_reading(&all, Window { from_s, to_s }) else {
        return Err(AppError::input("from", "", "There are no samples in this stretch: choose another one."));
    };
    let new = flindo_store::NewReading {
        // The same stretch of the same log a second time is the same reading.
        uid: format!("log-{id}-{:.0}-{:.0}", from_s * 1000.0, to_s * 1000.0),
        taken_utc: timestamp((from_s + to_s) / 2.0),
        typed: String::new(),
        note: format!("{}, {}", log.name, stretch(from_s, to_s, &context)),
        sky: None,
        figures: reading,
        run_id,
        revision: None,
    };
    state.store.accept(test_id, &new, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok(Redirect::to(&format!("/logs/{id}?day={day}&taken={test_id}")).into_response())
}

/// The run that is named, or else the one at work at a moment.
async fn run_at(state: &AppState, test_id: i64, at_s: f64, named: &str) -> Result<Option<i64>, AppError> {
    let runs = state.store.runs(test_id).await?;
    if let Some(run) = named.parse::<i64>().ok().and_then(|place| runs.iter().find(|run| run.place == place)) {
        return Ok(Some(run.id));
    }
    let at = timestamp(at_s);
    let holds = |run: &&flindo_core::record::run::Run| run.begun_utc().is_some_and(|begun| begun <= at) && !run.is_late(at);
    Ok(runs.iter().rfind(holds).map(|run| run.id))
}

struct LogLine {
    id: i64,
    name: String,
    when: String,
    samples: i64,
    state: &'static str,
    of: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "logs.html")]
pub struct LogsPage {
    frame: Frame,
    logs: Vec<LogLine>,
    /// Files that are not all in: id, name.
    open: Vec<(i64, String)>,
    part: super::paging::Paging,
}

/// All logs, the newest first.
pub async fn list(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<LogsPage, AppError> {
    use super::paging::{LOGS_ON_A_PAGE, Paging};
    let recording: Vec<i64> = state.hub.meters().await.iter().filter_map(|meter| meter.recording).collect();
    let part = Paging::of_logs(&query, usize::try_from(state.store.count_logs().await?).unwrap_or_default());
    let logs = state.store.logs(part.newer_ones() as i64, LOGS_ON_A_PAGE as i64).await?;
    let open = state.store.open_log_files().await?;
    let mut lines = Vec::new();
    for log in logs {
        let of = context(&state.store, &log).await?.of;
        let is_open = log.file_id.is_some_and(|file| open.iter().any(|one| one.id == file));
        lines.push(LogLine {
            id: log.id,
            when: format!("{}, {}", day_words(log.started_utc, &frame.time_zone), clock_short(log.started_utc, &frame.time_zone)),
            samples: log.samples,
            state: match log.ended_utc {
                _ if is_open => "not all of it is in",
                Some(_) => "complete",
                None if recording.contains(&log.id) => "recording",
                None => "cut off",
            },
            of: of.into_iter().map(|(_, words)| words).next().unwrap_or_default(),
            name: log.name,
        });
    }
    let open = open.into_iter().map(|file| (file.id, file.name)).collect();
    Ok(LogsPage { logs: lines, open, part, frame })
}
