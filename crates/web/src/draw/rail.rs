//! The sun rail: today's sun at the bench from rise to set, the good window, now, what hides the sun, and every reading as a tick.

use crate::day::{Day, day_of_year, timestamp};
use crate::figures::{clock_short, computed};
use askama::Template;
use flindo_core::error::Error;
use flindo_core::sky::course::{Moment, Site};
use flindo_core::sky::daylight::Polar;
use flindo_core::sky::plane::Plane;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// Wide as the drawing's own units; the page stretches it.
const WIDTH: f64 = 1000.0;
const HEIGHT: f64 = 56.0;
/// The scale's top, W/m2: a little more than a clear sky gives.
const TOP_W_M2: f64 = 1150.0;
const STEP_S: f64 = 300.0;
/// Shown before sunrise and after sunset.
const MARGIN_S: f64 = 1800.0;

#[derive(Template)]
#[template(path = "draw/rail.html")]
struct Rail {
    from_s: f64,
    to_s: f64,
    curve: String,
    hidden: Vec<Span>,
    good: Option<Span>,
    noon_x: Option<f64>,
    now_x: Option<f64>,
    line_700_y: f64,
    ticks: Vec<f64>,
    facts: Vec<(&'static str, String)>,
    plane: String,
    /// Clock and irradiance of every step, for the pointer.
    samples: String,
}

struct Span {
    x: f64,
    width: f64,
}

/// What the rail is about.
pub struct Subject<'a> {
    pub site: &'a Site,
    pub plane: Plane,
    pub plane_words: String,
    pub zone: &'a TimeZone,
    pub now: Timestamp,
    pub readings: &'a [Timestamp],
}

/// The rail of today.
pub fn draw(subject: &Subject<'_>) -> Result<String, Error> {
    let day = Day::of(subject.now, subject.zone);
    let daylight = day.daylight(subject.site)?;
    let course = day.course(subject.site, STEP_S)?;
    let from_s = daylight.sunrise_s.map_or(day.start_s(), |rise| (rise - MARGIN_S).max(day.start_s()));
    let to_s = daylight.sunset_s.map_or(day.end_s(), |set| (set + MARGIN_S).min(day.end_s()));
    let x_of = |unix_s: f64| (unix_s - from_s) / (to_s - from_s) * WIDTH;
    let y_of = |w_m2: f64| HEIGHT - w_m2 / TOP_W_M2 * HEIGHT;
    let shown: Vec<_> = course.iter().filter(|moment| (from_s..=to_s).contains(&moment.unix_s)).collect();
    let mut curve = format!("M0 {HEIGHT}");
    for moment in &shown {
        curve += &format!("L{:.1} {:.1}", x_of(moment.unix_s), y_of(moment.on(&subject.plane).poa_w_m2));
    }
    curve += &format!("L{WIDTH} {HEIGHT}Z");
    let is_up = |elevation_deg: f64| elevation_deg > 0.0;
    let hidden = shown
        .iter()
        .filter(|moment| moment.is_hidden && is_up(moment.sun_position.elevation_deg()))
        .map(|moment| Span { x: x_of(moment.unix_s - STEP_S / 2.0), width: STEP_S / (to_s - from_s) * WIDTH })
        .collect();
    let good = day.good_window(subject.site, &subject.plane)?;
    let now_s = subject.now.as_second() as f64;
    let clock = |unix_s: f64| clock_short(timestamp(unix_s), subject.zone);
    let mut facts = Vec::new();
    match daylight.polar {
        Some(Polar::Day) => facts.push(("sun", Polar::Day.label().to_owned())),
        Some(Polar::Night) => facts.push(("sun", Polar::Night.label().to_owned())),
        None => {}
    }
    facts.extend(daylight.sunrise_s.map(|rise| ("rises", clock(rise))));
    facts.extend(daylight.transit_s.map(|noon| ("solar noon", clock(noon))));
    facts.extend(daylight.sunset_s.map(|set| ("sets", clock(set))));
    facts.push((
        "good for a rating",
        good.map_or("not today".to_owned(), |good| format!("{}\u{2013}{}", clock(good.from_s), clock(good.to_s))),
    ));
    let moment = Moment::at(subject.site, now_s, day_of_year(subject.now))?;
    facts.push(("clear sky now", computed(moment.on(&subject.plane).poa_w_m2, "W/m\u{b2}").to_string()));
    let samples: Vec<String> = shown
        .iter()
        .map(|moment| format!("{}  {}", clock(moment.unix_s), computed(moment.on(&subject.plane).poa_w_m2, "W/m\u{b2}")))
        .collect();
    let within = |unix_s: f64| (from_s..=to_s).contains(&unix_s).then(|| x_of(unix_s));
    let rail = Rail {
        from_s,
        to_s,
        curve,
        hidden,
        good: good.map(|good| Span { x: x_of(good.from_s), width: x_of(good.to_s) - x_of(good.from_s) }),
        noon_x: daylight.transit_s.and_then(within),
        now_x: within(now_s),
        line_700_y: y_of(700.0),
        ticks: subject.readings.iter().filter_map(|time| within(time.as_second() as f64)).collect(),
        facts,
        plane: subject.plane_words.clone(),
        samples: samples.join("|"),
    };
    Ok(rail.render().unwrap_or_default())
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::sky::place::Place;

    /// The sun is known up to the year 3000: past it the rail names the time, which a page tells as the clock.
    #[test]
    fn a_clock_past_all_known_suns_is_named() {
        let site =
            Site { place: Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 }, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 };
        let at = |now: &str| {
            let now = now.parse().expect("a time");
            draw(&Subject { site: &site, plane, plane_words: String::new(), zone: &TimeZone::UTC, now, readings: &[] })
        };
        assert!(at("2999-06-01T12:00:00Z").is_ok());
        assert_eq!(at("3400-03-01T12:00:00Z").map_err(|error| error.field()), Err("time_utc"));
    }
}
