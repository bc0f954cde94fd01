//! The clear sky over a place, moment by moment: what a plane would get, for how long it holds, and when it is good for a test.

use super::air::pressure_pa;
use super::clear_sky::{ClearSky, Irradiance, clear_sky};
use super::place::{Horizon, Place};
use super::plane::{OnPlane, Plane, SkyModel, SkyNow};
use super::series::{Seen, SunSeries};
use super::split::erbs;
use super::sun::{AIR_C, Direction, SunPosition};
use crate::error::Error;
use crate::window::Window;

/// A place with all that shapes its light.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Site {
    pub place: Place,
    pub horizon: Horizon,
    /// Share of light the ground throws back, 0 to 1.
    pub albedo: f64,
    /// 1 to 20.
    pub linke_turbidity: f64,
}

impl Site {
    /// The sun over it, through the standard atmosphere.
    ///
    /// # Errors
    /// As [`SunSeries::over`].
    pub fn sun(&self) -> Result<SunSeries, Error> {
        SunSeries::over(&self.place, pressure_pa(self.place.elevation_m), AIR_C)
    }
}

/// A rating wants at least this in the plane, W/m2 (IEC 61829:2015; from memory).
pub const GOOD_POA_W_M2: f64 = 700.0;

/// and the sun within this many hours of solar noon. Common practice, no source: two to three.
pub const GOOD_HOURS_FROM_NOON: f64 = 3.0;

/// One moment under a clear sky.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    pub unix_s: f64,
    /// True solar time, 0 to 24.
    pub solar_time_h: f64,
    pub sun_position: SunPosition,
    pub clear: ClearSky,
    /// What stands around hides the sun.
    pub is_hidden: bool,
    albedo: f64,
    toward: Direction,
    sky: SkyNow,
}

impl Moment {
    /// `day_of_year` 1 to 366, in UTC.
    pub fn at(site: &Site, unix_s: f64, day_of_year: f64) -> Result<Self, Error> {
        Self::with_turbidity(site, unix_s, day_of_year, site.linke_turbidity)
    }

    /// The same through air of another turbidity, 1 to 20.
    pub fn with_turbidity(site: &Site, unix_s: f64, day_of_year: f64, linke_turbidity: f64) -> Result<Self, Error> {
        let seen = site.sun()?.at(unix_s)?;
        Self::seen(site, unix_s, &seen, day_of_year, linke_turbidity)
    }

    /// The next of many moments, in the order of time: `sun` is that of [`Site::sun`].
    pub fn along(site: &Site, sun: &mut SunSeries, unix_s: f64, day_of_year: f64) -> Result<Self, Error> {
        Self::seen(site, unix_s, &sun.at(unix_s)?, day_of_year, site.linke_turbidity)
    }

    fn seen(site: &Site, unix_s: f64, seen: &Seen, day_of_year: f64, linke_turbidity: f64) -> Result<Self, Error> {
        let solar_time_h = seen.solar_time_h(unix_s, site.place.lon_deg);
        Self::under(site, (unix_s, solar_time_h), (seen.sun_position, seen.toward), day_of_year, linke_turbidity)
    }

    /// The same moment through air of another turbidity. Where the sun stands, which takes most of the time, is known.
    pub fn through(&self, site: &Site, day_of_year: f64, linke_turbidity: f64) -> Result<Self, Error> {
        Self::under(site, (self.unix_s, self.solar_time_h), (self.sun_position, self.toward), day_of_year, linke_turbidity)
    }

    fn under(
        site: &Site,
        (unix_s, solar_time_h): (f64, f64),
        (sun, toward): (SunPosition, Direction),
        day_of_year: f64,
        linke_turbidity: f64,
    ) -> Result<Self, Error> {
        let clear = clear_sky(&sun, &site.place, day_of_year, linke_turbidity)?;
        let is_hidden = sun.elevation_deg() < site.horizon.height_deg(sun.azimuth_deg);
        let light = if is_hidden { without_beam(clear.irradiance) } else { clear.irradiance };
        let at = (toward, sun.zenith_apparent_deg);
        let (dni_extra, airmass) = (clear.dni_extra_w_m2, clear.airmass_relative);
        let sky = SkyNow::prepared(light, at, dni_extra, airmass, site.albedo, SkyModel::Perez);
        Ok(Moment { unix_s, solar_time_h, sun_position: sun, clear, is_hidden, albedo: site.albedo, toward, sky })
    }

    /// What falls on a plane.
    pub fn on(&self, plane: &Plane) -> OnPlane {
        self.sky.onto(&plane.ready())
    }

    /// What falls on a plane normal to the sun; on the flat while the sun is down.
    pub fn normal(&self) -> OnPlane {
        self.on(&self.normal_plane())
    }

    /// The plane normal to the sun.
    pub fn normal_plane(&self) -> Plane {
        if self.sun_position.elevation_deg() > 0.0 {
            Plane { tilt_deg: self.sun_position.zenith_apparent_deg, azimuth_deg: self.sun_position.azimuth_deg }
        } else {
            Plane { tilt_deg: 0.0, azimuth_deg: self.sun_position.azimuth_deg }
        }
    }

    /// What falls on a plane when a meter lying flat shows `ghi_w_m2`: split by Erbs 1982, brought over by Perez 1990.
    pub fn from_flat(&self, ghi_w_m2: f64, day_of_year: f64, plane: &Plane) -> Result<f64, Error> {
        let (_, light) = erbs(ghi_w_m2, self.sun_position.zenith_apparent_deg, day_of_year)?;
        let at = (self.toward, self.sun_position.zenith_apparent_deg);
        let (dni_extra, airmass) = (self.clear.dni_extra_w_m2, self.clear.airmass_relative);
        let sky = SkyNow::prepared(light, at, dni_extra, airmass, self.albedo, SkyModel::Perez);
        Ok(sky.onto(&plane.ready()).poa_w_m2)
    }

    /// Whether a rating can be tested on a plane now, if the sky is clear.
    pub fn is_good(&self, plane: &Plane) -> bool {
        !self.is_hidden && (self.solar_time_h - 12.0).abs() <= GOOD_HOURS_FROM_NOON && self.on(plane).poa_w_m2 >= GOOD_POA_W_M2
    }
}

fn without_beam(light: Irradiance) -> Irradiance {
    Irradiance { ghi_w_m2: light.dhi_w_m2, dni_w_m2: 0.0, dhi_w_m2: light.dhi_w_m2 }
}

/// Moments from `start_s` to `end_s` in steps of `step_s`, both ends included.
pub fn course(site: &Site, start_s: f64, end_s: f64, step_s: f64, day_of_year: f64) -> Result<Vec<Moment>, Error> {
    let steps = ((end_s - start_s) / step_s).floor().clamp(0.0, 10_000.0) as u32;
    let mut sun = site.sun()?;
    (0..=steps).map(|step| Moment::along(site, &mut sun, start_s + f64::from(step) * step_s, day_of_year)).collect()
}

/// Good hours are looked for at steps of this, s; what begins and ends between two of them lasts less.
const GOOD_LOOK_S: f64 = 300.0;

/// The first and the last full minute between two moments at which a plane is good; `None` where there is none. The same
/// whatever page asks: the ends are found to the second, and not on anybody's steps.
///
/// # Errors
/// As [`Moment::at`].
pub fn good_window(site: &Site, plane: &Plane, from_s: f64, to_s: f64, day_of_year: f64) -> Result<Option<Window>, Error> {
    let course = course(site, from_s, to_s, GOOD_LOOK_S, day_of_year)?;
    let is_good: Vec<bool> = course.iter().map(|moment| moment.is_good(plane)).collect();
    let (Some(first), Some(last)) = (is_good.iter().position(|good| *good), is_good.iter().rposition(|good| *good)) else {
        return Ok(None);
    };
    let edge = |mut good_s: f64, mut bad_s: f64| {
        while (good_s - bad_s).abs() > 1.0 {
            let middle_s = f64::midpoint(good_s, bad_s);
            if Moment::at(site, middle_s, day_of_year)?.is_good(plane) { good_s = middle_s } else { bad_s = middle_s }
        }
        Ok::<f64, Error>(good_s)
    };
    let begins_s = if first == 0 { course[0].unix_s } else { edge(course[first].unix_s, course[first - 1].unix_s)? };
    let ends_s = match course.get(last + 1) {
        Some(next) => edge(course[last].unix_s, next.unix_s)?,
        None => course[last].unix_s,
    };
    let good = Window { from_s: (begins_s / 60.0).ceil() * 60.0, to_s: (ends_s / 60.0).floor() * 60.0 };
    Ok((good.from_s <= good.to_s).then_some(good))
}

/// kWh/m2 on a plane over a course of even steps.
pub fn energy_kwh_m2(course: &[Moment], plane: &Plane) -> f64 {
    let pairs = course.windows(2).map(|pair| {
        let hours = (pair[1].unix_s - pair[0].unix_s) / 3600.0;
        (pair[0].on(plane).poa_w_m2 + pair[1].on(plane).poa_w_m2) / 2.0 * hours
    });
    pairs.sum::<f64>() / 1000.0
}

/// In how many minutes the clear sun on a plane changes by 1 %, from its slope over five minutes to either side. `None` in the
/// dark; 120 where it hardly changes.
pub fn minutes_to_change_by_one_percent(site: &Site, plane: &Plane, unix_s: f64, day_of_year: f64) -> Result<Option<f64>, Error> {
    const REACH_S: f64 = 300.0;
    let poa = |unix_s: f64| Ok::<f64, Error>(Moment::at(site, unix_s, day_of_year)?.on(plane).poa_w_m2);
    let (before, now, after) = (poa(unix_s - REACH_S)?, poa(unix_s)?, poa(unix_s + REACH_S)?);
    if now < 1.0 {
        return Ok(None);
    }
    let per_minute_rel = (after - before).abs() / now / (2.0 * REACH_S / 60.0);
    Ok(Some((0.01 / per_minute_rel.max(1e-9)).min(120.0)))
}
