//! One file a page. Every handler has the same five beats: extract, load, ask the core, save, view.

pub mod aim;
pub mod bench;
pub mod capture;
pub mod help;
pub mod home;
pub mod import;
mod judged;
pub mod panel;
pub mod panel_form;
pub mod panels;
pub mod place_form;
pub mod report;
pub mod result;
pub mod test_form;
pub mod theme;
pub mod tilt;
pub mod today;
mod typed;
