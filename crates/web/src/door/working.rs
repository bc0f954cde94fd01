//! A line at work into an open test: what it changes, what was read, and what has to be asked first. The same for page and program.

use crate::door::entering::{at_time, checked_time, checked_uid};
use crate::error::AppError;
use crate::state::AppState;
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::record::beside::Beside;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, differences};
use flindo_core::record::language::level;
use flindo_core::record::language::work::{Asked, At, IN_TURN, Turn, Understood, WorkEvent, work};
use flindo_core::record::names::{Id, Names};
use flindo_core::record::open::{at_work, first_state, panels_of_rigs, visits};
use flindo_core::record::run::RunEventKind;
use flindo_core::record::setup::SetupTyped;
use flindo_core::sky::note::SkyNote;
use flindo_store::{
    Accepted, NewEvent, NewReading, NewRun, OpenTest, Panel, Reading, Recorded, Revision, RigRow, StoreError, TestDraft,
};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// What became of a line.
pub struct Worked {
    pub understood: Understood,
    /// As they were stored: those of before, where the line says that they are the same.
    pub figures: Figures,
    pub accepted: Accepted,
    pub run_id: Option<i64>,
}

/// A line with its identity and the moment at which it was entered.
pub struct WorkLine<'a> {
    pub uid: &'a str,
    pub typed: &'a str,
    pub entered_utc: Timestamp,
    /// The conditions that its sender says it is of; `None`: as the line itself says.
    pub state: Option<Conditions>,
}

/// The newest reading that stands.
fn last_reading(recorded: &Recorded) -> Option<&Reading> {
    let standing = recorded.lines.iter().filter_map(|line| line.current.as_ref());
    standing.max_by_key(|reading| (reading.what.taken_utc, reading.id))
}

/// The latest figure of each quantity.
fn latest(recorded: &Recorded) -> Figures {
    let mut standing: Vec<&Reading> = recorded.lines.iter().filter_map(|line| line.current.as_ref()).collect();
    standing.sort_by_key(|reading| (reading.what.taken_utc, reading.id));
    let mut latest = Figures::default();
    for (quantity, seen) in standing.iter().flat_map(|reading| reading.what.figures.iter()) {
        latest.set(quantity, *seen);
    }
    latest
}

/// How a note begins that says of what bare figures are from here on; the quantity's name follows.
const UNIT: &str = "bare figures: ";

fn unit_of_note(note: &str) -> Option<Quantity> {
    Quantity::from_name(note.strip_prefix(UNIT)?)
}

/// How a sky that was noted by itself begins among the notes of a run.
const SKY: &str = "sky: ";

/// The sky that was noted last, with a reading or by itself: it holds until another one is noted.
fn sky_now(recorded: &Recorded) -> Option<SkyNote> {
    let of_reading = last_reading(recorded).and_then(|reading| Some((reading.what.taken_utc, reading.what.sky?)));
    let runs = recorded.open.iter().flat_map(|open| &open.entered.runs);
    let noted = runs
        .flat_map(|run| &run.events)
        .filter_map(|event| Some((event.at_utc, SkyNote::from_name(event.text.strip_prefix(SKY)?)?)))
        .max_by_key(|(at_utc, _)| *at_utc);
    of_reading.into_iter().chain(noted).max_by_key(|(at_utc, _)| *at_utc).map(|(_, sky)| sky)
}

/// What a bare figure is of: what the last reading was of, where that is one quantity.
fn last_quantity(recorded: &Recorded) -> Option<Quantity> {
    let last = last_reading(recorded);
    let noted = recorded.open.iter().flat_map(|open| &open.entered.runs).flat_map(|run| &run.events);
    let noted = noted.filter_map(|event| Some((event.at_utc, unit_of_note(&event.text)?))).max_by_key(|(at_utc, _)| *at_utc);
    if let Some((_, quantity)) = noted.filter(|(at_utc, _)| last.is_none_or(|last| *at_utc >= last.what.taken_utc)) {
        return Some(quantity);
    }
    one_quantity(&last?.what.figures)
}

/// The quantity of the panel that was read, where it is one.
fn one_quantity(figures: &Figures) -> Option<Quantity> {
    let of: Vec<Quantity> = figures.iter().map(|(quantity, _)| quantity).filter(|quantity| quantity.is_of_the_panel()).collect();
    if let [only] = of[..] { Some(only) } else { None }
}

/// Where the work stands, as owned values that [`At`] borrows.
#[derive(Clone)]
pub struct Standing {
    names: Names,
    states: Vec<Conditions>,
    pub current: Conditions,
    rig_strings: Vec<Vec<Id>>,
    rigs: Vec<(Id, Vec<Id>)>,
    visited: Vec<Conditions>,
    last: Option<Quantity>,
    latest: Figures,
    /// Since when, and of which panels.
    turn: Option<(Timestamp, Turn)>,
}

/// Where the work of an open test stands.
///
/// # Errors
/// For a test with a plan.
pub async fn standing(state: &AppState, recorded: &Recorded) -> Result<Standing, AppError> {
    let open = opened(recorded)?;
    let record = &open.entered;
    let current = at_work(record).and_then(|run| run.state.clone()).unwrap_or_default();
    let rig = record.rig_at(&current);
    Ok(Standing {
        names: state.store.register().await?.names(),
        states: open.states.iter().map(|state| state.conditions.clone()).collect(),
        rig_strings: rig.map(|rig| rig.panels.clone()).unwrap_or_default(),
        rigs: panels_of_rigs(record),
        visited: visits(record).into_iter().filter_map(|run| run.state.clone()).collect(),
        current,
        last: open.turn.as_ref().and_then(|(_, turn)| turn.quantity).or_else(|| last_quantity(recorded)),
        latest: latest(recorded),
        turn: open.turn.clone(),
    })
}

pub fn opened(recorded: &Recorded) -> Result<&OpenTest, AppError> {
    let message = "This test has a plan: its readings go to the runs of the plan.";
    recorded.open.as_ref().ok_or_else(|| AppError::input("typed", "", message))
}

/// What a line would come to, without writing anything.
pub fn read(standing: &Standing, recorded: &Recorded, typed: &str) -> Result<Understood, Asked> {
    work(
        typed,
        &At {
            names: &standing.names,
            states: &standing.states,
            current: &standing.current,
            rig_strings: &standing.rig_strings,
            beside: Beside { rigs: &standing.rigs, visited: &standing.visited },
            last: standing.last,
            latest: &standing.latest,
            turn: standing.turn.as_ref().map(|(_, turn)| turn),
            setup: recorded.test.setup,
        },
    )
}

/// Takes a line in: begins its state where it changes one, and adds its reading.
///
/// # Errors
/// As any reading; `Ok(Err)` where something has to be asked first.
pub async fn take(
    state: &AppState,
    test_id: i64,
    line: &WorkLine<'_>,
    zone: &TimeZone,
) -> Result<Result<Worked, Asked>, AppError> {
    let uid = checked_uid(line.uid)?;
    let recorded = state.store.recorded(test_id, Timestamp::now()).await?;
    let mut standing = standing(state, &recorded).await?;
    if let Some(sent) = recorded.lines.iter().find(|one| one.newest().what.uid == uid) {
        // It arrived before; what it changed stands with it.
        let run_id = sent.newest().what.run_id;
        if sent.newest().what.typed != line.typed.trim() {
            let message = format!("Another line already has the identity \"{uid}\": give this one its own.");
            return Err(StoreError::Conflict(message).into());
        }
        return Ok(Ok(Worked {
            understood: Understood::default(),
            figures: Figures::default(),
            accepted: Accepted::Already,
            run_id,
        }));
    }
    if let Some(said) = &line.state {
        standing.current.extend(said.clone());
        standing.turn = None;
    }
    let understood = match read(&standing, &recorded, line.typed) {
        Ok(understood) => understood,
        Err(asked) => return Ok(Err(asked)),
    };
    let time = understood.reading.as_ref().and_then(|reading| reading.time).or(understood.time);
    let taken = at_time(time, line.entered_utc, zone)
        .ok_or_else(|| AppError::input("typed", line.typed, "That time cannot be placed on this day."))?;
    let taken_utc = checked_time(taken, "typed", line.typed, zone)?;
    if let Some(asked) = before_its_turn(&standing, &recorded, line.typed, (taken_utc, &understood)) {
        return Ok(Err(asked));
    }
    let run_id = match understood.event {
        Some(WorkEvent::StateCorrection) => corrected(state, &recorded, &understood.state, (&uid, taken_utc)).await?,
        Some(_) | None => run_of(state, &recorded, &understood, &uid, taken_utc).await?,
    };
    let event = |what, text: &str| NewEvent { uid: uid.clone(), what, text: text.to_owned(), at_utc: taken_utc };
    let run_event = match understood.event {
        None | Some(WorkEvent::RepeatState) if understood.turn.is_some() => {
            Some(event(RunEventKind::Note, &format!("{IN_TURN}{}", line.typed.trim())))
        }
        // As a sky by itself, it holds for those that come.
        None | Some(WorkEvent::RepeatState) if understood.unit.is_some() => {
            understood.unit.map(|unit| event(RunEventKind::Note, &format!("{UNIT}{}", unit.name())))
        }
        // A sky without a reading holds for those that come.
        None if understood.reading.is_none() && understood.sky.is_some() => {
            understood.sky.map(|sky| event(RunEventKind::Note, &format!("{SKY}{}", sky.name())))
        }
        Some(WorkEvent::Note) => Some(event(RunEventKind::Note, &understood.note)),
        Some(WorkEvent::Cloud) => Some(event(RunEventKind::Cloud, "")),
        Some(WorkEvent::End) => Some(event(RunEventKind::Done, "")),
        Some(
            WorkEvent::Begin
            | WorkEvent::Undo
            | WorkEvent::Correction
            | WorkEvent::StateCorrection
            | WorkEvent::RepeatState
            | WorkEvent::RepeatValue,
        )
        | None => None,
    };
    if let Some(run_event) = run_event {
        state.store.add_event(test_id, run_id, &run_event).await?;
    }
    let new = new_reading(&recorded, line, &understood, (&uid, run_id, taken_utc))?;
    let figures = match &new {
        Some(new) if understood.event == Some(WorkEvent::RepeatValue) => new.figures.clone(),
        Some(_) | None => understood.figures(),
    };
    let accepted = match new {
        Some(new) => state.store.accept(test_id, &new, Timestamp::now()).await?,
        None => Accepted::New,
    };
    state.hub.tell(test_id);
    Ok(Ok(Worked { understood, figures, accepted, run_id: Some(run_id) }))
}

/// A figure by itself that was taken before its turn began is of none of its panels by order.
fn before_its_turn(
    standing: &Standing,
    recorded: &Recorded,
    typed: &str,
    (taken_utc, understood): (Timestamp, &Understood),
) -> Option<Asked> {
    let (_, turn) = standing.turn.as_ref().filter(|(begun_utc, _)| taken_utc < *begun_utc)?;
    let without = Standing { turn: None, ..standing.clone() };
    if read(&without, recorded, typed).is_ok_and(|alone| alone == *understood) {
        return None;
    }
    let choices = turn.panels.iter().take(4).map(|(_, tag)| format!("{tag}: {typed}")).collect();
    Some(Asked::new("This was before its turn began: of which panel is it?", choices))
}

/// Puts right the state of the run at work, with all its readings; answers its id.
async fn corrected(
    state: &AppState,
    recorded: &Recorded,
    conditions: &Conditions,
    (uid, at_utc): (&str, Timestamp),
) -> Result<i64, AppError> {
    let at_work = at_work(&opened(recorded)?.entered);
    let run = at_work.ok_or_else(|| AppError::input("typed", "", "There is no state yet that this could mean."))?;
    state.store.correct_state(recorded.test.id, run.id, (uid, at_utc), conditions).await?;
    Ok(run.id)
}

/// Puts right the state of any run of an open test by a line that is read beside that state; `Ok(Err)` where something has to be asked.
///
/// # Errors
/// For a line that says nothing of a state, and as any writing.
pub async fn correct_state(
    state: &AppState,
    (test_id, run_id): (i64, i64),
    uid: &str,
    typed: &str,
) -> Result<Result<Conditions, Asked>, AppError> {
    let uid = checked_uid(uid)?;
    let recorded = state.store.recorded(test_id, Timestamp::now()).await?;
    let mut standing = standing(state, &recorded).await?;
    let of_run = opened(&recorded)?.entered.runs.iter().find(|run| run.id == run_id).and_then(|run| run.state.clone());
    standing.current = of_run.ok_or(StoreError::NotFound("run"))?;
    standing.turn = None;
    let understood = match read(&standing, &recorded, typed) {
        Ok(understood) => understood,
        Err(asked) => return Ok(Err(asked)),
    };
    if understood.reading.is_some() || understood.changes.is_empty() && understood.without.is_empty() {
        let message = "This changes nothing of the state. Say what it really was, such as tilt 30, S-2 or no shade.";
        return Err(AppError::input("typed", typed, message));
    }
    state.store.correct_state(test_id, run_id, (&uid, Timestamp::now()), &understood.state).await?;
    state.hub.tell(test_id);
    Ok(Ok(understood.state))
}

/// A reading of an open test with its line typed anew: other figures of the same state, and of the same quantity where they are bare.
///
/// # Errors
/// For a line without a figure, or one that says another state; and where something has to be asked.
pub async fn typed_anew(state: &AppState, test_id: i64, old: &NewReading, typed: &str) -> Result<NewReading, AppError> {
    let recorded = state.store.recorded(test_id, Timestamp::now()).await?;
    let mut standing = standing(state, &recorded).await?;
    let of_run = opened(&recorded)?.entered.runs.iter().find(|run| Some(run.id) == old.run_id).and_then(|run| run.state.clone());
    standing.current = of_run.ok_or(StoreError::NotFound("run"))?;
    standing.last = one_quantity(&old.figures);
    standing.turn = None;
    let understood = read(&standing, &recorded, typed).map_err(|asked| AppError::input("typed", typed, asked.asked))?;
    if !differences(&standing.current, &understood.state).is_empty() {
        let message = "This line is of another state. Give the figures here; the state is put right under \"Correct a state\".";
        return Err(AppError::input("typed", typed, message));
    }
    let Some(reading) = understood.reading else {
        return Err(AppError::input("typed", typed, "There is no figure in this line."));
    };
    let sky = understood.sky.or(reading.sky).or(old.sky);
    Ok(NewReading { typed: typed.trim().to_owned(), figures: reading.figures(), note: understood.note, sky, ..old.clone() })
}

/// The run of a line: that at work, or a new one where the line changes the state.
async fn run_of(
    state: &AppState,
    recorded: &Recorded,
    understood: &Understood,
    uid: &str,
    at_utc: Timestamp,
) -> Result<i64, AppError> {
    let open = opened(recorded)?;
    let at_work = at_work(&open.entered);
    match at_work {
        Some(run) if run.state.as_ref().is_some_and(|known| differences(known, &understood.state).is_empty()) => Ok(run.id),
        Some(_) | None => Ok(state.store.begin_state(recorded.test.id, uid, &understood.state, at_utc).await?),
    }
}

/// The reading that a line adds: its own, that of before again, or a revision of the last one.
fn new_reading(
    recorded: &Recorded,
    line: &WorkLine<'_>,
    understood: &Understood,
    (uid, run_id, taken_utc): (&str, i64, Timestamp),
) -> Result<Option<NewReading>, AppError> {
    let last = || {
        last_reading(recorded)
            .ok_or_else(|| AppError::input("typed", line.typed, "There is no reading yet that this could mean."))
    };
    let revised = |reason: &str, figures: Figures, withdrawn: bool| -> Result<NewReading, AppError> {
        let last = last()?;
        let revision = Revision { replaces_uid: last.what.uid.clone(), reason: reason.to_owned(), withdrawn };
        Ok(NewReading { uid: uid.to_owned(), figures, revision: Some(revision), ..last.what.clone() })
    };
    let plain = |figures: Figures| NewReading {
        uid: uid.to_owned(),
        taken_utc,
        typed: line.typed.trim().to_owned(),
        note: understood.note.clone(),
        sky: understood.sky.or_else(|| understood.reading.as_ref().and_then(|reading| reading.sky)).or_else(|| sky_now(recorded)),
        figures,
        run_id: Some(run_id),
        revision: None,
    };
    match understood.event {
        Some(WorkEvent::Correction) => {
            let mut figures = last()?.what.figures.clone();
            understood.figures().iter().for_each(|(quantity, seen)| figures.set(quantity, *seen));
            Ok(Some(revised(line.typed.trim(), figures, false)?))
        }
        Some(WorkEvent::Undo) => Ok(Some(revised("undone", last()?.what.figures.clone(), true)?)),
        Some(WorkEvent::RepeatValue) => Ok(Some(plain(last()?.what.figures.clone()))),
        Some(WorkEvent::StateCorrection) => Ok(None),
        Some(WorkEvent::Note | WorkEvent::Cloud | WorkEvent::Begin | WorkEvent::End | WorkEvent::RepeatState) | None => {
            Ok(understood.reading.as_ref().map(|reading| plain(reading.figures())))
        }
    }
}

/// What hangs there, as a condition.
pub fn hangs((panel, rig): (&Panel, Option<&RigRow>), names: &Names) -> (Factor, Condition) {
    match rig {
        Some(rig) => (Factor::Rig, level::condition(Value::Rig(rig.uid.clone()), names)),
        None => (Factor::Panel, level::condition(Value::Panels(vec![panel.uid.clone()]), names)),
    }
}

/// Begins an open test with the state that it starts in; answers its id.
///
/// # Errors
/// As any writing.
pub async fn begin(
    state: &AppState,
    draft: &TestDraft,
    typed: &SetupTyped,
    (panel, rig): (&Panel, Option<&RigRow>),
) -> Result<i64, AppError> {
    let names = state.store.register().await?.names();
    let hangs = hangs((panel, rig), &names);
    let first = NewRun { place: 1, level: 0, rig: 0, is_added: false, planned_utc: None, state: Some(first_state(typed, hangs)) };
    Ok(state.store.add_planned_test(draft, &[first], Timestamp::now()).await?)
}
