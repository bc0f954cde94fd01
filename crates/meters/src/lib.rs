//! The instruments of a bench, heard without being typed, and simulated stand-ins for them.
//!
//! | part | what it does |
//! |---|---|
//! | [`source`] | where a meter is and what it is asked for, from its gear entry |
//! | [`Allowed`] | which networks and folders meters may be in |
//! | `session` | what every protocol shares; whatever happens becomes a [`Received`] |
//! | `scpi`, `lines`, `modbus` | one file a protocol |
//! | [`listen`] | listens by the protocol of a source, and connects again |
//! | [`live`] | what of all that may be shown, and what may be taken as a reading |
//! | [`simulator`] | instruments that are none: a panel in today's sun, over the same protocols |
//!
//! Nothing a meter does ends the program: silence, rubbish, half a line, a cut cable or a jump are states that are shown.

// A new variant has to be met wherever variants are told apart.
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

mod allowed;
mod lines;
pub mod listen;
pub mod live;
mod modbus;
mod scpi;
mod session;
pub mod simulator;
pub mod source;

pub use allowed::Allowed;
pub use listen::{already_written, listen};
pub use live::Live;
pub use session::{Received, Sample};
pub use source::Source;

/// Now, in ms since 1970, UTC.
pub fn now_ms() -> i64 {
    jiff::Timestamp::now().as_millisecond()
}
