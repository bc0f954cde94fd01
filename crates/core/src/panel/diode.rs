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

/// Halley's method (1694; for one exponential as here, Press et al. 2007, Numerical Recipes, section 9.4.2) trebles its digits with each
/// step: after one of this share of the knee `a` the error is a twelfth of its cube, 1e-13.
const SETTLED_KNEES: f64 = 1e-4;

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

    /// Amps at a junction voltage and their first three slopes along it, for one exponential.
    #[inline]
    fn bends(&self, vd: f64) -> Bends {
        // Reciprocals leave the loops that call this.
        let (per_v, shunt_a_per_v) = (1.0 / self.a_v, 1.0 / self.r_sh_ohm);
        let x = vd * per_v;
        // Far up the knee the one that is taken off is lost in rounding, and `exp` takes half the time.
        let grown = if x < 2.0 { x.exp_m1() } else { x.exp() - 1.0 };
        let rise = self.i_o_a * (grown + 1.0) * per_v;
        Bends {
            i: self.i_l_a - self.i_o_a * grown - vd * shunt_a_per_v,
            first: -rise - shunt_a_per_v,
            second: -rise * per_v,
            third: -rise * per_v * per_v,
        }
    }

    /// Junction voltage at the terminals' volts, and the amps there, `open_vd` being the junction voltage of open circuit. From above,
    /// where the function is convex.
    fn junction_at(&self, v: f64, open_vd: f64) -> (f64, f64) {
        // At a terminal voltage the junction is at most where the shunt alone takes some of the light's amps, and not above where the
        // diode alone takes all.
        let at_most = (v + self.i_l_a * self.r_s_ohm) / (1.0 + self.r_s_ohm / self.r_sh_ohm);
        let start = if v < 0.0 { v.max(at_most.min(open_vd)) } else { at_most.min(open_vd.max(v)) };
        self.root(start, |vd, bends| {
            (vd - self.r_s_ohm * bends.i - v, 1.0 - self.r_s_ohm * bends.first, -self.r_s_ohm * bends.second)
        })
    }

    /// Where no current flows: Voc. From above, the function being concave there.
    pub(super) fn open_junction(&self) -> f64 {
        // Where the diode takes all of the light's amps; and by how much less, to first order, for those that the shunt takes.
        let without_shunt = self.a_v * (self.i_l_a / self.i_o_a).ln_1p();
        let taken_rel = without_shunt / self.r_sh_ohm / self.i_l_a;
        self.open_junction_near(if taken_rel < 0.1 { without_shunt - self.a_v * taken_rel } else { without_shunt })
    }

    /// The same from volts that are near it.
    pub(super) fn open_junction_near(&self, start: f64) -> f64 {
        let (vd, _) = self.root(start, |_, bends| (bends.i, bends.first, bends.second));
        vd.max(0.0)
    }

    /// The root of a function of the junction voltage that is told by its value and two slopes; and the amps there.
    fn root(&self, start: f64, of: impl Fn(f64, &Bends) -> (f64, f64, f64)) -> (f64, f64) {
        let mut vd = start;
        for _ in 0..100 {
            let bends = self.bends(vd);
            let (value, slope, bend) = of(vd, &bends);
            let step = halley(value, slope, bend);
            vd -= step;
            if step.abs() <= SETTLED_KNEES * self.a_v.min(vd.abs()) {
                return (vd, bends.amps_after(-step));
            }
        }
        (vd, self.junction_a(vd))
    }

    /// Amps at the terminals' volts.
    pub fn current_a(&self, v: f64) -> f64 {
        self.junction_at(v, self.open_junction()).1
    }

    /// Slope of watts along the junction voltage, and the slopes of that.
    fn power_slope(&self, vd: f64, Bends { i, first, second, third }: &Bends) -> (f64, f64, f64) {
        // P = (vd - Rs i) i
        let slope = i + vd * first - 2.0 * self.r_s_ohm * i * first;
        let bend = 2.0 * first + vd * second - 2.0 * self.r_s_ohm * (first * first + i * second);
        (slope, bend, 3.0 * second + vd * third - 2.0 * self.r_s_ohm * (3.0 * first * second + i * third))
    }

    /// The five points. In the dark all are 0.
    pub fn points(&self) -> Points {
        if self.i_l_a <= 0.0 {
            return Points::default();
        }
        let voc_v = self.open_junction();
        let (short, isc_a) = self.junction_at(0.0, voc_v);
        let (vd, imp_a) = self.best_junction(short, voc_v);
        let vmp_v = vd - self.r_s_ohm * imp_a;
        Points { isc_a, voc_v, imp_a, vmp_v, pmax_w: vmp_v * imp_a }
    }

    /// The junction voltage of the best point between those of short and open circuit, and the amps there. The two close in on it, so that
    /// a step that leads out of them is one into their middle.
    pub(super) fn best_junction(&self, short: f64, open: f64) -> (f64, f64) {
        let (mut low, mut high) = (short, open);
        // Without a shunt `I + V dI/dV = 0` is `exp((open - vd) / a) = 1 + (vd - 2 Rs I) / a`, in whose right side a rough one is enough:
        // three knees below Voc.
        let beside = (open - 3.0 * self.a_v - 2.0 * self.r_s_ohm * self.i_l_a).max(0.1 * open);
        let start = open - self.a_v * (beside / self.a_v).ln_1p().min(0.9 * open / self.a_v);
        // Not clamp: with next to no shunt the two ends meet, and rounding may turn them.
        let mut vd = start.max(low).min(high);
        for _ in 0..100 {
            let bends = self.bends(vd);
            let (value, slope, bend) = self.power_slope(vd, &bends);
            if value > 0.0 {
                low = vd
            } else {
                high = vd
            }
            let stepped = vd - halley(value, slope, bend);
            // Near an inflection of the slope the bend shortens a step to nothing far from the maximum: there it is no step to trust.
            let is_bent = -value * bend > 2.0 * slope * slope;
            let is_within = !is_bent && stepped > low && stepped < high;
            let next = if is_within { stepped } else { (low + high) / 2.0 };
            let step = next - vd;
            vd = next;
            let settled = if is_within { SETTLED_KNEES * self.a_v.min(open) } else { 1e-12 * open };
            if step.abs() <= settled {
                return (vd, bends.amps_after(step));
            }
        }
        (vd, self.junction_a(vd))
    }
}

/// Amps at a junction voltage, and their slopes along it.
struct Bends {
    i: f64,
    first: f64,
    second: f64,
    third: f64,
}

impl Bends {
    /// Amps a settled step further (Taylor's series): what is left out is below 1e-20 of them.
    fn amps_after(&self, step: f64) -> f64 {
        self.i + step * (self.first + step * (self.second / 2.0 + step * self.third / 6.0))
    }
}

/// What Halley's method takes off, `2 f f' / (2 f'^2 - f f'')`: Newton's step, corrected by the bend, and at most twice as long.
#[inline]
fn halley(value: f64, slope: f64, bend: f64) -> f64 {
    let squared = slope * slope;
    2.0 * value * slope / (2.0 * squared - value * bend).max(squared)
}
