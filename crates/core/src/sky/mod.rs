//! The sun and what the sky lets through: where it stands, how strong it is, and what of it falls on a plane.
//!
//! Work that depends on the instant alone is done once: [`sun::Instant`] for a time, [`plane::SkyNow`] for a time and a sky, then
//! any number of planes. At many instants the sun is interpolated between days: [`series`].

pub mod aim;
pub mod air;
pub mod clear_sky;
pub mod course;
pub mod daylight;
pub mod incidence;
pub mod note;
pub mod perez;
pub mod place;
pub mod plane;
pub mod series;
pub mod skies;
pub mod split;
pub mod sun;
