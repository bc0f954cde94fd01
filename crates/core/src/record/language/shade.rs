//! What lies on one face, in words: "bottom row of cells", "band across 20 %", "10 cm along the top", "half a cell", "shadow of a pole".

use super::number;
use crate::panel::face::{Mounting, Side};
use crate::panel::shade::Pattern;
use crate::panel::shade_description::{ShadeDescription, Size, THROUGH_CARD, THROUGH_SHADOW, THROUGH_SNOW};

/// A pattern: how it is written, and the words it is read by. Where several are named, the first of the table counts.
struct PatternWords {
    pattern: Pattern,
    written: &'static str,
    read: &'static [&'static str],
}

const PATTERNS: [PatternWords; 10] = [
    of(Pattern::Dapple, "leaves", &["leaf", "leaves", "dapple", "dappled", "branch", "branches", "tree", "foliage"]),
    of(Pattern::Bars, "bars of a railing", &["bars", "railing", "rails", "fence", "slats"]),
    of(Pattern::Pole, "pole", &["pole", "post", "mast", "trunk", "chimney", "rope", "wire"]),
    of(Pattern::Snow, "snow", &["snow"]),
    of(Pattern::Corner, "corner", &["corner"]),
    of(Pattern::Bottom, "strip along the bottom", &["bottom", "lower", "foot", "below"]),
    of(Pattern::Top, "strip along the top", &["top", "upper", "head", "above"]),
    of(Pattern::Left, "strip along the left", &["left", "side"]),
    of(Pattern::Right, "strip along the right", &["right"]),
    of(Pattern::Band, "band across the middle", &["band", "across", "middle", "centre", "center"]),
];

const fn of(pattern: Pattern, written: &'static str, read: &'static [&'static str]) -> PatternWords {
    PatternWords { pattern, written, read }
}

/// Words for no shade, where nothing else is said; the first is written.
const NONE: [&str; 4] = ["none", "no", "unshaded", "clear"];

/// Words for the whole face.
const WHOLE: [&str; 5] = ["whole", "all", "wholly", "entirely", "everything"];
const WHOLE_WRITTEN: &str = "the whole panel";

/// Shadows that something casts: more light comes through than under a cloth.
const CAST: [&str; 2] = ["shadow", "shadows"];

/// How it stands; the first is written.
const MOUNTINGS: [(Mounting, &[&str]); 2] =
    [(Mounting::Landscape, &["landscape", "lying"]), (Mounting::Portrait, &["portrait", "upright", "standing"])];

/// Lengths in metres; `cm` is written.
const LENGTHS: [(&str, f64); 10] = [
    ("mm", 0.001),
    ("cm", 0.01),
    ("m", 1.0),
    ("metre", 1.0),
    ("metres", 1.0),
    ("inch", 0.0254),
    ("inches", 0.0254),
    ("in", 0.0254),
    ("ft", 0.3048),
    ("feet", 0.3048),
];

/// Lines of cells and cells: one, several.
const CELL: [&str; 2] = ["cell", "cells"];
const ROW: [&str; 2] = ["row", "rows"];
const COLUMN: [&str; 2] = ["column", "columns"];

/// "A strip two cells wide" is as long as the face.
const WIDE: [&str; 5] = ["wide", "high", "deep", "tall", "broad"];

/// More cells than these have no panel.
const MOST_CELLS: f64 = 400.0;

/// Words that carry nothing that is computed with: they join the others, or say what the shade is made of.
const SAYING_NOTHING: [&str; 52] = [
    "a",
    "an",
    "and",
    "along",
    "as",
    "at",
    "blanket",
    "board",
    "by",
    "card",
    "cardboard",
    "cloth",
    "coat",
    "cover",
    "covered",
    "edge",
    "for",
    "from",
    "hand",
    "in",
    "is",
    "are",
    "it",
    "its",
    "jacket",
    "laid",
    "lies",
    "long",
    "module",
    "of",
    "on",
    "over",
    "panel",
    "panels",
    "paper",
    "part",
    "person",
    "piece",
    "shade",
    "shaded",
    "sheet",
    "short",
    "strip",
    "tape",
    "the",
    "through",
    "to",
    "towel",
    "under",
    "with",
    "one",
    "light",
];

/// Reads a shade; `None` where no pattern, share, length or number of cells is in it.
///
/// Card and cloth on the face let a little creep in; a shadow that something casts lets more; "12 % through" says how much.
///
/// # Errors
/// A sentence, where a size is said and cannot be read.
pub fn read(words: &[&str]) -> Result<Option<ShadeDescription>, String> {
    let has = |list: &[&str]| words.iter().any(|word| list.contains(word));
    let named = PATTERNS.iter().find(|known| has(known.read)).map(|known| known.pattern);
    let whole = has(&WHOLE).then_some(Pattern::Whole);
    let side = side(words);
    let size = size(words, named.is_some())?;
    let pattern = match (named, whole, size) {
        // Which edge a side is depends on how the panel stands; see `on_face`.
        (Some(Pattern::Left) | None, _, _) if side.is_some() => Pattern::Bottom,
        (Some(pattern), _, _) => pattern,
        (None, _, None) if has(&NONE) => Pattern::None,
        (None, Some(whole), _) => whole,
        (None, None, Some(_)) if has(&COLUMN) => Pattern::Left,
        (None, None, Some(_)) => Pattern::Bottom,
        (None, None, None) => return Ok(None),
    };
    let casts = has(&CAST) || matches!(pattern, Pattern::Dapple | Pattern::Pole | Pattern::Bars);
    let usual_through = match pattern {
        Pattern::Snow => THROUGH_SNOW,
        Pattern::None
        | Pattern::Bottom
        | Pattern::Top
        | Pattern::Left
        | Pattern::Right
        | Pattern::Band
        | Pattern::Corner
        | Pattern::Pole
        | Pattern::Bars
        | Pattern::Dapple
        | Pattern::Whole => {
            if casts {
                THROUGH_SHADOW
            } else {
                THROUGH_CARD
            }
        }
    };
    Ok(Some(ShadeDescription {
        pattern,
        size: size.unwrap_or(Size::Unsaid),
        through: said_through(words)?.unwrap_or(usual_through),
        mounting: MOUNTINGS.iter().find(|(_, read)| has(read)).map(|(mounting, _)| *mounting),
        side,
    }))
}

/// In words that [`read`] understands as the same.
pub fn write(shade: &ShadeDescription) -> String {
    if shade.pattern == Pattern::None {
        return NONE[0].to_owned();
    }
    let named = match shade.side {
        Some(side) => format!("strip {}", side.label()),
        None => {
            PATTERNS.iter().find(|known| known.pattern == shade.pattern).map_or(WHOLE_WRITTEN, |known| known.written).to_owned()
        }
    };
    let size = match shade.size {
        Size::Share(share) => format!(" {} %", in_hundredths(share)),
        Size::Rows(rows) => format!(" {rows} rows"),
        Size::Cells(cells) => format!(" {cells} cells"),
        Size::Metres(metres) => format!(" {} cm", in_hundredths(metres)),
        Size::Unsaid => String::new(),
    };
    let stands = MOUNTINGS.iter().find(|(mounting, _)| Some(*mounting) == shade.mounting);
    let stands = stands.map(|(_, read)| format!(", {}", read[0])).unwrap_or_default();
    format!("{named}{size}, {} % through{stands}", in_hundredths(shade.through))
}

/// Percent of a share, or centimetres, without the digits that only arithmetic left.
pub(super) fn in_hundredths(of_one: f64) -> f64 {
    (of_one * 1e8).round() / 1e6
}

fn side(words: &[&str]) -> Option<Side> {
    let along = |way: &str| words.windows(2).any(|pair| pair[0] == way && (pair[1] == "side" || pair[1] == "edge"));
    match () {
        () if along("long") => Some(Side::Long),
        () if along("short") => Some(Side::Short),
        () => None,
    }
}

/// How much of its way it takes; `None` where nobody says.
fn size(words: &[&str], is_named: bool) -> Result<Option<Size>, String> {
    if let Some(metres) = metres(words)? {
        return Ok(Some(Size::Metres(metres)));
    }
    if let Some(cells) = counted(words, CELL)? {
        // "A strip two cells wide" is as long as the face.
        let is_wide = is_named && words.iter().any(|word| WIDE.contains(word));
        return Ok(Some(if is_wide { Size::Rows(cells) } else { Size::Cells(cells) }));
    }
    for lines in [ROW, COLUMN] {
        if let Some(rows) = counted(words, lines)? {
            return Ok(Some(Size::Rows(rows)));
        }
    }
    if let Some(percent) = percent(words)? {
        return Ok(Some(Size::Share(percent)));
    }
    Ok(part(words).map(Size::Share))
}

/// A number was wanted before a unit.
fn no_number(word: &str, unit: &str) -> String {
    format!(
        "\u{201c}{word} {unit}\u{201d}: \u{201c}{word}\u{201d} is no number. Write a figure, such as 2 {unit}, or leave it out."
    )
}

/// Whether a word before a unit stands for a number that cannot be read, and is none of the words that may stand there.
fn is_no_number(word: &str) -> bool {
    !number::is_word(word) && !is_known(word)
}

/// "10 cm", "10cm", "4 inches", "half a metre": in metres.
fn metres(words: &[&str]) -> Result<Option<f64>, String> {
    let unit = |word: &str| LENGTHS.iter().find(|(name, _)| *name == word).map(|(_, metres)| *metres);
    for (at, word) in words.iter().enumerate() {
        let digits = word.trim_end_matches(char::is_alphabetic);
        if !digits.is_empty() && digits.len() < word.len() {
            if let (Some(value), Some(unit)) = (number::read(digits), unit(&word[digits.len()..])) {
                return Ok(Some(value * unit).filter(|metres| *metres > 0.0));
            }
            continue;
        }
        // "in" is a word before it is a unit.
        let Some(unit) = unit(word).filter(|_| *word != "in" || at > 0 && number::read(words[at - 1]).is_some()) else {
            continue;
        };
        match number::amount_before(&words[..at]) {
            Some((value, _)) if value > 0.0 => return Ok(Some(value * unit)),
            Some(_) => {}
            None if at > 0 && is_no_number(words[at - 1]) => return Err(no_number(words[at - 1], word)),
            None => {}
        }
    }
    Ok(None)
}

/// "2 cells", "one cell", "half a cell", "twenty-one cells", "bottom row" (one). "Rows" without a number is not said.
fn counted(words: &[&str], [one, many]: [&str; 2]) -> Result<Option<f64>, String> {
    let Some(at) = words.iter().position(|word| *word == one || *word == many) else { return Ok(None) };
    let before = &words[..at];
    // "Row of cells": the row is what is counted.
    let is_of_a_line = one == CELL[0] && before.iter().any(|word| ROW.contains(word) || COLUMN.contains(word));
    if is_of_a_line {
        return Ok(None);
    }
    // Between the number and what is counted: "two bottom rows", "two of the cells".
    let mut end = at;
    while end > 0
        && number::amount_before(&words[..end]).is_none()
        && is_known(words[end - 1])
        && !number::is_word(words[end - 1])
    {
        end -= 1;
    }
    match number::amount_before(&words[..end]) {
        Some((count, _)) if count <= MOST_CELLS => Ok(Some(count)),
        Some((count, _)) => Err(format!("{count} {many} are more than a panel has: 0 to {MOST_CELLS}.")),
        None if end > 0 && is_no_number(words[end - 1]) => Err(no_number(words[end - 1], words[at])),
        None => Ok((words[at] == one).then_some(1.0)),
    }
}

/// The words that "through" takes: it and the percent beside it.
fn of_through(words: &[&str]) -> Option<std::ops::Range<usize>> {
    let at = words.iter().position(|word| *word == "through")?;
    let is_percent =
        |from: usize| words.get(from + 1) == Some(&"%") && words.get(from).is_some_and(|word| number::read(word).is_some());
    match at.checked_sub(2) {
        Some(from) if is_percent(from) => Some(from..at + 1),
        _ if is_percent(at + 1) => Some(at..at + 3),
        _ => None,
    }
}

/// "12 % through" or "through 12 %".
pub(super) fn said_through(words: &[&str]) -> Result<Option<f64>, String> {
    let said = of_through(words).and_then(|range| words[range].iter().find_map(|word| number::read(word)));
    match said {
        Some(value) if value > 100.0 => Err(more_than_all(value)),
        said => Ok(said.map(|value| value / 100.0)),
    }
}

fn more_than_all(value: f64) -> String {
    format!("{value} % is more than all of it: write 0 to 100 %.")
}

/// The first "10 %" that does not belong to "through".
fn percent(words: &[&str]) -> Result<Option<f64>, String> {
    let taken = of_through(words).unwrap_or(0..0);
    let Some(at) = (1..words.len()).find(|at| words[*at] == "%" && !taken.contains(at)) else { return Ok(None) };
    match number::read(words[at - 1]) {
        Some(value) if value <= 100.0 => Ok(Some(value / 100.0)),
        Some(value) => Err(more_than_all(value)),
        None => Err(no_number(words[at - 1], "%")),
    }
}

/// "half", "two thirds", "three quarters": of the face.
fn part(words: &[&str]) -> Option<f64> {
    let at = words.iter().position(|word| number::read_part(word).is_some())?;
    number::amount_before(&words[..=at]).map(|(part, _)| part).filter(|part| *part <= 1.0)
}

/// Whether a figure before this word is a size.
pub(super) fn is_unit(word: &str) -> bool {
    word == "%" || [CELL, ROW, COLUMN].iter().any(|of| of.contains(&word)) || LENGTHS.iter().any(|(unit, _)| *unit == word)
}

/// Whether a word means something here, or is known to mean nothing.
pub(super) fn is_known(word: &str) -> bool {
    let tables: [&[&str]; 5] = [&NONE, &WHOLE, &CAST, &WIDE, &SAYING_NOTHING];
    tables.iter().any(|table| table.contains(&word))
        || PATTERNS.iter().any(|known| known.read.contains(&word))
        || MOUNTINGS.iter().any(|(_, read)| read.contains(&word))
        || is_unit(word)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::construction::Construction;
    use crate::panel::face::FaceSize;
    use proptest::prelude::*;

    fn said(text: &str) -> Result<Option<ShadeDescription>, String> {
        let words = super::super::words(text);
        read(&words.iter().map(String::as_str).collect::<Vec<_>>())
    }

    fn shade(text: &str) -> ShadeDescription {
        said(text).unwrap().unwrap_or_else(|| panic!("{text}"))
    }

    fn size() -> impl Strategy<Value = Size> {
        prop_oneof![
            (1..1000_u32).prop_map(|tenths| Size::Share(f64::from(tenths) / 1000.0)),
            (1..20_u32).prop_map(|halves| Size::Rows(f64::from(halves) / 2.0)),
            (1..400_u32).prop_map(|cells| Size::Cells(f64::from(cells))),
            (1..2000_u32).prop_map(|mm| Size::Metres(f64::from(mm) / 1000.0)),
            Just(Size::Unsaid),
        ]
    }

    fn is_near(a: Size, b: Size) -> bool {
        match (a, b) {
            (Size::Share(a), Size::Share(b))
            | (Size::Rows(a), Size::Rows(b))
            | (Size::Cells(a), Size::Cells(b))
            | (Size::Metres(a), Size::Metres(b)) => (a - b).abs() < 1e-9,
            (a, b) => a == b,
        }
    }

    proptest! {
        #[test]
        fn a_shade_in_words_is_read_as_that_shade(nth in 1..12_usize, size in size(), through in 0..1000_u32, stands in 0..3_usize, side in 0..3_usize) {
            let pattern = Pattern::ALL[nth];
            let side = [None, Some(Side::Long), Some(Side::Short)][side].filter(|_| pattern == Pattern::Bottom);
            let mounting = [None, Some(Mounting::Landscape), Some(Mounting::Portrait)][stands];
            let shade = ShadeDescription { pattern, size, through: f64::from(through) / 1000.0, mounting, side };
            let read = said(&write(&shade)).unwrap().unwrap();
            prop_assert_eq!((read.pattern, read.mounting, read.side), (shade.pattern, shade.mounting, shade.side), "{}", write(&shade));
            prop_assert!((read.through - shade.through).abs() < 1e-9 && is_near(read.size, shade.size), "{} {read:?}", write(&shade));
        }

        #[test]
        fn no_text_makes_it_panic_and_every_share_is_one(text in "[a-z0-9 %.,-]{0,40}") {
            let size = Some(FaceSize { length_m: 1.7, width_m: 1.1 });
            if let Some(shade) = said(&text).ok().flatten().and_then(|shade| shade.on_face(size, Mounting::Landscape)) {
                let layout = Construction::HalfCut108.layout();
                let shares = shade.shares(&layout, Mounting::Landscape);
                prop_assert!(shares.len() == 108 && shares.iter().all(|share| (0.0..=1.0).contains(share)), "{shade:?}");
            }
        }
    }

    #[test]
    fn shades_are_read_as_they_are_said() {
        for (text, pattern, size, through) in [
            ("none", Pattern::None, Size::Unsaid, 0.03),
            ("one cell", Pattern::Bottom, Size::Cells(1.0), 0.03),
            ("half a cell", Pattern::Bottom, Size::Cells(0.5), 0.03),
            ("2 cells", Pattern::Bottom, Size::Cells(2.0), 0.03),
            ("twenty cells", Pattern::Bottom, Size::Cells(20.0), 0.03),
            ("twenty-one cells", Pattern::Bottom, Size::Cells(21.0), 0.03),
            ("a quarter of 6 cells", Pattern::Bottom, Size::Cells(1.5), 0.03),
            ("two and a half cells", Pattern::Bottom, Size::Cells(2.5), 0.03),
            ("half of the cells", Pattern::Bottom, Size::Cells(0.5), 0.03),
            ("half the bottom row", Pattern::Bottom, Size::Rows(0.5), 0.03),
            ("two bottom rows", Pattern::Bottom, Size::Rows(2.0), 0.03),
            ("eleven rows of cells", Pattern::Bottom, Size::Rows(11.0), 0.03),
            ("bottom rows", Pattern::Bottom, Size::Unsaid, 0.03),
            ("strip along the bottom", Pattern::Bottom, Size::Unsaid, 0.03),
            ("strip along the side", Pattern::Left, Size::Unsaid, 0.03),
            ("strip along the top 12,5 %", Pattern::Top, Size::Share(0.125), 0.03),
            ("all clear", Pattern::None, Size::Unsaid, 0.03),
            ("strip two cells wide along the left", Pattern::Left, Size::Rows(2.0), 0.03),
            ("half", Pattern::Bottom, Size::Share(0.5), 0.03),
            ("right half", Pattern::Right, Size::Share(0.5), 0.03),
            ("upper two thirds", Pattern::Top, Size::Share(2.0 / 3.0), 0.03),
            ("three quarters of the left", Pattern::Left, Size::Share(0.75), 0.03),
            ("bottom row of cells", Pattern::Bottom, Size::Rows(1.0), 0.03),
            ("2 columns", Pattern::Left, Size::Rows(2.0), 0.03),
            ("the whole panel", Pattern::Whole, Size::Unsaid, 0.03),
            ("band across 20% cloth 30% through", Pattern::Band, Size::Share(0.2), 0.3),
            ("shadow of a pole", Pattern::Pole, Size::Unsaid, 0.15),
            ("snow 30 %", Pattern::Snow, Size::Share(0.3), 0.03),
        ] {
            let found = shade(text);
            assert_eq!((found.pattern, found.size, found.through), (pattern, size, through), "{text}");
        }
        assert_eq!(said("cypress at four o'clock"), Ok(None));
        assert_eq!(said(""), Ok(None));
        for (text, metres) in [
            ("strip along the bottom 10 cm", 0.10),
            ("bottom 10cm", 0.10),
            ("4 inches of the top", 0.1016),
            ("half a metre of the left", 0.5),
        ] {
            let Size::Metres(read) = shade(text).size else { panic!("{text}") };
            assert!((read - metres).abs() < 1e-12, "{text}");
        }
        assert_eq!(shade("strip along the bottom, lying").mounting, Some(Mounting::Landscape));
    }

    /// A size that cannot be read is told, and nothing is put in its place.
    #[test]
    fn a_size_that_cannot_be_read_is_refused() {
        for (text, told) in [
            ("umpteen cells", "umpteen"),
            ("bottom umpteen rows", "umpteen"),
            ("strip of umpteen cm", "umpteen"),
            ("band across abc %", "abc"),
            ("401 cells", "401"),
            ("bottom 120 %", "120"),
            ("bottom 10 % 101 % through", "101"),
            ("bottom 10 % through 120 %", "120"),
        ] {
            assert!(said(text).is_err_and(|sentence| sentence.contains(told)), "{text}: {:?}", said(text));
        }
        assert!(said("400 cells").is_ok_and(|shade| shade.is_some()) && said("bottom 100 %").is_ok());
        assert!(said("bottom 10 % 100 % through").is_ok());
    }
}
