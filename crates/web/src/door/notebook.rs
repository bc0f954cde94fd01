//! A page of a notebook as it stands: what each line becomes, when it was, and all of it into an open test.

use crate::door::entering::checked_time;
use crate::door::typed::{Pairs, value};
use crate::door::working::{self, WorkLine, hangs};
use crate::error::AppError;
use crate::state::AppState;
use flindo_core::measure::quantity::Figures;
use flindo_core::record::beside::Beside;
use flindo_core::record::condition::{Condition, Factor, Value};
use flindo_core::record::language::work::{At, NotebookLine, notebook};
use flindo_core::record::open::first_state;
use flindo_core::record::setup::{Setup, SetupTyped};
use flindo_store::{Panel, Register, RigRow, TestDraft, new_uid, pieces};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

/// Characters of a page that are read: a day's notes are some thousand.
pub const MOST_CHARACTERS: usize = 40_000;

/// A page that was read, with what is still to be said before it can come in.
pub struct Page<'a> {
    pub lines: Vec<NotebookLine>,
    /// Of each line; none where it is not known.
    pub times: Vec<Option<Timestamp>>,
    pub hangs: Option<Hangs<'a>>,
    /// Fields that are wanted, each with its sentence.
    pub wanted: Vec<(&'static str, String)>,
}

#[derive(Clone, Copy)]
pub struct Hangs<'a> {
    pub panel: &'a Panel,
    pub rig: Option<&'a RigRow>,
}

impl Page<'_> {
    /// Lines of which something is to be asked.
    pub fn asked(&self) -> usize {
        let is_asked = |line: &&NotebookLine| line.entries.iter().any(|entry| entry.understood.is_err());
        self.lines.iter().filter(is_asked).count()
    }
}

/// Reads a page as its form has it: `text`, `hangs` (a tag or a rig's name; empty: what the lines name first), `day`, `first` (the clock of
/// the first reading) and `apart_min`.
pub fn read<'a>(register: &'a Register, typed: &Pairs, zone: &TimeZone, now: Timestamp) -> Page<'a> {
    let text: String = value(typed, "text").chars().take(MOST_CHARACTERS).collect();
    let mut wanted = Vec::new();
    if value(typed, "text").chars().count() > MOST_CHARACTERS {
        wanted.push(("text", format!("Only the first {MOST_CHARACTERS} characters are read: send the rest as another page.")));
    }
    let hangs = match hangs_there(register, value(typed, "hangs").trim(), &text) {
        Ok(hangs) => Some(hangs),
        Err(sentence) => {
            wanted.push(("hangs", sentence));
            None
        }
    };
    let lines = lines_of(register, hangs, &text);
    if lines.iter().all(|line| line.entries.is_empty()) {
        wanted.push(("text", "Nothing was read yet: a line for each state or reading.".to_owned()));
    }
    let times = times(&lines, typed, zone, now, &mut wanted);
    Page { lines, times, hangs, wanted }
}

/// What hangs there: as it was said, or what the lines name first.
fn hangs_there<'a>(register: &'a Register, said: &str, text: &str) -> Result<Hangs<'a>, String> {
    let of_rig = |rig: &'a RigRow| {
        let first = pieces(&rig.draft.wiring, &register.panels).ok()?.first()?.first().copied()?;
        Some(Hangs { panel: first, rig: Some(rig) })
    };
    let panel = |panel: &'a Panel| Hangs { panel, rig: None };
    if !said.is_empty() {
        let by_name = register.rigs.iter().find(|rig| rig.draft.name.eq_ignore_ascii_case(said)).and_then(of_rig);
        let by_tag = || register.listed().find(|one| one.tag().eq_ignore_ascii_case(said)).map(panel);
        return by_name.or_else(by_tag).ok_or_else(|| format!("There is no panel or rig \u{201c}{said}\u{201d} on this bench."));
    }
    let named = lines_of(register, None, text).into_iter().flat_map(|line| line.entries).find_map(|entry| {
        let state = entry.understood.ok()?.state;
        let first = |factor: Factor| match state.get(&factor).map(|condition| &condition.value) {
            Some(Value::Panels(uids)) => uids.first().cloned(),
            Some(Value::Rig(uid)) => Some(uid.clone()),
            Some(_) | None => None,
        };
        first(Factor::Rig).or_else(|| first(Factor::Panel))
    });
    let found = named.and_then(|uid| {
        let rig = register.rigs.iter().find(|rig| rig.uid == uid).and_then(of_rig);
        rig.or_else(|| register.listed().find(|one| one.uid == uid).map(panel))
    });
    found.ok_or_else(|| "The lines name no panel or rig of this bench: choose what hung there.".to_owned())
}

fn lines_of(register: &Register, there: Option<Hangs<'_>>, text: &str) -> Vec<NotebookLine> {
    let names = register.names();
    let nothing = || (Factor::Panel, Condition { typed: String::new(), value: Value::Panels(Vec::new()) });
    let hangs = there.map_or_else(nothing, |one| hangs((one.panel, one.rig), &names));
    let current = first_state(&SetupTyped::default(), hangs);
    let rig_strings = there.and_then(|one| one.rig).and_then(|rig| pieces(&rig.draft.wiring, &register.panels).ok());
    let rig_strings: Vec<Vec<String>> =
        rig_strings.into_iter().flatten().map(|string| string.into_iter().map(|panel| panel.uid.clone()).collect()).collect();
    let rigs: Vec<(String, Vec<String>)> = register.rigs.iter().map(|rig| (rig.uid.clone(), panels_of(rig, register))).collect();
    let at = At {
        names: &names,
        states: std::slice::from_ref(&current),
        current: &current,
        rig_strings: &rig_strings,
        beside: Beside { rigs: &rigs, visited: &[] },
        last: None,
        latest: &Figures::default(),
        turn: None,
        setup: Setup::default(),
    };
    notebook(text, &at)
}

/// The panels of a rig; none of one whose wiring names what is not there any more.
fn panels_of(rig: &RigRow, register: &Register) -> Vec<String> {
    let strings = pieces(&rig.draft.wiring, &register.panels).unwrap_or_default();
    strings.into_iter().flatten().map(|panel| panel.uid.clone()).collect()
}

/// When each line was: its own time, or so long after the one before as was said. What nobody said is wanted, not filled in.
fn times(
    lines: &[NotebookLine],
    typed: &Pairs,
    zone: &TimeZone,
    now: Timestamp,
    wanted: &mut Vec<(&'static str, String)>,
) -> Vec<Option<Timestamp>> {
    let today = now.to_zoned_datetime(zone.clone()).date();
    let day: Date = match value(typed, "day").trim() {
        "" => today,
        text => text.parse().unwrap_or_else(|_| {
            wanted.push(("day", format!("\u{201c}{text}\u{201d} is not a date: write 2026-05-04.")));
            today
        }),
    };
    let first: Option<Time> = match value(typed, "first").trim() {
        "" => None,
        text => text.parse().ok().or_else(|| {
            wanted.push(("first", format!("\u{201c}{text}\u{201d} is not a clock time: write 10:15.")));
            None
        }),
    };
    let apart_s: Option<i64> = match value(typed, "apart_min").trim().replace(',', ".").as_str() {
        "" => None,
        text => match text.parse::<f64>() {
            Ok(minutes) if (0.0..=600.0).contains(&minutes) => Some((minutes * 60.0).round() as i64),
            Ok(_) | Err(_) => {
                wanted.push(("apart_min", format!("\u{201c}{text}\u{201d} is not a number of minutes from 0 to 600.")));
                None
            }
        },
    };
    let mut before: Option<Timestamp> = None;
    let mut times = Vec::new();
    for line in lines {
        let is_reading = line.entries.iter().any(|entry| entry.is_reading());
        let of_day = line.day.unwrap_or(day);
        let own = line.time.and_then(|time| Time::new(time.hour as i8, time.minute as i8, time.second as i8, 0).ok());
        let at = match (own, before) {
            (Some(time), _) => placed(of_day, time, before, zone),
            (None, None) => first.filter(|_| is_reading).and_then(|time| placed(of_day, time, None, zone)),
            (None, Some(before)) if !is_reading => Some(before),
            (None, Some(before)) => apart_s.and_then(|apart_s| before.checked_add(SignedDuration::from_secs(apart_s)).ok()),
        };
        if at.is_none() && is_reading {
            let (field, sentence) = match before {
                None => ("first", "When was the first reading? Its clock time is missing."),
                Some(_) => (
                    "apart_min",
                    "How long from line to line? Lines without a time of their own need it: the sun moved meanwhile.",
                ),
            };
            if !wanted.iter().any(|(known, _)| *known == field) {
                wanted.push((field, sentence.to_owned()));
            }
        }
        before = at.or(before);
        times.push(at);
    }
    times
}

/// A clock time on a day; one of a clock of twelve hours that would go back is of the afternoon.
fn placed(day: Date, time: Time, before: Option<Timestamp>, zone: &TimeZone) -> Option<Timestamp> {
    const HALF_DAY_S: i64 = 12 * 3600;
    let at = zone.to_timestamp(day.to_datetime(time)).ok()?;
    let later = at.checked_add(SignedDuration::from_secs(HALF_DAY_S)).ok()?;
    let goes_back = before.is_some_and(|before| at.as_second() < before.as_second() - 3600 && later >= before);
    Some(if goes_back && time.hour() < 12 { later } else { at })
}

/// Takes a page in as an open test; lines that are asked about come in as notes. Answers the test.
///
/// # Errors
/// Where a time is in the future; nothing is written then.
pub async fn take(state: &AppState, page: &Page<'_>, place_id: Option<i64>, zone: &TimeZone) -> Result<i64, AppError> {
    let hangs = page.hangs.ok_or_else(|| AppError::input("hangs", "", "Choose what hung there."))?;
    for (line, time) in page.lines.iter().zip(&page.times) {
        if let Some(time) = time {
            checked_time(*time, "text", &line.text, zone)?;
        }
    }
    let rig_id = hangs.rig.map(|rig| rig.id);
    let draft = TestDraft { is_open: true, rig_id, ..TestDraft::of_rating(hangs.panel.id, place_id, Setup::default()) };
    let id = working::begin(state, &draft, &SetupTyped::default(), (hangs.panel, hangs.rig)).await?;
    // A state of which no reading tells when it was belongs to the next line that has a time.
    let mut next: Option<Timestamp> = None;
    let mut at: Vec<Timestamp> = Vec::new();
    for time in page.times.iter().rev() {
        next = time.or(next);
        at.push(next.unwrap_or_else(Timestamp::now));
    }
    at.reverse();
    for (line, entered_utc) in page.lines.iter().zip(at) {
        for entry in &line.entries {
            let as_note = format!("# {}", entry.typed);
            let typed = if entry.understood.is_ok() { entry.typed.as_str() } else { as_note.as_str() };
            let work = WorkLine { uid: &new_uid(), typed, entered_utc, state: None };
            if let Err(asked) = working::take(state, id, &work, zone).await? {
                return Err(AppError::input("text", &line.text, format!("Line {}: {asked}", line.number)));
            }
        }
    }
    Ok(id)
}
