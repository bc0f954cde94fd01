//! Temperature coefficients, kept in the unit the label uses.

use crate::decimal::{Decimal, DecimalError};

/// The unit a label states a coefficient in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CoefficientUnit {
    /// Percent of the value at STC for each kelvin.
    PercentPerK,
    /// The quantity's own unit (V, A or W) for each kelvin.
    OwnPerK,
}

/// A temperature coefficient as the label states it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Coefficient {
    pub value: f64,
    pub unit: CoefficientUnit,
}

/// Which quantity a coefficient belongs to; tells the units that may follow its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CoefficientOf {
    Isc,
    Voc,
    Pmax,
}

impl CoefficientOf {
    /// The unit of the quantity itself: A, V or W.
    pub fn own_unit(self) -> &'static str {
        match self {
            CoefficientOf::Isc => "A",
            CoefficientOf::Voc => "V",
            CoefficientOf::Pmax => "W",
        }
    }
}

/// Why a text is no coefficient. Prints as a sentence.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CoefficientError {
    #[error(transparent)]
    Number(#[from] DecimalError),
    #[error("\"{unit}\" is not a unit for this coefficient: use %/K, {own}/K or m{own}/K")]
    Unit { unit: String, own: &'static str },
}

impl Coefficient {
    /// Reads "-0.29 %/K", "-0,29 %/C", "-0.11 V/K" or "-110 mV/K". A number alone is percent per kelvin, the usual way
    /// labels state it. A difference of one kelvin and of one degree Celsius are the same.
    pub fn parse(text: &str, of: CoefficientOf) -> Result<Self, CoefficientError> {
        let text = text.trim();
        let number_ends = text.find(|c: char| !(c.is_ascii_digit() || "+-\u{2212}.,".contains(c))).unwrap_or(text.len());
        let (number, unit) = text.split_at(number_ends);
        let value = Decimal::parse(number)?.value();
        let own = of.own_unit();
        let unit = unit.trim();
        let plain = unit.to_lowercase().replace([' ', '\u{b0}'], "").replace("degc", "c");
        let numerator = plain.strip_suffix("/k").or_else(|| plain.strip_suffix("/c")).unwrap_or(&plain);
        let (value, unit) = match numerator {
            "" | "%" => (value, CoefficientUnit::PercentPerK),
            _ if numerator == own.to_lowercase() => (value, CoefficientUnit::OwnPerK),
            _ if numerator == format!("m{}", own.to_lowercase()) => (value / 1000.0, CoefficientUnit::OwnPerK),
            _ => return Err(CoefficientError::Unit { unit: unit.to_owned(), own }),
        };
        Ok(Coefficient { value, unit })
    }

    /// The relative change for each kelvin (1/K), given the quantity's value at STC. `None` where the label states the
    /// coefficient in the quantity's own unit and the value at STC is not known.
    pub fn relative_per_k(self, at_stc: Option<f64>) -> Option<f64> {
        match self.unit {
            CoefficientUnit::PercentPerK => Some(self.value / 100.0),
            CoefficientUnit::OwnPerK => at_stc.map(|at_stc| self.value / at_stc),
        }
    }

    /// As a label would print it; [`Coefficient::parse`] reads it back.
    pub fn as_text(self, of: CoefficientOf) -> String {
        match self.unit {
            CoefficientUnit::PercentPerK => format!("{} %/K", self.value),
            CoefficientUnit::OwnPerK => format!("{} {}/K", self.value, of.own_unit()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_way_a_label_says_it_is_read() {
        let percent = |text| Coefficient::parse(text, CoefficientOf::Voc).unwrap();
        for text in ["-0.29 %/K", "-0,29%/C", "\u{2212}0.29 %/\u{b0}C", "-0.29", "-0.29 %"] {
            assert_eq!(percent(text), Coefficient { value: -0.29, unit: CoefficientUnit::PercentPerK }, "{text}");
        }
        assert_eq!(percent("-110 mV/K"), Coefficient { value: -0.11, unit: CoefficientUnit::OwnPerK });
        assert_eq!(percent("-0.11 V/degC"), Coefficient { value: -0.11, unit: CoefficientUnit::OwnPerK });
    }

    #[test]
    fn the_wrong_unit_is_named_with_the_right_ones() {
        let error = Coefficient::parse("0.05 V/K", CoefficientOf::Isc).unwrap_err();
        assert_eq!(error.to_string(), "\"V/K\" is not a unit for this coefficient: use %/K, A/K or mA/K");
    }

    #[test]
    fn what_is_printed_reads_back_the_same() {
        for text in ["-0.29 %/K", "-0.11 V/K"] {
            assert_eq!(Coefficient::parse(text, CoefficientOf::Voc).unwrap().as_text(CoefficientOf::Voc), text);
        }
    }

    #[test]
    fn volts_per_kelvin_become_relative_through_voc() {
        let beta = Coefficient::parse("-0.11 V/K", CoefficientOf::Voc).unwrap();
        assert_eq!(beta.relative_per_k(Some(44.0)), Some(-0.0025));
        assert_eq!(beta.relative_per_k(None), None);
    }
}
