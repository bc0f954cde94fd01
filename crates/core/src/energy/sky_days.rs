//! The light of a year over one place: its suns, and what any sky makes of them.

use crate::error::{Error, check_range};
use crate::sky::air::{airmass_above_horizon, airmass_absolute, dni_extra_w_m2, pressure_pa};
use crate::sky::clear_sky::{ClearAir, Irradiance};
use crate::sky::daylight::day_start_s;
use crate::sky::place::Place;
use crate::sky::plane::{SkyModel, SkyNow};
use crate::sky::series::SunSeries;
use crate::sky::skies::Skies;
use crate::sky::split::split;
use crate::sky::sun::{AIR_C, Direction, SunPosition};
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

/// When an instant of daylight is, and where its sun stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hour {
    /// 0 to 11.
    pub month: u8,
    /// 0 to 365, from 1 January.
    pub day: u16,
    /// 0 to 23, by local standard time.
    pub hour: u8,
    pub sun_position: SunPosition,
}

/// An instant of daylight, with all that no sky changes.
#[derive(Debug, Clone, Copy)]
pub(super) struct SunHour {
    pub hour: Hour,
    toward: Direction,
    cos_hour_angle: f64,
    tan_declination: f64,
    dni_extra_w_m2: f64,
    airmass_relative: f64,
    /// The 29th of February, for which a table of 365 days has no row.
    is_leap_day: bool,
    /// From 1 January in such a table.
    day_of_365: usize,
}

/// The suns of a year, day by day.
pub(super) struct SunDays {
    lon_deg: f64,
    utc_offset_h: f64,
    steps_per_hour: u32,
    first: Date,
    date: Date,
    /// From 1 January.
    day: usize,
    pub days: usize,
    sun: SunSeries,
    instants_s: Vec<f64>,
}

impl SunDays {
    /// `year` 1000 to 3000, `utc_offset_h` -14 to 15; `steps_per_hour` 1 to 60 instants, each in the middle of its step.
    pub fn of(place: &Place, utc_offset_h: f64, year: i16, steps_per_hour: u32) -> Result<Self, Error> {
        check_range("utc_offset_h", utc_offset_h, -14.0, 15.0)?;
        check_range("steps_per_hour", f64::from(steps_per_hour), 1.0, 60.0)?;
        let first = Date::new(year, 1, 1).ok().filter(|_| (1000..=3000).contains(&year));
        let first = first.ok_or(Error::OutOfRange { field: "year", value: f64::from(year), low: 1000.0, high: 3000.0 })?;
        let sun = SunSeries::over(place, pressure_pa(place.elevation_m), AIR_C)?;
        let days = first.days_in_year() as usize;
        Ok(SunDays {
            lon_deg: place.lon_deg,
            utc_offset_h,
            steps_per_hour,
            first,
            date: first,
            day: 0,
            days,
            sun,
            instants_s: Vec::new(),
        })
    }

    /// Adds the instants of the next day at which the sun is up; `false` once the year is over.
    pub fn add_next(&mut self, hours: &mut Vec<SunHour>) -> Result<bool, Error> {
        if self.day == self.days {
            return Ok(false);
        }
        let start_s = day_start_s(self.date, self.utc_offset_h);
        let step_s = 3600.0 / f64::from(self.steps_per_hour);
        self.instants_s.clear();
        self.instants_s.extend((0..24 * self.steps_per_hour).map(|step| start_s + (f64::from(step) + 0.5) * step_s));
        let suns = self.sun.all(&self.instants_s)?;
        let year_start_s = day_start_s(self.first, 0.0);
        let is_leap_day = self.date.month() == 2 && self.date.day() == 29;
        let past_leap = usize::from(self.days == 366 && (self.date.month() > 2 || is_leap_day));
        let mut above = (0.0, 0.0);
        for (step, (unix_s, seen)) in (0..).zip(self.instants_s.iter().zip(suns)) {
            if seen.sun_position.zenith_apparent_deg >= 90.0 {
                continue;
            }
            // The day of the year is that of UTC, as everywhere.
            let day_of_year = ((unix_s - year_start_s) / 86_400.0).floor().rem_euclid(self.days as f64) + 1.0;
            if above.0 != day_of_year {
                above = (day_of_year, dni_extra_w_m2(day_of_year));
            }
            hours.push(SunHour {
                hour: Hour {
                    month: (self.date.month() - 1) as u8,
                    day: self.day as u16,
                    hour: (step / self.steps_per_hour) as u8,
                    sun_position: seen.sun_position,
                },
                toward: seen.toward,
                cos_hour_angle: ((seen.solar_time_h(*unix_s, self.lon_deg) - 12.0) * 15.0).to_radians().cos(),
                tan_declination: seen.tan_declination(),
                dni_extra_w_m2: above.1,
                airmass_relative: airmass_above_horizon(seen.toward.up, seen.sun_position.elevation_deg()),
                is_leap_day,
                day_of_365: self.day - past_leap,
            });
        }
        self.day += 1;
        self.date = self.date.tomorrow().unwrap_or(self.date);
        Ok(true)
    }
}

/// A light over a place, ready for any instant.
#[derive(Debug, Clone, Copy)]
pub(super) struct LightOver<'a> {
    source: Source<'a>,
    albedo: f64,
    pressure_pa: f64,
    tan_lat: f64,
}

/// [`Light`], with what of a clear sky no moment changes.
#[derive(Debug, Clone, Copy)]
enum Source<'a> {
    Clear(ClearAir),
    Clearness(&'a [f64; 12]),
    Days(&'a [f64]),
    Hours(&'a [Irradiance]),
}

impl<'a> LightOver<'a> {
    /// `albedo` 0 to 1.
    pub fn of(place: &Place, light: Light<'a>, albedo: f64) -> Result<Self, Error> {
        check_range("albedo", albedo, 0.0, 1.0)?;
        check_light(light)?;
        let source = match light {
            Light::Clear { linke_turbidity } => Source::Clear(ClearAir::of(place.elevation_m, linke_turbidity)),
            Light::Clearness { by_month } => Source::Clearness(by_month),
            Light::Days(by_day) => Source::Days(by_day),
            Light::Hours(measured) => Source::Hours(measured),
        };
        let (pressure_pa, tan_lat) = (pressure_pa(place.elevation_m), place.lat_deg.to_radians().tan());
        Ok(LightOver { source, albedo, pressure_pa, tan_lat })
    }

    /// Whether it says anything of an instant: what was measured in 365 days says nothing of the 29th of February.
    fn covers(&self, hour: &SunHour) -> bool {
        match self.source {
            Source::Clear(_) | Source::Clearness(_) | Source::Days(_) => true,
            Source::Hours(_) => !hour.is_leap_day,
        }
    }

    /// Those of the instants that it covers.
    pub fn covered<'h>(&self, hours: &'h [SunHour]) -> impl Iterator<Item = &'h SunHour> {
        hours.iter().filter(|hour| self.covers(hour))
    }

    /// Adds the skies of these, in their order.
    pub fn add(&self, hours: &[SunHour], skies: &mut Skies) {
        for hour in self.covered(hours) {
            let at = (hour.toward, hour.hour.sun_position.zenith_apparent_deg);
            let (extra, airmass) = (hour.dni_extra_w_m2, hour.airmass_relative);
            skies.push(&SkyNow::prepared(self.irradiance(hour), at, extra, airmass, self.albedo, SkyModel::Perez));
        }
    }

    fn irradiance(&self, hour: &SunHour) -> Irradiance {
        match self.source {
            Source::Clear(air) => {
                let airmass = airmass_absolute(hour.airmass_relative, self.pressure_pa);
                air.light(hour.toward.up, airmass, hour.dni_extra_w_m2)
            }
            Source::Clearness(by_month) => self.cloudy(by_month[usize::from(hour.hour.month)], hour),
            Source::Days(by_day) => self.cloudy(by_day.get(hour.day_of_365).copied().unwrap_or_default(), hour),
            Source::Hours(measured) => {
                measured.get(hour.day_of_365 * 24 + usize::from(hour.hour.hour)).copied().unwrap_or_default()
            }
        }
    }

    /// The light of a moment of a day of this clearness.
    fn cloudy(&self, whole_day: f64, hour: &SunHour) -> Irradiance {
        let spread = Spread::of(self.tan_lat, hour.tan_declination);
        let kt = (whole_day * spread.at(hour.cos_hour_angle)).clamp(0.0, HIGHEST_CLEARNESS);
        let ghi_w_m2 = kt * hour.dni_extra_w_m2 * hour.toward.up;
        split(ghi_w_m2, (hour.hour.sun_position.zenith_apparent_deg, hour.toward.up), hour.dni_extra_w_m2).1
    }
}

/// No hour of a mean day is clearer than this.
const HIGHEST_CLEARNESS: f64 = 0.85;

/// How the light of a cloudy day is spread over it: clearness of an hour over that of its day, `a + b cos(hour angle)` (Collares-Pereira
/// and Rabl 1979, The average distribution of solar radiation, Solar Energy 22, 155-164; as in Duffie and Beckman, equation 2.13.2, from
/// memory). Low sun crosses more air.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Spread {
    a: f64,
    b: f64,
}

impl Spread {
    /// Of a day by the tangents of latitude and declination, whose product, with the other sign, is the cosine of the hour angle of
    /// sunset. The sine of that angle less 60 degrees, which both factors take, follows from it without the angle.
    fn of(tan_lat: f64, tan_declination: f64) -> Self {
        let cos_sunset = (-tan_lat * tan_declination).clamp(-1.0, 1.0);
        let lag = (1.0 - cos_sunset * cos_sunset).sqrt() * COS_60_DEG - cos_sunset * SIN_60_DEG;
        Spread { a: 0.409 + 0.5016 * lag, b: 0.6609 - 0.4767 * lag }
    }

    fn at(&self, cos_hour_angle: f64) -> f64 {
        self.a + self.b * cos_hour_angle
    }
}

const COS_60_DEG: f64 = 0.5;
const SIN_60_DEG: f64 = 0.866_025_403_784_438_6;

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
