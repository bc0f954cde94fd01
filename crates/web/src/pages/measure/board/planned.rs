//! Of a test with a plan: the run at work or to come, its levels, and what they show so far.

use super::{Answer, AnswersPart, AtWork, Board, Button, Chip, Does, Next, StatePart, StateRow, StatesPart, StripRun};
use super::{bar, last, link, mark_of, readings};
use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::draw::aim;
use crate::figures::{clock, clock_short, computed, number, rough, with_u};
use crate::views::evaluated::letter;
use flindo_core::record::order::{Slot, letters};
use flindo_core::record::plan::Plan;
use flindo_core::record::run::{Run, RunEvent, RunEventKind, RunState};
use flindo_core::review::visited::{Visited, visited_levels};
use flindo_store::new_uid;
use jiff::Timestamp;
use jiff::tz::TimeZone;

pub(super) fn board(evaluated: &Evaluated<'_>, plan: &Plan, zone: &TimeZone, part: Paging) -> Board {
    let record = &evaluated.recorded.record;
    let test_id = evaluated.recorded.test.id;
    let at_work = record.at_work();
    // Side by side the rig with fewer readings is next.
    let target = at_work.iter().copied().min_by_key(|run| (record.readings_of(run.id).len(), run.place));
    let mut runs: Vec<&Run> = record.runs.iter().collect();
    runs.sort_by_key(|run| run.place);
    let done = runs.iter().filter(|run| !record.readings_of(run.id).is_empty()).count();
    Board {
        state: state(evaluated, plan, (&at_work, target), zone),
        states: StatesPart {
            test_id,
            done: Some((done, runs.len())),
            rows: rows(evaluated, target),
            strip: runs.iter().map(|run| strip_run(evaluated, run, &at_work)).collect(),
        },
        answers: answers(evaluated, plan, target.is_none()),
        readings: readings(evaluated, zone, part),
    }
}

fn strip_run(evaluated: &Evaluated<'_>, run: &Run, at_work: &[&Run]) -> StripRun {
    let readings = evaluated.recorded.record.readings_of(run.id).len();
    let is_current = at_work.iter().any(|current| current.id == run.id);
    let state = match run.state() {
        _ if is_current => "current",
        RunState::Skipped => "skipped",
        _ if readings > 0 => "done",
        RunState::Done | RunState::Begun | RunState::Waiting => "open",
    };
    StripRun {
        id: run.id,
        number: run.place,
        letter: letter(run),
        name: evaluated.level_name(run.level),
        state,
        is_current,
        is_added: run.is_added,
        readings,
        reason: run.left_or_resumed().map(|(what, why)| format!("{}: {why}", what.label())).unwrap_or_default(),
        uid: new_uid(),
    }
}

fn state(evaluated: &Evaluated<'_>, plan: &Plan, (at_work, target): (&[&Run], Option<&Run>), zone: &TimeZone) -> StatePart {
    let record = &evaluated.recorded.record;
    let test_id = evaluated.recorded.test.id;
    let again = |run: String| {
        happens(
            &format!("Repeat {}", letters(&[Slot { level: 0, rig: 0 }])),
            Some("b"),
            format!("/tests/{test_id}/repeat"),
            vec![("run", run)],
        )
    };
    let Some(run) = target else {
        return StatePart {
            run: None,
            chips: vec![Chip::of("All runs are done".to_owned(), true)],
            last: last(evaluated),
            bracket: None,
            told: Vec::new(),
            next: Some(Next { act: String::new(), button: Some(result(test_id, true)), brings: String::new() }),
            taps: vec![again("none".to_owned())],
            drawings: Vec::new(),
        };
    };
    let (read, is_begun) = (record.readings_of(run.id).len(), run.state() == RunState::Begun);
    let wants = plan.readings_per_run.saturating_sub(read);
    let since_s = run.begun_utc().map_or(0.0, |begun| (Timestamp::now().as_second() - begun.as_second()) as f64);
    let of_run = format!("/tests/{test_id}/runs/{}", run.id);
    let marks = |label, key, what: &str| happens(label, Some(key), of_run.clone(), vec![("what", what.to_owned())]);
    let asks = |label: &str, key, what: &str, asked, sends| Button {
        label: label.to_owned(),
        key: Some(key),
        is_primary: false,
        does: Does::Asks { path: of_run.clone(), fields: vec![("what", what.to_owned()), ("uid", new_uid())], asked, sends },
    };
    let mut drawings = Vec::from_iter(evaluated.faces(run));
    drawings.push(aim::draw(evaluated.tilt_deg(run), record.setup.azimuth_deg));
    StatePart {
        run: Some(AtWork {
            id: run.id,
            names_lines: true,
            settle_left_s: is_begun.then(|| (plan.settle_s - since_s).max(0.0).ceil() as i64),
            wants,
            count: is_begun.then_some((read, plan.readings_per_run)),
        }),
        chips: chips(evaluated, run, zone),
        last: last(evaluated),
        bracket: evaluated.bracket(),
        told: told(evaluated, (at_work, run), zone),
        next: Some(next(evaluated, plan, run, wants)),
        taps: vec![
            again(run.id.to_string()),
            marks("Cloud", "k", RunEventKind::Cloud.name()),
            asks("Skip", "s", RunEventKind::Skipped.name(), "Why", "Skip"),
            asks("Note", "o", RunEventKind::Note.name(), "Note", "Add note"),
        ],
        drawings,
    }
}

fn happens(label: &str, key: Option<&'static str>, path: String, mut fields: Vec<(&'static str, String)>) -> Button {
    fields.push(("uid", new_uid()));
    Button { label: label.to_owned(), key, is_primary: false, does: Does::Post { path, fields } }
}

/// What has to be there in this run, what differs from the baseline first.
fn chips(evaluated: &Evaluated<'_>, run: &Run, zone: &TimeZone) -> Vec<Chip> {
    let planned = run.planned_utc.filter(|_| run.begun_utc().is_none());
    let planned = planned.map(|planned| format!(", planned {}", clock_short(planned, zone))).unwrap_or_default();
    let rig = if run.rig > 0 { format!(", rig {}", run.rig) } else { String::new() };
    let name = if run.level == 0 { "baseline" } else { "run" };
    let mut chips = vec![Chip::of(format!("{} {name} {}{rig}{planned}", letter(run), run.place), false)];
    let mut parts = evaluated.parts(run);
    parts.sort_by_key(|part| !part.is_changed);
    chips.extend(parts.into_iter().map(|part| Chip::of(part.text, part.is_changed)));
    chips
}

fn told(evaluated: &Evaluated<'_>, (at_work, run): (&[&Run], &Run), zone: &TimeZone) -> Vec<String> {
    let record = &evaluated.recorded.record;
    let beside = at_work.iter().filter(|other| other.id != run.id).map(|other| {
        let parts = evaluated.parts(other).into_iter().map(|part| part.text).collect::<Vec<_>>().join(" \u{b7} ");
        let read = record.readings_of(other.id).len();
        format!("At the same time, rig {}: {} {parts}, {read} read", other.rig, letter(other))
    });
    let happened = |event: &RunEvent| match event.what {
        RunEventKind::Cloud => Some(format!("cloud: {}", clock(event.at_utc, zone))),
        RunEventKind::Note => Some(format!("note: {}", event.text)),
        RunEventKind::Corrected => Some("state: corrected".to_owned()),
        RunEventKind::Begun | RunEventKind::Done | RunEventKind::Skipped | RunEventKind::Resumed | RunEventKind::Confirmed => {
            None
        }
    };
    beside.chain(run.events.iter().filter_map(happened)).collect()
}

fn next(evaluated: &Evaluated<'_>, plan: &Plan, run: &Run, wants: usize) -> Next {
    let record = &evaluated.recorded.record;
    let is_begun = run.state() == RunState::Begun;
    let after = record.next_after(Some(run)).map(|next| format!("{} {}", letter(next), evaluated.level_name(next.level)));
    let (label, act) = match (is_begun, after) {
        (false, _) => ("Begin this run".to_owned(), "begin"),
        (true, Some(after)) => (format!("Next: {after}"), "end"),
        (true, None) => ("Done".to_owned(), "end"),
    };
    let is_primary = !is_begun || wants == 0;
    let path = format!("/tests/{}/next", evaluated.recorded.test.id);
    let fields = vec![("run", run.id.to_string()), ("act", act.to_owned())];
    Next {
        act: label.clone(),
        button: Some(Button { is_primary, ..happens(&label, Some("n"), path, fields) }),
        brings: match (is_begun, wants) {
            (false, _) => format!("settles {} s", number(plan.settle_s, 0)),
            (true, 0) => String::new(),
            (true, 1) => "after one more reading".to_owned(),
            (true, wants) => format!("after {wants} more readings"),
        },
    }
}

/// The levels of a comparison beside the baseline; of ratings, the panels beside their labels.
fn rows(evaluated: &Evaluated<'_>, target: Option<&Run>) -> Vec<StateRow> {
    let rows = visited_levels(&evaluated.recorded.record, &evaluated.assessment);
    rows.into_iter().enumerate().map(|(level, row)| level_row(evaluated, level, row, target)).collect()
}

fn level_row(evaluated: &Evaluated<'_>, level: usize, row: Visited, target: Option<&Run>) -> StateRow {
    let rated = (!evaluated.is_comparison()).then(|| evaluated.assessment.level(level)).flatten();
    let pmax = rated.and_then(|one| Some((one.rating.pmax.as_ref()?, one.subject.rated_w()?)));
    let (percent, interval) = match (&row.of_first, pmax) {
        (Some((figure, _)), _) => {
            (with_u(figure.value, figure.u, "%").to_string(), Some(bar(figure.low(), figure.value, figure.high())))
        }
        (None, Some((pmax, _))) => {
            let (percent, u) = (pmax.percent, pmax.u_percent);
            (with_u(percent, u, "%").to_string(), Some(bar(percent - u, percent, percent + u)))
        }
        (None, None) if level == 0 && evaluated.is_comparison() && row.readings > 0 => ("100\u{a0}%".to_owned(), None),
        (None, None) => (String::new(), None),
    };
    let mean = row.mean.map(|(mean, of)| rough(mean, of.unit()).to_string());
    StateRow {
        letter: row.letter,
        name: evaluated.level_name(level),
        visits: format!("{} of {} read", row.visits, row.visits + row.to_come),
        mean: pmax.map(|(pmax, rated_w)| computed(pmax.percent / 100.0 * rated_w, "W").to_string()).or(mean).unwrap_or_default(),
        percent,
        mark: match (row.of_first, rated) {
            (Some((_, verdict)), _) => mark_of(verdict),
            (None, Some(_)) if interval.is_some() => "probable",
            (None, _) => "not-shown",
        },
        is_current: target.is_some_and(|run| run.level == level),
        bar: interval,
    }
}

fn answers(evaluated: &Evaluated<'_>, plan: &Plan, is_done: bool) -> AnswersPart {
    let test_id = evaluated.recorded.test.id;
    let mark = if evaluated.is_comparison() { evaluated.compared_mark() } else { evaluated.verdict().mark };
    let expected = (!plan.prediction.is_empty()).then(|| format!("Expected: {}", plan.prediction));
    let answer = Answer {
        mark,
        headline: evaluated.headline(),
        because: expected.unwrap_or_default(),
        to_do: Vec::new(),
        question: plan.question.label(),
    };
    let mut links = vec![link("Run sheet", Some("t"), format!("/tests/{test_id}/sheet"))];
    if !is_done {
        links.insert(0, result(test_id, false));
    }
    AnswersPart { answers: vec![answer], links }
}

fn result(test_id: i64, is_primary: bool) -> Button {
    Button { is_primary, ..link("Result", Some("r"), format!("/tests/{test_id}/result")) }
}
