//! Figures opened for whoever wants to see how they came about: the core's derivations, as they are shown.

use crate::figures::{computed, number, with_u};
use flindo_core::derivation::{Derivation, Given};
use flindo_core::measure::budget::Budget;

/// One figure, opened.
pub struct OpenedDerivation {
    pub name: String,
    pub figure: String,
    pub formula: String,
    pub inputs: Vec<Input>,
    pub source: &'static str,
}

pub struct Input {
    pub name: String,
    pub value: String,
    pub from: String,
}

impl From<Derivation> for OpenedDerivation {
    fn from(of: Derivation) -> Self {
        let figure = match of.u {
            Some(u) => with_u(of.value, u, of.unit).to_string(),
            None => computed(of.value, of.unit).to_string(),
        };
        let inputs = of.inputs.into_iter().map(Input::from).collect();
        OpenedDerivation { name: of.name.into_owned(), figure, formula: of.formula.into_owned(), inputs, source: of.source }
    }
}

impl From<Given> for Input {
    fn from(of: Given) -> Self {
        let value = match of.unit {
            "" => number(of.value, 4),
            // Coefficients are read as percent.
            "1/K" => format!("{} %/K", number(of.value * 100.0, 3)),
            unit => computed(of.value, unit).to_string(),
        };
        Input { name: of.symbol.into_owned(), value, from: of.from.into_owned() }
    }
}

pub fn opened(steps: Vec<Derivation>) -> Vec<OpenedDerivation> {
    steps.into_iter().map(OpenedDerivation::from).collect()
}

/// One line of a budget as it is shown.
pub struct BudgetLine {
    pub label: &'static str,
    /// Expanded (k = 2), in percent of the result.
    pub u: String,
    /// Its share of the whole, in percent of the sum of squares; for the bar.
    pub share: u32,
}

/// A budget, the heaviest line first.
pub fn budget(budget: &Budget) -> Vec<BudgetLine> {
    let whole = budget.combined_rel().powi(2);
    let lines = budget.heaviest_first().into_iter().map(|part| BudgetLine {
        label: part.cause.label(),
        u: format!("\u{b1} {} %", number(200.0 * part.u_rel, 2)),
        share: (100.0 * part.u_rel.powi(2) / whole).round() as u32,
    });
    lines.collect()
}
