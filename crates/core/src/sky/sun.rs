//! Where the sun stands: the NREL solar position algorithm (Reda and Andreas 2004), from a well-kept crate.

use super::place::Place;
use crate::error::{Error, check_range};
use solar_positioning::time::JulianDate;
use solar_positioning::{Location, PreparedPositions, SolarPositions};

/// Julian date of 1970-01-01T00:00:00Z.
pub const UNIX_EPOCH_JD: f64 = 2_440_587.5;

/// Seconds by which the Earth's turning lags behind even time, as taken where no better is given. Right within 3 s from
/// 2005 to the present, which moves the sun by less than 0.00004 degrees across the sky.
pub const DELTA_T_S: f64 = 67.0;

/// Air temperature taken for the refraction where none is given, C.
pub const AIR_C: f64 = 12.0;

/// The years in which the algorithm holds are -2000 to 6000. Kept to 1000 to 3000, as Unix seconds, with a day on either side for local
/// time.
pub(super) const UNIX_RANGE_S: (f64, f64) = (-30_610_310_400.0, 32_535_302_400.0);

/// One moment, with everything about it that no place changes. Made once, then seen from any number of places.
#[derive(Debug, Clone, Copy)]
pub struct Instant {
    prepared: PreparedPositions,
    equation_of_time_min: f64,
}

/// The sun as seen from a place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SunPosition {
    /// From straight up to the sun's centre, without the atmosphere, degrees.
    pub zenith_true_deg: f64,
    /// The same as it is seen through the atmosphere, degrees.
    pub zenith_apparent_deg: f64,
    /// From north, clockwise, degrees.
    pub azimuth_deg: f64,
}

/// A unit vector.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Direction {
    pub up: f64,
    pub north: f64,
    pub east: f64,
}

impl Direction {
    /// From straight up, and from north clockwise, degrees.
    pub fn of(zenith_deg: f64, azimuth_deg: f64) -> Self {
        let (sin_zenith, cos_zenith) = zenith_deg.to_radians().sin_cos();
        let (sin_azimuth, cos_azimuth) = azimuth_deg.to_radians().sin_cos();
        Direction { up: cos_zenith, north: sin_zenith * cos_azimuth, east: sin_zenith * sin_azimuth }
    }

    /// Cosine of the angle between two directions.
    #[inline]
    pub fn cos_between(&self, other: &Direction) -> f64 {
        self.up * other.up + self.north * other.north + self.east * other.east
    }
}

impl SunPosition {
    /// Above the ideal horizon as seen, degrees.
    pub fn elevation_deg(&self) -> f64 {
        90.0 - self.zenith_apparent_deg
    }
}

impl Instant {
    /// A moment in Unix seconds; years 1000 to 3000. `delta_t_s` -8000 to 8000.
    pub fn at(unix_s: f64, delta_t_s: f64) -> Result<Self, Error> {
        check_range("time_utc", unix_s, UNIX_RANGE_S.0, UNIX_RANGE_S.1)?;
        check_range("delta_t_s", delta_t_s, -8000.0, 8000.0)?;
        Self::unchecked(unix_s, delta_t_s)
    }

    /// The same for any year in which the algorithm holds.
    pub(super) fn unchecked(unix_s: f64, delta_t_s: f64) -> Result<Self, Error> {
        let jd = UNIX_EPOCH_JD + unix_s / 86_400.0;
        let date = JulianDate::new(jd, delta_t_s).map_err(unsolved)?;
        let prepared = SolarPositions::new().for_time_from_julian(date).map_err(unsolved)?;
        let equation_of_time_min = equation_of_time_min(date.julian_ephemeris_millennium(), prepared.right_ascension());
        Ok(Instant { prepared, equation_of_time_min })
    }

    /// The sun from a place. `pressure_pa` 1,000 to 120,000 and `temperature_c` -100 to 60 bend its light.
    pub fn seen_from(&self, place: &Place, pressure_pa: f64, temperature_c: f64) -> Result<SunPosition, Error> {
        check_range("pressure_pa", pressure_pa, 1_000.0, 120_000.0)?;
        check_range("temperature_c", temperature_c, -100.0, 60.0)?;
        let location = Location { latitude: place.lat_deg, longitude: place.lon_deg };
        let position = self.prepared.at(location, place.elevation_m, None).map_err(unsolved)?;
        let zenith_true_deg = position.zenith_angle();
        let zenith_apparent_deg = zenith_true_deg - refraction_deg(90.0 - zenith_true_deg, pressure_pa, temperature_c);
        Ok(SunPosition { zenith_true_deg, zenith_apparent_deg, azimuth_deg: position.azimuth() })
    }

    /// Apparent less mean solar time, minutes.
    pub fn equation_of_time_min(&self) -> f64 {
        self.equation_of_time_min
    }

    /// Geocentric, degrees from 0 to below 360.
    pub fn right_ascension_deg(&self) -> f64 {
        self.prepared.right_ascension()
    }

    /// From the middle of the Earth, astronomical units; 1 where the algorithm gives none, which this one does.
    pub fn distance_au(&self) -> f64 {
        self.prepared.earth_radius_vector().unwrap_or(1.0)
    }

    /// Angle of the sun north of the equator, degrees.
    pub fn declination_deg(&self) -> f64 {
        self.prepared.declination()
    }

    /// True solar time at a longitude, hours from 0 to below 24; noon is when the sun crosses the meridian.
    pub fn solar_time_h(&self, unix_s: f64, lon_deg: f64) -> f64 {
        solar_time_h(unix_s, lon_deg, self.equation_of_time_min)
    }
}

/// True solar time, hours from 0 to below 24.
pub(super) fn solar_time_h(unix_s: f64, lon_deg: f64, equation_of_time_min: f64) -> f64 {
    (unix_s / 3600.0 + lon_deg / 15.0 + equation_of_time_min / 60.0).rem_euclid(24.0)
}

/// By how much the air lifts the sun, degrees (Reda and Andreas 2004, equation 42). Nothing once its upper limb is below the
/// horizon, 0.26667 + 0.5667 degrees.
pub(super) fn refraction_deg(elevation_deg: f64, pressure_pa: f64, temperature_c: f64) -> f64 {
    if elevation_deg < -(0.26667 + 0.5667) {
        return 0.0;
    }
    let angle = (elevation_deg + 10.3 / (elevation_deg + 5.11)).to_radians();
    pressure_pa / 101_000.0 * (283.0 / (273.0 + temperature_c)) * 1.02 / (60.0 * angle.tan())
}

/// Reda and Andreas 2004, appendix A.1: `E = M - 0.0057183 - alpha + dpsi cos(epsilon)`, where M is the sun's mean longitude
/// (A2). The nutation is that of Meeus 1998, Astronomical Algorithms, chapter 22, to 0.5 arc seconds (0.03 s of time).
fn equation_of_time_min(jme: f64, right_ascension_deg: f64) -> f64 {
    let mean_longitude_deg = 280.466_456_7
        + jme * (360_007.698_277_9 + jme * (0.030_320_28 + jme * (1.0 / 49_931.0 + jme * (-1.0 / 15_300.0 - jme / 2_000_000.0))));
    let jce = jme * 10.0;
    let node = (125.044_52 - 1_934.136_261 * jce).to_radians();
    let sun = (280.4665 + 36_000.769_8 * jce).to_radians();
    let moon = (218.3165 + 481_267.881_3 * jce).to_radians();
    let nutation_deg =
        (-17.20 * node.sin() - 1.32 * (2.0 * sun).sin() - 0.23 * (2.0 * moon).sin() + 0.21 * (2.0 * node).sin()) / 3600.0;
    let obliquity = (23.439_291 - 0.013_004 * jce).to_radians();
    let degrees = mean_longitude_deg - 0.005_718_3 - right_ascension_deg + nutation_deg * obliquity.cos();
    // Between -20 and 20 minutes, whatever turns the two angles made.
    ((degrees + 180.0).rem_euclid(360.0) - 180.0) * 4.0
}

pub(super) fn unsolved(error: solar_positioning::Error) -> Error {
    Error::Inconsistent { field: "time_utc", why: error.to_string() }
}
