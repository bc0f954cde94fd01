//! Of a test without a plan: its states, and every question that they answer.

use super::{Answer, AnswersPart, AtWork, Board, Button, Chip, Does, Next, StatePart, StateRow, StatesPart};
use super::{bar, last, link, mark_of, readings};
use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::figures::{rough, with_u};
use crate::words::open;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, differences};
use flindo_core::record::open::{at_work, beside, waits};
use flindo_core::review::next::{NextAct, next_acts};
use flindo_core::review::visited::{Visited, visited};
use flindo_store::OpenTest;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// Factors that a chip stands for also while nothing is said of them, with its words then.
const OFFERED: [(Factor, &str); 4] =
    [(Factor::Tilt, "tilt"), (Factor::Shade, "shade"), (Factor::Load, "load"), (Factor::Sky, "sky")];

pub(super) fn board(evaluated: &Evaluated<'_>, opened: &OpenTest, zone: &TimeZone, part: Paging) -> Board {
    let test_id = evaluated.recorded.test.id;
    let current = at_work(&opened.entered).and_then(|run| run.state.clone()).unwrap_or_default();
    let first = opened.states.first().map(|state| &state.conditions);
    let differ = first.map(|first| differences(first, &current)).unwrap_or_default();
    let answers = evaluated.answers();
    let acts = next_acts(&opened.entered, opened.turn.as_ref().map(|(_, turn)| turn), &opened.states, &answers);
    let rows = visited(&opened.entered, &opened.states, &answers);
    let beside = beside(&opened.entered);
    let is_current = |at: usize| differences(&opened.states[at].conditions, &current).is_empty();
    let last = last(evaluated);
    let mut links = Vec::new();
    if last.is_some() {
        links.push(link("Result", Some("r"), format!("/tests/{test_id}/result")));
        links.push(link("Correct a state", None, format!("/tests/{test_id}/states")));
    }
    Board {
        state: StatePart {
            run: waits(&opened.entered).map(|waits| AtWork {
                id: waits.run_id,
                names_lines: false,
                settle_left_s: Some(waits.settled_s.map_or(0, left_s)),
                wants: waits.wants,
                count: None,
            }),
            chips: chips(&current, &differ),
            last,
            bracket: None,
            told: beside.iter().map(|state| format!("Beside it: {}", open::state(state))).collect(),
            next: acts.first().map(next),
            taps: taps(&current, &beside, opened.states.len(), differ.is_empty()),
            drawings: Vec::new(),
        },
        states: StatesPart {
            test_id,
            strip: Vec::new(),
            done: None,
            rows: opened
                .states
                .iter()
                .zip(rows)
                .enumerate()
                .map(|(at, (_, row))| state_row(open::name_of(&opened.states, at), row, at == 0, is_current(at)))
                .collect(),
        },
        answers: AnswersPart {
            answers: answers
                .iter()
                .map(|(one, assessment)| Answer {
                    mark: "",
                    headline: evaluated.headline_of(&one.record, assessment),
                    because: String::new(),
                    to_do: Vec::new(),
                    question: one.record.question.label(),
                })
                .collect(),
            links,
        },
        readings: readings(evaluated, zone, part),
    }
}

/// Seconds from now to a moment; none to one that is over.
fn left_s(unix_s: f64) -> i64 {
    (unix_s - Timestamp::now().as_millisecond() as f64 / 1000.0).ceil().max(0.0) as i64
}

fn chips(current: &Conditions, differ: &[Factor]) -> Vec<Chip> {
    let of_one = |(factor, condition): (&Factor, &Condition)| {
        let words = open::parts(&Conditions::from([(*factor, condition.clone())]));
        let chip = |words| Chip { words, differs: differ.contains(factor), opens: opens(*factor) };
        words.into_iter().map(chip).collect::<Vec<_>>()
    };
    let mut chips: Vec<Chip> = current.iter().flat_map(of_one).collect();
    for (factor, words) in OFFERED {
        if !chips.iter().any(|chip| chip.opens == opens(factor)) {
            chips.push(Chip { words: words.to_owned(), differs: false, opens: opens(factor) });
        }
    }
    chips
}

/// The choices that a factor's chip opens, by the name of the factor.
fn opens(factor: Factor) -> Option<&'static str> {
    match factor {
        Factor::Panel | Factor::Rig | Factor::Wiring => Some(Factor::Panel.name()),
        Factor::Tilt | Factor::Azimuth => Some(Factor::Tilt.name()),
        Factor::Shade | Factor::Load | Factor::Sky => Some(factor.name()),
        Factor::Covers | Factor::Temperature | Factor::Face | Factor::MeasuredAt | Factor::Step | Factor::Day => None,
    }
}

fn sends(line: &str, is_primary: bool, label: String) -> Button {
    Button { label, key: None, is_primary, does: Does::Line(line.to_owned()) }
}

fn next(act: &NextAct) -> Next {
    let words = open::act(act);
    let button = match act {
        NextAct::BackTo { .. } => Some(sends("back", true, words.clone())),
        NextAct::Read
        | NextAct::ReadChange
        | NextAct::InTurn { .. }
        | NextAct::Change
        | NextAct::Again { .. }
        | NextAct::Settle(_)
        | NextAct::Enough => None,
    };
    Next { act: words, button, brings: open::brings(act) }
}

/// What is likely to be said next, as lines.
fn taps(current: &Conditions, beside: &[Conditions], states: usize, is_first: bool) -> Vec<Button> {
    let is_free = |condition: &Condition| matches!(&condition.value, Value::Shade(patches) if patches.is_empty());
    let mut taps = Vec::new();
    if states > 0 && !is_first {
        taps.push("back");
    }
    if current.get(&Factor::Shade).is_some_and(|shade| !is_free(shade)) {
        taps.push("no shade");
    }
    if current.get(&Factor::Tilt).is_none_or(|tilt| tilt.value != Value::Degrees(0.0)) {
        taps.push("flat");
    }
    taps.push("cloud");
    if states > 0 {
        taps.push("undo");
    }
    let rigs = beside.iter().filter_map(|state| state.get(&Factor::Rig)).map(|rig| rig.typed.as_str());
    rigs.chain(taps).map(|line| sends(line, false, line.to_owned())).collect()
}

fn state_row(name: String, row: Visited, is_first: bool, is_current: bool) -> StateRow {
    StateRow {
        letter: row.letter,
        name,
        visits: if row.visits > 1 { format!("{} visits", row.visits) } else { String::new() },
        mean: row.mean.map(|(mean, of)| rough(mean, of.unit()).to_string()).unwrap_or_default(),
        percent: match &row.of_first {
            Some((figure, _)) => with_u(figure.value, figure.u, "%").to_string(),
            None if is_first => "100\u{a0}%".to_owned(),
            None => String::new(),
        },
        bar: row.of_first.as_ref().map(|(figure, _)| bar(figure.low(), figure.value, figure.high())),
        mark: row.of_first.map_or("not-shown", |(_, verdict)| mark_of(verdict)),
        is_current,
    }
}
