//! What can be found in a test, each with its evidence: the trap that readings, conditions, gear or preflight show.

use crate::measure::quantity::Quantity;
use crate::record::condition::Factor;
use crate::sky::note::SkyNote;
use std::collections::HashMap;

/// What limits the watts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Limit {
    /// Watts into a port or controller.
    InputPower,
    /// Amps into a port.
    InputCurrent,
    /// Amps of a controller into its battery, at the battery's real volts.
    OutputCurrent,
    /// Nothing that is known: the readings stay the same while the sun moves.
    FlatTop,
}

/// Why a point is not at its panel's maximum, or cannot be told from one that is not.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OffMaximum {
    /// Where the label's curve has its maximum at this light and temperature.
    pub vmp_v: f64,
    /// What the point has of the maximum of the sound panel that would give it, 0 to 1.
    pub share_rel: f64,
    /// Substrings out of so many, where a panel without them would have its maximum here and nothing that was read speaks against it.
    pub or_substrings_out: Option<(u32, u32)>,
}

/// One finding with its evidence.
#[derive(Debug, Clone, PartialEq)]
pub enum Finding {
    WeakSun {
        poa_w_m2: f64,
    },
    /// Noted, or seen in the scatter of readings: `times` their stated repeatability.
    SkyUnsteady {
        note: Option<SkyNote>,
        times: Option<f64>,
    },
    /// More than a clear sky gives at this hour on this plane.
    CloudEdge {
        poa_w_m2: f64,
        clear_w_m2: Option<f64>,
    },
    /// No sky can give this at this hour on this plane.
    SunImpossible {
        poa_w_m2: f64,
        clear_w_m2: f64,
    },
    /// The irradiance follows the horizontal, not the plane of the panel.
    SensorNotInPlane {
        poa_w_m2: f64,
        plane_w_m2: f64,
        horizontal_w_m2: f64,
    },
    /// Volts as high as Voc with amps as high as Isc: read one after the other, their product is no power.
    OpenTimesShort {
        voltage_v: Option<f64>,
        current_a: Option<f64>,
        watts_w: f64,
    },
    /// More watts than the panel's curve holds at this light and temperature, or volts and amps above it.
    NotAWorkingPoint {
        watts_w: f64,
        most_w: f64,
    },
    /// The value fits once it is taken times `factor`, or as degrees Fahrenheit (`factor` is then `None`).
    UnitSlip {
        quantity: Quantity,
        value: f64,
        likely: f64,
        factor: Option<f64>,
    },
    /// Volts and amps that fit the panel once they are exchanged.
    Exchanged {
        voltage_v: f64,
        current_a: f64,
    },
    /// Amps beside next to no volts: a short circuit, or the leads of the volts are off.
    NoVolts {
        voltage_v: f64,
        current_a: f64,
    },
    /// The volts are not those of the maximum of any panel that could have given this point; see [`super::maximum`].
    NotAtMaximum {
        voltage_v: f64,
        current_a: f64,
        off: OffMaximum,
    },
    TooCoarse {
        quantity: Quantity,
        value: f64,
        step: f64,
    },
    Capped {
        watts_w: f64,
        limit_w: Option<f64>,
        by: Limit,
    },
    /// `state_of_charge_percent` of the battery; or the share of what the panel could give.
    Throttled {
        state_of_charge_percent: Option<f64>,
        share: Option<f64>,
    },
    /// Input at the battery's volts, amps passed through; or known from the controller's own sheet.
    NotTracking {
        input_v: f64,
        battery_v: f64,
        efficiency: Option<f64>,
    },
    ControllerAsleep {
        hot_vmp_v: Option<f64>,
        start_v: Option<f64>,
    },
    /// More out of a controller than went in.
    OverUnity {
        efficiency: f64,
    },
    SubstringOut {
        out: u32,
        out_to: u32,
        of: u32,
        voc_percent: f64,
    },
    WeakCurrent {
        isc_percent: f64,
    },
    HighResistance {
        fill_percent: f64,
    },
    /// Of what the label allows at this light and temperature.
    WrongLabel {
        voc_percent: Option<f64>,
        isc_percent: Option<f64>,
    },
    NoOutput {
        voc_percent: Option<f64>,
        watts_percent: Option<f64>,
    },
    /// Light on the rear of a bifacial panel; `None` where nobody read it.
    RearLight {
        rear_w_m2: Option<f64>,
        bifaciality: Option<f64>,
    },
    /// By the conditions of the run.
    Shaded {
        lost_percent: f64,
    },
    /// Under load it falls short of its own Voc and Isc as a panel does that is partly shaded, or has a weak cell.
    ShadedUnderLoad {
        lost_percent: f64,
    },
    Mismatch {
        lost_percent: Option<f64>,
    },
    TwoChanges {
        factors: Vec<Factor>,
    },
    Unbracketed {
        minutes: f64,
    },
    NotSettled {
        after_s: f64,
        settle_s: f64,
    },
    /// Runs of one level are further apart than their set-up explains: `times` its standard uncertainty.
    SetUpScatter {
        times: f64,
    },
    /// Ten times, or a tenth of, what it was in its run.
    Tenfold {
        quantity: Quantity,
        value: f64,
        usual: f64,
    },
    /// Far from the other readings of its own run.
    OutOfPattern {
        quantity: Quantity,
        value: f64,
        usual: f64,
    },
    /// The display wandered further than a settled load does.
    Varied {
        quantity: Quantity,
        percent: f64,
    },
    /// Amps of a panel (or its Isc) say nothing of the volts that a bypassed substring loses.
    AmpsAlone {
        quantity: Quantity,
    },
    /// Visible damage that forbids the test.
    Damage,
    /// The crossover is half done: the panels are to be exchanged.
    Exchange,
}

impl Finding {
    /// It can only have made the watts fewer than the panel's own.
    pub fn lowers_watts(&self) -> bool {
        matches!(
            self,
            Finding::Capped { .. } | Finding::Throttled { .. } | Finding::NotTracking { .. } | Finding::ControllerAsleep { .. }
        )
    }

    /// It can only have made them more.
    pub fn raises_watts(&self) -> bool {
        matches!(self, Finding::RearLight { .. })
    }

    /// The name over HTTP and in CSV.
    pub fn code(&self) -> &'static str {
        match self {
            Finding::WeakSun { .. } => "weak_sun",
            Finding::SkyUnsteady { .. } => "sky_unsteady",
            Finding::CloudEdge { .. } => "cloud_edge",
            Finding::SunImpossible { .. } => "sun_impossible",
            Finding::SensorNotInPlane { .. } => "sensor_not_in_plane",
            Finding::OpenTimesShort { .. } => "open_times_short",
            Finding::NotAWorkingPoint { .. } | Finding::NoVolts { .. } => "not_a_working_point",
            Finding::UnitSlip { .. } | Finding::Tenfold { .. } | Finding::Exchanged { .. } => "unit_slip",
            Finding::NotAtMaximum { .. } => "not_at_maximum",
            Finding::TooCoarse { .. } => "too_coarse",
            Finding::Capped { .. } => "capped",
            Finding::Throttled { .. } => "throttled",
            Finding::NotTracking { .. } => "not_tracking",
            Finding::ControllerAsleep { .. } => "controller_asleep",
            Finding::OverUnity { .. } => "over_unity",
            Finding::SubstringOut { .. } => "substring_out",
            Finding::WeakCurrent { .. } => "weak_current",
            Finding::HighResistance { .. } => "high_resistance",
            Finding::WrongLabel { .. } => "wrong_label",
            Finding::NoOutput { .. } => "no_output",
            Finding::RearLight { .. } => "rear_light",
            Finding::Shaded { .. } | Finding::ShadedUnderLoad { .. } => "shaded",
            Finding::Mismatch { .. } => "mismatch",
            Finding::TwoChanges { .. } => "two_changes",
            Finding::Unbracketed { .. } => "unbracketed",
            Finding::NotSettled { .. } | Finding::Varied { .. } => "not_settled",
            Finding::SetUpScatter { .. } => "set_up_scatter",
            Finding::OutOfPattern { .. } => "out_of_pattern",
            Finding::AmpsAlone { .. } => "amps_alone",
            Finding::Damage => "damage",
            Finding::Exchange => "exchange",
        }
    }
}

/// What a finding does to the verdict.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Effect {
    /// The reading does not count.
    LeftOut,
    /// The interval is wider for it.
    Widens,
    /// The level gives at least what was read.
    Bounds,
    /// No verdict while it stands.
    Forbids,
    Told,
}

/// A finding where it was found; its effect is of the table in [`super::effect`].
#[derive(Debug, Clone, PartialEq)]
pub struct Named {
    pub finding: Finding,
    pub effect: Effect,
    /// Of the plan; `None`: of the whole test.
    pub level: Option<usize>,
    pub reading_uid: Option<String>,
}

/// The findings that leave a reading out, by its identity.
pub(super) fn left_out_by_uid(named: &[Named]) -> HashMap<String, Vec<Named>> {
    let mut found: HashMap<String, Vec<Named>> = HashMap::new();
    for one in named.iter().filter(|one| one.effect == Effect::LeftOut) {
        if let Some(uid) = &one.reading_uid {
            found.entry(uid.clone()).or_default().push(one.clone());
        }
    }
    found
}
