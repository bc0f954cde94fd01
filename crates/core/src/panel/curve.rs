//! A curve of volts and amps as straight pieces, close enough that nobody can tell. Series adds volts, parallel adds amps, and both
//! are exact for straight pieces, so that the watts of all parts add up to those of the whole.

/// Amps rise from node to node, and volts fall.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Curve {
    nodes: Vec<(f64, f64)>,
}

/// One point of a curve.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct At {
    pub v: f64,
    pub i: f64,
}

impl At {
    pub fn w(self) -> f64 {
        self.v * self.i
    }
}

/// Nodes closer than this share of their own abscissa are one. Not of the whole span: behind a blocking diode a curve turns within
/// picoamperes.
const SAME_REL: f64 = 1e-12;

impl Curve {
    /// From nodes (amps, volts) in any order; at least two of different amps. What is beyond all numbers is left out.
    pub fn of(mut nodes: Vec<(f64, f64)>) -> Self {
        nodes.retain(|node| node.0.is_finite() && node.1.is_finite());
        nodes.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.total_cmp(&a.1)));
        nodes.dedup_by(|b, a| b.0 <= a.0);
        Curve { nodes }
    }

    /// The same from nodes in their order, which spares the sorting.
    pub fn in_order(mut nodes: Vec<(f64, f64)>) -> Self {
        nodes.retain(|node| node.0.is_finite() && node.1.is_finite());
        nodes.dedup_by(|b, a| b.0 <= a.0);
        Curve { nodes }
    }

    /// A straight line through the origin: a resistance in the way of the current.
    pub fn resistance(ohm: f64, most_a: f64) -> Self {
        Curve { nodes: vec![(-most_a, most_a * ohm), (most_a, -most_a * ohm)] }
    }

    pub fn nodes(&self) -> &[(f64, f64)] {
        &self.nodes
    }

    fn segment_by_amps(&self, i: f64) -> usize {
        self.nodes.partition_point(|node| node.0 <= i).clamp(1, self.nodes.len() - 1)
    }

    /// Volts at these amps; straight on beyond the ends.
    pub fn volts_at(&self, i: f64) -> f64 {
        let end = self.segment_by_amps(i);
        between(self.nodes[end - 1], self.nodes[end], i)
    }

    /// Amps at these volts; straight on beyond the ends.
    pub fn amps_at(&self, v: f64) -> f64 {
        let end = self.nodes.partition_point(|node| node.1 >= v).clamp(1, self.nodes.len() - 1);
        let (a, b) = (self.nodes[end - 1], self.nodes[end]);
        between((-a.1, a.0), (-b.1, b.0), -v)
    }

    /// `count` points at volts from 0 to open, evenly apart; 2 or more. One walk along the curve in place of a search for each.
    pub fn even(&self, count: usize) -> Vec<At> {
        let open_v = self.open().v;
        let mut end = self.nodes.len() - 1;
        (0..count)
            .map(|nth| {
                let v = open_v * nth as f64 / (count - 1) as f64;
                // Volts fall from node to node.
                while end > 1 && self.nodes[end - 1].1 < v {
                    end -= 1;
                }
                let (a, b) = (self.nodes[end - 1], self.nodes[end]);
                At { v, i: between((-a.1, a.0), (-b.1, b.0), -v) }
            })
            .collect()
    }

    /// `count` of each in series; at least one.
    pub fn series(parts: &[(&Curve, f64)]) -> Curve {
        Curve { nodes: sum(parts, |(i, v)| (i, v)) }
    }

    /// `count` of each in parallel; at least one.
    pub fn parallel(parts: &[(&Curve, f64)]) -> Curve {
        Curve::mirrored(sum(parts, mirror))
    }

    /// In parallel with a diode around it, whose curve ends where it takes all amps: what of this curve lies at fewer volts than that is
    /// never reached.
    pub fn with_around(&self, around: &Curve) -> Curve {
        let end_v = around.nodes.last().map_or(f64::NEG_INFINITY, |node| node.1);
        // And one node beyond; two at least.
        let upto = (self.nodes.partition_point(|node| node.1 >= end_v) + 1).clamp(2, self.nodes.len());
        Curve::mirrored(sum_of_two(Walk::along(&self.nodes[..upto], 1.0, mirror), Walk::along(&around.nodes, 1.0, mirror)))
    }

    /// From nodes that [`mirror`] was applied to.
    fn mirrored(mut nodes: Vec<(f64, f64)>) -> Curve {
        nodes.iter_mut().for_each(|node| *node = (node.1, -node.0));
        Curve { nodes }
    }

    /// The same without what lies beyond these amps, where nothing runs; two nodes are left.
    pub fn within_amps(mut self, least_a: f64, most_a: f64) -> Curve {
        let upto = self.nodes.partition_point(|node| node.0 <= most_a).max(2);
        self.nodes.truncate(upto);
        let below = self.nodes.partition_point(|node| node.0 < least_a);
        self.nodes.drain(..below.min(self.nodes.len() - 2));
        self
    }

    /// The same with nodes left out whose absence nobody could see: within `tol_v` of the straight line, or within `tol_a`, or within a
    /// thousandth of their own amps where those are fewer (a blocked string turns at those that its diode lets back, and its open volts
    /// would go with the node).
    ///
    /// One pass: every node that is left out says between which slopes a line from the last kept node passes close enough by it (Imai and
    /// Iri 1988, Polygonal approximations of a curve), and the next node is kept as soon as the line to it is outside.
    pub fn thinned(self, tol_v: f64, tol_a: f64) -> Curve {
        if self.nodes.len() < 8 {
            return self;
        }
        let mut kept = Vec::with_capacity(self.nodes.len());
        let mut from = self.nodes[0];
        kept.push(from);
        let mut allowed = (f64::NEG_INFINITY, f64::INFINITY);
        let mut to_before = Line::between(from, self.nodes[1]);
        for pair in self.nodes.windows(2).skip(1) {
            let [before, here] = [pair[0], pair[1]];
            let by = to_before.passing(tol_v, tol_a.min(1e-3 * before.0.abs()));
            allowed = (allowed.0.max(by.0), allowed.1.min(by.1));
            let mut to_here = Line::between(from, here);
            // Not `slope < low || slope > high`: a slope that is no number keeps the node.
            if !(allowed.0 <= to_here.slope && to_here.slope <= allowed.1) {
                kept.push(before);
                from = before;
                allowed = (f64::NEG_INFINITY, f64::INFINITY);
                to_here = Line::between(from, here);
            }
            to_before = to_here;
        }
        kept.extend(self.nodes.last());
        Curve { nodes: kept }
    }

    pub fn open(&self) -> At {
        At { v: self.volts_at(0.0), i: 0.0 }
    }

    pub fn short(&self) -> At {
        At { v: 0.0, i: self.amps_at(0.0) }
    }

    /// Every hill of watts from short to open, in rising volts. On a straight piece watts are a parabola, whose top is taken.
    pub fn local_maxima(&self) -> Vec<At> {
        let (open, short) = (self.open(), self.short());
        if open.v <= 0.0 || short.i <= 0.0 {
            return Vec::new();
        }
        let mut along: Vec<At> = vec![short];
        along.extend(self.nodes.iter().rev().map(|(i, v)| At { v: *v, i: *i }).filter(|at| at.v > 0.0 && at.i > 0.0));
        along.push(open);
        let mut local_maxima: Vec<At> = Vec::new();
        for place in 1..along.len() - 1 {
            let (before, here, after) = (along[place - 1], along[place], along[place + 1]);
            if here.w() >= before.w() && here.w() > after.w() {
                let tops = [top(before, here), top(here, after)];
                local_maxima.push(tops.into_iter().fold(here, |best, at| if at.w() > best.w() { at } else { best }));
            }
        }
        if local_maxima.is_empty() {
            local_maxima.extend(along.iter().copied().max_by(|a, b| a.w().total_cmp(&b.w())));
        }
        local_maxima
    }

    /// The highest hill; nothing in the dark.
    pub fn best(&self) -> At {
        self.local_maxima().into_iter().max_by(|a, b| a.w().total_cmp(&b.w())).unwrap_or_default()
    }
}

/// The top of the parabola of watts on the straight line between two points, within it.
fn top(a: At, b: At) -> At {
    let slope = (b.v - a.v) / (b.i - a.i);
    if !slope.is_finite() || slope >= 0.0 {
        return a;
    }
    // V = a.v + slope (I - a.i); dP/dI = 0.
    let i = ((slope * a.i - a.v) / (2.0 * slope)).clamp(a.i.min(b.i), a.i.max(b.i));
    At { v: a.v + slope * (i - a.i), i }
}

fn between(a: (f64, f64), b: (f64, f64), x: f64) -> f64 {
    let span = b.0 - a.0;
    if span == 0.0 { a.1 } else { a.1 + (b.1 - a.1) * (x - a.0) / span }
}

/// A line from one node to another at more amps.
#[derive(Clone, Copy)]
struct Line {
    di_a: f64,
    dv_v: f64,
    per_a: f64,
    /// V/A, below 0.
    slope: f64,
}

impl Line {
    fn between(from: (f64, f64), to: (f64, f64)) -> Self {
        let (di_a, dv_v) = (to.0 - from.0, to.1 - from.1);
        let per_a = 1.0 / di_a;
        Line { di_a, dv_v, per_a, slope: dv_v * per_a }
    }

    /// Between which slopes a line from its beginning passes its end: within `tol_v` above or below it, or within `tol_a` beside it. Which
    /// of the two reaches further is decided before the one division that it needs: `dv / (di - tol_a) < (dv - tol_v) / di` where `-dv
    /// tol_a > tol_v (di - tol_a)`, and the like.
    fn passing(&self, tol_v: f64, tol_a: f64) -> (f64, f64) {
        let Line { di_a, dv_v, per_a, .. } = *self;
        let beside = -dv_v * tol_a;
        let low = if di_a <= tol_a {
            f64::NEG_INFINITY
        } else if beside > tol_v * (di_a - tol_a) {
            dv_v / (di_a - tol_a)
        } else {
            (dv_v - tol_v) * per_a
        };
        let high = if beside > tol_v * (di_a + tol_a) { dv_v / (di_a + tol_a) } else { (dv_v + tol_v) * per_a };
        (low, high)
    }
}

/// Some of each part, added along an abscissa that rises from node to node; `axis` gives abscissa and ordinate of a node. Two and two,
/// then the sums of those: of many parts each node is walked past a few times only.
fn sum(parts: &[(&Curve, f64)], axis: impl Fn((f64, f64)) -> (f64, f64) + Copy) -> Vec<(f64, f64)> {
    match parts {
        [] => Vec::new(),
        [(only, count)] => {
            let scaled = |node: &(f64, f64)| {
                let (x, y) = axis(*node);
                (x, y * count)
            };
            only.nodes.iter().map(scaled).collect()
        }
        [(a, of_a), (b, of_b)] => sum_of_two(Walk::along(&a.nodes, *of_a, axis), Walk::along(&b.nodes, *of_b, axis)),
        more => {
            let (some, others) = more.split_at(more.len() / 2);
            let (some, others) = (sum(some, axis), sum(others, axis));
            sum_of_two(Walk::along(&some, 1.0, |node| node), Walk::along(&others, 1.0, |node| node))
        }
    }
}

/// Two lines added: the nodes of both in one walk, each with what the other line has there.
fn sum_of_two(
    mut a: Walk<'_, impl Fn((f64, f64)) -> (f64, f64)>,
    mut b: Walk<'_, impl Fn((f64, f64)) -> (f64, f64)>,
) -> Vec<(f64, f64)> {
    let mut line = Vec::with_capacity(a.rest.len() + b.rest.len() + 2);
    loop {
        let x = a.next_x.min(b.next_x);
        if x == f64::INFINITY {
            return line;
        }
        let upto = x + SAME_REL * x.abs();
        line.push((x, a.at(x, upto) + b.at(x, upto)));
    }
}

/// A walk along a line whose abscissa rises.
struct Walk<'a, Axis> {
    /// Nodes after the next.
    rest: std::slice::Iter<'a, (f64, f64)>,
    /// The ordinate counts so many times.
    times: f64,
    axis: Axis,
    /// The node that is passed next, and its abscissa: infinite past the end.
    next: (f64, f64),
    next_x: f64,
    /// A node of the piece that the walk is on, and its slope: straight on beyond the ends.
    from: (f64, f64),
    slope: f64,
}

impl<'a, Axis: Fn((f64, f64)) -> (f64, f64)> Walk<'a, Axis> {
    /// Two nodes or more.
    fn along(nodes: &'a [(f64, f64)], times: f64, axis: Axis) -> Self {
        let node = |nth: usize| {
            let (x, y) = axis(nodes[nth]);
            (x, y * times)
        };
        let first = node(0);
        let slope = slope(first, node(1));
        Walk { rest: nodes[1..].iter(), times, axis, next: first, next_x: first.0, from: first, slope }
    }

    /// The ordinate at the abscissa to which the walk goes, past the nodes that are there, up to `upto`.
    #[inline]
    fn at(&mut self, x: f64, upto: f64) -> f64 {
        if self.next_x > upto {
            return self.from.1 + self.slope * (x - self.from.0);
        }
        while self.next_x <= upto {
            self.from = self.next;
            match self.rest.next() {
                Some(node) => {
                    let (x, y) = (self.axis)(*node);
                    self.next = (x, y * self.times);
                    self.next_x = x;
                    self.slope = slope(self.from, self.next);
                }
                None => self.next_x = f64::INFINITY,
            }
        }
        self.from.1
    }
}

/// Volts fall along a curve: minus volts rise, and are the abscissa along which amps are added.
fn mirror((i, v): (f64, f64)) -> (f64, f64) {
    (-v, i)
}

fn slope(a: (f64, f64), b: (f64, f64)) -> f64 {
    if b.0 > a.0 { (b.1 - a.1) / (b.0 - a.0) } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two straight pieces: watts on a straight line from open volts to short amps are a parabola, whose top lies halfway, though no node
    /// does.
    #[test]
    fn the_top_of_a_hill_lies_between_its_nodes() {
        for node_a in [0.8, 1.2] {
            let best = Curve::of(vec![(0.0, 10.0), (node_a, 10.0 - 5.0 * node_a), (2.0, 0.0)]).best();
            assert!((best.i - 1.0).abs() < 1e-12 && (best.v - 5.0).abs() < 1e-12, "{best:?}");
        }
    }

    /// A straight line needs its two ends; one of few nodes is left as it is.
    #[test]
    fn nodes_on_a_straight_line_are_left_out() {
        let line = |count: u32| Curve::of((0..count).map(|nth| (f64::from(nth), 20.0 - f64::from(nth))).collect());
        assert_eq!((line(7).thinned(1e-6, 1e-9).nodes().len(), line(9).thinned(1e-6, 1e-9).nodes().len()), (7, 2));
    }
}
