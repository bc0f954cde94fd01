//! An open test: what was measured first and asked afterwards. Its runs carry their states; each factor that changed alone between some of
//! them gives a comparison, the panels that stood alone give ratings, and each is judged as the planned test that it amounts to.

use super::beside::Beside;
use super::condition::{Condition, Conditions, Factor, MeasuredAt, Value, differences, panels_of, rig_of, shade_of};
use super::names::Id;
use super::order::Slot;
use super::order::{Order, letters, runs as order_runs};
use super::plan::{Plan, USUAL_REPEAT_PERCENT, usual_settle_s};
use super::question::Question;
use super::run::Run;
use super::setup::{Load, SetupTyped};
use super::test::TestRecord;

/// A state of an open test: conditions that are the same are one state, however often they were visited.
#[derive(Debug, Clone, PartialEq)]
pub struct State {
    /// "A" for the first.
    pub letter: String,
    pub conditions: Conditions,
    /// Its visits, in the order of their beginnings.
    pub run_ids: Vec<i64>,
}

/// A question that the readings of an open test answer, as a test of its own.
#[derive(Debug, Clone, PartialEq)]
pub struct Answered {
    /// Places of its levels in the list of states, the baseline first.
    pub states: Vec<usize>,
    pub record: TestRecord,
}

/// The conditions that a test begins in, as far as somebody said them: what hangs there, unshaded, and what its set-up says.
pub fn first_state(setup: &SetupTyped, hangs: (Factor, Condition)) -> Conditions {
    let unshaded = Condition { typed: "none".to_owned(), value: Value::Shade(Vec::new()) };
    let mut state = Conditions::from([hangs, (Factor::Shade, unshaded)]);
    for (factor, text) in [(Factor::Tilt, &setup.tilt_deg), (Factor::Azimuth, &setup.azimuth_deg)] {
        if let Ok(degrees) = text.trim().parse() {
            state.insert(factor, Condition::degrees(degrees));
        }
    }
    if let Some(load) = Load::from_name(setup.load.trim()) {
        state.insert(Factor::Load, Condition { typed: load.label().to_owned(), value: Value::LoadKind(load) });
    }
    state
}

/// The run that was begun last, whose state is the one at work.
pub fn at_work(record: &TestRecord) -> Option<&Run> {
    visits(record).pop()
}

/// What a visit without a plan still waits for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AtWork {
    pub run_id: i64,
    /// When its load has settled, Unix seconds. A change that came with its reading had settled; one that was entered by itself takes as
    /// long as its load usually does. `None` before the first reading of what hung there already.
    pub settled_s: Option<f64>,
    /// Readings that it still wants: one, so that every visit counts alike.
    pub wants: usize,
}

/// The visit at work; `None` before the first.
pub fn waits(record: &TestRecord) -> Option<AtWork> {
    let run = at_work(record)?;
    let is_read = record.readings.iter().any(|reading| reading.run_id == Some(run.id));
    let settles_s = if is_read || stood_beside(record, run) { 0.0 } else { usual_settle_s(record.setup.load) };
    let settled_s = run.begun_utc().map(|begun| begun.as_millisecond() as f64 / 1000.0 + settles_s);
    Some(AtWork { run_id: run.id, settled_s, wants: usize::from(!is_read) })
}

/// Whether a visit goes back to a rig that stood there unchanged while another one was read: nothing has to settle.
fn stood_beside(record: &TestRecord, run: &Run) -> bool {
    let (before, rigs) = (visits(record), panels_of_rigs(record));
    let visited: Vec<Conditions> = before.iter().take_while(|one| one.id != run.id).filter_map(|one| one.state.clone()).collect();
    let (Some(last), Some(state)) = (visited.last(), &run.state) else { return false };
    let stood = rig_of(state).and_then(|rig| Beside { rigs: &rigs, visited: &visited }.state_of(rig, last));
    stood.is_some_and(|stood| differences(stood, state).is_empty())
}

/// The panels of each rig.
pub fn panels_of_rigs(record: &TestRecord) -> Vec<(Id, Vec<Id>)> {
    record.rigs.iter().map(|rig| (rig.id.clone(), rig.panels.concat())).collect()
}

/// The states of the rigs that stand there beside the one at work.
pub fn beside(record: &TestRecord) -> Vec<Conditions> {
    let visited: Vec<Conditions> = visits(record).into_iter().filter_map(|run| run.state.clone()).collect();
    let rigs = panels_of_rigs(record);
    let Some(current) = visited.last() else { return Vec::new() };
    let of = |(id, _): &(Id, Vec<Id>)| Beside { rigs: &rigs, visited: &visited }.state_of(id, current).cloned();
    rigs.iter().filter_map(of).collect()
}

/// The visits of an open test in the order of their beginnings.
pub fn visits(record: &TestRecord) -> Vec<&Run> {
    let mut runs: Vec<&Run> = record.runs.iter().filter(|run| run.state.is_some()).collect();
    runs.sort_by_key(|run| (run.begun_utc(), run.place));
    runs
}

/// The states that were read, in the order of their first visits.
pub fn states(record: &TestRecord) -> Vec<State> {
    let mut states: Vec<State> = Vec::new();
    for run in visits(record) {
        let is_read = record.readings.iter().any(|reading| reading.run_id == Some(run.id));
        let Some(conditions) = run.state.as_ref().filter(|_| is_read) else { continue };
        match states.iter_mut().find(|state| differences(&state.conditions, conditions).is_empty()) {
            Some(state) => state.run_ids.push(run.id),
            None => {
                let letter = letters(&[Slot { level: states.len(), rig: 0 }]);
                states.push(State { letter, conditions: conditions.clone(), run_ids: vec![run.id] });
            }
        }
    }
    states
}

/// The questions that an open test answers, the ones with most states first; each as the record of a planned test. A comparison needs two
/// states with readings that differ in one thing; a rating a panel that stood alone and free.
pub fn answered(record: &TestRecord) -> Vec<Answered> {
    let states = states(record);
    let read: Vec<usize> = (0..states.len()).collect();
    let mut found: Vec<Answered> = Vec::new();
    let of_sum = sum_of(&states, &read);
    if let Some(group) = of_sum {
        found.push(answer(record, &states, Question::UnlikeTogether, group));
    }
    for factor in Factor::ALL {
        for group in alike_but_for(*factor, &states, &read) {
            let is_there = found.iter().any(|one| one.states == group);
            if !is_there {
                found.push(answer(record, &states, question_of(*factor, &states, &group), group));
            }
        }
    }
    found.sort_by_key(|one| std::cmp::Reverse(one.states.len()));
    let rated = rated(record, &states, &read);
    if !rated.is_empty() {
        found.push(answer(record, &states, Question::MakesRating, rated));
    }
    found
}

/// The states that differ from each other in one factor and nothing else, in groups of two or more.
fn alike_but_for(factor: Factor, states: &[State], read: &[usize]) -> Vec<Vec<usize>> {
    let without = |at: usize| {
        let mut conditions = states[at].conditions.clone();
        conditions.remove(&factor);
        conditions
    };
    let mut groups: Vec<(Conditions, Vec<usize>)> = Vec::new();
    for at in read.iter().filter(|at| is_part(factor, &states[**at].conditions)) {
        let rest = without(*at);
        match groups.iter_mut().find(|(of, _)| differences(of, &rest).is_empty()) {
            Some((_, group)) => group.push(*at),
            None => groups.push((rest, vec![*at])),
        }
    }
    groups.into_iter().map(|(_, group)| group).filter(|group| group.len() > 1).collect()
}

/// Strings are held against each other, not against all of them at once.
fn is_part(factor: Factor, conditions: &Conditions) -> bool {
    let is_whole = || conditions.get(&Factor::MeasuredAt).is_some_and(|one| one.value == Value::MeasuredAt(MeasuredAt::Together));
    factor != Factor::MeasuredAt || !is_whole()
}

/// States of each of some panels alone and of all of them together, the rest alike.
fn sum_of(states: &[State], read: &[usize]) -> Option<Vec<usize>> {
    let panels = |at: usize| panels_of(&states[at].conditions).unwrap_or_default();
    let together = read.iter().copied().filter(|at| panels(*at).len() > 1).max_by_key(|at| panels(*at).len())?;
    let rest = |at: usize| {
        let mut conditions = states[at].conditions.clone();
        conditions.remove(&Factor::Panel);
        conditions.remove(&Factor::Wiring);
        conditions
    };
    let of_all = rest(together);
    let is_alone = |at: &usize| {
        panels(*at).len() == 1 && panels(together).contains(&panels(*at)[0]) && differences(&rest(*at), &of_all).is_empty()
    };
    let mut group: Vec<usize> = read.iter().copied().filter(is_alone).collect();
    let alone: Vec<&Id> = group.iter().map(|at| &panels(*at)[0]).collect();
    if !panels(together).iter().all(|id| alone.contains(&id)) {
        return None;
    }
    group.push(together);
    Some(group)
}

/// The first state of each panel that stands alone and unshaded, and whose label was read.
fn rated(record: &TestRecord, states: &[State], read: &[usize]) -> Vec<usize> {
    let mut seen: Vec<&Id> = Vec::new();
    let mut group = Vec::new();
    for at in read {
        let conditions = &states[*at].conditions;
        let is_free = shade_of(conditions).is_some_and(|patches| patches.is_empty());
        let has_label = |id: &Id| record.panel(id).is_some_and(|panel| panel.label.rated_w.is_some());
        if let (Some([only]), true) = (panels_of(conditions), is_free)
            && !seen.contains(&only)
            && has_label(only)
        {
            seen.push(only);
            group.push(*at);
        }
    }
    group
}

/// What is asked where one factor changes.
fn question_of(factor: Factor, states: &[State], group: &[usize]) -> Question {
    let typed = || group.iter().filter_map(|at| states[*at].conditions.get(&factor)).map(|one| one.typed.to_lowercase());
    match factor {
        Factor::Panel => Question::AgainstTwin,
        Factor::Sky => Question::PoorLight,
        Factor::Tilt if group.len() == 2 && typed().any(|text| text == "flat" || text == "0") => Question::FlatOrTilted,
        Factor::Tilt | Factor::Azimuth => Question::WhichTilt,
        Factor::Shade => Question::ShadeCost,
        Factor::Covers | Factor::MeasuredAt => Question::WhichStrings,
        Factor::Temperature => Question::HeatCost,
        Factor::Face => Question::BothFaces,
        Factor::Wiring => Question::SeriesOrParallel,
        Factor::Load => Question::WhichController,
        Factor::Day => Question::HowMuchInADay,
        Factor::Rig | Factor::Step => Question::Improvements,
    }
}

/// The record of the planned test that some states amount to: the first is the baseline, the runs are their visits.
fn answer(record: &TestRecord, states: &[State], question: Question, group: Vec<usize>) -> Answered {
    let baseline = states[group[0]].conditions.clone();
    let level_of = |run: &Run| group.iter().position(|at| states[*at].run_ids.contains(&run.id));
    let runs: Vec<Run> = visits(record)
        .into_iter()
        .filter_map(|run| Some((run, level_of(run)?)))
        .enumerate()
        .map(|(nth, (run, level))| Run { place: nth as i64 + 1, level, rig: 0, ..run.clone() })
        .collect();
    let levels = group[1..].iter().map(|at| changes(&baseline, &states[*at].conditions)).collect();
    let plan = Plan {
        question,
        order: if question.is_of_rating() { Order::Repeats } else { order_of(&runs, group.len() - 1) },
        levels,
        times: 1,
        readings_per_run: 1,
        settle_s: 0.0,
        repeat_rel: USUAL_REPEAT_PERCENT / 100.0,
        prediction: String::new(),
        baseline,
    };
    let panel = panels_of(&plan.baseline).and_then(|ids| ids.first()).cloned().unwrap_or_else(|| record.panel.clone());
    let rig = match plan.baseline.get(&Factor::Rig).map(|condition| &condition.value) {
        Some(Value::Rig(id)) => Some(id.clone()),
        _ => record.rig.clone(),
    };
    let is_of_it = |run_id: Option<i64>| runs.iter().any(|run| Some(run.id) == run_id);
    let readings = record.readings.iter().filter(|reading| is_of_it(reading.run_id)).cloned().collect();
    Answered { states: group, record: TestRecord { question, panel, rig, plan: Some(plan), runs, readings, ..record.clone() } }
}

/// What a state changes of the baseline. A condition that it lacks cannot be taken away by a level: states of one group have the same
/// factors but for the one that differs.
fn changes(baseline: &Conditions, state: &Conditions) -> Conditions {
    let differ = differences(baseline, state);
    state.iter().filter(|(factor, _)| differ.contains(factor)).map(|(factor, one)| (*factor, one.clone())).collect()
}

/// The order that the visits followed: up and back where it is one, every level twice in its bracket, and else each level on its way.
fn order_of(runs: &[Run], levels: usize) -> Order {
    let visited: Vec<usize> = runs.iter().map(|run| run.level).collect();
    let is = |order: &Order| order_runs(*order, levels, 1).iter().map(|slot| slot.level).eq(visited.iter().copied());
    [Order::Aba, Order::Abba, Order::LadderAndBack].into_iter().find(is).unwrap_or_default()
}
