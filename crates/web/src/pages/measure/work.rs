//! Measured first, asked afterwards: one line takes what changes and what was read; the states stand beside each other, and every question
//! that they answer with its headline.

use crate::door::entering::taken;
use crate::door::evaluated::Evaluated;
use crate::door::meters;
use crate::door::typed::{Pairs, value};
use crate::door::working::{self, WorkLine};
use crate::error::AppError;
use crate::figures::{as_read, for_field, named_as_read, rough, with_u};
use crate::frame::Frame;
use crate::kept::assessments::Depth;
use crate::state::AppState;
use crate::views::meters::{MetersView, OfTest, meters_view};
use crate::words::{self, open};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, differences};
use flindo_core::record::language::work::{Asked, Understood, WorkEvent};
use flindo_core::record::names::check_tag;
use flindo_core::record::open::{at_work, waits};
use flindo_core::record::setup::{Setup, SetupTyped};
use flindo_core::review::next::{NextAct, next_acts};
use flindo_core::review::visited::{Visited, visited};
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_store::{Listed, Panel, RigRow, StoreError, TestDraft, new_uid};
use jiff::Timestamp;

/// An open test is gone on with so long after it was begun, s: a day's work.
const GOES_ON_S: i64 = 14 * 3600;

/// Panels and rigs that are offered at once.
const OFFERED: usize = 8;

/// What hangs there, asked once: nothing else is needed before the first reading.
#[derive(Template, WebTemplate)]
#[template(path = "now.html")]
pub struct NowPage {
    frame: Frame,
    panels: Vec<(i64, String, String)>,
    rigs: Vec<(i64, String, String)>,
    error: Option<String>,
    /// As it was typed.
    tag: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "work.html")]
pub struct WorkPage {
    frame: Frame,
    test_id: i64,
    typed: String,
    error: Option<String>,
    uid: String,
    taken: String,
    cautions: Vec<&'static str>,
    defer: &'static str,
    /// On the keypad.
    units: Vec<&'static str>,
    board: WorkBoard,
    meters: MetersView,
}

/// What stands under the line; also served alone, for the page to take in.
#[derive(Template, WebTemplate)]
#[template(path = "parts/work_board.html")]
pub struct WorkBoard {
    test_id: i64,
    /// The state at work: (words, differs from the first).
    chips: Vec<(String, bool)>,
    next: Option<(String, String, Option<String>)>,
    last: Option<String>,
    /// Lines that a tap sends.
    taps: Vec<String>,
    states: Vec<StateRow>,
    answers: Vec<(String, &'static str)>,
    has_result: bool,
    waits: Option<WaitsView>,
}

/// What the state at work still waits for.
struct WaitsView {
    run_id: i64,
    settle_left_s: i64,
    wants: usize,
}

struct StateRow {
    letter: String,
    name: String,
    mean: String,
    percent: String,
    mark: &'static str,
    is_current: bool,
    visits: usize,
    /// The interval on a line from 0 to 125 %: where it begins, how wide it is, and its middle.
    bar: Option<(f64, f64, f64)>,
}

/// What was understood of the line so far.
#[derive(Template, WebTemplate)]
#[template(path = "parts/work_understood.html")]
pub struct WorkUnderstood {
    changes: Vec<String>,
    figures: Vec<(&'static str, String)>,
    event: Option<&'static str>,
    note: String,
    asked: Option<(String, Vec<String>)>,
    /// A panel that is not on the bench, and the test to come back to once it is added.
    to_add: Option<(String, i64)>,
}

/// Goes on with today's open test, or asks what hangs there.
pub async fn now(State(state): State<AppState>, frame: Frame) -> Result<Response, AppError> {
    let recent = state.store.tests(None, 0, 20).await?.into_iter().filter_map(Listed::test);
    let since = Timestamp::now().as_second() - GOES_ON_S;
    let goes_on = recent.filter(|test| test.is_open && test.created_utc.as_second() > since).map(|test| test.id).next();
    match goes_on {
        Some(id) => Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        None => Ok(now_page(&state, frame, None).await?.into_response()),
    }
}

/// Always begins another one.
pub async fn new(State(state): State<AppState>, frame: Frame) -> Result<NowPage, AppError> {
    now_page(&state, frame, None).await
}

async fn now_page(state: &AppState, frame: Frame, error: Option<String>) -> Result<NowPage, AppError> {
    let last = state.store.newest_test().await?.map(|test| test.panel_id);
    let mut panels: Vec<Panel> = state.store.panels().await?;
    // What the last test was of comes first.
    panels.sort_by_key(|panel| Some(panel.id) != last);
    let panels = panels.iter().take(OFFERED).map(|panel| (panel.id, panel.tag().to_owned(), panel.name().to_owned())).collect();
    let rigs = state.store.rigs().await?;
    let rigs = rigs.into_iter().take(OFFERED).map(|rig| (rig.id, rig.draft.name, rig.draft.wiring)).collect();
    Ok(NowPage { frame, panels, rigs, error, tag: String::new() })
}

/// A panel whose label nobody has read, by its tag where it has one; the inner error says what is wrong with that.
async fn unlabelled_panel(state: &AppState, tag: &str) -> Result<Result<Panel, String>, AppError> {
    if tag.is_empty() {
        return Ok(Ok(state.store.add_unlabelled_panel(None).await?));
    }
    if let Err(sentence) = check_tag(tag) {
        return Ok(Err(sentence));
    }
    match state.store.add_unlabelled_panel(Some(tag)).await {
        Ok(panel) => Ok(Ok(panel)),
        Err(StoreError::Conflict(sentence)) => Ok(Err(sentence)),
        Err(error) => Err(error.into()),
    }
}

async fn refused(state: &AppState, frame: Frame, tag: &str, message: String) -> Result<Response, AppError> {
    let page = NowPage { tag: tag.to_owned(), ..now_page(state, frame, Some(message)).await? };
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

/// Begins an open test of a panel, of one whose label nobody has read, or of a rig.
pub async fn begin(State(state): State<AppState>, frame: Frame, Form(pairs): Form<Pairs>) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let rig: Option<&RigRow> = value(&pairs, "rig").parse().ok().and_then(|id| register.rig(id));
    let of_rig = rig.and_then(|rig| {
        let strings = flindo_store::pieces(&rig.draft.wiring, &register.panels).ok()?;
        strings.first()?.first().copied()
    });
    let tag = value(&pairs, "tag").trim();
    let by_tag = register.listed().find(|panel| !tag.is_empty() && panel.tag().eq_ignore_ascii_case(tag));
    let named = of_rig.or_else(|| value(&pairs, "panel").parse().ok().and_then(|id| register.panel(id))).or(by_tag);
    let unlabelled;
    let panel = match named {
        Some(panel) => panel,
        None if value(&pairs, "label") == "unread" => match unlabelled_panel(&state, tag).await? {
            Ok(panel) => {
                unlabelled = panel;
                &unlabelled
            }
            Err(sentence) => return refused(&state, frame, tag, sentence).await,
        },
        None if tag.is_empty() => {
            return refused(&state, frame, tag, "Choose the panel or rig that hangs there.".to_owned()).await;
        }
        None => return refused(&state, frame, tag, format!("There is no panel \u{201c}{tag}\u{201d} on this bench.")).await,
    };
    let place_id = frame.place.as_ref().map(|place| place.id);
    let meters = rig.map(|rig| meters::of_rig(rig, &register.gear)).unwrap_or_default();
    let mut setup = Setup::default();
    setup.instruments = meters::instruments(&meters, &register.gear, setup.instruments);
    let rig_id = rig.map(|rig| rig.id);
    let draft = TestDraft { is_open: true, rig_id, meters, ..TestDraft::of_rating(panel.id, place_id, setup) };
    let id = working::begin(&state, &draft, &SetupTyped::default(), (panel, rig)).await?;
    Ok(Redirect::to(&format!("/tests/{id}")).into_response())
}

impl WorkBoard {
    /// `None` for a test with a plan.
    pub fn of(evaluated: &Evaluated<'_>) -> Option<Self> {
        let recorded = evaluated.recorded;
        let opened = recorded.open.as_ref()?;
        let current = at_work(&opened.entered).and_then(|run| run.state.clone()).unwrap_or_default();
        let first = opened.states.first().map(|state| &state.conditions);
        let differ = first.map(|first| differences(first, &current)).unwrap_or_default();
        let answers = evaluated.answers();
        let acts = next_acts(&opened.entered, opened.turn.as_ref().map(|(_, turn)| turn), &opened.states, &answers);
        let rows = visited(&opened.entered, &opened.states, &answers);
        let is_current = |at: usize| differences(&opened.states[at].conditions, &current).is_empty();
        let last = recorded.lines.iter().filter_map(|line| line.current.as_ref()).max_by_key(|one| (one.what.taken_utc, one.id));
        let last_words = last.map(|reading| {
            let figures = reading.what.figures.iter().map(|(quantity, seen)| named_as_read(quantity, seen).1);
            figures.collect::<Vec<_>>().join(" \u{b7} ")
        });
        Some(WorkBoard {
            test_id: recorded.test.id,
            chips: current
                .iter()
                .flat_map(|(factor, condition)| {
                    let one = std::iter::once((*factor, condition.clone())).collect();
                    open::parts(&one).into_iter().map(|words| (words, differ.contains(factor))).collect::<Vec<_>>()
                })
                .collect(),
            next: acts.first().map(|act| (open::act(act), open::brings(act), tap_of(act))),
            taps: taps(&current, opened.states.len(), differ.is_empty()),
            states: opened
                .states
                .iter()
                .zip(rows)
                .enumerate()
                .map(|(at, (state, row))| state_row(name_of(&state.conditions, first, at), row, at == 0, is_current(at)))
                .collect(),
            answers: answers
                .iter()
                .map(|(one, assessment)| (evaluated.headline_of(&one.record, assessment), one.record.question.label()))
                .collect(),
            has_result: last_words.is_some(),
            waits: waits(&opened.entered).map(|waits| WaitsView {
                run_id: waits.run_id,
                settle_left_s: waits.settled_s.map_or(0, left_s),
                wants: waits.wants,
            }),
            last: last_words,
        })
    }
}

/// Seconds from now to a moment; none to one that is over.
fn left_s(unix_s: f64) -> i64 {
    (unix_s - Timestamp::now().as_millisecond() as f64 / 1000.0).ceil().max(0.0) as i64
}

/// The first state by all that is said of it, the others by what differs.
fn name_of(conditions: &Conditions, first: Option<&Conditions>, at: usize) -> String {
    let differ = first.map(|first| differences(first, conditions)).unwrap_or_default();
    let own: Conditions = conditions.iter().filter(|(factor, _)| differ.contains(factor)).map(|(f, c)| (*f, c.clone())).collect();
    let name = open::state(&own);
    if at == 0 || name.is_empty() { open::state(conditions) } else { name }
}

/// The line that an act amounts to.
fn tap_of(act: &NextAct) -> Option<String> {
    match act {
        NextAct::BackTo { .. } => Some("back".to_owned()),
        NextAct::Read
        | NextAct::ReadChange
        | NextAct::InTurn { .. }
        | NextAct::Change
        | NextAct::Again { .. }
        | NextAct::Settle(_)
        | NextAct::Enough => None,
    }
}

/// What is likely to be said next, as lines.
fn taps(current: &Conditions, states: usize, is_first: bool) -> Vec<String> {
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
    taps.into_iter().map(str::to_owned).collect()
}

fn state_row(name: String, row: Visited, is_first: bool, is_current: bool) -> StateRow {
    /// The end of the line on which intervals are drawn, percent.
    const END_PERCENT: f64 = 125.0;
    let on_line = |percent: f64| percent.clamp(0.0, END_PERCENT) / END_PERCENT * 100.0;
    let bar = row.of_first.as_ref().map(|(figure, _)| {
        let (low, high) = (on_line(figure.low()), on_line(figure.high()));
        (low, (high - low).max(1.0), on_line(figure.value))
    });
    StateRow {
        letter: row.letter,
        name,
        mean: row.mean.map(|(mean, of)| rough(mean, of.unit()).to_string()).unwrap_or_default(),
        percent: match &row.of_first {
            Some((figure, _)) => with_u(figure.value, figure.u, "%").to_string(),
            None if is_first => "100\u{a0}%".to_owned(),
            None => String::new(),
        },
        mark: match row.of_first.map(|(_, verdict)| verdict) {
            Some(LevelVerdict::More | LevelVerdict::Less) => "shown",
            Some(LevelVerdict::ProbablyMore | LevelVerdict::ProbablyLess) => "probable",
            Some(LevelVerdict::NoDifferenceOver { .. } | LevelVerdict::AtLeast { .. } | LevelVerdict::CantTell) | None => {
                "not-shown"
            }
        },
        is_current,
        visits: row.visits,
        bar,
    }
}

/// The page of an open test.
pub async fn page(
    state: &AppState,
    frame: Frame,
    evaluated: &Evaluated<'_>,
    (typed, error): (String, Option<String>),
    board: WorkBoard,
) -> WorkPage {
    let test = &evaluated.recorded.test;
    let meters = meters_view(state, &frame.time_zone, Some(OfTest::of(test))).await;
    WorkPage {
        test_id: test.id,
        typed,
        error,
        uid: new_uid(),
        taken: for_field(Timestamp::now(), &frame.time_zone),
        cautions: words::cautions(test.setup.load),
        defer: words::DEFER,
        units: test.setup.units_read(),
        board,
        meters,
        frame,
    }
}

/// What the line would come to.
pub async fn understood(state: &AppState, id: i64, typed: &str) -> Result<WorkUnderstood, AppError> {
    let recorded = state.store.recorded(id, Timestamp::now()).await?;
    let standing = working::standing(state, &recorded).await?;
    let read = working::read(&standing, &recorded, typed);
    let unknown = read.as_ref().err().and_then(|asked| asked.unknown_panel.clone());
    Ok(WorkUnderstood { to_add: unknown.map(|tag| (tag, id)), ..WorkUnderstood::of(read) })
}

impl WorkUnderstood {
    /// For a page on which no line is sent by a tap.
    pub fn without_choices(mut self) -> Self {
        if let Some((_, choices)) = &mut self.asked {
            choices.clear();
        }
        self
    }

    pub fn of(read: Result<Understood, Asked>) -> Self {
        let one = match read {
            Ok(one) => one,
            Err(Asked { asked, choices, .. }) => {
                let asked = Some((asked, choices));
                let (changes, figures) = (Vec::new(), Vec::new());
                return WorkUnderstood { changes, figures, event: None, note: String::new(), asked, to_add: None };
            }
        };
        let mut changes = open::parts(&one.changes);
        let shade = one.changes.get(&Factor::Shade).map(|shade| Conditions::from([(Factor::Shade, shade.clone())]));
        if shade.is_some_and(|shade| open::parts(&shade).is_empty()) {
            changes.push("no shade".to_owned());
        }
        let sky = one.sky.or_else(|| one.reading.as_ref().and_then(|reading| reading.sky));
        changes.extend(sky.map(|sky| sky.label().to_owned()));
        changes.extend(one.turn.as_ref().map(open::turn));
        let figures = one.figures();
        WorkUnderstood {
            changes,
            figures: figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect(),
            event: one.event.filter(|event| *event != WorkEvent::RepeatState).map(WorkEvent::label),
            note: one.note,
            asked: None,
            to_add: None,
        }
    }
}

/// A line from the form of the page, without a script.
pub async fn add(state: AppState, frame: Frame, id: i64, pairs: &Pairs) -> Result<Response, AppError> {
    let entered_utc = taken(pairs, Timestamp::now(), &frame.time_zone)?;
    let typed = value(pairs, "typed");
    let line = WorkLine { uid: value(pairs, "uid"), typed, entered_utc, state: None };
    let refused = match working::take(&state, id, &line, &frame.time_zone).await {
        Ok(Ok(_)) => return Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        Ok(Err(asked)) => asked.asked,
        Err(AppError::Input(input)) => input.message,
        Err(error) => return Err(error),
    };
    let judged = state.judged(id, Depth::Brief).await?;
    let evaluated = judged.evaluated();
    let board = WorkBoard::of(evaluated).ok_or(AppError::NoSuchPage)?;
    let page = page(&state, frame, evaluated, (typed.to_owned(), Some(refused)), board).await;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}
