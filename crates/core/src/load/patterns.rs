//! Series or parallel under one shade after the other: which wins depends on the shade, and where it turns is the answer.

use super::operate::Load;
use crate::array::{Array, Way};
use crate::error::Error;
use crate::panel::shade::{Mounting, Pattern, Shade};

/// Two ways whose watts differ by less are equal.
pub const SAME_REL: f64 = 0.005;

/// One pattern on the first panel, both ways.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BothWays {
    pub pattern: Pattern,
    pub series_w: f64,
    pub parallel_w: f64,
    /// In series, of a tracker that comes down from open circuit and stays on the first hill.
    pub series_above_w: f64,
    /// Volts of the best point in parallel: a controller needs them above its battery.
    pub parallel_v: f64,
}

impl BothWays {
    /// The way that gives more; none where it makes no difference worth naming.
    pub fn winner(&self) -> Option<Way> {
        let (most, least) = (self.series_w.max(self.parallel_w), self.series_w.min(self.parallel_w));
        if most - least <= SAME_REL * most {
            return None;
        }
        Some(if self.series_w > self.parallel_w { Way::Series } else { Way::Parallel })
    }
}

/// Every named pattern but none, of the size and light of `shade`, on the first panel; the others in full light.
pub fn both_ways(array: &Array, shade: &Shade, mounting: Mounting) -> Result<Vec<BothWays>, Error> {
    let patterns = Pattern::ALL.iter().copied().filter(|pattern| *pattern != Pattern::None && *pattern != Pattern::Snow);
    patterns
        .map(|pattern| {
            let mut under = array.clone();
            for (nth, (panel, shares)) in under.panels.iter_mut().enumerate() {
                *shares = if nth == 0 { Shade { pattern, ..*shade }.shares(&panel.layout, mounting) } else { Vec::new() };
            }
            let (series, parallel) =
                (under.in_strings(&under.lengths(Way::Series))?, under.in_strings(&under.lengths(Way::Parallel))?);
            Ok(BothWays {
                pattern,
                series_w: series.curve().best().w(),
                parallel_w: parallel.curve().best().w(),
                series_above_w: Load::FromAbove.on(series.curve()).w(),
                parallel_v: parallel.curve().best().v,
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::five::{LabelFigures, fit};
    use crate::panel::layout::{Construction, Panel};

    /// Both schools are right: the same two panels under the same area of shade, and each way wins somewhere.
    #[test]
    fn each_way_wins_under_some_pattern() {
        let label = LabelFigures {
            voc_v: 24.3,
            isc_a: 10.4,
            vmp_v: 20.4,
            imp_a: 9.81,
            cells_in_series: 36.0,
            alpha_isc_a_per_k: 0.005,
            beta_voc_v_per_k: -0.07,
        };
        let panel = Panel::new(fit(&label).unwrap(), Construction::Cells36);
        let array = Array {
            panels: vec![(panel.clone(), Vec::new()), (panel, Vec::new())],
            poa_w_m2: 1000.0,
            cell_c: 25.0,
            lead_ohm: 0.0,
            is_blocked: false,
        };
        let shade = Shade { size: 0.2, through: 0.1, ..Shade::default() };
        let found = both_ways(&array, &shade, Mounting::Portrait).unwrap();
        let winner = |pattern| found.iter().find(|row| row.pattern == pattern).unwrap().winner();
        assert_eq!(found.len(), Pattern::ALL.len() - 2);
        assert_eq!((winner(Pattern::Left), winner(Pattern::Whole)), (Some(Way::Series), Some(Way::Parallel)));
        assert!(found.iter().all(|row| row.series_above_w <= row.series_w * (1.0 + 1e-9)));
        let even = BothWays { parallel_w: found[0].series_w, ..found[0] };
        assert_eq!(even.winner(), None);
    }
}
