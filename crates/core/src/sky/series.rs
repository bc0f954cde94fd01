//! The sun at many instants: its geocentric place is worked out by the whole algorithm once a day and interpolated between, since it moves slowly;
//! hour angle, parallax and refraction belong to the instant. [`super::sun::Instant`] is the plain form, to which a test holds this one.
//!
//! Right ascension, declination, distance, the equation of time and that of the equinoxes at four daily nodes, two on either side, by Lagrange's
//! formula: what is fastest in them, the nutation of 13.7 days (0.23 arc seconds), leaves less than a millionth of a degree.

use super::place::Place;
use super::sun::{DELTA_T_S, Instant, Sun, UNIX_EPOCH_JD, UNIX_RANGE_S, refraction_deg, solar_time_h};
use crate::error::{Error, check_range};
use std::collections::HashMap;
use std::sync::{PoisonError, RwLock};

const DAY_S: f64 = 86_400.0;

/// Nodes that are remembered: eleven years of days.
const MOST_REMEMBERED: usize = 4_096;

/// Equatorial horizontal parallax of the sun at one astronomical unit (Reda and Andreas 2004, equation 33).
const PARALLAX_ARC_SECONDS: f64 = 8.794;

/// Of the ellipsoid of the Earth: polar over equatorial radius, and the equatorial one (Reda and Andreas 2004, equations 34 to 36).
const POLAR_REL: f64 = 0.996_647_19;
const EQUATORIAL_RADIUS_M: f64 = 6_378_140.0;

/// Where the sun stands for the whole Earth, at midnight UTC of a day.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Node {
    /// Of the sun less that of the mean sun's circle, which goes round evenly: small enough to be interpolated.
    right_ascension_deg: f64,
    declination_deg: f64,
    distance_au: f64,
    /// Apparent less mean sidereal time.
    equinoxes_deg: f64,
    equation_of_time_min: f64,
}

/// The sun at one instant, from one place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    pub sun: Sun,
    /// Apparent less mean solar time.
    pub equation_of_time_min: f64,
    /// Of the sun, north of the equator.
    pub declination_deg: f64,
}

impl Seen {
    /// True solar time at a longitude, hours from 0 to below 24.
    pub fn solar_time_h(&self, unix_s: f64, lon_deg: f64) -> f64 {
        solar_time_h(unix_s, lon_deg, self.equation_of_time_min)
    }
}

/// The sun from a place at an instant in Unix seconds (years 1000 to 3000). Within 1e-5 degree of the whole algorithm.
///
/// # Errors
/// As [`Instant::at`] and [`Instant::seen_from`].
pub fn sun_at(unix_s: f64, place: &Place, pressure_pa: f64, air_c: f64) -> Result<Seen, Error> {
    check_range("time_utc", unix_s, UNIX_RANGE_S.0, UNIX_RANGE_S.1)?;
    check_range("pressure_pa", pressure_pa, 1_000.0, 120_000.0)?;
    check_range("temperature_c", air_c, -100.0, 60.0)?;
    let day = (unix_s / DAY_S).floor();
    let share = unix_s / DAY_S - day;
    let day = day as i64;
    let nodes = [node(day - 1)?, node(day)?, node(day + 1)?, node(day + 2)?];
    let weights = weights(share);
    let between = |of: fn(&Node) -> f64| nodes.iter().zip(weights).map(|(node, weight)| of(node) * weight).sum::<f64>();
    let right_ascension_deg = mean_longitude_deg(unix_s) + between(|node| node.right_ascension_deg);
    let declination_deg = between(|node| node.declination_deg);
    let sidereal_deg = mean_sidereal_deg(unix_s) + between(|node| node.equinoxes_deg);
    let hour_angle = (sidereal_deg + place.lon_deg - right_ascension_deg).to_radians();
    let parallax = (PARALLAX_ARC_SECONDS / 3600.0 / between(|node| node.distance_au)).to_radians();
    let (zenith_true_deg, azimuth_deg) = seen(place, hour_angle, declination_deg.to_radians(), parallax);
    let bent_deg = refraction_deg(90.0 - zenith_true_deg, pressure_pa, air_c);
    let sun = Sun { zenith_true_deg, zenith_apparent_deg: zenith_true_deg - bent_deg, azimuth_deg };
    Ok(Seen { sun, equation_of_time_min: between(|node| node.equation_of_time_min), declination_deg })
}

/// Lagrange's weights of the nodes at -1, 0, 1 and 2, for a place between 0 and 1.
fn weights(x: f64) -> [f64; 4] {
    [
        -x * (x - 1.0) * (x - 2.0) / 6.0,
        (x + 1.0) * (x - 1.0) * (x - 2.0) / 2.0,
        -(x + 1.0) * x * (x - 2.0) / 2.0,
        (x + 1.0) * x * (x - 1.0) / 6.0,
    ]
}

/// Of the mean sun, to a degree in any year: it only has to go round as often as the sun does.
fn mean_longitude_deg(unix_s: f64) -> f64 {
    280.46 + 0.985_647_36 * (UNIX_EPOCH_JD - 2_451_545.0 + unix_s / DAY_S)
}

/// Reda and Andreas 2004, equation 28; the turns are not taken off.
fn mean_sidereal_deg(unix_s: f64) -> f64 {
    let days = UNIX_EPOCH_JD - 2_451_545.0 + unix_s / DAY_S;
    let centuries = days / 36_525.0;
    280.460_618_37 + 360.985_647_366_29 * days + centuries * centuries * (0.000_387_933 - centuries / 38_710_000.0)
}

/// Zenith and azimuth from a place (Reda and Andreas 2004, equations 34 to 47), degrees.
fn seen(place: &Place, hour_angle: f64, declination: f64, parallax: f64) -> (f64, f64) {
    let ((sin_lat, cos_lat), sin_parallax) = (place.lat_deg.to_radians().sin_cos(), parallax.sin());
    let (sin_hour, cos_hour) = hour_angle.sin_cos();
    let (sin_declination, cos_declination) = declination.sin_cos();
    // Of the reduced latitude `u`: tan u = POLAR_REL tan latitude.
    let length = (POLAR_REL * sin_lat).hypot(cos_lat);
    let height_rel = place.elevation_m / EQUATORIAL_RADIUS_M;
    let x = cos_lat / length + height_rel * cos_lat;
    let y = POLAR_REL * (POLAR_REL * sin_lat / length) + height_rel * sin_lat;
    // The sun as a vector (toward the meridian, west, north pole) seen from the surface in place of the middle of the Earth.
    let (meridian, west, pole) =
        (cos_declination * cos_hour - x * sin_parallax, cos_declination * sin_hour, sin_declination - y * sin_parallax);
    let up = sin_lat * pole + cos_lat * meridian;
    let south = sin_lat * meridian - cos_lat * pole;
    let zenith_deg = west.hypot(south).atan2(up).to_degrees();
    (zenith_deg, (180.0 + west.atan2(south).to_degrees()).rem_euclid(360.0))
}

/// The node of a day since 1970, from memory or worked out.
fn node(day: i64) -> Result<Node, Error> {
    static KNOWN: RwLock<Option<HashMap<i64, Node>>> = RwLock::new(None);
    let known = KNOWN.read().unwrap_or_else(PoisonError::into_inner).as_ref().and_then(|known| known.get(&day).copied());
    if let Some(node) = known {
        return Ok(node);
    }
    let node = worked_out(day)?;
    let mut known = KNOWN.write().unwrap_or_else(PoisonError::into_inner);
    let nodes = known.get_or_insert_default();
    if nodes.len() >= MOST_REMEMBERED {
        nodes.clear();
    }
    nodes.insert(day, node);
    Ok(node)
}

fn worked_out(day: i64) -> Result<Node, Error> {
    let unix_s = day as f64 * DAY_S;
    let instant = Instant::at(unix_s, DELTA_T_S)?;
    let near_zero = |degrees: f64| (degrees + 180.0).rem_euclid(360.0) - 180.0;
    Ok(Node {
        right_ascension_deg: near_zero(instant.right_ascension_deg() - mean_longitude_deg(unix_s)),
        declination_deg: instant.declination_deg(),
        distance_au: instant.distance_au(),
        equinoxes_deg: near_zero(sidereal_deg(&instant)? - mean_sidereal_deg(unix_s)),
        equation_of_time_min: instant.equation_of_time_min(),
    })
}

/// Apparent sidereal time at Greenwich, which the algorithm keeps to itself: read back from where it sees the sun at latitude and longitude 0.
fn sidereal_deg(instant: &Instant) -> Result<f64, Error> {
    let here = Place { lat_deg: 0.0, lon_deg: 0.0, elevation_m: 0.0 };
    let sun = instant.seen_from(&here, super::air::pressure_pa(0.0), super::sun::AIR_C)?;
    let (sin_zenith, cos_zenith) = sun.zenith_true_deg.to_radians().sin_cos();
    let hour_seen = (-sin_zenith * sun.azimuth_deg.to_radians().sin()).atan2(cos_zenith);
    // Parallax moves the hour angle by up to 9 arc seconds; two rounds leave nothing of it.
    let sin_parallax = (PARALLAX_ARC_SECONDS / 3600.0 / instant.distance_au()).to_radians().sin();
    let cos_declination = instant.declination_deg().to_radians().cos();
    let mut hour = hour_seen;
    for _ in 0..4 {
        let (sin, cos) = hour.sin_cos();
        hour = hour_seen + (-sin_parallax * sin).atan2(cos_declination - sin_parallax * cos);
    }
    Ok(hour.to_degrees() + instant.right_ascension_deg())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::air::pressure_pa;
    use crate::sky::sun::AIR_C;

    /// Angle between two suns, degrees.
    fn apart_deg(a: &Sun, b: &Sun) -> f64 {
        let vector = |zenith_deg: f64, azimuth_deg: f64| {
            let ((sin_z, cos_z), (sin_a, cos_a)) = (zenith_deg.to_radians().sin_cos(), azimuth_deg.to_radians().sin_cos());
            [sin_z * sin_a, sin_z * cos_a, cos_z]
        };
        let (a, b) = (vector(a.zenith_true_deg, a.azimuth_deg), vector(b.zenith_true_deg, b.azimuth_deg));
        let off = |nth: usize| a[nth] - b[nth];
        (off(0).powi(2) + off(1).powi(2) + off(2).powi(2)).sqrt().to_degrees()
    }

    /// Instants scattered over 1950 to 2100 and places over the Earth, against the whole algorithm.
    #[test]
    fn the_interpolated_sun_is_that_of_the_whole_algorithm() {
        let (first_s, last_s) = (-631_152_000.0, 4_102_444_800.0);
        // Steps that fall on every hour, day, season and place: shares of the golden ratio and of the square roots of 2 and 3.
        let share = |nth: u32, step: f64| (f64::from(nth) * step).fract();
        let mut worst = (0.0_f64, 0.0_f64, 0.0_f64, 0.0_f64);
        for nth in 0..20_000 {
            let unix_s = first_s + share(nth, 0.618_033_988_749) * (last_s - first_s);
            let lat_deg = share(nth, 0.414_213_562_373) * 180.0 - 90.0;
            let place =
                Place { lat_deg, lon_deg: share(nth, 0.732_050_807_568) * 360.0 - 180.0, elevation_m: f64::from(nth % 4000) };
            let pressure_pa = pressure_pa(place.elevation_m);
            let instant = Instant::at(unix_s, DELTA_T_S).unwrap();
            let whole = instant.seen_from(&place, pressure_pa, AIR_C).unwrap();
            let Seen { sun: quick, equation_of_time_min, declination_deg } = sun_at(unix_s, &place, pressure_pa, AIR_C).unwrap();
            worst.0 = worst.0.max(apart_deg(&whole, &quick));
            worst.1 = worst.1.max((whole.zenith_apparent_deg - quick.zenith_apparent_deg).abs());
            worst.2 = worst.2.max((instant.equation_of_time_min() - equation_of_time_min).abs());
            worst.3 = worst.3.max((instant.declination_deg() - declination_deg).abs());
        }
        assert!(worst.0 < 2e-6 && worst.1 < 1e-5 && worst.2 < 1e-4 && worst.3 < 1e-6, "{worst:?}");
    }

    /// Reda and Andreas 2004, the worked example: 2003-10-17 12:30:30 UTC-7.
    #[test]
    fn the_worked_example_of_the_paper() {
        let place = Place { lat_deg: 39.742_476, lon_deg: -105.178_6, elevation_m: 1830.14 };
        let Seen { sun, .. } = sun_at(1_066_419_030.0, &place, 82_000.0, 11.0).unwrap();
        assert!((sun.zenith_apparent_deg - 50.111_62).abs() < 2e-5 && (sun.azimuth_deg - 194.340_24).abs() < 2e-5, "{sun:?}");
    }
}
