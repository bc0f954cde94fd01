//! Numbers that belong to a seed: the same on every machine.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{RngCore, SeedableRng};

/// A number from 0 to below 1 that belongs to a seed and a place.
pub fn hashed(seed: u64, place: u64) -> f64 {
    let mut generator = ChaCha8Rng::seed_from_u64(seed ^ place.wrapping_mul(0x9E37_79B9_7F4A_7C15));
    (generator.next_u64() >> 11) as f64 / (1_u64 << 53) as f64
}
