//! What an open test would gain most from now.

use crate::measure::quantity::Quantity;
use crate::record::language::work::Turn;
use crate::record::open::{Answered, State, at_work, waits};
use crate::record::test::TestRecord;
use crate::verdict::assessment::{Act, Assessment, Settle};
use crate::verdict::conformity::LevelVerdict;
use crate::verdict::finding::Finding;

/// An act, and what it would bring.
#[derive(Debug, Clone, PartialEq)]
pub enum NextAct {
    /// Nothing was read yet.
    Read,
    /// Something was changed and not read yet.
    ReadChange,
    /// The next panel of those that are read one after the other, by its tag; so many are left with it.
    InTurn {
        tag: String,
        quantity: Option<Quantity>,
        left: usize,
    },
    /// Only one state was read: change one thing.
    Change,
    /// The first state once more, so that the drift between is known.
    BackTo {
        state: State,
    },
    /// One more of each state: half the 95 % interval now and after, percent.
    Again {
        u_percent: f64,
        then_percent: f64,
    },
    Settle(Settle),
    Enough,
}

/// The acts that are worth most, the most first. `entered`: the test as it was entered; `answers` as [`crate::record::open::answered`] has
/// them, each with its assessment; `turn`: that of the work.
pub fn next_acts(
    entered: &TestRecord,
    turn: Option<&Turn>,
    states: &[State],
    answers: &[(&Answered, Assessment<'_>)],
) -> Vec<NextAct> {
    let current = at_work(entered).and_then(|run| run.state.as_ref());
    let to_come = turn.zip(current).map(|(turn, current)| (turn.to_come(current), turn.quantity));
    if let Some(([(_, tag), ..], quantity)) = to_come {
        let left = to_come.map_or(0, |(panels, _)| panels.len());
        return vec![NextAct::InTurn { tag: tag.clone(), quantity, left }];
    }
    if states.is_empty() {
        return vec![NextAct::Read];
    }
    if waits(entered).is_some_and(|waits| waits.wants > 0) {
        return vec![NextAct::ReadChange];
    }
    let Some((main, assessment)) = answers.first().filter(|(_, assessment)| assessment.outcome.comparison().is_some()) else {
        return if states.len() == 1 { vec![NextAct::Change] } else { of_settles(answers) };
    };
    let mut acts = Vec::new();
    let is_open = assessment.named.iter().any(|named| matches!(named.finding, Finding::Unbracketed { .. }));
    if is_open && let Some(state) = main.states.first().and_then(|at| states.get(*at)) {
        acts.push(NextAct::BackTo { state: state.clone() });
    }
    let found = assessment.outcome.comparison().and_then(|found| found.as_ref().ok());
    let widest = found.into_iter().flat_map(|found| &found.levels).map(|one| one.difference.u_percent).fold(0.0, f64::max);
    for settle in &assessment.settles {
        acts.push(match (settle.act, settle.u_percent) {
            (Act::Repeat { .. }, Some(then_percent)) if then_percent < widest => {
                NextAct::Again { u_percent: widest, then_percent }
            }
            _ => NextAct::Settle(*settle),
        });
    }
    let is_claimed = |verdict: LevelVerdict| matches!(verdict, LevelVerdict::More | LevelVerdict::Less);
    let is_enough =
        found.is_some_and(|found| found.levels.iter().all(|one| is_claimed(assessment.level_verdict(one.difference.level))));
    if is_enough && acts.is_empty() {
        acts.push(NextAct::Enough);
    }
    acts
}

fn of_settles(answers: &[(&Answered, Assessment<'_>)]) -> Vec<NextAct> {
    let settles = answers.iter().flat_map(|(_, assessment)| &assessment.settles);
    let acts: Vec<NextAct> = settles.map(|settle| NextAct::Settle(*settle)).collect();
    if acts.is_empty() { vec![NextAct::Change] } else { acts }
}
