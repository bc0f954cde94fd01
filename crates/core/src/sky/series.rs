//! The sun at many instants: its geocentric place is worked out by the whole algorithm every other day and interpolated between, since it
//! moves slowly; the turning of the Earth, parallax and refraction belong to the instant. [`super::sun::Instant`] is the plain form, to
//! which a test holds this one.
//!
//! At midnight UTC the sun's hour angle at Greenwich is 180 degrees and the equation of time, so that from one midnight to the next it
//! changes by a tenth of a degree: together with declination and equation of time it is known at four nodes two days apart, two on either
//! side, and Lagrange's cubic goes through them. What is fastest in them, the nutation of 13.7 days (0.23 arc seconds), leaves five
//! millionths of a degree; nodes a day apart would leave a tenth of that for twice the work.

use super::place::Place;
use super::sun::{DELTA_T_S, Direction, Instant, SunPosition, UNIX_RANGE_S, refraction_deg, solar_time_h};
use crate::error::{Error, check_range};
use std::array::from_fn;
use std::collections::HashMap;
use std::sync::{PoisonError, RwLock};

const DAY_S: f64 = 86_400.0;

/// Between two nodes.
const SPAN_S: f64 = 2.0 * DAY_S;

/// Nodes that are remembered: those of 22 years.
const MOST_REMEMBERED: usize = 4_096;

/// Equatorial horizontal parallax of the sun at one astronomical unit (Reda and Andreas 2004, equation 33).
const PARALLAX_ARC_SECONDS: f64 = 8.794;

/// Of the ellipsoid of the Earth: polar over equatorial radius, and the equatorial one (Reda and Andreas 2004, equations 34 to 36).
const POLAR_REL: f64 = 0.996_647_19;
const EQUATORIAL_RADIUS_M: f64 = 6_378_140.0;

/// The sun at one instant, from one place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    pub sun_position: SunPosition,
    /// Toward the sun as it is seen through the air.
    pub toward: Direction,
    /// Apparent less mean solar time.
    pub equation_of_time_min: f64,
    sin_declination: f64,
}

impl Seen {
    /// True solar time at a longitude, hours from 0 to below 24.
    pub fn solar_time_h(&self, unix_s: f64, lon_deg: f64) -> f64 {
        solar_time_h(unix_s, lon_deg, self.equation_of_time_min)
    }

    /// Of the angle of the sun north of the equator.
    pub fn tan_declination(&self) -> f64 {
        self.sin_declination / (1.0 - self.sin_declination * self.sin_declination).sqrt()
    }
}

/// Where the sun stands for the whole Earth, at midnight UTC of a day.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Node {
    /// Past 180 degrees, at Greenwich.
    hour_angle_deg: f64,
    sin_declination: f64,
    equation_of_time_min: f64,
    parallax_rad: f64,
}

/// A cubic through a quantity at the nodes -1, 0, 1 and 2, between 0 and 1.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Cubic([f64; 4]);

impl Cubic {
    /// Lagrange's formula, sorted by powers.
    fn through([before, start, end, after]: [f64; 4]) -> Self {
        Cubic([
            start,
            end - before / 3.0 - start / 2.0 - after / 6.0,
            (before + end) / 2.0 - start,
            (after - before) / 6.0 + (start - end) / 2.0,
        ])
    }

    fn at(&self, x: f64) -> f64 {
        let [c0, c1, c2, c3] = self.0;
        c0 + x * (c1 + x * (c2 + x * c3))
    }
}

/// The sun between two nodes, for the whole Earth.
#[derive(Debug, Clone, Copy, PartialEq)]
struct SunSpan {
    /// Midnight UTC.
    start_s: f64,
    hour_angle_deg: Cubic,
    sin_declination: Cubic,
    equation_of_time_min: Cubic,
    /// In the middle; it changes by 0.003 arc seconds in a day.
    parallax_rad: f64,
}

impl SunSpan {
    /// In which an instant is.
    fn of(unix_s: f64) -> Result<Self, Error> {
        let span = (unix_s / SPAN_S).floor();
        let nth = span as i64;
        let nodes = [node(nth - 1)?, node(nth)?, node(nth + 1)?, node(nth + 2)?];
        let through = |of: fn(&Node) -> f64| Cubic::through(nodes.each_ref().map(of));
        Ok(SunSpan {
            start_s: span * SPAN_S,
            hour_angle_deg: through(|node| node.hour_angle_deg),
            sin_declination: through(|node| node.sin_declination),
            equation_of_time_min: through(|node| node.equation_of_time_min),
            parallax_rad: through(|node| node.parallax_rad).at(0.5),
        })
    }
}

/// The sun over one place, instant by instant. Quickest in the order of time: what the last instant was interpolated from is kept.
#[derive(Debug, Clone)]
pub struct SunSeries {
    lon_deg: f64,
    sin_lat: f64,
    cos_lat: f64,
    /// The place from the middle of the Earth, in equatorial radii: away from its axis, and to the north (x and y of the paper).
    from_axis: f64,
    northward: f64,
    pressure_pa: f64,
    air_c: f64,
    span: Option<SunSpan>,
}

impl SunSeries {
    /// Over a place, through air of `pressure_pa` 1,000 to 120,000 and `air_c` -100 to 60.
    ///
    /// # Errors
    /// Names the figure outside its range.
    pub fn over(place: &Place, pressure_pa: f64, air_c: f64) -> Result<Self, Error> {
        check_range("pressure_pa", pressure_pa, 1_000.0, 120_000.0)?;
        check_range("temperature_c", air_c, -100.0, 60.0)?;
        let (sin_lat, cos_lat) = place.lat_deg.to_radians().sin_cos();
        // Of the reduced latitude `u`: tan u = POLAR_REL tan latitude.
        let length = (POLAR_REL * sin_lat).hypot(cos_lat);
        let height_rel = place.elevation_m / EQUATORIAL_RADIUS_M;
        let from_axis = cos_lat / length + height_rel * cos_lat;
        let northward = POLAR_REL * (POLAR_REL * sin_lat / length) + height_rel * sin_lat;
        Ok(SunSeries { lon_deg: place.lon_deg, sin_lat, cos_lat, from_axis, northward, pressure_pa, air_c, span: None })
    }

    /// At an instant in Unix seconds (years 1000 to 3000). Within 1e-5 degree of the whole algorithm.
    ///
    /// # Errors
    /// Outside those years.
    pub fn at(&mut self, unix_s: f64) -> Result<Seen, Error> {
        let [seen] = self.together(&[unix_s])?;
        Ok(seen)
    }

    /// At many instants, best in the order of time: half the time that one after the other takes.
    ///
    /// # Errors
    /// As [`SunSeries::at`].
    pub fn all(&mut self, unix_s: &[f64]) -> Result<Vec<Seen>, Error> {
        let mut seen = Vec::with_capacity(unix_s.len());
        let (blocks, rest) = unix_s.as_chunks::<TOGETHER>();
        for block in blocks {
            seen.extend_from_slice(&self.together(block)?);
        }
        for unix_s in rest {
            seen.push(self.at(*unix_s)?);
        }
        Ok(seen)
    }

    /// Step by step for all of the instants: the sines of several go through the processor together, where those of one wait for each
    /// other.
    fn together<const N: usize>(&mut self, unix_s: &[f64; N]) -> Result<[Seen; N], Error> {
        let mut sun = [Geocentric::default(); N];
        for (sun, unix_s) in sun.iter_mut().zip(unix_s) {
            *sun = self.geocentric(*unix_s)?;
        }
        let hours = sun.map(|sun| sun.hour_angle_rad.sin_cos());
        let toward: [Toward; N] = from_fn(|nth| self.toward(&sun[nth], hours[nth]));
        let elevation_deg = toward.map(|toward| toward.sin_elevation.asin().to_degrees());
        let turned_deg = toward.map(|toward| toward.west.atan2(toward.south).to_degrees());
        let bent_deg = elevation_deg.map(|elevation_deg| refraction_deg(elevation_deg, self.pressure_pa, self.air_c));
        Ok(from_fn(|nth| Seen {
            toward: toward[nth].lifted(bent_deg[nth].to_radians()),
            sun_position: SunPosition {
                zenith_true_deg: 90.0 - elevation_deg[nth],
                zenith_apparent_deg: 90.0 - elevation_deg[nth] - bent_deg[nth],
                azimuth_deg: if turned_deg[nth] < 180.0 { 180.0 + turned_deg[nth] } else { 0.0 },
            },
            equation_of_time_min: sun[nth].equation_of_time_min,
            sin_declination: sun[nth].sin_declination,
        }))
    }

    /// As the whole Earth has it.
    #[inline]
    fn geocentric(&mut self, unix_s: f64) -> Result<Geocentric, Error> {
        check_range("time_utc", unix_s, UNIX_RANGE_S.0, UNIX_RANGE_S.1)?;
        let span = match &self.span {
            Some(known) if (0.0..SPAN_S).contains(&(unix_s - known.start_s)) => known,
            Some(_) | None => self.span.insert(SunSpan::of(unix_s)?),
        };
        let since_s = unix_s - span.start_s;
        let share = since_s / SPAN_S;
        let hour_angle_deg = 180.0 + span.hour_angle_deg.at(share) + 360.0 / DAY_S * since_s + self.lon_deg;
        Ok(Geocentric {
            hour_angle_rad: hour_angle_deg.to_radians(),
            sin_declination: span.sin_declination.at(share),
            equation_of_time_min: span.equation_of_time_min.at(share),
            parallax_rad: span.parallax_rad,
        })
    }

    /// From the surface in place of the middle of the Earth (Reda and Andreas 2004, equations 11 and 34 to 47). Straight up, where the arc
    /// sine of the elevation knows least, it still knows a millionth of a degree.
    #[inline]
    fn toward(&self, sun: &Geocentric, (sin_hour, cos_hour): (f64, f64)) -> Toward {
        let cos_declination = (1.0 - sun.sin_declination * sun.sin_declination).sqrt();
        let meridian = cos_declination * cos_hour - self.from_axis * sun.parallax_rad;
        let west = cos_declination * sin_hour;
        let pole = sun.sin_declination - self.northward * sun.parallax_rad;
        let up = self.sin_lat * pole + self.cos_lat * meridian;
        let south = self.sin_lat * meridian - self.cos_lat * pole;
        Toward { sin_elevation: up / (up * up + south * south + west * west).sqrt(), south, west }
    }
}

/// Instants that are worked through together.
const TOGETHER: usize = 8;

/// The sun at an instant, seen from the middle of the Earth.
#[derive(Clone, Copy, Default)]
struct Geocentric {
    /// At the longitude of the place.
    hour_angle_rad: f64,
    sin_declination: f64,
    equation_of_time_min: f64,
    parallax_rad: f64,
}

/// From a place to the sun: the sine of its true elevation, and a vector along the ground, of any length.
#[derive(Clone, Copy)]
struct Toward {
    sin_elevation: f64,
    south: f64,
    west: f64,
}

impl Toward {
    /// Through the air that lifts the sun by so small an angle that two terms of its sine and three of its cosine hold all digits.
    fn lifted(&self, bent_rad: f64) -> Direction {
        let (sin, cos) = (self.sin_elevation, (1.0 - self.sin_elevation * self.sin_elevation).max(0.0).sqrt());
        let squared = bent_rad * bent_rad;
        let (sin_bent, cos_bent) = (bent_rad * (1.0 - squared / 6.0), 1.0 - squared / 2.0 * (1.0 - squared / 12.0));
        let flat = cos * cos_bent - sin * sin_bent;
        let length = (self.south * self.south + self.west * self.west).sqrt().max(f64::MIN_POSITIVE);
        Direction { up: sin * cos_bent + cos * sin_bent, north: -self.south / length * flat, east: -self.west / length * flat }
    }
}

/// A node, counted from 1970, from memory or worked out.
fn node(nth: i64) -> Result<Node, Error> {
    static KNOWN: RwLock<Option<HashMap<i64, Node>>> = RwLock::new(None);
    let known = KNOWN.read().unwrap_or_else(PoisonError::into_inner).as_ref().and_then(|known| known.get(&nth).copied());
    if let Some(node) = known {
        return Ok(node);
    }
    let node = worked_out(nth)?;
    let mut known = KNOWN.write().unwrap_or_else(PoisonError::into_inner);
    let nodes = known.get_or_insert_default();
    if nodes.len() >= MOST_REMEMBERED {
        nodes.clear();
    }
    nodes.insert(nth, node);
    Ok(node)
}

fn worked_out(nth: i64) -> Result<Node, Error> {
    let instant = Instant::unchecked(nth as f64 * SPAN_S, DELTA_T_S)?;
    let parallax_rad = (PARALLAX_ARC_SECONDS / 3600.0 / instant.distance_au()).to_radians();
    let sin_declination = instant.declination_deg().to_radians().sin();
    Ok(Node {
        hour_angle_deg: hour_angle_deg(&instant, parallax_rad)?.rem_euclid(360.0) - 180.0,
        sin_declination,
        equation_of_time_min: instant.equation_of_time_min(),
        parallax_rad,
    })
}

/// Geocentric hour angle at Greenwich, which the algorithm keeps to itself: read back from where it sees the sun at latitude and longitude
/// 0.
fn hour_angle_deg(instant: &Instant, parallax_rad: f64) -> Result<f64, Error> {
    let here = Place { lat_deg: 0.0, lon_deg: 0.0, elevation_m: 0.0 };
    let sun = instant.seen_from(&here, super::air::pressure_pa(0.0), super::sun::AIR_C)?;
    let (sin_zenith, cos_zenith) = sun.zenith_true_deg.to_radians().sin_cos();
    let hour_seen = (-sin_zenith * sun.azimuth_deg.to_radians().sin()).atan2(cos_zenith);
    // Parallax moves the hour angle by up to 9 arc seconds; four rounds leave nothing of it.
    let cos_declination = instant.declination_deg().to_radians().cos();
    let mut hour = hour_seen;
    for _ in 0..4 {
        let (sin, cos) = hour.sin_cos();
        hour = hour_seen + (-parallax_rad * sin).atan2(cos_declination - parallax_rad * cos);
    }
    Ok(hour.to_degrees())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::air::pressure_pa;
    use crate::sky::sun::AIR_C;

    /// Angle between two suns, degrees.
    fn apart_deg(a: &SunPosition, b: &SunPosition) -> f64 {
        let vector = |zenith_deg: f64, azimuth_deg: f64| {
            let ((sin_z, cos_z), (sin_a, cos_a)) = (zenith_deg.to_radians().sin_cos(), azimuth_deg.to_radians().sin_cos());
            [sin_z * sin_a, sin_z * cos_a, cos_z]
        };
        let (a, b) = (vector(a.zenith_true_deg, a.azimuth_deg), vector(b.zenith_true_deg, b.azimuth_deg));
        let off = |nth: usize| a[nth] - b[nth];
        (off(0).powi(2) + off(1).powi(2) + off(2).powi(2)).sqrt().to_degrees()
    }

    /// A million instants over 1950 to 2100, each from a place of its own somewhere on the Earth, against the whole algorithm.
    #[test]
    fn the_interpolated_sun_is_that_of_the_whole_algorithm() {
        const COUNT: u32 = 1_000_000;
        let (first_s, last_s) = (-631_152_000.0, 4_102_444_800.0);
        // Steps that fall on every hour and place: shares of the golden ratio and of the square roots of 2 and 3.
        let share = |nth: u32, step: f64| (f64::from(nth) * step).fract();
        let mut worst = (0.0_f64, 0.0_f64, 0.0_f64, 0.0_f64, 0.0_f64);
        for nth in 0..COUNT {
            let unix_s = first_s + (f64::from(nth) + share(nth, 0.618_033_988_749)) / f64::from(COUNT) * (last_s - first_s);
            let lat_deg = share(nth, 0.414_213_562_373) * 180.0 - 90.0;
            let place =
                Place { lat_deg, lon_deg: share(nth, 0.732_050_807_568) * 360.0 - 180.0, elevation_m: f64::from(nth % 4000) };
            let pressure_pa = pressure_pa(place.elevation_m);
            let instant = Instant::at(unix_s, DELTA_T_S).unwrap();
            let whole = instant.seen_from(&place, pressure_pa, AIR_C).unwrap();
            let mut series = SunSeries::over(&place, pressure_pa, AIR_C).unwrap();
            let quick = series.at(unix_s).unwrap();
            worst.0 = worst.0.max(apart_deg(&whole, &quick.sun_position));
            worst.1 = worst.1.max((whole.zenith_apparent_deg - quick.sun_position.zenith_apparent_deg).abs());
            worst.2 = worst.2.max((instant.equation_of_time_min() - quick.equation_of_time_min).abs());
            worst.3 = worst.3.max((instant.declination_deg() - quick.tan_declination().atan().to_degrees()).abs());
            let plain = Direction::of(quick.sun_position.zenith_apparent_deg, quick.sun_position.azimuth_deg);
            let off = [quick.toward.up - plain.up, quick.toward.north - plain.north, quick.toward.east - plain.east];
            worst.4 = off.iter().fold(worst.4, |worst, off| worst.max(off.abs()));
        }
        assert!(worst.0 < 7e-6 && worst.1 < 1e-5 && worst.2 < 1e-4 && worst.3 < 3e-6 && worst.4 < 3e-8, "{worst:?}");
    }

    /// Reda and Andreas 2004, the worked example: 2003-10-17 12:30:30 UTC-7.
    #[test]
    fn the_worked_example_of_the_paper() {
        let place = Place { lat_deg: 39.742_476, lon_deg: -105.178_6, elevation_m: 1830.14 };
        let Seen { sun_position: sun, .. } = SunSeries::over(&place, 82_000.0, 11.0).unwrap().at(1_066_419_030.0).unwrap();
        assert!((sun.zenith_apparent_deg - 50.111_62).abs() < 2e-5 && (sun.azimuth_deg - 194.340_24).abs() < 2e-5, "{sun:?}");
    }

    #[test]
    fn an_instant_or_air_that_nobody_can_mean_is_refused() {
        let place = Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 };
        assert!(SunSeries::over(&place, 999.0, AIR_C).is_err() && SunSeries::over(&place, 1_000.0, -100.1).is_err());
        let mut series = SunSeries::over(&place, 101_325.0, AIR_C).unwrap();
        assert!(
            series.at(f64::NAN).is_err()
                && series.at(UNIX_RANGE_S.1 + 1.0).is_err()
                && series.at(UNIX_RANGE_S.1 - 2.0 * DAY_S).is_ok()
        );
    }
}
