//! What arrives at the bench, whichever page or program sends it: typed, checked, and handed on as the core and the store want it. Pages
//! and `api` read this room; it knows neither.

pub mod bench;
pub mod calculation;
pub mod changed;
pub mod entering;
pub mod evaluated;
pub mod file;
pub mod gear;
pub mod incoming;
pub mod json;
pub mod log_file;
pub mod making;
pub mod meters;
pub mod notebook;
pub mod package;
pub mod paging;
pub mod panel;
pub mod panel_json;
pub mod panel_table;
pub mod photo;
pub mod place;
pub mod review;
pub mod revising;
pub mod rig;
pub mod search;
pub mod stops;
pub mod taking;
pub mod typed;
pub mod working;
