//! The light of a year over one place, worked through day by day.

use crate::error::{Error, check_range};
use crate::sky::air::{airmass_above_horizon, airmass_absolute, dni_extra_w_m2, pressure_pa};
use crate::sky::clear_sky::{ClearAir, Irradiance};
use crate::sky::daylight::day_start_s;
use crate::sky::place::Place;
use crate::sky::plane::{SkyModel, SkyNow};
use crate::sky::series::{Seen, SunSeries};
use crate::sky::skies::Skies;
use crate::sky::split::erbs;
use crate::sky::sun::{AIR_C, Sun};
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

/// When a sky of daylight was, and where its sun stood.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hour {
    /// 0 to 11.
    pub month: u8,
    /// 0 to 365, from 1 January.
    pub day: u16,
    /// 0 to 23, by local standard time.
    pub hour: u8,
    pub sun: Sun,
}

/// [`Light`], with what of a clear sky no moment changes.
#[derive(Debug, Clone, Copy)]
enum Source<'a> {
    Clear(ClearAir),
    Clearness(&'a [f64; 12]),
    Days(&'a [f64]),
    Hours(&'a [Irradiance]),
}

/// A year that is asked for its days, from the first of January on.
pub(super) struct SkyDays<'a> {
    place: &'a Place,
    utc_offset_h: f64,
    source: Source<'a>,
    albedo: f64,
    steps_per_hour: u32,
    first: Date,
    date: Date,
    /// From 1 January.
    day: usize,
    pub days: usize,
    sun: SunSeries,
    pressure_pa: f64,
    /// Day of the year, and the irradiance above the air, of the last moment.
    above: (f64, f64),
}

impl<'a> SkyDays<'a> {
    /// `year` 1000 to 3000, `utc_offset_h` -14 to 15, `albedo` 0 to 1; `steps_per_hour` 1 to 60 instants, each in the middle of its step.
    pub fn of(
        place: &'a Place,
        utc_offset_h: f64,
        year: i16,
        light: Light<'a>,
        albedo: f64,
        steps_per_hour: u32,
    ) -> Result<Self, Error> {
        check_range("utc_offset_h", utc_offset_h, -14.0, 15.0)?;
        check_range("albedo", albedo, 0.0, 1.0)?;
        check_range("steps_per_hour", f64::from(steps_per_hour), 1.0, 60.0)?;
        check_light(light)?;
        let first = Date::new(year, 1, 1).ok().filter(|_| (1000..=3000).contains(&year));
        let first = first.ok_or(Error::OutOfRange { field: "year", value: f64::from(year), low: 1000.0, high: 3000.0 })?;
        let pressure_pa = pressure_pa(place.elevation_m);
        let source = match light {
            Light::Clear { linke_turbidity } => Source::Clear(ClearAir::of(place.elevation_m, linke_turbidity)),
            Light::Clearness { by_month } => Source::Clearness(by_month),
            Light::Days(by_day) => Source::Days(by_day),
            Light::Hours(measured) => Source::Hours(measured),
        };
        Ok(SkyDays {
            place,
            utc_offset_h,
            source,
            albedo,
            steps_per_hour,
            first,
            date: first,
            day: 0,
            days: first.days_in_year() as usize,
            sun: SunSeries::over(place, pressure_pa, AIR_C)?,
            pressure_pa,
            above: (0.0, 0.0),
        })
    }

    /// Adds the skies of the next day, while the sun is up; `false` once the year is over.
    pub fn add_next(&mut self, hours: &mut Vec<Hour>, skies: &mut Skies) -> Result<bool, Error> {
        if self.day == self.days {
            return Ok(false);
        }
        let start_s = day_start_s(self.date, self.utc_offset_h);
        let year_start_s = day_start_s(self.first, 0.0);
        let step_s = 3600.0 / f64::from(self.steps_per_hour);
        let month = (self.date.month() - 1) as u8;
        let instants_s: Vec<f64> = (0..24 * self.steps_per_hour).map(|step| start_s + (f64::from(step) + 0.5) * step_s).collect();
        let suns = self.sun.all(&instants_s)?;
        for (step, (unix_s, seen)) in (0..).zip(instants_s.into_iter().zip(suns)) {
            if seen.sun.zenith_apparent_deg >= 90.0 {
                continue;
            }
            let hour = (step / self.steps_per_hour) as u8;
            // The day of the year is that of UTC, as everywhere.
            let day_of_year = ((unix_s - year_start_s) / 86_400.0).floor().rem_euclid(self.days as f64) + 1.0;
            if let Some(sky) = self.sky(unix_s, &seen, day_of_year, hour)? {
                hours.push(Hour { month, day: self.day as u16, hour, sun: seen.sun });
                skies.push(&sky);
            }
        }
        self.day += 1;
        self.date = self.date.tomorrow().unwrap_or(self.date);
        Ok(true)
    }

    /// `None` where nothing was measured.
    fn sky(&mut self, unix_s: f64, seen: &Seen, day_of_year: f64, hour: u8) -> Result<Option<SkyNow>, Error> {
        let dni_extra = self.dni_extra_w_m2(day_of_year);
        let zenith_deg = seen.sun.zenith_apparent_deg;
        let relative = airmass_above_horizon(seen.toward.up, seen.sun.elevation_deg());
        let Some(irradiance) = self.irradiance(unix_s, seen, (dni_extra, day_of_year), hour, relative)? else { return Ok(None) };
        Ok(Some(SkyNow::prepared(irradiance, (seen.toward, zenith_deg), dni_extra, relative, self.albedo, SkyModel::Perez)))
    }

    fn dni_extra_w_m2(&mut self, day_of_year: f64) -> f64 {
        if self.above.0 != day_of_year {
            self.above = (day_of_year, dni_extra_w_m2(day_of_year));
        }
        self.above.1
    }

    fn irradiance(
        &self,
        unix_s: f64,
        seen: &Seen,
        (dni_extra, day_of_year): (f64, f64),
        hour: u8,
        relative: f64,
    ) -> Result<Option<Irradiance>, Error> {
        let leap_day = self.date.month() == 2 && self.date.day() == 29;
        // A table of 365 days has none for the 29th of February.
        let past_leap = usize::from(self.days == 366 && self.date.month() > 2);
        Ok(Some(match self.source {
            Source::Clear(air) => air.light(seen.toward.up, airmass_absolute(relative, self.pressure_pa), dni_extra),
            Source::Clearness(by_month) => {
                let whole_day = by_month[(self.date.month() - 1) as usize];
                cloudy(whole_day, seen, (unix_s, self.place), (dni_extra, day_of_year))?
            }
            Source::Days(by_day) => {
                let whole_day = by_day.get(self.day - past_leap - usize::from(leap_day)).copied().unwrap_or_default();
                cloudy(whole_day, seen, (unix_s, self.place), (dni_extra, day_of_year))?
            }
            Source::Hours(_) if leap_day => return Ok(None),
            Source::Hours(measured) => measured.get((self.day - past_leap) * 24 + usize::from(hour)).copied().unwrap_or_default(),
        }))
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
    let share = clearness_of_hour(seen.solar_time_h(unix_s, place.lon_deg), seen.declination_deg(), place.lat_deg);
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
