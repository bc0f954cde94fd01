//! A panel under a sky, and the instrument that reads it: made up by a seed, the same on every machine. For tests whose truth
//! is known, and for the stand-ins that ship with the program.

pub mod day;
pub mod instrument;
pub mod scene;
pub mod sky;
