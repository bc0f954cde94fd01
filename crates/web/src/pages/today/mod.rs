//! The sun now, what goes on, what was found last.

pub mod good_hours;
pub mod overview;
