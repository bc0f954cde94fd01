//! How a figure came about: its formula with what was put in, as the model that made it says.

use std::borrow::Cow;

/// A formula in one line, with what it was published in. It stands beside the function that computes it, and a test evaluates the text.
///
/// Written with `+ \u{2212} \u{d7} / ^ ( )`, `ln`, `exp`, `sqrt`, numbers and the symbols of its inputs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Formula {
    pub text: &'static str,
    pub source: &'static str,
}

/// One input.
#[derive(Debug, Clone, PartialEq)]
pub struct Given {
    pub symbol: Cow<'static, str>,
    pub value: f64,
    pub unit: &'static str,
    pub from: Cow<'static, str>,
}

impl Given {
    pub fn new(symbol: &'static str, value: f64, unit: &'static str, from: &'static str) -> Self {
        Given { symbol: Cow::Borrowed(symbol), value, unit, from: Cow::Borrowed(from) }
    }
}

/// One figure, opened.
#[derive(Debug, Clone, PartialEq)]
pub struct Derivation {
    pub name: Cow<'static, str>,
    pub value: f64,
    /// Half the width of its interval, where it has one.
    pub u: Option<f64>,
    pub unit: &'static str,
    /// The right-hand side; a text made for this figure where the number of inputs is its own.
    pub formula: Cow<'static, str>,
    pub source: &'static str,
    pub inputs: Vec<Given>,
}

impl Derivation {
    pub fn of(name: &'static str, formula: Formula, value: f64, unit: &'static str, inputs: Vec<Given>) -> Self {
        Derivation {
            name: Cow::Borrowed(name),
            value,
            u: None,
            unit,
            formula: Cow::Borrowed(formula.text),
            source: formula.source,
            inputs,
        }
    }
}
