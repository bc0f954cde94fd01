//! Charge controllers and power stations: what their inputs stand, and what they let through.

use super::field::{Field, Input, Reader};

#[derive(Debug, Clone, PartialEq)]
pub struct Controller {
    /// Seeks the maximum power point; otherwise it ties the panel to the battery's volts.
    pub tracking: bool,
    /// A tracking one that comes down from open circuit and stays on the first local maximum.
    pub is_local: bool,
    /// A hard limit: more destroys it. `None`: not known.
    pub max_input_v: Option<f64>,
    /// A soft limit of a tracking one: it clips. `None`: not known.
    pub max_battery_a: Option<f64>,
    pub max_input_w: Option<f64>,
    /// 0 to 1.
    pub efficiency: f64,
    /// How far the panel has to be above the battery to start, and to keep running.
    pub start_margin_v: f64,
    pub run_margin_v: f64,
    /// What it draws from the battery.
    pub own_draw_awake_a: f64,
    pub own_draw_asleep_a: f64,
}

/// Common practice, no source: 5 V to start, 1 V to keep running; 95 to 98 % efficient.
pub const FIELDS: &[Field] = &[
    Field {
        name: "tracking",
        label: "Type",
        unit: "",
        input: Input::Choice(&[
            ("yes", "tracking the maximum power point (MPPT)"),
            ("local", "tracking (MPPT), staying on a local maximum"),
            ("no", "connecting panel and battery directly (PWM)"),
        ]),
    },
    Field { name: "max_input_v", label: "Maximum input voltage", unit: "V", input: Input::Optional { low: 5.0, high: 1500.0 } },
    Field {
        name: "max_battery_a",
        label: "Maximum battery current",
        unit: "A",
        input: Input::Optional { low: 0.1, high: 500.0 },
    },
    Field { name: "max_input_w", label: "Maximum input power", unit: "W", input: Input::Optional { low: 1.0, high: 50_000.0 } },
    Field {
        name: "efficiency_percent",
        label: "Efficiency",
        unit: "%",
        input: Input::Usual { low: 50.0, high: 100.0, usual: 96.0 },
    },
    Field {
        name: "start_margin_v",
        label: "Start voltage above battery",
        unit: "V",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 5.0 },
    },
    Field {
        name: "run_margin_v",
        label: "Running voltage above battery",
        unit: "V",
        input: Input::Usual { low: 0.0, high: 50.0, usual: 1.0 },
    },
    Field {
        name: "own_draw_awake_a",
        label: "Self-consumption, operating",
        unit: "A",
        input: Input::Usual { low: 0.0, high: 5.0, usual: 0.05 },
    },
    Field {
        name: "own_draw_asleep_a",
        label: "Self-consumption, standby",
        unit: "A",
        input: Input::Usual { low: 0.0, high: 5.0, usual: 0.01 },
    },
];

/// The solar port of a power station.
#[derive(Debug, Clone, PartialEq)]
pub struct Station {
    /// Below this it takes nothing.
    pub min_input_v: f64,
    /// A hard limit.
    pub max_input_v: f64,
    pub max_input_a: Option<f64>,
    /// Of one port; what is more is not taken.
    pub max_input_w: f64,
    /// 0 to 100.
    pub state_of_charge_percent: f64,
}

pub const STATION_FIELDS: &[Field] = &[
    Field {
        name: "min_input_v",
        label: "Minimum input voltage",
        unit: "V",
        input: Input::Usual { low: 0.0, high: 500.0, usual: 11.0 },
    },
    Field { name: "max_input_v", label: "Maximum input voltage", unit: "V", input: Input::Needed { low: 5.0, high: 1000.0 } },
    Field { name: "max_input_a", label: "Maximum input current", unit: "A", input: Input::Optional { low: 0.1, high: 200.0 } },
    Field {
        name: "max_input_w",
        label: "Maximum input power of one port",
        unit: "W",
        input: Input::Needed { low: 1.0, high: 20_000.0 },
    },
    Field {
        name: "state_of_charge_percent",
        label: "State of charge",
        unit: "%",
        input: Input::Usual { low: 0.0, high: 100.0, usual: 50.0 },
    },
];

impl Controller {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        let works_by = read.choice("tracking");
        Controller {
            tracking: works_by != "no",
            is_local: works_by == "local",
            max_input_v: read.optional("max_input_v"),
            max_battery_a: read.optional("max_battery_a"),
            max_input_w: read.optional("max_input_w"),
            efficiency: read.number("efficiency_percent") / 100.0,
            start_margin_v: read.number("start_margin_v"),
            run_margin_v: read.number("run_margin_v"),
            own_draw_awake_a: read.number("own_draw_awake_a"),
            own_draw_asleep_a: read.number("own_draw_asleep_a"),
        }
    }

    /// Watts that its amps come to at a battery of these volts while it charges; `None` where its amps are not known.
    pub fn output_cap_w(&self, charging_v: f64) -> Option<f64> {
        self.max_battery_a.map(|limit_a| limit_a * charging_v)
    }
}

impl Station {
    pub(crate) fn read(read: &mut Reader<'_>) -> Self {
        let station = Station {
            min_input_v: read.number("min_input_v"),
            max_input_v: read.number("max_input_v"),
            max_input_a: read.optional("max_input_a"),
            max_input_w: read.number("max_input_w"),
            state_of_charge_percent: read.number("state_of_charge_percent"),
        };
        if station.max_input_v > 0.0 && station.min_input_v >= station.max_input_v {
            read.notes.add("min_input_v", "The lowest input volts have to be below the highest.".to_owned());
        }
        station
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Gear, GearKind, Typed, battery};

    /// Common practice, no source: a 30 A controller makes about 430 W into 12 V, and twice that into 24 V.
    #[test]
    fn thirty_amps_are_430_watts_into_12_volts_and_twice_that_into_24() {
        let typed = Typed::from([("max_input_v".to_owned(), "100".to_owned()), ("max_battery_a".to_owned(), "30".to_owned())]);
        let Ok(Gear::Controller(controller)) = GearKind::Controller.check(&typed) else { panic!("a sound controller") };
        let into = |nominal_v| controller.output_cap_w(battery::charging_v(nominal_v)).unwrap();
        assert!((into(12.0) - 430.0).abs() < 5.0 && (into(24.0) - 2.0 * into(12.0)).abs() < 1e-9);
        assert!(controller.tracking && controller.start_margin_v == 5.0);
    }
}
