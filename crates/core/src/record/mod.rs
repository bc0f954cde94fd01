//! Everything a test is, as plain data: what it asks, its set-up and typed conditions, its runs and readings, and the panels, gear and
//! rigs that it speaks of. Text is read once at the door ([`language`]); nothing else parses it again.
//!
//! | file | holds |
//! |---|---|
//! | [`beside`] | rigs side by side, each in a state of its own |
//! | [`bounds`] | what a record may hold, at whatever door it comes in |
//! | [`condition`] | what is the case in a run, typed, factor by factor |
//! | [`names`] | tags and names that conditions refer to |
//! | [`language`] | the door: conditions in words, read and written |
//! | [`likely`] | conditions that are likely to be chosen |
//! | [`meters`] | which meter read what |
//! | [`shading`] | which panels a shade lies on, and its shares of light on each |
//! | [`setup`] | aim, load, irradiance and cell temperature sources, instruments |
//! | [`question`] | the questions, one row each |
//! | [`open`] | tests without a plan: their states, and the questions they answer |
//! | [`order`], [`plan`] | levels, and the order of runs |
//! | [`run`] | a run and what happened to it |
//! | [`run_energy`] | the watt-hours of a run from a log |
//! | [`test`] | the whole record of a test |

pub mod beside;
pub mod bounds;
pub mod condition;
pub mod language;
pub mod likely;
pub mod meters;
pub mod names;
pub mod open;
pub mod order;
pub mod panel_event;
pub mod plan;
pub mod question;
pub mod run;
pub mod run_energy;
pub mod setup;
pub mod shading;
pub mod test;
