//! Batteries: how much they take, how fast, and down to which cold.

use super::field::{Field, Input, Reader};
use crate::named::named;
use std::ops::RangeInclusive;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Chemistry {
    #[default]
    LeadAcid,
    SealedLead,
    LithiumIronPhosphate,
    LithiumIon,
}

named!(Chemistry {
    LeadAcid = "lead_acid", "lead-acid, vented";
    SealedLead = "sealed_lead", "lead-acid, sealed";
    LithiumIronPhosphate = "lithium_iron_phosphate", "lithium iron phosphate";
    LithiumIon = "lithium_ion", "lithium-ion";
});

impl Chemistry {
    pub fn is_lithium(self) -> bool {
        matches!(self, Chemistry::LithiumIronPhosphate | Chemistry::LithiumIon)
    }

    /// Charge amps for each Ah that are usual where the sheet does not say. Common practice, no source.
    pub fn usual_charge_per_h(self) -> f64 {
        match self {
            Chemistry::LeadAcid => 0.15,
            Chemistry::SealedLead => 0.25,
            Chemistry::LithiumIronPhosphate | Chemistry::LithiumIon => 0.5,
        }
    }

    /// Coldest at which it may be charged where the sheet does not say, C. Common practice, no source: no charging of lithium
    /// cells below freezing.
    pub fn usual_lowest_charge_c(self) -> f64 {
        if self.is_lithium() { 0.0 } else { -20.0 }
    }

    /// From this state of charge on a controller begins to hold the current back, percent. Common practice, no source: a lead
    /// battery tapers from about 80 %, a lithium one only near the top.
    pub fn tapers_from_percent(self) -> f64 {
        if self.is_lithium() { 95.0 } else { 80.0 }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Battery {
    pub nominal_v: f64,
    pub chemistry: Chemistry,
    /// `None`: not known.
    pub capacity_ah: Option<f64>,
    /// From its sheet, or usual for its chemistry and capacity; `None` where neither is known.
    pub max_charge_a: Option<f64>,
    pub charge_limit_from_sheet: bool,
    /// 0 to 100.
    pub state_of_charge_percent: f64,
    pub lowest_charge_c: f64,
}

const CHEMISTRIES: &[(&str, &str)] = &[
    ("lead_acid", "lead-acid, vented"),
    ("sealed_lead", "lead-acid, sealed"),
    ("lithium_iron_phosphate", "lithium iron phosphate"),
    ("lithium_ion", "lithium-ion"),
];

pub const FIELDS: &[Field] = &[
    Field { name: "nominal_v", label: "Nominal voltage", unit: "V", input: Input::Usual { low: 1.0, high: 1000.0, usual: 12.0 } },
    Field { name: "chemistry", label: "Chemistry", unit: "", input: Input::Choice(CHEMISTRIES) },
    Field { name: "capacity_ah", label: "Capacity", unit: "Ah", input: Input::Optional { low: 0.1, high: 10_000.0 } },
    Field {
        name: "max_charge_a",
        label: "Maximum charge current",
        unit: "A",
        input: Input::Optional { low: 0.01, high: 2000.0 },
    },
    Field {
        name: "state_of_charge_percent",
        label: "State of charge",
        unit: "%",
        input: Input::Usual { low: 0.0, high: 100.0, usual: 50.0 },
    },
    Field {
        name: "lowest_charge_c",
        label: "Minimum charge temperature",
        unit: "\u{b0}C",
        input: Input::Optional { low: -60.0, high: 40.0 },
    },
];

/// How many batteries of 12 V a nominal voltage stands for: sheets print 12 or 12.8, 24 or 25.6, 48 or 51.2 V for the same system. A 6 V
/// battery is half of one; a single cell of 3.2 V a quarter.
pub fn of_12_v(nominal_v: f64) -> f64 {
    match nominal_v {
        cell_v if cell_v < 4.5 => cell_v / 12.8,
        small_v if small_v < 9.0 => 0.5,
        // Between 12 and 12.8 for each, so that both round to the same number.
        system_v => (system_v / 12.4).round().max(1.0),
    }
}

/// Volts of a battery while it takes a full charge current: 14.4 V for each 12 V. Common practice, no source.
pub fn charging_v(nominal_v: f64) -> f64 {
    14.4 * of_12_v(nominal_v)
}

/// From bulk charge to the end of absorption: 13.0 to 14.6 V for each 12 V. Common practice, no source.
pub fn charging_range_v(nominal_v: f64) -> RangeInclusive<f64> {
    13.0 * of_12_v(nominal_v)..=14.6 * of_12_v(nominal_v)
}

/// Volts of a battery at rest and about half full: 12.6 V for each 12 V. Common practice, no source.
pub fn resting_v(nominal_v: f64) -> f64 {
    12.6 * of_12_v(nominal_v)
}

impl Battery {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        let chemistry = Chemistry::from_name(read.choice("chemistry")).unwrap_or_default();
        let capacity_ah = read.optional("capacity_ah");
        let stated_a = read.optional("max_charge_a");
        Battery {
            nominal_v: read.number("nominal_v"),
            chemistry,
            capacity_ah,
            max_charge_a: stated_a.or(capacity_ah.map(|capacity_ah| capacity_ah * chemistry.usual_charge_per_h())),
            charge_limit_from_sheet: stated_a.is_some(),
            state_of_charge_percent: read.number("state_of_charge_percent"),
            lowest_charge_c: read.optional("lowest_charge_c").unwrap_or(chemistry.usual_lowest_charge_c()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Gear, GearKind, Typed};
    use super::*;

    /// By hand: 12 and 12.8, 24 and 25.6, 48 and 51.2 V are charged at 14.4, 28.8 and 57.6 V; 6 V at 7.2, one cell of 3.2 V at 3.6.
    #[test]
    fn a_systems_volts_do_not_depend_on_how_its_sheet_rounds() {
        for (nominal_v, charged_v) in [
            (12.0, 14.4),
            (12.8, 14.4),
            (24.0, 28.8),
            (25.6, 28.8),
            (36.0, 43.2),
            (48.0, 57.6),
            (51.2, 57.6),
            (96.0, 115.2),
            (6.0, 7.2),
            (3.2, 3.6),
        ] {
            assert!((charging_v(nominal_v) - charged_v).abs() < 1e-9, "{nominal_v}");
        }
        assert_eq!(charging_range_v(25.6), 26.0..=29.2);
        assert!((resting_v(12.8) - 12.6).abs() < 1e-9);
    }

    #[test]
    fn what_the_sheet_does_not_say_follows_from_the_chemistry() {
        assert!(
            CHEMISTRIES.iter().zip(Chemistry::ALL).all(|((name, label), kind)| kind.name() == *name && kind.label() == *label)
        );
        let typed = |chemistry: &str| {
            Typed::from([("chemistry".to_owned(), chemistry.to_owned()), ("capacity_ah".to_owned(), "100".to_owned())])
        };
        let Ok(Gear::Battery(lithium)) = GearKind::Battery.check(&typed("lithium_iron_phosphate")) else {
            panic!("a sound battery")
        };
        assert_eq!((lithium.max_charge_a, lithium.lowest_charge_c, lithium.charge_limit_from_sheet), (Some(50.0), 0.0, false));
        let Ok(Gear::Battery(lead)) = GearKind::Battery.check(&typed("")) else { panic!("a sound battery") };
        assert_eq!((lead.max_charge_a, lead.chemistry), (Some(15.0), Chemistry::LeadAcid));
    }
}
