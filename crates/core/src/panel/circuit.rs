//! Cells, diodes and resistances wired together, and solved: the whole curve, every hill, and what each cell makes or burns.

use super::cell::{Bypass, Cell};
use super::curve::{At, Curve};
use crate::error::{Error, check_range};
use std::sync::Arc;

/// A tree of parts.
#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    /// One cell, by its place in [`Circuit::cells`].
    Cell(usize),
    Series(Vec<Node>),
    Parallel(Vec<Node>),
    /// With a diode across it.
    Bypassed(Box<Node>, Bypass),
    /// With a diode in its way, so that nothing drives it backwards.
    Blocked(Box<Node>, Bypass),
    /// Ohm.
    Resistance(f64),
    /// A circuit that is solved already, with cells of its own: a panel of an array.
    Solved(Arc<Solution>),
}

#[derive(Debug, Clone, PartialEq)]
pub struct Circuit {
    pub cells: Vec<Cell>,
    pub root: Node,
}

/// A part solved, with its parts.
#[derive(Debug, Clone, PartialEq)]
enum Part {
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
struct Solved {
    curve: Arc<Curve>,
    part: Part,
}

/// A circuit solved.
#[derive(Debug, Clone, PartialEq)]
pub struct Solution {
    root: Solved,
    /// One curve for each different cell.
    classes: Vec<Arc<Curve>>,
    /// Of its own, before those of circuits that were solved already.
    own_cells: usize,
    cells: usize,
    /// That can run anywhere in it.
    most_a: f64,
}

/// The currents for which a circuit is solved, A: as much as can run, and, below 0, as much as what is beside it can drive through it backwards.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reach {
    pub least_a: f64,
    pub most_a: f64,
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

/// What thinning a curve leaves out: shares of its open volts, and of the most amps. Under deep shade the best amps are a twentieth of
/// those, and are still known to 4e-5.
const THIN_V_REL: f64 = 1e-5;
const THIN_A_REL: f64 = 2e-6;

/// More cells than these are a field, not a bench.
pub const MOST_CELLS: usize = 20_000;

impl Circuit {
    /// Solves it by itself. The error says what no circuit can be.
    pub fn solve(&self) -> Result<Solution, Error> {
        let in_it_a = most_a(&self.root, &self.cells);
        let most_a = with_margin(in_it_a);
        // Where nothing is in parallel, nothing but a trickle runs backwards.
        let least_a = if has_parallel(&self.root) { -most_a } else { -0.05 * most_a };
        self.solve_to(Reach { least_a, most_a }, in_it_a)
    }

    /// The most amps that can run anywhere in it, with a margin.
    pub fn most_a(&self) -> f64 {
        with_margin(most_a(&self.root, &self.cells))
    }

    /// Solves it as a part of something greater.
    ///
    /// # Errors
    /// As [`Circuit::solve`].
    pub fn solve_within(&self, reach: Reach) -> Result<Solution, Error> {
        self.solve_to(reach, most_a(&self.root, &self.cells))
    }

    fn solve_to(&self, reach: Reach, most_a: f64) -> Result<Solution, Error> {
        let solved_cells = cells_of_solved(&self.root);
        check_range("cells", (self.cells.len() + solved_cells) as f64, 1.0, MOST_CELLS as f64)?;
        let inconsistent = |why: &str| Error::Inconsistent { field: "tree", why: why.to_owned() };
        let mut used = vec![false; self.cells.len()];
        check_tree(&self.root, &mut used, 0).map_err(inconsistent)?;
        let mut distinct: Vec<Cell> = Vec::new();
        let mut class_of = Vec::with_capacity(self.cells.len());
        for cell in &self.cells {
            // Most panels have a handful of different cells.
            let class = distinct.iter().position(|known| known == cell).unwrap_or_else(|| {
                distinct.push(*cell);
                distinct.len() - 1
            });
            class_of.push(class);
        }
        let classes: Vec<Arc<Curve>> = distinct.iter().map(|cell| Arc::new(cell.curve(reach.least_a, reach.most_a))).collect();
        let mut arounds = Vec::new();
        add_arounds(&self.root, reach.most_a, &mut arounds);
        let widest_v = distinct.iter().map(|cell| cell.diode.a_v).fold(0.0, f64::max);
        let scale = Scale { reach, tol_v: THIN_V_REL * widest_v, tol_a: THIN_A_REL * reach.most_a, arounds };
        let root = solve(&self.root, &class_of, &classes, &scale);
        Ok(Solution { root, classes, own_cells: self.cells.len(), cells: self.cells.len() + solved_cells, most_a })
    }
}

fn with_margin(most_a: f64) -> f64 {
    (most_a * 1.1).max(1e-6)
}

fn cells_of_solved(node: &Node) -> usize {
    match node {
        Node::Cell(_) | Node::Resistance(_) => 0,
        Node::Series(parts) | Node::Parallel(parts) => parts.iter().map(cells_of_solved).sum(),
        Node::Bypassed(part, _) | Node::Blocked(part, _) => cells_of_solved(part),
        Node::Solved(solution) => solution.cells,
    }
}

/// How many bypassed groups a tree has; [`OperatingPoint::bypass_a`] has one entry for each.
pub fn substring_count(node: &Node) -> usize {
    match node {
        Node::Cell(_) | Node::Resistance(_) => 0,
        Node::Series(parts) | Node::Parallel(parts) => parts.iter().map(substring_count).sum(),
        Node::Bypassed(part, _) => 1 + substring_count(part),
        Node::Blocked(part, _) => substring_count(part),
        Node::Solved(solution) => solution.root.substring_count(),
    }
}

impl Solved {
    fn substring_count(&self) -> usize {
        match &self.part {
            Part::Cell(_) | Part::Cells(_) | Part::Resistance => 0,
            Part::Series(parts) | Part::Parallel(parts) => parts.iter().map(Solved::substring_count).sum(),
            Part::Bypassed(part, _) => 1 + part.substring_count(),
            Part::Blocked(part) => part.substring_count(),
            Part::Circuit(solution) => solution.root.substring_count(),
        }
    }
}

struct Scale {
    reach: Reach,
    tol_v: f64,
    tol_a: f64,
    /// The curve around a group of each different diode.
    arounds: Vec<(Bypass, Arc<Curve>)>,
}

fn has_parallel(node: &Node) -> bool {
    match node {
        Node::Cell(_) | Node::Resistance(_) | Node::Solved(_) => false,
        Node::Series(parts) => parts.iter().any(has_parallel),
        Node::Parallel(_) => true,
        Node::Bypassed(part, _) | Node::Blocked(part, _) => has_parallel(part),
    }
}

fn add_arounds(node: &Node, most_a: f64, known: &mut Vec<(Bypass, Arc<Curve>)>) {
    match node {
        Node::Cell(_) | Node::Resistance(_) | Node::Solved(_) => {}
        Node::Series(parts) | Node::Parallel(parts) => parts.iter().for_each(|part| add_arounds(part, most_a, known)),
        Node::Blocked(part, _) => add_arounds(part, most_a, known),
        Node::Bypassed(part, diode) => {
            if !known.iter().any(|(of, _)| of == diode) {
                known.push((*diode, Arc::new(diode.around(most_a))));
            }
            add_arounds(part, most_a, known);
        }
    }
}

fn check_tree(node: &Node, used: &mut [bool], depth: usize) -> Result<(), &'static str> {
    if depth > 24 {
        return Err("parts lie more than 24 deep in each other");
    }
    match node {
        Node::Cell(place) => match used.get_mut(*place) {
            None => Err("a cell is named that is not there"),
            Some(true) => Err("a cell stands in two places"),
            Some(free) => {
                *free = true;
                Ok(())
            }
        },
        Node::Series(parts) | Node::Parallel(parts) if parts.is_empty() => Err("a series or parallel has no part"),
        Node::Series(parts) | Node::Parallel(parts) => parts.iter().try_for_each(|part| check_tree(part, used, depth + 1)),
        Node::Bypassed(part, _) | Node::Blocked(part, _) => check_tree(part, used, depth + 1),
        Node::Resistance(ohm) if !ohm.is_finite() || *ohm < 0.0 => Err("a resistance is below 0"),
        Node::Resistance(_) | Node::Solved(_) => Ok(()),
    }
}

/// The most amps that can run anywhere in a part.
fn most_a(node: &Node, cells: &[Cell]) -> f64 {
    match node {
        // A cell that is not there is named by the check of the tree.
        Node::Cell(place) => cells.get(*place).map_or(0.0, |cell| cell.diode.i_l_a.max(1e-3)),
        Node::Series(parts) => parts.iter().map(|part| most_a(part, cells)).fold(0.0, f64::max),
        Node::Parallel(parts) => parts.iter().map(|part| most_a(part, cells)).sum(),
        Node::Bypassed(part, _) | Node::Blocked(part, _) => most_a(part, cells),
        Node::Resistance(_) => 0.0,
        Node::Solved(solution) => solution.most_a,
    }
}

fn solve(node: &Node, class_of: &[usize], classes: &[Arc<Curve>], scale: &Scale) -> Solved {
    let thin = |curve: Curve| {
        let tol_v = scale.tol_v.max(THIN_V_REL * curve.open().v);
        Arc::new(curve.thinned(tol_v, scale.tol_a))
    };
    match node {
        Node::Cell(place) => Solved { curve: Arc::clone(&classes[class_of[*place]]), part: Part::Cell(*place) },
        Node::Series(parts) if parts.iter().all(|part| matches!(part, Node::Cell(_))) => {
            let members = members(parts, class_of);
            let mut counts: Vec<(usize, f64)> = Vec::new();
            for (_, class) in &members {
                match counts.iter_mut().find(|(of, _)| of == class) {
                    Some((_, count)) => *count += 1.0,
                    None => counts.push((*class, 1.0)),
                }
            }
            let curves: Vec<(&Curve, f64)> = counts.iter().map(|(class, count)| (&*classes[*class], *count)).collect();
            let curve = Curve::series(&curves);
            // A cell's own curve has no node too many.
            let curve = if counts.len() == 1 { Arc::new(curve) } else { thin(curve) };
            Solved { curve, part: Part::Cells(members) }
        }
        Node::Series(parts) => {
            let parts = solve_all(parts, class_of, classes, scale);
            Solved { curve: thin(Curve::series(&each(&parts))), part: Part::Series(parts) }
        }
        Node::Parallel(parts) => {
            let parts = solve_all(parts, class_of, classes, scale);
            Solved { curve: thin(Curve::parallel(&each(&parts))), part: Part::Parallel(parts) }
        }
        Node::Bypassed(part, diode) => {
            let part = solve(part, class_of, classes, scale);
            let known = scale.arounds.iter().find(|(of, _)| of == diode);
            let around = known.map_or_else(|| Arc::new(diode.around(scale.reach.most_a)), |(_, around)| Arc::clone(around));
            // At the volts where the other of the two ends, each would take amps that are nowhere: left in, they would set the scale on
            // which nodes count as one.
            let (least_a, most_a) = (2.0 * scale.reach.least_a.min(-scale.reach.most_a), 2.0 * scale.reach.most_a);
            let curve = thin(part.curve.with_around(&around).within_amps(least_a, most_a));
            Solved { curve, part: Part::Bypassed(Box::new(part), around) }
        }
        Node::Blocked(part, diode) => {
            let part = solve(part, class_of, classes, scale);
            let in_the_way = diode.in_the_way(scale.reach.most_a);
            Solved {
                curve: thin(Curve::series(&[(&part.curve, 1.0), (&in_the_way, 1.0)]).within_amps(diode.least_a(), f64::INFINITY)),
                part: Part::Blocked(Box::new(part)),
            }
        }
        Node::Resistance(ohm) => Solved { curve: Arc::new(Curve::resistance(*ohm, scale.reach.most_a)), part: Part::Resistance },
        Node::Solved(solution) => Solved { curve: Arc::clone(&solution.root.curve), part: Part::Circuit(Arc::clone(solution)) },
    }
}

/// Cells by their place and their class.
fn members(cells: &[Node], class_of: &[usize]) -> Vec<(usize, usize)> {
    let member = |cell: &Node| if let Node::Cell(place) = cell { Some((*place, class_of[*place])) } else { None };
    cells.iter().filter_map(member).collect()
}

/// Parts side by side. Most of a panel's groups are alike: one that has a twin among those before it takes the twin's curves.
fn solve_all(parts: &[Node], class_of: &[usize], classes: &[Arc<Curve>], scale: &Scale) -> Vec<Solved> {
    let mut solved: Vec<Solved> = Vec::with_capacity(parts.len());
    for (nth, part) in parts.iter().enumerate() {
        let twin = (0..nth).find(|before| are_twins(&parts[*before], part, class_of));
        solved.push(match twin {
            Some(twin) => as_twin(&solved[twin], part, class_of),
            None => solve(part, class_of, classes, scale),
        });
    }
    solved
}

/// Whether two parts are built alike of like cells.
fn are_twins(a: &Node, b: &Node, class_of: &[usize]) -> bool {
    let all = |a: &[Node], b: &[Node]| a.len() == b.len() && a.iter().zip(b).all(|(a, b)| are_twins(a, b, class_of));
    match (a, b) {
        (Node::Cell(a), Node::Cell(b)) => class_of[*a] == class_of[*b],
        (Node::Series(a), Node::Series(b)) | (Node::Parallel(a), Node::Parallel(b)) => all(a, b),
        (Node::Bypassed(a, of), Node::Bypassed(b, other)) | (Node::Blocked(a, of), Node::Blocked(b, other)) => {
            of == other && are_twins(a, b, class_of)
        }
        (Node::Resistance(a), Node::Resistance(b)) => a == b,
        (Node::Solved(a), Node::Solved(b)) => Arc::ptr_eq(a, b),
        _ => false,
    }
}

/// A solved part with the cells of its twin.
fn as_twin(solved: &Solved, twin: &Node, class_of: &[usize]) -> Solved {
    let all =
        |parts: &[Solved], twins: &[Node]| parts.iter().zip(twins).map(|(part, twin)| as_twin(part, twin, class_of)).collect();
    let part = match (&solved.part, twin) {
        (Part::Cells(_), Node::Series(twins)) => Part::Cells(members(twins, class_of)),
        (Part::Series(parts), Node::Series(twins)) => Part::Series(all(parts, twins)),
        (Part::Parallel(parts), Node::Parallel(twins)) => Part::Parallel(all(parts, twins)),
        (Part::Bypassed(part, around), Node::Bypassed(twin, _)) => {
            Part::Bypassed(Box::new(as_twin(part, twin, class_of)), Arc::clone(around))
        }
        (Part::Blocked(part), Node::Blocked(twin, _)) => Part::Blocked(Box::new(as_twin(part, twin, class_of))),
        (_, Node::Cell(place)) => Part::Cell(*place),
        (Part::Circuit(solution), _) => Part::Circuit(Arc::clone(solution)),
        _ => Part::Resistance,
    };
    Solved { curve: Arc::clone(&solved.curve), part }
}

/// Curves in common are counted, not added one by one.
fn each(parts: &[Solved]) -> Vec<(&Curve, f64)> {
    let mut counted: Vec<(&Curve, f64)> = Vec::new();
    for part in parts {
        match counted.iter_mut().find(|(curve, _)| std::ptr::eq(*curve, &*part.curve)) {
            Some((_, count)) => *count += 1.0,
            None => counted.push((&part.curve, 1.0)),
        }
    }
    counted
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
