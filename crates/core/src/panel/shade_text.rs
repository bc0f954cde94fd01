//! A shade as a person says it: "strip along the bottom 10 %", "2 cells", "left half", "shadow of a pole".

use super::layout::Layout;
use super::shade::{Mounting, Pattern, Shade};
use crate::named::named;
use serde::{Deserialize, Serialize};

/// A panel's face, m: its long side and its short one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FaceSize {
    pub length_m: f64,
    pub width_m: f64,
}

/// The side of a face along which a strip lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Long,
    Short,
}

named!(Side {
    Long = "long", "along the long side";
    Short = "short", "along the short side";
});

/// How much of its way a shade takes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Size {
    /// Share of the face's height, width or area, 0 to 1.
    Share(f64),
    /// Rows or columns of cells, whichever lie across its way.
    Rows(f64),
    /// So many whole cells, one above the other from the lower left corner.
    Cells(f64),
    /// Across its way, m: a share only of a face whose size is known.
    Metres(f64),
    /// Nobody said: a tenth.
    Unsaid,
}

/// What was understood.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct ShadeDescription {
    pub pattern: Pattern,
    pub size: Size,
    /// Share of the light that comes through all the same, 0 to 1.
    pub through: f64,
    /// ShadeDescription along with it; else that of the test.
    pub mounting: Option<Mounting>,
    /// Said of a strip; which edge that is depends on how the panel stands.
    pub side: Option<Side>,
}

/// Where a strip, band or pole is named without its size. Common practice, no source: about one row of cells.
const USUAL_SHARE: f64 = 0.1;

/// What reaches a cell in a cast shadow under a clear sky, from the rest of the sky. Common practice, no source: 10 to 20 %.
const THROUGH_SHADOW: f64 = 0.15;

/// What creeps under a card or cloth laid on the face, along the glass. Common practice, no source: a band across every substring
/// leaves 2 to 5 % of the watts.
pub const THROUGH_CARD: f64 = 0.03;

/// Through lying snow. Common practice, no source.
const THROUGH_SNOW: f64 = 0.03;

/// Words for no shade, where nothing else is said.
const NONE: &[&str] = &["none", "no", "unshaded", "clear"];

/// Words that name a pattern, the first that is found counts.
const NAMES: [(&[&str], Pattern); 10] = [
    (&["leaf", "leaves", "dapple", "dappled", "branch", "branches", "tree", "foliage"], Pattern::Dapple),
    (&["bars", "railing", "rails", "fence", "slats"], Pattern::Bars),
    (&["pole", "post", "mast", "trunk", "chimney", "rope", "wire"], Pattern::Pole),
    (&["snow"], Pattern::Snow),
    (&["corner"], Pattern::Corner),
    (&["bottom", "lower", "foot", "below"], Pattern::Bottom),
    (&["top", "upper", "head", "above"], Pattern::Top),
    (&["left", "side"], Pattern::Left),
    (&["right"], Pattern::Right),
    (&["band", "across", "middle", "centre", "center"], Pattern::Band),
];

/// Lengths in metres.
const LENGTHS: [(&str, f64); 7] =
    [("mm", 0.001), ("cm", 0.01), ("m", 1.0), ("inch", 0.0254), ("inches", 0.0254), ("in", 0.0254), ("ft", 0.3048)];

const NUMBERS: [(&str, f64); 8] =
    [("a", 1.0), ("an", 1.0), ("one", 1.0), ("two", 2.0), ("three", 3.0), ("four", 4.0), ("five", 5.0), ("six", 6.0)];

const SHARES: [(&str, f64); 6] =
    [("half", 0.5), ("third", 1.0 / 3.0), ("thirds", 1.0 / 3.0), ("quarter", 0.25), ("quarters", 0.25), ("fifth", 0.2)];

impl ShadeDescription {
    /// Reads a shade; `None` where no pattern, share, length or number of cells is in it.
    ///
    /// Card and cloth on the face let a little creep in; a shadow that something casts lets more; "12 % through" says how much.
    pub fn read(text: &str) -> Option<Self> {
        let lower = text.to_lowercase().replace('%', " % ").replace(',', ".");
        let words: Vec<&str> = lower
            .split(|c: char| !(c.is_alphanumeric() || "%.".contains(c)))
            .map(|word| word.trim_matches('.'))
            .filter(|word| !word.is_empty())
            .collect();
        let has = |list: &[&str]| words.iter().any(|word| list.contains(word));
        let through_at = words.iter().position(|word| *word == "through");
        let said_through = through_at.and_then(|at| percent_around(&words, at));
        let is_of_through = |at: usize| through_at.is_some_and(|through| at.abs_diff(through) <= 2);
        let named = NAMES.iter().find(|(names, _)| has(names)).map(|(_, pattern)| *pattern);
        let whole = has(&["whole", "all", "wholly", "entirely", "everything"]).then_some(Pattern::Whole);
        let side = match () {
            () if words.windows(2).any(|pair| pair == ["long", "side"] || pair == ["long", "edge"]) => Some(Side::Long),
            () if words.windows(2).any(|pair| pair == ["short", "side"] || pair == ["short", "edge"]) => Some(Side::Short),
            () => None,
        };
        let size = metres(&words)
            .map(Size::Metres)
            .or(cells(&words, "cell", "cells").map(Size::Cells))
            .or(cells(&words, "row", "rows").or(cells(&words, "column", "columns")).map(Size::Rows))
            .or(percent(&words, is_of_through).map(Size::Share))
            .or(share(&words).map(Size::Share));
        // "A strip two cells wide" is as long as the face.
        let size = match size {
            Some(Size::Cells(count)) if named.is_some() && has(&["wide", "high", "deep", "tall", "broad"]) => {
                Some(Size::Rows(count))
            }
            size => size,
        };
        let pattern = match (named, whole, size) {
            // Which edge a side is depends on how the panel stands; see `on_face`.
            (Some(Pattern::Left) | None, _, _) if side.is_some() => Pattern::Bottom,
            (Some(pattern), _, _) => pattern,
            (None, _, None) if has(NONE) => Pattern::None,
            (None, Some(whole), _) => whole,
            (None, None, Some(_)) if has(&["column", "columns"]) => Pattern::Left,
            (None, None, Some(_)) => Pattern::Bottom,
            (None, None, None) => return None,
        };
        let casts = has(&["shadow", "shadows"]) || matches!(pattern, Pattern::Dapple | Pattern::Pole | Pattern::Bars);
        let usual_through = match pattern {
            Pattern::Snow => THROUGH_SNOW,
            _ if casts => THROUGH_SHADOW,
            _ => THROUGH_CARD,
        };
        let mounting = match () {
            () if has(&["lying", "landscape"]) => Some(Mounting::Landscape),
            () if has(&["upright", "portrait", "standing"]) => Some(Mounting::Portrait),
            () => None,
        };
        let through = said_through.unwrap_or(usual_through);
        Some(ShadeDescription { pattern, size: size.unwrap_or(Size::Unsaid), through, mounting, side })
    }

    /// In words that [`read`](Self::read) understands as the same.
    pub fn text(&self) -> String {
        let named = match self.pattern {
            Pattern::None => return "none".to_owned(),
            Pattern::Bottom => "strip along the bottom",
            Pattern::Top => "strip along the top",
            Pattern::Left => "strip along the left",
            Pattern::Right => "strip along the right",
            Pattern::Band => "band across the middle",
            Pattern::Corner => "corner",
            Pattern::Pole => "pole",
            Pattern::Bars => "bars of a railing",
            Pattern::Dapple => "leaves",
            Pattern::Snow => "snow",
            Pattern::Whole => "the whole panel",
        };
        let percent = |share: f64| (share * 1000.0).round() / 10.0;
        let size = match self.size {
            Size::Share(share) => format!(" {} %", percent(share)),
            Size::Rows(rows) => format!(" {rows} rows"),
            Size::Cells(cells) => format!(" {cells} cells"),
            Size::Metres(metres) => format!(" {} cm", (metres * 1000.0).round() / 10.0),
            Size::Unsaid => String::new(),
        };
        let mounting = match self.mounting {
            Some(Mounting::Landscape) => ", landscape",
            Some(Mounting::Portrait) => ", portrait",
            None => "",
        };
        format!("{named}{size} shade, {} % through{mounting}", percent(self.through))
    }

    /// The whole face.
    pub fn whole(through: f64) -> Self {
        ShadeDescription { pattern: Pattern::Whole, size: Size::Share(1.0), through, mounting: None, side: None }
    }

    /// This share of the face, from below.
    pub fn lower_part(share: f64, through: f64) -> Self {
        ShadeDescription { pattern: Pattern::Bottom, size: Size::Share(share), ..Self::whole(through) }
    }

    pub fn is_none(&self) -> bool {
        self.pattern == Pattern::None
    }

    /// Nobody said how much it covers.
    pub fn assumes_size(&self) -> bool {
        self.size == Size::Unsaid && !matches!(self.pattern, Pattern::None | Pattern::Whole)
    }

    /// The same on a face of this size that stands this way: a side is an edge, and a length a share of the face. `None` for a length
    /// where the size of the face is not known.
    pub fn on_face(mut self, size: Option<FaceSize>, mounting: Mounting) -> Option<Self> {
        let mounting = self.mounting.unwrap_or(mounting);
        if let Some(side) = self.side.take() {
            self.pattern = match (side, mounting) {
                (Side::Short, Mounting::Portrait) | (Side::Long, Mounting::Landscape) => Pattern::Bottom,
                (Side::Long, Mounting::Portrait) | (Side::Short, Mounting::Landscape) => Pattern::Left,
            };
        }
        if let Size::Metres(metres) = self.size {
            let FaceSize { length_m, width_m } = size?;
            let across_m = if self.goes_sideways() == (mounting == Mounting::Landscape) { length_m } else { width_m };
            self.size = Size::Share((metres / across_m).min(1.0));
        }
        Some(self)
    }

    /// Whether it grows from one side to the other, and not up or down.
    fn goes_sideways(&self) -> bool {
        matches!(self.pattern, Pattern::Left | Pattern::Right | Pattern::Pole | Pattern::Bars)
    }

    /// Each cell's share of the light on a face that stands this way where the words do not say another.
    pub fn shares(&self, layout: &Layout, mounting: Mounting) -> Vec<f64> {
        let mounting = self.mounting.unwrap_or(mounting);
        if let Size::Cells(count) = self.size {
            return some_cells(layout, mounting, count, self.through);
        }
        self.shade(layout, mounting).map(|shade| shade.shares(layout, mounting)).unwrap_or_default()
    }

    /// As a shape on such a face; `None` for single cells, which are none.
    pub fn shade(&self, layout: &Layout, mounting: Mounting) -> Option<Shade> {
        let size = match self.size {
            Size::Share(share) => share,
            Size::Rows(rows) => (rows / self.lines(layout, mounting)).min(1.0),
            Size::Unsaid => USUAL_SHARE,
            Size::Cells(_) | Size::Metres(_) => return None,
        };
        Some(Shade { pattern: self.pattern, size, through: self.through, ..Shade::default() })
    }

    /// Rows or columns of cells across the way of the pattern.
    fn lines(&self, layout: &Layout, mounting: Mounting) -> f64 {
        let turned = mounting == Mounting::Landscape;
        if self.goes_sideways() == turned { layout.rows as f64 } else { layout.columns as f64 }
    }
}

/// `count` cells dark from the lower left corner, first up one column, then up the next; the last of them in part.
fn some_cells(layout: &Layout, mounting: Mounting, count: f64, through: f64) -> Vec<f64> {
    let mut order: Vec<usize> = (0..layout.places.len()).collect();
    let from_corner = |place: usize| {
        let place = &layout.places[place];
        match mounting {
            Mounting::Portrait => (place.x0, -place.y0),
            // Turned to the left: across it runs what was down, and up it what was across.
            Mounting::Landscape => (place.y0, place.x0),
        }
    };
    order.sort_by(|a, b| {
        let (a, b) = (from_corner(*a), from_corner(*b));
        a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1))
    });
    let mut shares = vec![1.0; layout.places.len()];
    let mut left = count.max(0.0);
    for place in order {
        let covered = left.min(1.0);
        shares[place] = 1.0 - covered * (1.0 - through);
        left -= covered;
        if left <= 0.0 {
            break;
        }
    }
    shares
}

/// "10 cm", "10cm", "4 inches": in metres.
fn metres(words: &[&str]) -> Option<f64> {
    let unit = |word: &str| LENGTHS.iter().find(|(name, _)| *name == word).map(|(_, metres)| *metres);
    let apart = words.windows(2).find_map(|pair| Some(number(pair[0])? * unit(pair[1])?));
    let together = |word: &&str| {
        let digits = word.trim_end_matches(char::is_alphabetic);
        if digits.len() == word.len() { None } else { Some(number(digits)? * unit(&word[digits.len()..])?) }
    };
    apart.or_else(|| words.iter().find_map(together)).filter(|metres| *metres > 0.0)
}

fn number(word: &str) -> Option<f64> {
    let named = NUMBERS.iter().find(|(name, _)| *name == word).map(|(_, value)| *value);
    named.or_else(|| word.parse::<f64>().ok().filter(|value| value.is_finite() && *value >= 0.0))
}

/// "2 cells", "one cell", "half a cell", "row of cells" (one).
fn cells(words: &[&str], one: &str, many: &str) -> Option<f64> {
    let at = words.iter().position(|word| *word == one || *word == many)?;
    let is_of_a_row = one == "cell" && words[..at].iter().any(|word| ["row", "rows", "column", "columns"].contains(word));
    if is_of_a_row {
        return None;
    }
    let before = words[..at].iter().rev().take(2).copied().collect::<Vec<_>>();
    let part = before.iter().find_map(|word| SHARES.iter().find(|(name, _)| name == word)).map(|(_, share)| *share);
    part.or_else(|| before.iter().find_map(|word| number(word))).or(Some(1.0)).filter(|count| *count <= 400.0)
}

/// The first "10 %" that does not belong to another word.
fn percent(words: &[&str], is_taken: impl Fn(usize) -> bool) -> Option<f64> {
    let found = words.windows(2).enumerate().find(|(at, pair)| pair[1] == "%" && number(pair[0]).is_some() && !is_taken(*at));
    found.and_then(|(_, pair)| number(pair[0])).map(|value| (value / 100.0).min(1.0))
}

/// "12 % through" or "through 12 %".
fn percent_around(words: &[&str], at: usize) -> Option<f64> {
    let pair = |from: usize| (words.get(from + 1) == Some(&"%")).then(|| words.get(from).and_then(|word| number(word))).flatten();
    let value = at.checked_sub(2).and_then(pair).or_else(|| pair(at + 1))?;
    Some((value / 100.0).min(1.0))
}

/// "half", "two thirds".
fn share(words: &[&str]) -> Option<f64> {
    let at = words.iter().position(|word| SHARES.iter().any(|(name, _)| name == word))?;
    let (_, one) = SHARES.iter().find(|(name, _)| *name == words[at])?;
    let times = at.checked_sub(1).and_then(|before| number(words[before])).filter(|times| *times >= 1.0).unwrap_or(1.0);
    Some((one * times).min(1.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::construction::Construction;
    use proptest::prelude::*;

    fn read(text: &str) -> (Pattern, Size, f64) {
        let said = ShadeDescription::read(text).unwrap_or_else(|| panic!("{text}"));
        (said.pattern, said.size, said.through)
    }

    proptest! {
        #[test]
        fn words_of_a_shade_are_read_as_the_same_shade(nth in 1..12_usize, tenths in 1..1000_u32, through in 0..1000_u32, turned: bool) {
            let pattern = Pattern::ALL[nth];
            let said = ShadeDescription {
                pattern,
                size: Size::Share(f64::from(tenths) / 1000.0),
                through: f64::from(through) / 1000.0,
                mounting: turned.then_some(Mounting::Landscape),
                side: None,
            };
            let read = ShadeDescription::read(&said.text()).unwrap();
            prop_assert_eq!((read.pattern, read.mounting), (said.pattern, said.mounting));
            prop_assert!((read.through - said.through).abs() < 1e-9, "{} {read:?}", said.text());
            prop_assert!(matches!(read.size, Size::Share(share) if (share - f64::from(tenths) / 1000.0).abs() < 1e-9), "{} {read:?}", said.text());
        }
    }

    #[test]
    fn shades_are_read_as_they_are_said() {
        for (text, pattern, size, through) in [
            ("none", Pattern::None, Size::Unsaid, 0.03),
            ("one cell", Pattern::Bottom, Size::Cells(1.0), 0.03),
            ("half a cell", Pattern::Bottom, Size::Cells(0.5), 0.03),
            ("2 cells", Pattern::Bottom, Size::Cells(2.0), 0.03),
            ("strip along the bottom", Pattern::Bottom, Size::Unsaid, 0.03),
            ("strip along the side", Pattern::Left, Size::Unsaid, 0.03),
            ("strip along the top 12,5 %", Pattern::Top, Size::Share(0.125), 0.03),
            ("all clear", Pattern::None, Size::Unsaid, 0.03),
            ("strip two cells wide along the left", Pattern::Left, Size::Rows(2.0), 0.03),
            ("half", Pattern::Bottom, Size::Share(0.5), 0.03),
            ("right half", Pattern::Right, Size::Share(0.5), 0.03),
            ("upper two thirds", Pattern::Top, Size::Share(2.0 / 3.0), 0.03),
            ("bottom row of cells", Pattern::Bottom, Size::Rows(1.0), 0.03),
            ("2 columns", Pattern::Left, Size::Rows(2.0), 0.03),
            ("the whole panel", Pattern::Whole, Size::Unsaid, 0.03),
            ("band across 20% cloth 30% through", Pattern::Band, Size::Share(0.2), 0.3),
            ("shadow of a pole", Pattern::Pole, Size::Unsaid, 0.15),
            ("snow 30 %", Pattern::Snow, Size::Share(0.3), 0.03),
        ] {
            assert_eq!(read(text), (pattern, size, through), "{text}");
        }
        assert_eq!(ShadeDescription::read("cypress at four o'clock"), None);
        assert_eq!(ShadeDescription::read(""), None);
        for (text, metres) in [("strip along the bottom 10 cm", 0.10), ("bottom 10cm", 0.10), ("4 inches of the top", 0.1016)] {
            let Size::Metres(read) = ShadeDescription::read(text).unwrap().size else { panic!("{text}") };
            assert!((read - metres).abs() < 1e-12, "{text}");
        }
        assert_eq!(ShadeDescription::read("strip along the bottom, lying").unwrap().mounting, Some(Mounting::Landscape));
    }

    /// Of 36 cells in four columns: a row is four cells upright, and nine lying.
    #[test]
    fn cells_and_rows_are_those_of_the_face_as_it_stands() {
        let layout = Construction::Cells36.layout();
        let dark = |text: &str, mounting| {
            let shares = ShadeDescription::read(text).unwrap().shares(&layout, mounting);
            shares.into_iter().filter(|share| *share < 0.5).count()
        };
        assert_eq!((dark("bottom row", Mounting::Portrait), dark("bottom row", Mounting::Landscape)), (4, 9));
        assert_eq!((dark("left column", Mounting::Portrait), dark("left column", Mounting::Landscape)), (9, 4));
        assert_eq!((dark("3 cells", Mounting::Portrait), dark("3 cells", Mounting::Landscape)), (3, 3));
        let one = ShadeDescription::read("one cell").unwrap().shares(&layout, Mounting::Portrait);
        let (place, _) = one.iter().enumerate().find(|(_, share)| **share < 0.5).unwrap();
        assert!(layout.places[place].x0 == 0.0 && (layout.places[place].y1 - 1.0).abs() < 1e-9, "the lower left corner");
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic_and_every_share_is_one(text in "[a-z0-9 %.,-]{0,40}") {
            let size = Some(FaceSize { length_m: 1.7, width_m: 1.1 });
            if let Some(said) = ShadeDescription::read(&text).and_then(|said| said.on_face(size, Mounting::Landscape)) {
                let layout = Construction::HalfCut108.layout();
                let shares = said.shares(&layout, Mounting::Landscape);
                prop_assert!(shares.len() == 108 && shares.iter().all(|share| (0.0..=1.0).contains(share)), "{said:?}");
            }
        }
    }
}
