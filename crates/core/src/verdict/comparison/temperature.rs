//! Panels compared at one cell temperature: what a hot panel lacks beside a cool one says nothing about the panel.

use super::super::condition::Taken;
use super::compared::{Compared, value_of};
use super::method::{Method, RunTaken};
use crate::constants::STC_CELL_C;
use crate::measure::instrument::standard_from_limit;
use crate::measure::quantity::Quantity;
use crate::record::condition::Factor;
use crate::record::order::Order;
use crate::record::setup::Setup;

/// A probe put to one panel after the other repeats to this, as a limit, K. Common practice, no source. What it reads wrong on all of them
/// cancels.
pub(super) const THERMOMETER_REPEATS_K: f64 = 1.0;

/// Panels that share a frame, light and wind are this near to each other in cell temperature, as a limit, K, once they stood in the sun.
/// Common practice, no source: cells of one array differ by 2 to 3 K.
const PANELS_APART_K: f64 = 3.0;

/// How levels stand to their cell temperatures.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum CellTemperatures {
    /// The temperature belongs to what is asked: a tilt cools by its wind, a shade by its shadow.
    PartOfTheEffect,
    /// Each reading is brought to 25 C by its own.
    One(OneTemperature),
    /// Not read beside every reading: what panels are likely to differ is in the interval, as this standard uncertainty of each
    /// difference, a share.
    Unread { u_rel: f64 },
}

impl CellTemperatures {
    pub(super) fn of(runs: &[&RunTaken<'_>], method: &Method<'_>, compared: Compared) -> Self {
        if !is_of_panels(method.factor, method.order) || compared != Compared::Watts {
            return CellTemperatures::PartOfTheEffect;
        }
        let gamma_per_k = runs.iter().map(|run| run.gamma_per_k.abs()).fold(0.0, f64::max);
        let unread = CellTemperatures::Unread { u_rel: unread_u_rel(gamma_per_k) };
        OneTemperature::of(runs, method, compared).map_or(unread, CellTemperatures::One)
    }

    pub(super) fn one(self) -> Option<OneTemperature> {
        match self {
            CellTemperatures::One(one) => Some(one),
            CellTemperatures::PartOfTheEffect | CellTemperatures::Unread { .. } => None,
        }
    }

    pub(super) fn unread_u_rel(self) -> f64 {
        match self {
            CellTemperatures::Unread { u_rel } => u_rel,
            CellTemperatures::PartOfTheEffect | CellTemperatures::One(_) => 0.0,
        }
    }
}

/// Panels and rigs, whose temperature is no part of what is asked, where the watts of a moment are compared.
fn is_of_panels(factor: Factor, order: Order) -> bool {
    matches!(factor, Factor::Panel | Factor::Rig) && order != Order::Totals
}

/// The standard uncertainty of a difference of two panels whose temperatures nobody read, a share; `gamma_per_k` of the label, per K.
fn unread_u_rel(gamma_per_k: f64) -> f64 {
    standard_from_limit(PANELS_APART_K) * gamma_per_k.abs()
}

/// The temperature that every reading which counts has, by which each is brought to 25 C.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OneTemperature(Quantity);

impl OneTemperature {
    fn of(runs: &[&RunTaken<'_>], method: &Method<'_>, compared: Compared) -> Option<Self> {
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
