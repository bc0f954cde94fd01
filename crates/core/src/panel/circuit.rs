//! Cells, diodes and resistances wired together, and solved: a curve for every part, from the leaves of the tree to its root.

use super::cell::{Bypass, Cell};
use super::curve::Curve;
use super::solution::{Part, Solution, Solved};
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

/// The currents for which a circuit is solved, A: as much as can run, and, below 0, as much as what is beside it can drive through it
/// backwards.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reach {
    pub least_a: f64,
    pub most_a: f64,
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
        let root = solve(&self.root, None, &class_of, &classes, &scale);
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

struct Scale {
    reach: Reach,
    tol_v: f64,
    tol_a: f64,
    /// The curve around a group of each different diode.
    arounds: Vec<(Bypass, Arc<Curve>)>,
}

/// Solves a part. One that is `like` another, built alike of like cells, takes the curves of that one.
fn solve(node: &Node, like: Option<&Solved>, class_of: &[usize], classes: &[Arc<Curve>], scale: &Scale) -> Solved {
    let thin = |curve: Curve| {
        let tol_v = scale.tol_v.max(THIN_V_REL * curve.open().v);
        Arc::new(curve.thinned(tol_v, scale.tol_a))
    };
    let known = like.map(|like| Arc::clone(&like.curve));
    let inside = like.map_or(&[][..], Solved::parts);
    match node {
        Node::Cell(place) => Solved { curve: Arc::clone(&classes[class_of[*place]]), part: Part::Cell(*place) },
        Node::Series(parts) if parts.iter().all(|part| matches!(part, Node::Cell(_))) => {
            let members = members(parts, class_of);
            let curve = known.unwrap_or_else(|| {
                let counts = counted(&members);
                let curves: Vec<(&Curve, f64)> = counts.iter().map(|(class, count)| (&*classes[*class], *count)).collect();
                let curve = Curve::series(&curves);
                // A cell's own curve has no node too many.
                if counts.len() == 1 { Arc::new(curve) } else { thin(curve) }
            });
            Solved { curve, part: Part::Cells(members) }
        }
        Node::Series(parts) => {
            let parts = solve_all(parts, inside, class_of, classes, scale);
            Solved { curve: known.unwrap_or_else(|| thin(Curve::series(&each(&parts)))), part: Part::Series(parts) }
        }
        Node::Parallel(parts) => {
            let parts = solve_all(parts, inside, class_of, classes, scale);
            Solved { curve: known.unwrap_or_else(|| thin(Curve::parallel(&each(&parts)))), part: Part::Parallel(parts) }
        }
        Node::Bypassed(part, diode) => {
            let part = solve(part, inside.first(), class_of, classes, scale);
            let of_diode = scale.arounds.iter().find(|(of, _)| of == diode);
            let around = of_diode.map_or_else(|| Arc::new(diode.around(scale.reach.most_a)), |(_, around)| Arc::clone(around));
            let curve = known.unwrap_or_else(|| {
                // At the volts where the other of the two ends, each would take amps that are nowhere: left in, they would set the scale on
                // which nodes count as one.
                let (least_a, most_a) = (2.0 * scale.reach.least_a.min(-scale.reach.most_a), 2.0 * scale.reach.most_a);
                thin(part.curve.with_around(&around).within_amps(least_a, most_a))
            });
            Solved { curve, part: Part::Bypassed(Box::new(part), around) }
        }
        Node::Blocked(part, diode) => {
            let part = solve(part, inside.first(), class_of, classes, scale);
            let curve = known.unwrap_or_else(|| {
                let in_the_way = diode.in_the_way(scale.reach.most_a);
                thin(Curve::series(&[(&part.curve, 1.0), (&in_the_way, 1.0)]).within_amps(diode.least_a(), f64::INFINITY))
            });
            Solved { curve, part: Part::Blocked(Box::new(part)) }
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

/// Classes, and how many members each has.
fn counted(members: &[(usize, usize)]) -> Vec<(usize, f64)> {
    let mut counts: Vec<(usize, f64)> = Vec::new();
    for (_, class) in members {
        match counts.iter_mut().find(|(of, _)| of == class) {
            Some((_, count)) => *count += 1.0,
            None => counts.push((*class, 1.0)),
        }
    }
    counts
}

/// Parts side by side, of which some are `like` others that are solved. Most of a panel's groups are alike: one that has a twin among
/// those before it is like that.
fn solve_all(parts: &[Node], like: &[Solved], class_of: &[usize], classes: &[Arc<Curve>], scale: &Scale) -> Vec<Solved> {
    let mut solved: Vec<Solved> = Vec::with_capacity(parts.len());
    for (nth, part) in parts.iter().enumerate() {
        let twin = || (0..nth).find(|before| are_twins(&parts[*before], part, class_of)).map(|twin| &solved[twin]);
        let like = like.get(nth).or_else(twin);
        let one = solve(part, like, class_of, classes, scale);
        solved.push(one);
    }
    solved
}

/// Whether two parts are built alike of like cells.
fn are_twins(a: &Node, b: &Node, class_of: &[usize]) -> bool {
    let all = |a: &[Node], b: &[Node]| a.len() == b.len() && a.iter().zip(b).all(|(a, b)| are_twins(a, b, class_of));
    match a {
        Node::Cell(a) => matches!(b, Node::Cell(b) if class_of[*a] == class_of[*b]),
        Node::Series(a) => matches!(b, Node::Series(b) if all(a, b)),
        Node::Parallel(a) => matches!(b, Node::Parallel(b) if all(a, b)),
        Node::Bypassed(a, of) => matches!(b, Node::Bypassed(b, other) if of == other && are_twins(a, b, class_of)),
        Node::Blocked(a, of) => matches!(b, Node::Blocked(b, other) if of == other && are_twins(a, b, class_of)),
        Node::Resistance(a) => matches!(b, Node::Resistance(b) if a == b),
        Node::Solved(a) => matches!(b, Node::Solved(b) if Arc::ptr_eq(a, b)),
    }
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
