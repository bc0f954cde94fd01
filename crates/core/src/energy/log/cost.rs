//! What an event cost: what the panel gave beside it, at the light of the event, less what it gave in it.

use super::event::{Event, EventKind};
use super::events::Told;
use super::seen::{STRONG_W_M2, Seen};
use crate::measure::line::Line;
use std::ops::Range;

/// Fewer steps than these, or less time, say nothing of it.
const LEAST_STEPS: usize = 6;
const LEAST_MIN: f64 = 30.0;

/// What a panel gives of what its light gives, where the log says nothing of it, and half its 95 % interval. Common practice, no source:
/// the strength is that of the label, from which heat, dirt and wiring took their usual part already.
const USUAL_LEVEL: f64 = 1.0;
const USUAL_U_REL: f64 = 0.15;

/// It is not known better than this over an hour by the light that was measured beside it, and by a clear sky. Flindo's own limits, held
/// against days of other making (docs/verdicts.md).
const LEAST_U_MEASURED_REL: f64 = 0.02;
const LEAST_U_CLEAR_REL: f64 = 0.04;

/// Half of the width that holds eight tenths of a normal scatter, times this, is half of the one that holds 95 %: 1.960 / 1.282.
const OF_TENTHS: f64 = 1.53;

/// The steps beside an event that tell what the panel gave there reach so far to either side.
const BESIDE_MIN: f64 = 90.0;

/// What the panel gives of what is expected bends with the light (glass, low light, haze near the horizon), by no more than this for each
/// factor e of it. Flindo's own limit.
const MOST_BEND: f64 = 0.2;

/// Free steps whose light spreads by less than this factor e say nothing of the bend.
const LEAST_SPREAD: f64 = 0.3;

/// Both edges of an event lie anywhere in their steps: each evenly, with a standard deviation of 1/sqrt(12) of a step; of both, at 95 %,
/// 1.960 sqrt(2) / sqrt(12).
const EDGES_STEPS: f64 = 0.8;

/// The share of what is expected that the panel gives in free and clear light: a straight line over the logarithm of the light.
#[derive(Clone, Copy)]
struct Course {
    /// At the middle of the free steps.
    share: f64,
    ln_light: f64,
    /// For each factor e of the light.
    bend: f64,
    /// Half the 95 % interval.
    u_rel: f64,
}

impl Course {
    fn at(&self, light_w_m2: f64) -> f64 {
        self.share + self.bend * (light_w_m2.max(1.0).ln() - self.ln_light)
    }

    /// Of the free steps. How far their tenths lie apart about the line is how far an hour of them may lie from it: what else bends the
    /// course of a day bends it for hours.
    fn of(seen: &Seen<'_>, read: &[(usize, f64)]) -> Self {
        let usual = Course { share: USUAL_LEVEL, ln_light: 0.0, bend: 0.0, u_rel: USUAL_U_REL };
        if read.len() < LEAST_STEPS || read.len() as f64 * seen.grid.step_s < LEAST_MIN * 60.0 {
            return usual;
        }
        let points: Vec<(f64, f64)> = read.iter().map(|(step, share)| (seen.light_w_m2[*step].ln(), *share)).collect();
        let Some(line) = Line::through(&points, |_| 1.0) else { return usual };
        let is_spread = (line.spread / points.len() as f64).sqrt() > LEAST_SPREAD / 2.0;
        let bend = if is_spread { line.slope.clamp(-MOST_BEND, MOST_BEND) } else { 0.0 };
        let course = Course { share: line.mean_y, ln_light: line.mean_x, bend, u_rel: 0.0 };
        let mut off: Vec<f64> = points.iter().map(|(ln_light, share)| share - course.at(ln_light.exp())).collect();
        off.sort_by(f64::total_cmp);
        let tenth = |tenths: usize| off[(off.len() - 1) * tenths / 10];
        let least = if seen.poa.is_some() { LEAST_U_MEASURED_REL } else { LEAST_U_CLEAR_REL };
        Course { u_rel: (OF_TENTHS * (tenth(9) - tenth(1)) / 2.0 / course.share).max(least), ..course }
    }

    /// Brought to what the panel gave right beside an event, where it was free there.
    fn beside(&self, seen: &Seen<'_>, read: &[(usize, f64)], steps: &Range<usize>) -> Self {
        let reach = (BESIDE_MIN * 60.0 / seen.grid.step_s) as usize;
        let near = steps.start.saturating_sub(reach)..steps.end + reach;
        let mut off: Vec<f64> = read
            .iter()
            .filter(|(step, _)| near.contains(step))
            .map(|(step, share)| share - self.at(seen.light_w_m2[*step]))
            .collect();
        if off.len() < LEAST_STEPS / 2 || off.len() as f64 * seen.grid.step_s < LEAST_MIN * 60.0 / 2.0 {
            return *self;
        }
        let middle = off.len() / 2;
        Course { share: self.share + *off.select_nth_unstable_by(middle, f64::total_cmp).1, ..*self }
    }
}

/// What is told by a shortfall has one. A shade and a cloud are told by nothing else; a level top and standing volts are seen for themselves.
fn is_shown(event: &Event) -> bool {
    match event.kind {
        EventKind::Shade | EventKind::Cloud => event.lost_wh > event.u_lost_wh,
        EventKind::Clipping | EventKind::Throttled | EventKind::Snow | EventKind::Asleep => event.lost_wh > 0.0,
        EventKind::Clear | EventKind::Wake | EventKind::Sleep | EventKind::Hunting | EventKind::Gap => true,
    }
}

/// The events with what each took from the energy.
pub(super) fn with_costs(seen: &Seen<'_>, told: Told) -> Vec<Event> {
    let is_read = |step: &usize| told.is_free_or_clear(*step) && seen.is_clear[*step] && seen.light_w_m2[*step] > STRONG_W_M2;
    let read: Vec<(usize, f64)> =
        (0..seen.grid.steps).filter(is_read).filter_map(|step| Some((step, seen.share(step)?))).collect();
    let whole = Course::of(seen, &read);
    let costed = |(mut event, steps): (Event, Range<usize>)| {
        let Some(given_w) = seen.given(event.kind) else { return event };
        let course = whole.beside(seen, &read, &steps);
        let hours = seen.grid.step_s / 3600.0;
        let count = steps.len().max(1) as f64;
        let (mut could_wh, mut at_middle_wh, mut did_wh) = (0.0, 0.0, 0.0);
        for (step, watts_w) in steps.filter_map(|step| Some((step, seen.watts(step)?))) {
            could_wh += course.at(seen.light_w_m2[step]) * given_w[step] * hours;
            at_middle_wh += course.share * given_w[step] * hours;
            did_wh += watts_w * hours;
        }
        event.lost_wh = (could_wh - did_wh).max(0.0);
        // Half of what the bend adds to light that was never seen free is in doubt, and where in a step an edge lies.
        let by_course_wh = (course.u_rel * could_wh).hypot((could_wh - at_middle_wh) / 2.0);
        event.u_lost_wh = by_course_wh.hypot(EDGES_STEPS * event.lost_wh / count);
        event
    };
    told.events.into_iter().map(costed).filter(is_shown).collect()
}
