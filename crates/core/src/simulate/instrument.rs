//! An instrument that reads the truth with its own error, noise and steps.

use crate::measure::instrument::Accuracy;
use crate::seed::hashed;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, Normal};

/// Draws from a seed.
pub struct Draws(ChaCha8Rng);

impl Draws {
    pub fn of(seed: u64) -> Self {
        Draws(ChaCha8Rng::seed_from_u64(seed))
    }

    /// A normal deviate of this standard deviation; 0 for one that is none.
    pub fn normal(&mut self, sd: f64) -> f64 {
        Normal::new(0.0, sd).map_or(0.0, |normal| normal.sample(&mut self.0))
    }
}

/// One display.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Display {
    pub accuracy: Accuracy,
    pub step: f64,
    /// How far it jitters from one look to the next, as a share of the value.
    pub noise_rel: f64,
    /// Which specimen it is: its own error within its accuracy.
    pub seed: u64,
}

impl Display {
    /// What it shows of a true value.
    pub fn show(&self, truth: f64, draws: &mut Draws) -> f64 {
        let own = (2.0 * hashed(self.seed, 1) - 1.0) * self.accuracy.percent / 100.0;
        let seen = truth * (1.0 + own) + draws.normal(self.noise_rel * truth.abs());
        if self.step > 0.0 { (seen / self.step).round() * self.step } else { seen }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_display_stays_within_its_sheet_and_its_steps() {
        let mut draws = Draws::of(1);
        for seed in 0..200 {
            let display = Display { accuracy: Accuracy { percent: 1.0, digits: 0.0 }, step: 0.01, noise_rel: 0.0, seed };
            let shown = display.show(18.4, &mut draws);
            assert!((shown - 18.4).abs() <= 0.184 + 0.005 + 1e-9);
            assert!((shown * 100.0 - (shown * 100.0).round()).abs() < 1e-6);
        }
    }

    #[test]
    fn a_seed_draws_the_same_again() {
        let draw = |seed| (0..5).map(|_| Draws::of(seed).normal(1.0)).collect::<Vec<_>>();
        assert_eq!(draw(3), draw(3));
        assert_eq!(Draws::of(3).normal(0.0), 0.0);
    }
}
