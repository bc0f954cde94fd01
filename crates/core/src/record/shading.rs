//! Which panels of an array a shade lies on, and the share of the light that it leaves to each of their cells.

use super::condition::Id;
use super::names::Names;
use crate::panel::layout::Layout;
use crate::panel::shade::Mounting;
use crate::panel::shade_text::{FaceSize, ShadeDescription, THROUGH_CARD};
use serde::{Deserialize, Serialize};

/// One shade on some panels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ShadePatch {
    pub shape: Shape,
    pub on: On,
}

/// Its shape on one face.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    Described(ShadeDescription),
    /// Cells by their numbers, painted by hand.
    Painted {
        cells: Vec<usize>,
        through: f64,
    },
}

/// Which panels it lies on. Numbers count from 1, in the order of the wiring.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum On {
    /// Nobody said; in an array of one panel there is no other.
    Unsaid,
    /// On each alike.
    Each,
    Numbers(Vec<usize>),
    Panels(Vec<Id>),
    /// On every panel of these strings.
    Strings(Vec<usize>),
    /// So many panels from the first are covered; the last of them in part.
    CoveredStrings(f64),
    /// So many panels from the first are left free.
    Uncovered(f64),
}

/// A panel under a shade.
#[derive(Debug, Clone, Copy)]
pub struct Shaded<'a> {
    pub id: &'a str,
    pub tag: &'a str,
    pub layout: &'a Layout,
    pub size: Option<FaceSize>,
}

/// What nobody said.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Assumption {
    /// How much it covers: a tenth of the face is taken.
    Size,
    /// Which of several panels: the first is taken.
    Panel,
}

/// Why a shade cannot be laid on the panels. Prints as a sentence.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ShadeError {
    #[error("The shade is said as a length: give the length and width of {0} on its label.")]
    NoFaceSize(String),
    #[error("The shade lies on panel {number}, and {count} are connected.")]
    NoSuchPanel { number: usize, count: usize },
}

/// Ordinals as people count panels.
const NTH: [&str; 10] = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];

/// "first" is 1.
pub(super) fn nth(word: &str) -> Option<usize> {
    NTH.iter().position(|name| *name == word).map(|place| place + 1)
}

const COUNTS: [(&str, f64); 11] = [
    ("a", 1.0),
    ("one", 1.0),
    ("two", 2.0),
    ("three", 3.0),
    ("four", 4.0),
    ("five", 5.0),
    ("six", 6.0),
    ("seven", 7.0),
    ("eight", 8.0),
    ("nine", 9.0),
    ("ten", 10.0),
];

/// "two" and "2" are 2.
pub(super) fn count(word: &str) -> Option<f64> {
    let named = COUNTS.iter().find(|(name, _)| *name == word).map(|(_, value)| *value);
    named.or_else(|| word.replace(',', ".").parse().ok().filter(|value: &f64| value.is_finite() && (0.0..=500.0).contains(value)))
}

/// Reads a shade with the panels it lies on: "band across 20 % on panels 2 and 3", "half of one", "first string covered", "one and a
/// half uncovered", "cells 3.4.5 on S-2". `None` where no shape can be made out; an empty list for no shade.
pub fn read(text: &str, names: &Names) -> Option<Vec<ShadePatch>> {
    let lower = text.to_lowercase();
    let words: Vec<&str> = lower
        .split_whitespace()
        .map(|word| word.trim_matches([',', ';', '.', '(', ')']))
        .filter(|word| !word.is_empty())
        .collect();
    let (on, rest) = whereabouts(&words, names);
    if let Some(cells) = painted(&rest) {
        return Some(vec![ShadePatch { shape: cells, on }]);
    }
    let says_covered = rest.iter().any(|word| ["covered", "shaded", "cover", "uncovered"].contains(word));
    let shape_words: Vec<&str> = rest
        .iter()
        .copied()
        .filter(|word| !["covered", "shaded", "cover", "uncovered", "with", "is", "are", "panel", "panels"].contains(word))
        .collect();
    if shape_words.is_empty() {
        let is_placed = on != On::Unsaid;
        return (is_placed && says_covered || matches!(on, On::CoveredStrings(_) | On::Uncovered(_)))
            .then(|| vec![ShadePatch { shape: Shape::Described(ShadeDescription::whole(THROUGH_CARD)), on }]);
    }
    let described = ShadeDescription::read(&rest.join(" "))?;
    if described.is_none() { Some(Vec::new()) } else { Some(vec![ShadePatch { shape: Shape::Described(described), on }]) }
}

/// "cells 3.4.5", with "20 % through" where light comes through.
fn painted(words: &[&str]) -> Option<Shape> {
    let at = words.iter().position(|word| *word == "cells")?;
    let list = words.get(at + 1).filter(|list| list.contains('.') || words.len() <= 2)?;
    let cells: Vec<usize> = list.split('.').map(|number| number.parse().ok()).collect::<Option<_>>()?;
    let percent = words
        .iter()
        .position(|word| *word == "through")
        .and_then(|through| words[..through].iter().rev().find_map(|word| word.trim_end_matches('%').parse::<f64>().ok()));
    let through = percent.map_or(THROUGH_CARD, |percent| (percent / 100.0).clamp(0.0, 1.0));
    Some(Shape::Painted { cells, through })
}

/// The panels a text names, and its other words.
fn whereabouts<'a>(words: &[&'a str], names: &Names) -> (On, Vec<&'a str>) {
    let is_panel = |word: &&&str| matches!(**word, "panel" | "panels" | "module" | "modules");
    let cut = |from: usize, to: usize| -> Vec<&'a str> {
        let from = if from > 0 && ["on", "of", "over", "at", "across"].contains(&words[from - 1]) { from - 1 } else { from };
        words[..from].iter().chain(&words[to..]).copied().collect()
    };
    // "on each panel alike", "both panels", "all panels".
    if let Some(at) = words.iter().position(|word| ["both", "each", "every", "all"].contains(word)) {
        let mut end = at + 1;
        while words.get(end).is_some_and(|word| ["of", "the", "panel", "panels", "alike", "module", "modules"].contains(word)) {
            end += 1;
        }
        let names_panels = words[at..end].iter().any(|word| is_panel(&word)) || words[at] == "both" || words[at] == "each";
        if names_panels {
            return (On::Each, cut(at, end));
        }
    }
    // "panels 2 and 3", "string 1".
    for (at, word) in words.iter().enumerate() {
        let is_string = matches!(*word, "string" | "strings");
        if !is_string && !is_panel(&word) {
            continue;
        }
        let mut end = at + 1;
        let mut numbers = Vec::new();
        while let Some(next) = words.get(end) {
            match next.parse::<usize>() {
                Ok(number) if (1..=500).contains(&number) => numbers.push(number),
                _ if *next == "and" && words.get(end + 1).is_some_and(|word| word.parse::<usize>().is_ok()) => {}
                _ => break,
            }
            end += 1;
        }
        let ordinal = at.checked_sub(1).and_then(|before| nth(words[before]));
        if !numbers.is_empty() {
            return (if is_string { On::Strings(numbers) } else { On::Numbers(numbers) }, cut(at, end));
        }
        if let Some(number) = ordinal {
            return (if is_string { On::Strings(vec![number]) } else { On::Numbers(vec![number]) }, cut(at - 1, at + 1));
        }
    }
    // "one and a half uncovered", "two panels covered".
    if let Some(at) = words.iter().position(|word| ["covered", "uncovered"].contains(word)) {
        let before: Vec<&str> = words[..at].iter().copied().filter(|word| !is_panel(&word)).collect();
        if let Some(panels) = panels_counted(&before) {
            let on = if words[at] == "covered" { On::CoveredStrings(panels) } else { On::Uncovered(panels) };
            return (on, words[at + 1..].to_vec());
        }
    }
    // "half of one", "half of one panel".
    if let Some(at) = words.windows(2).position(|pair| pair == ["of", "one"]) {
        let end = if words.get(at + 2).is_some_and(|word| is_panel(&word)) { at + 3 } else { at + 2 };
        return (On::Numbers(vec![1]), words[..at].iter().chain(&words[end..]).copied().collect());
    }
    // "on S-2", "on S-1 and S-2".
    let tagged: Vec<(usize, Id)> =
        words.iter().enumerate().filter_map(|(at, word)| names.panel(word).map(|id| (at, id))).collect();
    if let (Some((first, _)), Some((last, _))) = (tagged.first(), tagged.last()) {
        return (On::Panels(tagged.iter().map(|(_, id)| id.clone()).collect()), cut(*first, last + 1));
    }
    (On::Unsaid, words.to_vec())
}

/// "one", "1.5", "one and a half": how many panels.
fn panels_counted(words: &[&str]) -> Option<f64> {
    match words {
        [] => None,
        ["half"] | ["half", "a"] | ["half", "of", "one"] => Some(0.5),
        [one] => count(one),
        [one, "and", "a", "half"] => count(one).map(|count| count + 0.5),
        [_, _, ..] => None,
    }
}

/// The share of light of every cell of every panel: the darkest of the patches counts. `lengths`: panels in each string.
///
/// # Errors
/// Where a length meets a label without the face's size, or a panel is named that is not connected.
pub fn shares(
    patches: &[ShadePatch],
    panels: &[Shaded<'_>],
    lengths: &[usize],
    mounting: Mounting,
) -> Result<Vec<Vec<f64>>, ShadeError> {
    let mut all: Vec<Vec<f64>> = vec![Vec::new(); panels.len()];
    for patch in patches {
        for (place, part) in placed(&patch.on, panels, lengths)? {
            let panel = &panels[place];
            let own = on_one(&patch.shape, part, panel, mounting)?;
            let shares = &mut all[place];
            if shares.is_empty() {
                *shares = own;
            } else {
                shares.iter_mut().zip(own).for_each(|(share, own)| *share = share.min(own));
            }
        }
    }
    Ok(all)
}

/// The panels a patch lies on, each with the part of it that is covered where only a part is.
fn placed(on: &On, panels: &[Shaded<'_>], lengths: &[usize]) -> Result<Vec<(usize, Option<f64>)>, ShadeError> {
    let count = panels.len();
    let all = |places: Vec<usize>| places.into_iter().map(|place| (place, None)).collect::<Vec<_>>();
    let checked = |number: usize, of: usize| {
        if (1..=of).contains(&number) { Ok(number - 1) } else { Err(ShadeError::NoSuchPanel { number, count: of }) }
    };
    Ok(match on {
        On::Unsaid => all((0..count.min(1)).collect()),
        On::Each => all((0..count).collect()),
        On::Numbers(numbers) => all(numbers.iter().map(|number| checked(*number, count)).collect::<Result<_, _>>()?),
        On::Panels(ids) => all((0..count).filter(|place| ids.iter().any(|id| id == panels[*place].id)).collect()),
        On::Strings(numbers) => {
            let mut places = Vec::new();
            for number in numbers {
                let string = checked(*number, lengths.len())?;
                let first: usize = lengths[..string].iter().sum();
                places.extend(first..(first + lengths[string]).min(count));
            }
            all(places)
        }
        On::CoveredStrings(panels) => (0..count)
            .map(|place| (place, (panels - place as f64).clamp(0.0, 1.0)))
            .filter(|(_, part)| *part > 0.0)
            .map(|(place, part)| (place, Some(part)))
            .collect(),
        On::Uncovered(panels) => (0..count)
            .map(|place| (place, 1.0 - (panels - place as f64).clamp(0.0, 1.0)))
            .filter(|(_, part)| *part > 0.0)
            .map(|(place, part)| (place, Some(part)))
            .collect(),
    })
}

fn on_one(shape: &Shape, part: Option<f64>, panel: &Shaded<'_>, mounting: Mounting) -> Result<Vec<f64>, ShadeError> {
    match shape {
        Shape::Described(described) => {
            let described = match part {
                Some(part) if part < 1.0 => ShadeDescription::lower_part(part, described.through),
                Some(_) | None => *described,
            };
            let sized = described.on_face(panel.size, mounting).ok_or_else(|| ShadeError::NoFaceSize(panel.tag.to_owned()))?;
            Ok(sized.shares(panel.layout, mounting))
        }
        Shape::Painted { cells, through } => {
            let mut shares = vec![1.0; panel.layout.places.len()];
            cells.iter().for_each(|cell| {
                if let Some(share) = shares.get_mut(*cell) {
                    *share = *through
                }
            });
            Ok(shares)
        }
    }
}

/// What the patches leave open on so many panels.
pub fn assumed(patches: &[ShadePatch], panels: usize) -> Vec<Assumption> {
    let no_size = |patch: &ShadePatch| matches!(&patch.shape, Shape::Described(described) if described.assumes_size());
    let mut assumed = Vec::new();
    if patches.iter().any(no_size) {
        assumed.push(Assumption::Size);
    }
    if panels > 1 && patches.iter().any(|patch| patch.on == On::Unsaid) {
        assumed.push(Assumption::Panel);
    }
    assumed
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::construction::Construction;

    fn names() -> Names {
        Names { panels: vec![("two".into(), "S-2".into())], ..Names::default() }
    }

    fn on(text: &str) -> On {
        let patches = read(text, &names()).unwrap_or_else(|| panic!("{text}"));
        patches[0].on.clone()
    }

    #[test]
    fn a_shade_lies_where_it_is_said() {
        for (text, wanted) in [
            ("band across 20 %", On::Unsaid),
            ("towel across the middle of both panels", On::Each),
            ("strip along the bottom 10 % on each panel alike", On::Each),
            ("panels 2 and 3 covered", On::Numbers(vec![2, 3])),
            ("one cell on panel 2", On::Numbers(vec![2])),
            ("second panel covered", On::Numbers(vec![2])),
            ("half of one", On::Numbers(vec![1])),
            ("bottom row on S-2", On::Panels(vec!["two".into()])),
            ("first string covered", On::Strings(vec![1])),
            ("strings 1 and 3 covered", On::Strings(vec![1, 3])),
            ("one panel covered", On::CoveredStrings(1.0)),
            ("one and a half uncovered", On::Uncovered(1.5)),
        ] {
            assert_eq!(on(text), wanted, "{text}");
        }
        assert_eq!(read("none", &names()), Some(Vec::new()));
        assert_eq!(read("all clear", &names()), Some(Vec::new()));
        assert_eq!(read("a person before each", &names()), None);
        assert_eq!(read("cypress at four o'clock", &names()), None);
    }

    /// How much of the light each of three panels keeps.
    fn kept(text: &str) -> Vec<f64> {
        let layout = Construction::Cells60.layout();
        let size = Some(FaceSize { length_m: 1.65, width_m: 0.99 });
        let panel = |id| Shaded { id, tag: id, layout: &layout, size };
        let panels = [panel("one"), panel("two"), panel("three")];
        let patches = read(text, &names()).unwrap();
        let all = shares(&patches, &panels, &[1, 2], Mounting::Portrait).unwrap();
        all.iter().map(|shares| if shares.is_empty() { 1.0 } else { shares.iter().sum::<f64>() / shares.len() as f64 }).collect()
    }

    fn is_near(text: &str, wanted: [f64; 3]) {
        let kept = kept(text);
        assert!(kept.iter().zip(wanted).all(|(kept, wanted)| (kept - wanted).abs() < 0.012), "{text}: {kept:?}");
    }

    #[test]
    fn each_panel_keeps_the_light_that_its_shade_leaves() {
        is_near("panels 2 and 3 covered", [1.0, 0.03, 0.03]);
        is_near("one and a half uncovered", [1.0, 0.5 + 0.5 * 0.03, 0.03]);
        is_near("half of one", [0.515, 1.0, 1.0]);
        is_near("second string covered", [1.0, 0.03, 0.03]);
        is_near("bottom 20 % on each panel", [0.806, 0.806, 0.806]);
        is_near("cells 0.1.2.3.4.5 on S-2", [1.0, 1.0 - 0.1 * 0.97, 1.0]);
        // 16.5 cm of 1.65 m is a tenth of the height; along the long side 9.9 cm of 0.99 m is a tenth of the width.
        is_near("strip 16.5 cm along the short side on S-2", [1.0, 1.0 - 0.1 * 0.97, 1.0]);
        is_near("strip 99 mm along the long side on S-2", [1.0, 1.0 - 0.1 * 0.97, 1.0]);
    }

    #[test]
    fn what_nobody_said_is_told_as_assumed_and_what_cannot_be_is_refused() {
        let patches = |text: &str| read(text, &names()).unwrap();
        assert_eq!(assumed(&patches("strip along the bottom"), 1), [Assumption::Size]);
        assert_eq!(assumed(&patches("strip along the bottom 10 %"), 2), [Assumption::Panel]);
        assert_eq!(assumed(&patches("strip along the bottom 10 % on both panels"), 2), []);
        let layout = Construction::Cells60.layout();
        let panel = Shaded { id: "one", tag: "S-1", layout: &layout, size: None };
        let of = |text: &str| shares(&patches(text), &[panel], &[1], Mounting::Portrait);
        assert_eq!(of("band 10 cm").unwrap_err(), ShadeError::NoFaceSize("S-1".into()));
        assert_eq!(of("panel 2 covered").unwrap_err(), ShadeError::NoSuchPanel { number: 2, count: 1 });
    }
}
