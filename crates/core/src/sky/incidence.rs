//! What the glass of a panel lets in when light comes aslant, relative to light from straight ahead.

use crate::error::{Error, check_positive, check_range};

/// Glass over a panel; the defaults are those of the source.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Glass {
    /// Index of refraction, above 1, to 3.
    pub n_glass: f64,
    /// Extinction, 1/m, 0 to 200.
    pub k_per_m: f64,
    /// 0 to 0.1 m.
    pub thickness_m: f64,
    /// Index of an anti-reflection coating; `None` without one.
    pub n_coating: Option<f64>,
}

impl Default for Glass {
    fn default() -> Self {
        Glass { n_glass: 1.526, k_per_m: 4.0, thickness_m: 0.002, n_coating: None }
    }
}

/// Snell, Fresnel and Bouguer (De Soto, Klein and Beckman 2006, Solar Energy 80, equations 3 to 5; with a coating, both
/// surfaces and the reflections between them). `aoi_deg` 0 to 180; nothing from behind.
pub fn physical(aoi_deg: f64, glass: &Glass) -> Result<f64, Error> {
    check_range("aoi_deg", aoi_deg, 0.0, 180.0)?;
    check_range("n_glass", glass.n_glass, 1.000_001, 3.0)?;
    check_range("k_per_m", glass.k_per_m, 0.0, 200.0)?;
    check_range("thickness_m", glass.thickness_m, 0.0, 0.1)?;
    let outer = match glass.n_coating {
        Some(n_coating) => check_range("n_coating", n_coating, 1.000_001, 3.0)?,
        None => glass.n_glass,
    };
    if aoi_deg >= 90.0 {
        return Ok(0.0);
    }
    let through = |aoi_deg: f64| {
        let cos_air = aoi_deg.to_radians().cos();
        let sin_air = (1.0 - cos_air * cos_air).max(0.0).sqrt();
        let cos_outer = cos_in(sin_air, outer);
        let (mut s, mut p) = surfaces((1.0, cos_air), (outer, cos_outer));
        let mut cos_glass = cos_outer;
        if outer != glass.n_glass {
            cos_glass = cos_in(sin_air, glass.n_glass);
            let (s_inner, p_inner) = surfaces((outer, cos_outer), (glass.n_glass, cos_glass));
            // Light goes to and fro in the coating: 1 + r r' + (r r')^2 ...
            s = s * s_inner / (1.0 - (1.0 - s) * (1.0 - s_inner));
            p = p * p_inner / (1.0 - (1.0 - p) * (1.0 - p_inner));
        }
        (s + p) / 2.0 * (-glass.k_per_m * glass.thickness_m / cos_glass).exp()
    };
    Ok(through(aoi_deg) / through(0.0))
}

/// Cosine of the angle in a medium, from the sine in air.
fn cos_in(sin_air: f64, n: f64) -> f64 {
    (1.0 - (sin_air / n).powi(2)).sqrt()
}

/// What passes one surface, for light polarised across and along the plane of incidence (Fresnel).
fn surfaces((n1, cos1): (f64, f64), (n2, cos2): (f64, f64)) -> (f64, f64) {
    let s = ((n1 * cos1 - n2 * cos2) / (n1 * cos1 + n2 * cos2)).powi(2);
    let p = ((n1 * cos2 - n2 * cos1) / (n1 * cos2 + n2 * cos1)).powi(2);
    (1.0 - s, 1.0 - p)
}

/// `1 - b (1 / cos(aoi) - 1)`, never below 0 (ASHRAE 93; Souka and Safwat 1966). `b` 0 to 1, usually 0.05.
pub fn ashrae(aoi_deg: f64, b: f64) -> Result<f64, Error> {
    check_range("aoi_deg", aoi_deg, 0.0, 180.0)?;
    check_range("b", b, 0.0, 1.0)?;
    if aoi_deg >= 90.0 {
        return Ok(0.0);
    }
    Ok((1.0 - b * (1.0 / aoi_deg.to_radians().cos() - 1.0)).max(0.0))
}

/// Martin and Ruiz 2001, Calculation of the PV modules angular losses, Solar Energy Materials and Solar Cells 70,
/// equation 4. `a_r` above 0, to 2; usually 0.16.
pub fn martin_ruiz(aoi_deg: f64, a_r: f64) -> Result<f64, Error> {
    check_range("aoi_deg", aoi_deg, 0.0, 180.0)?;
    check_positive("a_r", a_r, 2.0)?;
    if aoi_deg >= 90.0 {
        return Ok(0.0);
    }
    Ok((1.0 - (-aoi_deg.to_radians().cos() / a_r).exp()) / (1.0 - (-1.0 / a_r).exp()))
}
