//! Results in lists, leagues and reviews as sentences: each claims only what its figures carry.

use crate::figures::{number, with_u};
use crate::words::{finding, rating_mark, settle};
use flindo_core::review::again::WhyAgain;
use flindo_core::review::claim::{Checked, Claim, ClaimVerdict};
use flindo_core::review::league::WhyOut;
use flindo_core::review::summary::{Figure, Found, Summary};
use flindo_core::review::table::{Apart, Cell, Row, Table};
use flindo_core::verdict::conformity::RatingVerdict;

pub fn figure(figure: Figure, unit: &'static str) -> String {
    with_u(figure.value, figure.u, unit).to_string()
}

/// The shape beside a test in a list: a tick where something is sure.
pub fn mark(summary: &Summary) -> &'static str {
    match (summary.found(), &summary.levels[..]) {
        (Found::NoReading | Found::CantTell | Found::NoDifference, _) => "cant-tell",
        (Found::Differs, _) => "makes",
        (_, [_]) => rating_mark(summary.verdict),
        _ => rating_mark(RatingVerdict::Consistent),
    }
}

/// Why something is not in a league.
pub fn why_out(why: &WhyOut) -> String {
    match why {
        WhyOut::NotMeasured => "no test yet".to_owned(),
        WhyOut::NoFigure => "its tests show no such figure".to_owned(),
        WhyOut::Forbidden(found) => finding::finding(found).why,
        WhyOut::NoPrice => "no price".to_owned(),
        WhyOut::NoSize => "length and width are not on the label".to_owned(),
        WhyOut::NoWeight => "the weight is not on the label".to_owned(),
        WhyOut::OtherBaseline(name) => format!("compared with another baseline: {name}"),
        WhyOut::OtherDay => "another day: its sun was another one".to_owned(),
    }
}

/// Why a panel wants another test, and what would bring the answer.
pub fn why_again(why: &WhyAgain) -> String {
    match why {
        WhyAgain::Never => "never tested".to_owned(),
        WhyAgain::Open { verdict, settle: None } => verdict.label().to_lowercase(),
        WhyAgain::Open { verdict, settle: Some(act) } => {
            format!("{}: needs {}", verdict.label().to_lowercase(), settle::settle(act))
        }
        WhyAgain::Old { years } => format!("last tested {} years ago", number(*years, 1)),
    }
}

/// What keeps figures of a review from being compared.
pub fn apart(apart: &Apart) -> String {
    match apart {
        Apart::BareWatts => {
            "Watts as read of different days are not compared: each day had its own sun. Percent of the own baseline is."
                .to_owned()
        }
        Apart::Quantities(names) => format!("The tests compare different quantities: {}.", names.join(", ")),
        Apart::Questions => "The tests ask different questions; only patterns of the same name share a row.".to_owned(),
        Apart::Baselines(names) => {
            format!("The baselines differ ({}): percents of different baselines are not the same measure.", names.join("; "))
        }
        Apart::OnlyOne(pattern) => format!("\u{201c}{pattern}\u{201d} was measured on one product only."),
        Apart::Absolute(name) => format!("The baseline \u{201c}{name}\u{201d} gives too little to be a measure in percent."),
    }
}

/// A claim as it is made.
pub fn claim(claim: &Claim) -> String {
    let by = match claim.high_percent {
        Some(high) => format!("{} to {}\u{a0}%", number(claim.low_percent, 1), number(high, 1)),
        None => format!("at least {}\u{a0}%", number(claim.low_percent, 1)),
    };
    let of = if claim.pattern.is_empty() { "percent of rating" } else { &claim.pattern };
    format!("{} gives {by} more than {} ({of})", claim.subject, claim.than)
}

pub fn checked(checked: &Checked) -> String {
    let measured = checked.measured_percent.map(|more| format!("measured {} more", figure(more, "%")));
    match (checked.verdict, measured) {
        (ClaimVerdict::Held, Some(measured)) => format!("Held: {measured}."),
        (ClaimVerdict::Refuted, Some(measured)) => format!("Refuted: {measured}."),
        (ClaimVerdict::CantTell, Some(measured)) => {
            format!("Can\u{2019}t tell: {measured}, which reaches over a limit of the claim.")
        }
        (_, None) => "Can\u{2019}t tell: the tests of this review lack a figure of it.".to_owned(),
    }
}

/// A review in a paragraph: who is ahead under each pattern, and where nobody is.
pub fn summary(table: &Table) -> Vec<String> {
    let mut told: Vec<String> =
        table.rows.iter().filter(|row| row.cells.iter().flatten().count() > 1).map(|row| of_row(table, row)).collect();
    let rated: Vec<String> = table
        .subjects
        .iter()
        .filter_map(|subject| Some(format!("{} {}", subject.name, figure(subject.rating_percent?, "%"))))
        .collect();
    if !rated.is_empty() {
        told.push(format!("Percent of rating: {}.", rated.join("; ")));
    }
    told
}

fn of_row(table: &Table, row: &Row) -> String {
    let named: Vec<(&str, &Cell)> = table
        .subjects
        .iter()
        .zip(&row.cells)
        .filter_map(|(subject, cell)| Some((subject.name.as_str(), cell.as_ref()?)))
        .collect();
    let first: Vec<&(&str, &Cell)> = named.iter().filter(|(_, cell)| cell.rank == 1).collect();
    let told = |(name, cell): &(&str, &Cell)| format!("{name} {}", figure(cell.percent, "%"));
    let rest: Vec<String> = named.iter().filter(|(_, cell)| cell.rank > 1).map(told).collect();
    let lead: Vec<String> = first.iter().map(|one| told(one)).collect();
    match (&first[..], &rest[..]) {
        (_, []) => format!("\u{201c}{}\u{201d}: no difference shown between {}.", row.pattern, lead.join(" and ")),
        ([_], _) => {
            format!("\u{201c}{}\u{201d}: {} keeps most of its baseline, before {}.", row.pattern, lead[0], rest.join(" and "))
        }
        (..) => format!(
            "\u{201c}{}\u{201d}: {} keep most of their baselines, with no difference shown between them, before {}.",
            row.pattern,
            lead.join(" and "),
            rest.join(" and ")
        ),
    }
}
