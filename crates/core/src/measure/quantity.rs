//! The quantities of a reading, and each as it was seen: one value or a range, in steps of the instrument.

use crate::named::named;
use std::ops::RangeInclusive;

/// What an instrument can show at one moment. The order is the order in which a reading is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Quantity {
    /// Volts of the panel while it works into a load; the input of a controller.
    Voltage,
    /// Amps of the panel while it works into a load; the input of a controller.
    Current,
    /// Watts shown by the instrument itself.
    Power,
    /// Volts at the output of a controller, on the battery's side.
    OutputVoltage,
    OutputCurrent,
    OutputPower,
    Voc,
    Isc,
    /// Watt-hours over the time of the run, from a counter or a log.
    Energy,
    /// Ampere-hours over the time of the run.
    Charge,
    /// Watts that the meter of a level shows while all meters of the test are on one source.
    CheckPower,
    /// Watt-hours that it counts meanwhile.
    CheckEnergy,
    /// Irradiance in the plane of array.
    Poa,
    /// Global horizontal irradiance.
    Ghi,
    /// Irradiance on the rear of a bifacial panel.
    Rear,
    /// Short-circuit current of a reference panel or cell beside the panel under test.
    ReferenceCurrent,
    /// Maximum power of a reference panel beside the panel under test.
    ReferencePower,
    /// Cell temperature of the reference.
    ReferenceCell,
    Cell,
    /// Temperature of the back of the module.
    Back,
    Air,
    /// Relative humidity of the air.
    Humidity,
    /// Wind speed at the height of the panel.
    Wind,
}

named!(Quantity {
    Voltage = "voltage_v", "voltage";
    Current = "current_a", "current";
    Power = "power_w", "power";
    OutputVoltage = "output_voltage_v", "output voltage";
    OutputCurrent = "output_current_a", "output current";
    OutputPower = "output_power_w", "output power";
    Voc = "voc_v", "Voc";
    Isc = "isc_a", "Isc";
    Energy = "energy_wh", "energy";
    Charge = "charge_ah", "charge";
    CheckPower = "check_power_w", "power on one source";
    CheckEnergy = "check_energy_wh", "energy on one source";
    Poa = "poa_w_m2", "irradiance";
    Ghi = "ghi_w_m2", "irradiance on the flat";
    Rear = "rear_w_m2", "rear irradiance";
    ReferenceCurrent = "reference_isc_a", "Isc of the reference";
    ReferencePower = "reference_power_w", "power of the reference";
    ReferenceCell = "reference_cell_c", "cell temperature of the reference";
    Cell = "cell_c", "cell temperature";
    Back = "back_c", "back temperature";
    Air = "air_c", "air temperature";
    Humidity = "humidity_percent", "relative humidity";
    Wind = "wind_m_s", "wind speed";
});

/// What a quantity is made of: quantities of one dimension share their unit and its spellings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dimension {
    Voltage,
    Current,
    Power,
    Energy,
    Charge,
    Irradiance,
    Temperature,
    /// A share, in percent.
    Share,
    Speed,
}

impl Dimension {
    /// The unit in which the quantities of this dimension are kept.
    pub fn unit(self) -> &'static str {
        match self {
            Dimension::Voltage => "V",
            Dimension::Current => "A",
            Dimension::Power => "W",
            Dimension::Energy => "Wh",
            Dimension::Charge => "Ah",
            Dimension::Irradiance => "W/m2",
            Dimension::Temperature => "C",
            Dimension::Share => "%",
            Dimension::Speed => "m/s",
        }
    }

    /// Whether it is a quantity of a circuit: its values have ratios, and reversed leads turn its sign.
    pub fn is_electric(self) -> bool {
        matches!(self, Dimension::Voltage | Dimension::Current | Dimension::Power)
    }
}

impl Quantity {
    /// Of the panel or its load, whereas light and temperatures are read beside it.
    pub fn is_of_the_panel(self) -> bool {
        match self {
            Quantity::Voltage
            | Quantity::Current
            | Quantity::Power
            | Quantity::OutputVoltage
            | Quantity::OutputCurrent
            | Quantity::OutputPower
            | Quantity::Voc
            | Quantity::Isc
            | Quantity::Energy
            | Quantity::Charge => true,
            Quantity::CheckPower
            | Quantity::CheckEnergy
            | Quantity::Poa
            | Quantity::Ghi
            | Quantity::Rear
            | Quantity::ReferenceCurrent
            | Quantity::ReferencePower
            | Quantity::ReferenceCell
            | Quantity::Cell
            | Quantity::Back
            | Quantity::Air
            | Quantity::Humidity
            | Quantity::Wind => false,
        }
    }

    pub fn dimension(self) -> Dimension {
        match self {
            Quantity::Voltage | Quantity::OutputVoltage | Quantity::Voc => Dimension::Voltage,
            Quantity::Current | Quantity::OutputCurrent | Quantity::Isc | Quantity::ReferenceCurrent => Dimension::Current,
            Quantity::Power | Quantity::OutputPower | Quantity::ReferencePower | Quantity::CheckPower => Dimension::Power,
            Quantity::Energy | Quantity::CheckEnergy => Dimension::Energy,
            Quantity::Charge => Dimension::Charge,
            Quantity::Poa | Quantity::Ghi | Quantity::Rear => Dimension::Irradiance,
            Quantity::Cell | Quantity::Back | Quantity::Air | Quantity::ReferenceCell => Dimension::Temperature,
            Quantity::Humidity => Dimension::Share,
            Quantity::Wind => Dimension::Speed,
        }
    }

    pub fn unit(self) -> &'static str {
        self.dimension().unit()
    }

    /// The values that can be read off a panel anywhere on Earth; outside is a slip of the finger or of the unit.
    pub fn allowed(self) -> RangeInclusive<f64> {
        match self {
            Quantity::Voltage | Quantity::OutputVoltage | Quantity::Voc => 0.0..=1500.0,
            Quantity::Current | Quantity::OutputCurrent | Quantity::Isc | Quantity::ReferenceCurrent => 0.0..=200.0,
            Quantity::Power | Quantity::OutputPower | Quantity::ReferencePower | Quantity::CheckPower => 0.0..=20_000.0,
            Quantity::Energy | Quantity::CheckEnergy => 0.0..=200_000.0,
            Quantity::Charge => 0.0..=20_000.0,
            Quantity::Poa | Quantity::Ghi | Quantity::Rear => 0.0..=1600.0,
            Quantity::Cell | Quantity::Back | Quantity::ReferenceCell => -40.0..=120.0,
            Quantity::Air => -50.0..=60.0,
            Quantity::Humidity => 0.0..=100.0,
            Quantity::Wind => 0.0..=60.0,
        }
    }

    /// The word before a figure that says what it is, whatever a bare unit means in the test; empty where the unit says it.
    pub fn entry_name(self) -> &'static str {
        match self {
            Quantity::Voltage => "Vmp",
            Quantity::Current => "Imp",
            Quantity::OutputVoltage | Quantity::OutputCurrent | Quantity::OutputPower => "out",
            Quantity::Voc => "Voc",
            Quantity::Isc => "Isc",
            Quantity::CheckPower | Quantity::CheckEnergy => "check",
            Quantity::Poa => "sun",
            Quantity::Ghi => "ghi",
            Quantity::Rear => "rear",
            Quantity::ReferenceCurrent | Quantity::ReferencePower | Quantity::ReferenceCell => "ref",
            Quantity::Cell => "cell",
            Quantity::Back => "back",
            Quantity::Air => "air",
            Quantity::Humidity => "humidity",
            Quantity::Wind => "wind",
            Quantity::Power | Quantity::Energy | Quantity::Charge => "",
        }
    }

    /// A figure as it can be typed, for the help.
    pub fn example(self) -> &'static str {
        match self {
            Quantity::Voltage => "18.4 V",
            Quantity::Current => "5.6 A",
            Quantity::Power => "155 W, 153-156 W or 155 154 156 W",
            Quantity::OutputVoltage => "out 13.6 V",
            Quantity::OutputCurrent => "out 7.4 A",
            Quantity::OutputPower => "out 98 W",
            Quantity::Voc => "Voc 22.1",
            Quantity::Isc => "Isc 5.9",
            Quantity::Energy => "412 Wh",
            Quantity::Charge => "31.5 Ah",
            Quantity::CheckPower => "check 104.2 W",
            Quantity::CheckEnergy => "check 51.7 Wh",
            Quantity::Poa => "880 W/m2",
            Quantity::Ghi => "ghi 700 W/m2",
            Quantity::Rear => "rear 90 W/m2",
            Quantity::ReferenceCurrent => "ref 5.2 A",
            Quantity::ReferencePower => "ref 88 W",
            Quantity::ReferenceCell => "ref 48 C",
            Quantity::Cell => "cell 52 C",
            Quantity::Back => "back 49 C",
            Quantity::Air => "air 75 F",
            Quantity::Humidity => "humidity 45 %",
            Quantity::Wind => "wind 2.5 m/s",
        }
    }
}

/// How a value was taken from an instrument that does not stand still.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ValueKind {
    /// One value; nothing was said about it.
    #[default]
    Shown,
    /// The display wandered between two values.
    Range,
    /// The highest value seen.
    Peak,
    /// The value it came to rest at.
    Settled,
}

named!(ValueKind {
    Shown = "shown", "as shown";
    Range = "range", "range";
    Peak = "peak", "peak";
    Settled = "settled", "settled";
});

/// Which value of a wobbling display a test counts, the same for all its readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum UnsteadyPolicy {
    /// The middle of the range: what the panel gave on the whole. The default, because it favours nobody.
    #[default]
    Middle,
    /// The top of the range.
    Peak,
    /// The value it settled at.
    Settled,
}

named!(UnsteadyPolicy {
    Middle = "middle", "the middle of the range";
    Peak = "peak", "the peak";
    Settled = "settled", "the settled value";
});

impl UnsteadyPolicy {
    /// Whether a value taken this way can stand in a test that counts this value of the unsteady display.
    pub fn fits(self, how: ValueKind) -> bool {
        match (self, how) {
            (_, ValueKind::Shown) => true,
            (UnsteadyPolicy::Middle, ValueKind::Range | ValueKind::Settled) => true,
            (UnsteadyPolicy::Peak, ValueKind::Peak | ValueKind::Range) => true,
            (UnsteadyPolicy::Settled, ValueKind::Settled) => true,
            (UnsteadyPolicy::Middle, ValueKind::Peak)
            | (UnsteadyPolicy::Peak, ValueKind::Settled)
            | (UnsteadyPolicy::Settled, ValueKind::Range | ValueKind::Peak) => false,
        }
    }
}

/// One quantity as an instrument showed it, in the quantity's unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    pub low: f64,
    /// Equal to `low` unless it was a range.
    pub high: f64,
    /// The step of the last digit of the display; 0 where it is not known.
    pub step: f64,
    pub how: ValueKind,
}

impl Seen {
    /// One value, read in steps of `step`.
    pub fn at(value: f64, step: f64) -> Self {
        Seen { low: value, high: value, step, how: ValueKind::Shown }
    }

    /// The value that counts.
    pub fn value(&self, unsteady: UnsteadyPolicy) -> f64 {
        match unsteady {
            UnsteadyPolicy::Peak => self.high,
            UnsteadyPolicy::Middle | UnsteadyPolicy::Settled => (self.low + self.high) / 2.0,
        }
    }

    /// Half the width of the range around the value that counts.
    pub fn half_width(&self, unsteady: UnsteadyPolicy) -> f64 {
        match unsteady {
            UnsteadyPolicy::Peak => 0.0,
            UnsteadyPolicy::Middle | UnsteadyPolicy::Settled => (self.high - self.low) / 2.0,
        }
    }
}

/// All quantities of one reading, in their order. They are few: a list is looked through sooner than a tree.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Figures(Vec<(Quantity, Seen)>);

impl Figures {
    pub fn get(&self, quantity: Quantity) -> Option<&Seen> {
        self.0.iter().find(|(of, _)| *of == quantity).map(|(_, seen)| seen)
    }

    /// The one value that a quantity counts with.
    pub fn value(&self, quantity: Quantity, unsteady: UnsteadyPolicy) -> Option<f64> {
        self.get(quantity).map(|seen| seen.value(unsteady))
    }

    /// What a meter shows on one source with the others of its test.
    pub fn is_meter_check(&self) -> bool {
        self.get(Quantity::CheckPower).is_some() || self.get(Quantity::CheckEnergy).is_some()
    }

    pub fn set(&mut self, quantity: Quantity, seen: Seen) {
        match self.0.binary_search_by_key(&quantity, |(of, _)| *of) {
            Ok(at) => self.0[at].1 = seen,
            Err(at) => self.0.insert(at, (quantity, seen)),
        }
    }

    pub fn iter(&self) -> impl Iterator<Item = (Quantity, &Seen)> {
        self.0.iter().map(|(quantity, seen)| (*quantity, seen))
    }

    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Watts into the load: voltage times current, or else the watts the instrument showed.
    ///
    /// Voc and Isc never enter: no panel gives both at once, so their product is no power.
    pub fn loaded_power_w(&self, unsteady: UnsteadyPolicy) -> Option<f64> {
        let value = |quantity| self.get(quantity).map(|seen| seen.value(unsteady));
        match (value(Quantity::Voltage), value(Quantity::Current)) {
            (Some(voltage_v), Some(current_a)) => Some(voltage_v * current_a),
            _ => value(Quantity::Power),
        }
    }

    /// Watts out of a controller: output volts times output amps, or else the output watts shown.
    pub fn output_power_w(&self, unsteady: UnsteadyPolicy) -> Option<f64> {
        let value = |quantity| self.get(quantity).map(|seen| seen.value(unsteady));
        match (value(Quantity::OutputVoltage), value(Quantity::OutputCurrent)) {
            (Some(voltage_v), Some(current_a)) => Some(voltage_v * current_a),
            _ => value(Quantity::OutputPower),
        }
    }
}

impl FromIterator<(Quantity, Seen)> for Figures {
    fn from_iter<I: IntoIterator<Item = (Quantity, Seen)>>(figures: I) -> Self {
        let mut of_reading = Figures::default();
        figures.into_iter().for_each(|(quantity, seen)| of_reading.set(quantity, seen));
        of_reading
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_range_gives_the_value_the_test_counts() {
        let seen = Seen { low: 79.0, high: 81.0, step: 1.0, how: ValueKind::Range };
        assert_eq!((seen.value(UnsteadyPolicy::Middle), seen.half_width(UnsteadyPolicy::Middle)), (80.0, 1.0));
        assert_eq!((seen.value(UnsteadyPolicy::Peak), seen.half_width(UnsteadyPolicy::Peak)), (81.0, 0.0));
    }

    /// Common practice, no source: 22.57 V x 8.78 A is 198 W from a 250 W panel with Voc 31.71 V and Isc 9.0 A; the
    /// product of the last two, 285 W, is no power.
    #[test]
    fn voc_times_isc_is_never_a_power() {
        let open_and_short = Figures::from_iter([(Quantity::Voc, Seen::at(31.71, 0.01)), (Quantity::Isc, Seen::at(9.0, 0.1))]);
        assert_eq!(open_and_short.loaded_power_w(UnsteadyPolicy::Middle), None);
        let mut all = open_and_short;
        all.set(Quantity::Voltage, Seen::at(22.57, 0.01));
        all.set(Quantity::Current, Seen::at(8.78, 0.01));
        assert_eq!(all.loaded_power_w(UnsteadyPolicy::Middle).map(f64::round), Some(198.0));
    }
}
