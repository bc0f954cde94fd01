//! A log of a day or of many: what it comes to, what happened in it, and what the sky could have given.
//!
//! | file | does |
//! |---|---|
//! | [`record`] | what is known of a log, and a day of it: plain data |
//! | [`assess`](mod@assess) | the one judge: a record and a day to what it comes to |
//! | [`samples`] | series of a stretch, with the watts of volts and amps |
//! | [`grid`] | samples of several quantities brought to steps at the log's own pace |
//! | [`event`] | the kinds of event, and what shows one |
//! | [`sky`] | the clear-sky course on the same steps |
//! | [`sums`] | by hours and days |
//! | [`clear`] | clear stretches (Reno and Hansen 2016) |
//! | [`happened`] | events: clouds, shade, clipping, throttling, sleep, hunting, snow, soiling |
//! | `events`, `shade`, `cost` | how each is found, shade that returns, and what it cost |
//! | [`named`] | gaps, resets of a counter, a wrong clock: named with a code |
//! | [`figures`] | watt-hours against the sky, peak sun hours, yields, performance ratio |
//! | [`clock`] | whether the logger's clock is right, by the sun |
//! | [`controller`] | a controller by both its sides |
//! | [`regress`] | temperature coefficient and efficiency over light |

pub mod assess;
pub mod clear;
pub mod clock;
pub mod controller;
mod cost;
pub mod event;
mod events;
pub mod figures;
pub mod grid;
pub mod happened;
pub mod named;
pub mod record;
pub mod regress;
pub mod samples;
mod seen;
mod shade;
pub mod sky;
pub mod sums;
