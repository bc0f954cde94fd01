//! Meters as they are: a gain and an offset of their own, a bend, a jitter and a last digit.

use super::Draws;
use flindo_core::measure::instrument::Accuracy;

/// One display of one meter.
#[derive(Debug, Clone, Copy)]
pub struct Meter {
    gain: f64,
    offset: f64,
    /// How far its gain at nothing differs from that at `full`.
    bend: f64,
    full: f64,
    pub step: f64,
}

impl Meter {
    /// A meter of this accuracy with this last digit, for values up to `full`: everything its sheet leaves open is drawn; a fifth of its
    /// percent is bend.
    pub fn draw(accuracy: Accuracy, step: f64, full: f64, draws: &mut Draws) -> Self {
        let percent = accuracy.percent / 100.0;
        Meter {
            gain: draws.within(percent),
            offset: draws.within(accuracy.digits * step),
            bend: draws.within(0.2 * percent),
            full,
            step,
        }
    }

    /// What it shows of a value that jitters by this share.
    pub fn shows(&self, truth: f64, jitter_rel: f64, draws: &mut Draws) -> f64 {
        let bent = self.bend * (1.0 - (truth / self.full).min(1.0));
        let seen = truth * (1.0 + self.gain + bent + draws.normal(jitter_rel)) + self.offset;
        ((seen / self.step).round() * self.step).max(0.0)
    }

    /// As it stands on the display.
    pub fn text(&self, shown: f64) -> String {
        let decimals = (-self.step.log10().floor()).max(0.0) as usize;
        format!("{shown:.decimals$}")
    }
}
