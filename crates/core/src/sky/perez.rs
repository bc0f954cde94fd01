//! Perez, Ineichen, Seals, Michalsky and Stewart 1990, Modeling daylight availability and irradiance components from direct and
//! global irradiance, Solar Energy 44, 271-289: coefficients of table 6, all sites.

/// Upper end of each bin of the sky's clearness.
const CLEARNESS_ENDS: [f64; 7] = [1.065, 1.23, 1.5, 1.95, 2.8, 4.5, 6.2];

/// F11, F12, F13, F21, F22, F23 for each bin, from overcast to clear.
const COEFFICIENTS: [[f64; 6]; 8] = [
    [-0.008, 0.588, -0.062, -0.060, 0.072, -0.022],
    [0.130, 0.683, -0.151, -0.019, 0.066, -0.029],
    [0.330, 0.487, -0.221, 0.055, -0.064, -0.026],
    [0.568, 0.187, -0.295, 0.109, -0.152, -0.014],
    [0.873, -0.392, -0.362, 0.226, -0.462, 0.001],
    [1.132, -1.237, -0.412, 0.288, -0.823, 0.056],
    [1.060, -1.600, -0.359, 0.264, -1.127, 0.131],
    [0.678, -0.327, -0.250, 0.156, -1.377, 0.251],
];

/// Zenith angle beyond which the share of the circumsolar light no longer grows, degrees.
const MAX_ZENITH_DEG: f64 = 85.0;

/// The sky of one moment: how much of its diffuse light comes from around the sun and from the horizon.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Brightness {
    circumsolar: f64,
    horizon: f64,
    cos_zenith_floored: f64,
}

impl Brightness {
    pub fn of(dhi_w_m2: f64, dni_w_m2: f64, dni_extra_w_m2: f64, zenith_deg: f64, airmass_relative: f64) -> Self {
        let zenith = zenith_deg.to_radians();
        let cos_zenith_floored = zenith.cos().max(MAX_ZENITH_DEG.to_radians().cos());
        if dhi_w_m2 <= 0.0 {
            return Brightness { circumsolar: 0.0, horizon: 0.0, cos_zenith_floored };
        }
        let cubed = 1.041 * zenith.powi(3);
        let clearness = ((dhi_w_m2 + dni_w_m2) / dhi_w_m2 + cubed) / (1.0 + cubed);
        let brightness = dhi_w_m2 * airmass_relative / dni_extra_w_m2;
        let bin = CLEARNESS_ENDS.iter().take_while(|end| clearness >= **end).count();
        let [f11, f12, f13, f21, f22, f23] = COEFFICIENTS[bin];
        Brightness {
            circumsolar: (f11 + f12 * brightness + f13 * zenith).max(0.0),
            horizon: f21 + f22 * brightness + f23 * zenith,
            cos_zenith_floored,
        }
    }

    /// Diffuse light of the sky on a plane, as a share of that on the horizontal.
    pub fn onto(&self, cos_incidence: f64, cos_tilt: f64, sin_tilt: f64) -> f64 {
        let dome = 0.5 * (1.0 - self.circumsolar) * (1.0 + cos_tilt);
        let around_sun = self.circumsolar * cos_incidence.max(0.0) / self.cos_zenith_floored;
        (dome + around_sun + self.horizon * sin_tilt).max(0.0)
    }
}
