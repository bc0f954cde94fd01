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

/// The sky of one moment: how much of its diffuse light comes from around the sun and from the horizon (F1 and F2 of the paper).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Brightness {
    pub circumsolar: f64,
    pub horizon: f64,
}

impl Brightness {
    /// `zenith_rad` 0 to half a turn.
    pub fn of(dhi_w_m2: f64, dni_w_m2: f64, dni_extra_w_m2: f64, zenith_rad: f64, airmass_relative: f64) -> Self {
        if dhi_w_m2 <= 0.0 {
            return Brightness { circumsolar: 0.0, horizon: 0.0 };
        }
        let cubed = 1.041 * zenith_rad.powi(3);
        let clearness = ((dhi_w_m2 + dni_w_m2) / dhi_w_m2 + cubed) / (1.0 + cubed);
        let brightness = dhi_w_m2 * airmass_relative / dni_extra_w_m2;
        let bin: usize = CLEARNESS_ENDS.iter().map(|end| usize::from(clearness >= *end)).sum();
        let [f11, f12, f13, f21, f22, f23] = COEFFICIENTS[bin];
        Brightness {
            circumsolar: (f11 + f12 * brightness + f13 * zenith_rad).max(0.0),
            horizon: f21 + f22 * brightness + f23 * zenith_rad,
        }
    }
}
