//! Sunlight on a plane.

use super::air::{airmass_relative, dni_extra_w_m2};
use super::clear_sky::Irradiance;
use super::perez::Brightness;
use crate::error::{Error, check_range};
use crate::named::named;

/// How a panel stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plane {
    /// From flat, 0 to 180; beyond 90 it looks at the ground.
    pub tilt_deg: f64,
    /// From north, clockwise.
    pub azimuth_deg: f64,
}

/// How the light of the sky is spread over it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum SkyModel {
    /// The same from everywhere.
    Isotropic,
    /// Part of it from around the sun (Hay and Davies 1980).
    HayDavies,
    /// Also from the horizon (Perez 1990). The default: closest to measurements in the comparisons since, on every tilt.
    #[default]
    Perez,
}

named!(SkyModel {
    Isotropic = "isotropic", "isotropic";
    HayDavies = "hay_davies", "Hay and Davies 1980";
    Perez = "perez", "Perez 1990";
});

/// A sun whose zenith has no more cosine than rounding leaves at 90 degrees has set.
const SET_COS: f64 = 1e-12;

/// The floor under the cosine of the zenith in Hay and Davies' ratio: the sun at 1 degree.
const HAY_DAVIES_MIN_COS: f64 = 0.01745;

/// What falls on a plane, W/m2.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct OnPlane {
    /// Between the sun's rays and the plane's normal, 0 to 180 degrees.
    pub aoi_deg: f64,
    pub beam_w_m2: f64,
    pub sky_w_m2: f64,
    pub ground_w_m2: f64,
    pub poa_w_m2: f64,
}

/// The sky of one moment, ready for any number of planes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SkyNow {
    irradiance: Irradiance,
    albedo: f64,
    cos_zenith: f64,
    sin_zenith: f64,
    cos_azimuth: f64,
    sin_azimuth: f64,
    spread: Spread,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Spread {
    Isotropic,
    HayDavies {
        beam_share: f64,
    },
    Perez(Brightness),
    /// Perez' model says nothing of a sun below the horizon.
    Night,
}

/// A plane whose angles are worked out, ready for any number of moments.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlaneReady {
    cos_tilt: f64,
    sin_tilt: f64,
    cos_azimuth: f64,
    sin_azimuth: f64,
}

impl Plane {
    pub fn check(tilt_deg: f64, azimuth_deg: f64) -> Result<Self, Error> {
        let azimuth_deg = check_range("azimuth_deg", azimuth_deg, -360.0, 360.0)?;
        Ok(Plane { tilt_deg: check_range("tilt_deg", tilt_deg, 0.0, 180.0)?, azimuth_deg })
    }

    pub fn ready(&self) -> PlaneReady {
        let (sin_tilt, cos_tilt) = self.tilt_deg.to_radians().sin_cos();
        let (sin_azimuth, cos_azimuth) = self.azimuth_deg.to_radians().sin_cos();
        PlaneReady { cos_tilt, sin_tilt, cos_azimuth, sin_azimuth }
    }
}

impl SkyNow {
    /// `zenith_deg` and `sun_azimuth_deg` place the sun; `day_of_year` 1 to 366; `albedo` 0 to 1.
    pub fn new(
        irradiance: Irradiance,
        zenith_deg: f64,
        sun_azimuth_deg: f64,
        day_of_year: f64,
        albedo: f64,
        model: SkyModel,
    ) -> Result<Self, Error> {
        check_range("zenith_deg", zenith_deg, 0.0, 180.0)?;
        check_range("sun_azimuth_deg", sun_azimuth_deg, -360.0, 360.0)?;
        check_range("day_of_year", day_of_year, 1.0, 366.0)?;
        check_range("albedo", albedo, 0.0, 1.0)?;
        check_range("ghi_w_m2", irradiance.ghi_w_m2, 0.0, 2000.0)?;
        check_range("dni_w_m2", irradiance.dni_w_m2, 0.0, 2000.0)?;
        check_range("dhi_w_m2", irradiance.dhi_w_m2, 0.0, 2000.0)?;
        let dni_extra = dni_extra_w_m2(day_of_year);
        Ok(Self::prepared(irradiance, (zenith_deg, sun_azimuth_deg), dni_extra, airmass_relative(zenith_deg), albedo, model))
    }

    /// The same from what a caller has worked out already, unchecked.
    pub(crate) fn prepared(
        irradiance: Irradiance,
        (zenith_deg, sun_azimuth_deg): (f64, f64),
        dni_extra_w_m2: f64,
        airmass_relative: f64,
        albedo: f64,
        model: SkyModel,
    ) -> Self {
        let spread = match model {
            SkyModel::Isotropic => Spread::Isotropic,
            // The part of the sky that is taken to come from around the sun has set with it.
            SkyModel::HayDavies if zenith_deg >= 90.0 => Spread::Isotropic,
            SkyModel::HayDavies => Spread::HayDavies { beam_share: irradiance.dni_w_m2 / dni_extra_w_m2 },
            SkyModel::Perez if zenith_deg > 90.0 => Spread::Night,
            SkyModel::Perez => Spread::Perez(Brightness::of(
                irradiance.dhi_w_m2,
                irradiance.dni_w_m2,
                dni_extra_w_m2,
                zenith_deg,
                airmass_relative,
            )),
        };
        let (sin_zenith, cos_zenith) = zenith_deg.to_radians().sin_cos();
        let (sin_azimuth, cos_azimuth) = sun_azimuth_deg.to_radians().sin_cos();
        SkyNow { irradiance, albedo, cos_zenith, sin_zenith, cos_azimuth, sin_azimuth, spread }
    }

    /// What falls on a plane: beam, sky by the model (equations of each paper), and light from the ground
    /// (`GHI albedo (1 - cos tilt) / 2`).
    pub fn onto(&self, plane: &PlaneReady) -> OnPlane {
        let cos_incidence = self.cos_incidence(plane);
        let (beam_w_m2, sky_w_m2, ground_w_m2) = self.parts(plane, cos_incidence);
        let aoi_deg = cos_incidence.acos().to_degrees();
        OnPlane { aoi_deg, beam_w_m2, sky_w_m2, ground_w_m2, poa_w_m2: beam_w_m2 + sky_w_m2 + ground_w_m2 }
    }

    /// The total alone, W/m2; the fast path of a year of hours.
    pub fn total_w_m2(&self, plane: &PlaneReady) -> f64 {
        let (beam_w_m2, sky_w_m2, ground_w_m2) = self.parts(plane, self.cos_incidence(plane));
        beam_w_m2 + sky_w_m2 + ground_w_m2
    }

    fn cos_incidence(&self, plane: &PlaneReady) -> f64 {
        let cos_between = self.cos_azimuth * plane.cos_azimuth + self.sin_azimuth * plane.sin_azimuth;
        (plane.cos_tilt * self.cos_zenith + plane.sin_tilt * self.sin_zenith * cos_between).clamp(-1.0, 1.0)
    }

    fn parts(&self, plane: &PlaneReady, cos_incidence: f64) -> (f64, f64, f64) {
        let Irradiance { ghi_w_m2, dni_w_m2, dhi_w_m2 } = self.irradiance;
        let lit = cos_incidence.max(0.0);
        let dome = 0.5 * (1.0 + plane.cos_tilt);
        let sky_share = match self.spread {
            Spread::Night => 0.0,
            Spread::Isotropic => dome,
            Spread::HayDavies { beam_share } => {
                let ratio = lit / self.cos_zenith.max(HAY_DAVIES_MIN_COS);
                ((1.0 - beam_share) * dome).max(0.0) + (beam_share * ratio).max(0.0)
            }
            Spread::Perez(brightness) => brightness.onto(cos_incidence, plane.cos_tilt, plane.sin_tilt),
        };
        let beam_w_m2 = if self.cos_zenith > SET_COS { dni_w_m2 * lit } else { 0.0 };
        (beam_w_m2, dhi_w_m2 * sky_share, ghi_w_m2 * self.albedo * 0.5 * (1.0 - plane.cos_tilt))
    }
}
