//! Sunlight on a plane.

use super::air::{airmass_relative, dni_extra_w_m2};
use super::clear_sky::Irradiance;
use super::perez::Brightness;
use super::sun::Direction;
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

/// The same of Perez: the sun at 5 degrees, beyond which the share of the circumsolar light no longer grows.
const PEREZ_MIN_COS: f64 = 0.087_155_742_747_658_18;

/// What falls on a plane, W/m2.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct OnPlane {
    /// Of the angle between the sun's rays and the plane's normal.
    pub cos_incidence: f64,
    pub beam_w_m2: f64,
    pub sky_w_m2: f64,
    pub ground_w_m2: f64,
    pub poa_w_m2: f64,
}

impl OnPlane {
    /// Between the sun's rays and the plane's normal, 0 to 180 degrees.
    pub fn aoi_deg(&self) -> f64 {
        self.cos_incidence.clamp(-1.0, 1.0).acos().to_degrees()
    }
}

/// The sky of one moment, ready for any number of planes. Whatever the model, what falls on a plane is linear in a few of its cosines, so
/// that each model is worked out once, into the factors of these.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SkyNow {
    /// The sun as it is seen.
    pub(super) toward: Direction,
    /// Normal to the sun, W/m2; 0 once it has set.
    pub(super) beam_w_m2: f64,
    /// Of the cosine of incidence: light of the sky that comes from around the sun.
    pub(super) circumsolar_w_m2: f64,
    /// Of `1 + cos tilt`: what the whole dome sends evenly.
    pub(super) dome_w_m2: f64,
    /// Of `sin tilt`: the brighter or darker horizon.
    pub(super) horizon_w_m2: f64,
    /// Of `1 - cos tilt`: what the ground throws back.
    pub(super) ground_w_m2: f64,
}

/// A plane whose angles are worked out, ready for any number of moments: its normal, and the sine of its tilt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlaneReady {
    pub(super) normal: Direction,
    pub(super) sin_tilt: f64,
}

impl Plane {
    pub fn check(tilt_deg: f64, azimuth_deg: f64) -> Result<Self, Error> {
        let azimuth_deg = check_range("azimuth_deg", azimuth_deg, -360.0, 360.0)?;
        Ok(Plane { tilt_deg: check_range("tilt_deg", tilt_deg, 0.0, 180.0)?, azimuth_deg })
    }

    pub fn ready(&self) -> PlaneReady {
        PlaneReady { normal: Direction::of(self.tilt_deg, self.azimuth_deg), sin_tilt: self.tilt_deg.to_radians().sin() }
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
        let toward = Direction::of(zenith_deg, sun_azimuth_deg);
        Ok(Self::prepared(irradiance, (toward, zenith_deg), dni_extra, airmass_relative(zenith_deg), albedo, model))
    }

    /// The same from what a caller has worked out already, unchecked: where the sun stands as a direction and by its zenith, what comes to
    /// the air, and how much air it is. Equations of each paper.
    #[inline]
    pub fn prepared(
        Irradiance { ghi_w_m2, dni_w_m2, dhi_w_m2 }: Irradiance,
        (toward, zenith_deg): (Direction, f64),
        dni_extra_w_m2: f64,
        airmass_relative: f64,
        albedo: f64,
        model: SkyModel,
    ) -> Self {
        let cos_zenith = toward.up;
        let even = (0.0, dhi_w_m2 / 2.0, 0.0);
        let (circumsolar_w_m2, dome_w_m2, horizon_w_m2) = match model {
            SkyModel::Isotropic => even,
            // The part of the sky that is taken to come from around the sun has set with it.
            SkyModel::HayDavies if zenith_deg >= 90.0 => even,
            SkyModel::HayDavies => {
                let beam_share = dni_w_m2 / dni_extra_w_m2;
                let around = dhi_w_m2 * beam_share / cos_zenith.max(HAY_DAVIES_MIN_COS);
                (around, dhi_w_m2 * (1.0 - beam_share).max(0.0) / 2.0, 0.0)
            }
            // Perez' model says nothing of a sun below the horizon.
            SkyModel::Perez if zenith_deg > 90.0 => (0.0, 0.0, 0.0),
            SkyModel::Perez => {
                let of = Brightness::of(dhi_w_m2, dni_w_m2, dni_extra_w_m2, zenith_deg.to_radians(), airmass_relative);
                let around = dhi_w_m2 * of.circumsolar / cos_zenith.max(PEREZ_MIN_COS);
                (around, dhi_w_m2 * (1.0 - of.circumsolar) / 2.0, dhi_w_m2 * of.horizon)
            }
        };
        SkyNow {
            toward,
            beam_w_m2: if cos_zenith > SET_COS { dni_w_m2 } else { 0.0 },
            circumsolar_w_m2,
            dome_w_m2,
            horizon_w_m2,
            ground_w_m2: ghi_w_m2 * albedo / 2.0,
        }
    }

    /// What falls on a plane: beam, sky by the model, and light from the ground (`GHI albedo (1 - cos tilt) / 2`).
    #[inline]
    pub fn onto(&self, plane: &PlaneReady) -> OnPlane {
        let cos_incidence = self.toward.cos_between(&plane.normal);
        let (beam_w_m2, sky_w_m2, ground_w_m2) = self.parts(plane, cos_incidence.max(0.0));
        OnPlane { cos_incidence, beam_w_m2, sky_w_m2, ground_w_m2, poa_w_m2: beam_w_m2 + sky_w_m2 + ground_w_m2 }
    }

    /// `lit` is the cosine of incidence, 0 from behind. Perez' horizon can be darker than all the rest of the sky is bright: no light is
    /// less than none.
    #[inline]
    fn parts(&self, plane: &PlaneReady, lit: f64) -> (f64, f64, f64) {
        let sky_w_m2 =
            self.dome_w_m2 * (1.0 + plane.normal.up) + self.circumsolar_w_m2 * lit + self.horizon_w_m2 * plane.sin_tilt;
        (self.beam_w_m2 * lit, sky_w_m2.max(0.0), self.ground_w_m2 * (1.0 - plane.normal.up))
    }
}
