//! Shade as shapes on a panel's face, turned into each cell's share of the light by area.

use super::face::Mounting;
use super::layout::Layout;
use crate::named::named;
use crate::seed::hashed;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Pattern {
    #[default]
    None,
    /// Along the lower edge.
    Bottom,
    Top,
    Left,
    Right,
    /// Across the middle.
    Band,
    Corner,
    /// The shadow of something upright.
    Pole,
    /// Rails: several of them.
    Bars,
    /// Leaves.
    Dapple,
    /// Snow that has slid down and lies from the bottom up.
    Snow,
    Whole,
}

named!(Pattern {
    None = "none", "none";
    Bottom = "bottom", "strip along the bottom";
    Top = "top", "strip along the top";
    Left = "left", "strip along the left";
    Right = "right", "strip along the right";
    Band = "band", "band across the middle";
    Corner = "corner", "corner";
    Pole = "pole", "pole";
    Bars = "bars", "bars of a railing";
    Dapple = "dapple", "leaves";
    Snow = "snow", "snow from the bottom";
    Whole = "whole", "the whole panel";
});

/// A pattern with its size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shade {
    pub pattern: Pattern,
    /// Share of the face's height, width or area that it takes, 0 to 1.
    pub size: f64,
    /// Share of the light that comes through all the same: diffuse light reaches a shaded cell too. 0 to 1.
    pub through: f64,
    /// Width of the soft edge (penumbra), share of the face's height, 0 to 0.5.
    pub soft: f64,
    /// Where along its way it stands, 0 to 1; the middle for most.
    pub place: f64,
    pub seed: u64,
}

impl Default for Shade {
    fn default() -> Self {
        Shade { pattern: Pattern::None, size: 0.1, through: 0.1, soft: 0.0, place: 0.5, seed: 1 }
    }
}

/// A rectangle on the face as it is mounted: from the left and from the top.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Rect {
    x0: f64,
    y0: f64,
    x1: f64,
    y1: f64,
}

const FACE: Rect = Rect { x0: 0.0, y0: 0.0, x1: 1.0, y1: 1.0 };

impl Shade {
    fn rects(&self) -> Vec<Rect> {
        let (size, place) = (self.size.clamp(0.0, 1.0), self.place.clamp(0.0, 1.0));
        let around = |middle: f64, width: f64| (middle - width / 2.0, middle + width / 2.0);
        match self.pattern {
            Pattern::None => Vec::new(),
            Pattern::Whole => vec![FACE],
            Pattern::Bottom | Pattern::Snow => vec![Rect { y0: 1.0 - size, ..FACE }],
            Pattern::Top => vec![Rect { y1: size, ..FACE }],
            Pattern::Left => vec![Rect { x1: size, ..FACE }],
            Pattern::Right => vec![Rect { x0: 1.0 - size, ..FACE }],
            Pattern::Band => {
                let (y0, y1) = around(place, size);
                vec![Rect { y0, y1, ..FACE }]
            }
            Pattern::Corner => vec![Rect { x0: 1.0 - size, y0: 1.0 - size, ..FACE }],
            Pattern::Pole => {
                let (x0, x1) = around(place, size);
                vec![Rect { x0, x1, ..FACE }]
            }
            Pattern::Bars => (0..5)
                .map(|nth| {
                    let (x0, x1) = around((f64::from(nth) + 0.5) / 5.0, size / 5.0);
                    Rect { x0, x1, ..FACE }
                })
                .collect(),
            Pattern::Dapple => {
                const LEAVES: u64 = 60;
                let side = (size / LEAVES as f64).sqrt();
                (0..LEAVES)
                    .map(|leaf| {
                        let (x0, x1) = around(hashed(self.seed, 2 * leaf), side);
                        let (y0, y1) = around(hashed(self.seed, 2 * leaf + 1), side);
                        Rect { x0, y0, x1, y1 }
                    })
                    .collect()
            }
        }
    }

    /// Each cell's share of the light, `through` to 1.
    pub fn shares(&self, layout: &Layout, mounting: Mounting) -> Vec<f64> {
        let rects = self.rects();
        layout
            .places
            .iter()
            .map(|place| {
                let (x0, x1, y0, y1) = match mounting {
                    Mounting::Portrait => (place.x0, place.x1, place.y0, place.y1),
                    // Turned to the left: what was the top lies on the left.
                    Mounting::Landscape => (place.y0, place.y1, 1.0 - place.x1, 1.0 - place.x0),
                };
                let cover: f64 = rects
                    .iter()
                    .map(|rect| mean_cover(rect.x0, rect.x1, x0, x1, self.soft) * mean_cover(rect.y0, rect.y1, y0, y1, self.soft))
                    .sum();
                1.0 - cover.clamp(0.0, 1.0) * (1.0 - self.through.clamp(0.0, 1.0))
            })
            .collect()
    }

    /// Share of the face that it covers.
    pub fn area(&self, layout: &Layout, mounting: Mounting) -> f64 {
        covered(layout, &self.shares(layout, mounting), self.through)
    }
}

/// Share of the face in shade, from the cells' shares of light.
pub fn covered(layout: &Layout, shares: &[f64], through: f64) -> f64 {
    let area = |place: &super::layout::CellPosition| (place.x1 - place.x0) * (place.y1 - place.y0);
    let lost: f64 = layout.places.iter().zip(shares).map(|(place, share)| area(place) * (1.0 - share)).sum();
    lost / (1.0 - through.min(0.999))
}

/// The shade of one face on the cells of another of the same outline, by area.
pub fn on_another_face(from: &Layout, shares: &[f64], to: &Layout) -> Vec<f64> {
    to.places
        .iter()
        .map(|place| {
            let overlap = |other: &super::layout::CellPosition| {
                let across = (place.x1.min(other.x1) - place.x0.max(other.x0)).max(0.0);
                let along = (place.y1.min(other.y1) - place.y0.max(other.y0)).max(0.0);
                across * along
            };
            let area = (place.x1 - place.x0) * (place.y1 - place.y0);
            let lit: f64 = from.places.iter().zip(shares).map(|(other, share)| overlap(other) * share).sum();
            lit / area
        })
        .collect()
}

/// Mean over `x0..x1` of a shadow from `low` to `high` whose edges fade over `soft`. An edge at the rim of the face is no edge.
fn mean_cover(low: f64, high: f64, x0: f64, x1: f64, soft: f64) -> f64 {
    // Integral of a ramp from 0 to 1 around `edge`.
    let ramp = |x: f64, edge: f64| {
        if soft <= 0.0 {
            return (x - edge).max(0.0);
        }
        let t = ((x - edge) / soft + 0.5).clamp(0.0, 1.0);
        soft * t * t / 2.0 + (x - edge - soft / 2.0).max(0.0)
    };
    let rise = |x: f64| if low <= 0.0 { x } else { ramp(x, low) };
    let fall = |x: f64| if high >= 1.0 { 0.0 } else { ramp(x, high) };
    ((rise(x1) - fall(x1)) - (rise(x0) - fall(x0))).max(0.0) / (x1 - x0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::example::saffron;

    /// A strip takes its share of the face, however much light comes through; a soft edge takes on one side what it leaves on the other.
    #[test]
    fn a_strip_covers_its_share_of_the_face() {
        let layout = saffron().layout;
        for pattern in [Pattern::Left, Pattern::Right, Pattern::Top, Pattern::Bottom, Pattern::Band, Pattern::Pole] {
            for (size, through, soft) in [(0.25, 0.0, 0.0), (0.5, 0.3, 0.0), (0.37, 0.1, 0.0), (0.4, 0.1, 0.2), (0.5, 0.0, 0.1)] {
                for mounting in [Mounting::Portrait, Mounting::Landscape] {
                    let shade = Shade { pattern, size, through, soft, ..Shade::default() };
                    let area = shade.area(&layout, mounting);
                    assert!((area - size).abs() < 1e-9, "{pattern:?} {size} {through} {soft}: {area}");
                }
            }
        }
        let whole = Shade { pattern: Pattern::Whole, size: 1.0, ..Shade::default() };
        assert!((whole.area(&layout, Mounting::Portrait) - 1.0).abs() < 1e-9);
    }
}
