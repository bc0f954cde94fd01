//! A rig: panels in series and parallel, leads, controller, battery, and where each meter sits.

pub mod expect;
pub mod wiring;

use crate::gear::battery::Battery;
use crate::gear::controller::{Controller, Station};
use crate::gear::meter::Meter;
use crate::gear::parts::{Combiner, Fuse, Lead};
use crate::named::named;
use crate::panel::inspection::Defect;
use crate::panel::nameplate::Nameplate;

/// One panel of a rig.
#[derive(Debug, Clone, PartialEq)]
pub struct Module {
    pub tag: String,
    pub nameplate: Nameplate,
    pub wear: Vec<Defect>,
}

/// What the panels work into.
#[derive(Debug, Clone, PartialEq)]
pub enum Sink {
    /// Nobody said: the rig is not finished.
    Open,
    /// Something without limits of its own to check.
    Load(RigLoad),
    Controller {
        name: String,
        controller: Controller,
        battery: Option<Battery>,
    },
    Station {
        name: String,
        station: Station,
    },
}

/// What a rig can end in besides a controller or a power station.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RigLoad {
    LoadTester,
    Resistor,
    /// Left open, for Voc.
    OpenCircuit,
    /// Shorted through a meter, for Isc.
    ShortCircuit,
}

named!(RigLoad {
    LoadTester = "load_tester", "load tester";
    Resistor = "resistor", "resistor";
    OpenCircuit = "open_circuit", "open circuit (Voc)";
    ShortCircuit = "short_circuit", "short circuit (Isc)";
});

/// Where in a rig something sits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum MeterPosition {
    /// In or across one string.
    String,
    /// Where the strings have come together.
    Array,
    /// Between controller and battery.
    Battery,
    /// In the plane of the panels, with no current in it.
    Plane,
}

named!(MeterPosition {
    String = "string", "in one string";
    Array = "array", "combined array";
    Battery = "battery", "at the battery";
    Plane = "plane", "in the panel plane";
});

/// A meter and where it sits.
#[derive(Debug, Clone, PartialEq)]
pub struct Placed {
    pub name: String,
    pub meter: Meter,
    pub spot: MeterPosition,
}

/// A part of the line with its name.
#[derive(Debug, Clone, PartialEq)]
pub struct Named<T> {
    pub name: String,
    pub part: T,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Rig {
    /// Strings in parallel, each of panels in series.
    pub strings: Vec<Vec<Module>>,
    /// In every string.
    pub string_fuse: Option<Named<Fuse>>,
    /// Where the strings come together.
    pub joint: Option<Named<Combiner>>,
    /// From there to what the panels work into.
    pub lead: Option<Named<Lead>>,
    pub sink: Sink,
    pub meters: Vec<Placed>,
    /// What the place is expected to bring.
    pub coldest_c: f64,
    pub hottest_c: f64,
}

impl Rig {
    pub fn modules(&self) -> impl Iterator<Item = &Module> {
        self.strings.iter().flatten()
    }
}
