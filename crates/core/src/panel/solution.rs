//! A circuit solved: the curve of every part, and what each cell makes or burns at any working point.

use super::curve::{At, Curve};
use std::sync::Arc;

/// A part solved, with its parts.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Part {
    /// Cells in series, by their class: (cell, class).
    Cells(Vec<(usize, usize)>),
    Cell(usize),
    Series(Vec<Solved>),
    Parallel(Vec<Solved>),
    /// Its own part, and the diode's curve beside it.
    Bypassed(Box<Solved>, Arc<Curve>),
    Blocked(Box<Solved>),
    Resistance,
    Circuit(Arc<Solution>),
}

/// Like parts have their curve in common.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Solved {
    pub curve: Arc<Curve>,
    pub part: Part,
}

/// A circuit solved.
#[derive(Debug, Clone, PartialEq)]
pub struct Solution {
    pub(super) root: Solved,
    /// One curve for each different cell.
    pub(super) classes: Vec<Arc<Curve>>,
    /// Of its own, before those of circuits that were solved already.
    pub(super) own_cells: usize,
    pub(super) cells: usize,
    /// That can run anywhere in it.
    pub(super) most_a: f64,
}

/// Every cell at one working point.
#[derive(Debug, Clone, PartialEq)]
pub struct OperatingPoint {
    pub at: At,
    pub cells: Vec<At>,
    /// Amps around each bypassed group, in the order of the tree.
    pub bypass_a: Vec<f64>,
}

impl OperatingPoint {
    /// Watts each cell makes; below 0 what it burns.
    pub fn cell_w(&self) -> Vec<f64> {
        self.cells.iter().map(|cell| cell.w()).collect()
    }
}

impl Solved {
    /// What it is made of, in the order of the tree.
    pub(super) fn parts(&self) -> &[Solved] {
        match &self.part {
            Part::Cell(_) | Part::Cells(_) | Part::Resistance | Part::Circuit(_) => &[],
            Part::Series(parts) | Part::Parallel(parts) => parts,
            Part::Bypassed(part, _) | Part::Blocked(part) => std::slice::from_ref(part),
        }
    }

    pub(super) fn substring_count(&self) -> usize {
        match &self.part {
            Part::Cell(_) | Part::Cells(_) | Part::Resistance => 0,
            Part::Series(parts) | Part::Parallel(parts) => parts.iter().map(Solved::substring_count).sum(),
            Part::Bypassed(part, _) => 1 + part.substring_count(),
            Part::Blocked(part) => part.substring_count(),
            Part::Circuit(solution) => solution.root.substring_count(),
        }
    }
}

impl Solution {
    pub fn curve(&self) -> &Curve {
        &self.root.curve
    }

    /// Everything at these volts of the terminals.
    pub fn at_volts(&self, v: f64) -> OperatingPoint {
        self.working(At { v, i: self.root.curve.amps_at(v) })
    }

    /// Everything at the best point.
    pub fn at_best(&self) -> OperatingPoint {
        self.working(self.root.curve.best())
    }

    fn working(&self, at: At) -> OperatingPoint {
        let mut working = OperatingPoint { at, cells: Vec::with_capacity(self.cells), bypass_a: Vec::new() };
        self.add(at, &mut working);
        working
    }

    /// Its own cells, then those of circuits in it that were solved already, in the order of the tree.
    fn add(&self, at: At, into: &mut OperatingPoint) {
        let first = into.cells.len();
        into.cells.resize(first + self.own_cells, At::default());
        self.dig(&self.root, at, first, into);
    }

    fn dig(&self, solved: &Solved, at: At, first: usize, into: &mut OperatingPoint) {
        match &solved.part {
            Part::Cell(place) => into.cells[first + place] = at,
            Part::Cells(members) => {
                for (place, class) in members {
                    into.cells[first + place] = At { v: self.classes[*class].volts_at(at.i), i: at.i };
                }
            }
            Part::Series(parts) => {
                parts.iter().for_each(|part| self.dig(part, At { v: part.curve.volts_at(at.i), i: at.i }, first, into))
            }
            Part::Parallel(parts) => {
                parts.iter().for_each(|part| self.dig(part, At { v: at.v, i: part.curve.amps_at(at.v) }, first, into))
            }
            Part::Bypassed(part, around) => {
                into.bypass_a.push(around.amps_at(at.v));
                self.dig(part, At { v: at.v, i: part.curve.amps_at(at.v) }, first, into);
            }
            Part::Blocked(part) => self.dig(part, At { v: part.curve.volts_at(at.i), i: at.i }, first, into),
            Part::Resistance => {}
            Part::Circuit(solution) => solution.add(at, into),
        }
    }
}
