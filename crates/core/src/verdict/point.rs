//! One figure of one reading, brought to STC and related to the label, with its uncertainty budget.

use super::arrangement::{Factors, OpenShort};
use super::condition::{CellFrom, KnownCondition, Rear, SunFrom};
use super::finding::Finding;
use super::reason::Reason;
use super::series_resistance::TakenByResistance;
use crate::constants::{FILL_FACTOR_MAX, STC_CELL_C, STC_POA_W_M2};
use crate::measure::budget::{Budget, Cause};
use crate::measure::correct::{Condition, isc_at_stc_a, pmax_at_stc_w, voc_at_stc_v, voc_irradiance_coefficient};
use crate::measure::instrument::{Accuracy, standard_from_limit, standard_from_step, too_coarse};
use crate::measure::quantity::{Figures, Quantity, Seen};
use crate::panel::nameplate::{Nameplate, RelativeCoefficient};
use crate::record::setup::Setup;

/// A module is called linear where power keeps to its irradiance within 2 % from 200 to 1000 W/m2 (IEC 60904-10, from
/// memory). Taken here as 2 % for each 800 W/m2 away from STC, either way.
const LINEARITY_LIMIT_REL: f64 = 0.02;

/// A tracker works within this share of the peak. Common practice, no source; EN 50530 finds 98 to 99.9 %.
const TRACKING_LIMIT_REL: f64 = 0.02;

/// How far the `a` of the voltage correction may be off, as a share of itself. Common practice, no source.
const VOC_IRRADIANCE_LIMIT_REL: f64 = 0.3;

/// Volts under this share of the open volts read beside them are under load. Common practice, no source: Vmp is about 0.8 of Voc.
pub const LOADED_VOLTS_REL: f64 = 0.95;

/// What of the label a point speaks of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum What {
    Pmax,
    Voc,
    Isc,
}

impl What {
    pub fn unit(self) -> &'static str {
        match self {
            What::Pmax => "W",
            What::Voc => "V",
            What::Isc => "A",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            What::Pmax => "Pmax",
            What::Voc => "Voc",
            What::Isc => "Isc",
        }
    }
}

/// A figure at STC.
#[derive(Debug, Clone, PartialEq)]
pub struct StcPoint {
    pub what: What,
    /// As measured, in the figure's unit.
    pub measured: f64,
    pub condition: Condition,
    pub sun_from: SunFrom,
    pub cell_from: CellFrom,
    pub rear: Option<Rear>,
    pub coefficient: RelativeCoefficient,
    /// The `a` of a Voc, by which it follows the light.
    pub by_light: Option<f64>,
    /// What the sun made of the label's figure; 1 at 1000 W/m2, measured in the plane or on the flat.
    pub irradiance_factor: f64,
    /// What the plane made of a sun measured on the flat; 1 where it was measured in the plane.
    pub angle_factor: f64,
    /// What cell temperature made of it; 1 at 25 C.
    pub temperature_factor: f64,
    /// What more series resistance than the label's took here beside what it takes at STC; 1 where the volts show none.
    pub resistance_factor: f64,
    /// What the solved circuit says was taken besides; it explains the watts, and corrects nothing.
    pub circuit: Factors,
    pub at_stc: f64,
    /// The label's figure.
    pub rated: f64,
    /// `at_stc` as percent of `rated`.
    pub percent: f64,
    pub budget: Budget,
}

impl StcPoint {
    /// The same watts of a whole arrangement: related to the sum of its labels, with what its circuit took.
    pub fn arranged(mut self, rated_w: f64, circuit: Factors) -> Self {
        self.percent *= self.rated / rated_w;
        self.rated = rated_w;
        self.circuit = circuit;
        self
    }

    /// The same watts of a panel whose volts show more series resistance than its label has.
    pub fn resisted(mut self, taken: TakenByResistance) -> Self {
        self.resistance_factor = taken.factor;
        self.at_stc /= taken.factor;
        self.percent /= taken.factor;
        self.budget.add(Cause::Coefficient, taken.u_rel);
        self
    }

    /// The expanded uncertainty (k = 2) of [`StcPoint::percent`].
    pub fn u_percent(&self) -> f64 {
        2.0 * self.budget.combined_rel() * self.percent
    }

    /// The expanded uncertainty (k = 2) of [`StcPoint::at_stc`].
    pub fn u_at_stc(&self) -> f64 {
        2.0 * self.budget.combined_rel() * self.at_stc
    }
}

/// The watts of a reading (see [`watts`]) at STC. The reasons are all that stand against it.
pub fn pmax(
    measured: f64,
    figures: &Figures,
    setup: &Setup,
    nameplate: &Nameplate,
    known: &KnownCondition,
) -> Result<StcPoint, Vec<Reason>> {
    let rated_w = nameplate.rated_w.ok_or_else(|| vec![Reason::NoLabel])?;
    let gamma = nameplate.gamma();
    let temperature_factor = known.at.temperature_factor(gamma.per_k);
    if temperature_factor < 0.2 {
        return Err(vec![Reason::Coefficient { per_k: gamma.per_k, cell_c: known.at.cell_c }]);
    }
    let mut budget = Budget::default();
    add_power_meter(&mut budget, figures, setup);
    add_condition(&mut budget, known, 1.0, &gamma, temperature_factor);
    let from_stc_rel = (known.at.poa_w_m2 - STC_POA_W_M2).abs() / 800.0;
    budget.add(Cause::Linearity, standard_from_limit(LINEARITY_LIMIT_REL * from_stc_rel));
    if setup.load.is_tracking_controller() {
        budget.add(Cause::Tracking, standard_from_limit(TRACKING_LIMIT_REL));
    }
    let at_stc = pmax_at_stc_w(measured, known.at, gamma.per_k);
    Ok(point(What::Pmax, measured, known, gamma, (known.at.irradiance_factor(), temperature_factor), at_stc, rated_w, budget))
}

/// The open-circuit voltage at STC, where reading and label have one.
pub fn voc(figures: &Figures, setup: &Setup, nameplate: &Nameplate, known: &KnownCondition) -> Option<StcPoint> {
    let (seen, rated) = (positive(figures, Quantity::Voc, setup)?, nameplate.voc_v?);
    let measured = seen.value(setup.unsteady);
    let beta = nameplate.beta();
    let a = voc_irradiance_coefficient(nameplate.cells_in_series, nameplate.voc_v);
    let temperature_factor = known.at.temperature_factor(beta.per_k);
    let factor = temperature_factor + a * known.at.irradiance_factor().ln();
    if factor < 0.2 {
        return None;
    }
    let mut budget = Budget::default();
    add_meter(&mut budget, Cause::Voltmeter, setup.instruments.volts, seen, setup);
    add_condition(&mut budget, known, a / factor, &beta, factor);
    budget.add(Cause::Linearity, standard_from_limit(VOC_IRRADIANCE_LIMIT_REL * a) * known.at.irradiance_factor().ln() / factor);
    let at_stc = voc_at_stc_v(measured, known.at, beta.per_k, a);
    let found = point(What::Voc, measured, known, beta, (factor / temperature_factor, temperature_factor), at_stc, rated, budget);
    Some(StcPoint { by_light: Some(a), ..found })
}

/// The short-circuit current at STC, where reading and label have one.
pub fn isc(figures: &Figures, setup: &Setup, nameplate: &Nameplate, known: &KnownCondition) -> Option<StcPoint> {
    let (seen, rated) = (positive(figures, Quantity::Isc, setup)?, nameplate.isc_a?);
    let measured = seen.value(setup.unsteady);
    let alpha = nameplate.alpha();
    let temperature_factor = known.at.temperature_factor(alpha.per_k);
    if temperature_factor < 0.2 {
        return None;
    }
    let mut budget = Budget::default();
    add_meter(&mut budget, Cause::Ammeter, setup.instruments.amps, seen, setup);
    add_condition(&mut budget, known, 1.0, &alpha, temperature_factor);
    let at_stc = isc_at_stc_a(measured, known.at, alpha.per_k);
    Some(point(What::Isc, measured, known, alpha, (known.at.irradiance_factor(), temperature_factor), at_stc, rated, budget))
}

#[expect(clippy::too_many_arguments, reason = "the three figures meet here, and each argument is one field")]
fn point(
    what: What,
    measured: f64,
    known: &KnownCondition,
    coefficient: RelativeCoefficient,
    (irradiance_factor, temperature_factor): (f64, f64),
    at_stc: f64,
    rated: f64,
    budget: Budget,
) -> StcPoint {
    // A sun measured on the flat and the angle of the plane together are the sun in the plane.
    let flat_share = match known.sun_from {
        SunFrom::FlatMeter { ghi_w_m2 } if what != What::Voc => ghi_w_m2 / known.at.poa_w_m2,
        SunFrom::FlatMeter { .. } | SunFrom::PlaneMeter | SunFrom::Reference { .. } | SunFrom::ClearSky { .. } => 1.0,
    };
    StcPoint {
        what,
        measured,
        condition: known.at,
        sun_from: known.sun_from,
        cell_from: known.cell_from,
        rear: known.rear,
        coefficient,
        by_light: None,
        irradiance_factor: irradiance_factor * flat_share,
        angle_factor: 1.0 / flat_share,
        temperature_factor,
        resistance_factor: 1.0,
        circuit: Factors::default(),
        at_stc,
        rated,
        percent: at_stc / rated * 100.0,
        budget,
    }
}

fn positive<'a>(figures: &'a Figures, quantity: Quantity, setup: &Setup) -> Option<&'a Seen> {
    figures.get(quantity).filter(|seen| seen.value(setup.unsteady) > 0.0)
}

/// The watts of a reading, or why they are none.
pub fn watts(figures: &Figures, setup: &Setup, ends: Option<OpenShort>) -> Result<f64, Reason> {
    let unsteady = setup.unsteady;
    let watts_w = figures.loaded_power_w(unsteady).ok_or(Reason::NoWatts)?;
    if watts_w <= 0.0 {
        return Err(Reason::ZeroWatts);
    }
    let value = |quantity| figures.get(quantity).map(|seen: &Seen| seen.value(unsteady));
    if let (Some(voltage_v), Some(current_a)) = (value(Quantity::Voltage), value(Quantity::Current)) {
        // Open volts that were read beside the load show best that these are not they.
        let is_under_load = value(Quantity::Voc).is_some_and(|voc_v| voltage_v < LOADED_VOLTS_REL * voc_v);
        let is_product = |ends| is_open_times_short(voltage_v, current_a, value(Quantity::Poa), ends);
        if !is_under_load && ends.is_some_and(is_product) {
            return Err(open_times_short(voltage_v, current_a));
        }
        for quantity in [Quantity::Voltage, Quantity::Current] {
            coarse(figures, quantity, setup)?;
        }
    } else {
        coarse(figures, Quantity::Power, setup)?;
    }
    Ok(watts_w)
}

fn open_times_short(voltage_v: f64, current_a: f64) -> Reason {
    Reason::Found(Finding::OpenTimesShort {
        voltage_v: Some(voltage_v),
        current_a: Some(current_a),
        watts_w: voltage_v * current_a,
    })
}

fn coarse(figures: &Figures, quantity: Quantity, setup: &Setup) -> Result<(), Reason> {
    match figures.get(quantity) {
        Some(seen) if too_coarse(seen.value(setup.unsteady), seen.step) => {
            Err(Reason::Found(Finding::TooCoarse { quantity, value: seen.value(setup.unsteady), step: seen.step }))
        }
        _ => Ok(()),
    }
}

/// Whether volts and amps cannot have been there at once: together they would be a fill factor that no cell reaches, at
/// volts no load would leave. Irradiance lifts the amps it allows; without it, a bright 1100 W/m2 is granted.
fn is_open_times_short(voltage_v: f64, current_a: f64, poa_w_m2: Option<f64>, OpenShort { voc_v, isc_a }: OpenShort) -> bool {
    let short_a = isc_a * poa_w_m2.unwrap_or(1100.0) / STC_POA_W_M2;
    voltage_v > 0.92 * voc_v && voltage_v * current_a > FILL_FACTOR_MAX * voc_v * short_a
}

fn add_power_meter(budget: &mut Budget, figures: &Figures, setup: &Setup) {
    let gear = &setup.instruments;
    match (figures.get(Quantity::Voltage), figures.get(Quantity::Current)) {
        (Some(volts), Some(amps)) => {
            add_meter(budget, Cause::Voltmeter, gear.volts, volts, setup);
            add_meter(budget, Cause::Ammeter, gear.amps, amps, setup);
        }
        _ => {
            if let Some(watts) = figures.get(Quantity::Power) {
                add_meter(budget, Cause::Wattmeter, gear.watts, watts, setup);
            }
        }
    }
}

fn add_meter(budget: &mut Budget, cause: Cause, accuracy: Accuracy, seen: &Seen, setup: &Setup) {
    let value = seen.value(setup.unsteady);
    budget.add(cause, standard_from_limit(accuracy.limit(value, seen.step)) / value);
    budget.add(Cause::Steps, standard_from_step(seen.step) / value);
    budget.add(Cause::Wander, standard_from_limit(seen.half_width(setup.unsteady)) / value);
}

/// Sun and cell_temperature. `poa_sensitivity` is the relative change of the result for a relative change of the sun; `factor` is
/// what the figure was divided by to remove the cell temperature.
fn add_condition(
    budget: &mut Budget,
    known: &KnownCondition,
    poa_sensitivity: f64,
    coefficient: &RelativeCoefficient,
    factor: f64,
) {
    let sun = &known.poa_u_rel;
    for (cause, u_rel) in [
        (Cause::SunMeter, sun.meter),
        (Cause::SunPlane, sun.plane),
        (Cause::Transposition, sun.transposition),
        (Cause::Rear, sun.rear),
        (Cause::SkyModel, sun.model),
        (Cause::Steps, sun.step),
        (Cause::Wander, sun.wander),
    ] {
        budget.add(cause, u_rel * poa_sensitivity);
    }
    let rel_per_k = coefficient.per_k / factor;
    budget.add(Cause::Thermometer, known.thermometer_u_k * rel_per_k);
    budget.add(Cause::CellPlace, known.cell_place_u_k * rel_per_k);
    budget.add(Cause::Steps, known.cell_step_u_k * rel_per_k);
    budget.add(Cause::Wander, known.cell_wander_u_k * rel_per_k);
    budget.add(Cause::Coefficient, standard_from_limit(coefficient.limit_per_k) * (known.at.cell_c - STC_CELL_C) / factor);
}
