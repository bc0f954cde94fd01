//! One diode with its resistances: the curve of a uniformly lit panel, and of a cell.
//!
//! `I = IL - I0 (exp((V + I Rs) / a) - 1) - (V + I Rs) / Rsh` (De Soto, Klein and Beckman 2006, Solar Energy 80, equation 1). The
//! voltage at the junction, `vd = V + I Rs`, makes both volts and amps explicit; every root below is one of a monotone function
//! of it, so that each is found.

use crate::error::{Error, check_range};

/// The five parameters at one condition.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Diode {
    /// Light current, A; 0 or more.
    pub i_l_a: f64,
    /// Saturation current, A; above 0.
    pub i_o_a: f64,
    /// Series resistance, ohm; 0 or more.
    pub r_s_ohm: f64,
    /// Shunt resistance, ohm; above 0, infinite allowed.
    pub r_sh_ohm: f64,
    /// Modified ideality: cells in series times ideality times kT/q, V; above 0.
    pub a_v: f64,
}

/// The five points of a curve.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Points {
    pub isc_a: f64,
    pub voc_v: f64,
    pub imp_a: f64,
    pub vmp_v: f64,
    pub pmax_w: f64,
}

/// Newton doubles its digits with each step: one of this share of the whole leaves an error far below what a double holds.
const SETTLED_REL: f64 = 1e-9;

/// Below these no cell is one, and a double has no room for what follows from them.
const LEAST_I_O_A: f64 = 1e-60;
const LEAST_R_SH_OHM: f64 = 1e-6;

impl Diode {
    /// Checks each parameter; the error names it.
    pub fn check(i_l_a: f64, i_o_a: f64, r_s_ohm: f64, r_sh_ohm: f64, a_v: f64) -> Result<Self, Error> {
        Ok(Diode {
            i_l_a: check_range("i_l_a", i_l_a, 0.0, 1e4)?,
            i_o_a: check_range("i_o_a", i_o_a, LEAST_I_O_A, 1.0)?,
            r_s_ohm: check_range("r_s_ohm", r_s_ohm, 0.0, 1e4)?,
            r_sh_ohm: check_range("r_sh_ohm", r_sh_ohm, LEAST_R_SH_OHM, 1e15)?,
            a_v: check_range("a_v", a_v, 1e-3, 1e3)?,
        })
    }

    /// Amps at a junction voltage.
    pub fn junction_a(&self, vd: f64) -> f64 {
        self.i_l_a - self.i_o_a * (vd / self.a_v).exp_m1() - vd / self.r_sh_ohm
    }

    /// Amps at a junction voltage, their slope (A/V; below 0) and the slope of that, for one exponential.
    #[inline]
    fn bends(&self, vd: f64) -> (f64, f64, f64) {
        // Reciprocals leave the loops that call this.
        let (per_v, shunt_a_per_v) = (1.0 / self.a_v, 1.0 / self.r_sh_ohm);
        let grown = (vd * per_v).exp_m1();
        let i = self.i_l_a - self.i_o_a * grown - vd * shunt_a_per_v;
        let rise = self.i_o_a * (grown + 1.0) * per_v;
        (i, -rise - shunt_a_per_v, -rise * per_v)
    }

    /// Junction voltage at the terminals' volts, `open_vd` being that of open circuit. By Newton from above, where the function is convex
    /// and every step stays above.
    fn junction_at(&self, v: f64, open_vd: f64) -> f64 {
        // At a terminal voltage the junction is at most IL Rs above it, and not above where the diode alone takes all of that.
        let at_most = v + self.i_l_a * self.r_s_ohm;
        let mut vd = if v < 0.0 { v.max(at_most.min(open_vd)) } else { at_most.min(open_vd.max(v)) };
        for _ in 0..100 {
            let (i, slope, _) = self.bends(vd);
            let step = (vd - self.r_s_ohm * i - v) / (1.0 - self.r_s_ohm * slope);
            vd -= step;
            if step.abs() <= SETTLED_REL * vd.abs().max(self.a_v) {
                break;
            }
        }
        vd
    }

    /// Where no current flows: Voc. By Newton from above, the function being concave there.
    pub(super) fn open_junction(&self) -> f64 {
        let mut vd = self.a_v * (self.i_l_a / self.i_o_a).ln_1p();
        for _ in 0..100 {
            let (i, slope, _) = self.bends(vd);
            let step = i / slope;
            vd -= step;
            if step.abs() <= SETTLED_REL * vd.abs().max(1e-12) {
                break;
            }
        }
        vd.max(0.0)
    }

    /// Amps at the terminals' volts.
    pub fn current_a(&self, v: f64) -> f64 {
        self.junction_a(self.junction_at(v, self.open_junction()))
    }

    /// Slope of watts along the junction voltage, and the slope of that.
    fn power_slope(&self, vd: f64) -> (f64, f64) {
        let (i, di, d2i) = self.bends(vd);
        // P = (vd - Rs i) i
        let slope = i + vd * di - 2.0 * self.r_s_ohm * i * di;
        (slope, 2.0 * di + vd * d2i - 2.0 * self.r_s_ohm * (di * di + i * d2i))
    }

    /// The five points. In the dark all are 0.
    pub fn points(&self) -> Points {
        if self.i_l_a <= 0.0 {
            return Points::default();
        }
        let voc_v = self.open_junction();
        let short = self.junction_at(0.0, voc_v);
        let isc_a = self.junction_a(short);
        let (mut low, mut high) = (short, voc_v);
        let mut vd = voc_v - self.a_v * (voc_v / self.a_v).ln_1p().min(0.9 * voc_v / self.a_v);
        // Not clamp: with next to no shunt the two ends meet, and rounding may turn them.
        vd = vd.max(low).min(high);
        for _ in 0..100 {
            let (slope, bend) = self.power_slope(vd);
            if slope > 0.0 {
                low = vd
            } else {
                high = vd
            }
            let newton = vd - slope / bend;
            let is_newton = newton > low && newton < high;
            let next = if is_newton { newton } else { (low + high) / 2.0 };
            let step = next - vd;
            vd = next;
            let settled_rel = if is_newton { SETTLED_REL } else { 1e-12 };
            if step.abs() <= settled_rel * voc_v {
                break;
            }
        }
        let imp_a = self.junction_a(vd);
        let vmp_v = vd - self.r_s_ohm * imp_a;
        Points { isc_a, voc_v, imp_a, vmp_v, pmax_w: vmp_v * imp_a }
    }
}
