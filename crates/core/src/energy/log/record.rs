//! A log as the core judges it: what is known of it, and a day of its samples. Plain data, as a test's record is.

use super::event::Known;
use super::grid::Grid;
use super::samples::LogSamples;
use crate::sky::course::Site;
use crate::sky::plane::Plane;
use crate::window::Window;

/// Of a meter nobody said anything about, % of reading. Common practice, no source: in-line watt meters.
pub const USUAL_METER_PERCENT: f64 = 2.0;

/// Of an irradiance meter nobody said anything about, % of reading. Common practice, no source: hand-held reference cells.
pub const USUAL_POA_PERCENT: f64 = 5.0;

/// Days of a log that are looked through for what happened on one of them: shade that returns and soiling take several.
const MOST_DAYS: f64 = 62.0;

/// What is known of a log from what it belongs to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LogRecord {
    /// Where it was; `None`: no sun is worked out.
    pub site: Option<Site>,
    pub plane: Option<Plane>,
    /// Rated watts, their coefficient, and the limits of the gear behind them.
    pub known: Known,
    /// % of reading (95 %).
    pub watts_u_percent: f64,
    pub poa_u_percent: f64,
}

/// One day of a log: its own samples, and the steps of the days around it. No more of a log is ever in memory.
#[derive(Debug, Clone, PartialEq)]
pub struct LogDay {
    pub window: Window,
    pub samples: LogSamples,
    pub around: Grid,
}

impl LogDay {
    /// `steps`: of the whole log, of which those near the day are kept.
    pub fn new(window: Window, samples: LogSamples, steps: &Grid) -> Self {
        let reach_s = MOST_DAYS / 2.0 * 86_400.0;
        LogDay { window, samples, around: steps.between(window.from_s - reach_s, window.to_s + reach_s) }
    }
}
