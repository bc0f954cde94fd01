//! The light that truly falls on a plane: a clear course by simple published formulas, and a sky that wanders about it.

use super::{Draws, LAT_DEG, LON_DEG};
use flindo_core::sky::note::SkyNote;

/// Where the sun stands, degrees: elevation, azimuth from north. Declination after Cooper (1969), the equation of time after Spencer
/// (1971, two terms): good to half a degree, which no judge relies on.
pub fn sun(unix_s: f64) -> (f64, f64) {
    let day = (unix_s / 86_400.0 - 20_454.0).rem_euclid(365.25);
    let b = (360.0 / 365.0 * (day - 81.0)).to_radians();
    let equation_min = 9.87 * (2.0 * b).sin() - 7.53 * b.cos() - 1.5 * b.sin();
    let solar_h = unix_s.rem_euclid(86_400.0) / 3600.0 + LON_DEG / 15.0 + equation_min / 60.0;
    let declination = (23.45 * (360.0 * (284.0 + day) / 365.0).to_radians().sin()).to_radians();
    let (hour_angle, lat) = ((15.0 * (solar_h - 12.0)).to_radians(), LAT_DEG.to_radians());
    let sine = lat.sin() * declination.sin() + lat.cos() * declination.cos() * hour_angle.cos();
    let elevation = sine.asin();
    let cosine = (declination.sin() - sine * lat.sin()) / (elevation.cos() * lat.cos());
    let from_north = cosine.clamp(-1.0, 1.0).acos().to_degrees();
    (elevation.to_degrees(), if hour_angle > 0.0 { 360.0 - from_north } else { from_north })
}

/// Clear light on a plane, W/m2: beam after Meinel (1976), and a ninth of it from the sky.
pub fn clear_w_m2(unix_s: f64, tilt_deg: f64, azimuth_deg: f64) -> f64 {
    let (elevation_deg, sun_azimuth_deg) = sun(unix_s);
    if elevation_deg < 3.0 {
        return 0.0;
    }
    let (e, tilt, turn) = (elevation_deg.to_radians(), tilt_deg.to_radians(), (sun_azimuth_deg - azimuth_deg).to_radians());
    let beam = 1353.0 * 0.7_f64.powf((1.0 / e.sin()).powf(0.678));
    let cos_incidence = e.sin() * tilt.cos() + e.cos() * tilt.sin() * turn.cos();
    beam * (cos_incidence.max(0.0) + 0.11)
}

/// How a sky wanders about its clear course: an Ornstein and Uhlenbeck process of the logarithm, or clouds that come and go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Sky {
    Clear,
    Haze,
    Thin,
    Broken,
}

impl Sky {
    pub fn note(self) -> SkyNote {
        match self {
            Sky::Clear => SkyNote::Clear,
            Sky::Haze => SkyNote::Haze,
            Sky::Thin => SkyNote::ThinCloud,
            Sky::Broken => SkyNote::Broken,
        }
    }

    /// Standard deviation of the logarithm, and the time over which it forgets, s.
    fn wander(self) -> (f64, f64) {
        match self {
            Sky::Clear => (0.002, 1200.0),
            Sky::Haze => (0.008, 900.0),
            Sky::Thin => (0.04, 600.0),
            Sky::Broken => (0.3, 90.0),
        }
    }

    /// The factor on the clear course at each of these moments, in rising order.
    pub fn factors(self, times_s: &[f64], draws: &mut Draws) -> Vec<f64> {
        let (sd, forgets_s) = self.wander();
        let mut factors = Vec::new();
        let mut state = draws.normal(sd);
        for (nth, at) in times_s.iter().enumerate() {
            if nth > 0 && *at > times_s[nth - 1] {
                let kept = (-(at - times_s[nth - 1]) / forgets_s).exp();
                state = kept * state + draws.normal(sd * (1.0 - kept * kept).max(0.0).sqrt());
            }
            let factor = state.exp() * if self == Sky::Clear { 1.0 } else { 0.9 };
            factors.push(factor.min(1.2));
        }
        factors
    }
}
