//! A stretch of time.

/// From one moment to another, Unix seconds; `from_s` is not after `to_s`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Window {
    pub from_s: f64,
    pub to_s: f64,
}
