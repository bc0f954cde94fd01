//! What was seen, on what instrument, brought to other conditions, and how surely.

pub mod budget;
pub mod correct;
pub mod coverage;
pub mod entry;
pub mod iec60891;
pub mod instrument;
pub mod line;
pub mod logger;
pub mod quantity;
pub mod series;
