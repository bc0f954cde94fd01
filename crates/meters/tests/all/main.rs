//! Every test of the meters from outside, as one program.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod direction;
mod sessions;
