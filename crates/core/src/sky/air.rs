//! The air the light comes through, and the light above it.

/// The most air the formula gives: along the horizon.
const HORIZON_ZENITH_DEG: f64 = 90.0;

/// Mean irradiance above the atmosphere at one astronomical unit, W/m2 (Gueymard 2004 gives 1366.1).
pub const SOLAR_CONSTANT_W_M2: f64 = 1366.1;

/// Pressure at sea level, Pa (ISO 2533:1975).
pub const SEA_LEVEL_PA: f64 = 101_325.0;

/// Pressure of the standard atmosphere at an elevation (ISO 2533:1975), Pa; -450 to 9000 m.
pub fn pressure_pa(elevation_m: f64) -> f64 {
    100.0 * ((44_331.514 - elevation_m) / 11_880.516).powf(1.0 / 0.190_263_2)
}

/// Air mass relative to straight up (Kasten and Young 1989), from the apparent zenith angle. Below the horizon it stays at that of the
/// horizon, 37.9, where there is no light to weaken.
pub fn airmass_relative(zenith_apparent_deg: f64) -> f64 {
    let zenith_deg = zenith_apparent_deg.clamp(0.0, HORIZON_ZENITH_DEG);
    airmass_above_horizon(zenith_deg.to_radians().cos(), 90.0 - zenith_deg)
}

/// The same of a sun that is up, where the cosine of its zenith is known already.
pub(crate) fn airmass_above_horizon(cos_zenith: f64, elevation_deg: f64) -> f64 {
    1.0 / (cos_zenith + 0.50572 * (6.07995 + elevation_deg).powf(-1.6364))
}

/// Air mass relative to straight up at sea level.
pub fn airmass_absolute(airmass_relative: f64, pressure_pa: f64) -> f64 {
    airmass_relative * pressure_pa / SEA_LEVEL_PA
}

/// Irradiance normal to the sun above the atmosphere, W/m2 (Spencer 1971), by day of the year, 1 to 366.
pub fn dni_extra_w_m2(day_of_year: f64) -> f64 {
    let angle = 2.0 * std::f64::consts::PI / 365.0 * (day_of_year - 1.0);
    let ((sin, cos), (sin2, cos2)) = (angle.sin_cos(), (2.0 * angle).sin_cos());
    SOLAR_CONSTANT_W_M2 * (1.00011 + 0.034221 * cos + 0.00128 * sin + 0.000719 * cos2 + 7.7e-5 * sin2)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Kasten and Young 1989, table: 1 straight up, about 38 at the horizon.
    #[test]
    fn air_mass_is_one_straight_up_and_38_at_the_horizon() {
        assert!((airmass_relative(0.0) - 1.0).abs() < 0.001);
        assert!((airmass_relative(60.0) - 1.994).abs() < 0.001);
        assert!((airmass_relative(90.0) - 37.92).abs() < 0.02);
        assert_eq!(airmass_relative(120.0), airmass_relative(90.0));
    }

    /// ISO 2533:1975, table: 101325 Pa at 0 m, 89876 Pa at 1000 m, 54048 Pa at 5000 m (from memory).
    #[test]
    fn pressure_falls_as_in_the_standard_atmosphere() {
        for (elevation_m, expected_pa) in [(0.0, 101_325.0), (1000.0, 89_876.0), (5000.0, 54_048.0)] {
            assert!((pressure_pa(elevation_m) / expected_pa - 1.0).abs() < 1e-3);
        }
    }
}
