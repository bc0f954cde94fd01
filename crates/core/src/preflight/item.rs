//! One finding of a preflight.

use crate::named::named;
use crate::panel::inspection::Defect;
use crate::rig::MeterPosition;

/// How grave a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Level {
    Ok,
    /// Nothing breaks, but the reading or the yield suffers, or a margin is thin.
    Caution,
    /// Something breaks, or somebody is hurt.
    Stop,
}

named!(Level {
    Ok = "ok", "ok";
    Caution = "caution", "caution";
    Stop = "stop", "stop";
});

/// A figure without which a check cannot be made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Missing {
    /// What the array is connected to.
    Load,
    /// The controller's maximum input voltage, against so many volts in the cold.
    InputVoltage { cold_v: f64 },
    /// The controller's maximum battery current.
    BatteryCurrent,
    /// The battery's capacity, or its maximum charge current.
    ChargeCurrent,
}

/// What was looked at, with its figures.
#[derive(Debug, Clone, PartialEq)]
pub enum Risk {
    /// Not checked, because a figure is not known.
    Unknown {
        missing: Missing,
    },
    /// A label says neither volts nor amps.
    LabelSilent {
        tag: String,
    },
    Worn {
        tag: String,
        wear: Defect,
    },
    /// Strings in parallel of unlike volts.
    UnlikeVolts {
        low_v: f64,
        high_v: f64,
    },
    /// Panels in series of unlike amps: the weakest sets the current.
    UnlikeAmps {
        low_a: f64,
        high_a: f64,
    },
    MeterVolts {
        cold_v: f64,
        voc_v: f64,
        limit_v: f64,
    },
    MeterVoltsUnknown {
        cold_v: f64,
    },
    /// `one_string_a` where the meter could sit at one string instead.
    MeterAmps {
        isc_a: f64,
        planned_a: f64,
        limit_a: f64,
        one_string_a: Option<f64>,
    },
    MeterWatts {
        watts_w: f64,
        limit_w: f64,
    },
    /// A clamp for alternating current on a panel.
    MeterShowsNoDc,
    JointVolts {
        cold_v: f64,
        limit_v: f64,
    },
    JointAmps {
        isc_a: f64,
        planned_a: f64,
        limit_a: f64,
        strings: usize,
    },
    FuseVolts {
        cold_v: f64,
        limit_v: f64,
    },
    /// A fuse smaller than what runs in bright light for hours.
    FuseSmall {
        needed_a: f64,
        rated_a: f64,
    },
    /// More than two strings in parallel, and nothing between them. `reverse_a` is what the others could push into one.
    NoStringFuse {
        strings: usize,
        reverse_a: f64,
    },
    LeadAmps {
        needed_a: f64,
        limit_a: f64,
    },
    LeadDrop {
        drop_v: f64,
        percent: f64,
    },
    InputVolts {
        cold_v: f64,
        voc_v: f64,
        limit_v: f64,
    },
    /// The controller's amps: it clips, and takes no harm.
    Clips {
        offered_a: f64,
        limit_a: f64,
        full_w: f64,
    },
    /// A controller that ties the panel to the battery has to carry the panel's amps.
    TiedAmps {
        planned_a: f64,
        limit_a: f64,
    },
    /// Volts that such a controller leaves unused, as percent of the panel's watts.
    TiedWaste {
        vmp_v: f64,
        battery_v: f64,
        percent: f64,
    },
    InputWatts {
        watts_w: f64,
        limit_w: f64,
    },
    /// Hot panels against what it takes to start and to go on.
    StartVolts {
        hot_vmp_v: f64,
        start_v: f64,
        run_v: f64,
    },
    /// A power station's lowest volts; `shaded_v` with a third of one panel bypassed.
    LowVolts {
        hot_vmp_v: f64,
        shaded_v: f64,
        min_v: f64,
        in_series: usize,
    },
    PortWatts {
        watts_w: f64,
        limit_w: f64,
    },
    PortAmps {
        isc_a: f64,
        limit_a: f64,
    },
    ChargeAmps {
        amps_a: f64,
        limit_a: f64,
        from_sheet: bool,
    },
    ChargeCold {
        coldest_c: f64,
        lowest_c: f64,
    },
    /// Too full to take what the panels give.
    NearlyFull {
        state_of_charge_percent: f64,
        tapers_from_percent: f64,
    },
}

/// A risk, where it is, and how grave.
#[derive(Debug, Clone, PartialEq)]
pub struct Item {
    pub level: Level,
    /// The piece of gear, by its name.
    pub what: String,
    pub spot: Option<MeterPosition>,
    pub risk: Risk,
}

impl Item {
    pub(super) fn new(level: Level, what: &str, spot: Option<MeterPosition>, risk: Risk) -> Self {
        Item { level, what: what.to_owned(), spot, risk }
    }

    /// What an acknowledgement of this very finding is kept under: any change of its figures makes it another one.
    pub fn key(&self) -> String {
        format!("{} {:?}", self.what, self.risk)
    }
}

/// Above `stop` a stop, above `caution` a caution.
pub(super) fn over(value: f64, caution: f64, stop: f64) -> Level {
    if value > stop {
        Level::Stop
    } else if value > caution {
        Level::Caution
    } else {
        Level::Ok
    }
}
