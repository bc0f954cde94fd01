//! What the result of a test and its report share: verdict, ladder, readings, and every figure opened.

use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::frame::Frame;
use crate::views::evaluated::{NamedView, RatingRow, SidesRow};
use crate::views::reading::LineView;
use crate::words::{self, OPEN_SHORT_CANNOT, OPEN_SHORT_PROVES, Verdict};
use crate::workings::{self, BudgetLine, OpenedDerivation};
use flindo_core::verdict::combine::Combined;
use flindo_core::verdict::conformity::RatingVerdict;
use flindo_core::verdict::derive::of_rating;
use flindo_core::verdict::point::What;
use jiff::tz::TimeZone;

/// What result and report share.
pub struct Sheet {
    pub verdict: Verdict,
    /// What else an open test answers: headline and question.
    pub also: Vec<(String, &'static str)>,
    pub conditions: String,
    pub ladder: Option<String>,
    pub ladder_notes: Vec<String>,
    pub forest: Option<String>,
    pub lines: Vec<LineView>,
    pub part: Paging,
    /// Of the whole test.
    pub workings: Vec<OpenedDerivation>,
    pub budget: Vec<BudgetLine>,
    pub reading_workings: Vec<ReadingWorkings>,
    /// Voc and Isc of the whole test: (what, figure).
    pub open_short: Vec<(&'static str, String)>,
    pub proves: &'static [&'static str],
    pub cannot: &'static [&'static str],
    /// One line a panel, for a test of several.
    pub ratings: Vec<RatingRow>,
    /// Input and output of each controller, where both were read.
    pub sides: Vec<SidesRow>,
    pub named: Vec<NamedView>,
    pub settles: Vec<String>,
}

/// The figures of one reading or level, opened.
pub struct ReadingWorkings {
    pub heading: String,
    pub workings: Vec<OpenedDerivation>,
}

pub fn sheet(evaluated: &Evaluated<'_>, frame: &Frame, part: Paging) -> Sheet {
    let zone = &frame.time_zone;
    let assessment = &evaluated.assessment;
    let rating = assessment.rating();
    let pmax = rating.and_then(|rating| rating.pmax.as_ref());
    let whole = pmax.zip(rating.and_then(|rating| rating.ladder.as_ref()));
    let only_open_short = rating.is_some_and(|rating| rating.verdict == RatingVerdict::NoWatts);
    let budget = pmax.or(rating.filter(|_| only_open_short).and_then(|rating| rating.short_circuit.as_ref()));
    Sheet {
        verdict: evaluated.verdict(),
        also: evaluated.also(),
        conditions: words::conditions(&evaluated.recorded.test.setup),
        ladder: evaluated.ladder_svg(),
        ladder_notes: ladder_notes(evaluated),
        forest: evaluated.forest_svg(zone),
        lines: evaluated.views(zone, part),
        part,
        workings: whole.map(|(combined, ladder)| workings::opened(of_rating(combined, ladder))).unwrap_or_default(),
        budget: budget.map(|combined| workings::budget(&combined.budget)).unwrap_or_default(),
        reading_workings: reading_workings(evaluated, zone, part),
        open_short: [What::Voc, What::Isc]
            .into_iter()
            .filter_map(|what| rating?.combined(what).map(|combined| (what.label(), percent_of_label(combined))))
            .collect(),
        proves: if only_open_short { &OPEN_SHORT_PROVES } else { &[] },
        cannot: if only_open_short { &OPEN_SHORT_CANNOT } else { &[] },
        ratings: evaluated.ratings(&frame.bench.currency),
        sides: evaluated.sides(),
        named: evaluated.named(),
        settles: evaluated.settles(),
    }
}

/// What to know beside the ladder.
fn ladder_notes(evaluated: &Evaluated<'_>) -> Vec<String> {
    let mut notes = Vec::new();
    let ladder = evaluated.assessment.rating().and_then(|rating| rating.ladder.as_ref());
    if ladder.is_some_and(|ladder| !ladder.counts) {
        notes.push("None of these readings counts for the rating; the ladder shows where their watts went.".to_owned());
    }
    // What of the conditions or of the label no circuit could be made of; the other steps stand.
    let arrangement = evaluated.assessment.levels.first().map(|level| &level.subject.arrangement);
    notes.extend(
        arrangement.and_then(|made| made.as_ref().err()).map(|error| format!("Steps by the circuit are left out. {error}")),
    );
    notes
}

fn percent_of_label(combined: &Combined) -> String {
    crate::figures::with_u(combined.percent, combined.u_percent, "%").to_string()
}

/// Of the readings that are listed.
fn reading_workings(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> Vec<ReadingWorkings> {
    let mut all = Vec::new();
    let listed = &evaluated.recorded.lines[part.places()];
    for reading in listed.iter().filter_map(|line| line.current.as_ref()) {
        let Some(judged) = evaluated.judged(&reading.what.uid) else { continue };
        let points = [&judged.result.pmax, &judged.result.voc, &judged.result.isc].into_iter().flatten();
        let setup = &evaluated.recorded.test.setup;
        let workings = workings::opened(points.flat_map(|point| point.derivation(&reading.what.figures, setup)).collect());
        if !workings.is_empty() {
            all.push(ReadingWorkings {
                heading: format!("Reading of {}", evaluated.when(reading.what.taken_utc, zone)),
                workings,
            });
        }
    }
    all
}
