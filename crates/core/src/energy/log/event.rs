//! What can happen in a log: the kinds of event, what shows one, and all that was found.

use crate::measure::quantity::Quantity;
use crate::named::named;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum EventKind {
    Clear,
    Cloud,
    Shade,
    Clipping,
    Throttled,
    Wake,
    Sleep,
    Asleep,
    Hunting,
    Snow,
    Gap,
}

named!(EventKind {
    Clear = "clear", "clear sky";
    Cloud = "cloud", "clouds";
    Shade = "shade", "recurring shade";
    Clipping = "clipping", "clipping";
    Throttled = "throttled", "battery full, output reduced";
    Wake = "wake", "controller starts";
    Sleep = "sleep", "controller stops";
    Asleep = "asleep", "controller off in light";
    Hunting = "hunting", "tracker hunting";
    Snow = "snow", "snow on the panel";
    Gap = "gap", "no samples";
});

/// One event. A wake or a sleep is a moment: `from_s` is `to_s`.
#[derive(Debug, Clone, PartialEq)]
pub struct Event {
    pub kind: EventKind,
    pub from_s: f64,
    pub to_s: f64,
    /// Against what the panel gives in this light, Wh; 0 where nothing was lost.
    pub lost_wh: f64,
    /// Half its 95 % interval.
    pub u_lost_wh: f64,
    pub shown_by: ShownBy,
}

/// The figure that shows an event.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ShownBy {
    /// Of what a clear sky gives, percent.
    ShareOfClear(f64),
    /// Level of the flat top, watts or amps, and how much more the sky rose to, percent of the level.
    FlatTop {
        quantity: Quantity,
        level: f64,
        sky_over_percent: f64,
        limit: Limit,
    },
    /// Volts that stood still while watts fell.
    ChargeVolts {
        volts_v: f64,
        limit_known: bool,
    },
    /// Volts of the panel at that moment, where they were logged.
    Volts(Option<f64>),
    /// Azimuth of the sun over which it came back, and on how many days.
    SunAt {
        from_deg: f64,
        to_deg: f64,
        days: usize,
    },
    /// How far it swings, percent of the mean.
    Swing(f64),
    /// What tells snow from a cloud.
    Snow {
        light_w_m2: Option<f64>,
        air_c: Option<f64>,
    },
    Nothing,
}

/// What a flat top stands at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Limit {
    /// The controller's stated amps into the battery.
    ControllerAmps,
    /// The stated watts of port, inverter or input.
    Watts,
    /// None that is known of the rig.
    NotKnown,
}

/// What is known of what was logged.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Known {
    /// W; `None`: not known.
    pub rated_w: Option<f64>,
    /// 1/K of the rated power; `None`: that of most silicon.
    pub gamma_per_k: Option<f64>,
    /// Most watts of port, inverter or input.
    pub most_w: Option<f64>,
    /// Most amps of the controller into the battery.
    pub most_output_a: Option<f64>,
    /// Volts at which the battery counts as full.
    pub charge_limit_v: Option<f64>,
}

/// A trend of the clear days.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Soiling {
    /// Percent a day, negative where it falls, with its 95 % interval.
    pub percent_per_day: f64,
    pub u_percent_per_day: f64,
    pub days: usize,
}

impl Soiling {
    /// Claimed where the whole interval falls.
    pub fn is_shown(&self) -> bool {
        self.percent_per_day + self.u_percent_per_day < 0.0
    }
}

/// All that was found.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Happened {
    /// In order of time.
    pub events: Vec<Event>,
    pub is_clear: Vec<bool>,
    /// Watts for each W/m2 in the plane with the cells at 25 C, from the log's own clear light; `None` where nothing of the log says it.
    pub strength_w_per_w_m2: Option<f64>,
    /// The log's own strength as times that of the label; `None` where the label or strong light is missing.
    pub of_rating: Option<f64>,
    /// Watts that the panel gives under the clear sky of these days, step by step; all 0 where its strength is not known.
    pub in_clear_w: Vec<f64>,
    /// `None` with fewer than [`SOILING_DAYS`] clear days.
    pub soiling: Option<Soiling>,
}

/// Clear days that a trend takes.
pub const SOILING_DAYS: usize = 7;

/// Light below this is twilight: nothing is asked of the panel, W/m2.
pub const TWILIGHT_W_M2: f64 = 20.0;
