//! What limits the watts besides the panel: ports, controllers, a battery that is nearly full, and limits nobody told of.

use super::super::assessment::AssessedReading;
use super::super::effect::{Effects, Seen};
use super::super::finding::{Finding, Limit, Named};
use super::super::rating::ReadingResult;
use super::super::subject::{Subject, Taking};
use crate::gear::battery::of_12_v;
use crate::measure::coverage::t_factor;
use crate::measure::line::Line;
use crate::measure::quantity::{Figures, Quantity};
use crate::record::test::ReadingRecord;

/// Panels that could give less than this share of a limit do not meet it: their light is not known better. Flindo's own limit.
const MET_BY_CHANCE_REL: f64 = 0.97;

/// A battery that takes a charge at this much for each 12 V is near its charge limit. Common practice, no source: absorption at 14.1 to
/// 14.8 V.
const CHARGE_LIMIT_V: f64 = 14.0;

/// and gives back less than this share of what the panel could. Flindo's own limit.
const THROTTLED_REL: f64 = 0.85;

/// The finding of one reading's own limit.
pub(super) fn of_reading(reading: &ReadingRecord, result: &ReadingResult, subject: &Subject<'_>) -> Option<Finding> {
    let could_give_w = result
        .known
        .as_ref()
        .zip(subject.arrangement.as_ref().ok())
        .and_then(|(known, arrangement)| arrangement.unlimited(known.at).ok())
        .map(|gives| gives.watts_w);
    let watts_w = reading.figures.loaded_power_w(subject.setup.unsteady)?;
    let Some(finding) = subject.taking.at_limit(&reading.figures, &subject.setup) else {
        return throttled(&reading.figures, subject, watts_w, could_give_w?);
    };
    // Where the light is known and the panels could not reach the limit, they meet it by chance.
    let limit_w = if let Finding::Capped { limit_w: Some(limit_w), .. } = &finding { *limit_w } else { watts_w };
    let is_met_by_chance = could_give_w.is_some_and(|could_w| could_w < MET_BY_CHANCE_REL * limit_w.max(watts_w));
    (!is_met_by_chance).then_some(finding)
}

/// A battery at its charge limit takes less than the panel could give.
fn throttled(figures: &Figures, subject: &Subject<'_>, watts_w: f64, could_give_w: f64) -> Option<Finding> {
    let Taking::Controller { controller, battery: Some(battery), .. } = &subject.taking else { return None };
    let battery_v = figures.value(Quantity::OutputVoltage, subject.setup.unsteady)?;
    let share = watts_w / could_give_w;
    let is_at_limit = controller.tracking && battery_v >= CHARGE_LIMIT_V * of_12_v(battery.nominal_v);
    (is_at_limit && share < THROTTLED_REL).then_some(Finding::Throttled { state_of_charge_percent: None, share: Some(share) })
}

/// Light has to move by this much, as a share, before watts that do not follow it are told.
const MOVED_REL: f64 = 0.03;

/// Watts of a panel follow the light with an exponent near 1; a limit leaves 0. Flindo's own limit between them.
const FOLLOWS_EXPONENT: f64 = 0.5;

/// Readings repeat no better than this. Common practice, no source.
const REPEAT_REL: f64 = 0.002;

/// Three or more readings of one level whose watts do not follow the light are of a limit nobody told of.
pub(super) fn flat_top(
    ordered: &[&ReadingRecord],
    assessed: &[AssessedReading],
    subjects: &[Subject<'_>],
    effects: &Effects<'_>,
) -> Vec<Named> {
    let mut named = Vec::new();
    for (level, subject) in subjects.iter().enumerate().filter(|(_, subject)| subject.setup.load.is_tracking_controller()) {
        let unsteady = subject.setup.unsteady;
        let of: Vec<(&ReadingRecord, f64, f64)> = ordered
            .iter()
            .zip(assessed)
            .filter(|(_, judged)| judged.level == level)
            .filter_map(|(reading, _)| {
                let poa_w_m2 = reading.figures.value(Quantity::Poa, unsteady).filter(|poa| *poa > 0.0)?;
                let watts_w = reading.figures.loaded_power_w(unsteady).filter(|watts| *watts > 0.0)?;
                Some((*reading, poa_w_m2, watts_w))
            })
            .collect();
        let points: Vec<(f64, f64)> = of.iter().map(|(_, poa_w_m2, watts_w)| (poa_w_m2.ln(), watts_w.ln())).collect();
        if follows_light(&points) == Some(false) {
            for (reading, _, watts_w) in &of {
                let finding = Finding::Capped { watts_w: *watts_w, limit_w: None, by: Limit::FlatTop };
                named.push(effects.of_reading(finding, Seen::InReading, level, &reading.uid));
            }
        }
    }
    named
}

/// Whether watts follow the light, by the slope of their logarithms (least squares) with its 95 % interval; `None` where the light
/// moved too little, or the interval holds both.
fn follows_light(points: &[(f64, f64)]) -> Option<bool> {
    let n = points.len() as f64;
    let (low, high) = points.iter().fold((f64::MAX, f64::MIN), |(low, high), (light, _)| (low.min(*light), high.max(*light)));
    if points.len() < 3 || high - low < MOVED_REL {
        return None;
    }
    let line = Line::evenly(points)?;
    let slope = line.slope;
    // Two of few readings can lie on a line by chance.
    let standard = (line.squares / (n - 2.0)).sqrt().max(REPEAT_REL) / line.spread.sqrt();
    let u = t_factor(0.95, (n - 2.0).max(2.0)) * standard;
    match () {
        () if slope + u < FOLLOWS_EXPONENT || slope < 0.25 && u < 1.0 => Some(false),
        () if slope - u > FOLLOWS_EXPONENT => Some(true),
        () => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(points: &[(f64, f64)]) -> Option<bool> {
        follows_light(&points.iter().map(|(light, watts)| (light.ln(), watts.ln())).collect::<Vec<_>>())
    }

    /// By hand: 169.5, 168.0 and 166.0 W at 960, 900 and 820 W/m2 are a slope of 0.13; watts in proportion are one of 1.
    #[test]
    fn watts_that_do_not_follow_the_light_are_told() {
        assert_eq!(of(&[(960.0, 169.5), (900.0, 168.0), (820.0, 166.0)]), Some(false));
        assert_eq!(of(&[(960.0, 192.0), (900.0, 181.0), (820.0, 163.0)]), Some(true));
        // Light that hardly moves tells nothing, and neither do two readings.
        assert_eq!(of(&[(900.0, 168.0), (905.0, 168.0), (910.0, 168.0)]), None);
        assert_eq!(of(&[(960.0, 168.0), (820.0, 168.0)]), None);
    }
}
