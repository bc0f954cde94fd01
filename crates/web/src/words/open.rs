//! An open test in words: its states, and what it would gain most from.

use super::settle::settle;
use crate::figures::percent;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value};
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

/// What to do, as a person would say it.
pub fn act(act: &NextAct) -> String {
    match act {
        NextAct::Read | NextAct::ReadChange => "Read this state".to_owned(),
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
        NextAct::Change => "a comparison".to_owned(),
        NextAct::BackTo { .. } => "the drift of the light between".to_owned(),
        NextAct::Again { u_percent, then_percent } => {
            format!("\u{b1} {} becomes \u{b1} {}", percent(*u_percent), percent(*then_percent))
        }
        NextAct::Settle(_) => "a narrower interval".to_owned(),
        NextAct::Enough => "every difference here is shown".to_owned(),
    }
}
