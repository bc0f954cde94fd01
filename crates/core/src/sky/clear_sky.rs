//! What a sky without clouds lets through.

use super::air::{airmass_absolute, airmass_relative, dni_extra_w_m2, pressure_pa};
use super::place::Place;
use super::sun::Sun;
use crate::error::{Error, check_range};
use crate::named::named;

/// Sunlight at one moment, W/m2.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Irradiance {
    /// Global, on the horizontal.
    pub ghi_w_m2: f64,
    /// Direct, normal to the sun.
    pub dni_w_m2: f64,
    /// Diffuse, on the horizontal.
    pub dhi_w_m2: f64,
}

/// How clear the air is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Clarity {
    VeryClear,
    #[default]
    Clear,
    Hazy,
    Dusty,
}

named!(Clarity {
    VeryClear = "very_clear", "very clear";
    Clear = "clear", "clear";
    Hazy = "hazy", "hazy";
    Dusty = "dusty", "dusty or humid";
});

impl Clarity {
    /// Linke turbidity (common practice, no source: 2 is mountain air, 3 rural, 4.5 summer haze, 6 dust or damp heat).
    pub fn linke_turbidity(self) -> f64 {
        match self {
            Clarity::VeryClear => 2.0,
            Clarity::Clear => 3.0,
            Clarity::Hazy => 4.5,
            Clarity::Dusty => 6.0,
        }
    }
}

/// The air and the light of one moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ClearSky {
    pub airmass_relative: f64,
    pub airmass_absolute: f64,
    pub dni_extra_w_m2: f64,
    pub irradiance: Irradiance,
}

/// Ineichen and Perez 2002, A new airmass independent formulation for the Linke turbidity coefficient, Solar Energy 73,
/// 151-157, with the beam's ceiling of the same authors. `linke_turbidity` 1 to 20; nothing below the horizon.
pub fn ineichen(
    zenith_apparent_deg: f64,
    airmass_absolute: f64,
    linke_turbidity: f64,
    elevation_m: f64,
    dni_extra_w_m2: f64,
) -> Irradiance {
    let cos_zenith = zenith_apparent_deg.to_radians().cos();
    if cos_zenith <= 0.0 {
        return Irradiance::default();
    }
    let (fh1, fh2) = ((-elevation_m / 8000.0).exp(), (-elevation_m / 1250.0).exp());
    let (cg1, cg2) = (5.09e-5 * elevation_m + 0.868, 3.92e-5 * elevation_m + 0.0387);
    let ghi = cg1 * dni_extra_w_m2 * cos_zenith * (-cg2 * airmass_absolute * (fh1 + fh2 * (linke_turbidity - 1.0))).exp();
    let beam = dni_extra_w_m2 * (0.664 + 0.163 / fh1) * (-0.09 * airmass_absolute * (linke_turbidity - 1.0)).exp();
    let ceiling = ghi * ((1.0 - (0.1 - 0.2 * (-linke_turbidity).exp()) / (0.1 + 0.882 / fh1)) / cos_zenith).clamp(0.0, 1e20);
    let dni = beam.max(0.0).min(ceiling);
    Irradiance { ghi_w_m2: ghi, dni_w_m2: dni, dhi_w_m2: ghi - dni * cos_zenith }
}

/// The clear sky over a place, by day of the year (1 to 366).
pub fn clear_sky(sun: &Sun, place: &Place, day_of_year: f64, linke_turbidity: f64) -> Result<ClearSky, Error> {
    check_range("linke_turbidity", linke_turbidity, 1.0, 20.0)?;
    let relative = airmass_relative(sun.zenith_apparent_deg);
    let absolute = airmass_absolute(relative, pressure_pa(place.elevation_m));
    let dni_extra = dni_extra_w_m2(day_of_year);
    Ok(ClearSky {
        airmass_relative: relative,
        airmass_absolute: absolute,
        dni_extra_w_m2: dni_extra,
        irradiance: ineichen(sun.zenith_apparent_deg, absolute, linke_turbidity, place.elevation_m, dni_extra),
    })
}
