//! Panels joined: in series, in parallel, or as strings.

pub mod covered_strings;
pub mod mismatch;
pub mod moving_shadow;

use crate::error::Error;
use crate::named::named;
use crate::panel::cell::Bypass;
use crate::panel::circuit::{Circuit, Node, Reach};
use crate::panel::layout::Panel;
use crate::panel::solution::{OperatingPoint, Solution};
use std::sync::Arc;

/// How the panels of an array hang together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ArrayWiring {
    #[default]
    Series,
    Parallel,
    /// Strings of two, side by side.
    StringsOfTwo,
}

named!(ArrayWiring {
    Series = "series", "all in series";
    Parallel = "parallel", "all in parallel";
    StringsOfTwo = "strings_of_two", "strings of two in parallel";
});

/// Panels under one sun, each with its own shade.
#[derive(Debug, Clone, PartialEq)]
pub struct Array {
    /// A panel, and the share of light of each of its cells; no share: full light.
    pub panels: Vec<(Panel, Vec<f64>)>,
    pub poa_w_m2: f64,
    pub cell_c: f64,
    /// Of the lead to whatever the array works into, there and back.
    pub lead_ohm: f64,
    /// A diode in the way of each string.
    pub is_blocked: bool,
}

impl Array {
    /// Each panel in its shade, ready for any wiring of them.
    pub fn lit(&self) -> Result<LitArray, Error> {
        self.solved(|shares| shares)
    }

    /// The same without any shade.
    pub fn without_shade(&self) -> Result<LitArray, Error> {
        self.solved(|_| &[])
    }

    /// Solved in strings of these lengths, in the order of the panels; what is left over is a string of its own.
    pub fn in_strings(&self, lengths: &[usize]) -> Result<Solution, Error> {
        self.lit()?.in_strings(lengths)
    }

    /// The same without any shade.
    pub fn unshaded(&self, lengths: &[usize]) -> Result<Solution, Error> {
        self.without_shade()?.in_strings(lengths)
    }

    /// Like panels in like shade are solved once.
    fn solved(&self, shade: impl Fn(&[f64]) -> &[f64]) -> Result<LitArray, Error> {
        let mut different: Vec<(&Panel, &[f64], Circuit)> = Vec::new();
        let mut which = Vec::with_capacity(self.panels.len());
        for (panel, shares) in &self.panels {
            let shares = shade(shares);
            let shares = if shares.iter().all(|share| *share == 1.0) { &[] } else { shares };
            let known = different.iter().position(|(of, by, _)| *by == shares && of.is_like(panel));
            which.push(known.unwrap_or(different.len()));
            if known.is_none() {
                different.push((panel, shares, panel.lit(self.poa_w_m2, self.cell_c, shares)));
            }
        }
        let most_a: Vec<f64> = different.iter().map(|(_, _, circuit)| circuit.most_a()).collect();
        // In parallel all the others may drive one backwards.
        let reach = Reach {
            least_a: -which.iter().map(|nth| most_a[*nth]).sum::<f64>(),
            most_a: most_a.iter().copied().fold(0.0, f64::max),
        };
        let solved: Vec<Arc<Solution>> =
            different.iter().map(|(_, _, circuit)| Ok(Arc::new(circuit.solve_within(reach)?))).collect::<Result<_, Error>>()?;
        let panels = which.into_iter().map(|nth| Arc::clone(&solved[nth])).collect();
        Ok(LitArray { panels, lead_ohm: self.lead_ohm, is_blocked: self.is_blocked })
    }

    /// Volts open in full sun with cells as cold as the air of the coldest morning: what an input has to stand.
    pub fn cold_open_v(&self, lengths: &[usize], coldest_c: f64) -> Result<f64, Error> {
        let cold = Array { poa_w_m2: 1000.0, cell_c: coldest_c, ..self.clone() };
        Ok(cold.unshaded(lengths)?.curve().open().v)
    }

    /// Strings of a way of wiring.
    pub fn lengths(&self, way: ArrayWiring) -> Vec<usize> {
        let count = self.panels.len();
        match way {
            ArrayWiring::Series => vec![count],
            ArrayWiring::Parallel => vec![1; count],
            ArrayWiring::StringsOfTwo => vec![2; count.div_ceil(2)],
        }
    }
}

/// An array whose panels are solved, each in its own shade.
#[derive(Debug, Clone)]
pub struct LitArray {
    panels: Vec<Arc<Solution>>,
    lead_ohm: f64,
    is_blocked: bool,
}

impl LitArray {
    /// Wired in strings of these lengths, in the order of the panels; what is left over is a string of its own.
    pub fn in_strings(&self, lengths: &[usize]) -> Result<Solution, Error> {
        let mut panels = self.panels.iter().map(|panel| Node::Solved(Arc::clone(panel))).peekable();
        let mut strings = Vec::new();
        for length in lengths.iter().copied().chain(std::iter::repeat(usize::MAX)) {
            if panels.peek().is_none() {
                break;
            }
            let string = one_or(panels.by_ref().take(length.max(1)).collect(), Node::Series);
            strings.push(if self.is_blocked { Node::Blocked(Box::new(string), Bypass::default()) } else { string });
        }
        let whole = one_or(strings, Node::Parallel);
        let root = if self.lead_ohm > 0.0 { Node::Series(vec![whole, Node::Resistance(self.lead_ohm)]) } else { whole };
        Circuit { cells: Vec::new(), root }.solve()
    }

    /// The best watts of each panel alone.
    pub fn singles_w(&self) -> Vec<f64> {
        self.panels.iter().map(|panel| panel.curve().best().w()).collect()
    }
}

/// A cell driven backwards, and how warm it gets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct HotSpot {
    /// Which panel, and which of its cells.
    pub panel: usize,
    pub cell: usize,
    pub dissipated_w: f64,
    /// Above its neighbours, K: what it burns over its area, lost to air that moves at 1 m/s (Faiman 2008, u0 25 and u1 6.84 W/m2/K).
    /// The whole cell is taken to be evenly warm; where it breaks down in one place that place is far hotter.
    pub excess_k: f64,
}

/// Short-circuit current of a silicon cell at STC for its area, A/m2. Common practice, no source: 35 to 41 mA/cm2.
const CELL_A_PER_M2: f64 = 380.0;

/// Loss of heat at 1 m/s, W/m2/K.
const HEAT_LOSS_W_M2_K: f64 = 25.0 + 6.84;

impl Array {
    /// The cell that burns most at a working point of the whole; `None` where none burns.
    pub fn hot_spot(&self, working: &OperatingPoint) -> Option<HotSpot> {
        let mut watts = working.cell_w().into_iter();
        let mut hottest: Option<HotSpot> = None;
        for (panel, (of, _)) in self.panels.iter().enumerate() {
            let area_m2 = of.fit.at_stc.i_l_a / of.layout.in_parallel as f64 / CELL_A_PER_M2;
            for (cell, made_w) in watts.by_ref().take(of.layout.places.len()).enumerate() {
                let excess_k = -made_w / (area_m2 * HEAT_LOSS_W_M2_K);
                if made_w < 0.0 && hottest.is_none_or(|hottest| excess_k > hottest.excess_k) {
                    hottest = Some(HotSpot { panel, cell, dissipated_w: -made_w, excess_k });
                }
            }
        }
        hottest
    }
}

fn one_or(mut parts: Vec<Node>, many: fn(Vec<Node>) -> Node) -> Node {
    if parts.len() == 1 { parts.remove(0) } else { many(parts) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::example::saffron;

    fn array(count: usize, shaded: &[f64]) -> Array {
        let panel = saffron();
        let panels = (0..count).map(|nth| (panel.clone(), if nth == 0 { shaded.to_vec() } else { Vec::new() })).collect();
        Array { panels, poa_w_m2: 1000.0, cell_c: 25.0, lead_ohm: 0.0, is_blocked: false }
    }

    fn best(array: &Array, way: ArrayWiring) -> f64 {
        array.in_strings(&array.lengths(way)).unwrap().curve().best().w()
    }

    /// Why both schools are right: with one panel wholly in shade parallel keeps what the other gives and series spares it by its
    /// diodes; with one group of cells in shade, parallel drags the volts of the other down.
    #[test]
    fn series_and_parallel_each_win_under_some_shade() {
        let whole = array(2, &[0.08; 36]);
        assert!(best(&whole, ArrayWiring::Parallel) > best(&whole, ArrayWiring::Series));
        let mut one_group = vec![1.0; 36];
        one_group[0] = 0.08;
        let group = array(2, &one_group);
        assert!(best(&group, ArrayWiring::Series) > best(&group, ArrayWiring::Parallel));
    }

    /// By hand: a cell of 10.4 A is about 0.0274 m2, so that each watt warms it by 1.15 K. Half in shade and shorted with 17 others under
    /// one diode it takes nearly the volts of all of them.
    #[test]
    fn a_cell_driven_backwards_is_found_with_its_warmth() {
        let mut half = vec![1.0; 36];
        half[4] = 0.5;
        let array = array(2, &half);
        let shorted = array.in_strings(&[1, 1]).unwrap().at_volts(0.0);
        let hot = array.hot_spot(&shorted).unwrap();
        assert!((hot.panel, hot.cell) == (0, 4) && hot.dissipated_w > 20.0, "{hot:?}");
        assert!((hot.excess_k / hot.dissipated_w - 1.15).abs() < 0.03, "{hot:?}");
        assert_eq!(array.hot_spot(&array.unshaded(&[1, 1]).unwrap().at_best()), None);
    }

    #[test]
    fn strings_are_cut_in_order_and_the_lead_costs() {
        let four = array(4, &[]);
        let (two, all) = (best(&four, ArrayWiring::StringsOfTwo), best(&four, ArrayWiring::Series));
        assert!((two / all - 1.0).abs() < 1e-3);
        let open = |way| four.in_strings(&four.lengths(way)).unwrap().curve().open().v;
        assert!(
            (open(ArrayWiring::Series) / open(ArrayWiring::StringsOfTwo) - 2.0).abs() < 1e-6
                && (open(ArrayWiring::StringsOfTwo) / open(ArrayWiring::Parallel) - 2.0).abs() < 1e-6
        );
        let with_lead = Array { lead_ohm: 0.5, ..four.clone() };
        let lost = |way| best(&four, way) - best(&with_lead, way);
        assert!(lost(ArrayWiring::Parallel) > 10.0 * lost(ArrayWiring::Series), "four times the amps are sixteen times the loss");
        assert_eq!(four.lit().unwrap().singles_w().len(), 4);
    }
}
