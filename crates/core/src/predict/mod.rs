//! What a plan will bring before it is carried out.

pub mod sheet;
