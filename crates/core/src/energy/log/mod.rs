//! A log of a day or of many: what it comes to, what happened in it, and what the sky could have given.
//!
//! | file | does |
//! |---|---|
//! | [`grid`] | samples of several quantities brought to steps of one minute or a few |
//! | [`sky`] | the clear-sky course on the same steps |
//! | [`clear`] | clear stretches (Reno and Hansen 2016) |
//! | [`happened`] | events: clouds, shade, clipping, throttling, sleep, hunting, snow, soiling |
//! | [`named`] | gaps, resets of a counter, a wrong clock: named with a code |
//! | [`figures`] | watt-hours against the sky, peak sun hours, yields, performance ratio |
//! | [`clock`] | whether the logger's clock is right, by the sun |
//! | [`controller`] | a controller by both its sides |
//! | [`regress`] | temperature coefficient and efficiency over light |

pub mod clear;
pub mod clock;
pub mod controller;
mod events;
pub mod figures;
pub mod grid;
pub mod happened;
pub mod named;
pub mod regress;
pub mod sky;
