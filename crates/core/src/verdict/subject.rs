//! What a level of a test is of: its panels with their labels, as its conditions connect and shade them, its load and the limits of it.

use super::arrangement::{ArrangeError, Arrangement, Member, wired};
use super::finding::{Finding, Limit};
use crate::gear::Gear;
use crate::gear::battery::{Battery, charging_range_v, charging_v};
use crate::gear::controller::{Controller, Station};
use crate::measure::quantity::{Figures, Quantity};
use crate::panel::nameplate::Nameplate;
use crate::record::condition::{Conditions, Factor, Value, degrees_of, panels_of, shade_of};
use crate::record::setup::{Load, Setup};
use crate::record::test::{PanelRecord, RigRecord, TestRecord};
use crate::rig::Sink;

/// What takes the watts of a level, with its limits.
#[derive(Debug, Clone, PartialEq)]
pub enum Taking {
    /// Nothing that has limits: a load tester, a multimeter, or a load of which no record tells.
    Unlimited,
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

/// A level of a test.
#[derive(Debug, Clone)]
pub struct Subject<'a> {
    /// As they are connected: strings in parallel.
    pub strings: Vec<Vec<&'a PanelRecord>>,
    pub arrangement: Result<Arrangement, ArrangeError>,
    pub taking: Taking,
    /// The set-up with the tilt, azimuth and load of this level.
    pub setup: Setup,
}

/// A reading this near a limit is one of the limit, not of the panels: what ports and controllers hold, and what wattmeters show of it,
/// differ by a few percent from the sheet. Common practice, no source.
const AT_LIMIT_REL: f64 = 0.05;

impl<'a> Subject<'a> {
    /// The level of a record; level 0 is the baseline. `None` where the record does not hold its own panel.
    pub fn of(record: &'a TestRecord, level: usize) -> Option<Self> {
        let conditions = record.conditions(level);
        let own = record.panel(&record.panel)?;
        let rig = record.rig_at(&conditions);
        let (hangs, unknown) = hanging(record, &conditions, rig, own);
        let mut setup = record.setup;
        setup.tilt_deg = degrees_of(&conditions, Factor::Tilt).unwrap_or(setup.tilt_deg);
        setup.azimuth_deg = degrees_of(&conditions, Factor::Azimuth).unwrap_or(setup.azimuth_deg);
        let taking = taking(record, &conditions, rig, &mut setup);
        let (strings, wiring_error) = match conditions.get(&Factor::Wiring) {
            Some(condition) => {
                let wiring = if let Value::Wiring(wiring) = &condition.value { Some(wiring) } else { None };
                match wiring.and_then(|wiring| wired(wiring, &hangs, |id| record.panel(id))) {
                    Some(strings) => (strings, None),
                    None => (hangs, Some(ArrangeError::UnknownWiring(condition.typed.clone()))),
                }
            }
            None => (hangs, None),
        };
        let arrangement = match wiring_error.or(unknown) {
            Some(error) => Err(error),
            None => arranged(&strings, &conditions, &setup).map(|made| made.into_load(taking.cap_w(), setup.load)),
        };
        Some(Subject { strings, arrangement, taking, setup })
    }

    /// The label that a level's readings are corrected by: that of its first panel.
    pub fn label(&self) -> &'a Nameplate {
        &self.first().label
    }

    pub fn first(&self) -> &'a PanelRecord {
        self.strings[0][0]
    }

    pub fn panels(&self) -> impl Iterator<Item = &'a PanelRecord> + '_ {
        self.strings.iter().flatten().copied()
    }

    pub fn count(&self) -> usize {
        self.strings.iter().map(Vec::len).sum()
    }

    /// Its own conditions lay a shade on it.
    pub fn is_shaded(&self) -> bool {
        self.arrangement.as_ref().is_ok_and(Arrangement::is_shaded)
    }

    /// The price of all its panels, where each has one.
    pub fn price(&self) -> Option<f64> {
        self.panels().map(|panel| panel.price).sum()
    }

    /// Of all its panels; `None` where a label is not known.
    pub fn rated_w(&self) -> Option<f64> {
        self.panels().map(|panel| panel.label.rated_w).sum()
    }

    /// As tags: "S-1 + S-2 | S-3".
    pub fn line(&self) -> String {
        let string = |string: &Vec<&PanelRecord>| string.iter().map(|panel| panel.tag.as_str()).collect::<Vec<_>>().join(" + ");
        self.strings.iter().map(string).collect::<Vec<_>>().join(" | ")
    }
}

/// The panels of a level before it is wired: those it names, else those of its rig, else the test's own.
fn hanging<'a>(
    record: &'a TestRecord,
    conditions: &Conditions,
    rig: Option<&'a RigRecord>,
    own: &'a PanelRecord,
) -> (Vec<Vec<&'a PanelRecord>>, Option<ArrangeError>) {
    let of_rig = rig.filter(|rig| rig.panels.iter().flatten().count() > 1).and_then(|rig| {
        let strings: Option<Vec<Vec<&PanelRecord>>> =
            rig.panels.iter().map(|string| string.iter().map(|id| record.panel(id)).collect()).collect();
        strings.filter(|strings| strings.iter().any(|string| !string.is_empty()))
    });
    let alone = || vec![vec![own]];
    match panels_of(conditions) {
        Some(ids) if *ids != [record.panel.clone()] => {
            let named: Vec<&PanelRecord> = ids.iter().filter_map(|id| record.panel(id)).collect();
            if named.is_empty() { (alone(), Some(ArrangeError::UnknownPanel(ids.join(", ")))) } else { (vec![named], None) }
        }
        _ => (of_rig.unwrap_or_else(alone), None),
    }
}

fn arranged(strings: &[Vec<&PanelRecord>], conditions: &Conditions, setup: &Setup) -> Result<Arrangement, ArrangeError> {
    let patches = shade_of(conditions).ok_or_else(|| {
        let typed = [Factor::Shade, Factor::Covers].into_iter().find_map(|factor| conditions.get(&factor));
        ArrangeError::UnknownShade(typed.map(|condition| condition.typed.clone()).unwrap_or_default())
    })?;
    let member =
        |panel: &&'_ PanelRecord| -> (String, String, Nameplate) { (panel.id.clone(), panel.tag.clone(), panel.label.clone()) };
    let owned: Vec<Vec<(String, String, Nameplate)>> = strings.iter().map(|string| string.iter().map(member).collect()).collect();
    let members: Vec<Vec<Member<'_>>> =
        owned.iter().map(|string| string.iter().map(|(id, tag, label)| Member { id, tag, label }).collect()).collect();
    Arrangement::of(&members, &patches, setup.mounting)
}

/// What takes the watts of a level; a controller that it names brings its own way of working along.
fn taking(record: &TestRecord, conditions: &Conditions, rig: Option<&RigRecord>, setup: &mut Setup) -> Taking {
    let battery = rig.and_then(|rig| match &rig.rig.sink {
        Sink::Controller { battery, .. } => battery.clone(),
        Sink::Open | Sink::Load(_) | Sink::Station { .. } => None,
    });
    match conditions.get(&Factor::Load).map(|condition| &condition.value) {
        Some(Value::LoadKind(load)) => setup.load = *load,
        Some(Value::Gear(id)) => {
            if let Some(piece) = record.gear.iter().find(|piece| piece.id == *id) {
                match &piece.gear {
                    Gear::Controller(controller) => {
                        setup.load = Load::of(controller);
                        return Taking::Controller { name: piece.name.clone(), controller: controller.clone(), battery };
                    }
                    Gear::Station(station) => {
                        setup.load = Load::TrackingController;
                        return Taking::Station { name: piece.name.clone(), station: station.clone() };
                    }
                    Gear::Meter(_) | Gear::Battery(_) | Gear::Lead(_) | Gear::Combiner(_) | Gear::Fuse(_) => {}
                }
            }
        }
        _ => {}
    }
    // A load tester in the controller's place is not bound by what the controller takes.
    if !setup.load.is_charging() {
        return Taking::Unlimited;
    }
    match rig.map(|rig| &rig.rig.sink) {
        Some(Sink::Controller { name, controller, battery }) => {
            Taking::Controller { name: name.clone(), controller: controller.clone(), battery: battery.clone() }
        }
        Some(Sink::Station { name, station }) => Taking::Station { name: name.clone(), station: station.clone() },
        Some(Sink::Open | Sink::Load(_)) | None => Taking::Unlimited,
    }
}

impl Taking {
    /// Watts from the panels that it takes at most, for a prediction: at the volts of a full charge current.
    pub fn cap_w(&self) -> Option<f64> {
        match self {
            Taking::Unlimited => None,
            Taking::Station { station, .. } => Some(station.max_input_w),
            Taking::Controller { controller, battery, .. } => {
                let battery = battery.as_ref().filter(|_| controller.tracking);
                let by_amps = battery
                    .and_then(|battery| controller.output_cap_w(charging_v(battery.nominal_v)))
                    .map(|cap_w| cap_w / controller.efficiency);
                [controller.max_input_w, by_amps].into_iter().flatten().reduce(f64::min)
            }
        }
    }

    /// The limit at which a reading is, where it is at one.
    pub fn at_limit(&self, figures: &Figures, setup: &Setup) -> Option<Finding> {
        let value = |quantity| figures.get(quantity).map(|seen| seen.value(setup.unsteady));
        let watts_w = figures.loaded_power_w(setup.unsteady)?;
        let is_at = |read: f64, limit: f64| read > limit * (1.0 - AT_LIMIT_REL);
        let capped = |limit_w: f64, by| Some(Finding::Capped { watts_w, limit_w: Some(limit_w), by });
        match self {
            Taking::Unlimited => None,
            Taking::Station { station, .. } => {
                if is_at(watts_w, station.max_input_w) {
                    return capped(station.max_input_w, Limit::InputPower);
                }
                let limit_a = station.max_input_a?;
                let current_a = value(Quantity::Current)?;
                let volts = value(Quantity::Voltage).unwrap_or(watts_w / current_a);
                is_at(current_a, limit_a).then(|| capped(limit_a * volts, Limit::InputCurrent))?
            }
            Taking::Controller { controller, battery, .. } => {
                if let Some(limit_w) = controller.max_input_w.filter(|limit_w| is_at(watts_w, *limit_w)) {
                    return capped(limit_w, Limit::InputPower);
                }
                let limit_a = controller.max_battery_a.filter(|_| controller.tracking)?;
                if let Some(output_a) = value(Quantity::OutputCurrent) {
                    let volts = value(Quantity::OutputVoltage).unwrap_or(watts_w / output_a);
                    return if is_at(output_a, limit_a) { capped(limit_a * volts, Limit::OutputCurrent) } else { None };
                }
                // At the battery's real volts, or anywhere between bulk and absorption where nobody read them.
                let battery = battery.as_ref()?;
                let charging_v = match value(Quantity::OutputVoltage) {
                    Some(battery_v) => battery_v..=battery_v,
                    None => charging_range_v(battery.nominal_v),
                };
                let (low_v, high_v) = charging_v.into_inner();
                let most_w = limit_a * high_v / controller.efficiency;
                let is_capped = is_at(watts_w, limit_a * low_v) && watts_w < most_w * (1.0 + AT_LIMIT_REL);
                is_capped.then(|| capped(limit_a * (low_v + high_v) / 2.0, Limit::OutputCurrent))?
            }
        }
    }
}
