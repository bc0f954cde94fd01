//! Clouds that pass, by a seed.

use crate::seed::hashed;

/// Passing clouds: spells of a few minutes, some of them shaded.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Clouds {
    pub seed: u64,
    /// Share of spells with a cloud, 0 to 1.
    pub share: f64,
    /// Length of a spell, s.
    pub spell_s: f64,
    /// What a cloud lets through, 0 to 1.
    pub through: f64,
}

impl Clouds {
    pub const NONE: Clouds = Clouds { seed: 0, share: 0.0, spell_s: 300.0, through: 1.0 };

    /// The share of the clear sky's light at a moment. Edges take half a minute, and are bright before the cloud covers the
    /// sun, as the edge of a cloud is.
    pub fn share_at(&self, unix_s: f64) -> f64 {
        if self.share <= 0.0 {
            return 1.0;
        }
        let place = (unix_s / self.spell_s).floor();
        let is_cloud = |place: f64| hashed(self.seed, place as i64 as u64) < self.share;
        let into_s = unix_s - place * self.spell_s;
        let level = |cloudy: bool| if cloudy { self.through } else { 1.0 };
        let (before, now) = (level(is_cloud(place - 1.0)), level(is_cloud(place)));
        let edge = (into_s / 30.0).min(1.0);
        let bright = if before > now && into_s < 15.0 { 0.06 * (1.0 - into_s / 15.0) } else { 0.0 };
        before + (now - before) * edge + bright
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_seed_is_the_same_sky() {
        let clouds = |seed| Clouds { seed, share: 0.3, spell_s: 240.0, through: 0.4 };
        let course = |seed| (0..200).map(|minute| clouds(seed).share_at(f64::from(minute) * 60.0)).collect::<Vec<_>>();
        assert_eq!(course(7), course(7));
        assert_ne!(course(7), course(8));
        let mean = course(7).iter().sum::<f64>() / 200.0;
        assert!((0.65..0.95).contains(&mean), "{mean}");
        assert!(course(7).iter().all(|share| (0.4..=1.06).contains(share)));
        assert_eq!(Clouds::NONE.share_at(1e9), 1.0);
    }
}
