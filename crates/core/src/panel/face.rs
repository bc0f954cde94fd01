//! The face of a panel: its size, its sides, and how it stands.

use crate::named::named;

/// A panel's face, m: its long side and its short one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FaceSize {
    pub length_m: f64,
    pub width_m: f64,
}

/// The side of a face along which a strip lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Long,
    Short,
}

named!(Side {
    Long = "long", "along the long side";
    Short = "short", "along the short side";
});

/// How a panel is mounted: its long side upright or lying.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Mounting {
    #[default]
    Portrait,
    Landscape,
}

named!(Mounting {
    Portrait = "portrait", "portrait";
    Landscape = "landscape", "landscape";
});
