//! Used panels, as sentences.

use super::{Advice, finding};
use crate::figures::percent;
use flindo_core::panel::layout::CellPosition;
use flindo_core::verdict::finding::Finding;
use flindo_core::verdict::substring_fault::{Verdict, Why};

/// What was found, and what to measure next.
pub fn evidence(found: &Finding) -> String {
    let Advice { why, to_do } = finding::finding(found);
    let mut chars = why.chars();
    let first = chars.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
    format!("{first}{}. {to_do}", chars.as_str())
}

/// Where a part of the face lies, seen from the front in portrait.
pub fn part_of_face(part: &CellPosition) -> &'static str {
    let (wide, high) = (part.x1 - part.x0, part.y1 - part.y0);
    let (left, upper) = (part.x0 + part.x1 < 0.99, part.y0 + part.y1 < 0.99);
    match () {
        () if wide > 0.9 => {
            if upper {
                "upper half"
            } else {
                "lower half"
            }
        }
        () if high > 0.9 && wide > 0.4 => {
            if left {
                "left half"
            } else {
                "right half"
            }
        }
        () if high > 0.9 => match part.x0 + part.x1 {
            middle if middle < 0.8 => "left third",
            middle if middle > 1.2 => "right third",
            _ => "middle third",
        },
        () => match (upper, left) {
            (true, true) => "upper left quarter",
            (true, false) => "upper right quarter",
            (false, true) => "lower left quarter",
            (false, false) => "lower right quarter",
        },
    }
}

/// Which part is out: mark and sentence. `groups`: (number, where it lies).
pub fn which_out(verdict: &Verdict, groups: &[(usize, &'static str)]) -> (&'static str, String) {
    let name = |group: &usize| {
        groups.get(*group).map_or_else(|| format!("substring {}", group + 1), |(nth, part)| format!("{nth}, the {part}"))
    };
    match verdict {
        Verdict::Out { groups: out, .. } if out.is_empty() => {
            ("makes", "Every substring responds: each cover reduced the reading.".to_owned())
        }
        Verdict::Out { groups: out, through } => {
            let names: Vec<String> = out.iter().map(name).collect();
            let cover = if *through > 0.1 {
                format!(" The cover transmitted about {}.", percent(through * 100.0))
            } else {
                String::new()
            };
            (
                "below",
                format!(
                    "Failed: {}. Covering it does not change the reading. Check its bypass diode in the junction box first; a \
                     shorted diode can be replaced, broken cells cannot.{cover}",
                    names.join("; ")
                ),
            )
        }
        Verdict::CantTell(why) => (
            "cant-tell",
            match why {
                Why::TooFew => "Can\u{2019}t tell yet: cover at least two substrings, one after the other.",
                Why::NothingMoved => {
                    "Can\u{2019}t tell: no cover changed the reading. Use an opaque cover; otherwise no substring works."
                }
                Why::Several => {
                    "Can\u{2019}t tell: more than one explanation fits. Read the power under load instead of Voc, \
                    or Voc on a finer meter."
                }
                Why::None => {
                    "Can\u{2019}t tell: nothing fits these readings. Irradiance changed, or a cover lay over two \
                    substrings; read them again within a minute."
                }
                Why::Construction => "This cell layout has too many substrings to cover them one by one.",
            }
            .to_owned(),
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::panel::construction::Construction;

    #[test]
    fn the_parts_of_a_face_have_names() {
        let names = |construction: Construction| {
            let layout = construction.layout();
            (0..layout.groups).map(|group| part_of_face(&layout.bounds(group))).collect::<Vec<_>>()
        };
        assert_eq!(names(Construction::Cells60), ["left third", "middle third", "right third"]);
        assert_eq!(names(Construction::Cells36), ["left half", "right half"]);
        assert_eq!(names(Construction::Shingled), ["upper half", "lower half"]);
        assert_eq!(
            names(Construction::TwoStrings72),
            ["upper left quarter", "lower left quarter", "upper right quarter", "lower right quarter"]
        );
    }
}
