//! What could go wrong with a rig, looked at before anything is plugged.
//!
//! | file | looks at |
//! |---|---|
//! | [`item`] | one finding: how grave, where, which risk with which figures |
//! | `voltage` | volts in the cold against every meter, connector, fuse and input |
//! | `current` | amps in bright light against meters, connectors, fuses and leads |
//! | `controller` | what a controller or a power station takes, clips, or never starts with |
//! | `charge` | what the battery takes, and whether it is too full or too cold for it |
//! | `panels` | what a look shows, and panels that do not fit together |

mod charge;
mod controller;
mod current;
pub mod item;
mod panels;
mod voltage;

use crate::rig::Rig;
use item::{Item, Level};

/// Looks at everything; the gravest first.
///
/// Where a label gives no volts or amps, its panel is named as what keeps the check from speaking.
pub fn preflight(rig: &Rig) -> Vec<Item> {
    let mut items = panels::look(rig);
    items.extend(voltage::look(rig));
    items.extend(current::look(rig));
    items.extend(controller::look(rig));
    items.extend(charge::look(rig));
    items.sort_by_key(|item| std::cmp::Reverse(item.level));
    items
}

/// The gravest level of a list; [`Level::Ok`] of an empty one.
pub fn gravest(items: &[Item]) -> Level {
    items.iter().map(|item| item.level).max().unwrap_or(Level::Ok)
}
