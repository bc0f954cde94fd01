//! A notebook pasted as it stands: a preview says what each line becomes, and asks for what nobody said.

use crate::door::notebook::{Page, read, take};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{clock, day};
use crate::frame::Frame;
use crate::pages::measure::understood::UnderstoodPart;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::language::work::Heading;
use flindo_store::Register;
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "notebook.html")]
pub struct NotebookPage {
    frame: Frame,
    typed: Pairs,
    /// Tags and rigs that can have hung there.
    things: Vec<String>,
    wanted: Vec<(&'static str, String)>,
    lines: Vec<Line>,
    asked: usize,
    readings: usize,
    hangs: String,
}

struct Line {
    number: usize,
    time: String,
    text: String,
    heading: Option<String>,
    entries: Vec<UnderstoodPart>,
    is_asked: bool,
}

impl NotebookPage {
    fn of(frame: Frame, register: &Register, typed: Pairs, page: Option<&Page<'_>>) -> Self {
        let things = register.rigs.iter().map(|rig| rig.draft.name.clone());
        let things = things.chain(register.listed().map(|panel| panel.tag().to_owned())).collect();
        let lines: Vec<Line> = page.map(|page| lines(page, &frame)).unwrap_or_default();
        let hangs = page.and_then(|page| page.hangs).map(|one| one.rig.map_or(one.panel.tag(), |rig| &rig.draft.name).to_owned());
        let entries = page.iter().flat_map(|page| &page.lines).flat_map(|line| &line.entries);
        NotebookPage {
            typed,
            things,
            wanted: page.map(|page| page.wanted.clone()).unwrap_or_default(),
            asked: page.map_or(0, Page::asked),
            readings: entries.filter(|entry| entry.is_reading()).count(),
            lines,
            hangs: hangs.unwrap_or_default(),
            frame,
        }
    }

    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn of_field(&self, name: &str) -> Option<&str> {
        self.wanted.iter().find(|(field, _)| *field == name).map(|(_, sentence)| sentence.as_str())
    }
}

fn lines(page: &Page<'_>, frame: &Frame) -> Vec<Line> {
    let mut shown_day = None;
    page.lines
        .iter()
        .zip(&page.times)
        .map(|(line, time)| {
            let of_day = time.map(|time| day(time, &frame.time_zone));
            let is_new_day = of_day.is_some() && of_day != shown_day;
            let time = time.map(|time| clock(time, &frame.time_zone));
            let words = match (&time, &of_day) {
                (Some(time), Some(of_day)) if is_new_day => format!("{of_day} {time}"),
                (Some(time), _) => time.clone(),
                (None, _) => String::new(),
            };
            shown_day = of_day.or(shown_day.take());
            let heading = line.is.map(|is| match is {
                Heading::Day => "the day of the lines below".to_owned(),
                Heading::Unit(quantity) => format!("bare figures are {}", quantity.label().to_lowercase()),
                Heading::TableHead => "the head of a table".to_owned(),
            });
            Line {
                number: line.number,
                time: words,
                text: line.text.clone(),
                heading,
                is_asked: line.entries.iter().any(|entry| entry.understood.is_err()),
                // The line is put right in the text above: nothing is tapped here.
                entries: line
                    .entries
                    .iter()
                    .map(|entry| UnderstoodPart::of(entry.understood.clone()).without_choices())
                    .collect(),
            }
        })
        .collect()
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<NotebookPage, AppError> {
    let register = state.store.register().await?;
    Ok(NotebookPage::of(frame, &register, Pairs::new(), None))
}

/// Shows what the lines become; takes them in where that was asked for and nothing is missing.
pub async fn add(State(state): State<AppState>, frame: Frame, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let page = read(&register, &typed, &frame.time_zone, Timestamp::now());
    let is_open = page.asked() > 0 && value(&typed, "as_notes").is_empty();
    if value(&typed, "do") != "take" {
        return Ok(NotebookPage::of(frame, &register, typed.clone(), Some(&page)).into_response());
    }
    if is_open || !page.wanted.is_empty() {
        let shown = NotebookPage::of(frame, &register, typed.clone(), Some(&page));
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, shown).into_response());
    }
    let place_id = frame.place.as_ref().map(|place| place.id);
    match take(&state, &page, place_id, &frame.time_zone).await {
        Ok(id) => Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        Err(AppError::Input(error)) => {
            let mut shown = NotebookPage::of(frame, &register, typed.clone(), Some(&page));
            shown.wanted.push(("text", error.message));
            Ok((StatusCode::UNPROCESSABLE_ENTITY, shown).into_response())
        }
        Err(error) => Err(error),
    }
}
