//! Connections, who is let in, and what every answer carries.

pub mod enter;
pub mod refused;
pub mod rest;
pub mod security;
pub mod serve;
pub mod sharing;
