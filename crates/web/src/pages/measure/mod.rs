//! The work outdoors: readings, live meters, logs.

pub mod capture;
pub mod correction;
pub mod guided;
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
pub mod photos;
pub mod preflight;
pub mod state_correction;
pub mod work;
