//! A test as a line of a list.

use crate::draw::forest;
use crate::figures::day;
use crate::frame::Frame;
use crate::kept::digests::Digest;
use crate::words::review;
use std::collections::HashSet;

/// A line of the logbook.
pub struct Row {
    pub href: String,
    /// The uid of a test, which a review can be made of.
    pub uid: Option<String>,
    pub mark: &'static str,
    pub tag: String,
    pub name: String,
    pub word: String,
    pub what: String,
    pub day: String,
    pub more: String,
    /// The result on a small scale of percent of rating.
    pub svg: Option<String>,
}

/// A test as a line.
pub fn test_row(digest: &Digest, frame: &Frame) -> Row {
    let mark = review::mark(&digest.summary);
    let at = digest.summary.last_utc.unwrap_or(digest.test.created_utc);
    let readings = digest.summary.readings;
    let mut more = format!("{readings} reading{}", if readings == 1 { "" } else { "s" });
    if digest.summary.open_runs > 0 {
        more.push_str(&format!(" \u{b7} {} runs open", digest.summary.open_runs));
    }
    if !digest.place.is_empty() {
        more.push_str(&format!(" \u{b7} {}", digest.place));
    }
    let tags: Vec<&str> = digest.summary.levels.iter().flat_map(|level| &level.panels).map(|piece| piece.tag.as_str()).collect();
    let others: HashSet<&&str> = tags.iter().filter(|tag| **tag != digest.tag).collect();
    let rating = match &digest.summary.levels[..] {
        [only] if !digest.summary.is_comparison() => only.rating.as_ref(),
        _ => None,
    };
    Row {
        href: format!("/tests/{}{}", digest.test.id, if readings == 0 { "" } else { "/result" }),
        uid: Some(digest.test.uid.clone()),
        mark,
        tag: digest.tag.clone(),
        name: match others.len() {
            0 => digest.kind.clone(),
            count => format!("{} and {count} more", digest.kind),
        },
        word: digest.headline.clone(),
        what: digest.test.question.label().to_owned(),
        day: day(at, &frame.time_zone),
        more,
        svg: rating.map(|rating| forest::draw_small(rating.percent)),
    }
}

/// A test that the file holds no readable record of.
pub fn unreadable_row(id: i64, why: &str) -> Row {
    Row {
        href: format!("/tests/{id}/result"),
        uid: None,
        mark: "cant-tell",
        tag: String::new(),
        name: format!("Test {id} cannot be read: {why}"),
        word: "Unreadable".to_owned(),
        what: "The other tests are whole. A copy of the bench may have it: see Bench.".to_owned(),
        day: String::new(),
        more: String::new(),
        svg: None,
    }
}
