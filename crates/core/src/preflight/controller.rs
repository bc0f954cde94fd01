//! What a controller or a power station takes, clips, or never starts with.

use super::item::{Item, Level, Missing, Risk, over};
use crate::gear::battery::{charging_v, resting_v};
use crate::gear::controller::{Controller, Station};
use crate::rig::expect::{self, BRIGHT_LIGHT_FACTOR, Expected, array};
use crate::rig::{MeterPosition, Rig, Sink};

/// A tied panel that leaves more than this share of its watts unused is worth another controller. Flindo's own limit.
const WASTE_PERCENT: f64 = 15.0;

/// Of a panel with three bypass diodes, one shaded cell takes out a third of its volts.
const SHADED_SHARE: f64 = 1.0 / 3.0;

pub(super) fn look(rig: &Rig) -> Vec<Item> {
    let Some(array) = array(rig) else { return Vec::new() };
    match &rig.sink {
        // Nothing behind the array: the rig is not finished, and most of the check has nothing to look at.
        Sink::Open => {
            vec![Item::new(Level::Caution, "array", Some(MeterPosition::Array), Risk::Unknown { missing: Missing::Load })]
        }
        Sink::Load(_) => Vec::new(),
        Sink::Station { name, station } => station_items(rig, name, station, &array),
        Sink::Controller { name, controller, battery } => {
            let nominal_v = battery.as_ref().map(|battery| battery.nominal_v);
            controller_items(rig, name, controller, nominal_v, &array)
        }
    }
}

fn controller_items(rig: &Rig, name: &str, controller: &Controller, nominal_v: Option<f64>, array: &Expected) -> Vec<Item> {
    let mut items = Vec::new();
    let mut item = |level, spot, risk| items.push(Item::new(level, name, Some(spot), risk));
    if let Some(limit_w) = controller.max_input_w {
        let level = over(array.watts_w, limit_w, f64::INFINITY);
        item(level, MeterPosition::Array, Risk::InputWatts { watts_w: array.watts_w, limit_w });
    }
    if !controller.tracking {
        let planned_a = array.isc_a * BRIGHT_LIGHT_FACTOR;
        if let Some(limit_a) = controller.max_battery_a {
            let level = if array.isc_a > limit_a { Level::Stop } else { over(planned_a, limit_a, f64::INFINITY) };
            item(level, MeterPosition::Array, Risk::TiedAmps { planned_a, limit_a });
        }
    }
    if controller.max_battery_a.is_none() {
        item(Level::Caution, MeterPosition::Battery, Risk::Unknown { missing: Missing::BatteryCurrent });
    }
    let Some(nominal_v) = nominal_v else { return items };
    if controller.tracking {
        let capped = controller.max_battery_a.zip(controller.output_cap_w(charging_v(nominal_v)));
        if let Some((at_battery, (limit_a, full_w))) = expect::battery(rig).zip(capped) {
            let offered_a = at_battery.offered_a;
            item(over(offered_a, limit_a, f64::INFINITY), MeterPosition::Battery, Risk::Clips { offered_a, limit_a, full_w });
        }
    } else {
        let battery_v = charging_v(nominal_v);
        let percent = (1.0 - battery_v / array.vmp_v).max(0.0) * 100.0;
        item(
            over(percent, WASTE_PERCENT, f64::INFINITY),
            MeterPosition::Array,
            Risk::TiedWaste { vmp_v: array.vmp_v, battery_v, percent },
        );
    }
    let margin = |margin_v: f64| if controller.tracking { resting_v(nominal_v) + margin_v } else { resting_v(nominal_v) };
    let (start_v, run_v) = (margin(controller.start_margin_v), margin(controller.run_margin_v));
    let hot_vmp_v = array.hot_vmp_v;
    let level = if hot_vmp_v < run_v {
        Level::Stop
    } else if hot_vmp_v < start_v {
        Level::Caution
    } else {
        Level::Ok
    };
    item(level, MeterPosition::Array, Risk::StartVolts { hot_vmp_v, start_v, run_v });
    items
}

fn station_items(rig: &Rig, name: &str, station: &Station, array: &Expected) -> Vec<Item> {
    let mut items = Vec::new();
    let mut item = |level, risk| items.push(Item::new(level, name, Some(MeterPosition::Array), risk));
    let in_series = rig.strings.iter().map(Vec::len).min().unwrap_or(0);
    let lost_v = array.hot_vmp_v * SHADED_SHARE / in_series.max(1) as f64;
    let (hot_vmp_v, shaded_v, min_v) = (array.hot_vmp_v, array.hot_vmp_v - lost_v, station.min_input_v);
    let level = if hot_vmp_v < min_v {
        Level::Stop
    } else if shaded_v < min_v {
        Level::Caution
    } else {
        Level::Ok
    };
    item(level, Risk::LowVolts { hot_vmp_v, shaded_v, min_v, in_series });
    let level = over(array.watts_w, station.max_input_w, f64::INFINITY);
    item(level, Risk::PortWatts { watts_w: array.watts_w, limit_w: station.max_input_w });
    if let Some(limit_a) = station.max_input_a {
        item(over(array.isc_a, limit_a, f64::INFINITY), Risk::PortAmps { isc_a: array.isc_a, limit_a });
    }
    items
}
