//! What the battery takes, and whether it is too full or too cold for it.

use super::item::{Item, Level, Missing, Risk, over};
use crate::rig::expect;
use crate::rig::{MeterPosition, Rig, Sink};

/// A power station holds the current back from here on. Common practice, no source.
const STATION_TAPERS_FROM_PERCENT: f64 = 95.0;

pub(super) fn look(rig: &Rig) -> Vec<Item> {
    let mut items = Vec::new();
    match &rig.sink {
        Sink::Station { name, station } => items.push(full(name, station.state_of_charge_percent, STATION_TAPERS_FROM_PERCENT)),
        Sink::Controller { battery: Some(battery), .. } => {
            let name = "battery";
            if let Some(there) = expect::battery(rig) {
                items.push(match battery.max_charge_a {
                    Some(limit_a) => {
                        // A usual limit is a rule of thumb; only a sheet's own is a hard one.
                        let stop = if battery.charge_limit_from_sheet { limit_a } else { limit_a * 2.0 };
                        let amps_a = there.amps_a;
                        let risk = Risk::ChargeAmps { amps_a, limit_a, from_sheet: battery.charge_limit_from_sheet };
                        Item::new(over(amps_a, limit_a, stop), name, Some(MeterPosition::Battery), risk)
                    }
                    None => {
                        let risk = Risk::Unknown { missing: Missing::ChargeCurrent };
                        Item::new(Level::Caution, name, Some(MeterPosition::Battery), risk)
                    }
                });
            }
            let (coldest_c, lowest_c) = (rig.coldest_c, battery.lowest_charge_c);
            let level = if coldest_c < lowest_c { Level::Caution } else { Level::Ok };
            items.push(Item::new(level, name, Some(MeterPosition::Battery), Risk::ChargeCold { coldest_c, lowest_c }));
            items.push(full(name, battery.state_of_charge_percent, battery.chemistry.tapers_from_percent()));
        }
        Sink::Controller { battery: None, .. } | Sink::Open | Sink::Load(_) => {}
    }
    items
}

fn full(name: &str, state_of_charge_percent: f64, tapers_from_percent: f64) -> Item {
    let level = if state_of_charge_percent >= tapers_from_percent { Level::Caution } else { Level::Ok };
    Item::new(level, name, Some(MeterPosition::Battery), Risk::NearlyFull { state_of_charge_percent, tapers_from_percent })
}
