//! Global irradiance split into beam and diffuse.

use super::air::dni_extra_w_m2;
use super::clear_sky::Irradiance;
use crate::error::{Error, check_range};

/// Below this cosine of the zenith the clearness index is worked out as at it.
const MIN_COS_ZENITH: f64 = 0.065;

/// Beyond this zenith angle, degrees, all light counts as diffuse.
const MAX_ZENITH_DEG: f64 = 87.0;

/// Clearness index, and beam and diffuse irradiance from the global (Erbs, Klein and Duffie 1982, Estimation of the
/// diffuse radiation fraction for hourly, daily and monthly-average global radiation, Solar Energy 28, 293-302).
///
/// `ghi_w_m2` 0 to 2000, `zenith_deg` 0 to 180, `day_of_year` 1 to 366.
pub fn erbs(ghi_w_m2: f64, zenith_deg: f64, day_of_year: f64) -> Result<(f64, Irradiance), Error> {
    check_range("ghi_w_m2", ghi_w_m2, 0.0, 2000.0)?;
    check_range("zenith_deg", zenith_deg, 0.0, 180.0)?;
    check_range("day_of_year", day_of_year, 1.0, 366.0)?;
    Ok(split(ghi_w_m2, (zenith_deg, zenith_deg.to_radians().cos()), dni_extra_w_m2(day_of_year)))
}

/// The same from what a caller has worked out already, unchecked: the zenith angle with its cosine, and the irradiance above the air.
pub(crate) fn split(ghi_w_m2: f64, (zenith_deg, cos_zenith): (f64, f64), dni_extra_w_m2: f64) -> (f64, Irradiance) {
    let kt = (ghi_w_m2 / (dni_extra_w_m2 * cos_zenith.max(MIN_COS_ZENITH))).clamp(0.0, 1.0);
    let dhi_w_m2 = ghi_w_m2 * diffuse_share(kt);
    let dni_w_m2 = (ghi_w_m2 - dhi_w_m2) / cos_zenith;
    if zenith_deg > MAX_ZENITH_DEG || dni_w_m2 < 0.0 {
        return (kt, Irradiance { ghi_w_m2, dni_w_m2: 0.0, dhi_w_m2: ghi_w_m2 });
    }
    (kt, Irradiance { ghi_w_m2, dni_w_m2, dhi_w_m2 })
}

fn diffuse_share(kt: f64) -> f64 {
    if kt <= 0.22 {
        1.0 - 0.09 * kt
    } else if kt <= 0.8 {
        0.9511 - 0.1604 * kt + 4.388 * kt.powi(2) - 16.638 * kt.powi(3) + 12.336 * kt.powi(4)
    } else {
        0.165
    }
}
