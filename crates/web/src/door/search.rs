//! Words to look for, and what was found as pages and programs show it.

use crate::error::AppError;
use crate::kept::digests::Digest;
use crate::state::AppState;
use flindo_store::{FoundRecord, Store, StoreError, Withdrawable};
use std::collections::HashSet;

/// More of a kind are not shown.
const MOST: i64 = 50;

/// Characters around the first word that was found.
const AROUND: usize = 60;

/// A record that was found.
#[derive(Debug, Clone)]
pub struct Hit {
    pub what: Withdrawable,
    pub heading: &'static str,
    pub id: i64,
    pub name: String,
    pub path: String,
    /// What stands around the first of the words, and of a test its answer; empty where that is the name itself.
    pub excerpt: String,
}

pub struct Hits {
    pub hits: Vec<Hit>,
    /// Of a kind there are more.
    pub is_cut: bool,
}

/// What has all the words of a line.
pub async fn hits(state: &AppState, typed: &str) -> Result<Hits, AppError> {
    let words: Vec<String> = typed.split_whitespace().take(12).map(str::to_lowercase).collect();
    let (mut hits, mut is_cut): (Vec<Hit>, bool) = (Vec::new(), false);
    if words.is_empty() {
        return Ok(Hits { hits, is_cut });
    }
    let noted = noted(&state.store, &words).await?;
    let all = state.all_digests().await?;
    let tests: Vec<_> = all.digests.iter().filter(|digest| has_words(digest, &words, &noted)).collect();
    is_cut |= tests.len() > MOST as usize;
    hits.extend(tests.into_iter().take(MOST as usize).map(|digest| of_test(digest)));
    let found = state.store.search(&words, MOST + 1).await?;
    for record in found {
        if hits.iter().filter(|hit| hit.what == record.what).count() as i64 == MOST {
            is_cut = true;
            continue;
        }
        hits.push(hit(record, &words));
    }
    Ok(Hits { hits, is_cut })
}

fn of_test(digest: &Digest) -> Hit {
    let at = digest.summary.last_utc.unwrap_or(digest.test.created_utc);
    Hit {
        what: Withdrawable::Test,
        heading: "Tests",
        id: digest.test.id,
        name: format!("{}, {}", digest.tag, at.strftime("%Y-%m-%d")),
        path: format!("/tests/{}/result", digest.test.id),
        excerpt: digest.headline.clone(),
    }
}

fn hit(record: FoundRecord, words: &[String]) -> Hit {
    let (heading, folder) = match record.what {
        Withdrawable::Test => ("Tests", "tests"),
        Withdrawable::Panel => ("Panels", "panels"),
        Withdrawable::Kind => ("Panel kinds", "kinds"),
        Withdrawable::Gear => ("Gear", "gear"),
        Withdrawable::Rig => ("Rigs", "rigs"),
        Withdrawable::Place => ("Places", "places"),
        Withdrawable::Log => ("Logs", "logs"),
        Withdrawable::Review => ("Reviews", "reviews"),
    };
    let end = match record.what {
        Withdrawable::Test => "/result",
        Withdrawable::Place => "/edit",
        Withdrawable::Panel
        | Withdrawable::Kind
        | Withdrawable::Gear
        | Withdrawable::Rig
        | Withdrawable::Log
        | Withdrawable::Review => "",
    };
    Hit {
        what: record.what,
        heading,
        id: record.id,
        path: format!("/{folder}/{}{end}", record.id),
        excerpt: excerpt(&record.text, &record.name, words),
        name: record.name,
    }
}

/// What stands around the first word that is not in the name.
fn excerpt(text: &str, name: &str, words: &[String]) -> String {
    let of_name = name.to_ascii_lowercase();
    let lower = text.to_ascii_lowercase();
    let outside = words.iter().filter(|word| !of_name.contains(word.as_str()));
    let Some(at) = outside.filter_map(|word| lower.find(word.as_str())).min() else { return String::new() };
    // Lower case of ASCII alone keeps every place.
    let before = text[..at].char_indices().rev().nth(AROUND - 1).map_or(0, |(place, _)| place);
    let after = text[at..].char_indices().nth(2 * AROUND).map_or(text.len(), |(place, _)| at + place);
    // The name stands beside it already.
    let before = if before == 0 && text.starts_with(name) { name.len() } else { before };
    let dots = |is_cut: bool| if is_cut { "\u{2026}" } else { "" };
    format!("{}{}{}", dots(before > name.len()), text[before..after].trim(), dots(after < text.len()))
}

/// For each word, the tests whose notes have it.
pub async fn noted(store: &Store, words: &[String]) -> Result<Vec<HashSet<i64>>, StoreError> {
    let mut noted = Vec::with_capacity(words.len());
    for word in words {
        noted.push(store.tests_with_word(word).await?);
    }
    Ok(noted)
}

/// Whether a test has every word in what is known of it, or in its notes.
pub fn has_words(digest: &Digest, words: &[String], noted: &[HashSet<i64>]) -> bool {
    let text = text_of(digest);
    words.iter().zip(noted).all(|(word, noted)| text.contains(word) || noted.contains(&digest.test.id))
}

/// What is known of a test besides its notes.
fn text_of(digest: &Digest) -> String {
    let mut text = format!("{} {} {} {} ", digest.tag, digest.kind, digest.place, digest.test.question.label());
    for level in &digest.summary.levels {
        text.push_str(&level.name);
        text.push(' ');
        for piece in &level.panels {
            text.push_str(&format!("{} {} ", piece.tag, piece.kind));
        }
        text.extend(level.controller.iter().map(String::as_str));
        text.push(' ');
    }
    text.to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_words_stand_in_what_is_around_them() {
        let words = |text: &str| text.split(' ').map(str::to_owned).collect::<Vec<_>>();
        assert_eq!(
            excerpt("U-1 Umber 250 bought of a roof, \u{e9}clat", "U-1", &words("u-1 roof")),
            "Umber 250 bought of a roof, \u{e9}clat"
        );
        assert_eq!(excerpt("U-1 Umber 250", "U-1", &words("u-1")), "");
        let long = format!("{} hail {}", "\u{e4}".repeat(100), "b".repeat(300));
        let found = excerpt(&long, "U-1", &words("hail"));
        assert!(found.starts_with("\u{2026}\u{e4}") && found.contains(" hail b") && found.ends_with('\u{2026}'), "{found}");
    }
}
