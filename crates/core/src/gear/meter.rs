//! Meters: what each shows, what it can stand, how well it sees, and whether the panel works into it.

use super::field::{Field, Input, Reader, YES_NO};
use crate::measure::instrument::Accuracy;
use crate::named::named;
use jiff::civil::Date;

/// What kind of meter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MeterKind {
    /// A multimeter whose leads are put into the circuit.
    Probes,
    /// A multimeter with a clamp around one lead; its volts still come from probes.
    Clamp,
    /// Sits in the line between panel and load.
    InLine,
    /// Loads the panel at its peak and shows volts, amps and watts there.
    LoadTester,
    Irradiance,
    /// A panel of known short-circuit current beside the one under test.
    ReferencePanel,
    Infrared,
}

named!(MeterKind {
    Probes = "probes", "multimeter, with probes";
    Clamp = "clamp", "multimeter, with a clamp";
    InLine = "in_line", "watt-meter in the line";
    LoadTester = "load_tester", "load tester";
    Irradiance = "irradiance", "irradiance meter";
    ReferencePanel = "reference_panel", "reference panel";
    Infrared = "infrared", "infrared thermometer";
});

/// How a meter is heard without being typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Interface {
    Nothing,
    /// SCPI over TCP.
    Scpi,
    /// Lines of comma-separated values over TCP.
    Lines,
    /// The same from a file that grows.
    File,
    ModbusTcp,
}

named!(Interface {
    Nothing = "nothing", "nothing: it is read and typed";
    Scpi = "scpi", "SCPI over TCP";
    Lines = "lines", "CSV lines over TCP";
    File = "file", "CSV lines in a file that grows";
    ModbusTcp = "modbus_tcp", "Modbus TCP";
});

#[derive(Debug, Clone, PartialEq)]
pub struct Meter {
    pub kind: MeterKind,
    /// Shows direct current; a clamp for alternating current alone shows nothing on a panel.
    pub reads_dc: bool,
    /// Highest volts, amps and watts it stands; `None` where it is not electrically connected or its sheet does not say.
    pub max_v: Option<f64>,
    pub max_a: Option<f64>,
    pub max_w: Option<f64>,
    pub volts: Accuracy,
    pub amps: Accuracy,
    pub watts: Accuracy,
    /// One step of the display; `None` where the typed figure tells it.
    pub volts_step_v: Option<f64>,
    pub amps_step_a: Option<f64>,
    pub sun_percent: f64,
    pub thermometer_k: f64,
    /// The day of its last calibration, like 2026-03-14; empty where it is not known.
    pub calibrated: String,
    pub speaks: Interface,
    /// "host:port", or the path of a file.
    pub address: String,
    /// For Modbus the registers, for lines the columns; read by the part that listens.
    pub map: String,
}

const KINDS: &[(&str, &str)] = &[
    ("probes", "multimeter, with probes"),
    ("clamp", "multimeter, with a clamp"),
    ("in_line", "watt-meter in the line"),
    ("load_tester", "load tester"),
    ("irradiance", "irradiance meter"),
    ("reference_panel", "reference panel"),
    ("infrared", "infrared thermometer"),
];

const SPEAKS: &[(&str, &str)] = &[
    ("nothing", "nothing: it is read and typed"),
    ("scpi", "SCPI over TCP"),
    ("lines", "CSV lines over TCP"),
    ("file", "CSV lines in a file that grows"),
    ("modbus_tcp", "Modbus TCP"),
];

/// Accuracies default to those of ordinary hand-held instruments; common practice, no source.
pub const FIELDS: &[Field] = &[
    Field { name: "kind", label: "Kind", unit: "", input: Input::Choice(KINDS) },
    Field { name: "reads_dc", label: "Measures DC", unit: "", input: YES_NO },
    Field { name: "max_v", label: "Maximum voltage", unit: "V", input: Input::Optional { low: 1.0, high: 2000.0 } },
    Field { name: "max_a", label: "Maximum current, or its fuse", unit: "A", input: Input::Optional { low: 0.01, high: 2000.0 } },
    Field { name: "max_w", label: "Maximum power", unit: "W", input: Input::Optional { low: 1.0, high: 100_000.0 } },
    Field {
        name: "volts_percent",
        label: "Voltage accuracy, % of reading",
        unit: "%",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 0.5 },
    },
    Field {
        name: "volts_digits",
        label: "Voltage accuracy, digits",
        unit: "digits",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 1.0 },
    },
    Field { name: "volts_step_v", label: "Voltage resolution", unit: "V", input: Input::Optional { low: 0.000_01, high: 10.0 } },
    Field {
        name: "amps_percent",
        label: "Current accuracy, % of reading",
        unit: "%",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 1.5 },
    },
    Field {
        name: "amps_digits",
        label: "Current accuracy, digits",
        unit: "digits",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 1.0 },
    },
    Field { name: "amps_step_a", label: "Current resolution", unit: "A", input: Input::Optional { low: 0.000_01, high: 10.0 } },
    Field {
        name: "watts_percent",
        label: "Power accuracy, % of reading",
        unit: "%",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 2.0 },
    },
    Field {
        name: "watts_digits",
        label: "Power accuracy, digits",
        unit: "digits",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 1.0 },
    },
    Field {
        name: "sun_percent",
        label: "Irradiance accuracy, % of reading",
        unit: "%",
        input: Input::Usual { low: 0.1, high: 50.0, usual: 5.0 },
    },
    Field {
        name: "thermometer_k",
        label: "Thermometer accuracy",
        unit: "K",
        input: Input::Usual { low: 0.1, high: 20.0, usual: 2.0 },
    },
    Field { name: "calibrated", label: "Last calibrated on", unit: "", input: Input::Text { hint: "2026-03-14" } },
    Field { name: "speaks", label: "Interface", unit: "", input: Input::Choice(SPEAKS) },
    Field { name: "address", label: "Address, or path of the file", unit: "", input: Input::Text { hint: "127.0.0.1:5025" } },
    Field {
        name: "map",
        label: "Registers or columns",
        unit: "",
        input: Input::Text { hint: "0 u16 0.01 voltage_v; 1 u16 0.01 current_a" },
    },
];

impl MeterKind {
    /// Whether the panel works into it, so that it decides the operating point.
    pub fn loads_panel(self) -> bool {
        matches!(self, MeterKind::LoadTester | MeterKind::ReferencePanel)
    }

    /// Whether the amps run through it, so that it has to stand them.
    pub fn carries_amps(self) -> bool {
        matches!(self, MeterKind::Probes | MeterKind::InLine | MeterKind::LoadTester)
    }

    /// Whether the volts are across its terminals.
    pub fn bears_volts(self) -> bool {
        matches!(self, MeterKind::Probes | MeterKind::Clamp | MeterKind::InLine | MeterKind::LoadTester)
    }
}

impl Meter {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        let kind = MeterKind::from_name(read.choice("kind")).unwrap_or(MeterKind::Probes);
        let speaks = Interface::from_name(read.choice("speaks")).unwrap_or(Interface::Nothing);
        let mut accuracy = |percent, digits| Accuracy { percent: read.number(percent), digits: read.number(digits) };
        let (volts, amps, watts) = (
            accuracy("volts_percent", "volts_digits"),
            accuracy("amps_percent", "amps_digits"),
            accuracy("watts_percent", "watts_digits"),
        );
        let meter = Meter {
            kind,
            reads_dc: read.is_yes("reads_dc"),
            max_v: read.optional("max_v"),
            max_a: read.optional("max_a"),
            max_w: read.optional("max_w"),
            volts,
            amps,
            watts,
            volts_step_v: read.optional("volts_step_v"),
            amps_step_a: read.optional("amps_step_a"),
            sun_percent: read.number("sun_percent"),
            thermometer_k: read.number("thermometer_k"),
            calibrated: read.text("calibrated").to_owned(),
            speaks,
            address: read.text("address").to_owned(),
            map: read.text("map").to_owned(),
        };
        if !meter.calibrated.is_empty() && meter.calibrated.parse::<Date>().is_err() {
            read.notes.add("calibrated", format!("\"{}\" is not a date: write it like 2026-03-14.", meter.calibrated));
        }
        if speaks != Interface::Nothing && meter.address.is_empty() {
            read.notes.add("address", "A meter that is listened to needs an address.".to_owned());
        }
        if matches!(speaks, Interface::Scpi | Interface::Lines | Interface::ModbusTcp)
            && !meter.address.is_empty()
            && !is_host_and_port(&meter.address)
        {
            read.notes.add("address", format!("\"{}\" is not an address: write it like 192.168.1.20:5025.", meter.address));
        }
        meter
    }
}

fn is_host_and_port(text: &str) -> bool {
    text.rsplit_once(':').is_some_and(|(host, port)| {
        !host.is_empty()
            && host.chars().all(|c| c.is_ascii_alphanumeric() || ".-[]:_".contains(c))
            && port.parse::<u16>().is_ok_and(|port| port > 0)
    })
}

#[cfg(test)]
mod tests {
    use super::super::{Gear, GearKind, Typed};
    use super::*;

    #[test]
    fn the_choices_of_the_form_are_the_choices_of_the_code() {
        assert!(KINDS.iter().zip(MeterKind::ALL).all(|((name, label), kind)| kind.name() == *name && kind.label() == *label));
        assert!(
            SPEAKS.iter().zip(Interface::ALL).all(|((name, label), speaks)| speaks.name() == *name && speaks.label() == *label)
        );
        assert_eq!((KINDS.len(), SPEAKS.len()), (MeterKind::ALL.len(), Interface::ALL.len()));
    }

    #[test]
    fn a_meter_that_is_listened_to_has_an_address() {
        let typed =
            |address: &str| Typed::from([("speaks".to_owned(), "scpi".to_owned()), ("address".to_owned(), address.to_owned())]);
        for wrong in ["", "here", "host:", "host:0", "host:99999", "a b:5025"] {
            assert_eq!(GearKind::Meter.check(&typed(wrong)).unwrap_err()[0].field, "address", "{wrong}");
        }
        let Ok(Gear::Meter(meter)) = GearKind::Meter.check(&typed("127.0.0.1:5025")) else { panic!("a sound meter") };
        assert_eq!((meter.speaks, meter.volts.percent), (Interface::Scpi, 0.5));
    }

    #[test]
    fn a_calibration_is_a_day_or_unknown() {
        let typed = |day: &str| Typed::from([("calibrated".to_owned(), day.to_owned())]);
        for (day, is_one) in [("", true), ("2026-03-14", true), ("2026-02-30", false), ("March", false)] {
            assert_eq!(GearKind::Meter.check(&typed(day)).is_ok(), is_one, "{day}");
        }
    }

    #[test]
    fn a_clamp_carries_no_amps_but_its_probes_bear_the_volts() {
        assert!(!MeterKind::Clamp.carries_amps() && MeterKind::Clamp.bears_volts());
        assert!(MeterKind::Probes.carries_amps() && !MeterKind::Infrared.bears_volts());
        assert!(MeterKind::LoadTester.loads_panel() && !MeterKind::InLine.loads_panel());
    }
}
