//! Instruments that are none: a panel in today's sun, read by simulated displays, over the same protocols as the real ones.

mod lines;
mod meter;
mod modbus;
mod scpi;

pub use lines::{serve_lines, write_file};
pub use meter::{Reading, SimulatedMeter};
pub use modbus::{MAP as MODBUS_MAP, serve_modbus};
pub use scpi::serve_scpi;
