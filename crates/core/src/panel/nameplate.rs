//! The nameplate after it was checked: the figures of the label at standard test conditions.

use super::coefficient::Coefficient;
use super::construction::Construction;
use super::face::FaceSize;
use super::tolerance::Tolerance;
use crate::named::named;
use std::ops::RangeInclusive;

/// How the cells are made; decides what is plausible and what stands in for a coefficient the label does not give.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Technology {
    #[default]
    Mono,
    Poly,
    ThinFilm,
}

named!(Technology {
    Mono = "mono", "monocrystalline";
    Poly = "poly", "polycrystalline";
    ThinFilm = "thin_film", "thin film";
});

impl Technology {
    /// The power coefficient taken where the label gives none.
    /// Common practice, no source: the spread of labels within one technology.
    pub fn usual_gamma(self) -> RelativeCoefficient {
        match self {
            Technology::Mono => RelativeCoefficient::usual(-0.0038, 0.0010),
            Technology::Poly => RelativeCoefficient::usual(-0.0042, 0.0006),
            Technology::ThinFilm => RelativeCoefficient::usual(-0.0030, 0.0012),
        }
    }

    /// The voltage coefficient taken where the label gives none.
    /// Common practice, no source.
    pub fn usual_beta(self) -> RelativeCoefficient {
        match self {
            Technology::Mono => RelativeCoefficient::usual(-0.0029, 0.0006),
            Technology::Poly => RelativeCoefficient::usual(-0.0032, 0.0004),
            Technology::ThinFilm => RelativeCoefficient::usual(-0.0028, 0.0008),
        }
    }

    /// The current coefficient taken where the label gives none.
    /// Common practice, no source.
    pub fn usual_alpha(self) -> RelativeCoefficient {
        match self {
            Technology::Mono | Technology::Poly => RelativeCoefficient::usual(0.0005, 0.0003),
            Technology::ThinFilm => RelativeCoefficient::usual(0.0003, 0.0004),
        }
    }
}

/// What a label states at STC. Old labels lack some of it, and one that nobody could read all.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Nameplate {
    /// `None` where nobody has read the label: then panels of its kind are compared and never rated.
    pub rated_w: Option<f64>,
    pub tolerance: Tolerance,
    pub voc_v: Option<f64>,
    pub isc_a: Option<f64>,
    pub vmp_v: Option<f64>,
    pub imp_a: Option<f64>,
    pub alpha_isc: Option<Coefficient>,
    pub beta_voc: Option<Coefficient>,
    pub gamma_pmax: Option<Coefficient>,
    pub cells_in_series: Option<u32>,
    pub technology: Technology,
    pub noct_c: Option<f64>,
    /// How its cells and diodes lie, where somebody has looked; see [`Nameplate::construction`].
    pub construction: Option<Construction>,
    /// The long and the short side of the panel, m.
    pub length_m: Option<f64>,
    pub width_m: Option<f64>,
    /// Rear power over front power of a bifacial panel, 0 to 1; `None` where the label says nothing of a rear.
    pub bifaciality: Option<f64>,
    pub weight_kg: Option<f64>,
    /// What the label or its warranty states that it loses in a year, percent of the rated power.
    pub degradation_percent_per_year: Option<f64>,
}

/// A relative temperature coefficient ready to compute with.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RelativeCoefficient {
    pub per_k: f64,
    /// Half the width within which it surely lies, 1/K.
    pub limit_per_k: f64,
    /// Whether the label states it, or the usual one of the technology stands in.
    pub from_label: bool,
}

impl RelativeCoefficient {
    /// Where a label states none.
    fn usual(per_k: f64, limit_per_k: f64) -> Self {
        RelativeCoefficient { per_k, limit_per_k, from_label: false }
    }
}

/// A label's own coefficient is taken to be right within this share of itself. Common practice, no source: repeated
/// determinations of one type of module differ by 5 to 10 %.
const LABEL_COEFFICIENT_LIMIT: f64 = 0.10;

impl Nameplate {
    /// Change of Pmax per kelvin.
    pub fn gamma(&self) -> RelativeCoefficient {
        relative(self.gamma_pmax, self.rated_w, self.technology.usual_gamma())
    }

    /// Change of Voc per kelvin.
    pub fn beta(&self) -> RelativeCoefficient {
        relative(self.beta_voc, self.voc_v, self.technology.usual_beta())
    }

    /// Change of Isc per kelvin.
    pub fn alpha(&self) -> RelativeCoefficient {
        relative(self.alpha_isc, self.isc_a, self.technology.usual_alpha())
    }

    /// As stated, and else the likeliest one for its cells.
    pub fn construction(&self) -> Construction {
        let likely = || Construction::likely(self.cells(), self.technology == Technology::ThinFilm);
        self.construction.unwrap_or_else(likely)
    }

    /// Cells in series: as stated, and else the usual number nearest to its Voc (or Vmp) over that of one crystalline cell; `None` where
    /// neither is there. Common practice, no source: 0.63 V open and 0.52 V at the maximum power point for each cell; 32, 36, 54, 60, 66
    /// and 72 cells are usual.
    pub fn cells(&self) -> Option<u32> {
        const USUAL: [u32; 6] = [32, 36, 54, 60, 66, 72];
        self.cells_in_series.or_else(|| {
            let cells = self.voc_v.map(|voc_v| voc_v / 0.63).or(self.vmp_v.map(|vmp_v| vmp_v / 0.52))?;
            let nearest = USUAL.into_iter().min_by(|a, b| off(*a, cells).total_cmp(&off(*b, cells)))?;
            // Far from every usual panel the volts alone decide.
            Some(if off(nearest, cells) < 0.12 { nearest } else { (cells.round() as u32).clamp(1, 400) })
        })
    }

    /// The face, where the label gives both of its sides.
    pub fn face_size(&self) -> Option<FaceSize> {
        let (a, b) = self.length_m.zip(self.width_m)?;
        Some(FaceSize { length_m: a.max(b), width_m: a.min(b) })
    }

    /// The least to the most watts that the label's tolerance allows.
    pub fn rated_band_w(&self) -> Option<RangeInclusive<f64>> {
        let rated_w = self.rated_w?;
        let off_rel = self.tolerance.relative(rated_w);
        Some(rated_w * (1.0 + off_rel.start())..=rated_w * (1.0 + off_rel.end()))
    }

    /// [`Nameplate::rated_band_w`] as percent of the rated watts.
    pub fn rated_band_percent(&self) -> Option<(f64, f64)> {
        let (band_w, rated_w) = self.rated_band_w().zip(self.rated_w)?;
        Some((band_w.start() / rated_w * 100.0, band_w.end() / rated_w * 100.0))
    }

    /// Vmp x Imp over Voc x Isc; the rated watts stand in for the product where the label lacks one of the two.
    pub fn fill_factor(&self) -> Option<f64> {
        let watts_w = self.vmp_v.zip(self.imp_a).map(|(vmp_v, imp_a)| vmp_v * imp_a).or(self.rated_w)?;
        self.voc_v.zip(self.isc_a).map(|(voc_v, isc_a)| watts_w / (voc_v * isc_a))
    }
}

/// How far a number of cells is from another, as a share.
fn off(usual: u32, cells: f64) -> f64 {
    (cells / f64::from(usual) - 1.0).abs()
}

fn relative(stated: Option<Coefficient>, at_stc: Option<f64>, usual: RelativeCoefficient) -> RelativeCoefficient {
    match stated.and_then(|stated| stated.relative_per_k(at_stc)) {
        Some(per_k) => RelativeCoefficient { per_k, limit_per_k: per_k.abs() * LABEL_COEFFICIENT_LIMIT, from_label: true },
        None => usual,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::coefficient::CoefficientUnit;

    #[test]
    fn a_coefficient_in_volts_needs_the_voltage_it_belongs_to() {
        let beta_voc = Some(Coefficient { value: -0.11, unit: CoefficientUnit::OwnPerK });
        let with = Nameplate { rated_w: Some(250.0), voc_v: Some(44.0), beta_voc, ..Nameplate::default() };
        assert_eq!(with.beta().per_k, -0.0025);
        assert!(with.beta().from_label);
        let without = Nameplate { voc_v: None, ..with };
        assert!(!without.beta().from_label);
    }
}
