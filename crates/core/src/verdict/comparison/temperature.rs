//! Panels compared at one cell temperature: what a hot panel lacks beside a cool one says nothing about the panel.

use super::super::condition::Taken;
use super::compared::{Compared, value_of};
use super::method::{Method, RunTaken};
use crate::constants::STC_CELL_C;
use crate::measure::quantity::Quantity;
use crate::record::condition::Factor;
use crate::record::order::Order;
use crate::record::setup::Setup;

/// A probe put to one panel after the other repeats to this, as a limit, K. Common practice, no source. What it reads wrong on all of them
/// cancels.
pub(super) const THERMOMETER_REPEATS_K: f64 = 1.0;

/// The temperature that every reading which counts has, by which each is brought to 25 C.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OneTemperature(Quantity);

impl OneTemperature {
    /// For panels and rigs, whose temperature is no part of what is asked, where the watts of a moment are compared. A tilt cools by its
    /// wind, a shade by its shadow: there the temperature belongs to the effect.
    pub(super) fn of(runs: &[&RunTaken<'_>], method: &Method<'_>, compared: Compared) -> Option<Self> {
        let is_of_panels = matches!(method.factor, Factor::Panel | Factor::Rig) && method.order != Order::Totals;
        if !is_of_panels || compared != Compared::Watts {
            return None;
        }
        let has_all = |quantity: Quantity| {
            runs.iter()
                .flat_map(|run| &run.readings)
                .filter(|taken| value_of(compared, taken.figures, method.setup).is_some())
                .all(|taken| taken.figures.get(quantity).is_some())
        };
        [Quantity::Cell, Quantity::Back].into_iter().find(|quantity| has_all(*quantity)).map(OneTemperature)
    }

    /// What the temperature leaves of the watts at 25 C, by the panel's own coefficient; `None` where the label's straight line would leave
    /// next to nothing.
    pub(super) fn factor(self, taken: &Taken<'_>, gamma_per_k: f64, setup: &Setup) -> Option<f64> {
        let read_c = taken.figures.value(self.0, setup.unsteady)?;
        Some(1.0 + gamma_per_k * (read_c - STC_CELL_C)).filter(|factor| *factor > 0.2)
    }
}
