//! How the cells of a panel are wired and where they lie on its face.

use super::cell::{Breakdown, Bypass, Cell};
use super::circuit::{Circuit, Node};
use super::construction::Construction;
use super::diode::Diode;
use super::five::{Fit, LabelFigures, fit, translate};
use super::nameplate::Nameplate;
use crate::error::Error;
use std::sync::{Arc, Mutex, PoisonError};

/// A place on the face: shares of its width from the left and of its height from the top, the long side upright.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CellPosition {
    pub x0: f64,
    pub y0: f64,
    pub x1: f64,
    pub y1: f64,
    /// Which bypassed group it belongs to, from 0.
    pub group: usize,
}

/// A panel's cells on its face, in the order of its circuit.
#[derive(Debug, Clone, PartialEq)]
pub struct Layout {
    pub places: Vec<CellPosition>,
    pub tree: Node,
    /// Cells in series from pole to pole, and strings beside each other.
    pub in_series: usize,
    pub in_parallel: usize,
    pub groups: usize,
    pub rows: usize,
    pub columns: usize,
}

impl Construction {
    pub fn layout(self) -> Layout {
        match self {
            Construction::Cells36 => columns(9, 4, 2),
            Construction::Cells54 => columns(9, 6, 3),
            Construction::Cells60 => columns(10, 6, 3),
            Construction::Cells72 => columns(12, 6, 3),
            Construction::HalfCut108 => half_cut(18),
            Construction::HalfCut120 => half_cut(20),
            Construction::HalfCut144 => half_cut(24),
            Construction::TwoStrings72 => two_strings(),
            Construction::Shingled => shingled(),
            Construction::ThinFilmOneDiode => long_cells(80, 1),
            Construction::ThinFilmManyDiodes => long_cells(80, 10),
            Construction::DiodeEachCell => each_its_diode(),
        }
    }
}

impl Layout {
    /// The rectangle of the face that a group of cells takes.
    pub fn bounds(&self, group: usize) -> CellPosition {
        let none = CellPosition { x0: 1.0, y0: 1.0, x1: 0.0, y1: 0.0, group };
        self.places.iter().filter(|place| place.group == group).fold(none, |all, place| CellPosition {
            x0: all.x0.min(place.x0),
            y0: all.y0.min(place.y0),
            x1: all.x1.max(place.x1),
            y1: all.y1.max(place.y1),
            group,
        })
    }
}

fn cell_place(row: usize, column: usize, rows: usize, columns: usize, group: usize) -> CellPosition {
    let (r, c) = (rows as f64, columns as f64);
    CellPosition { x0: column as f64 / c, x1: (column + 1) as f64 / c, y0: row as f64 / r, y1: (row + 1) as f64 / r, group }
}

fn bypassed(cells: Vec<Node>) -> Node {
    Node::Bypassed(Box::new(Node::Series(cells)), Bypass::default())
}

/// Whole cells: groups of columns, each with its diode.
fn columns(rows: usize, columns: usize, groups: usize) -> Layout {
    let wide = columns / groups;
    let (mut places, mut parts) = (Vec::new(), Vec::new());
    for group in 0..groups {
        let mut cells = Vec::new();
        for column in group * wide..(group + 1) * wide {
            for row in 0..rows {
                cells.push(Node::Cell(places.len()));
                places.push(cell_place(row, column, rows, columns, group));
            }
        }
        parts.push(bypassed(cells));
    }
    Layout { places, tree: Node::Series(parts), in_series: rows * columns, in_parallel: 1, groups, rows, columns }
}

/// Half cells: the upper and the lower half of each pair of columns side by side under one diode.
fn half_cut(rows: usize) -> Layout {
    const COLUMNS: usize = 6;
    let half = rows / 2;
    let (mut places, mut parts) = (Vec::new(), Vec::new());
    for group in 0..3 {
        let mut halves = Vec::new();
        for lower in [0, 1] {
            let mut cells = Vec::new();
            for column in [2 * group, 2 * group + 1] {
                for row in lower * half..(lower + 1) * half {
                    cells.push(Node::Cell(places.len()));
                    places.push(cell_place(row, column, rows, COLUMNS, group));
                }
            }
            halves.push(Node::Series(cells));
        }
        parts.push(Node::Bypassed(Box::new(Node::Parallel(halves)), Bypass::default()));
    }
    Layout { places, tree: Node::Series(parts), in_series: half * COLUMNS, in_parallel: 2, groups: 3, rows, columns: COLUMNS }
}

/// Two strings of 36 small cells, left and right, each with two diodes.
fn two_strings() -> Layout {
    let (rows, columns) = (12, 6);
    let (mut places, mut strings) = (Vec::new(), Vec::new());
    for string in 0..2 {
        let mut parts = Vec::new();
        for half in 0..2 {
            let mut cells = Vec::new();
            for column in 3 * string..3 * string + 3 {
                for row in 6 * half..6 * half + 6 {
                    cells.push(Node::Cell(places.len()));
                    places.push(cell_place(row, column, rows, columns, 2 * string + half));
                }
            }
            parts.push(bypassed(cells));
        }
        strings.push(Node::Series(parts));
    }
    Layout { places, tree: Node::Parallel(strings), in_series: 36, in_parallel: 2, groups: 4, rows, columns }
}

/// Strips of overlapping cells: six side by side, the upper and the lower half each under a diode.
fn shingled() -> Layout {
    let (rows, columns) = (34, 6);
    let (mut places, mut halves) = (Vec::new(), Vec::new());
    for half in 0..2 {
        let mut strips = Vec::new();
        for column in 0..columns {
            let mut cells = Vec::new();
            for row in 17 * half..17 * (half + 1) {
                cells.push(Node::Cell(places.len()));
                places.push(cell_place(row, column, rows, columns, half));
            }
            strips.push(Node::Series(cells));
        }
        halves.push(Node::Bypassed(Box::new(Node::Parallel(strips)), Bypass::default()));
    }
    Layout { places, tree: Node::Series(halves), in_series: 34, in_parallel: 6, groups: 2, rows, columns }
}

/// Long cells that run the whole height, side by side.
fn long_cells(cells: usize, groups: usize) -> Layout {
    let wide = cells / groups;
    let mut places = Vec::new();
    let parts = (0..groups)
        .map(|group| {
            let nodes = (0..wide).map(|nth| Node::Cell(group * wide + nth)).collect();
            places.extend((0..wide).map(|nth| cell_place(0, group * wide + nth, 1, cells, group)));
            bypassed(nodes)
        })
        .collect();
    Layout { places, tree: Node::Series(parts), in_series: cells, in_parallel: 1, groups, rows: 1, columns: cells }
}

fn each_its_diode() -> Layout {
    let (rows, columns) = (9, 4);
    let mut places = Vec::new();
    let mut parts = Vec::new();
    for column in 0..columns {
        for row in 0..rows {
            parts.push(bypassed(vec![Node::Cell(places.len())]));
            places.push(cell_place(row, column, rows, columns, places.len()));
        }
    }
    Layout { groups: places.len(), places, tree: Node::Series(parts), in_series: 36, in_parallel: 1, rows, columns }
}

/// A panel with its construction, ready to be lit.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    pub fit: Fit,
    /// Like panels have it in common.
    pub layout: Arc<Layout>,
    pub breakdown: Option<Breakdown>,
}

/// Labels whose parameters are remembered.
const MOST_REMEMBERED: usize = 512;

/// [`fit`], found once for a label: a bench looks at the same few kinds with every page. What is remembered follows from the figures alone.
fn known_fit(figures: &LabelFigures) -> Result<Fit, Error> {
    static KNOWN: Mutex<Vec<(LabelFigures, Result<Fit, Error>)>> = Mutex::new(Vec::new());
    let known = || KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some((_, found)) = known().iter().find(|(of, _)| of == figures) {
        return found.clone();
    }
    // Not under the lock: another label need not wait.
    let found = fit(figures);
    let mut known = known();
    if known.len() >= MOST_REMEMBERED {
        known.clear();
    }
    known.push((*figures, found.clone()));
    found
}

impl Panel {
    /// A label's panel in a construction: the label's volts and amps spread evenly over that construction's cells.
    pub fn new(fit: Fit, construction: Construction) -> Self {
        Panel { fit, layout: Arc::new(construction.layout()), breakdown: Some(Breakdown::default()) }
    }

    /// A label's panel: its five parameters in its construction.
    pub fn of(label: &Nameplate) -> Result<Self, Error> {
        let figures = LabelFigures::of(label)
            .ok_or_else(|| Error::Inconsistent { field: "voc_v", why: "the label gives neither volts nor amps".to_owned() })?;
        Ok(Panel::new(known_fit(&figures)?, label.construction()))
    }

    /// The same label in another construction, where one is wanted.
    pub fn built(self, construction: Option<Construction>) -> Self {
        match construction {
            Some(construction) => Panel { layout: Arc::new(construction.layout()), ..self },
            None => self,
        }
    }

    /// Whether light makes of both the same.
    pub fn is_like(&self, other: &Panel) -> bool {
        (Arc::ptr_eq(&self.layout, &other.layout) || self.layout == other.layout)
            && self.fit == other.fit
            && self.breakdown == other.breakdown
    }

    /// The circuit with each cell at its share of `poa_w_m2` (0 to 1), all at one cell_temperature.
    pub fn lit(&self, poa_w_m2: f64, cell_c: f64, shares: &[f64]) -> Circuit {
        let whole = translate(&self.fit.at_stc, self.fit.alpha_isc_a_per_k, poa_w_m2, cell_c);
        let cells =
            (0..self.layout.places.len()).map(|place| self.cell(&whole, shares.get(place).copied().unwrap_or(1.0))).collect();
        Circuit { cells, root: self.layout.tree.clone() }
    }

    /// One cell of the `whole` panel at its share of the light.
    fn cell(&self, whole: &Diode, share: f64) -> Cell {
        let (series, parallel) = (self.layout.in_series as f64, self.layout.in_parallel as f64);
        let diode = Diode {
            i_l_a: whole.i_l_a * share / parallel,
            i_o_a: whole.i_o_a / parallel,
            a_v: whole.a_v / series,
            r_s_ohm: whole.r_s_ohm * parallel / series,
            // The shunt grows as the light falls (De Soto 2006); in the dark of a shade it is held at a hundredth.
            r_sh_ohm: whole.r_sh_ohm * parallel / series / share.max(0.01),
        };
        Cell { diode, breakdown: self.breakdown }
    }
}
