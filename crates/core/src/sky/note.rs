//! The sky as a person notes it, and what it allows.

use crate::named::named;

/// What the sky looked like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SkyNote {
    Clear,
    Haze,
    ThinCloud,
    Broken,
    Overcast,
}

named!(SkyNote {
    Clear = "clear", "clear";
    Haze = "haze", "haze";
    ThinCloud = "thin_cloud", "thin cloud";
    Broken = "broken", "broken cloud";
    Overcast = "overcast", "overcast";
});

impl SkyNote {
    /// How far the sun may be from what the model of a clear sky gives, either way, as a share. `None` where no model of a
    /// clear sky speaks. Common practice, no source: clear-sky models meet clear days within 5 to 8 %.
    pub fn model_limit_rel(self) -> Option<f64> {
        match self {
            SkyNote::Clear => Some(0.08),
            SkyNote::Haze => Some(0.15),
            SkyNote::ThinCloud => Some(0.35),
            SkyNote::Broken | SkyNote::Overcast => None,
        }
    }

    /// Linke turbidity where the note says more than the place: haze.
    pub fn linke_turbidity(self, of_place: f64) -> f64 {
        if self == SkyNote::Clear { of_place } else { of_place.max(4.5) }
    }

    /// Whether a rating can be tested under it with an irradiance meter: not while the light jumps, nor without beam.
    pub fn allows_rating(self) -> bool {
        matches!(self, SkyNote::Clear | SkyNote::Haze | SkyNote::ThinCloud)
    }
}
