//! Why a reading does not count, why a test cannot tell, and what else is worth saying of a reading.

use crate::measure::quantity::{How, Quantity, Wobble};
use crate::sky::note::SkyNote;

/// Why a reading is left out of a result, or a test cannot tell.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Reason {
    /// The test has no reading yet.
    NoReadings,
    /// Neither volts and amps under load, nor watts.
    NoWatts,
    /// The watts are zero: nothing was connected, or the panel is dead.
    ZeroWatts,
    /// Nothing tells how strong the sun was.
    NoSun,
    /// The sun is to be worked out, and nobody said where the bench stands.
    NoPlace,
    /// No model gives the sun under such a sky.
    NoModel { note: SkyNote },
    /// The sky was noted as one under which no rating can be tested.
    SkyNoted { note: SkyNote },
    /// Nothing tells how warm the cells were.
    NoWarmth,
    /// Less than [`crate::constants::RATING_MIN_POA_W_M2`].
    WeakSun { poa_w_m2: f64 },
    /// One step of the display is too much of the value.
    Coarse { quantity: Quantity, value: f64, step: f64 },
    /// Volts as high as Voc with amps as high as Isc: the two were read apart, and their product is no power.
    OpenTimesShort { voltage_v: f64, current_a: f64 },
    /// The label's coefficient would leave nothing at this temperature.
    Coefficient { per_k: f64, cell_c: f64 },
    /// Part of the panel lay in shade, which by the circuit takes this much.
    Shaded { lost_percent: f64 },
    /// Joined panels hold each other back by this much.
    HeldBack { lost_percent: f64 },
    /// The battery held the panel at its volts.
    Tied { v: Option<f64> },
    /// The watts are those that controller or port take at most.
    Capped { cap_w: f64 },
    /// The readings differ by more than the result is sure, and lead to different findings.
    Apart { spread_percent: f64, u_percent: f64 },
    /// The interval around the result is too wide to say anything.
    TooUnsure { u_percent: f64 },
}

/// Something to know about a reading that counts all the same.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Remark {
    /// Taken in another way than the test counts.
    OtherWobble { quantity: Quantity, how: How, wobble: Wobble },
    /// The instrument's watts and volts times amps are more than 3 % apart.
    WattsDisagree { power_w: f64, product_w: f64 },
    /// More sun than a clear sky gives: the edge of a cloud, or the meter.
    CloudEdge { poa_w_m2: f64 },
}
