//! The first-order uncertainty budget (JCGM 100:2008, 5.1.2) of a product of factors, in relative terms.

/// Where a part of the uncertainty comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Cause {
    Voltmeter,
    Ammeter,
    Wattmeter,
    SunMeter,
    /// The irradiance meter not quite in the panel's plane.
    SunPlane,
    /// Light on the flat brought onto the plane.
    Transposition,
    Rear,
    /// The model of a clear sky in place of a meter.
    SkyModel,
    Thermometer,
    /// The thermometer is not in the cell.
    CellPlace,
    /// The temperature coefficient itself.
    Coefficient,
    /// Power is not quite proportional to the sun.
    Linearity,
    /// A tracker does not sit on the very top of the curve.
    Tracking,
    /// The steps of the displays.
    Steps,
    /// The displays wandered.
    Wander,
    /// How far the readings are apart.
    Scatter,
}

impl Cause {
    pub fn label(self) -> &'static str {
        match self {
            Cause::Voltmeter => "voltage accuracy",
            Cause::Ammeter => "current accuracy",
            Cause::Wattmeter => "power accuracy",
            Cause::SunMeter => "irradiance accuracy",
            Cause::SunPlane => "irradiance meter alignment",
            Cause::Transposition => "GHI to POA",
            Cause::Rear => "light on the rear",
            Cause::SkyModel => "clear-sky model",
            Cause::Thermometer => "thermometer accuracy",
            Cause::CellPlace => "back to cell temperature",
            Cause::Coefficient => "temperature coefficient",
            Cause::Linearity => "linearity with irradiance",
            Cause::Tracking => "MPPT error",
            Cause::Steps => "display resolution",
            Cause::Wander => "unsteady displays",
            Cause::Scatter => "scatter",
        }
    }

    /// Whether all readings of a test share the same error of this cause, so that more readings do not lessen it.
    pub fn is_shared(self) -> bool {
        !matches!(self, Cause::Steps | Cause::Wander | Cause::Scatter)
    }
}

/// One line of a budget: the standard uncertainty it brings to the result, as a share of the result.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Part {
    pub cause: Cause,
    pub u_rel: f64,
}

/// All lines. Independent of each other, so they add in squares.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Budget(pub Vec<Part>);

impl Budget {
    /// Adds a line, or adds in squares to the line of the same cause.
    pub fn add(&mut self, cause: Cause, u_rel: f64) {
        let u_rel = u_rel.abs();
        match self.0.iter_mut().find(|part| part.cause == cause) {
            Some(part) => part.u_rel = part.u_rel.hypot(u_rel),
            None if u_rel > 0.0 => self.0.push(Part { cause, u_rel }),
            None => {}
        }
    }

    /// The combined standard uncertainty, as a share of the result.
    pub fn combined_rel(&self) -> f64 {
        self.of(|_| true)
    }

    /// The combined standard uncertainty of the causes that all readings share.
    pub fn shared_rel(&self) -> f64 {
        self.of(Cause::is_shared)
    }

    /// The combined standard uncertainty of the causes that each reading has for itself.
    pub fn own_rel(&self) -> f64 {
        self.of(|cause| !cause.is_shared())
    }

    fn of(&self, which: impl Fn(Cause) -> bool) -> f64 {
        self.0.iter().filter(|part| which(part.cause)).map(|part| part.u_rel * part.u_rel).sum::<f64>().sqrt()
    }

    /// The lines, the heaviest first.
    pub fn heaviest_first(&self) -> Vec<Part> {
        let mut parts = self.0.clone();
        parts.sort_by(|a, b| b.u_rel.total_cmp(&a.u_rel));
        parts
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_add_in_squares() {
        let mut budget = Budget::default();
        budget.add(Cause::SunMeter, 0.03);
        budget.add(Cause::Steps, -0.04);
        assert!((budget.combined_rel() - 0.05).abs() < 1e-15);
        assert_eq!((budget.shared_rel(), budget.own_rel()), (0.03, 0.04));
        budget.add(Cause::Steps, 0.03);
        assert!((budget.own_rel() - 0.05).abs() < 1e-15);
        budget.add(Cause::Wander, 0.0);
        assert_eq!(budget.heaviest_first().iter().map(|part| part.cause).collect::<Vec<_>>(), [Cause::Steps, Cause::SunMeter]);
    }
}
