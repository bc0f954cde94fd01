//! The states of an open test, or the levels of a planned one, beside each other: what each gave, and how it stands to the first.

use super::summary::Figure;
use crate::record::open::{Answered, State};
use crate::record::order::{Slot, letters};
use crate::record::run::{Run, RunState};
use crate::record::test::{ReadingRecord, TestRecord};
use crate::verdict::assessment::Assessment;
use crate::verdict::comparison::{Compared, value_of};
use crate::verdict::conformity::LevelVerdict;

/// One state with its figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Visited {
    pub letter: String,
    pub visits: usize,
    /// Runs of it that are planned and not read yet.
    pub to_come: usize,
    pub readings: usize,
    /// As read, of the first quantity that all its readings have.
    pub mean: Option<(f64, Compared)>,
    /// Of the first state, where one thing alone differs from it.
    pub of_first: Option<(Figure, LevelVerdict)>,
}

/// The states in their order. `answers` as [`crate::record::open::answered`] has them, each with its assessment.
pub fn visited(entered: &TestRecord, states: &[State], answers: &[(&Answered, Assessment<'_>)]) -> Vec<Visited> {
    states
        .iter()
        .enumerate()
        .map(|(at, state)| {
            let own: Vec<_> = entered
                .readings
                .iter()
                .filter(|reading| reading.run_id.is_some_and(|run| state.run_ids.contains(&run)))
                .collect();
            Visited {
                letter: state.letter.clone(),
                visits: state.run_ids.len(),
                to_come: 0,
                readings: own.len(),
                mean: mean_of(&own, entered),
                of_first: answers.iter().find_map(|(one, assessment)| {
                    let level = one.states.iter().position(|state| *state == at).filter(|_| one.states[0] == 0)?;
                    against_first(level, assessment)
                }),
            }
        })
        .collect()
}

/// The levels of a planned test, the baseline first; none of a test without a plan.
pub fn visited_levels(record: &TestRecord, assessment: &Assessment<'_>) -> Vec<Visited> {
    let levels = record.plan.as_ref().map_or(0, |plan| plan.levels.len() + 1);
    let of_level = |level: usize| {
        let own: Vec<_> = record.readings.iter().filter(|reading| record.level_of(reading) == level).collect();
        let is_read = |run: &Run| own.iter().any(|reading| reading.run_id == Some(run.id));
        let runs: Vec<&Run> = record.runs.iter().filter(|run| run.level == level).collect();
        let visits = runs.iter().filter(|run| is_read(run)).count();
        let is_to_come = |run: &Run| !is_read(run) && matches!(run.state(), RunState::Waiting | RunState::Begun);
        Visited {
            letter: letters(&[Slot { level, rig: 0 }]),
            visits,
            to_come: runs.iter().filter(|run| is_to_come(run)).count(),
            readings: own.len(),
            mean: mean_of(&own, record),
            of_first: against_first(level, assessment),
        }
    };
    (0..levels).map(of_level).collect()
}

/// Of the first quantity that all of these readings have.
fn mean_of(own: &[&ReadingRecord], record: &TestRecord) -> Option<(f64, Compared)> {
    Compared::ALL.iter().find_map(|what| {
        let values = own.iter().map(|reading| value_of(*what, &reading.figures, &record.setup)).collect::<Option<Vec<f64>>>();
        let values = values.filter(|values| !values.is_empty())?;
        Some((values.iter().sum::<f64>() / values.len() as f64, *what))
    })
}

/// An interval of this or more either way, percent of the first, says nothing of a state: its answer says why.
const SAYS_NOTHING_PERCENT: f64 = 100.0;

/// A level as percent of the baseline, where the two are compared as shares.
fn against_first(level: usize, assessment: &Assessment<'_>) -> Option<(Figure, LevelVerdict)> {
    let found = assessment.outcome.comparison()?.as_ref().ok().filter(|found| level > 0 && !found.is_absolute)?;
    let difference = &found.levels.iter().find(|one| one.difference.level == level)?.difference;
    if difference.u_percent >= SAYS_NOTHING_PERCENT {
        return None;
    }
    Some((Figure::new(difference.percent, difference.u_percent), assessment.level_verdict(level)))
}
