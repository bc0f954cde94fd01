//! Whether volts and amps under load can be those of a panel's maximum, from the curve alone.
//!
//! A rating asks for the watts at the maximum power point. A point elsewhere on the curve (held at a battery's volts, throttled, limited,
//! a load that was not adjusted) gives fewer watts than the panel could, and says nothing against it. A weak panel gives fewer watts too,
//! but at a maximum of its own, whose place follows from its weakness:
//!
//! - Less light current (age, dirt, cracked cells) lowers the amps and leaves the volts nearly as they are.
//! - More series resistance moves the maximum to lower volts, and its amps fall away from Isc well before it.
//! - A substring that is bypassed takes its share of the volts, and its diode's drop, off the whole curve.
//!
//! With an extra series resistance `r` given, the light current that carries the curve through the point is explicit: in the single-diode
//! equation `I = c IL - I0 (exp(Vd / a) - 1) - Vd / Rsh` with `Vd = V + I (Rs + r)`, all but `c` is known. So each `r` tells one panel that
//! could have given the point, the share of its maximum that the point has, and the light it takes. A sound panel that is held, and one
//! with resistance at its maximum, differ in that light: the amps of the first are near Isc, those of the second are not. The explanation
//! that needs the least departure from the light that was read is taken.

use super::condition::KnownCondition;
use super::finding::OffMaximum;
use crate::panel::diode::Diode;
use crate::panel::layout::Panel;

/// Below this share of the maximum of the panel that gave it, a point is not at its maximum. Flindo's own limit: a tracker that works stays
/// within 2 % of the peak, and volts that differ by 3 % from those of the label's maximum cost 1 to 2 % of its watts.
const AT_MAXIMUM_REL: f64 = 0.95;

/// A panel counts as at its maximum from here on while its resistance is searched. Flindo's own limit, inside of [`AT_MAXIMUM_REL`].
const NEAR_MAXIMUM_REL: f64 = 0.985;

/// Where the lights of two explanations are this near, the one that keeps the verdict is taken: a weak panel beside one with a substring
/// out, a panel at its maximum beside one that is held. Flindo's own limit: a light meter and a repeated reading.
const LIGHT_AGREES_REL: f64 = 0.02;

/// Drop of a bypass diode that carries the panel's amps, V. Common practice, no source: 0.4 to 0.6.
const BYPASS_DROP_V: f64 = 0.5;

/// Open volts are known to within this share beside the label: they tell a missing substring of three from none. Flindo's own limit.
const OPEN_VOLTS_REL: f64 = 0.08;

/// Resistances that are tried between none and the one that would take all volts up to Voc.
const RESISTANCES: u32 = 64;

/// A point under load: of one panel, out of the strings it hangs in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LoadPoint {
    pub voltage_v: f64,
    pub current_a: f64,
    /// Read beside it, where they were: of one panel.
    pub voc_v: Option<f64>,
    pub isc_a: Option<f64>,
}

/// Holds a point against the maxima of every panel that could have given it. `None`: it can be at one, or the panel's own Voc shows the
/// substring that is out.
pub fn off_maximum(panel: &Panel, known: &KnownCondition, point: LoadPoint) -> Option<OffMaximum> {
    let of_label = panel.fit.at(known.at.poa_w_m2, known.at.cell_c).points();
    // What the light was: as it was read, or as the panel's own Isc says.
    let light_rel = point.isc_a.map_or(1.0, |isc_a| isc_a / of_label.isc_a);
    // Within the standard uncertainty of the cell temperature: a reading that needs cells further off than that is asked about. Twice as
    // much lets points at 110 % of the volts pass for maxima of weak panels, and condemns sound ones (docs/verdicts.md).
    let off_k = known.cell_u_k();
    let warm = [-off_k, 0.0, off_k].map(|off_k| panel.fit.at(known.at.poa_w_m2, known.at.cell_c + off_k));
    let [cooler, as_read, warmer] = warm.each_ref().map(|curve| sound(curve, point.voltage_v, point.current_a));
    let held = departs(as_read, light_rel);
    // Cells that were cooler than read explain volts above those of the maximum, unless the light speaks for a sound panel that is held
    // there: it has the amps of the light that was read, one at its maximum would have to be weak besides.
    let is_at_maximum = as_read.share_rel >= AT_MAXIMUM_REL
        || [cooler, warmer]
            .iter()
            .any(|giver| giver.share_rel >= AT_MAXIMUM_REL && departs(*giver, light_rel) < held + LIGHT_AGREES_REL);
    if is_at_maximum {
        return None;
    }
    let substrings = panel.layout.groups as u32;
    let without = |out: u32| {
        let at_maximum = warm.iter().filter_map(|whole| {
            let (left, at_v) = without_substrings(whole, point.voltage_v, out, substrings);
            let giver = sound(&left, at_v, point.current_a);
            (giver.share_rel * point.voltage_v / at_v >= AT_MAXIMUM_REL).then_some(giver)
        });
        at_maximum.map(|giver| (out, departs(giver, light_rel))).min_by(|a, b| a.1.total_cmp(&b.1))
    };
    let is_out = (1..substrings).find_map(without);
    let other = is_out.map_or(held, |(_, out)| held.min(out + LIGHT_AGREES_REL));
    if with_resistance(&warm[1], point).is_some_and(|weak| departs(weak, light_rel) < other) {
        return None;
    }
    let left_rel = |out: u32| f64::from(substrings - out) / f64::from(substrings);
    let agrees = |out: u32, voc_v: f64| (voc_v / of_label.voc_v - left_rel(out)).abs() < OPEN_VOLTS_REL;
    let or_substrings_out = match (is_out.map(|(out, _)| out), point.voc_v) {
        (Some(out), Some(voc_v)) if agrees(out, voc_v) => return None,
        (Some(out), None) => Some((out, substrings)),
        (Some(_) | None, _) => None,
    };
    Some(OffMaximum { vmp_v: of_label.vmp_v, share_rel: as_read.share_rel, or_substrings_out })
}

/// A panel that could have given a point.
#[derive(Debug, Clone, Copy)]
pub(super) struct Giver {
    /// Its light current as a share of the label's.
    pub(super) light_rel: f64,
    /// The watts of the point as a share of its maximum.
    pub(super) share_rel: f64,
}

/// The panel with so much more series resistance whose curve goes through a point.
pub(super) fn giver(curve: &Diode, voltage_v: f64, current_a: f64, more_ohm: f64) -> Giver {
    let r_s_ohm = curve.r_s_ohm + more_ohm;
    let junction_v = voltage_v + current_a * r_s_ohm;
    let i_l_a = current_a + curve.i_o_a * (junction_v / curve.a_v).exp_m1() + junction_v / curve.r_sh_ohm;
    let power_w = Diode { i_l_a, r_s_ohm, ..*curve }.points().pmax_w;
    Giver { light_rel: i_l_a / curve.i_l_a, share_rel: if power_w > 0.0 { voltage_v * current_a / power_w } else { 0.0 } }
}

fn sound(curve: &Diode, voltage_v: f64, current_a: f64) -> Giver {
    giver(curve, voltage_v, current_a, 0.0)
}

/// How far a panel's light is from the light that was read.
fn departs(giver: Giver, light_rel: f64) -> f64 {
    (giver.light_rel - light_rel).abs()
}

/// The panel with the least more resistance that has its maximum at a point.
fn with_resistance(curve: &Diode, point: LoadPoint) -> Option<Giver> {
    let most_ohm = ((curve.points().voc_v - point.voltage_v) / point.current_a).max(0.0);
    (1..RESISTANCES)
        .map(|nth| giver(curve, point.voltage_v, point.current_a, most_ohm * f64::from(nth) / f64::from(RESISTANCES)))
        .find(|giver| giver.share_rel >= NEAR_MAXIMUM_REL)
}

/// What is left of a panel without so many of its substrings, and the volts that it then has: the diodes of those that are out take theirs
/// from the terminals.
fn without_substrings(whole: &Diode, voltage_v: f64, out: u32, of: u32) -> (Diode, f64) {
    let left = f64::from(of - out) / f64::from(of);
    let diode = Diode { a_v: whole.a_v * left, r_s_ohm: whole.r_s_ohm * left, r_sh_ohm: whole.r_sh_ohm * left, ..*whole };
    (diode, voltage_v + f64::from(out) * BYPASS_DROP_V)
}
