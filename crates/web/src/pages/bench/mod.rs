//! Panels, kinds, gear, rigs, places.

pub mod gear;
pub mod gear_piece;
pub mod kinds;
pub mod package;
pub mod panel;
pub mod panel_form;
pub mod panels;
pub mod place_form;
pub mod places;
pub mod rig;
pub mod withdrawn;
