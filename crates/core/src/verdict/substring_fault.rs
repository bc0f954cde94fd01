//! Which part of a panel is out: one group of cells covered after the other, and whether the volts or the watts care.
//!
//! A group whose diode has failed short, or whose cells are broken and whose diode carries the current around them, gives nothing; to
//! cover it changes nothing. Every choice of groups that could be out is solved with each cover, and the one that agrees with what was
//! read is named, if it is the only one.

use crate::error::Error;
use crate::measure::correct::Condition;
use crate::panel::circuit::{Circuit, Node};
use crate::panel::layout::Panel;

/// What is read with each cover.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Figure {
    /// Open-circuit volts: quick, and moved little by a cover.
    #[default]
    Voc,
    /// Watts at the best point: moved much, and by every cloud.
    Watts,
}

/// What was read.
#[derive(Debug, Clone, PartialEq)]
pub struct Read {
    pub figure: Figure,
    /// With nothing covered.
    pub whole: f64,
    /// With each group of cells covered; `None` where it was not tried.
    pub covered: Vec<Option<f64>>,
}

#[derive(Debug, Clone, PartialEq)]
pub enum Verdict {
    /// These groups are out, from 0; none: every group works. `through`: the share of light that the cover let through, as fits best.
    Out {
        groups: Vec<usize>,
        through: f64,
    },
    CantTell(Why),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// Fewer than two groups were covered.
    TooFew,
    /// No cover changed anything: it lets too much light through, or nothing works at all.
    NothingMoved,
    /// Several choices fit what was read.
    Several,
    /// None does: the sun moved, or a cover lay over two groups.
    None,
    /// This construction has too many groups to cover them one by one.
    Construction,
}

/// A repeated reading of the same figure agrees within this share. Common practice, no source: Voc on a hand-held meter within a
/// minute; watts under a clear sky.
fn agrees_rel(figure: Figure) -> f64 {
    match figure {
        Figure::Voc => 0.005,
        Figure::Watts => 0.05,
    }
}

/// Light that a cover may let through, as natural logarithms of its share: a card lets a few thousandths in, a thin cloth a third.
const THROUGH_LN: (f64, f64) = (-6.9, -0.9);

/// Looks at a cover's light; each narrows it by the golden section, the last to a hundredth of a logarithm.
const LOOKS: usize = 14;

/// More groups than these have no cover of a handy shape.
const MOST_GROUPS: usize = 4;

/// Names the groups that are out of a panel at about this light and cell_temperature.
pub fn which_out(panel: &Panel, at: Condition, read: &Read) -> Result<Verdict, Error> {
    let groups = panel.layout.groups;
    if !(2..=MOST_GROUPS).contains(&groups) {
        return Ok(Verdict::CantTell(Why::Construction));
    }
    let tried: Vec<(usize, f64)> = read
        .covered
        .iter()
        .take(groups)
        .enumerate()
        .filter_map(|(group, value)| value.map(|value| (group, value / read.whole)))
        .filter(|(_, rel)| rel.is_finite())
        .collect();
    if tried.len() < 2 {
        return Ok(Verdict::CantTell(Why::TooFew));
    }
    let allowed = agrees_rel(read.figure);
    if tried.iter().all(|(_, rel)| (rel - 1.0).abs() <= allowed) {
        return Ok(Verdict::CantTell(Why::NothingMoved));
    }
    let mut fitting: Vec<(Vec<usize>, f64)> = Vec::new();
    // Each bit is a group; with all of them out there is nothing to read.
    for bits in 0..(1_usize << groups) - 1 {
        let out: Vec<usize> = (0..groups).filter(|group| bits & (1 << group) != 0).collect();
        let whole = figure(panel, at, &out, None, read.figure)?;
        // How far the worst reading is off under a cover that lets this much through.
        let off = |through_ln: f64| -> Result<f64, Error> {
            tried.iter().try_fold(0.0_f64, |worst, (group, rel)| {
                let solved = figure(panel, at, &out, Some((*group, through_ln.exp())), read.figure)? / whole;
                Ok(worst.max((solved - rel).abs()))
            })
        };
        let (through_ln, worst) = least(THROUGH_LN, off)?;
        if worst <= allowed {
            fitting.push((out, through_ln.exp()));
        }
    }
    Ok(match fitting.as_slice() {
        [] => Verdict::CantTell(Why::None),
        [(groups, through)] => Verdict::Out { groups: groups.clone(), through: *through },
        _ => Verdict::CantTell(Why::Several),
    })
}

/// Where a function with one valley is least, by the golden section; and its value there.
fn least((mut low, mut high): (f64, f64), of: impl Fn(f64) -> Result<f64, Error>) -> Result<(f64, f64), Error> {
    const GOLDEN: f64 = 0.618_033_988_749_895;
    let inner = |low: f64, high: f64| (high - GOLDEN * (high - low), low + GOLDEN * (high - low));
    let (mut a, mut b) = inner(low, high);
    let (mut at_a, mut at_b) = (of(a)?, of(b)?);
    for _ in 2..LOOKS {
        if at_a <= at_b {
            (high, b, at_b) = (b, a, at_a);
            a = inner(low, high).0;
            at_a = of(a)?;
        } else {
            (low, a, at_a) = (a, b, at_b);
            b = inner(low, high).1;
            at_b = of(b)?;
        }
    }
    Ok(if at_a <= at_b { (a, at_a) } else { (b, at_b) })
}

/// The figure with some groups out and one under a cover.
fn figure(panel: &Panel, at: Condition, out: &[usize], cover: Option<(usize, f64)>, figure: Figure) -> Result<f64, Error> {
    let share = |group: usize| match cover {
        Some((covered, through)) if covered == group => through,
        _ => 1.0,
    };
    let shares: Vec<f64> = panel.layout.places.iter().map(|place| share(place.group)).collect();
    let Circuit { cells, root } = panel.lit(at.poa_w_m2, at.cell_c, &shares);
    let solution = Circuit { cells, root: without(root, out, &mut 0) }.solve()?;
    Ok(match figure {
        Figure::Voc => solution.curve().open().v,
        Figure::Watts => solution.curve().best().w(),
    })
}

/// The tree with the bypassed groups of these numbers shorted. They are numbered in the order of the tree.
fn without(node: Node, out: &[usize], next: &mut usize) -> Node {
    let mut all = |parts: Vec<Node>| parts.into_iter().map(|part| without(part, out, next)).collect();
    match node {
        Node::Series(parts) => Node::Series(all(parts)),
        Node::Parallel(parts) => Node::Parallel(all(parts)),
        Node::Bypassed(part, diode) => {
            let group = *next;
            *next += 1;
            if out.contains(&group) { Node::Resistance(0.0) } else { Node::Bypassed(part, diode) }
        }
        Node::Blocked(part, diode) => Node::Blocked(Box::new(without(*part, out, next)), diode),
        leaf @ (Node::Cell(_) | Node::Resistance(_) | Node::Solved(_)) => leaf,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::construction::Construction;
    use crate::panel::example::umber;

    const AT: Condition = Condition { poa_w_m2: 800.0, cell_c: 45.0 };

    fn read(figure: Figure, whole: f64, covered: &[f64]) -> Read {
        Read { figure, whole, covered: covered.iter().map(|value| Some(*value)).collect() }
    }

    /// Read off the circuit itself under a cover of another kind than those that are tried, and rounded as a meter does.
    fn seen(construction: Construction, out: &[usize], which: Figure, step: f64) -> Read {
        let panel = umber(construction);
        let of = |cover| (figure(&panel, AT, out, cover, which).unwrap() / step).round() * step;
        Read {
            figure: which,
            whole: of(None),
            covered: (0..panel.layout.groups).map(|group| Some(of(Some((group, 0.06))))).collect(),
        }
    }

    #[test]
    fn the_third_that_a_cover_does_not_move_is_out() {
        for construction in [Construction::Cells60, Construction::HalfCut120, Construction::Cells36] {
            for (out, figure, step) in [
                (vec![], Figure::Voc, 0.01),
                (vec![0], Figure::Voc, 0.01),
                (vec![1], Figure::Watts, 0.1),
                (vec![], Figure::Watts, 0.1),
            ] {
                let found = which_out(&umber(construction), AT, &seen(construction, &out, figure, step)).unwrap();
                assert!(
                    matches!(&found, Verdict::Out { groups, .. } if *groups == out),
                    "{construction:?} {out:?} {figure:?}: {found:?}"
                );
            }
        }
    }

    /// Strings side by side hide each other: then it says so, and names no wrong one.
    #[test]
    fn where_several_choices_fit_none_is_named() {
        let found = which_out(&umber(Construction::TwoStrings72), AT, &seen(Construction::TwoStrings72, &[], Figure::Watts, 0.1));
        assert_eq!(found.unwrap(), Verdict::CantTell(Why::Several));
    }

    #[test]
    fn what_does_not_tell_is_said() {
        let cells = umber(Construction::Cells60);
        let verdict = |read: &Read| which_out(&cells, AT, read).unwrap();
        assert_eq!(
            verdict(&Read { covered: vec![Some(22.0), None, None], ..read(Figure::Voc, 23.6, &[]) }),
            Verdict::CantTell(Why::TooFew)
        );
        assert_eq!(verdict(&read(Figure::Voc, 23.6, &[23.6, 23.6, 23.55])), Verdict::CantTell(Why::NothingMoved));
        assert_eq!(verdict(&read(Figure::Voc, 23.6, &[29.0, 10.0, 23.6])), Verdict::CantTell(Why::None));
        let many = umber(Construction::DiodeEachCell);
        assert_eq!(which_out(&many, AT, &read(Figure::Voc, 20.0, &[19.0, 20.0])).unwrap(), Verdict::CantTell(Why::Construction));
    }
}
