//! What a test asks, and the set-up it is asked with.

pub mod setup;
