//! Every test of the core from outside, as one program: it is linked once and its tests share both cores.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod against_circuit;
mod against_library;
mod assessing;
mod brackets;
mod by_equations;
mod derivations;
mod direction;
mod effects;
mod entry;
mod examination;
mod faults_are_found;
mod flat;
mod headlines;
mod held;
mod imports;
mod laws;
mod loads;
mod logs;
mod maximum;
mod named_acts;
mod noticed;
mod opened;
mod other_loggers;
mod over_hours;
mod preflight;
mod rating;
mod shade;
mod sky;
mod spoken;
mod sun_sources;
mod uncertainty;
mod working;
mod worlds;
