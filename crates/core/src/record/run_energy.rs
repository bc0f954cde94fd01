//! The watt-hours of a run from a log that was recorded or given to it.

use super::run::{Run, RunEventKind};
use super::test::ReadingRecord;
use crate::energy::log::grid::{Grid, Step};
use crate::measure::quantity::{Figures, Quantity, Seen, ValueKind};
use crate::measure::series::Series;
use crate::measure::series::counter::advance;
use crate::sky::daylight::day_of_year;
use crate::window::Window;
use jiff::Timestamp;
use std::collections::BTreeMap;

/// A log that belongs to a test.
#[derive(Debug, Clone, PartialEq)]
pub struct TestLog {
    pub id: i64,
    /// The run it was recorded for; `None`: every run that it covers.
    pub run_id: Option<i64>,
    /// Rig 1 or 2 of a test side by side; 0: the only one.
    pub side: u8,
    /// Its steps, watts among them.
    pub grid: Grid,
}

impl TestLog {
    fn is_of(&self, run: &Run) -> bool {
        self.run_id.is_none_or(|run_id| run_id == run.id) && (self.side == 0 || run.rig == 0 || self.side == run.rig)
    }
}

/// A run from its beginning to its end; `None` while it is not done.
fn stretch(run: &Run) -> Option<Window> {
    let at = |kind: RunEventKind| {
        run.events.iter().rev().find(|event| event.what == kind).map(|event| event.at_utc.as_millisecond() as f64 / 1000.0)
    };
    let ran = Window { from_s: at(RunEventKind::Begun)?, to_s: at(RunEventKind::Done)? };
    (ran.to_s > ran.from_s).then_some(ran)
}

/// Readings of watt-hours for runs that have none of their own, from the logs of their test: the sum of the means of the steps, by the
/// share of each that lies within the run. Steps without samples are bounded by nothing and by the highest step, as a range. Left out
/// where more than half of the run was not logged.
pub fn energy_readings(logs: &[TestLog], runs: &[Run], readings: &[ReadingRecord]) -> Vec<ReadingRecord> {
    let has_own =
        |run: &Run| readings.iter().any(|one| one.run_id == Some(run.id) && one.figures.get(Quantity::Energy).is_some());
    let of_run = |run: &Run| logs.iter().filter(|log| log.is_of(run)).find_map(|log| reading(log, run));
    runs.iter().filter(|run| !has_own(run)).filter_map(of_run).collect()
}

fn reading(log: &TestLog, run: &Run) -> Option<ReadingRecord> {
    let ran = stretch(run)?;
    let seen = match log.grid.power() {
        Some(power) => of_power(&log.grid, power, ran)?,
        None => of_counter(&log.grid, ran)?,
    };
    let mut figures = Figures::default();
    figures.set(Quantity::Energy, seen);
    Some(ReadingRecord {
        uid: format!("log-{}-run-{}", log.id, run.id),
        run_id: Some(run.id),
        taken_utc: Timestamp::from_millisecond((ran.to_s * 1000.0) as i64).ok()?,
        day_of_year: day_of_year(ran.to_s),
        sky: None,
        figures,
    })
}

/// How far a counter went from the first step of a run to its last: certain, and at most with what a reset lost.
fn of_counter(grid: &Grid, Window { from_s, to_s }: Window) -> Option<Seen> {
    let column = grid.column(Quantity::Energy)?;
    let half_s = grid.step_s / 2.0;
    let inside = |step: &usize| (from_s - half_s..=to_s + half_s).contains(&grid.at_s(*step));
    let mut readings: Vec<(f64, f64)> = Vec::new();
    for (at_s, step) in (0..grid.steps).filter(inside).filter_map(|step| Some((grid.at_s(step), column[step]?))) {
        // Within a step a counter rises from its lowest to its highest; one that fell there did so from its highest.
        let fell = readings.last().is_some_and(|before| before.1 > step.low);
        let ends = if fell { [step.high, step.low] } else { [step.low, step.high] };
        readings.extend(ends.map(|value| (at_s, value)));
    }
    let (first, last) = (readings.first()?, readings.last()?);
    if last.0 - first.0 < (to_s - from_s) / 2.0 {
        return None;
    }
    let found = advance(&readings, None, 0.0, None);
    let high = if found.high.is_finite() { found.high } else { 2.0 * found.total };
    let how = if high > found.low { ValueKind::Range } else { ValueKind::Shown };
    Some(Seen { low: found.low, high, step: 0.0, how })
}

fn of_power(grid: &Grid, power: &[Option<Step>], Window { from_s, to_s }: Window) -> Option<Seen> {
    let half_s = grid.step_s / 2.0;
    let (mut logged_wh, mut logged_s, mut highest_w) = (0.0, 0.0, 0.0_f64);
    for (step, seen) in power.iter().enumerate().filter_map(|(step, seen)| Some((step, seen.as_ref()?))) {
        let (begin_s, end_s) = ((grid.at_s(step) - half_s).max(from_s), (grid.at_s(step) + half_s).min(to_s));
        if end_s > begin_s {
            logged_wh += seen.mean * (end_s - begin_s) / 3600.0;
            logged_s += end_s - begin_s;
            highest_w = highest_w.max(seen.mean);
        }
    }
    let missing_s = (to_s - from_s - logged_s).max(0.0);
    if logged_s <= 0.0 || missing_s > logged_s {
        return None;
    }
    let most_wh = logged_wh + highest_w * missing_s / 3600.0;
    let how = if most_wh > logged_wh { ValueKind::Range } else { ValueKind::Shown };
    Some(Seen { low: logged_wh, high: most_wh, step: 0.0, how })
}

/// Figures of a stretch of samples: the mean of each quantity over its time, as a range that holds the middle 95 of 100 of its samples, so
/// that what wandered within the stretch stays with it. Counters and sums are no figures of a moment and are left out. `None` where there
/// are no samples.
pub fn stretch_reading(all: &BTreeMap<Quantity, Series>, window: Window) -> Option<Figures> {
    let mut figures = Figures::default();
    for (quantity, series) in all {
        if matches!(quantity, Quantity::Energy | Quantity::Charge) {
            continue;
        }
        let mut inside: Vec<f64> = series.between(window.from_s, window.to_s).values().to_vec();
        if inside.is_empty() {
            continue;
        }
        let mean = inside.iter().sum::<f64>() / inside.len() as f64;
        inside.sort_by(f64::total_cmp);
        let at = |share: f64| inside[((inside.len() - 1) as f64 * share).round() as usize];
        // Even about the mean, which is what counts.
        let half = (at(0.975) - mean).max(mean - at(0.025)).max(0.0);
        let allowed = quantity.allowed();
        let (low, high) = ((mean - half).max(*allowed.start()), (mean + half).min(*allowed.end()));
        if !allowed.contains(&mean) {
            continue;
        }
        let how = if high > low { ValueKind::Range } else { ValueKind::Shown };
        figures.set(*quantity, Seen { low, high, step: 0.0, how });
    }
    // Watts of volts and amps that are there themselves say nothing more.
    (!figures.is_empty()).then_some(figures)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::run::RunEvent;

    const BEGIN_S: f64 = 1_789_220_040.0;

    fn run(id: i64, rig: u8, from_min: f64, to_min: f64) -> Run {
        let event = |what, minute: f64| RunEvent {
            uid: String::new(),
            run_id: id,
            what,
            text: String::new(),
            at_utc: Timestamp::from_second((BEGIN_S + minute * 60.0) as i64).unwrap(),
        };
        let events = vec![event(RunEventKind::Begun, from_min), event(RunEventKind::Done, to_min)];
        Run { id, uid: id.to_string(), place: id, level: 0, rig, is_added: false, planned_utc: None, state: None, events }
    }

    fn log(side: u8, missing: std::ops::Range<i32>) -> TestLog {
        let samples = (0..=1200).filter(|nth| !missing.contains(&(nth / 6))).map(|nth| (BEGIN_S + f64::from(nth) * 10.0, 120.0));
        let grid = Grid::of(&BTreeMap::from([(Quantity::Power, Series::new(samples).0)]));
        TestLog { id: 5, run_id: None, side, grid }
    }

    fn wh(found: &[ReadingRecord]) -> Vec<(f64, f64)> {
        found.iter().map(|one| one.figures.get(Quantity::Energy).map_or((0.0, 0.0), |seen| (seen.low, seen.high))).collect()
    }

    #[test]
    fn each_run_has_the_watt_hours_of_its_time() {
        let runs = [run(1, 0, 0.0, 30.0), run(2, 0, 45.5, 90.5)];
        let found = wh(&energy_readings(&[log(0, 0..0)], &runs, &[]));
        assert!((found[0].0 - 60.0).abs() < 1e-9 && (found[1].0 - 90.0).abs() < 1e-9, "{found:?}");
        // Rig 2's log is none of rig 1's runs; a run that is not done has none.
        let open = Run { events: Vec::new(), ..run(3, 0, 0.0, 1.0) };
        assert!(energy_readings(&[log(2, 0..0)], &[run(1, 1, 0.0, 30.0), open], &[]).is_empty());
        assert_eq!(energy_readings(&[log(2, 0..0)], &[run(1, 2, 0.0, 30.0)], &[])[0].uid, "log-5-run-1");
    }

    /// Ten values about 20 V: their mean, and the farthest of the middle 95 of 100 on either side.
    #[test]
    fn a_stretch_is_a_reading_with_its_own_scatter() {
        let volts = Series::new((0..101).map(|nth| (f64::from(nth), 20.0 + f64::from(nth - 50) / 100.0))).0;
        let all = BTreeMap::from([(Quantity::Voltage, volts), (Quantity::Energy, Series::new([(1.0, 5.0)]).0)]);
        let found = stretch_reading(&all, Window { from_s: 0.0, to_s: 100.0 }).unwrap();
        let seen = found.get(Quantity::Voltage).unwrap();
        assert!((seen.low - 19.52).abs() < 0.011 && (seen.high - 20.48).abs() < 0.011, "{seen:?}");
        assert!(found.get(Quantity::Energy).is_none());
        assert!(stretch_reading(&all, Window { from_s: 200.0, to_s: 300.0 }).is_none());
    }

    /// A counter that goes 60 Wh in the first half hour, and through a reset in the second.
    #[test]
    fn a_counter_of_its_own_is_enough() {
        let counter = |minute: f64| if minute < 45.0 { 500.0 + 2.0 * minute } else { 2.0 * (minute - 45.0) };
        let step =
            |minute: f64| Step { mean: counter(minute + 0.25), low: counter(minute), high: counter(minute + 0.5), samples: 2 };
        let steps = (0..=61).map(|minute| (BEGIN_S + f64::from(minute) * 60.0, step(f64::from(minute)))).collect();
        let grid = Grid::of_folds(60.0, &BTreeMap::from([(Quantity::Energy, steps)]));
        let log = TestLog { grid, ..log(0, 0..0) };
        let found = wh(&energy_readings(std::slice::from_ref(&log), &[run(1, 0, 0.0, 30.0), run(2, 0, 30.0, 60.0)], &[]));
        assert!((found[0].0 - 60.0).abs() < 2.1 && found[0].0 == found[0].1, "{found:?}");
        assert!((56.0..64.0).contains(&found[1].0) && found[1].1 > found[1].0, "the reset leaves a range: {found:?}");
    }

    #[test]
    fn what_was_not_logged_is_a_range_and_a_reading_of_its_own_stands() {
        let found = energy_readings(&[log(0, 10..20)], &[run(1, 0, 0.0, 60.0)], &[]);
        let (low, high) = wh(&found)[0];
        assert!((98.0..101.0).contains(&low) && (high - 120.0).abs() < 0.5, "{low} {high}");
        assert!(energy_readings(&[log(0, 0..0)], &[run(1, 0, 0.0, 60.0)], &found).is_empty());
        assert!(energy_readings(&[log(0, 5..60)], &[run(1, 0, 0.0, 60.0)], &[]).is_empty(), "most of it is missing");
    }
}
