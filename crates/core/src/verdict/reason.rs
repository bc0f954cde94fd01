//! Why a reading does not count, why a test cannot tell, and what else is worth saying of a reading.

use super::finding::Finding;
use crate::measure::quantity::{Quantity, UnsteadyPolicy, ValueKind};
use crate::sky::note::SkyNote;

/// Why a reading is left out of a result, or a test cannot tell.
#[derive(Debug, Clone, PartialEq)]
pub enum Reason {
    /// The test has no reading yet.
    NoReadings,
    /// Neither volts and amps under load, nor watts.
    NoWatts,
    /// Nobody has read the label that the watts would be held against.
    NoLabel,
    /// The quantity that the runs have in common is not in this reading.
    NoQuantity,
    /// The watts are zero: nothing was connected, or the panel is dead.
    ZeroWatts,
    /// Nothing tells how strong the sun was.
    NoSun,
    /// The sun is to be worked out, and nobody said where the bench stands.
    NoPlace,
    /// No model gives the sun under such a sky.
    NoModel {
        note: SkyNote,
    },
    /// Nothing tells the cell temperature.
    NoCellTemperature,
    /// The label's coefficient would leave nothing at this temperature.
    Coefficient {
        per_k: f64,
        cell_c: f64,
    },
    /// The battery held the panel at its volts.
    FixedVoltage {
        v: Option<f64>,
    },
    /// The interval around the result is too wide to say anything.
    UncertaintyTooWide {
        u_percent: f64,
    },
    Found(Finding),
}

impl Reason {
    /// Left out of a rating, its figures are still those of the panel: only a slip, or what limits the load, makes them another's.
    pub fn leaves_the_figures(&self) -> bool {
        match self {
            Reason::Found(finding) => !matches!(
                finding,
                Finding::UnitSlip { .. } | Finding::OpenTimesShort { .. } | Finding::Capped { .. } | Finding::Throttled { .. }
            ),
            Reason::NoReadings
            | Reason::NoWatts
            | Reason::NoLabel
            | Reason::NoQuantity
            | Reason::ZeroWatts
            | Reason::NoSun
            | Reason::NoPlace
            | Reason::NoModel { .. }
            | Reason::NoCellTemperature
            | Reason::Coefficient { .. }
            | Reason::FixedVoltage { .. }
            | Reason::UncertaintyTooWide { .. } => true,
        }
    }

    /// Light or cell temperature are not known.
    pub fn is_missing_condition(&self) -> bool {
        matches!(self, Reason::NoSun | Reason::NoPlace | Reason::NoModel { .. } | Reason::NoCellTemperature)
    }

    /// The name over HTTP and in CSV.
    pub fn code(&self) -> &'static str {
        match self {
            Reason::NoReadings => "no_readings",
            Reason::NoWatts => "no_watts",
            Reason::NoLabel => "no_label",
            Reason::NoQuantity => "no_quantity",
            Reason::ZeroWatts => "zero_watts",
            Reason::NoSun => "no_sun",
            Reason::NoPlace => "no_place",
            Reason::NoModel { .. } => "no_model",
            Reason::NoCellTemperature => "no_cell_temperature",
            Reason::Coefficient { .. } => "coefficient",
            Reason::FixedVoltage { .. } => "not_tracking",
            Reason::UncertaintyTooWide { .. } => "too_unsure",
            Reason::Found(finding) => finding.code(),
        }
    }
}

/// Something to know about a reading that counts all the same.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Remark {
    /// Taken in another way than the test counts.
    OtherPolicy { quantity: Quantity, how: ValueKind, unsteady: UnsteadyPolicy },
    /// The instrument's watts and volts times amps are more than 3 % apart.
    WattsDisagree { power_w: f64, product_w: f64 },
}
