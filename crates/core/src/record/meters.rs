//! Which meter read what in a test: results that one meter gave share its error, also across tests.

use super::names::Id;
use crate::measure::budget::Cause;
use crate::named::named;
use crate::rig::MeterPosition;

/// What of a reading a meter reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reads {
    Volts,
    Amps,
    Watts,
    Irradiance,
    Temperature,
}

named!(Reads {
    Volts = "volts", "voltage";
    Amps = "amps", "current";
    Watts = "watts", "power";
    Irradiance = "irradiance", "irradiance";
    Temperature = "temperature", "temperature";
});

impl Reads {
    /// What the instrument behind a cause reads; `None` for what is no instrument's gain.
    pub fn of(cause: Cause) -> Option<Self> {
        match cause {
            Cause::Voltmeter => Some(Reads::Volts),
            Cause::Ammeter => Some(Reads::Amps),
            Cause::Wattmeter => Some(Reads::Watts),
            Cause::SunMeter => Some(Reads::Irradiance),
            Cause::Thermometer => Some(Reads::Temperature),
            Cause::SunPlane
            | Cause::Transposition
            | Cause::Rear
            | Cause::SkyModel
            | Cause::CellPlace
            | Cause::Coefficient
            | Cause::Linearity
            | Cause::Tracking
            | Cause::Steps
            | Cause::Wander
            | Cause::Scatter => None,
        }
    }
}

/// A meter of a test.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MeterUse {
    pub reads: Reads,
    /// Where in the circuit; `None` where nobody said.
    pub place: Option<MeterPosition>,
    pub meter: Id,
    /// The day of its last calibration, as its record said when the test was made; empty where it did not. After another calibration a
    /// meter has another gain.
    pub calibrated: String,
}

impl MeterUse {
    /// The same meter of the same calibration, wherever it sits.
    pub fn has_gain_of(&self, other: &MeterUse) -> bool {
        (self.reads, &self.meter, &self.calibrated) == (other.reads, &other.meter, &other.calibrated)
    }
}
