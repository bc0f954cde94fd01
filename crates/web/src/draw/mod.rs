//! Drawings, one a file: values of the core to SVG. Colours come from the style sheet by class, so that a drawing follows
//! the theme and prints; shape, pattern and label carry the meaning without them.

pub mod aim;
pub mod axis;
pub mod charging;
pub mod curve;
pub mod day;
pub mod face;
pub mod faces;
pub mod forest;
pub mod history;
pub mod ladder;
pub mod levels;
pub mod panel_curve;
pub mod passing;
pub mod rail;
pub mod rig;
pub mod store_of_charge;
pub mod strings;
pub mod tilt_sheet;
pub mod today;
pub mod trace;
pub mod ways;
