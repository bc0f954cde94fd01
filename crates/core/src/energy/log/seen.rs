//! What the events are found in: a log step by step, with the light on it and what the panel gives in that light.

use super::event::{Event, EventKind, Known, ShownBy, TWILIGHT_W_M2};
use super::grid::{Grid, Step};
use super::sky::SkyCourse;

/// What a panel gives is read in light above this, W/m2.
pub(super) const STRONG_W_M2: f64 = 150.0;

/// What the events are found in.
pub(super) struct Seen<'a> {
    pub grid: &'a Grid,
    pub sky: &'a SkyCourse,
    pub known: &'a Known,
    pub power: Vec<Option<Step>>,
    /// Measured in the plane, where it was.
    pub poa: Option<&'a [Option<Step>]>,
    /// W/m2 that fell, measured or else clear.
    pub light_w_m2: Vec<f64>,
    /// Watts the panel gives in that light.
    pub expected_w: Vec<f64>,
    /// Light of each day's own clear sky, W/m2: the model's, at the level of the light that was measured, or of the watts.
    pub clear_w_m2: Vec<f64>,
    /// Watts it gives under that clear sky.
    pub in_clear_w: Vec<f64>,
    pub is_clear: Vec<bool>,
}

impl Seen<'_> {
    pub fn watts(&self, step: usize) -> Option<f64> {
        self.power[step].map(|step| step.mean)
    }

    pub fn is_day(&self, step: usize) -> bool {
        self.sky.poa_w_m2[step] >= TWILIGHT_W_M2
    }

    /// Watts that the panel could have given during an event of a kind, step by step; `None` where it takes nothing.
    pub fn given(&self, kind: EventKind) -> Option<&[f64]> {
        match kind {
            EventKind::Clear | EventKind::Gap => None,
            EventKind::Cloud if self.poa.is_some() => Some(&self.in_clear_w),
            EventKind::Shade
            | EventKind::Clipping
            | EventKind::Cloud
            | EventKind::Throttled
            | EventKind::Wake
            | EventKind::Sleep
            | EventKind::Asleep
            | EventKind::Hunting
            | EventKind::Snow => Some(&self.expected_w),
        }
    }

    /// Watts over what the light gives, in a step.
    pub fn share(&self, step: usize) -> Option<f64> {
        Some(self.watts(step)? / self.expected_w[step].max(1e-9))
    }

    /// An event without its cost, which is told once all are found.
    pub fn event(&self, kind: EventKind, steps: &std::ops::Range<usize>, shown_by: ShownBy) -> Event {
        let half_s = self.grid.step_s / 2.0;
        let (from_s, to_s) = (self.grid.at_s(steps.start) - half_s, self.grid.at_s(steps.end - 1) + half_s);
        Event { kind, from_s, to_s, lost_wh: 0.0, u_lost_wh: 0.0, shown_by }
    }
}
