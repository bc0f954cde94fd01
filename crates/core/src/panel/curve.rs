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

/// Nodes closer than this share of the span are one.
const SAME_REL: f64 = 1e-12;

impl Curve {
    /// From nodes (amps, volts) in any order; at least two of different amps.
    pub fn of(mut nodes: Vec<(f64, f64)>) -> Self {
        nodes.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.total_cmp(&a.1)));
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

    /// `count` of each in series.
    pub fn series(parts: &[(&Curve, f64)]) -> Curve {
        if let [(only, count)] = parts {
            return Curve { nodes: only.nodes.iter().map(|(i, v)| (*i, v * count)).collect() };
        }
        let mut amps: Vec<f64> = parts.iter().flat_map(|(curve, _)| curve.nodes.iter().map(|node| node.0)).collect();
        sort_distinct(&mut amps);
        let mut sums = vec![0.0; amps.len()];
        for (curve, count) in parts {
            march(&curve.nodes, &amps, |place, v| sums[place] += v * count);
        }
        Curve { nodes: amps.into_iter().zip(sums).collect() }
    }

    /// `count` of each in parallel.
    pub fn parallel(parts: &[(&Curve, f64)]) -> Curve {
        if let [(only, count)] = parts {
            return Curve { nodes: only.nodes.iter().map(|(i, v)| (i * count, *v)).collect() };
        }
        // Mirrored, so that the abscissa rises: minus volts.
        let mut volts: Vec<f64> = parts.iter().flat_map(|(curve, _)| curve.nodes.iter().map(|node| -node.1)).collect();
        sort_distinct(&mut volts);
        let mut sums = vec![0.0; volts.len()];
        let mut mirrored = Vec::new();
        for (curve, count) in parts {
            mirrored.clear();
            mirrored.extend(curve.nodes.iter().map(|(i, v)| (-v, *i)));
            march(&mirrored, &volts, |place, i| sums[place] += i * count);
        }
        Curve { nodes: sums.into_iter().zip(volts.into_iter().map(|v| -v)).collect() }
    }

    /// The same without what lies beyond these amps, where nothing runs; two nodes are left.
    pub fn within_amps(mut self, least_a: f64, most_a: f64) -> Curve {
        let upto = self.nodes.partition_point(|node| node.0 <= most_a).max(2);
        self.nodes.truncate(upto);
        let below = self.nodes.partition_point(|node| node.0 < least_a);
        self.nodes.drain(..below.min(self.nodes.len() - 2));
        self
    }

    /// The same with nodes left out whose absence nobody could see: within `tol_v` and `tol_a` of the straight line.
    pub fn thinned(self, tol_v: f64, tol_a: f64) -> Curve {
        if self.nodes.len() < 8 {
            return self;
        }
        let mut kept = vec![self.nodes[0]];
        let mut last = 0;
        for place in 2..self.nodes.len() {
            let (a, b) = (self.nodes[last], self.nodes[place]);
            let fits = |node: &(f64, f64)| {
                let off_v = (between(a, b, node.0) - node.1).abs();
                // Few amps are known to a thousandth of themselves: a blocked string turns at those that its diode lets back, and its
                // open volts would go with the node.
                off_v <= tol_v || off_v * ((b.0 - a.0) / (a.1 - b.1).max(1e-300)).abs() <= tol_a.min(1e-3 * node.0.abs())
            };
            // A long stretch is looked at in a few places only; a node is never dropped without having been looked at itself.
            if place - last > 24 || !self.nodes[last + 1..place].iter().all(fits) {
                kept.push(self.nodes[place - 1]);
                last = place - 1;
            }
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

fn sort_distinct(values: &mut Vec<f64>) {
    // Runs of sorted values, which the stable sort sees.
    values.sort_by(f64::total_cmp);
    let span = values.last().copied().unwrap_or(0.0) - values.first().copied().unwrap_or(0.0);
    values.dedup_by(|b, a| *b - *a <= SAME_REL * span);
}

/// Walks a line (x rising) along places that rise too; straight on beyond the ends.
fn march(line: &[(f64, f64)], places: &[f64], mut tell: impl FnMut(usize, f64)) {
    let mut end = 1;
    for (place, x) in places.iter().enumerate() {
        while end < line.len() - 1 && line[end].0 <= *x {
            end += 1;
        }
        tell(place, between(line[end - 1], line[end], *x));
    }
}
