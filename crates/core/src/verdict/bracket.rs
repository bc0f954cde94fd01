//! Whether the bracket around the run at work still holds: what the light did since the last baseline.

use super::assess::by_time;
use super::comparison::{BRACKET_HOLDS_PERCENT, BRACKET_HOLDS_S, Method, moved_percent};
use super::condition::Taken;
use super::condition::taken;
use super::subject::Subject;
use crate::measure::quantity::Figures;
use crate::record::order::Order;
use crate::record::test::TestRecord;
use jiff::Timestamp;

/// After so long a pause the sun is another one, s.
const NEW_DAY_S: f64 = 3.0 * 3600.0;

/// The bracket of the run at work.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bracket {
    /// Since the last baseline, s.
    pub age_s: f64,
    /// What the irradiance did since, percent; by the meter, and else by the course of a clear sky.
    pub moved_percent: Option<f64>,
    pub state: BracketState,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BracketState {
    Valid,
    /// The irradiance moved by more than the limit.
    Moved,
    /// It is older than the limit.
    Old,
    /// Of another time of the day, or another day.
    NewDay,
}

/// The bracket now; `None` before the first baseline, when all runs are done, and for totals, which need none. `now_utc` and the day of
/// its year, 1 to 366.
pub fn bracket(record: &TestRecord, now_utc: Timestamp, day_of_year: f64) -> Option<Bracket> {
    let plan = record.plan.as_ref()?;
    if record.at_work().is_empty() || plan.order == Order::Totals {
        return None;
    }
    let readings = by_time(record);
    let now_s = now_utc.as_second() as f64;
    let baseline = *readings.iter().rev().find(|reading| reading.run_id.is_some() && record.level_of(reading) == 0)?;
    let age_s = now_s - baseline.taken_utc.as_second() as f64;
    let newest = readings.last().filter(|newest| newest.taken_utc > baseline.taken_utc);
    let nothing = Figures::default();
    let later = newest.map_or(Taken { figures: &nothing, unix_s: now_s, day_of_year, sky: None }, |newest| taken(newest));
    let setup = Subject::of(record, 0)?.setup;
    let method = Method {
        order: plan.order,
        analysis: plan.analysis(),
        factor: plan.question.card().factor,
        setup: &setup,
        repeat_rel: plan.repeat_rel,
        site: record.site.as_ref(),
        panels: &[],
        held: &[],
        has_own_meters: false,
    };
    let moved = moved_percent(&taken(baseline), &later, &method);
    let state = match moved {
        _ if age_s > NEW_DAY_S => BracketState::NewDay,
        Some(moved) if moved.abs() > BRACKET_HOLDS_PERCENT => BracketState::Moved,
        _ if age_s > BRACKET_HOLDS_S => BracketState::Old,
        _ => BracketState::Valid,
    };
    Some(Bracket { age_s, moved_percent: moved, state })
}
