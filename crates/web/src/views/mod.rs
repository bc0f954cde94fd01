//! Parts of pages that several rooms show. A room imports from here, and from no other room.

pub mod compared;
pub mod drawn;
pub mod evaluated;
pub mod league;
pub mod measured;
pub mod meters;
pub mod panel;
pub mod preflight;
pub mod reading;
pub mod row;
pub mod shades;
