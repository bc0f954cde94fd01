//! A year of hours on planes of different tilt.

use crate::error::{Error, check_range};
use crate::sky::air::{airmass_absolute, airmass_relative, dni_extra_w_m2, pressure_pa};
use crate::sky::clear_sky::{Irradiance, ineichen};
use crate::sky::daylight::day_start_s;
use crate::sky::place::Place;
use crate::sky::plane::{Plane, SkyModel, SkyNow};
use crate::sky::series::{Seen, sun_at};
use crate::sky::split::erbs;
use crate::sky::sun::{AIR_C, Sun, is_surely_night};
use jiff::civil::Date;

/// Where the light of each hour comes from.
#[derive(Debug, Clone, Copy)]
pub enum Light<'a> {
    /// A sky without clouds all year, by Linke turbidity, 1 to 20.
    Clear { linke_turbidity: f64 },
    /// A cloudy climate: of the light above the air, the share that arrives in each month (0.05 to 0.85), spread over the
    /// day by Collares-Pereira and Rabl and split by Erbs.
    Clearness { by_month: &'a [f64; 12] },
    /// The same day by day, 365 of them; a leap day takes that of the day before.
    Days(&'a [f64]),
    /// Measured hours, by hour of the year from local standard midnight on 1 January; 8760 of them, the 29th of February left out.
    Hours(&'a [Irradiance]),
}

/// A daylight hour, ready for any plane.
#[derive(Debug, Clone, Copy)]
pub struct Hour {
    /// 0 to 11.
    pub month: u8,
    /// 0 to 365, from 1 January.
    pub day: u16,
    /// 0 to 23, by local standard time.
    pub hour: u8,
    pub sun: Sun,
    pub sky: SkyNow,
}

/// A year of daylight hours over one place.
#[derive(Debug, Clone)]
pub struct Year {
    pub hours: Vec<Hour>,
    pub days: usize,
}

impl Year {
    /// One instant at the middle of every hour of local standard time, with the apparent zenith throughout and Perez 1990.
    /// `year` 1000 to 3000, `utc_offset_h` -14 to 15, `albedo` 0 to 1.
    pub fn of(place: &Place, utc_offset_h: f64, year: i16, light: Light<'_>, albedo: f64) -> Result<Self, Error> {
        check_range("utc_offset_h", utc_offset_h, -14.0, 15.0)?;
        check_range("albedo", albedo, 0.0, 1.0)?;
        check_light(light)?;
        let first = Date::new(year, 1, 1).ok().filter(|_| (1000..=3000).contains(&year));
        let first = first.ok_or(Error::OutOfRange { field: "year", value: f64::from(year), low: 1000.0, high: 3000.0 })?;
        let pressure_pa = pressure_pa(place.elevation_m);
        let days = first.days_in_year() as usize;
        let mut hours = Vec::with_capacity(days * 13);
        let mut date = first;
        for day in 0..days {
            let start_s = day_start_s(date, utc_offset_h);
            let (month, of_month) = ((date.month() - 1) as u8, date.day());
            let leap_day = month == 1 && of_month == 29;
            for hour in 0..24 {
                let unix_s = start_s + (f64::from(hour) + 0.5) * 3600.0;
                // The day of the year is that of UTC, as everywhere.
                let utc_day = (((unix_s - day_start_s(first, 0.0)) / 86_400.0).floor() as i64).rem_euclid(days as i64) + 1;
                if is_surely_night(unix_s, place) {
                    continue;
                }
                let seen = sun_at(unix_s, place, pressure_pa, AIR_C)?;
                let sun = seen.sun;
                if sun.zenith_apparent_deg >= 90.0 {
                    continue;
                }
                let dni_extra = dni_extra_w_m2(utc_day as f64);
                let relative = airmass_relative(sun.zenith_apparent_deg);
                let irradiance = match light {
                    Light::Clear { linke_turbidity } => {
                        let absolute = airmass_absolute(relative, pressure_pa);
                        ineichen(sun.zenith_apparent_deg, absolute, linke_turbidity, place.elevation_m, dni_extra)
                    }
                    Light::Clearness { by_month } => {
                        let whole_day = by_month[usize::from(month)];
                        cloudy(whole_day, &seen, (unix_s, place), (dni_extra, utc_day as f64))?
                    }
                    Light::Days(by_day) => {
                        let past_leap = usize::from(days == 366 && (month > 1 || leap_day));
                        let whole_day = by_day.get(day - past_leap).copied().unwrap_or_default();
                        cloudy(whole_day, &seen, (unix_s, place), (dni_extra, utc_day as f64))?
                    }
                    Light::Hours(_) if leap_day => continue,
                    Light::Hours(measured) => {
                        let past_leap = usize::from(days == 366 && (month > 1));
                        measured.get((day - past_leap) * 24 + hour as usize).copied().unwrap_or_default()
                    }
                };
                let angles = (sun.zenith_apparent_deg, sun.azimuth_deg);
                let sky = SkyNow::prepared(irradiance, angles, dni_extra, relative, albedo, SkyModel::Perez);
                hours.push(Hour { month, day: day as u16, hour, sun, sky });
            }
            date = date.tomorrow().unwrap_or(date);
        }
        Ok(Year { hours, days })
    }

    /// kWh/m2 of each month on a plane.
    pub fn monthly_kwh_m2(&self, plane: &Plane) -> [f64; 12] {
        let ready = plane.ready();
        let mut months = [0.0; 12];
        for hour in &self.hours {
            months[usize::from(hour.month)] += hour.sky.total_w_m2(&ready) / 1000.0;
        }
        months
    }

    /// kWh/m2 of each day on a plane.
    pub fn daily_kwh_m2(&self, plane: &Plane) -> Vec<f64> {
        let ready = plane.ready();
        let mut days = vec![0.0; self.days];
        for hour in &self.hours {
            days[usize::from(hour.day)] += hour.sky.total_w_m2(&ready) / 1000.0;
        }
        days
    }

    /// kWh/m2 of each month on a plane that always is normal to the sun.
    pub fn normal_monthly_kwh_m2(&self) -> [f64; 12] {
        let mut months = [0.0; 12];
        for hour in &self.hours {
            let plane = Plane { tilt_deg: hour.sun.zenith_apparent_deg, azimuth_deg: hour.sun.azimuth_deg };
            months[usize::from(hour.month)] += hour.sky.total_w_m2(&plane.ready()) / 1000.0;
        }
        months
    }

    /// Mean W/m2 on a plane over the `count` best hours of each day of a month (0 to 11), because people plan by that.
    pub fn best_hours_w_m2(&self, plane: &Plane, month: u8, count: usize) -> f64 {
        let ready = plane.ready();
        let of_month: Vec<&Hour> = self.hours.iter().filter(|hour| hour.month == month).collect();
        let days: Vec<f64> = of_month
            .chunk_by(|a, b| a.day == b.day)
            .map(|hours| {
                let mut w_m2: Vec<f64> = hours.iter().map(|hour| hour.sky.total_w_m2(&ready)).collect();
                w_m2.sort_by(|a, b| b.total_cmp(a));
                w_m2.iter().take(count).sum::<f64>() / count as f64
            })
            .collect();
        if days.is_empty() { 0.0 } else { days.iter().sum::<f64>() / days.len() as f64 }
    }

    /// The tilt from 0 to 90 degrees that gathers most over the year, to 0.01 degrees.
    pub fn best_tilt_deg(&self, azimuth_deg: f64) -> f64 {
        best(|tilt_deg| sum(&self.hours, tilt_deg, azimuth_deg))
    }

    /// The same for each month by itself.
    pub fn best_tilt_month_deg(&self, azimuth_deg: f64) -> [f64; 12] {
        std::array::from_fn(|month| {
            let hours: Vec<Hour> = self.hours.iter().copied().filter(|hour| usize::from(hour.month) == month).collect();
            if hours.is_empty() { 0.0 } else { best(|tilt_deg| sum(&hours, tilt_deg, azimuth_deg)) }
        })
    }
}

/// No hour of a mean day is clearer than this.
const HIGHEST_CLEARNESS: f64 = 0.85;

/// Clearness of an hour over that of its day: `a + b cos(hour angle)` (Collares-Pereira and Rabl 1979, The average distribution
/// of solar radiation, Solar Energy 22, 155-164; as in Duffie and Beckman, equation 2.13.2, from memory). Low sun crosses more air.
fn clearness_of_hour(solar_time_h: f64, declination_deg: f64, lat_deg: f64) -> f64 {
    let hour_angle = ((solar_time_h - 12.0) * 15.0).to_radians();
    let cos_sunset = -lat_deg.to_radians().tan() * declination_deg.to_radians().tan();
    let sunset = cos_sunset.clamp(-1.0, 1.0).acos();
    let lag = (sunset - 60_f64.to_radians()).sin();
    (0.409 + 0.5016 * lag) + (0.6609 - 0.4767 * lag) * hour_angle.cos()
}

/// The light of a moment of a day of this clearness.
fn cloudy(
    whole_day: f64,
    seen: &Seen,
    (unix_s, place): (f64, &Place),
    (dni_extra, day_of_year): (f64, f64),
) -> Result<Irradiance, Error> {
    let share = clearness_of_hour(seen.solar_time_h(unix_s, place.lon_deg), seen.declination_deg, place.lat_deg);
    let kt = (whole_day * share).clamp(0.0, HIGHEST_CLEARNESS);
    let zenith_deg = seen.sun.zenith_apparent_deg;
    Ok(erbs(kt * dni_extra * zenith_deg.to_radians().cos(), zenith_deg, day_of_year)?.1)
}

fn check_light(light: Light<'_>) -> Result<(), Error> {
    match light {
        Light::Clear { linke_turbidity } => check_range("linke_turbidity", linke_turbidity, 1.0, 20.0).map(|_| ()),
        Light::Clearness { by_month } => {
            by_month.iter().try_for_each(|share| check_range("clearness", *share, 0.05, 0.85).map(|_| ()))
        }
        Light::Days(by_day) if by_day.len() != 365 => {
            Err(Error::Inconsistent { field: "days", why: format!("a year has 365 days, and this has {}", by_day.len()) })
        }
        Light::Days(by_day) => by_day.iter().try_for_each(|share| check_range("clearness", *share, 0.0, 0.9).map(|_| ())),
        Light::Hours(hours) if hours.len() != 8760 => {
            Err(Error::Inconsistent { field: "hours", why: format!("a year has 8760 hours, and this has {}", hours.len()) })
        }
        Light::Hours(_) => Ok(()),
    }
}

fn sum(hours: &[Hour], tilt_deg: f64, azimuth_deg: f64) -> f64 {
    let ready = Plane { tilt_deg, azimuth_deg }.ready();
    hours.iter().map(|hour| hour.sky.total_w_m2(&ready)).sum()
}

/// The tilt of the greatest sum: a grid of 10 degrees, then golden sections around its best (Kiefer 1953).
fn best(sum: impl Fn(f64) -> f64) -> f64 {
    const GOLDEN: f64 = 0.618_033_988_749_894_9;
    let grid = (0..=9).map(|step| f64::from(step) * 10.0);
    let centre = grid.map(|tilt| (tilt, sum(tilt))).max_by(|a, b| a.1.total_cmp(&b.1)).map_or(0.0, |best| best.0);
    let (mut low, mut high) = ((centre - 10.0).max(0.0), (centre + 10.0).min(90.0));
    let (mut a, mut b) = (high - GOLDEN * (high - low), low + GOLDEN * (high - low));
    let (mut sum_a, mut sum_b) = (sum(a), sum(b));
    while high - low > 0.01 {
        if sum_a < sum_b {
            (low, a, sum_a) = (a, b, sum_b);
            b = low + GOLDEN * (high - low);
            sum_b = sum(b);
        } else {
            (high, b, sum_b) = (b, a, sum_a);
            a = high - GOLDEN * (high - low);
            sum_a = sum(a);
        }
    }
    // The ends themselves are not reached by the sections.
    [0.0, 90.0, (low + high) / 2.0].into_iter().max_by(|a, b| sum(*a).total_cmp(&sum(*b))).unwrap_or(centre)
}
