//! Where a load works on a curve, and what reaches the battery.

pub mod operate;
pub mod patterns;
