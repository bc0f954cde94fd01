//! Where a load works on a curve, and what reaches the battery.

pub mod day;
pub mod operate;
pub mod series_parallel;
