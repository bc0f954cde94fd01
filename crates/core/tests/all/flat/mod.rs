//! Circuits put together cell by cell, against which panels that are solved one by one and then wired are held.

use flindo_core::panel::circuit::{Circuit, Node};

/// Several circuits as one: the places of their cells moved on, and their roots joined.
pub fn joined(circuits: Vec<Circuit>, join: impl FnOnce(Vec<Node>) -> Node) -> Circuit {
    let mut cells = Vec::new();
    let mut roots = Vec::new();
    for circuit in circuits {
        let from = cells.len();
        cells.extend(circuit.cells);
        roots.push(moved(circuit.root, from));
    }
    Circuit { cells, root: join(roots) }
}

fn moved(node: Node, by: usize) -> Node {
    let all = |parts: Vec<Node>| parts.into_iter().map(|part| moved(part, by)).collect();
    match node {
        Node::Cell(place) => Node::Cell(place + by),
        Node::Series(parts) => Node::Series(all(parts)),
        Node::Parallel(parts) => Node::Parallel(all(parts)),
        Node::Bypassed(part, diode) => Node::Bypassed(Box::new(moved(*part, by)), diode),
        Node::Blocked(part, diode) => Node::Blocked(Box::new(moved(*part, by)), diode),
        Node::Resistance(_) | Node::Solved(_) => node,
    }
}
