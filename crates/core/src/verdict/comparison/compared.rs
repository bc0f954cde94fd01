//! What is compared: a quantity that the runs have in common.

use crate::measure::quantity::{Figures, Quantity};
use crate::named::named;
use crate::record::setup::Setup;

/// What is compared, the first that the runs have in common.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compared {
    OutputWatts,
    Watts,
    Energy,
    Charge,
    Isc,
    Current,
    OutputCurrent,
    Voc,
    Voltage,
}

named!(Compared {
    OutputWatts = "output_power_w", "watts into the battery";
    Watts = "power_w", "watts";
    Energy = "energy_wh", "watt-hours";
    Charge = "charge_ah", "ampere-hours";
    Isc = "isc_a", "short-circuit current";
    Current = "current_a", "current";
    OutputCurrent = "output_current_a", "amps into the battery";
    Voc = "voc_v", "open-circuit voltage";
    Voltage = "voltage_v", "voltage";
});

impl Compared {
    /// The quantities behind it in a reading, and their meters.
    pub(super) fn displays(self, figures: &Figures) -> &'static [Quantity] {
        let has = |quantity| figures.get(quantity).is_some();
        match self {
            Compared::OutputWatts if has(Quantity::OutputVoltage) && has(Quantity::OutputCurrent) => {
                &[Quantity::OutputVoltage, Quantity::OutputCurrent]
            }
            Compared::OutputWatts => &[Quantity::OutputPower],
            Compared::Watts if has(Quantity::Voltage) && has(Quantity::Current) => &[Quantity::Voltage, Quantity::Current],
            Compared::Watts => &[Quantity::Power],
            Compared::Energy => &[Quantity::Energy],
            Compared::Charge => &[Quantity::Charge],
            Compared::Isc => &[Quantity::Isc],
            Compared::Current => &[Quantity::Current],
            Compared::OutputCurrent => &[Quantity::OutputCurrent],
            Compared::Voc => &[Quantity::Voc],
            Compared::Voltage => &[Quantity::Voltage],
        }
    }

    /// Whether it follows the light of the moment in proportion. Watt-hours follow that of their whole time.
    pub fn follows_light(self) -> bool {
        matches!(self, Compared::OutputWatts | Compared::Watts | Compared::Isc | Compared::Current | Compared::OutputCurrent)
    }

    /// The quantity that its values are of.
    pub fn quantity(self) -> Quantity {
        match self {
            Compared::OutputWatts => Quantity::OutputPower,
            Compared::Watts => Quantity::Power,
            Compared::Energy => Quantity::Energy,
            Compared::Charge => Quantity::Charge,
            Compared::Isc => Quantity::Isc,
            Compared::Current => Quantity::Current,
            Compared::OutputCurrent => Quantity::OutputCurrent,
            Compared::Voc => Quantity::Voc,
            Compared::Voltage => Quantity::Voltage,
        }
    }

    /// Whether it tells what became of the power: watts and watt-hours do, and so do amps at a battery, whose volts hardly move. Amps of
    /// a panel do not: a bypassed substring keeps them and loses volts.
    pub fn tells_power(self) -> bool {
        match self {
            Compared::OutputWatts | Compared::Watts | Compared::Energy | Compared::Charge | Compared::OutputCurrent => true,
            Compared::Isc | Compared::Current | Compared::Voc | Compared::Voltage => false,
        }
    }

    /// The unit of its values.
    pub fn unit(self) -> &'static str {
        match self {
            Compared::OutputWatts | Compared::Watts => "W",
            Compared::Energy => "Wh",
            Compared::Charge => "Ah",
            Compared::Isc | Compared::Current | Compared::OutputCurrent => "A",
            Compared::Voc | Compared::Voltage => "V",
        }
    }
}

/// What a reading has of it; 0 is a measurement.
pub fn value_of(what: Compared, figures: &Figures, setup: &Setup) -> Option<f64> {
    let of = |quantity: Quantity| figures.get(quantity).map(|seen| seen.value(setup.unsteady));
    match what {
        Compared::OutputWatts => figures.output_power_w(setup.unsteady),
        Compared::Watts => figures.loaded_power_w(setup.unsteady),
        Compared::Energy => of(Quantity::Energy),
        Compared::Charge => of(Quantity::Charge),
        Compared::Isc => of(Quantity::Isc),
        Compared::Current => of(Quantity::Current),
        Compared::OutputCurrent => of(Quantity::OutputCurrent),
        Compared::Voc => of(Quantity::Voc),
        Compared::Voltage => of(Quantity::Voltage),
    }
}
