//! The computation of Flindo, with no interface, database, network or clock in it.
//!
//! A person reads volts, amps, sun and temperature off their instruments; this crate turns one line of that into
//! figures, brings the figures to standard test conditions with their uncertainty, and says what they show about the
//! panel's rating.
//!
//! The folders follow the light, and a folder imports only from those above it:
//!
//! | folder | what it holds |
//! |---|---|
//! | root files | numbers as typed ([`decimal`]), conversions ([`units`]), seeds ([`seed`]), [`constants`], errors ([`error`]) |
//! | [`sky`] | where the sun stands, what the sky lets through, what of it falls on a plane |
//! | [`panel`] | what the label says, whether it can be true, how warm the cells are |
//! | [`array`] | panels joined in series, in parallel, in strings |
//! | [`measure`] | what was seen, on what instrument, brought to other conditions, how surely |
//! | [`gear`] | meters, controllers, batteries, leads: what each can stand and how well it sees |
//! | [`load`] | where a load works on a curve |
//! | [`rig`] | panels and gear wired together, and what to expect at each point |
//! | [`energy`] | what a year of it comes to, by tilt |
//! | [`preflight`] | what could go wrong with a rig, before it is plugged |
//! | [`record`] | everything a test is, as plain data: typed conditions, plan, runs, readings |
//! | [`verdict`] | the one judge: a record to its assessment |
//! | [`review`] | results beside each other: league, review, history |
//! | [`predict`] | what a plan will bring: its run sheet |
//! | [`simulate`] | a panel, a sky and an instrument, made up by a seed |
//!
//! ```
//! use flindo_core::measure::entry::{self, Meaning};
//! use flindo_core::measure::quantity::{Quantity, UnsteadyPolicy};
//!
//! let entry = entry::understand("18.4 V 5.6 A 880 W/m2 52 C", &Meaning::default())?;
//! let watts = entry.figures().loaded_power_w(UnsteadyPolicy::Middle);
//! assert_eq!(watts, Some(18.4 * 5.6));
//! assert_eq!(entry.figures().get(Quantity::Poa).map(|seen| seen.low), Some(880.0));
//! # Ok::<(), entry::EntryError>(())
//! ```

// A new variant has to be met wherever variants are told apart.
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

pub mod array;
pub mod constants;
pub mod decimal;
pub mod derivation;
pub mod energy;
pub mod error;
pub mod form;
pub mod gear;
pub mod load;
pub mod measure;
mod named;
pub mod panel;
pub mod predict;
pub mod preflight;
pub mod record;
pub mod review;
pub mod rig;
pub mod seed;
pub mod simulate;
pub mod sky;
pub mod units;
pub mod verdict;
pub mod window;
