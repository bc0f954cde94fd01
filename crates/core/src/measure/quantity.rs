//! The quantities of a reading, and each as it was seen: one value or a range, in steps of the instrument.

use crate::named::named;
use std::collections::BTreeMap;

/// What an instrument can show at one moment. The order is the order in which a reading is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Quantity {
    /// Volts of the panel while it works into a load.
    Voltage,
    /// Amps of the panel while it works into a load.
    Current,
    /// Watts shown by the instrument itself.
    Power,
    Voc,
    Isc,
    /// Watt-hours over the time of the run, from a counter or a log.
    Energy,
    /// Irradiance in the plane of array.
    Poa,
    /// Irradiance on the flat.
    Ghi,
    Cell,
    /// Temperature of the back of the module.
    Back,
    Air,
}

named!(Quantity {
    Voltage = "voltage_v", "voltage";
    Current = "current_a", "current";
    Power = "power_w", "power";
    Voc = "voc_v", "Voc";
    Isc = "isc_a", "Isc";
    Energy = "energy_wh", "energy";
    Poa = "poa_w_m2", "irradiance";
    Ghi = "ghi_w_m2", "irradiance on the flat";
    Cell = "cell_c", "cell temperature";
    Back = "back_c", "back temperature";
    Air = "air_c", "air temperature";
});

impl Quantity {
    pub fn unit(self) -> &'static str {
        match self {
            Quantity::Voltage | Quantity::Voc => "V",
            Quantity::Current | Quantity::Isc => "A",
            Quantity::Power => "W",
            Quantity::Energy => "Wh",
            Quantity::Poa | Quantity::Ghi => "W/m2",
            Quantity::Cell | Quantity::Back | Quantity::Air => "C",
        }
    }

    /// The values that can be read off a panel anywhere on Earth; outside is a slip of the finger or of the unit.
    pub fn allowed(self) -> (f64, f64) {
        match self {
            Quantity::Voltage | Quantity::Voc => (0.0, 1500.0),
            Quantity::Current | Quantity::Isc => (0.0, 200.0),
            Quantity::Power => (0.0, 20_000.0),
            Quantity::Energy => (0.0, 200_000.0),
            Quantity::Poa | Quantity::Ghi => (0.0, 1600.0),
            Quantity::Cell | Quantity::Back => (-40.0, 120.0),
            Quantity::Air => (-50.0, 60.0),
        }
    }
}

/// How a value was taken from an instrument that does not stand still.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum How {
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

named!(How {
    Shown = "shown", "as shown";
    Range = "range", "range";
    Peak = "peak", "peak";
    Settled = "settled", "settled";
});

/// Which value of a wobbling display a test counts, the same for all its readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Wobble {
    /// The middle of the range: what the panel gave on the whole. The default, because it favours nobody.
    #[default]
    Middle,
    /// The top of the range.
    Peak,
    /// The value it settled at.
    Settled,
}

named!(Wobble {
    Middle = "middle", "the middle of the range";
    Peak = "peak", "the peak";
    Settled = "settled", "the settled value";
});

impl Wobble {
    /// Whether a value taken this way can stand in a test that counts this value of the wobble.
    pub fn fits(self, how: How) -> bool {
        match (self, how) {
            (_, How::Shown) => true,
            (Wobble::Middle, How::Range | How::Settled) => true,
            (Wobble::Peak, How::Peak | How::Range) => true,
            (Wobble::Settled, How::Settled) => true,
            (Wobble::Middle, How::Peak) | (Wobble::Peak, How::Settled) | (Wobble::Settled, How::Range | How::Peak) => false,
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
    pub how: How,
}

impl Seen {
    /// One value, read in steps of `step`.
    pub fn at(value: f64, step: f64) -> Self {
        Seen { low: value, high: value, step, how: How::Shown }
    }

    /// The value that counts.
    pub fn value(&self, wobble: Wobble) -> f64 {
        match wobble {
            Wobble::Peak => self.high,
            Wobble::Middle | Wobble::Settled => (self.low + self.high) / 2.0,
        }
    }

    /// Half the width of the range around the value that counts.
    pub fn half_width(&self, wobble: Wobble) -> f64 {
        match wobble {
            Wobble::Peak => 0.0,
            Wobble::Middle | Wobble::Settled => (self.high - self.low) / 2.0,
        }
    }
}

/// All quantities of one reading.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Figures(BTreeMap<Quantity, Seen>);

impl Figures {
    pub fn get(&self, quantity: Quantity) -> Option<&Seen> {
        self.0.get(&quantity)
    }

    pub fn set(&mut self, quantity: Quantity, seen: Seen) {
        self.0.insert(quantity, seen);
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
    pub fn loaded_power_w(&self, wobble: Wobble) -> Option<f64> {
        let value = |quantity| self.get(quantity).map(|seen| seen.value(wobble));
        match (value(Quantity::Voltage), value(Quantity::Current)) {
            (Some(voltage_v), Some(current_a)) => Some(voltage_v * current_a),
            _ => value(Quantity::Power),
        }
    }
}

impl FromIterator<(Quantity, Seen)> for Figures {
    fn from_iter<I: IntoIterator<Item = (Quantity, Seen)>>(figures: I) -> Self {
        Figures(figures.into_iter().collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_range_gives_the_value_the_test_counts() {
        let seen = Seen { low: 79.0, high: 81.0, step: 1.0, how: How::Range };
        assert_eq!((seen.value(Wobble::Middle), seen.half_width(Wobble::Middle)), (80.0, 1.0));
        assert_eq!((seen.value(Wobble::Peak), seen.half_width(Wobble::Peak)), (81.0, 0.0));
    }

    /// Common practice, no source: 22.57 V x 8.78 A is 198 W from a 250 W panel with Voc 31.71 V and Isc 9.0 A; the
    /// product of the last two, 285 W, is no power.
    #[test]
    fn voc_times_isc_is_never_a_power() {
        let open_and_short = Figures::from_iter([(Quantity::Voc, Seen::at(31.71, 0.01)), (Quantity::Isc, Seen::at(9.0, 0.1))]);
        assert_eq!(open_and_short.loaded_power_w(Wobble::Middle), None);
        let mut all = open_and_short;
        all.set(Quantity::Voltage, Seen::at(22.57, 0.01));
        all.set(Quantity::Current, Seen::at(8.78, 0.01));
        assert_eq!(all.loaded_power_w(Wobble::Middle).map(f64::round), Some(198.0));
    }
}
