//! The states of an open test beside each other: what each gave, and how it stands to the first.

use super::summary::Figure;
use crate::record::open::{Answered, State};
use crate::record::test::TestRecord;
use crate::verdict::assessment::Assessment;
use crate::verdict::comparison::{Compared, value_of};
use crate::verdict::conformity::LevelVerdict;

/// One state with its figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Visited {
    pub letter: String,
    pub visits: usize,
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
            let values = |what: Compared| -> Option<Vec<f64>> {
                own.iter().map(|reading| value_of(what, &reading.figures, &entered.setup)).collect()
            };
            let mean = Compared::ALL.iter().find_map(|what| {
                let values = values(*what).filter(|values| !values.is_empty())?;
                Some((values.iter().sum::<f64>() / values.len() as f64, *what))
            });
            let of_first = answers.iter().find_map(|(one, assessment)| against_first(at, one, assessment));
            Visited { letter: state.letter.clone(), visits: state.run_ids.len(), readings: own.len(), mean, of_first }
        })
        .collect()
}

/// An interval of this or more either way, percent of the first, says nothing of a state: its answer says why.
const SAYS_NOTHING_PERCENT: f64 = 100.0;

/// A state as percent of the first, in an answer whose baseline is the first.
fn against_first(at: usize, one: &Answered, assessment: &Assessment<'_>) -> Option<(Figure, LevelVerdict)> {
    let level = one.states.iter().position(|state| *state == at).filter(|level| *level > 0 && one.states[0] == 0)?;
    let found = assessment.outcome.comparison()?.as_ref().ok().filter(|found| !found.is_absolute)?;
    let difference = &found.levels.iter().find(|one| one.difference.level == level)?.difference;
    if difference.u_percent >= SAYS_NOTHING_PERCENT {
        return None;
    }
    Some((Figure::new(difference.percent, difference.u_percent), assessment.level_verdict(level)))
}
