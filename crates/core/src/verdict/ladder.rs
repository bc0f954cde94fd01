//! The loss ladder: from the rated watts down (or up) to the measured ones, step by step.

use super::combine::{Combined, geometric_mean};
use super::condition::SunFrom;
use super::point::StcPoint;
use crate::units::lost_percent;

/// What a step is put down to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StepCause {
    /// The sun was weaker or stronger than 1000 W/m2.
    Irradiance,
    /// The plane caught more or less than the flat, where the sun was measured on the flat.
    Angle,
    /// The cells were warmer or cooler than 25 C.
    Temperature,
    /// More resistance in its joints than the label has takes another share here than at STC.
    SeriesResistance,
    /// The panel did not follow the light in proportion.
    LowLight,
    /// Part of the panels lay in shade.
    Shade,
    /// Joined panels held each other back.
    Wiring,
    /// The load held the panel away from its best: tied to a battery, or capped.
    Load,
    /// What is left between expected and measured.
    Unexplained,
}

impl StepCause {
    pub fn label(self) -> &'static str {
        match self {
            StepCause::Irradiance => "sun",
            StepCause::Angle => "angle",
            StepCause::Temperature => "temperature",
            StepCause::SeriesResistance => "series resistance",
            StepCause::LowLight => "low light",
            StepCause::Shade => "shade",
            StepCause::Wiring => "wiring",
            StepCause::Load => "load",
            StepCause::Unexplained => "unexplained",
        }
    }
}

/// One step.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Step {
    pub cause: StepCause,
    pub from_w: f64,
    pub to_w: f64,
    /// `to_w` over `from_w`.
    pub factor: f64,
}

impl Step {
    /// What the step took, in percent of what it started from. Negative for a gain.
    pub fn lost_percent(&self) -> f64 {
        lost_percent(self.from_w, self.to_w)
    }
}

/// The whole ladder. `rated_w` times the factors of all steps is `measured_w`.
#[derive(Debug, Clone, PartialEq)]
pub struct Ladder {
    pub rated_w: f64,
    pub steps: Vec<Step>,
    /// What the label promises under this sun and cell temperature, this shade, wiring and load.
    pub expected_w: f64,
    pub measured_w: f64,
    /// Expanded uncertainty of `measured_w` as a measure of the panel: meters, sun and cell temperature together.
    pub measured_u_w: f64,
    /// Its readings count for the rating; else it only shows where the watts of readings went that do not.
    pub counts: bool,
}

impl Ladder {
    /// Sun, angle, temperature and series resistance together: what a result at STC is corrected by.
    pub fn linear_factor(&self) -> f64 {
        let is_linear = |step: &&Step| {
            matches!(step.cause, StepCause::Irradiance | StepCause::Angle | StepCause::Temperature | StepCause::SeriesResistance)
        };
        self.steps.iter().filter(is_linear).map(|step| step.factor).product()
    }
}

/// The ladder of one or more readings, in geometric means, with what they come to together; `None` without any.
pub fn ladder(points: &[&StcPoint], combined: Option<&Combined>, counts: bool) -> Option<Ladder> {
    let rated_w = points.first()?.rated;
    let mean = |of: fn(&StcPoint) -> f64| geometric_mean(points.iter().map(|point| of(point)));
    let measured_w = mean(|point| point.measured);
    let mut factors = vec![(StepCause::Irradiance, mean(|point| point.irradiance_factor))];
    if points.iter().any(|point| matches!(point.sun_from, SunFrom::FlatMeter { .. })) {
        factors.push((StepCause::Angle, mean(|point| point.angle_factor)));
    }
    factors.push((StepCause::Temperature, mean(|point| point.temperature_factor)));
    let resistance = mean(|point| point.resistance_factor);
    factors.extend(((resistance - 1.0).abs() > 1e-12).then_some((StepCause::SeriesResistance, resistance)));
    factors.push((StepCause::LowLight, mean(|point| point.circuit.low_light)));
    let of_circuit = [
        (StepCause::Shade, mean(|point| point.circuit.shade)),
        (StepCause::Wiring, mean(|point| point.circuit.wiring)),
        (StepCause::Load, mean(|point| point.circuit.load)),
    ];
    // Most panels stand alone in the light: a step is there where something is.
    factors.extend(of_circuit.into_iter().filter(|(_, factor)| (factor - 1.0).abs() > 1e-4));
    let expected_w = rated_w * factors.iter().map(|(_, factor)| factor).product::<f64>();
    factors.push((StepCause::Unexplained, measured_w / expected_w));
    let mut from_w = rated_w;
    let mut step = |(cause, factor): (StepCause, f64)| {
        let step = Step { cause, from_w, to_w: from_w * factor, factor };
        from_w = step.to_w;
        step
    };
    let steps = factors.into_iter().map(&mut step).collect();
    let combined = combined?;
    let measured_u_w = measured_w * combined.u_percent / combined.percent;
    Some(Ladder { rated_w, steps, expected_w, measured_w, measured_u_w, counts })
}
