//! The loss ladder: from the rated watts down (or up) to the measured ones, step by step.

use super::combine::geometric_mean;
use super::condition::SunFrom;
use super::point::Point;
use crate::units::lost_percent;

/// What a step is put down to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StepCause {
    /// The sun was weaker or stronger than 1000 W/m2.
    Sun,
    /// The plane caught more or less than the flat, where the sun was measured on the flat.
    Angle,
    /// The cells were warmer or cooler than 25 C.
    Temperature,
    /// What is left between expected and measured.
    Unexplained,
}

impl StepCause {
    pub fn label(self) -> &'static str {
        match self {
            StepCause::Sun => "sun",
            StepCause::Angle => "angle",
            StepCause::Temperature => "temperature",
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
    /// What the label promises under this sun and warmth.
    pub expected_w: f64,
    pub measured_w: f64,
}

impl Ladder {
    /// The factor of one cause; 1 where the ladder has no such step.
    pub fn factor(&self, cause: StepCause) -> f64 {
        self.steps.iter().find(|step| step.cause == cause).map_or(1.0, |step| step.factor)
    }
}

/// The ladder of one or more readings, in geometric means; `None` without any.
pub fn ladder(points: &[&Point]) -> Option<Ladder> {
    let rated_w = points.first()?.rated;
    let mean = |of: fn(&Point) -> f64| geometric_mean(points.iter().map(|point| of(point)));
    let measured_w = mean(|point| point.measured);
    let (sun, angle, temperature) =
        (mean(|point| point.sun_factor), mean(|point| point.angle_factor), mean(|point| point.warmth_factor));
    let expected_w = rated_w * sun * angle * temperature;
    let mut from_w = rated_w;
    let mut step = |cause, factor: f64| {
        let to_w = from_w * factor;
        let step = Step { cause, from_w, to_w, factor };
        from_w = to_w;
        step
    };
    let mut steps = vec![step(StepCause::Sun, sun)];
    if points.iter().any(|point| matches!(point.sun_from, SunFrom::FlatMeter { .. })) {
        steps.push(step(StepCause::Angle, angle));
    }
    steps.push(step(StepCause::Temperature, temperature));
    steps.push(step(StepCause::Unexplained, measured_w / expected_w));
    Some(Ladder { rated_w, steps, expected_w, measured_w })
}
