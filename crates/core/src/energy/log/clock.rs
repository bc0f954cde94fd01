//! Whether a logger's clock is right, told by the sun: where the day's course lies, and its first and last light.

use super::grid::Grid;
use super::sky::ClearDay;
use crate::error::Error;
use crate::measure::line::Line;
use crate::sky::course::Site;
use crate::sky::plane::Plane;

/// What the sun says of a clock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ClockCheck {
    /// The logger's clock is ahead of true time by so much, s.
    pub ahead_s: f64,
    /// 95 %.
    pub u_s: f64,
    /// Gained each day, s; only where enough days say it.
    pub gains_s_per_day: Option<f64>,
    pub days: usize,
}

impl ClockCheck {
    /// Wrong by more than the sun can be mistaken about, and by more than ten minutes: what a person would set right.
    pub fn is_wrong(&self) -> bool {
        self.ahead_s.abs() > self.u_s.max(WORTH_SETTING_S)
    }

    /// The whole number of hours it is off by, where it is one: summer time, or another zone.
    pub fn whole_hours(&self) -> Option<i32> {
        let hours = (self.ahead_s / 3600.0).round();
        (hours != 0.0 && (self.ahead_s - hours * 3600.0).abs() <= self.u_s.max(WORTH_SETTING_S)).then_some(hours as i32)
    }
}

const WORTH_SETTING_S: f64 = 600.0;

/// A clock may be wrong by this much, either way.
const FARTHEST_S: f64 = 13.0 * 3600.0;

/// Between the guesses of the first search, s.
const COARSE_S: f64 = 900.0;

/// A day is asked where its course resembles the sky's by at least this correlation; under thick clouds it says nothing.
const LEAST_CORRELATION: f64 = 0.8;

/// Of its highest value, where light begins and ends.
const FIRST_LIGHT_SHARE: f64 = 0.03;

/// What the sun cannot tell better, s: horizon and haze move the course. Common practice, no source.
const LEAST_U_S: f64 = 300.0;

/// Two ways of telling the clock that differ by more than this tell something else, s. Common practice, no source: trees and walls that no
/// horizon was entered for take half an hour of either end.
const APART_S: f64 = 2700.0;

/// A course that lies this far from its own ends is bent, s. A plane that is turned by 15 degrees moves the two apart by some 900 s.
const BENT_S: f64 = 900.0;

/// An azimuth is noted to about this, degrees. A plane that is turned by more than it is said to be moves the course by up to 0.6 of the
/// sun's own 240 s for each degree, times the sine of its tilt (worked out with this model at 20 to 60 degrees of tilt). Common practice,
/// no source.
const AZIMUTH_U_DEG: f64 = 15.0;
const S_PER_DEG: f64 = 0.6 * 240.0;

/// Holds a day's course (irradiance or watts) against the clear sky's, at every shift of the clock. `None` where no day says anything.
///
/// The course is shifted until it resembles the sky best, which a plane that is turned deceives; and its first and last light, which
/// clouds hardly move, are held against the sky's. The answer is the middle of the two, its interval at least half their difference.
///
/// # Errors
/// As [`ClearDay::over`].
pub fn clock(grid: &Grid, values: &[Option<f64>], site: &Site, plane: &Plane) -> Result<Option<ClockCheck>, Error> {
    let day_steps = (86_400.0 / grid.step_s) as usize;
    let mut found: Vec<(f64, f64, f64)> = Vec::new();
    let mut first = 0;
    while first < grid.steps {
        let end = (first + day_steps).min(grid.steps);
        let samples: Vec<(f64, f64)> = (first..end).filter_map(|step| Some((grid.at_s(step), values[step]?))).collect();
        // A day's course without its two ends says nothing of where it lies.
        if samples.len() as f64 * grid.step_s > 6.0 * 3600.0 {
            found.extend(of_day(&samples, site, plane)?);
        }
        first = end;
    }
    if found.is_empty() {
        return Ok(None);
    }
    let mut aheads: Vec<f64> = found.iter().map(|day| day.1).collect();
    aheads.sort_by(f64::total_cmp);
    let ahead_s = aheads[aheads.len() / 2];
    let widest = found.iter().map(|day| day.2).fold(0.0, f64::max);
    let turned_s = AZIMUTH_U_DEG * S_PER_DEG * plane.tilt_deg.to_radians().sin();
    Ok(Some(ClockCheck {
        ahead_s,
        u_s: widest.max(LEAST_U_S).hypot(turned_s),
        gains_s_per_day: gains(&found),
        days: found.len(),
    }))
}

/// (Unix seconds of its middle, clock ahead, interval) of one day.
fn of_day(samples: &[(f64, f64)], site: &Site, plane: &Plane) -> Result<Option<(f64, f64, f64)>, Error> {
    let (from_s, to_s) = (samples[0].0, samples[samples.len() - 1].0);
    let clear = ClearDay::over(site, plane, from_s - FARTHEST_S, to_s + FARTHEST_S)?;
    let likeness = |ahead_s: f64| correlation(samples.iter().map(|(at_s, value)| (*value, clear.at(at_s - ahead_s))));
    let steps = (FARTHEST_S / COARSE_S) as i32;
    let best = (-steps..=steps).map(|step| f64::from(step) * COARSE_S).max_by(|a, b| likeness(*a).total_cmp(&likeness(*b)));
    let Some(coarse_s) = best.filter(|best| likeness(*best) >= LEAST_CORRELATION) else { return Ok(None) };
    let course_s = highest(&likeness, coarse_s - COARSE_S, coarse_s + COARSE_S);
    let Some((first_s, last_s)) = by_first_and_last_light(samples, &clear, course_s) else { return Ok(None) };
    // A clock moves both ends of the light alike; what moves one of them is something else: a full battery, a shade, snow.
    if (first_s - last_s).abs() > APART_S {
        return Ok(None);
    }
    let edges_s = (first_s + last_s) / 2.0;
    let middle_s = (from_s + to_s) / 2.0;
    // A course that lies elsewhere than its own ends is bent by a limit or a shade: the ends stand alone.
    Ok(Some(match (course_s - edges_s).abs() {
        apart_s if apart_s > BENT_S => (middle_s, edges_s, (first_s - last_s).abs() / 2.0),
        apart_s => (middle_s, (course_s + edges_s) / 2.0, apart_s / 2.0),
    }))
}

/// How far ahead the clock is by the first light, and by the last; `None` where the log does not hold the dark on both sides.
fn by_first_and_last_light(samples: &[(f64, f64)], clear: &ClearDay, about_s: f64) -> Option<(f64, f64)> {
    let top = samples.iter().map(|sample| sample.1).fold(0.0, f64::max);
    let top_clear = samples.iter().map(|(at_s, _)| clear.at(at_s - about_s)).fold(0.0, f64::max);
    let ends = |is_light: &dyn Fn(usize) -> bool| {
        let (first, last) = ((0..samples.len()).find(|nth| is_light(*nth))?, (0..samples.len()).rfind(|nth| is_light(*nth))?);
        (first > 0 && last + 1 < samples.len()).then(|| (samples[first].0, samples[last].0))
    };
    let seen = ends(&|nth| samples[nth].1 > FIRST_LIGHT_SHARE * top)?;
    let expected = ends(&|nth| clear.at(samples[nth].0 - about_s) > FIRST_LIGHT_SHARE * top_clear)?;
    Some((about_s + seen.0 - expected.0, about_s + seen.1 - expected.1))
}

fn correlation(pairs: impl Iterator<Item = (f64, f64)>) -> f64 {
    let (mut count, mut a, mut b, mut aa, mut bb, mut ab) = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0);
    for (x, y) in pairs {
        (count, a, b, aa, bb, ab) = (count + 1.0, a + x, b + y, aa + x * x, bb + y * y, ab + x * y);
    }
    let spread = (aa - a * a / count) * (bb - b * b / count);
    if spread > 0.0 { (ab - a * b / count) / spread.sqrt() } else { 0.0 }
}

/// Where a function with one top between two places has it, by golden section to some seconds.
fn highest(of: &dyn Fn(f64) -> f64, mut low: f64, mut high: f64) -> f64 {
    const GOLDEN: f64 = 0.618_033_988_749_895;
    while high - low > 5.0 {
        let (a, b) = (high - GOLDEN * (high - low), low + GOLDEN * (high - low));
        if of(a) > of(b) { high = b } else { low = a }
    }
    (low + high) / 2.0
}

/// Days that say how much a clock gains.
const GAIN_DAYS: usize = 4;

fn gains(days: &[(f64, f64, f64)]) -> Option<f64> {
    if days.len() < GAIN_DAYS {
        return None;
    }
    let over_time: Vec<(f64, f64)> = days.iter().map(|day| (day.0, day.1)).collect();
    Some(Line::evenly(&over_time)?.slope * 86_400.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::quantity::Quantity;
    use crate::measure::series::Series;
    use crate::sky::place::Place;
    use std::collections::BTreeMap;

    fn checked(days: usize, azimuth_deg: f64, ahead: impl Fn(f64) -> f64, share: impl Fn(f64) -> f64) -> Option<ClockCheck> {
        let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 30.0, azimuth_deg };
        let from_s = 1_789_171_200.0;
        let clear = ClearDay::over(&site, &plane, from_s, from_s + days as f64 * 86_400.0).unwrap();
        let true_at = (0..days * 1440).map(|minute| from_s + minute as f64 * 60.0);
        let (series, _) = Series::new(true_at.map(|at_s| (at_s + ahead(at_s - from_s), 0.18 * clear.at(at_s) * share(at_s))));
        let grid = Grid::of(&BTreeMap::from([(Quantity::Power, series)]));
        let values: Vec<Option<f64>> = grid.power().unwrap().iter().map(|step| step.map(|step| step.mean)).collect();
        clock(&grid, &values, &site, &Plane { tilt_deg: 30.0, azimuth_deg: 180.0 }).unwrap()
    }

    #[test]
    fn a_clock_is_right_or_off_by_what_the_sun_says() {
        let right = checked(1, 180.0, |_| 0.0, |_| 1.0).unwrap();
        assert!(!right.is_wrong() && right.ahead_s.abs() < 60.0, "{right:?}");
        for ahead_s in [3600.0, -3600.0, 1500.0, -7200.0] {
            let found = checked(1, 180.0, |_| ahead_s, |_| 1.0).unwrap();
            assert!(found.is_wrong() && (found.ahead_s - ahead_s).abs() < 120.0, "{ahead_s}: {found:?}");
            assert_eq!(found.whole_hours(), (ahead_s != 1500.0).then_some((ahead_s / 3600.0) as i32));
        }
    }

    #[test]
    fn clouds_and_a_plane_that_is_turned_do_not_accuse_a_clock() {
        let cloudy = |at_s: f64| if (at_s / 1100.0) as i64 % 3 == 0 { 0.3 } else { 1.0 };
        assert!(!checked(1, 180.0, |_| 0.0, cloudy).unwrap().is_wrong());
        let found = checked(1, 180.0, |_| 3600.0, cloudy).unwrap();
        assert!(found.is_wrong() && found.whole_hours() == Some(1), "{found:?}");
        for azimuth_deg in [165.0, 195.0] {
            let found = checked(1, azimuth_deg, |_| 0.0, |_| 1.0);
            assert!(found.is_none_or(|found| !found.is_wrong()), "{azimuth_deg}: {found:?}");
        }
        assert!(checked(1, 180.0, |_| 0.0, |at_s| ((at_s / 997.0).sin()).abs()).is_none_or(|found| !found.is_wrong()));
    }

    /// A battery that is full from some hour on leaves a load of so many percent, or nothing: whatever the hour, no clock is
    /// accused. By hand: noon is near 12:30 UTC here, so that these are an hour before to four after it.
    #[test]
    fn a_full_battery_is_no_clock() {
        for full_from_h in [11.5, 12.5, 13.5, 14.5, 16.5] {
            for load in [0.0, 0.05, 0.15, 0.4] {
                let share = |at_s: f64| if at_s.rem_euclid(86_400.0) / 3600.0 > full_from_h { load } else { 1.0 };
                let found = checked(1, 180.0, |_| 0.0, share);
                assert!(found.is_none_or(|found| !found.is_wrong()), "{full_from_h} h, {load}: {found:?}");
            }
        }
        // The first hours under a shade, or under snow that slid off.
        for free_from_h in [9.5, 11.0, 13.0] {
            let share = |at_s: f64| if at_s.rem_euclid(86_400.0) / 3600.0 < free_from_h { 0.02 } else { 1.0 };
            let found = checked(1, 180.0, |_| 0.0, share);
            assert!(found.is_none_or(|found| !found.is_wrong()), "{free_from_h} h: {found:?}");
        }
    }

    #[test]
    fn a_clock_that_runs_fast_gains_each_day() {
        let found = checked(6, 180.0, |after_s| 90.0 * after_s / 86_400.0, |_| 1.0).unwrap();
        assert!((found.gains_s_per_day.unwrap() - 90.0).abs() < 20.0, "{found:?}");
        assert!(checked(6, 180.0, |_| 0.0, |_| 1.0).unwrap().gains_s_per_day.unwrap().abs() < 10.0);
    }
}
