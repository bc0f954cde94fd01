//! The clear-sky course on the steps of a log.

use super::grid::Grid;
use crate::error::Error;
use crate::measure::series::Series;
use crate::sky::course::{Moment, Site};
use crate::sky::daylight::day_of_year;
use crate::sky::plane::Plane;

/// The clear sky may differ from its model by so much, percent (95 %): turbidity is a grade, not a measurement. Common practice, no source.
pub const CLEAR_SKY_U_PERCENT: f64 = 7.0;

/// What a clear sky would have given, step by step.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct SkyCourse {
    /// W/m2 in the plane.
    pub poa_w_m2: Vec<f64>,
    /// Of the sun, seen with refraction.
    pub elevation_deg: Vec<f64>,
    /// From north, clockwise.
    pub azimuth_deg: Vec<f64>,
    /// Day number of the local solar date, so that days can be told apart wherever the place is.
    pub solar_day: Vec<i64>,
}

/// W/m2 in a plane under a clear sky at a moment.
///
/// # Errors
/// As [`Moment::at`].
pub fn clear_poa_w_m2(site: &Site, plane: &Plane, unix_s: f64) -> Result<f64, Error> {
    Ok(Moment::at(site, unix_s, day_of_year(unix_s))?.on(plane).poa_w_m2)
}

impl SkyCourse {
    /// # Errors
    /// As [`Moment::at`].
    pub fn over(site: &Site, plane: &Plane, grid: &Grid) -> Result<Self, Error> {
        let mut course = SkyCourse::default();
        let mut sun = site.sun()?;
        for step in 0..grid.steps {
            let at_s = grid.at_s(step);
            let moment = Moment::along(site, &mut sun, at_s, day_of_year(at_s))?;
            course.poa_w_m2.push(moment.on(plane).poa_w_m2);
            course.elevation_deg.push(90.0 - moment.sun_position.zenith_apparent_deg);
            course.azimuth_deg.push(moment.sun_position.azimuth_deg);
            course.solar_day.push(((at_s + site.place.lon_deg * 240.0) / 86_400.0).floor() as i64);
        }
        Ok(course)
    }
}

/// What bringing a flat meter's irradiance onto a plane adds to its uncertainty over a day, percent (95 %). Common practice, no source.
pub const FROM_FLAT_U_PERCENT: f64 = 5.0;

/// Samples are brought over at least this far apart, s: the light of seconds moves the split, not its sum.
const BROUGHT_EVERY_S: f64 = 60.0;

/// Irradiance in a plane from that of a meter lying flat, at its own samples: split by Erbs 1982, brought over by Perez 1990.
///
/// # Errors
/// As [`Moment::at`] and [`Moment::from_flat`].
pub fn onto_plane(flat: &Series, site: &Site, plane: &Plane) -> Result<Series, Error> {
    let mut sun = site.sun()?;
    let mut brought: Vec<(f64, f64)> = Vec::new();
    for (at_s, ghi_w_m2) in flat.iter() {
        if brought.last().is_some_and(|last| at_s - last.0 < BROUGHT_EVERY_S) {
            continue;
        }
        let day = day_of_year(at_s);
        // A meter shows a little below nothing at night.
        let poa_w_m2 = Moment::along(site, &mut sun, at_s, day)?.from_flat(ghi_w_m2.max(0.0), day, plane)?;
        brought.push((at_s, poa_w_m2));
    }
    Ok(Series::new(brought).0)
}

/// A clear-sky course as a function of time: worked out every five minutes and straight between, for the ceilings of gaps.
#[derive(Debug, Clone, PartialEq)]
pub struct ClearDay {
    from_s: f64,
    poa_w_m2: Vec<f64>,
}

const LOOK_S: f64 = 300.0;

impl ClearDay {
    /// # Errors
    /// As [`Moment::at`].
    pub fn over(site: &Site, plane: &Plane, from_s: f64, to_s: f64) -> Result<Self, Error> {
        let looks = ((to_s - from_s) / LOOK_S).ceil().max(1.0) as usize;
        let mut sun = site.sun()?;
        let look = |look: usize| {
            let at_s = from_s + look as f64 * LOOK_S;
            Ok(Moment::along(site, &mut sun, at_s, day_of_year(at_s))?.on(plane).poa_w_m2)
        };
        let poa_w_m2 = (0..=looks).map(look).collect::<Result<_, Error>>()?;
        Ok(ClearDay { from_s, poa_w_m2 })
    }

    /// 0 outside.
    pub fn at(&self, unix_s: f64) -> f64 {
        let place = (unix_s - self.from_s) / LOOK_S;
        if place < 0.0 || place > (self.poa_w_m2.len() - 1) as f64 {
            return 0.0;
        }
        let left = (place as usize).min(self.poa_w_m2.len() - 2);
        let share = place - left as f64;
        self.poa_w_m2[left] * (1.0 - share) + self.poa_w_m2[left + 1] * share
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::place::Place;

    /// The clear sky's own irradiance on the flat comes to its own in the plane within what the split into beam and sky leaves open, over
    /// a day.
    #[test]
    fn a_flat_meter_is_brought_onto_the_plane() {
        let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 30.0, azimuth_deg: 180.0 };
        let from_s = 1_789_171_200.0;
        let at = (0..288).map(|nth| from_s + f64::from(nth) * 300.0);
        let flat = Series::new(at.clone().map(|at_s| {
            let moment = Moment::at(&site, at_s, day_of_year(at_s)).unwrap();
            (at_s, moment.clear.irradiance.ghi_w_m2)
        }));
        let brought = onto_plane(&flat.0, &site, &plane).unwrap();
        let sum: f64 = brought.values().iter().sum::<f64>() / 12.0;
        let own: f64 = at.map(|at_s| clear_poa_w_m2(&site, &plane, at_s).unwrap()).sum::<f64>() / 12.0;
        assert!((sum / own - 1.0).abs() < FROM_FLAT_U_PERCENT / 100.0, "{sum} {own}");
    }

    #[test]
    fn the_course_between_its_looks_is_that_of_the_model() {
        let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 30.0, azimuth_deg: 180.0 };
        // 2026-09-12, midnight to midnight UTC.
        let from_s = 1_789_171_200.0;
        let day = ClearDay::over(&site, &plane, from_s, from_s + 86_400.0).unwrap();
        for hour in [8.123, 12.47, 17.31] {
            let at_s = from_s + hour * 3600.0;
            let exact = clear_poa_w_m2(&site, &plane, at_s).unwrap();
            assert!((day.at(at_s) - exact).abs() < 0.003 * exact, "{hour}");
        }
        assert_eq!((day.at(from_s - 1.0), day.at(from_s + 87_000.0)), (0.0, 0.0));
        assert_eq!(day_of_year(from_s), 255.0);
    }
}
