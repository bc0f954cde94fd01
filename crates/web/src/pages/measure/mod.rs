//! The work outdoors: readings, live meters, logs.

mod board;
mod choices;
pub mod correction;
pub mod hours;
pub mod import;
pub mod live;
pub mod log;
pub mod log_chart;
pub mod log_facts;
pub mod log_import;
pub mod log_tables;
pub mod log_take;
pub mod logs;
pub mod notebook;
pub mod now;
pub mod photos;
pub mod preflight;
pub mod runs;
pub mod state_correction;
pub mod understood;
pub mod work;
