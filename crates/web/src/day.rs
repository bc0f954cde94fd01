//! The civil day at a place, as the core wants it: Unix seconds and the day of the year. Knows the days on which clocks change.

use flindo_core::error::Error;
use flindo_core::sky::course::{Moment, Site, course, good_window};
use flindo_core::sky::daylight::{Daylight, between};
use flindo_core::sky::plane::Plane;
use flindo_core::sky::sun::DELTA_T_S;
use flindo_core::window::Window;
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// One civil day.
#[derive(Debug, Clone)]
pub struct Day {
    pub date: Date,
    pub start: Timestamp,
    /// 23, 24 or 25 hours later.
    pub end: Timestamp,
}

impl Day {
    pub fn of(time: Timestamp, zone: &TimeZone) -> Self {
        Self::at(time.to_zoned_datetime(zone.clone()).date(), zone)
    }

    pub fn at(date: Date, zone: &TimeZone) -> Self {
        let midnight = |date: Date| zone.to_timestamp(date.at(0, 0, 0, 0)).unwrap_or(Timestamp::UNIX_EPOCH);
        let next = date.checked_add(1.day()).unwrap_or(date);
        Day { date, start: midnight(date), end: midnight(next) }
    }

    /// A time of the day by its clock, Unix seconds: right also on days on which clocks change. `None` where the clock jumps over it.
    pub fn time_s(&self, time: Time, zone: &TimeZone) -> Option<f64> {
        let at = zone.to_timestamp(self.date.to_datetime(time)).ok()?;
        Some(at.as_millisecond() as f64 / 1000.0)
    }

    pub fn start_s(&self) -> f64 {
        self.start.as_second() as f64
    }

    pub fn end_s(&self) -> f64 {
        self.end.as_second() as f64
    }

    /// Sunrise, transit and sunset within it.
    pub fn daylight(&self, site: &Site) -> Result<Daylight, Error> {
        between(self.start_s(), self.end_s() - self.start_s(), &site.place, DELTA_T_S)
    }

    /// The good hours of a plane.
    pub fn good_window(&self, site: &Site, plane: &Plane) -> Result<Option<Window>, Error> {
        good_window(site, plane, self.start_s(), self.end_s(), day_of_year(self.start))
    }

    /// The clear sky over a site from midnight to midnight.
    pub fn course(&self, site: &Site, step_s: f64) -> Result<Vec<Moment>, Error> {
        course(site, self.start_s(), self.end_s(), step_s, day_of_year(self.start))
    }
}

/// The day of the year of a moment, in UTC.
pub fn day_of_year(time: Timestamp) -> f64 {
    flindo_core::sky::daylight::day_of_year(time.as_second() as f64)
}

/// A moment from Unix seconds; the epoch where there is none.
pub fn timestamp(unix_s: f64) -> Timestamp {
    Timestamp::from_second(unix_s.round() as i64).unwrap_or(Timestamp::UNIX_EPOCH)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn the_day_on_which_clocks_change_has_its_own_length() {
        let zone = TimeZone::get("Europe/Lisbon").unwrap();
        let hours = |date| (Day::at(date, &zone).end_s() - Day::at(date, &zone).start_s()) / 3600.0;
        let ten =
            |date| Day::at(date, &zone).time_s(Time::constant(10, 0, 0, 0), &zone).unwrap() - Day::at(date, &zone).start_s();
        assert_eq!(
            (ten(date(2026, 3, 29)), ten(date(2026, 10, 25)), ten(date(2026, 6, 1))),
            (9.0 * 3600.0, 11.0 * 3600.0, 36_000.0)
        );
        assert_eq!((hours(date(2026, 3, 29)), hours(date(2026, 10, 25)), hours(date(2026, 6, 1))), (23.0, 25.0, 24.0));
    }
}
