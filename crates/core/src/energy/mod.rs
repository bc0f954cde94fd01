//! What the sky comes to over a day and a year.

pub mod tilt_year;
