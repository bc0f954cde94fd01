//! One cell, also where it is driven backwards; and the diode that spares it.

use super::curve::Curve;
use super::diode::Diode;
use crate::error::{Error, check_positive, check_range};

/// Reverse breakdown (Bishop 1988, Computer simulation of the effects of electrical mismatches in photovoltaic cell interconnection
/// circuits, Solar Cells 25, equation 1): the shunt current times `1 + share (1 - vd / volts)^-exponent`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Breakdown {
    /// Below 0.
    pub v_br_v: f64,
    pub share: f64,
    pub exponent: f64,
}

impl Default for Breakdown {
    /// Of an ordinary silicon cell; Bishop's example has -15 V and 3.4, the share is common practice, no source.
    fn default() -> Self {
        Breakdown { v_br_v: -15.0, share: 0.01, exponent: 3.4 }
    }
}

/// A cell at its own light and cell_temperature.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cell {
    pub diode: Diode,
    pub breakdown: Option<Breakdown>,
}

/// A diode across a group of cells, or in the way of a string: `I = Is (exp((V - I Rs) / (n kT/q)) - 1)`, the diode of Shockley
/// (1949, Bell System Technical Journal 28, equation 3.13) behind the resistance of its chip and leads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bypass {
    /// Saturation current at `temp_c`, A; above 0.
    pub i_s_a: f64,
    /// Ideality; above 0.
    pub n: f64,
    /// Series resistance, ohm; 0 or more.
    pub r_s_ohm: f64,
    /// The temperature at which the other figures hold, C.
    pub temp_c: f64,
}

impl Default for Bypass {
    /// A Schottky rectifier of 15 A: 0.42 V at 9 A. Saturation current and ideality: common practice, no source. Resistance: the slope
    /// of forward volts between 10 and 15 A in data sheets of such rectifiers is 5 to 10 milliohm (from memory); the lower end is
    /// taken. 27 C is where circuit simulators give a diode's figures.
    fn default() -> Self {
        Bypass { i_s_a: 1e-5, n: 1.05, r_s_ohm: 0.005, temp_c: 27.0 }
    }
}

/// Boltzmann's constant over the elementary charge, V/K (CODATA 2018).
const BOLTZMANN_V_PER_K: f64 = 1.380_649e-23 / 1.602_176_634e-19;
const KELVIN_AT_0_C: f64 = 273.15;

/// No diode of a panel stands more, A, or V in reverse.
const MOST_DIODE_A: f64 = 1.0;
const REVERSE_V: f64 = 2000.0;

/// A chord of the curve stays within this share of the cell's own current, or, where the curve falls steeply, of its volts: either is
/// the same share of its watts.
const CHORD_REL: f64 = 4e-5;

/// Where a cell breaks down: of its own current, or a tenth of the most.
const BREAKDOWN_CHORD_REL: f64 = 2e-4;

/// Where the forward part of a cell's curve begins, in knees `a`: the diode takes nothing there but its saturation current. Or a fifth of
/// the way to its breakdown.
const FORWARDS_KNEES: f64 = -10.0;

/// From where the backward part goes on, as a share of that.
const BACKWARDS_REL: f64 = 1.2;

/// Where the curve of a bypass diode begins, in thermal volts.
const AROUND_FROM_KNEES: f64 = -8.0;

/// Steps of a bypass diode are no narrower than this many thermal volts: a chord is then off by 0.03 mV.
const DIODE_STEP: f64 = 0.1;

impl Cell {
    /// The curve from `least_a`, below 0, to `most_a`: forwards from the most volts down, then backwards, so that amps rise.
    pub fn curve(&self, least_a: f64, most_a: f64) -> Curve {
        let mut nodes = self.forwards(least_a, most_a);
        nodes.reverse();
        match &self.breakdown {
            None => {
                // A straight line, along the shunt.
                let diode = &self.diode;
                let back_v = -(most_a.max(diode.i_l_a) * 1.05 - diode.i_l_a + 1e-9) * diode.r_sh_ohm;
                let near_v = BACKWARDS_REL * self.forwards_from_v();
                nodes.extend([near_v, back_v.min(2.0 * near_v)].map(|vd| self.node(vd, diode.junction_a(vd))));
            }
            Some(breakdown) => self.add_backwards(breakdown, most_a, &mut nodes),
        }
        Curve::in_order(nodes)
    }

    fn forwards_from_v(&self) -> f64 {
        let near_breakdown_v = self.breakdown.map_or(f64::NEG_INFINITY, |breakdown| 0.2 * breakdown.v_br_v);
        (FORWARDS_KNEES * self.diode.a_v).max(near_breakdown_v)
    }

    /// Amps, and volts of the terminals.
    fn node(&self, vd: f64, i: f64) -> (f64, f64) {
        (i, vd - i * self.diode.r_s_ohm)
    }

    /// Rising volts from a little below 0, until so few amps are left. The bend of the curve is the diode's own current `b`, and a chord
    /// over a step of
    /// `s` knees is off by `b s^2 / 8`: each step is as wide as that allows. Stepped along `b`, whose logarithm gives the volts, so that
    /// no step waits for the exponential of the one before.
    fn forwards(&self, least_a: f64, most_a: f64) -> Vec<(f64, f64)> {
        let diode = &self.diode;
        let mut nodes = Vec::with_capacity(256);
        let scale_a = diode.i_l_a.max(0.02 * most_a);
        let last_v = diode.a_v * ((diode.i_l_a - least_a) / diode.i_o_a).ln_1p();
        let mut push = |vd: f64, own_a: f64| {
            let i = diode.i_l_a - (own_a - diode.i_o_a) - vd / diode.r_sh_ohm - self.breaking_a(vd);
            nodes.push(self.node(vd, i));
            i >= least_a && vd < last_v
        };
        let first_v = self.forwards_from_v();
        let first_a = diode.i_o_a * (first_v / diode.a_v).exp();
        push(first_v, first_a);
        // Up to here all of the diode's current is less than what a chord may miss.
        let mut own_a = (CHORD_REL * scale_a).max(2.0 * first_a);
        if own_a > diode.i_o_a {
            // Nothing breaks through from here on.
            push(0.0, diode.i_o_a);
        }
        let mut knees = (own_a / diode.i_o_a).ln();
        while push(diode.a_v * (own_a / diode.i_o_a).ln(), own_a) {
            let allowed_a = scale_a + own_a * knees.max(0.0);
            let step = (8.0 * CHORD_REL * allowed_a / own_a).sqrt().clamp(1e-4, 2.0);
            own_a *= 1.0 + step;
            // Of `ln(1 + step)`, from below: the steps need no more.
            knees += step - 0.5 * step * step;
        }
        nodes
    }

    /// What breaks through at a junction voltage, A; 0 or less, and nothing forwards.
    fn breaking_a(&self, vd: f64) -> f64 {
        match self.breakdown {
            Some(Breakdown { v_br_v, share, exponent }) if vd < 0.0 => {
                vd / self.diode.r_sh_ohm * share * (1.0 - vd / v_br_v).powf(-exponent)
            }
            Some(_) | None => 0.0,
        }
    }

    /// Backwards, until all of the current runs. The distance to the breakdown shrinks by a share that the bend of its power law allows.
    /// The volts of the cell have no part in it: among lit cells its amps are those of all.
    fn add_backwards(&self, breakdown: &Breakdown, most_a: f64, nodes: &mut Vec<(f64, f64)>) {
        let Breakdown { v_br_v, share, exponent } = *breakdown;
        let diode = &self.diode;
        let bend = exponent * (exponent + 1.0) / 8.0;
        let allowed_a = BREAKDOWN_CHORD_REL * diode.i_l_a.max(0.1 * most_a);
        let mut distance = 1.0 - BACKWARDS_REL * self.forwards_from_v() / v_br_v;
        // Of what breaks through, were all the volts of the breakdown on it. Its power is followed by a series, for which the steps need
        // not wait.
        let mut at_most_a = v_br_v.abs() / diode.r_sh_ohm * share * distance.powf(-exponent);
        while distance > 1e-4 {
            let vd = v_br_v * (1.0 - distance);
            let i = diode.i_l_a + diode.i_o_a - vd / diode.r_sh_ohm - self.breaking_a(vd);
            nodes.push(self.node(vd, i));
            if i > most_a {
                return;
            }
            let step = (allowed_a / (bend * at_most_a.max(1e-300))).sqrt().min(0.2);
            // Of `(1 - step)^-exponent`.
            at_most_a *= 1.0 + exponent * step * (1.0 + (exponent + 1.0) / 2.0 * step * (1.0 + (exponent + 2.0) / 3.0 * step));
            distance *= 1.0 - step;
        }
    }
}

impl Bypass {
    /// Checks each figure.
    ///
    /// # Errors
    /// Names the figure that no diode has.
    pub fn check(i_s_a: f64, n: f64, r_s_ohm: f64, temp_c: f64) -> Result<Self, Error> {
        check_positive("i_s_a", i_s_a, MOST_DIODE_A)?;
        check_range("n", n, 0.5, 5.0)?;
        check_range("r_s_ohm", r_s_ohm, 0.0, 10.0)?;
        check_range("temp_c", temp_c, -60.0, 200.0)?;
        Ok(Bypass { i_s_a, n, r_s_ohm, temp_c })
    }

    /// `n kT/q`, V.
    fn n_v(&self) -> f64 {
        self.n * BOLTZMANN_V_PER_K * (self.temp_c + KELVIN_AT_0_C)
    }

    /// Seen from the cells it spares: amps that run around them while their volts are below 0.
    pub fn around(&self, most_a: f64) -> Curve {
        let n_v = self.n_v();
        let most_v = n_v * (1.2 * most_a / self.i_s_a).ln_1p();
        let mut nodes = Vec::with_capacity(128);
        nodes.extend([(-self.i_s_a, 1000.0), (-self.i_s_a * (1.0 - 1e-9), 12.0 * n_v)]);
        // Along its own current, as a cell.
        let mut own_a = self.i_s_a * AROUND_FROM_KNEES.exp();
        loop {
            let (v, i) = (n_v * (own_a / self.i_s_a).ln(), own_a - self.i_s_a);
            if v >= most_v {
                break;
            }
            nodes.push((i, -v - i * self.r_s_ohm));
            own_a *= 1.0 + (8.0 * CHORD_REL * most_a.max(1e-9) / own_a).sqrt().clamp(DIODE_STEP, 1.0);
        }
        nodes.push((1.2 * most_a, -most_v - 1.2 * most_a * self.r_s_ohm));
        Curve::in_order(nodes)
    }

    /// In the way of a string: volts it costs, and no way back. Without current it costs none, which is a node of its own: a diode
    /// cannot raise the open volts of what it blocks.
    pub fn in_the_way(&self, most_a: f64) -> Curve {
        let n_v = self.n_v();
        let most_v = n_v * (1.2 * most_a / self.i_s_a).ln_1p();
        let at = |v: f64| {
            let i = self.i_s_a * (v / n_v).exp_m1();
            (i, -v - i * self.r_s_ohm)
        };
        let mut nodes: Vec<(f64, f64)> = (-120..0).map(|step| at(n_v * f64::from(step) * DIODE_STEP)).collect();
        nodes.push((0.0, 0.0));
        let forwards = (most_v / (DIODE_STEP * n_v)).ceil();
        nodes.extend((1..=forwards as i32).map(|step| at(most_v * f64::from(step) / forwards)));
        nodes.push((self.least_a(), REVERSE_V));
        Curve::of(nodes)
    }

    /// Less runs through it backwards, A: the saturation current, a little of which the reverse volts share.
    pub fn least_a(&self) -> f64 {
        -self.i_s_a * 1.005
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DIODE: Diode = Diode { i_l_a: 8.6, i_o_a: 2e-10, r_s_ohm: 0.004, r_sh_ohm: 5.0, a_v: 0.0257 };

    /// Amps at a junction voltage by the equations as they are printed, without a step taken from them.
    fn plain_a(cell: &Cell, vd: f64) -> f64 {
        let Cell { diode, breakdown } = cell;
        let shunt = match breakdown {
            Some(b) if vd < 0.0 => 1.0 + b.share * (1.0 - vd / b.v_br_v).powf(-b.exponent),
            Some(_) | None => 1.0,
        };
        diode.i_l_a - diode.i_o_a * (vd / diode.a_v).exp_m1() - vd / diode.r_sh_ohm * shunt
    }

    /// Between the nodes too: lit, dim, hot and dark cells, with breakdown far off, near, within the knee of the diode, and without.
    #[test]
    fn every_point_of_a_cells_curve_lies_on_its_equation() {
        let breakdowns = [-15.0, -4.0, -1.0, -0.3].map(|v_br_v| Some(Breakdown { v_br_v, ..Breakdown::default() }));
        for breakdown in breakdowns.into_iter().chain([None]) {
            for (i_l_a, i_o_a) in [(8.6, 2e-10), (1.3, 2e-10), (8.6, 3e-6), (0.0, 2e-10), (0.02, 1e-3)] {
                let cell = Cell { diode: Diode { i_l_a, i_o_a, ..DIODE }, breakdown };
                let curve = cell.curve(-9.0, 9.0);
                assert!(curve.nodes().len() < 420, "{} nodes of {cell:?}", curve.nodes().len());
                let lowest_v = breakdown.map_or(-20.0, |breakdown| 0.98 * breakdown.v_br_v);
                for nth in 0..=2000 {
                    let vd = lowest_v + (0.75 - lowest_v) * f64::from(nth) / 2000.0;
                    let i = plain_a(&cell, vd);
                    if !(-9.0..=9.0).contains(&i) {
                        continue;
                    }
                    let v = vd - i * DIODE.r_s_ohm;
                    let (off_a, off_v) = ((curve.amps_at(v) - i).abs(), (curve.volts_at(i) - v).abs());
                    assert!(
                        off_a < 5e-4 * i_l_a.max(0.9) || off_v < 4e-5 * v.abs().max(0.1),
                        "{cell:?} at {v} V: {off_a} A, {off_v} V"
                    );
                }
            }
        }
    }

    /// A string behind a diode, with what the diode keeps out of reach and without: the same volts at all amps that can run, whether its
    /// cells break down early, late or not.
    #[test]
    fn what_a_diode_keeps_out_of_reach_changes_nothing() {
        let around = Bypass::default().around(9.5);
        for breakdown in [None, Some(Breakdown::default()), Some(Breakdown { v_br_v: -0.3, ..Breakdown::default() })] {
            for i_l_a in [0.0, 1.3, 8.6] {
                let cell = Cell { diode: Diode { i_l_a, ..DIODE }, breakdown }.curve(-9.5, 9.5);
                let string = Curve::series(&[(&cell, 20.0)]);
                let (near, whole) = (string.with_around(&around), Curve::parallel(&[(&string, 1.0), (&around, 1.0)]));
                assert!(near.nodes().len() <= whole.nodes().len());
                for nth in 0..=1000 {
                    let i = -9.5 + 19.0 * f64::from(nth) / 1000.0;
                    let off_v = (near.volts_at(i) - whole.volts_at(i)).abs();
                    assert!(off_v < 1e-9 * whole.volts_at(i).abs().max(1.0), "{breakdown:?}, {i_l_a} A, at {i} A: {off_v} V");
                }
            }
        }
    }
}
