//! Instruments.
