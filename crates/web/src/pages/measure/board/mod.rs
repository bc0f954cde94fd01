//! What changes on the page of a test at work, in parts that are renewed while somebody else works on the same test: the state at work,
//! the states so far and to come, the answers, the readings. The same parts for a test without a plan, a planned one and a rating.

mod open;
mod planned;
mod rating;

use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::figures::named_as_read;
use crate::views::reading::LineView;
use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use flindo_core::verdict::conformity::LevelVerdict;
use jiff::tz::TimeZone;

pub struct Board {
    state: StatePart,
    states: StatesPart,
    answers: AnswersPart,
    readings: ReadingsPart,
}

/// The state at work, and what can be done now.
#[derive(Template)]
#[template(path = "parts/work_state.html")]
pub struct StatePart {
    run: Option<AtWork>,
    chips: Vec<Chip>,
    last: Option<String>,
    /// (holds, sentence).
    bracket: Option<(bool, String)>,
    told: Vec<String>,
    next: Option<Next>,
    taps: Vec<Button>,
    /// A drawing of the shade, where the plan varies it, and of the aim.
    drawings: Vec<String>,
}

/// The run that readings go to.
struct AtWork {
    id: i64,
    /// A line carries its id, as that of the run it was typed for: in an open test the line itself may change the state.
    names_lines: bool,
    /// Still to wait, s; `None` before it is begun.
    settle_left_s: Option<i64>,
    /// Readings that it still wants.
    wants: usize,
    /// (read, wanted), where a plan says so.
    count: Option<(usize, usize)>,
}

struct Chip {
    words: String,
    differs: bool,
    /// The choices that it opens.
    opens: Option<&'static str>,
}

impl Chip {
    fn of(words: String, differs: bool) -> Self {
        Chip { words, differs, opens: None }
    }
}

/// What is worth most now.
struct Next {
    act: String,
    button: Option<Button>,
    brings: String,
}

struct Button {
    label: String,
    key: Option<&'static str>,
    is_primary: bool,
    does: Does,
}

enum Does {
    /// Sends a line.
    Line(String),
    Post {
        path: String,
        fields: Vec<(&'static str, String)>,
    },
    /// The same with a text, which is asked for.
    Asks {
        path: String,
        fields: Vec<(&'static str, String)>,
        asked: &'static str,
        sends: &'static str,
    },
    Link(String),
}

/// States beside each other, and the runs of a plan in their order.
#[derive(Template)]
#[template(path = "parts/work_states.html")]
pub struct StatesPart {
    test_id: i64,
    strip: Vec<StripRun>,
    /// Runs that were read, of so many.
    done: Option<(usize, usize)>,
    rows: Vec<StateRow>,
}

struct StripRun {
    id: i64,
    number: i64,
    letter: String,
    name: String,
    state: &'static str,
    is_current: bool,
    is_added: bool,
    readings: usize,
    reason: String,
    /// For one press of its button.
    uid: String,
}

struct StateRow {
    letter: String,
    name: String,
    /// "3 visits", "1 of 2 read".
    visits: String,
    mean: String,
    percent: String,
    mark: &'static str,
    is_current: bool,
    /// The interval on a line from 0 to 125 %: where it begins, how wide it is, and its middle.
    bar: Option<(f64, f64, f64)>,
}

#[derive(Template)]
#[template(path = "parts/work_answers.html")]
pub struct AnswersPart {
    answers: Vec<Answer>,
    links: Vec<Button>,
}

struct Answer {
    mark: &'static str,
    headline: String,
    because: String,
    to_do: Vec<String>,
    question: &'static str,
}

#[derive(Template)]
#[template(path = "parts/work_readings.html")]
pub struct ReadingsPart {
    test_id: i64,
    lines: Vec<LineView>,
    part: Paging,
}

impl Board {
    pub fn of(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> Self {
        match (&evaluated.recorded.open, evaluated.plan()) {
            (Some(opened), _) => open::board(evaluated, opened, zone, part),
            (None, Some(plan)) => planned::board(evaluated, plan, zone, part),
            (None, None) => rating::board(evaluated, zone, part),
        }
    }

    pub fn state(&self) -> &StatePart {
        &self.state
    }

    pub fn states(&self) -> &StatesPart {
        &self.states
    }

    pub fn answers(&self) -> &AnswersPart {
        &self.answers
    }

    pub fn readings(&self) -> &ReadingsPart {
        &self.readings
    }

    /// The run at work, for the form of the line; empty where a line names its own.
    pub fn run_id(&self) -> String {
        self.state.run.as_ref().filter(|run| run.names_lines).map(|run| run.id.to_string()).unwrap_or_default()
    }

    /// There is a run that a meter can be read for by itself.
    pub fn has_runs(&self) -> bool {
        self.state.run.is_some() || !self.states.strip.is_empty()
    }
}

impl IntoResponse for Board {
    fn into_response(self) -> Response {
        let parts = [self.state.render(), self.states.render(), self.answers.render(), self.readings.render()];
        match parts.into_iter().collect::<Result<String, _>>() {
            Ok(html) => Html(html).into_response(),
            Err(error) => {
                tracing::error!(%error, "a board could not be shown");
                StatusCode::INTERNAL_SERVER_ERROR.into_response()
            }
        }
    }
}

fn readings(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> ReadingsPart {
    let mut lines = evaluated.views(zone, part);
    lines.reverse();
    ReadingsPart { test_id: evaluated.recorded.test.id, lines, part }
}

/// The figures of the newest reading that stands.
fn last(evaluated: &Evaluated<'_>) -> Option<String> {
    let standing = evaluated.recorded.lines.iter().filter_map(|line| line.current.as_ref());
    let last = standing.max_by_key(|one| (one.what.taken_utc, one.id))?;
    let figures = last.what.figures.iter().map(|(quantity, seen)| named_as_read(quantity, seen).1);
    Some(figures.collect::<Vec<_>>().join(" \u{b7} "))
}

fn link(label: &str, key: Option<&'static str>, path: String) -> Button {
    Button { label: label.to_owned(), key, is_primary: false, does: Does::Link(path) }
}

/// An interval on a line.
fn bar(low: f64, middle: f64, high: f64) -> (f64, f64, f64) {
    /// The end of the line on which intervals are drawn, percent.
    const END_PERCENT: f64 = 125.0;
    let on_line = |percent: f64| percent.clamp(0.0, END_PERCENT) / END_PERCENT * 100.0;
    (on_line(low), (on_line(high) - on_line(low)).max(1.0), on_line(middle))
}

fn mark_of(verdict: LevelVerdict) -> &'static str {
    match verdict {
        LevelVerdict::More | LevelVerdict::Less => "shown",
        LevelVerdict::ProbablyMore | LevelVerdict::ProbablyLess => "probable",
        LevelVerdict::NoDifferenceOver { .. } | LevelVerdict::AtLeast { .. } | LevelVerdict::CantTell => "not-shown",
    }
}
