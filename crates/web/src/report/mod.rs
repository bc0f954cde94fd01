//! What is handed to somebody else: the report of a test and of a review, as one file, and such a file held against its data.

pub mod article;
pub mod file;
pub mod recompute;
pub mod review;
pub mod sheet;
