//! Clauses of a line at work that say what shades a panel, and that nothing does any more.

use super::at::At;
use super::figures::ends_in_a_figure;
use super::phrases::FILLERS;
use crate::decimal::Decimal;
use crate::panel::shade_description::Size;
use crate::record::condition::{Condition, Factor, Value};
use crate::record::language::level;
use crate::record::language::{number, words};
use crate::record::shading::{ShadePatch, Shape};

pub(super) fn no_shade() -> Condition {
    Condition { typed: "none".to_owned(), value: Value::Shade(Vec::new()) }
}

/// "no shade", "nothing in front", "towel off".
pub(super) fn is_free(text: &str, at: &At<'_>) -> bool {
    const PHRASES: [&str; 19] = [
        "none",
        "no shade",
        "unshaded",
        "nothing in front",
        "nothing covered",
        "uncovered",
        "not shaded",
        "not blocking anything",
        "all clear",
        "clean and clear",
        "shade off",
        "shade away",
        "shade gone",
        "in full sun",
        "free",
        "all free",
        "in the clear",
        "no shadow",
        "nothing on",
    ];
    if PHRASES.contains(&text) {
        return true;
    }
    // "Off" alone: what lies on it now. Where nothing does, "clear" is the sky.
    if is_shaded(at) && ["clear", "off", "off it", "taken off", "removed", "clean", "clean again"].contains(&text) {
        return true;
    }
    // What lay on it is taken away, or named with "no".
    let shaded = at.current.get(&Factor::Shade).map(|one| words(&one.typed)).unwrap_or_default();
    let is_of_it = |word: &str| shaded.iter().any(|own| own == word) || AS_SHADE.contains(&word);
    let said: Vec<&str> = text.split_whitespace().collect();
    match &said[..] {
        [what, "off" | "away" | "gone" | "removed"]
        | ["no", what]
        | ["without", what]
        | ["removed" | "removing", "the" | "my", what] => is_of_it(what),
        // "Took the leaves off", "lifted off the towel".
        ["took" | "taking" | "taken" | "lifted" | "pulled" | "moved", "the" | "my", what, "off" | "away"]
        | ["took" | "taking" | "taken" | "lifted" | "pulled" | "moved", "off" | "away", "the" | "my", what] => is_of_it(what),
        _ => false,
    }
}

/// Whether something lies there now.
pub(super) fn is_shaded(at: &At<'_>) -> bool {
    at.current.get(&Factor::Shade).is_some_and(|one| !matches!(&one.value, Value::Shade(patches) if patches.is_empty()))
}

/// "Panel 2" while something lies on panel 1: the same on another one.
pub(super) fn moved(own: &[String], at: &At<'_>) -> Option<Condition> {
    let [what, which] = own else { return None };
    let is_place = what == "panel" || what == "string";
    let lies = at.current.get(&Factor::Shade).filter(|_| is_place && is_shaded(at))?;
    let number: usize = which.parse().ok()?;
    let typed = words(&lies.typed);
    let before = typed.windows(2).position(|two| two[0] == *what && two[1].parse::<usize>().is_ok())?;
    let mut said = typed.clone();
    said[before + 1] = number.to_string();
    level::read(Factor::Shade, &said.join(" "), at.names).ok()
}

/// Things that shade, so that words of one are a shade.
pub(super) const AS_SHADE: [&str; 44] = [
    "taped",
    "shade",
    "hat",
    "shirt",
    "coat",
    "arm",
    "foot",
    "umbrella",
    "tarp",
    "bag",
    "plank",
    "newspaper",
    "paper",
    "foil",
    "mud",
    "bucket",
    "shaded",
    "shadow",
    "covered",
    "cover",
    "covering",
    "towel",
    "sheet",
    "cloth",
    "card",
    "cardboard",
    "blanket",
    "jacket",
    "tape",
    "stool",
    "chair",
    "bin",
    "branch",
    "leaf",
    "leaves",
    "tree",
    "pole",
    "post",
    "rope",
    "snow",
    "person",
    "hand",
    "me",
    "board",
];

/// Words of a place on the face that are a shade where they stand alone.
pub(super) const AS_PLACE: [&str; 16] = [
    "half", "third", "quarter", "row", "rows", "column", "columns", "cell", "cells", "corner", "bottom", "top", "left", "right",
    "strip", "band",
];

/// A clause as a shade: what can be computed with, or its own name.
pub(super) fn shade(clause: &str, own: &[String], at: &At<'_>) -> Option<Condition> {
    let has = |list: &[&str]| own.iter().any(|word| list.contains(&word.as_str()));
    if let Some(cells) = cells_on_each(own, at) {
        return Some(cells);
    }
    if is_more_of_it(own, at) {
        return Some(Condition::name(clause.trim()));
    }
    let is_remark = own.iter().enumerate().any(|(nth, word)| OF_A_REMARK.contains(&word.as_str()) && !names_a_string(own, nth));
    if !has_shade(own) && !has(&AS_PLACE)
        || is_remark
        || ends_in_a_figure(&own.join(" ")) && !ends_in_a_place(own) && !ends_in_its_size(own, at)
    {
        return None;
    }
    // "Cells 3": which and how many was not said.
    if let [only] = own
        && ["cell", "cells", "row", "rows", "column", "columns"].contains(&only.as_str())
    {
        return None;
    }
    // "N-1 laid on top": a panel and a place, of which nothing shades.
    let names_a_panel = (0..own.len()).any(|nth| {
        let rest: Vec<&str> = own[nth..].iter().map(String::as_str).collect();
        at.names.panel_at(&rest).is_some()
    });
    const PUT: [&str; 5] = ["laid", "lying", "lies", "stacked", "leaning"];
    if (names_a_panel || has(&PUT)) && !has_shade(own) && !own.iter().any(|word| word.starts_with("cell")) {
        return None;
    }
    let text = clause.trim();
    // "Across panel 2" says where and how: a band on it.
    let said = own.join(" ").replace("across panel", "across on panel");
    match level::patches(&said, at.names) {
        Ok(Some(patches)) if !patches.is_empty() => {
            let known = Condition { typed: own.join(" "), value: Value::Shade(patches) };
            // A word that nothing is computed with leaves a name: the drawing would claim more than was said.
            let unread = level::unread(Factor::Shade, &known, at.names);
            let is_known = |word: &str| AS_SHADE.contains(&word) || FILLERS.contains(&word);
            match unread.iter().all(|word| is_known(word)) {
                true => Some(Condition { typed: text.to_owned(), ..known }),
                false => (own.len() <= MOST_OF_A_NAME
                    && unread.iter().all(|word| is_known(word) || OF_A_NAME.contains(&word.as_str())))
                .then(|| Condition::name(text)),
            }
        }
        Ok(_) => {
            let is_of_it = |word: &String| {
                let word = word.trim_end_matches("'s").trim_end_matches("\u{2019}s");
                is_a_shade(word)
                    || AS_PLACE.contains(&word)
                    || FILLERS.contains(&word)
                    || OF_A_NAME.contains(&word)
                    || word == STRING
                    || number::read(word).is_some()
                    || word.parse::<f64>().is_ok()
            };
            let is_of_cells = || own.iter().any(|word| word == "cell" || word == "cells");
            (own.len() <= MOST_OF_A_NAME && (has_shade(own) || is_of_cells()) && own.iter().all(is_of_it))
                .then(|| Condition::name(text))
        }
        // "A few cells": of which nothing is computed with, but a state of its own.
        Err(_) => {
            let is_few = ["few", "some", "several"].iter().any(|word| own.iter().any(|said| said == word));
            (is_few && own.len() <= MOST_OF_A_NAME).then(|| Condition::name(text))
        }
    }
}

/// "Corner 20 %", where no size was said before: how large it is. By itself a percent is a humidity.
fn ends_in_its_size(own: &[String], at: &At<'_>) -> bool {
    let size_of = |said: &str| match level::patches(said, at.names).ok()??.as_slice() {
        [ShadePatch { shape: Shape::Described(described), .. }] => Some(described.size),
        _ => None,
    };
    let text = own.join(" ");
    let Some((before, figure)) = text.strip_suffix('%').and_then(|share| share.trim_end().rsplit_once(' ')) else { return false };
    Decimal::parse(figure).is_ok()
        && !ends_in_a_figure(before)
        && size_of(before) == Some(Size::Unsaid)
        && matches!(size_of(&text), Some(Size::Share(_)))
}

/// "A bit more of it", "bigger bit", "in two patches": of what shades it now. By its own name, since how much it is was not said.
fn is_more_of_it(own: &[String], at: &At<'_>) -> bool {
    const MORE: [&str; 12] =
        ["more", "less", "bigger", "smaller", "larger", "lower", "higher", "further", "closer", "wider", "patches", "pieces"];
    const BESIDE: [&str; 14] =
        ["a", "bit", "lot", "of", "it", "in", "two", "three", "piece", "one", "much", "little", "half", "even"];
    // "Lower half" says where and how much.
    let is_a_part = own.windows(2).any(|two| two[0] == "lower" && two[1] == "half");
    is_shaded(at)
        && !is_a_part
        && own.iter().any(|word| MORE.contains(&word.as_str()))
        && own.iter().all(|word| MORE.contains(&word.as_str()) || BESIDE.contains(&word.as_str()))
}

const STRING: &str = "string";

/// "On string 1", "before the second string": a place, where "string" alone is a remark about amps.
fn names_a_string(own: &[String], nth: usize) -> bool {
    let is_number = |at: Option<usize>| {
        at.and_then(|at| own.get(at)).is_some_and(|word| word.parse::<usize>().is_ok() || number::read_ordinal(word).is_some())
    };
    own[nth] == STRING && (is_number(Some(nth + 1)) || is_number(nth.checked_sub(1)))
}

/// "One on each", "2 each", where cells are covered now: so many on each panel.
fn cells_on_each(own: &[String], at: &At<'_>) -> Option<Condition> {
    let covers_cells =
        at.current.get(&Factor::Shade).is_some_and(|one| words(&one.typed).iter().any(|word| word.starts_with("cell")));
    let own: Vec<&str> = own.iter().map(String::as_str).filter(|word| *word != "on").collect();
    let [count, "each"] = own[..] else { return None };
    let count = number::whole_amount(&[count]).filter(|count| covers_cells && count.fract() == 0.0)?;
    level::read(Factor::Shade, &format!("{count} cells on each panel"), at.names).ok()
}

fn has_shade(own: &[String]) -> bool {
    own.iter().any(|word| is_a_shade(word))
}

/// A thing that shades, or several: "bins", "bin's".
fn is_a_shade(word: &str) -> bool {
    let word = word.trim_end_matches("'s").trim_end_matches("\u{2019}s");
    AS_SHADE.contains(&word) || word.strip_suffix('s').is_some_and(|one| AS_SHADE.contains(&one))
}

/// "panel 1", "panels 1 and 2", "half on 2": a figure at the end that says where.
fn ends_in_a_place(own: &[String]) -> bool {
    let before = own.len().checked_sub(2).map(|at| own[at].as_str());
    // "The second string 2.1": the place was said before.
    let is_said = own.len().checked_sub(3).is_some_and(|at| number::read_ordinal(&own[at]).is_some());
    let is_number = own.last().is_some_and(|last| last.parse::<usize>().is_ok() || number::read(last).is_some());
    // "Half of each panel 126": what stands behind is a figure.
    let is_said = is_said || own.iter().any(|word| word == "each" || word == "both");
    is_number && !is_said && before.is_some_and(|word| ["panel", "panels", "string", "on", "and", "+"].contains(&word))
}

/// A shade of one's own that is longer than this is a remark.
const MOST_OF_A_NAME: usize = 6;

/// Words that the name of a shade of one's own may have besides things and places.
const OF_A_NAME: [&str; 38] = [
    "standing", "sitting", "it", "white", "black", "grey", "brown", "old", "whole", "thick", "a", "an", "of", "thin", "slice",
    "big", "bigger", "small", "smaller", "more", "less", "bit", "piece", "before", "over", "under", "side", "across", "along",
    "wide", "long", "part", "few", "two", "behind", "front", "panel", "panels",
];

/// Words by which a clause about shade is a remark, or says the contrary.
const OF_A_REMARK: [&str; 28] = [
    "not", "never", "no", "so", "that", "sun", "lit", "bright", "dark", "free", "open", "stays", "costs", "cost", "lost",
    "loses", "than", "should", "would", "same", "string", "strings", "amp", "amps", "volt", "volts", "watt", "watts",
];
