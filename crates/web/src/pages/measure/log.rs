//! One log: a day of it drawn over the clear sky, what happened, what it comes to, and what it belongs to.

use crate::day::Day;
use crate::door::typed::{Notes, Pairs, note_changes, number, value, versioned};
use crate::error::AppError;
use crate::figures::{clock_short, day as day_words, number as plain};
use crate::frame::Frame;
use crate::pages::measure::log_chart::{Chart, chart_of};
use crate::pages::measure::log_facts::{EventLine, bands, doubts, events, facts, hours, more, needs};
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::{Belongs, LogRecorded, LogRow, Store};
use jiff::civil::Date;
use jiff::{Timestamp, ToSpan};

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

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<LogPage, AppError> {
    let log = state.store.log_recorded(id).await?;
    let typed = versioned(fields(&log.row.belongs));
    show(&state, frame, log, &query, typed, Notes::default()).await
}

/// The page, with what was typed and what is wrong with it.
pub async fn show(
    state: &AppState,
    frame: Frame,
    log: LogRecorded,
    query: &Pairs,
    typed: Pairs,
    notes: Notes,
) -> Result<LogPage, AppError> {
    let days = days(&state.store, &log).await?;
    let chosen = value(query, "day").parse::<Date>().ok().filter(|date| days.contains(date));
    let date = chosen.or(days.last().copied()).unwrap_or_else(|| log.row.started_utc.to_zoned_datetime(log.zone.clone()).date());
    let day = Day::at(date, &log.zone);
    let worked = state.kept.days.judged(&state.store, &log, &day).await?;
    let chart = chart_of(state, &log, &worked, None).await?;
    let taken = value(query, "taken").parse::<i64>().ok().map(|test| format!("/tests/{test}"));
    Ok(LogPage {
        when: format!("{}, {}", day_words(log.row.started_utc, &log.zone), clock_short(log.row.started_utc, &log.zone)),
        of: links(&log),
        days: days.iter().map(|date| (date.to_string(), day_words(Day::at(*date, &log.zone).start, &log.zone))).collect(),
        date: date.to_string(),
        chart,
        facts: facts(&worked, &log),
        events: events(&worked, &log),
        doubts: doubts(&state.store, &log, &worked).await?,
        ahead_min: worked
            .clock
            .filter(|check| check.is_wrong())
            .map(|check| plain((log.row.belongs.ahead_s + check.ahead_s) / 60.0, 0).replace('\u{2212}', "-")),
        more: more(&worked, &log),
        over_light: bands(&worked.over_light, "W/m\u{b2}"),
        over_load: bands(&worked.over_load, "W"),
        hours: hours(&worked, &log),
        needs: needs(&log, &worked),
        choices: choices(state).await?,
        frame,
        log: log.row,
        typed,
        notes,
        taken,
    })
}

/// What a log belongs to: (link, words).
pub fn links(log: &LogRecorded) -> Vec<(String, String)> {
    let test = log.test.iter().map(|test| (format!("/tests/{}", test.id), test.question.label().to_owned()));
    let rig = log.rig.iter().map(|rig| (format!("/rigs/{}", rig.id), rig.draft.name.clone()));
    let panel =
        log.panel.iter().map(|panel| (format!("/panels/{}", panel.id), format!("{} \u{b7} {}", panel.draft.tag, panel.name())));
    test.chain(rig).chain(panel).collect()
}

/// The days on which a log has samples, by its place's clock, the newest ones of many.
async fn days(store: &Store, log: &LogRecorded) -> Result<Vec<Date>, AppError> {
    let Some((first_ms, last_ms)) = store.log_span(log.row.id).await? else { return Ok(Vec::new()) };
    let ahead_ms = (log.row.belongs.ahead_s * 1000.0) as i64;
    let date = |ms: i64| {
        let at = Timestamp::from_millisecond(ms - ahead_ms).unwrap_or(log.row.started_utc);
        at.to_zoned_datetime(log.zone.clone()).date()
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

/// What it belongs to, as the form has it.
pub fn fields(belongs: &Belongs) -> Pairs {
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
    Form(mut typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let log = state.store.log_recorded(id).await?;
    let mut notes = Notes::default();
    note_changes(&fields(&log.row.belongs), &mut typed, &mut notes);
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
