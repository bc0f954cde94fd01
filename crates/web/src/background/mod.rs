//! What goes on beside the requests: meters, recordings, imports, copies.

pub mod copies;
pub mod hub;
pub mod importing;
pub mod log_files;
pub mod recording;
