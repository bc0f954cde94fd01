//! What the sky comes to over a year, and how to make most of it.

pub mod epw;
pub mod hardware;
pub mod schedule;
pub mod tilt_year;
