//! A panel with more series resistance than its label has another temperature coefficient, and another course with the light: its watts
//! at 55 C are not brought to 25 C by the label's.
//!
//! Joints, ribbons and connectors take `I^2 r`. In weak light they take less of the power, and where heat has already lowered the volts the
//! same `I r` is a larger share of them. The volts and amps of a panel at its own maximum tell `r` and its light current (the two unknowns
//! of two conditions: the curve goes through the point, and has its maximum there); with both, the circuit says what the panel
//! gives at STC.

use super::maximum::giver;
use crate::constants::{STC_CELL_C, STC_POA_W_M2};
use crate::measure::correct::Condition;
use crate::measure::instrument::standard_from_limit;
use crate::panel::diode::Diode;
use crate::panel::layout::Panel;

/// A point that has this share of the maximum of a panel without more resistance is taken as that panel's. Flindo's own limit: volts of the
/// maximum are read and tracked no nearer.
const SOUND_REL: f64 = 0.985;

/// Resistances that are tried between none and the one that would take all volts up to Voc.
const RESISTANCES: u32 = 200;

/// The circuit's correction is known to this share of itself, as a limit: joints warm up, cells do not share the resistance evenly.
/// Flindo's own limit.
const KNOWN_REL: f64 = 0.25;

/// What more series resistance takes here beside what it takes at STC, and how well that is known.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TakenByResistance {
    /// The watts that were read over those that the label's coefficients would leave of the panel's watts at STC.
    pub factor: f64,
    /// Standard uncertainty, as a share.
    pub u_rel: f64,
    /// Above that of the label's circuit.
    pub more_ohm: f64,
}

/// For the volts and amps of one panel at its own maximum; `cell_u_k` is the standard uncertainty of its cell temperature. `None` where the
/// label's own circuit can have its maximum there.
pub fn taken_by_resistance(
    panel: &Panel,
    at: Condition,
    cell_u_k: f64,
    voltage_v: f64,
    current_a: f64,
) -> Option<TakenByResistance> {
    let of = |off_k: f64| at_cell(panel, at, at.cell_c + off_k, voltage_v, current_a);
    let (factor, more_ohm) = of(0.0)?;
    // Volts lower for heat that was not read look like resistance.
    let cooler = of(-cell_u_k).map_or(1.0, |(factor, _)| factor);
    let warmer = of(cell_u_k).map_or(1.0, |(factor, _)| factor);
    let by_cells = (cooler - warmer).abs() / 2.0 / factor;
    let by_model = standard_from_limit(KNOWN_REL * (1.0 - factor).abs()) / factor;
    Some(TakenByResistance { factor, u_rel: by_cells.hypot(by_model), more_ohm })
}

fn at_cell(panel: &Panel, at: Condition, cell_c: f64, voltage_v: f64, current_a: f64) -> Option<(f64, f64)> {
    let here = panel.fit.at(at.poa_w_m2, cell_c);
    if giver(&here, voltage_v, current_a, 0.0).share_rel >= SOUND_REL {
        return None;
    }
    let most_ohm = ((here.points().voc_v - voltage_v) / current_a).max(0.0);
    let more_ohm = (1..RESISTANCES)
        .map(|nth| most_ohm * f64::from(nth) / f64::from(RESISTANCES))
        .map(|more_ohm| (more_ohm, giver(&here, voltage_v, current_a, more_ohm).share_rel))
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|(_, share_rel)| *share_rel >= SOUND_REL)?
        .0;
    let light_rel = giver(&here, voltage_v, current_a, more_ohm).light_rel;
    let stc = panel.fit.at(STC_POA_W_M2, STC_CELL_C);
    let weak =
        |curve: &Diode| Diode { i_l_a: curve.i_l_a * light_rel, r_s_ohm: curve.r_s_ohm + more_ohm, ..*curve }.points().pmax_w;
    let sound = |curve: &Diode| curve.points().pmax_w;
    let (weak_rel, sound_rel) = (weak(&here) / weak(&stc), sound(&here) / sound(&stc));
    (weak_rel > 0.0 && sound_rel > 0.0).then(|| (weak_rel / sound_rel, more_ohm))
}
