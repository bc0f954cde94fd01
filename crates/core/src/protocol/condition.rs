//! The conditions of a run, told as one sentence: panel - sun - tilt - shade - wiring - load.

use crate::decimal::Decimal;
use crate::named::named;
use std::collections::BTreeMap;

/// What can differ between two runs. The order is that of the sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Factor {
    Panel,
    Sun,
    Tilt,
    Azimuth,
    Shade,
    Covers,
    Temperature,
    Face,
    Wiring,
    Load,
    Step,
    Day,
}

named!(Factor {
    Panel = "panel", "panel";
    Sun = "sun", "sun";
    Tilt = "tilt", "tilt";
    Azimuth = "azimuth", "direction";
    Shade = "shade", "shade";
    Covers = "covers", "covers";
    Temperature = "temperature", "temperature";
    Face = "face", "face";
    Wiring = "wiring", "wiring";
    Load = "load", "load";
    Step = "step", "step";
    Day = "day", "day";
});

impl Factor {
    /// How long it takes to change, s. Common practice, no source.
    pub fn change_s(self) -> f64 {
        match self {
            Factor::Shade => 30.0,
            Factor::Tilt | Factor::Azimuth => 45.0,
            Factor::Face | Factor::Covers => 60.0,
            Factor::Panel | Factor::Wiring | Factor::Load | Factor::Step => 120.0,
            Factor::Sun | Factor::Temperature | Factor::Day => 0.0,
        }
    }

    /// Minutes for a panel to reach the warmth it keeps, after the change, s. Common practice, no source: ten minutes.
    pub fn soak_s(self) -> f64 {
        if self == Factor::Temperature { 600.0 } else { 0.0 }
    }

    /// Whether a change of it changes the light on the panel, so that a meter that moves along cannot tell the sun's drift.
    pub fn moves_the_plane(self) -> bool {
        matches!(self, Factor::Tilt | Factor::Azimuth | Factor::Face)
    }
}

/// What is the case in a run, by factor, in words.
pub type Conditions = BTreeMap<Factor, String>;

/// One part of the sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part {
    pub factor: Factor,
    pub text: String,
    /// It differs from the baseline.
    pub is_changed: bool,
}

/// Reads a level: the value of the plan's own factor, and after a comma more of `factor = value`.
///
/// "20" for a plan of tilts; "20, load = Gimlet 20" changes two things. The error is a sentence.
pub fn level(factor: Factor, text: &str) -> Result<Conditions, String> {
    let mut conditions = Conditions::new();
    for part in text.split(',').map(str::trim).filter(|part| !part.is_empty()) {
        let (of, value) = match part.split_once('=') {
            None => (factor, part),
            Some((name, value)) => {
                let name = name.trim();
                let of = Factor::from_name(name).or(Factor::ALL.iter().copied().find(|factor| factor.label() == name));
                (of.ok_or_else(|| format!("\"{name}\" is not one of panel, sun, tilt, direction, shade, covers, temperature, face, wiring, load."))?, value.trim())
            }
        };
        if value.is_empty() {
            return Err(format!("\"{part}\" says nothing after the =."));
        }
        if conditions.insert(of, value.to_owned()).is_some() {
            return Err(format!("\"{text}\" says the {} twice.", of.label()));
        }
    }
    if conditions.is_empty() { Err("A level is empty.".to_owned()) } else { Ok(conditions) }
}

/// What a run is, where it changes some of the baseline's conditions.
pub fn changed(baseline: &Conditions, changes: &Conditions) -> Conditions {
    let mut run = baseline.clone();
    run.extend(changes.iter().map(|(factor, text)| (*factor, text.clone())));
    run
}

/// The factors in which two runs differ. Two of them in one step show nothing about either.
pub fn differences(a: &Conditions, b: &Conditions) -> Vec<Factor> {
    let same = |factor: &Factor| match (a.get(factor), b.get(factor)) {
        (Some(a), Some(b)) => a.trim().eq_ignore_ascii_case(b.trim()),
        (None, None) => true,
        _ => false,
    };
    Factor::ALL.iter().copied().filter(|factor| !same(factor)).collect()
}

/// The sentence of a run, with what differs from the baseline marked.
pub fn sentence(baseline: &Conditions, run: &Conditions) -> Vec<Part> {
    let differ = differences(baseline, run);
    run.iter()
        .map(|(factor, text)| Part { factor: *factor, text: said(*factor, text), is_changed: differ.contains(factor) })
        .collect()
}

/// A condition so that it can stand in a sentence: "tilt 20\u{b0}", "shade none"; what speaks for itself stands alone.
fn said(factor: Factor, text: &str) -> String {
    let is_number = Decimal::parse(text).is_ok();
    match factor {
        Factor::Tilt | Factor::Azimuth if is_number => format!("{} {text}\u{b0}", factor.label()),
        Factor::Tilt if degrees(text).is_some_and(|tilt| tilt != 0.0) => format!("tilt {text}"),
        Factor::Shade | Factor::Covers => format!("{} {text}", factor.label()),
        _ => text.to_owned(),
    }
}

/// Degrees at the head of a text: "20", "20 deg", "20\u{b0} from flat"; "flat" is 0.
pub fn degrees(text: &str) -> Option<f64> {
    let text = text.trim();
    if text.to_lowercase().starts_with("flat") {
        return Some(0.0);
    }
    let end = text.find(|c: char| !(c.is_ascii_digit() || ".,-".contains(c))).unwrap_or(text.len());
    Decimal::parse(&text[..end]).ok().map(Decimal::value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_level_changes_one_thing_and_more_only_when_it_says_so() {
        let baseline =
            Conditions::from([(Factor::Panel, "S-1".into()), (Factor::Tilt, "35".into()), (Factor::Load, "Lathe 30".into())]);
        let one = changed(&baseline, &level(Factor::Tilt, "20").unwrap());
        assert_eq!(differences(&baseline, &one), [Factor::Tilt]);
        let two = changed(&baseline, &level(Factor::Tilt, "20, load = Gimlet 20").unwrap());
        assert_eq!(differences(&baseline, &two), [Factor::Tilt, Factor::Load]);
        let marked: Vec<_> = sentence(&baseline, &one).into_iter().filter(|part| part.is_changed).map(|part| part.text).collect();
        assert_eq!(marked, ["tilt 20\u{b0}"]);
    }

    #[test]
    fn what_is_wrong_with_a_level_is_said() {
        assert!(level(Factor::Tilt, " , ").unwrap_err().contains("empty"));
        assert!(level(Factor::Tilt, "20, moon = full").unwrap_err().contains("\"moon\""));
        assert!(level(Factor::Tilt, "20, tilt = 30").unwrap_err().contains("twice"));
        assert!(level(Factor::Tilt, "load =").unwrap_err().contains("nothing after"));
    }

    #[test]
    fn degrees_stand_at_the_head_of_the_text() {
        assert_eq!(
            (degrees("20\u{b0} from flat"), degrees("12,5 deg"), degrees("Flat"), degrees("square")),
            (Some(20.0), Some(12.5), Some(0.0), None)
        );
    }

    proptest! {
        #[test]
        fn no_level_makes_it_panic(text in "\\PC{0,40}") {
            let _ = level(Factor::Shade, &text);
            let _ = degrees(&text);
        }
    }
}
