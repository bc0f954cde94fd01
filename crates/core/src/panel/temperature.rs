//! How warm the cells are, when the thermometer is somewhere else.

use crate::constants::{NOCT_AIR_C, NOCT_POA_W_M2, STC_CELL_C, STC_POA_W_M2};

/// How much warmer the cell is than the back of an open-rack glass/cell/polymer module at 1000 W/m2, K
/// (King, Boyson and Kratochvil 2004, SAND2004-3535, table 1).
pub const CELL_ABOVE_BACK_K: f64 = 3.0;

/// NOCT taken where the label gives none, C. Labels run from 43 to 48 (common practice, no source).
pub const USUAL_NOCT_C: f64 = 45.0;

/// Cell temperature (C) from the back of the module: `back + (G / 1000) dT`.
///
/// King, Boyson and Kratochvil 2004 (SAND2004-3535), equation 12, with [`CELL_ABOVE_BACK_K`]. `poa_w_m2` 0 to 1600.
pub fn cell_from_back_c(back_c: f64, poa_w_m2: f64) -> f64 {
    back_c + poa_w_m2 / STC_POA_W_M2 * CELL_ABOVE_BACK_K
}

/// Cell temperature (C) from the air: `air + (NOCT - 20) G / 800`.
///
/// Ross 1976; IEC 61215:2005 10.5 for the definition of NOCT. Says nothing of wind or mounting, so it is good to a few
/// kelvin only. `poa_w_m2` 0 to 1600, `noct_c` 33 to 60.
pub fn cell_from_air_c(air_c: f64, poa_w_m2: f64, noct_c: f64) -> f64 {
    air_c + (noct_c - NOCT_AIR_C) * poa_w_m2 / NOCT_POA_W_M2
}

/// Equivalent cell temperature (C) from the open-circuit voltage: `25 + (Voc / Voc_stc - 1 - a ln(G / 1000)) / beta`.
///
/// IEC 60904-5:2011, equation for one module whose Voc at STC is known (from memory). `beta_per_k` in 1/K, negative;
/// `irradiance_coefficient` is the `a` of IEC 60891. `poa_w_m2` above 0.
pub fn cell_from_voc_c(voc_v: f64, voc_stc_v: f64, poa_w_m2: f64, beta_per_k: f64, irradiance_coefficient: f64) -> f64 {
    STC_CELL_C + (voc_v / voc_stc_v - 1.0 - irradiance_coefficient * (poa_w_m2 / STC_POA_W_M2).ln()) / beta_per_k
}

/// Module temperature (C) from sun, air and wind: `air + G / (u0 + u1 wind)`.
///
/// Faiman 2008, Assessing the outdoor operating temperature of photovoltaic modules, Progress in Photovoltaics 16, equation 2.
/// `u0` above 0, usually 25 W/(m2 K); `u1` 0 or more, usually 6.84 W s/(m3 K); `wind_m_s` at the height of the module.
pub fn faiman_c(poa_w_m2: f64, air_c: f64, wind_m_s: f64, u0: f64, u1: f64) -> f64 {
    air_c + poa_w_m2 / (u0 + u1 * wind_m_s)
}

/// Temperature of the back (C): `air + G exp(a + b wind)`.
///
/// King, Boyson and Kratochvil 2004 (SAND2004-3535), equation 11; `a` and `b` by mounting from table 1 (open rack: -3.47 and
/// -0.0594); `wind_m_s` at 10 m.
pub fn sandia_back_c(poa_w_m2: f64, air_c: f64, wind_m_s: f64, a: f64, b: f64) -> f64 {
    air_c + poa_w_m2 * (a + b * wind_m_s).exp()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Masters 2004, Renewable and Efficient Electric Power Systems, example 8.3 (from memory): NOCT 47 C, 30 C air,
    /// one sun: the cells are at 64 C (63.75 before rounding).
    #[test]
    fn thirty_degrees_of_air_make_sixty_four_of_cell() {
        assert_eq!(cell_from_air_c(30.0, 1000.0, 47.0).round(), 64.0);
    }

    /// The standard's formula by hand: 34.02 V of 37.8 V at 1000 W/m2 with -0.32 %/K is a tenth, 31.25 K.
    #[test]
    fn a_tenth_less_voc_is_thirty_one_kelvin_more() {
        assert!((cell_from_voc_c(34.02, 37.8, 1000.0, -0.0032, 0.05) - 56.25).abs() < 1e-9);
        assert_eq!(cell_from_voc_c(37.8, 37.8, 1000.0, -0.0032, 0.05), 25.0);
        // In weaker light the same volts mean cooler cells.
        assert!(cell_from_voc_c(34.02, 37.8, 700.0, -0.0032, 0.05) < 56.25);
    }

    #[test]
    fn in_the_dark_cell_back_and_air_are_one() {
        assert_eq!(cell_from_back_c(12.0, 0.0), 12.0);
        assert_eq!(cell_from_air_c(12.0, 0.0, 45.0), 12.0);
    }
}
