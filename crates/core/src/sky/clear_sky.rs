//! What a sky without clouds lets through.

use super::air::{airmass_absolute, airmass_relative, dni_extra_w_m2, pressure_pa};
use super::place::Place;
use super::sun::SunPosition;
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

/// Air of one turbidity over one elevation: what of Ineichen and Perez' clear sky the moment does not change (2002, A new airmass
/// independent formulation for the Linke turbidity coefficient, Solar Energy 73, 151-157, with the beam's ceiling of the same authors).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ClearAir {
    ghi_rel: f64,
    /// Of the global light, for each air mass.
    ghi_loss: f64,
    beam_rel: f64,
    beam_loss: f64,
    /// The beam's share of the global light that it cannot exceed.
    ceiling_rel: f64,
}

impl ClearAir {
    /// `linke_turbidity` 1 to 20.
    pub fn of(elevation_m: f64, linke_turbidity: f64) -> Self {
        let (fh1, fh2) = ((-elevation_m / 8000.0).exp(), (-elevation_m / 1250.0).exp());
        let (cg1, cg2) = (5.09e-5 * elevation_m + 0.868, 3.92e-5 * elevation_m + 0.0387);
        ClearAir {
            ghi_rel: cg1,
            ghi_loss: cg2 * (fh1 + fh2 * (linke_turbidity - 1.0)),
            beam_rel: 0.664 + 0.163 / fh1,
            beam_loss: 0.09 * (linke_turbidity - 1.0),
            ceiling_rel: 1.0 - (0.1 - 0.2 * (-linke_turbidity).exp()) / (0.1 + 0.882 / fh1),
        }
    }

    /// The light under a sun by the cosine of its apparent zenith; nothing below the horizon.
    pub fn light(&self, cos_zenith: f64, airmass_absolute: f64, dni_extra_w_m2: f64) -> Irradiance {
        if cos_zenith <= 0.0 {
            return Irradiance::default();
        }
        let ghi = self.ghi_rel * dni_extra_w_m2 * cos_zenith * (-self.ghi_loss * airmass_absolute).exp();
        let beam = dni_extra_w_m2 * self.beam_rel * (-self.beam_loss * airmass_absolute).exp();
        let dni = beam.max(0.0).min(ghi * (self.ceiling_rel / cos_zenith).clamp(0.0, 1e20));
        Irradiance { ghi_w_m2: ghi, dni_w_m2: dni, dhi_w_m2: ghi - dni * cos_zenith }
    }
}

/// The clear sky over a place, by day of the year (1 to 366).
pub fn clear_sky(sun: &SunPosition, place: &Place, day_of_year: f64, linke_turbidity: f64) -> Result<ClearSky, Error> {
    check_range("linke_turbidity", linke_turbidity, 1.0, 20.0)?;
    let relative = airmass_relative(sun.zenith_apparent_deg);
    let absolute = airmass_absolute(relative, pressure_pa(place.elevation_m));
    let dni_extra = dni_extra_w_m2(day_of_year);
    Ok(ClearSky {
        airmass_relative: relative,
        airmass_absolute: absolute,
        dni_extra_w_m2: dni_extra,
        irradiance: ClearAir::of(place.elevation_m, linke_turbidity).light(
            sun.zenith_apparent_deg.to_radians().cos(),
            absolute,
            dni_extra,
        ),
    })
}
