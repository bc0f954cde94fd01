//! Leads, connectors, branch connectors and fuses.

use super::cable::Gauge;
use super::field::{Field, Input, Reader};

/// A pair of copper conductors between two points.
#[derive(Debug, Clone, PartialEq)]
pub struct Lead {
    pub gauge: Gauge,
    /// One way; the current runs it twice.
    pub length_m: f64,
    /// From its sheet, or by its gauge.
    pub max_a: f64,
}

pub const LEAD_FIELDS: &[Field] = &[
    Field { name: "gauge", label: "Gauge", unit: "", input: Input::Text { hint: "12 AWG or 4 mm2" } },
    Field { name: "length_m", label: "Length, one way", unit: "m", input: Input::Needed { low: 0.1, high: 1000.0 } },
    Field {
        name: "max_a",
        label: "Current rating (empty: from gauge)",
        unit: "A",
        input: Input::Optional { low: 0.5, high: 1000.0 },
    },
];

/// A connector, or a branch connector that joins several strings.
#[derive(Debug, Clone, PartialEq)]
pub struct Combiner {
    pub is_branch: bool,
    pub max_a: f64,
    pub max_v: Option<f64>,
}

pub const JOINT_FIELDS: &[Field] = &[
    Field {
        name: "is_branch",
        label: "Type",
        unit: "",
        input: Input::Choice(&[("yes", "branch connector: joins strings"), ("no", "connector: one line")]),
    },
    Field { name: "max_a", label: "Maximum current", unit: "A", input: Input::Needed { low: 0.5, high: 500.0 } },
    Field { name: "max_v", label: "Maximum voltage", unit: "V", input: Input::Optional { low: 5.0, high: 2000.0 } },
];

#[derive(Debug, Clone, PartialEq)]
pub struct Fuse {
    pub rated_a: f64,
    pub max_v: Option<f64>,
}

pub const FUSE_FIELDS: &[Field] = &[
    Field { name: "rated_a", label: "Rated current", unit: "A", input: Input::Needed { low: 0.1, high: 500.0 } },
    Field { name: "max_v", label: "Maximum voltage (DC)", unit: "V", input: Input::Optional { low: 5.0, high: 2000.0 } },
];

impl Lead {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        let text = read.text("gauge").to_owned();
        let gauge = Gauge::parse(&text).unwrap_or_else(|sentence| {
            read.notes.add("gauge", sentence);
            Gauge::Mm2(4.0)
        });
        Lead { gauge, length_m: read.number("length_m"), max_a: read.optional("max_a").unwrap_or(gauge.ampacity_a()) }
    }

    /// Of both conductors, at this temperature of the copper.
    pub fn loop_ohm(&self, copper_c: f64) -> f64 {
        2.0 * self.length_m / 1000.0 * self.gauge.ohm_per_km(copper_c)
    }
}

impl Combiner {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        Combiner { is_branch: read.is_yes("is_branch"), max_a: read.number("max_a"), max_v: read.optional("max_v") }
    }
}

impl Fuse {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        Fuse { rated_a: read.number("rated_a"), max_v: read.optional("max_v") }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By hand: 10 m of 4 mm2 (IEC 60228 class 5: 4.95 ohm/km at 20 C) there and back are 0.099 ohm; 9 A drop 0.89 V.
    #[test]
    fn ten_metres_of_four_square_millimetres_drop_nine_tenths_of_a_volt_at_nine_amps() {
        let lead = Lead { gauge: Gauge::Mm2(4.0), length_m: 10.0, max_a: 55.0 };
        assert!((lead.loop_ohm(20.0) * 9.0 - 0.891).abs() < 0.001);
    }
}
