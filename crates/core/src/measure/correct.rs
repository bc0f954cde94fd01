//! Single points brought to standard test conditions: 1000 W/m2 in the plane, cells at 25 C.
//!
//! Linear in irradiance and temperature: I and P with the irradiance, all three with their coefficient. IEC 60904-10 (from
//! memory) calls a module linear where it keeps to this within 2 %; the budget allows for it.

use crate::constants::{STC_CELL_C, STC_POA_W_M2, THERMAL_VOLTAGE_25C_V};
use crate::derivation::Formula;

/// The light and cell temperature a value was read under.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Condition {
    /// Irradiance in the plane of array, W/m2; above 0, to 1600.
    pub poa_w_m2: f64,
    /// Cell temperature, C; -40 to 120.
    pub cell_c: f64,
}

/// Standard test conditions.
pub const STC: Condition = Condition { poa_w_m2: STC_POA_W_M2, cell_c: STC_CELL_C };

impl Condition {
    /// The share of STC irradiance: the factor by which the sun changed current and power.
    pub fn irradiance_factor(&self) -> f64 {
        self.poa_w_m2 / STC_POA_W_M2
    }

    /// `1 + c (T - 25)`: the factor by which cell temperature changed a value with the relative coefficient `per_k` (1/K).
    pub fn temperature_factor(&self, per_k: f64) -> f64 {
        1.0 + per_k * (self.cell_c - STC_CELL_C)
    }
}

/// See [`pmax_at_stc_w`].
pub const PMAX_AT_STC: Formula = Formula {
    text: "P / ((G / 1000) \u{d7} (1 + gamma \u{d7} (T \u{2212} 25)))",
    source: "Osterwald 1986, Solar Cells 18; IEC 60891:2009",
};

/// Pmax at STC (W): `P / ((G / 1000) (1 + gamma (T - 25)))`.
///
/// Osterwald 1986, Translation of device performance measurements to reference conditions, Solar Cells 18, 269-279,
/// equation for Pmax (from memory). `gamma_per_k` in 1/K, negative.
pub fn pmax_at_stc_w(pmax_w: f64, at: Condition, gamma_per_k: f64) -> f64 {
    pmax_w / (at.irradiance_factor() * at.temperature_factor(gamma_per_k))
}

/// See [`isc_at_stc_a`].
pub const ISC_AT_STC: Formula = Formula {
    text: "Isc / ((G / 1000) \u{d7} (1 + alpha \u{d7} (T \u{2212} 25)))",
    source: "IEC 60891:2009, procedure 2, current",
};

/// Isc at STC (A): IEC 60891:2009 equation 4 (procedure 2, current; from memory) at V = 0:
/// `I2 = I1 (1 + alpha (T2 - T1)) G2 / G1`, written from STC to the condition and inverted, so that `alpha_per_k` (1/K)
/// is the label's, relative to Isc at STC.
pub fn isc_at_stc_a(isc_a: f64, at: Condition, alpha_per_k: f64) -> f64 {
    isc_a / (at.irradiance_factor() * at.temperature_factor(alpha_per_k))
}

/// See [`voc_at_stc_v`].
pub const VOC_AT_STC: Formula = Formula {
    text: "Voc / (1 + beta \u{d7} (T \u{2212} 25) + a \u{d7} ln(G / 1000))",
    source: "IEC 60891:2009, procedure 2, voltage",
};

/// Voc at STC (V): IEC 60891:2009 equation 5 (procedure 2, voltage; from memory) at I = 0, written from STC to the condition
/// and inverted: `Voc1 = Voc2 (1 + beta (T1 - 25) + a ln(G1 / 1000))`.
///
/// `beta_per_k` (1/K) is the label's; `irradiance_coefficient` is the `a` of the standard, see [`voc_irradiance_coefficient`].
pub fn voc_at_stc_v(voc_v: f64, at: Condition, beta_per_k: f64, irradiance_coefficient: f64) -> f64 {
    voc_v / (at.temperature_factor(beta_per_k) + irradiance_coefficient * at.irradiance_factor().ln())
}

/// Ideality factor taken for one junction, and how far it may be off. Common practice, no source.
const IDEALITY: f64 = 1.2;

/// The `a` of IEC 60891:2009 equation 5: by how much of itself Voc grows when the irradiance grows e-fold. It is the
/// junctions' thermal voltage over Voc, `n Ns kT/q / Voc`; 0.05 (usual for crystalline cells; the standard says 0.06 is
/// typical, from memory) where cells or Voc are not known.
pub fn voc_irradiance_coefficient(cells_in_series: Option<u32>, voc_v: Option<f64>) -> f64 {
    cells_in_series.zip(voc_v).map_or(0.05, |(cells, voc_v)| IDEALITY * f64::from(cells) * THERMAL_VOLTAGE_25C_V / voc_v)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Masters 2004, Renewable and Efficient Electric Power Systems, example 8.3 (from memory): a 150 W module, Voc 42.8 V,
    /// -0.5 %/C in power and -0.37 %/C in volts, gives 121 W and 36.7 V with its cells at 64 C under one sun.
    #[test]
    fn a_textbook_module_at_64_degrees_comes_back_to_its_label() {
        let hot = Condition { poa_w_m2: 1000.0, cell_c: 64.0 };
        assert!((pmax_at_stc_w(121.0, hot, -0.005) - 150.0).abs() < 0.5);
        // The handbook rounds 36.62 V up.
        assert!((voc_at_stc_v(36.7, hot, -0.0037, 0.05) - 42.8).abs() < 0.1);
    }

    #[test]
    fn at_stc_nothing_changes() {
        assert_eq!(pmax_at_stc_w(200.0, STC, -0.004), 200.0);
        assert_eq!(isc_at_stc_a(9.0, STC, 0.0005), 9.0);
        assert_eq!(voc_at_stc_v(37.0, STC, -0.003, 0.05), 37.0);
    }

    #[test]
    fn sixty_cells_of_38_volts_move_by_five_percent_for_each_e_fold_of_sun() {
        assert!((voc_irradiance_coefficient(Some(60), Some(38.0)) - 0.0487).abs() < 1e-4);
        assert_eq!(voc_irradiance_coefficient(None, Some(38.0)), 0.05);
    }
}
