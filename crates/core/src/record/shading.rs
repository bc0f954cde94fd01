//! Which panels of an array a shade lies on, and the share of the light that it leaves to each of their cells.

use super::names::Id;
use crate::panel::face::{FaceSize, Mounting};
use crate::panel::layout::Layout;
use crate::panel::shade_description::ShadeDescription;
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
    use super::super::language::level::patches;
    use super::super::names::Names;
    use super::*;
    use crate::panel::construction::Construction;

    fn patches_of(text: &str) -> Vec<ShadePatch> {
        let names = Names { panels: vec![("two".into(), "S-2".into())], ..Names::default() };
        patches(text, &names).unwrap().unwrap()
    }

    /// How much of the light each of three panels keeps.
    fn kept(text: &str) -> Vec<f64> {
        let layout = Construction::Cells60.layout();
        let size = Some(FaceSize { length_m: 1.65, width_m: 0.99 });
        let panel = |id| Shaded { id, tag: id, layout: &layout, size };
        let panels = [panel("one"), panel("two"), panel("three")];
        let patches = patches_of(text);
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
        assert_eq!(assumed(&patches_of("strip along the bottom"), 1), [Assumption::Size]);
        assert_eq!(assumed(&patches_of("strip along the bottom 10 %"), 2), [Assumption::Panel]);
        assert_eq!(assumed(&patches_of("strip along the bottom 10 % on both panels"), 2), []);
        let layout = Construction::Cells60.layout();
        let panel = Shaded { id: "one", tag: "S-1", layout: &layout, size: None };
        let of = |text: &str| shares(&patches_of(text), &[panel], &[1], Mounting::Portrait);
        assert_eq!(of("band 10 cm").unwrap_err(), ShadeError::NoFaceSize("S-1".into()));
        assert_eq!(of("panel 2 covered").unwrap_err(), ShadeError::NoSuchPanel { number: 2, count: 1 });
    }
}
