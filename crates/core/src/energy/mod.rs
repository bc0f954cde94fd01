//! Energy: what the sky comes to over a year and how to make most of it, what a log comes to, and whether a battery keeps up.

pub mod climate;
pub mod epw;
pub mod hardware;
pub mod keep_up;
pub mod log;
pub mod planned;
pub mod schedule;
mod sky_days;
pub mod tilt_year;
