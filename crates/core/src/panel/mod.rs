//! The panel: what its label says, whether that can be true, how warm its cells are, and what they make of their light, cell by
//! cell.

pub mod cell;
pub mod circuit;
pub mod coefficient;
pub mod construction;
pub mod curve;
pub mod diode;
#[cfg(test)]
pub mod example;
pub mod face;
pub mod five;
pub mod inspection;
pub mod label;
pub mod label_point;
pub mod layout;
pub mod nameplate;
pub mod shade;
pub mod shade_description;
pub mod solution;
pub mod temperature;
pub mod tolerance;
