//! The maximum power point of a label with its Voc and Isc, with what is usual standing in for what it does not state.

use super::nameplate::Nameplate;

/// Vmp is about this share of Voc, and Imp of Isc. Common practice, no source.
const VMP_OF_VOC: f64 = 0.82;
const IMP_OF_ISC: f64 = 0.94;

/// Volts and amps at STC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LabelPoint {
    pub voc_v: f64,
    pub isc_a: f64,
    pub vmp_v: f64,
    pub imp_a: f64,
    /// Something usual stands in for a figure the label lacks.
    pub is_assumed: bool,
}

impl Nameplate {
    /// Voc, Isc, Vmp and Imp; `None` where the label states neither a voltage nor a current, or too little to work out
    /// the other.
    pub fn label_point(&self) -> Option<LabelPoint> {
        let vmp_v = self
            .vmp_v
            .or(self.voc_v.map(|voc_v| voc_v * VMP_OF_VOC))
            .or(self.rated_w.zip(self.imp_a).map(|(rated_w, imp_a)| rated_w / imp_a))
            .or(self.rated_w.zip(self.isc_a).map(|(rated_w, isc_a)| rated_w / (isc_a * IMP_OF_ISC)))?;
        let imp_a = self.imp_a.or(self.isc_a.map(|isc_a| isc_a * IMP_OF_ISC)).or(self.rated_w.map(|rated_w| rated_w / vmp_v))?;
        Some(LabelPoint {
            voc_v: self.voc_v.unwrap_or(vmp_v / VMP_OF_VOC),
            isc_a: self.isc_a.unwrap_or(imp_a / IMP_OF_ISC),
            vmp_v,
            imp_a,
            is_assumed: [self.voc_v, self.isc_a, self.vmp_v, self.imp_a].contains(&None),
        })
    }

    /// Voc in the cold: `Voc (1 + beta (T - 25))` where the label states the coefficient, and else the table of the code.
    ///
    /// NEC 2020, 690.7(A)(1) and (2). Cells are taken to be as cold as the air, as they are at dawn.
    pub fn cold_voc_v(&self, point: &LabelPoint, coldest_c: f64) -> f64 {
        let beta = self.beta();
        let factor = if beta.from_label { 1.0 + beta.per_k * (coldest_c - 25.0) } else { cold_factor(coldest_c) };
        point.voc_v * factor.max(1.0)
    }
}

/// NEC 2020, table 690.7(A): factors for crystalline and multicrystalline silicon by the lowest air temperature, C (from memory).
const COLD_FACTORS: [(f64, f64); 13] = [
    (20.0, 1.02),
    (15.0, 1.04),
    (10.0, 1.06),
    (5.0, 1.08),
    (0.0, 1.10),
    (-5.0, 1.12),
    (-10.0, 1.14),
    (-15.0, 1.16),
    (-20.0, 1.18),
    (-25.0, 1.20),
    (-30.0, 1.21),
    (-35.0, 1.23),
    (-40.0, 1.25),
];

/// The factor of the code's table by which Voc rises in the cold; 1 at 25 C and above, the last one below -40 C.
pub fn cold_factor(coldest_c: f64) -> f64 {
    if coldest_c >= 25.0 {
        return 1.0;
    }
    COLD_FACTORS.iter().find(|(down_to_c, _)| coldest_c >= *down_to_c).map_or(1.25, |(_, factor)| *factor)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::coefficient::{Coefficient, CoefficientUnit};

    /// NEC 2020, table 690.7(A) (from memory): 24 to 20 C is 1.02, 4 to 0 C is 1.10, -1 to -5 C is 1.12, -36 to -40 C is 1.25.
    #[test]
    fn the_cold_factor_is_that_of_the_code_table() {
        for (coldest_c, factor) in [
            (30.0, 1.0),
            (24.0, 1.02),
            (20.0, 1.02),
            (19.0, 1.04),
            (4.0, 1.10),
            (0.0, 1.10),
            (-1.0, 1.12),
            (-5.0, 1.12),
            (-6.0, 1.14),
            (-40.0, 1.25),
            (-50.0, 1.25),
        ] {
            assert_eq!(cold_factor(coldest_c), factor, "{coldest_c} C");
        }
    }

    /// The informative example beside 690.7(A)(1) (from memory): with -0.31 %/K and -10 C, Voc rises by 10.85 %.
    #[test]
    fn a_coefficient_on_the_label_comes_before_the_table() {
        let beta_voc = Some(Coefficient { value: -0.31, unit: CoefficientUnit::PercentPerK });
        let label = Nameplate { rated_w: Some(250.0), voc_v: Some(38.0), beta_voc, ..Nameplate::default() };
        let point = label.label_point().unwrap();
        assert!((label.cold_voc_v(&point, -10.0) / 38.0 - 1.1085).abs() < 1e-9);
        let without = Nameplate { beta_voc: None, ..label };
        assert!((without.cold_voc_v(&point, -10.0) / 38.0 - 1.14).abs() < 1e-9);
        assert_eq!(without.cold_voc_v(&point, 40.0), 38.0);
    }

    #[test]
    fn what_the_label_lacks_is_made_up_for_and_said() {
        let only_voc = Nameplate { rated_w: Some(305.0), voc_v: Some(40.0), ..Nameplate::default() }.label_point().unwrap();
        assert!(only_voc.is_assumed && (only_voc.vmp_v * only_voc.imp_a - 305.0).abs() < 1e-9 && only_voc.isc_a > only_voc.imp_a);
        assert_eq!(Nameplate { rated_w: Some(100.0), ..Nameplate::default() }.label_point(), None);
    }
}
