//! What the readings show: each brought to STC, the levels of a test compared, and the verdict with its reasons.
//!
//! | file | does |
//! |---|---|
//! | [`assessment`] | what a test comes to, as plain data |
//! | [`assess`](mod@assess) | the one judge: record to assessment |
//! | [`subject`] | what a level is of: its panels, its load, its limits |
//! | [`rating`], [`point`], [`condition`], [`combine`], [`ladder`] | readings at STC, together, and where the watts went |
//! | [`comparison`], [`estimate`] | levels against their baseline; the error model |
//! | [`bracket`] | whether the bracket of the run at work still holds |
//! | [`conformity`] | from an interval to the words |
//! | [`finding`], [`plausibility`], [`reason`] | what is named, found in readings, gear and conditions |
//! | [`maximum`] | whether volts and amps can be those of the panel's maximum |
//! | [`controller`], [`used`], [`substring_fault`] | both sides of a controller, used panels, failed substrings |
//! | [`predict`], [`arrangement`] | what the solved circuit says |
//! | [`cause`] | what may be behind a level that differs from its prediction |
//! | [`over_hours`] | rigs and days compared by their watt-hours |
//! | [`ranking`] | ranks with ties |
//! | [`settle`] | what would settle it |

pub mod arrangement;
pub mod assess;
pub mod assessment;
pub mod bounds;
pub mod bracket;
pub mod cause;
pub mod combine;
pub mod comparison;
pub mod condition;
pub mod conformity;
pub mod controller;
pub mod derive;
pub mod effect;
pub mod estimate;
pub mod finding;
pub mod hours;
pub mod ladder;
pub mod maximum;
mod outcome;
pub mod over_hours;
pub mod plausibility;
pub mod point;
pub mod predict;
pub mod ranking;
pub mod rating;
pub mod reason;
mod reference;
pub mod rigs_over_hours;
pub mod series_resistance;
pub mod settle;
pub mod subject;
pub mod substring_fault;
pub mod used;
