//! Today: what the clear sky would give, how fast it changes, what each sky allows, and when the next good hours are.

use crate::calendar;
use crate::day::{Day, day_of_year, timestamp};
use crate::door::typed::{Pairs, value};
use crate::draw::today::{self, Curve};
use crate::error::AppError;
use crate::figures::{clock_short, computed, day as day_words, number};
use crate::frame::{Frame, plane_of};
use crate::state::AppState;
use crate::words::{aim, sky_allows};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use axum::response::{IntoResponse, Response};
use flindo_core::record::bounds;
use flindo_core::record::setup::Setup;
use flindo_core::sky::course::{Moment, Site, energy_kwh_m2, minutes_to_change_by_one_percent};
use flindo_core::sky::note::SkyNote;
use flindo_core::sky::plane::Plane;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// A smooth curve needs no shorter one.
const STEP_S: f64 = 180.0;
const DAYS_AHEAD: i64 = 10;

#[derive(Template, WebTemplate)]
#[template(path = "today.html")]
pub struct Today {
    frame: Frame,
    /// "Today", or the date that was asked for.
    heading: String,
    date: String,
    now: String,
    sun: Vec<(&'static str, String)>,
    planes: Vec<PlaneRow>,
    holds: Option<String>,
    svg: String,
    skies: Vec<(&'static str, &'static str)>,
    windows: Vec<WindowRow>,
}

struct PlaneRow {
    name: String,
    now: String,
    best: String,
    day: String,
}

struct WindowRow {
    day: String,
    hours: Option<String>,
}

/// Noon of the date that was asked for, and else now.
fn moment_asked(typed: &Pairs, zone: &TimeZone) -> Result<(Timestamp, bool), AppError> {
    let text = value(typed, "date").trim();
    if text.is_empty() {
        return Ok((Timestamp::now(), false));
    }
    let refused = || AppError::input("date", text, format!("\"{text}\" is not a date. Write it as 2026-06-21."));
    let date: Date = text.parse().map_err(|_| refused())?;
    if !bounds::is_known_year(date.year()) {
        return Err(AppError::input("date", text, "The sun is worked out for the years 1970 to 2100."));
    }
    Ok((zone.to_timestamp(date.at(12, 0, 0, 0)).map_err(|_| refused())?, true))
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<Response, AppError> {
    let Some(place) = frame.place.clone() else {
        return Ok(axum::response::Redirect::to("/places/new").into_response());
    };
    let plane = plane_of(&state, &place, "/today").await?;
    let site = place.draft.site();
    let (moment, is_asked) = moment_asked(&typed, &frame.time_zone)?;
    Ok(view(frame, &site, plane, moment, is_asked).map_err(compute)?.into_response())
}

/// The core refuses no day of a place that was checked; what is left is the far past.
fn compute(error: flindo_core::error::Error) -> AppError {
    AppError::input(error.field(), "", error.to_string())
}

fn view(frame: Frame, site: &Site, plane: Plane, now: Timestamp, is_asked: bool) -> Result<Today, flindo_core::error::Error> {
    let zone = frame.time_zone.clone();
    let day = Day::of(now, &zone);
    let hours = day.course(site, STEP_S)?;
    let moment = Moment::at(site, now.as_second() as f64, day_of_year(now))?;
    let flat = Plane { tilt_deg: 0.0, azimuth_deg: plane.azimuth_deg };
    let watts = |w_m2: f64| computed(w_m2, "W/m\u{b2}").to_string();
    let row = |name: String, now: f64, of: &dyn Fn(&Moment) -> f64, kwh: f64| PlaneRow {
        name,
        now: watts(now),
        best: watts(hours.iter().map(of).fold(0.0, f64::max)),
        day: format!("{}\u{a0}kWh/m\u{b2}", number(kwh, 2)),
    };
    let normal_kwh: f64 = hours.iter().map(|moment| moment.normal().poa_w_m2).sum::<f64>() * STEP_S / 3600.0 / 1000.0;
    let plane_words = aim(&Setup { tilt_deg: plane.tilt_deg, azimuth_deg: plane.azimuth_deg, ..Setup::default() });
    let planes = vec![
        row("horizontal".into(), moment.on(&flat).poa_w_m2, &|moment| moment.on(&flat).poa_w_m2, energy_kwh_m2(&hours, &flat)),
        row(plane_words, moment.on(&plane).poa_w_m2, &|moment| moment.on(&plane).poa_w_m2, energy_kwh_m2(&hours, &plane)),
        row("always normal to the sun".into(), moment.normal().poa_w_m2, &|moment| moment.normal().poa_w_m2, normal_kwh),
    ];
    let holds = minutes_to_change_by_one_percent(site, &plane, now.as_second() as f64, day_of_year(now))?;
    let curves = [
        Curve::of("flat", &hours, |moment| moment.on(&flat).poa_w_m2),
        Curve::of("panel", &hours, |moment| moment.on(&plane).poa_w_m2),
        Curve::of("square", &hours, |moment| moment.normal().poa_w_m2),
    ];
    let minutes = (moment.solar_time_h * 60.0).round() as u32 % 1440;
    Ok(Today {
        now: clock_short(now, &zone),
        heading: if is_asked { day_words(now, &zone) } else { "Good hours today".to_owned() },
        date: day.date.to_string(),
        sun: vec![
            ("solar time", format!("{:02}:{:02}", minutes / 60, minutes % 60)),
            ("sun elevation", format!("{}\u{b0}", number(moment.sun_position.elevation_deg(), 1))),
            ("azimuth", format!("{}\u{b0}", number(moment.sun_position.azimuth_deg, 1))),
            ("angle of incidence", format!("{}\u{b0}", number(moment.on(&plane).aoi_deg(), 1))),
        ],
        planes,
        holds: holds.map(|minutes| number(minutes, if minutes < 10.0 { 1 } else { 0 })),
        svg: today::draw(&curves, &day, &zone, now),
        skies: SkyNote::ALL.iter().map(|note| (note.label(), sky_allows(*note))).collect(),
        windows: windows(site, &plane, &day, &zone)?
            .into_iter()
            .map(|(day, window)| WindowRow {
                day: day.date.strftime("%A %-d %B").to_string(),
                hours: window.map(|(from, to)| format!("{}\u{2013}{}", clock_short(from, &zone), clock_short(to, &zone))),
            })
            .collect(),
        frame,
    })
}

type Window = Option<(Timestamp, Timestamp)>;

/// The good hours of the coming days, if their skies are clear.
fn windows(site: &Site, plane: &Plane, today: &Day, zone: &TimeZone) -> Result<Vec<(Day, Window)>, flindo_core::error::Error> {
    let days = (0..DAYS_AHEAD).filter_map(|ahead| today.date.checked_add(ahead.days()).ok());
    let days = days.map(|date| Day::at(date, zone));
    days.map(|day| {
        let window = day.good_window(site, plane)?.map(|good| (timestamp(good.from_s), timestamp(good.to_s)));
        Ok((day, window))
    })
    .collect()
}

/// The good hours of the coming days as an iCalendar file.
pub async fn ics(State(state): State<AppState>, frame: Frame) -> Result<Response, AppError> {
    let place = frame.place.clone().ok_or(AppError::NoSuchPage)?;
    let plane = plane_of(&state, &place, "/today").await?;
    let today = Day::of(Timestamp::now(), &frame.time_zone);
    let now = Timestamp::now();
    let events = windows(&place.draft.site(), &plane, &today, &frame.time_zone).map_err(compute)?.into_iter().filter_map(
        |(day, window)| {
            let (from, to) = window?;
            let uid = format!("good-{}-{}@flindo", place.id, day.date);
            Some(calendar::hours(uid, now, from, to, "Good hours for testing panels, if the sky is clear", &place.draft.name))
        },
    );
    Ok(calendar::file("good-hours.ics", events.collect()))
}
