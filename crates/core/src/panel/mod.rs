//! The panel: what its label says, whether that can be true, and how warm its cells are.

pub mod coefficient;
pub mod label;
pub mod nameplate;
pub mod temperature;
pub mod tolerance;
pub mod wear;
pub mod working;
