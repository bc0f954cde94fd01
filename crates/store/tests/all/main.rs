//! Every test of the store from outside, as one program: it is linked once and its tests share both cores.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod arrivals;
mod bench;
mod direction;
mod exchange;
mod forget;
mod found;
mod ground;
mod log_files;
mod logbook;
mod older;
mod opening;
mod package;
mod places;
mod rigs;
mod runs;
mod wrong_packages;
