//! The logbook: all tests, logs and reviews, found by date, panel, kind, question, verdict, place and words.

use crate::day::Day;
use crate::door::paging::Paging;
use crate::door::search::{has_words, noted};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{clock_short, day};
use crate::frame::Frame;
use crate::kept::digests::Digest;
use crate::state::AppState;
use crate::views::row::Row;
use crate::views::row::test_row;
use crate::views::row::unreadable_row;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::record::question::Question;
use flindo_core::review::summary::Found;
use flindo_store::{LogRow, ReviewRow};
use jiff::civil::Date;
use jiff::{Timestamp, ToSpan};
use std::collections::HashSet;
use std::sync::Arc;

#[derive(Template, WebTemplate)]
#[template(path = "results.html")]
pub struct Results {
    frame: Frame,
    typed: Pairs,
    rows: Vec<Row>,
    part: Paging,
    /// The filters as they are, for the links to other pages of the list.
    query: String,
    /// Words of a date that could not be read.
    refused: Option<String>,
    waiting: usize,
    kinds: Vec<String>,
    places: Vec<String>,
    is_filtered: bool,
}

impl Results {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        value(&self.typed, name) == choice
    }

    fn questions(&self) -> &'static [Question] {
        Question::ALL
    }

    fn verdicts(&self) -> &'static [Found] {
        Found::ALL
    }
}

fn log_row(log: &LogRow, frame: &Frame) -> Row {
    Row {
        href: format!("/logs/{}", log.id),
        uid: None,
        mark: "log",
        tag: String::new(),
        name: log.name.clone(),
        word: format!("{} samples{}", log.samples, if log.ended_utc.is_some() { "" } else { ", recording" }),
        what: "Log of a meter".to_owned(),
        day: day(log.started_utc, &frame.time_zone),
        more: format!("begun {}", clock_short(log.started_utc, &frame.time_zone)),
        svg: None,
    }
}

fn review_row(row: &ReviewRow, frame: &Frame) -> Row {
    Row {
        href: format!("/reviews/{}", row.id),
        uid: None,
        mark: "review",
        tag: String::new(),
        name: row.draft.name.clone(),
        word: format!("{} tests side by side", row.draft.tests.len()),
        what: "Review".to_owned(),
        day: day(row.created_utc, &frame.time_zone),
        more: String::new(),
        svg: None,
    }
}

/// One of the three, with its time.
enum Entry {
    Test(Arc<Digest>),
    Log(LogRow),
    Review(ReviewRow),
    Unreadable(i64, String),
}

/// What is looked for.
struct Filter<'a> {
    what: &'a str,
    words: Vec<String>,
    tag: String,
    kind: &'a str,
    place: &'a str,
    question: Option<Question>,
    verdict: Option<Found>,
    from: Option<Timestamp>,
    to: Option<Timestamp>,
}

impl<'a> Filter<'a> {
    /// The filter of a query; the sentence says which date cannot be read.
    fn of(typed: &'a Pairs, frame: &Frame) -> (Self, Option<String>) {
        let mut refused = None;
        let mut date = |field: &str| {
            let text = value(typed, field).trim();
            let read: Option<Date> = text.parse().ok();
            if read.is_none() && !text.is_empty() {
                refused = Some(format!("\u{201c}{text}\u{201d} is not a date. Write it as 2026-06-21."));
            }
            read
        };
        let (from, to) = (date("from"), date("to"));
        let start = |date: Date| Day::at(date, &frame.time_zone).start;
        let filter = Filter {
            what: value(typed, "what"),
            words: value(typed, "q").to_lowercase().split_whitespace().map(str::to_owned).collect(),
            tag: value(typed, "panel").trim().to_lowercase(),
            kind: value(typed, "kind"),
            place: value(typed, "place"),
            question: Question::from_name(value(typed, "question")),
            verdict: Found::from_name(value(typed, "verdict")),
            from: from.map(start),
            to: to.and_then(|date| date.checked_add(1.day()).ok()).map(start),
        };
        (filter, refused)
    }

    fn is_any(&self) -> bool {
        let of_tests = self.is_of_tests();
        !self.what.is_empty() || !self.words.is_empty() || of_tests || self.from.is_some() || self.to.is_some()
    }

    /// Logs and reviews have nothing of it.
    fn is_of_tests(&self) -> bool {
        let fields = [self.tag.as_str(), self.kind, self.place];
        fields.iter().any(|field| !field.is_empty()) || self.question.is_some() || self.verdict.is_some()
    }

    fn is_in_time(&self, at: Timestamp) -> bool {
        self.from.is_none_or(|from| at >= from) && self.to.is_none_or(|to| at < to)
    }

    /// `noted`: for each word, the tests whose notes have it.
    fn has_test(&self, digest: &Digest, noted: &[HashSet<i64>]) -> bool {
        let pieces = || digest.summary.levels.iter().flat_map(|level| &level.panels);
        let is = |wanted: &str, own: &str| wanted.is_empty() || own.eq_ignore_ascii_case(wanted);
        let has_tag = self.tag.is_empty() || is(&self.tag, &digest.tag) || pieces().any(|piece| is(&self.tag, &piece.tag));
        let has_kind = is(self.kind, &digest.kind) || pieces().any(|piece| is(self.kind, &piece.kind));
        has_tag
            && has_kind
            && is(self.place, &digest.place)
            && self.question.is_none_or(|question| question == digest.test.question)
            && self.verdict.is_none_or(|verdict| verdict == digest.summary.found())
            && self.is_in_time(digest.summary.last_utc.unwrap_or(digest.test.created_utc))
            && (self.words.is_empty() || has_words(digest, &self.words, noted))
    }

    fn has_words(&self, text: &str) -> bool {
        let text = text.to_lowercase();
        self.words.iter().all(|word| text.contains(word))
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<Results, AppError> {
    let (filter, refused) = Filter::of(&typed, &frame);
    let all = state.all_digests().await?;
    let noted = noted(&state.store, &filter.words).await?;
    let mut found: Vec<(Timestamp, Entry)> = Vec::new();
    if matches!(filter.what, "" | "tests") {
        let tests = all.digests.iter().filter(|digest| filter.has_test(digest, &noted));
        found.extend(tests.map(|one| (one.summary.last_utc.unwrap_or(one.test.created_utc), Entry::Test(Arc::clone(one)))));
        let is_all = filter.words.is_empty() && !filter.is_of_tests() && filter.from.is_none() && filter.to.is_none();
        if is_all {
            let unreadable = all.unreadable.iter().map(|(id, why)| Entry::Unreadable(*id, why.clone()));
            found.extend(unreadable.map(|one| (Timestamp::MAX, one)));
        }
    }
    if matches!(filter.what, "" | "logs") && !filter.is_of_tests() {
        let logs = state.store.logs(0, i64::MAX).await?.into_iter();
        let found_logs = logs.filter(|log| filter.is_in_time(log.started_utc) && filter.has_words(&log.name));
        found.extend(found_logs.map(|log| (log.started_utc, Entry::Log(log))));
    }
    if matches!(filter.what, "" | "reviews") && !filter.is_of_tests() {
        let reviews = state.store.reviews().await?.into_iter();
        let text = |row: &ReviewRow| format!("{} {}", row.draft.name, row.draft.notes);
        let of_it = reviews.filter(|row| filter.is_in_time(row.created_utc) && filter.has_words(&text(row)));
        found.extend(of_it.map(|row| (row.created_utc, Entry::Review(row))));
    }
    // A stable order: what has one time stays in the order of its list.
    found.sort_by_key(|(at, _)| std::cmp::Reverse(*at));
    let part = Paging::of_tests(&typed, found.len());
    let shown = found.iter().skip(part.newer_ones()).take(part.places().len());
    let rows = shown
        .map(|(_, entry)| match entry {
            Entry::Test(digest) => test_row(digest, &frame),
            Entry::Log(log) => log_row(log, &frame),
            Entry::Review(row) => review_row(row, &frame),
            Entry::Unreadable(id, why) => unreadable_row(*id, why),
        })
        .collect();
    let kept: Vec<_> = typed.iter().filter(|(name, text)| name != "tests" && !text.is_empty()).collect();
    let query = form_urlencoded::Serializer::new(String::new()).extend_pairs(kept).finish();
    let register = state.store.register().await?;
    let mut kinds: Vec<String> = register.panels.iter().map(|panel| panel.name().to_owned()).collect();
    kinds.sort();
    kinds.dedup();
    let places = register.places.iter().map(|place| place.draft.name.clone()).collect();
    let (is_filtered, waiting) = (filter.is_any(), all.waiting);
    Ok(Results { frame, typed, rows, part, query, refused, waiting, kinds, places, is_filtered })
}
