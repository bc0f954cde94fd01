//! What was found: logbook, results, league, reviews.

pub mod league;
pub mod logbook;
pub mod recompute;
pub mod report;
pub mod result;
pub mod reviews;
pub mod search;
