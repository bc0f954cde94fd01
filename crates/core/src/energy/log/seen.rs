//! What the events are found in: a log step by step, with the light on it and what the panel gives in that light.

use super::event::{Event, EventKind, Known, ShownBy, TWILIGHT_W_M2};
use super::grid::{Grid, Step};
use super::sky::SkyCourse;

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
    /// Watts it gives under a clear sky.
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

    pub fn lost_wh(&self, expected_w: &[f64], steps: std::ops::Range<usize>) -> f64 {
        let lost = steps.filter_map(|step| Some((expected_w[step] - self.watts(step)?).max(0.0)));
        lost.sum::<f64>() * self.grid.step_s / 3600.0
    }

    pub fn event(&self, kind: EventKind, steps: std::ops::Range<usize>, shown_by: ShownBy) -> Event {
        let half_s = self.grid.step_s / 2.0;
        let (from_s, to_s) = (self.grid.at_s(steps.start) - half_s, self.grid.at_s(steps.end - 1) + half_s);
        let lost_wh = match kind {
            EventKind::Clear | EventKind::Gap | EventKind::Wake | EventKind::Sleep => 0.0,
            EventKind::Cloud => self.lost_wh(&self.in_clear_w, steps),
            EventKind::Shade
            | EventKind::Clipping
            | EventKind::Throttled
            | EventKind::Asleep
            | EventKind::Hunting
            | EventKind::Snow => self.lost_wh(&self.expected_w, steps),
        };
        Event { kind, from_s, to_s, lost_wh, shown_by }
    }
}
