//! How well an instrument sees.

/// The accuracy of a digital meter as its sheet states it: percent of the reading plus a number of last digits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Accuracy {
    /// 0 to 50.
    pub percent: f64,
    /// Counts of the last digit, 0 to 50.
    pub digits: f64,
}

impl Accuracy {
    /// Half the width within which the true value lies, for a value read in steps of `step`, in the value's unit.
    pub fn limit(&self, value: f64, step: f64) -> f64 {
        value.abs() * self.percent / 100.0 + self.digits * step
    }
}

/// What a test is measured with. The defaults are those of ordinary hand-held instruments; common practice, no source.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Instruments {
    pub volts: Accuracy,
    pub amps: Accuracy,
    /// Of an instrument that shows watts.
    pub watts: Accuracy,
    /// Of the irradiance meter, percent of the reading; 0.1 to 50.
    pub sun_percent: f64,
    /// Of the thermometer, K; 0.1 to 20.
    pub thermometer_k: f64,
}

impl Default for Instruments {
    fn default() -> Self {
        Instruments {
            volts: Accuracy { percent: 0.5, digits: 1.0 },
            amps: Accuracy { percent: 1.5, digits: 1.0 },
            watts: Accuracy { percent: 2.0, digits: 1.0 },
            sun_percent: 5.0,
            thermometer_k: 2.0,
        }
    }
}

/// A display whose one step is more than this share of the value cannot carry a rating: the step alone would be an
/// expanded uncertainty of 3 %. Flindo's own limit.
pub const COARSE_STEP_REL: f64 = 0.05;

/// Whether one step of the display is too much of the value. A step of 0 is an unknown one and passes.
pub fn too_coarse(value: f64, step: f64) -> bool {
    step > COARSE_STEP_REL * value.abs()
}

/// Standard uncertainty of a quantity known only to lie within `limit` either way (JCGM 100:2008, 4.3.7).
pub fn standard_from_limit(limit: f64) -> f64 {
    limit / 3_f64.sqrt()
}

/// Standard uncertainty from the step of a display (JCGM 100:2008, F.2.2.1).
pub fn standard_from_step(step: f64) -> f64 {
    step / 12_f64.sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_meter_that_shows_0_4_or_0_5_amps_is_too_coarse() {
        assert!(too_coarse(0.4, 0.1));
        assert!(!too_coarse(5.6, 0.1));
        assert!(!too_coarse(0.40, 0.01));
    }

    /// JCGM 100:2008, 4.3.7 example 1 (from memory): limits of 0.4e-6 1/C give a standard uncertainty of 0.23e-6 1/C;
    /// F.2.2.1: a step dx gives 0.29 dx.
    #[test]
    fn limits_and_steps_become_standard_uncertainties() {
        assert!((standard_from_limit(0.4) - 0.23).abs() < 0.001);
        assert!((standard_from_step(1.0) - 0.29).abs() < 0.002);
    }
}
