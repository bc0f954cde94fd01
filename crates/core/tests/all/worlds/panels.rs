//! Panels that truly are as a published data set has them, in a solver of its own.
//!
//! The single-diode parameters are those of the data set, not of a fit to the label; the shunt falls with the light exponentially
//! (Mermoud and Lejeune 2010), where the judge's model has it in proportion; a module is three substrings with ideal diodes at -0.5 V,
//! solved volts by amps with bisection.

use super::Draws;
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::panel::nameplate::Nameplate;

const BOLTZMANN_EV_PER_K: f64 = 8.617_333e-5;
const BYPASS_V: f64 = -0.5;

/// A type of panel: what stands on its label, and the diode behind it at STC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Kind {
    pub voc_v: f64,
    pub isc_a: f64,
    pub vmp_v: f64,
    pub imp_a: f64,
    pub cells: f64,
    pub alpha_a_per_k: f64,
    pub beta_v_per_k: f64,
    i_l_a: f64,
    i_o_a: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
    a_v: f64,
}

/// Crystalline panels of 60 and 72 cells in the data set.
pub fn kinds() -> Vec<Kind> {
    include_str!("../../reference/nameplates.csv")
        .lines()
        .skip(1)
        .filter(|line| line.contains("c-Si"))
        .map(|line| {
            let of: Vec<f64> = line.split(',').skip(1).map(|text| text.parse().unwrap_or(0.0)).collect();
            Kind {
                voc_v: of[0],
                isc_a: of[1],
                vmp_v: of[2],
                imp_a: of[3],
                cells: of[4],
                alpha_a_per_k: of[5],
                beta_v_per_k: of[6],
                i_l_a: of[7],
                i_o_a: of[8],
                r_s_ohm: of[9],
                r_sh_ohm: of[10],
                a_v: of[11],
            }
        })
        .filter(|kind| kind.cells == 60.0 || kind.cells == 72.0)
        .collect()
}

/// What is the matter with one panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fault {
    /// Amps of all cells, as a share.
    pub amps_rel: f64,
    /// In its joints.
    pub more_ohm: f64,
    /// Substrings of three that give nothing.
    pub substrings_out: usize,
    /// So many cells of the first substring get this share of their light.
    pub shaded: Option<(f64, f64)>,
}

pub const SOUND: Fault = Fault { amps_rel: 1.0, more_ohm: 0.0, substrings_out: 0, shaded: None };

/// One point of a curve.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct VoltsAmps {
    pub v: f64,
    pub a: f64,
}

impl VoltsAmps {
    pub fn w(self) -> f64 {
        self.v * self.a
    }
}

/// A number of cells in series under the same light.
struct Cells {
    i_l_a: f64,
    i_o_a: f64,
    a_v: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
}

impl Cells {
    fn volts(&self, amps: f64) -> f64 {
        // What the diode and the shunt take rises with the junction's volts.
        let over = |v: f64| self.i_l_a - self.i_o_a * ((v / self.a_v).min(200.0).exp() - 1.0) - v / self.r_sh_ohm - amps;
        let (mut low, mut high) = (-1000.0, 2.0 * self.a_v * (self.i_l_a / self.i_o_a).max(2.0).ln());
        for _ in 0..70 {
            let middle = (low + high) / 2.0;
            if over(middle) > 0.0 { low = middle } else { high = middle }
        }
        (low + high) / 2.0 - amps * self.r_s_ohm
    }
}

impl Kind {
    pub fn rated_w(&self) -> f64 {
        (self.vmp_v * self.imp_a).round()
    }

    /// Its label as it is typed, coefficients in percent with two decimals; that of power as the truth has it.
    pub fn label(&self, tolerance: &str) -> Nameplate {
        let warm = self.best(1000.0, 35.0, SOUND).w() / self.best(1000.0, 25.0, SOUND).w() - 1.0;
        let mut typed = LabelTyped::default();
        for (name, text) in [
            ("rated_w", format!("{:.0}", self.rated_w())),
            ("tolerance", tolerance.to_owned()),
            ("voc_v", self.voc_v.to_string()),
            ("isc_a", self.isc_a.to_string()),
            ("vmp_v", self.vmp_v.to_string()),
            ("imp_a", self.imp_a.to_string()),
            ("alpha_isc", format!("{:.3} %/K", self.alpha_a_per_k / self.isc_a * 100.0)),
            ("beta_voc", format!("{:.2} %/K", self.beta_v_per_k / self.voc_v * 100.0)),
            ("gamma_pmax", format!("{:.2} %/K", warm * 10.0)),
            ("cells_in_series", self.cells.to_string()),
            ("noct_c", "45".to_owned()),
        ] {
            typed.set(name, &text);
        }
        let checked = check(&typed);
        checked.nameplate.unwrap_or_else(|| panic!("{:?}", checked.notes))
    }

    /// `share` of the module's cells at this light and temperature.
    fn cells(&self, share: f64, poa_w_m2: f64, cell_c: f64, fault: Fault) -> Cells {
        let (t, t0) = (cell_c + 273.15, 298.15);
        let gap_ev = 1.121 * (1.0 - 0.000_267_7 * (cell_c - 25.0));
        let i_o_a = self.i_o_a * (t / t0).powi(3) * ((1.121 / t0 - gap_ev / t) / BOLTZMANN_EV_PER_K).exp();
        let light = (poa_w_m2 / 1000.0).max(1e-4);
        Cells {
            i_l_a: light * (self.i_l_a + self.alpha_a_per_k * (cell_c - 25.0)) * fault.amps_rel,
            i_o_a,
            a_v: self.a_v * t / t0 * share,
            r_s_ohm: (self.r_s_ohm + fault.more_ohm) * share,
            r_sh_ohm: self.r_sh_ohm * share * (1.0 + 3.0 * (-5.5 * light).exp()) / (1.0 + 3.0 * (-5.5_f64).exp()),
        }
    }

    fn volts(&self, amps: f64, poa_w_m2: f64, cell_c: f64, fault: Fault) -> f64 {
        let third = |shaded: Option<(f64, f64)>| {
            let (of_shaded, through) = shaded.map_or((0.0, 1.0), |(cells, through)| (cells / self.cells, through));
            let lit = self.cells(1.0 / 3.0 - of_shaded, poa_w_m2, cell_c, fault).volts(amps);
            let dim = if of_shaded > 0.0 { self.cells(of_shaded, poa_w_m2 * through, cell_c, fault).volts(amps) } else { 0.0 };
            (lit + dim).max(BYPASS_V)
        };
        let working = 3 - fault.substrings_out.min(3);
        let mut volts = fault.substrings_out as f64 * if amps > 0.01 { BYPASS_V } else { 0.0 };
        for nth in 0..working {
            volts += third(fault.shaded.filter(|_| nth == 0));
        }
        volts
    }

    pub fn open_v(&self, poa_w_m2: f64, cell_c: f64, fault: Fault) -> f64 {
        self.volts(0.0, poa_w_m2, cell_c, fault)
    }

    pub fn short_a(&self, poa_w_m2: f64, cell_c: f64, fault: Fault) -> f64 {
        let (mut low, mut high) = (0.0, 3.0 * self.isc_a);
        for _ in 0..50 {
            let middle = (low + high) / 2.0;
            if self.volts(middle, poa_w_m2, cell_c, fault) > 0.0 { low = middle } else { high = middle }
        }
        low
    }

    /// Where a load holds it at these volts.
    pub fn held(&self, v: f64, poa_w_m2: f64, cell_c: f64, fault: Fault) -> VoltsAmps {
        let (mut low, mut high) = (0.0, 3.0 * self.isc_a);
        for _ in 0..50 {
            let middle = (low + high) / 2.0;
            if self.volts(middle, poa_w_m2, cell_c, fault) > v { low = middle } else { high = middle }
        }
        VoltsAmps { v, a: low }
    }

    /// The point of most watts: the best of many amps, then a closer look around it.
    pub fn best(&self, poa_w_m2: f64, cell_c: f64, fault: Fault) -> VoltsAmps {
        let most = self.isc_a * 1.4 * poa_w_m2 / 1000.0;
        if fault.shaded.is_none() {
            return self.best_unshaded(poa_w_m2, cell_c, fault);
        }
        let at = |a: f64| VoltsAmps { v: self.volts(a, poa_w_m2, cell_c, fault), a };
        let coarse = (1..120).map(|nth| most * f64::from(nth) / 120.0).max_by(|a, b| at(*a).w().total_cmp(&at(*b).w()));
        let middle = coarse.unwrap_or(0.0);
        highest(middle - most / 120.0, middle + most / 120.0, at)
    }

    /// All cells alike: amps and volts are explicit in the volts of the junction.
    fn best_unshaded(&self, poa_w_m2: f64, cell_c: f64, fault: Fault) -> VoltsAmps {
        let all = self.cells(1.0, poa_w_m2, cell_c, fault);
        let working = (3.0 - fault.substrings_out as f64) / 3.0;
        let bypassed_v = fault.substrings_out as f64 * BYPASS_V;
        let at = |junction_v: f64| {
            let a = all.i_l_a - all.i_o_a * ((junction_v / all.a_v).exp() - 1.0) - junction_v / all.r_sh_ohm;
            VoltsAmps { v: (junction_v - a * all.r_s_ohm) * working + bypassed_v, a }
        };
        highest(0.2 * self.voc_v, 1.2 * self.voc_v, at)
    }
}

/// The highest watts between two bounds, by the golden section.
fn highest(mut low: f64, mut high: f64, at: impl Fn(f64) -> VoltsAmps) -> VoltsAmps {
    for _ in 0..45 {
        let (a, b) = (low + (high - low) * 0.382, low + (high - low) * 0.618);
        if at(a).w() > at(b).w() { high = b } else { low = a }
    }
    at((low + high) / 2.0)
}

/// A sound panel as panels are: a few percent either way, more resistance with age.
pub fn aged(draws: &mut Draws) -> Fault {
    Fault { amps_rel: draws.even(0.78, 1.06), more_ohm: draws.one_of(&[0.0, 0.0, 0.1, 0.3]), ..SOUND }
}
