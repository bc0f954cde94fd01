//! How warm the cells are, when the thermometer is somewhere else.

use crate::constants::{NOCT_AIR_C, NOCT_POA_W_M2, NOCT_WIND_M_S, STC_CELL_C, STC_POA_W_M2};
use crate::derivation::Formula;

/// How much warmer the cell is than the back of an open-rack glass/cell/polymer module at 1000 W/m2, K
/// (King, Boyson and Kratochvil 2004, SAND2004-3535, table 1).
pub const CELL_ABOVE_BACK_K: f64 = 3.0;

/// NOCT taken where the label gives none, C. Labels run from 43 to 48 (common practice, no source).
pub const USUAL_NOCT_C: f64 = 45.0;

/// See [`cell_from_back_c`].
pub const CELL_FROM_BACK: Formula = Formula {
    text: "back + (G / 1000) \u{d7} dT",
    source: "King, Boyson and Kratochvil 2004, SAND2004-3535, equation 12 and table 1",
};

/// Cell temperature (C) from the back of the module: `back + (G / 1000) dT`.
///
/// King, Boyson and Kratochvil 2004 (SAND2004-3535), equation 12. `poa_w_m2` 0 to 1600; `delta_t_k`, 0 to 30, is how much warmer the cell
/// is at 1000 W/m2: [`CELL_ABOVE_BACK_K`] for most modules.
pub fn cell_from_back_c(back_c: f64, poa_w_m2: f64, delta_t_k: f64) -> f64 {
    back_c + poa_w_m2 / STC_POA_W_M2 * delta_t_k
}

/// Heat that a module in an open rack loses by itself, W/(m2 K), and with each m/s of wind, W s/(m3 K) (Faiman 2008).
const FAIMAN_U0: f64 = 25.0;
const FAIMAN_U1: f64 = 6.84;

/// See [`cell_from_air_c`].
pub const CELL_FROM_AIR: Formula = Formula {
    text: "air + (NOCT \u{2212} 20) \u{d7} G / 800 \u{d7} (25 + 6.84) / (25 + 6.84 \u{d7} wind)",
    source: "Ross 1976; IEC 61215:2005, 10.5; Faiman 2008, equation 2",
};

/// Cell temperature (C) from the air: `air + (NOCT - 20) G / 800 (u0 + u1 1 m/s) / (u0 + u1 wind)`.
///
/// Ross 1976 with NOCT as IEC 61215:2005 10.5 defines it: 800 W/m2, 20 C and a wind of 1 m/s. Where the wind is known, the loss
/// of heat goes with it as Faiman 2008 (equation 2) found; at 1 m/s, which is taken where it is not, both are one. Derivation:
/// Faiman's `air + G / (U (u0 + u1 wind))`, with the module's `U` from `NOCT - 20 = 800 / (U (u0 + u1 1 m/s))`. This is the one
/// model from the air: of readings, rigs and shadows. `poa_w_m2` 0 to 1600, `noct_c` 33 to 60, `wind_m_s` 0 to 60 at the module.
pub fn cell_from_air_c(air_c: f64, poa_w_m2: f64, noct_c: f64, wind_m_s: Option<f64>) -> f64 {
    let loss = |wind_m_s: f64| FAIMAN_U0 + FAIMAN_U1 * wind_m_s;
    let by_wind = loss(NOCT_WIND_M_S) / loss(wind_m_s.unwrap_or(NOCT_WIND_M_S));
    air_c + (noct_c - NOCT_AIR_C) * poa_w_m2 / NOCT_POA_W_M2 * by_wind
}

/// See [`cell_from_voc_c`].
pub const CELL_FROM_VOC: Formula = Formula {
    text: "25 + (Voc / Voc_stc \u{2212} 1 \u{2212} a \u{d7} ln(G / 1000)) / beta",
    source: "IEC 60904-5:2011, equivalent cell temperature",
};

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
        assert_eq!(cell_from_air_c(30.0, 1000.0, 47.0, None).round(), 64.0);
    }

    /// The standard's formula by hand: 34.02 V of 37.8 V at 1000 W/m2 with -0.32 %/K is a tenth, 31.25 K.
    #[test]
    fn a_tenth_less_voc_is_thirty_one_kelvin_more() {
        assert!((cell_from_voc_c(34.02, 37.8, 1000.0, -0.0032, 0.05) - 56.25).abs() < 1e-9);
        assert_eq!(cell_from_voc_c(37.8, 37.8, 1000.0, -0.0032, 0.05), 25.0);
        // In weaker light the same volts mean cooler cells.
        assert!(cell_from_voc_c(34.02, 37.8, 700.0, -0.0032, 0.05) < 56.25);
    }

    /// A module whose NOCT is that of Faiman's usual figures (20 + 800 / 31.84 = 45.13 C) is warm as Faiman says in any wind: by hand,
    /// 1000 / (25 + 6.84 x 4) = 19.10 K over the air at 4 m/s, 40 K in still air.
    #[test]
    fn wind_cools_as_faiman_found() {
        let noct_c = 20.0 + 800.0 / 31.84;
        assert!((cell_from_air_c(30.0, 1000.0, noct_c, Some(4.0)) - 49.10).abs() < 0.005);
        assert!((cell_from_air_c(30.0, 1000.0, noct_c, Some(0.0)) - 70.0).abs() < 1e-9);
        assert_eq!(cell_from_air_c(30.0, 1000.0, noct_c, None), cell_from_air_c(30.0, 1000.0, noct_c, Some(1.0)));
    }

    #[test]
    fn in_the_dark_cell_back_and_air_are_one() {
        assert_eq!(cell_from_back_c(12.0, 0.0, CELL_ABOVE_BACK_K), 12.0);
        assert_eq!(cell_from_air_c(12.0, 0.0, 45.0, Some(3.0)), 12.0);
    }
}
