//! A shade as it is described: its pattern, how much it covers, what comes through.

use super::face::{FaceSize, Mounting, Side};
use super::layout::Layout;
use super::shade::{Pattern, Shade};
use serde::{Deserialize, Serialize};

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

/// A shade on one face.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct ShadeDescription {
    pub pattern: Pattern,
    pub size: Size,
    /// Share of the light that comes through all the same, 0 to 1.
    pub through: f64,
    /// Said along with it; else that of the test.
    pub mounting: Option<Mounting>,
    /// Said of a strip; which edge that is depends on how the panel stands.
    pub side: Option<Side>,
}

/// Where a strip, band or pole is named without its size. Common practice, no source: about one row of cells.
const USUAL_SHARE: f64 = 0.1;

/// What reaches a cell in a cast shadow under a clear sky, from the rest of the sky. Common practice, no source: 10 to 20 %.
pub const THROUGH_SHADOW: f64 = 0.15;

/// What creeps under a card or cloth laid on the face, along the glass. Common practice, no source: a band across every substring
/// leaves 2 to 5 % of the watts.
pub const THROUGH_CARD: f64 = 0.03;

/// Through lying snow. Common practice, no source.
pub const THROUGH_SNOW: f64 = 0.03;

impl ShadeDescription {
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
