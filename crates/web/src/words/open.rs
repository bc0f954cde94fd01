//! An open test in words: its states, and what it would gain most from.

use super::settle::settle;
use crate::figures::percent;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, differences};
use flindo_core::record::language::work::Turn;
use flindo_core::record::open::State;
use flindo_core::review::next::NextAct;

/// The parts of a state as a person says them: "S-1", "flat", "left half shaded".
pub fn parts(conditions: &Conditions) -> Vec<String> {
    conditions.iter().filter_map(|(factor, condition)| part(*factor, condition)).collect()
}

fn part(factor: Factor, condition: &Condition) -> Option<String> {
    let typed = condition.typed.trim();
    match (&condition.value, factor) {
        // What is usual is not said.
        (Value::Shade(patches), _) if patches.is_empty() => None,
        (Value::Degrees(0.0), Factor::Tilt) => Some("flat".to_owned()),
        (Value::Degrees(degrees), Factor::Tilt) => Some(format!("{degrees}\u{b0}")),
        (Value::Degrees(degrees), _) => Some(super::compass(*degrees)),
        _ => Some(typed.to_owned()),
    }
}

/// A state as one name.
pub fn state(conditions: &Conditions) -> String {
    parts(conditions).join(" \u{b7} ")
}

/// One of the states by a short name: the first by all that is said of it, the others by what differs.
pub fn name_of(states: &[State], at: usize) -> String {
    let (first, own) = (&states[0].conditions, &states[at].conditions);
    let differ = differences(first, own);
    let name = state(&own.iter().filter(|(factor, _)| differ.contains(factor)).map(|(f, c)| (*f, c.clone())).collect());
    if at == 0 || name.is_empty() { state(own) } else { name }
}

/// Panels that are read one after the other: "S-1 … S-4 one by one, Voc".
pub fn turn(turn: &Turn) -> String {
    let tag = |of: Option<&(String, String)>| of.map(|(_, tag)| tag.clone()).unwrap_or_default();
    let quantity = turn.quantity.map(|quantity| format!(", {}", quantity.label())).unwrap_or_default();
    format!("{} \u{2026} {} one by one{quantity}", tag(turn.panels.first()), tag(turn.panels.last()))
}

/// What to do, as a person would say it.
pub fn act(act: &NextAct) -> String {
    match act {
        NextAct::Read | NextAct::ReadChange => "Read this state".to_owned(),
        NextAct::InTurn { tag, quantity, .. } => match quantity {
            Some(quantity) => format!("Read {} of {tag}", quantity.label()),
            None => format!("Read {tag}"),
        },
        NextAct::Change => "Change one thing, and read again".to_owned(),
        NextAct::BackTo { state: back } => format!("Back to {} once more", state(&back.conditions)),
        NextAct::Again { .. } => "One more of each".to_owned(),
        NextAct::Settle(one) => super::capital(settle(one)),
        NextAct::Enough => "Enough".to_owned(),
    }
}

/// What it brings.
pub fn brings(act: &NextAct) -> String {
    match act {
        NextAct::Read => "the first state".to_owned(),
        NextAct::ReadChange => "what the change does".to_owned(),
        NextAct::InTurn { left: 1, .. } => "the last one; a figure by itself is of it".to_owned(),
        NextAct::InTurn { left, .. } => format!("{left} are left; a figure by itself is of the next one"),
        NextAct::Change => "a comparison".to_owned(),
        NextAct::BackTo { .. } => "the drift of the light between".to_owned(),
        NextAct::Again { u_percent, then_percent } => {
            format!("\u{b1} {} becomes \u{b1} {}", percent(*u_percent), percent(*then_percent))
        }
        NextAct::Settle(_) => "a narrower interval".to_owned(),
        NextAct::Enough => "every difference here is shown".to_owned(),
    }
}
