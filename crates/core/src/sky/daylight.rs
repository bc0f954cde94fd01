//! When the sun rises, crosses the meridian and sets.

use super::place::Place;
use super::sun::{UNIX_EPOCH_JD, unsolved};
use crate::error::{Error, check_range};
use crate::named::named;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use solar_positioning::{HorizonState, Location, SolarEvents};

/// A day without a sunrise or a sunset.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Polar {
    Day,
    Night,
}

named!(Polar {
    Day = "day", "the sun does not set";
    Night = "night", "the sun does not rise";
});

/// The sun's day, in Unix seconds. Sunrise and sunset are of the upper limb with 34' of refraction (centre at -0.8333
/// degrees; Reda and Andreas 2004, appendix A.2).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Daylight {
    pub sunrise_s: Option<f64>,
    pub transit_s: Option<f64>,
    pub sunset_s: Option<f64>,
    /// Where there is neither sunrise nor sunset.
    pub polar: Option<Polar>,
}

/// The day of the year of a moment (Unix seconds) by UTC, 1 to 366: of what changes with the seasons a few hours change nothing.
pub fn day_of_year(unix_s: f64) -> f64 {
    let at = Timestamp::from_second(unix_s as i64).unwrap_or(Timestamp::UNIX_EPOCH);
    f64::from(at.to_zoned_datetime(TimeZone::UTC).day_of_year())
}

/// The Unix seconds at which a civil day begins, where clocks are ahead of UTC by `utc_offset_h`.
pub fn day_start_s(date: Date, utc_offset_h: f64) -> f64 {
    let days = date.to_datetime(jiff::civil::Time::midnight()).duration_since(Date::constant(1970, 1, 1).at(0, 0, 0, 0));
    days.as_secs() as f64 - utc_offset_h * 3600.0
}

/// Sunrise, transit and sunset within one civil day. `utc_offset_h` -14 to 15; `delta_t_s` as in [`super::sun::Instant::at`].
pub fn daylight(date: Date, place: &Place, utc_offset_h: f64, delta_t_s: f64) -> Result<Daylight, Error> {
    check_range("utc_offset_h", utc_offset_h, -14.0, 15.0)?;
    check_range("delta_t_s", delta_t_s, -8000.0, 8000.0)?;
    check_range("date", f64::from(date.year()), 1000.0, 3000.0)?;
    between(day_start_s(date, utc_offset_h), 86_400.0, place, delta_t_s)
}

/// The same between a moment and `length_s` later; for days on which the clocks change.
pub fn between(start_s: f64, length_s: f64, place: &Place, delta_t_s: f64) -> Result<Daylight, Error> {
    let start = UNIX_EPOCH_JD + start_s / 86_400.0;
    let location = Location { latitude: place.lat_deg, longitude: place.lon_deg };
    let horizon = solar_positioning::Horizon::SunriseSunset;
    let events = SolarEvents::new()
        .for_interval_from_julian(start, start + length_s / 86_400.0, location, delta_t_s, horizon)
        .map_err(unsolved)?;
    let unix_s = |jd: &f64| (jd - UNIX_EPOCH_JD) * 86_400.0;
    let no_event = events.rises.is_empty() && events.sets.is_empty();
    let polar = match events.state_at_start {
        _ if !no_event => None,
        HorizonState::Above | HorizonState::OnHorizon => Some(Polar::Day),
        HorizonState::Below => Some(Polar::Night),
    };
    Ok(Daylight {
        sunrise_s: events.rises.first().map(unix_s),
        transit_s: events.transits.first().map(unix_s),
        sunset_s: events.sets.last().map(unix_s),
        polar,
    })
}
