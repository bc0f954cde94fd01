//! Where a load works on a curve, and what of it reaches the battery.

use crate::gear::controller::Controller;
use crate::panel::curve::{At, Curve};

/// What a panel or an array works into.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Load {
    /// A tracker that looks over the whole curve.
    Global,
    /// A tracker that comes down from open circuit and stays on the first hill.
    LocalTracking,
    /// Pulled to these volts.
    FixedVoltage {
        v: f64,
    },
    Resistor {
        ohm: f64,
    },
    Open,
    Short,
}

/// A first hill lower than this share of the one that follows it is only a step in the curve, not a hill to stay on.
const HILL_REL: f64 = 0.002;

impl Load {
    /// The working point.
    pub fn on(self, curve: &Curve) -> At {
        match self {
            Load::Global => curve.best(),
            Load::LocalTracking => {
                curve.local_maxima().into_iter().rfind(|hill| hill.w() > HILL_REL * curve.best().w()).unwrap_or_default()
            }
            Load::FixedVoltage { v } if v >= curve.open().v => curve.open(),
            Load::FixedVoltage { v } => At { v, i: curve.amps_at(v) },
            Load::Resistor { ohm } => {
                // V falls with the amps and V = R I rises: they meet once.
                let (mut low, mut high) = (0.0, curve.short().i.max(0.0));
                for _ in 0..100 {
                    let middle = (low + high) / 2.0;
                    if curve.volts_at(middle) > ohm * middle { low = middle } else { high = middle }
                }
                At { v: ohm * high, i: high }
            }
            Load::Open => curve.open(),
            Load::Short => curve.short(),
        }
    }
}

/// Why a controller gives what it gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ControllerState {
    Working,
    /// Its amps or watts are at their limit.
    Limited,
    /// The panel does not rise far enough above the battery.
    NotStarting,
    /// More volts than its input stands: it must not be connected.
    OverVolts,
}

/// A controller between panels and a battery.
#[derive(Debug, Clone, Copy)]
pub struct Charger<'a> {
    pub controller: &'a Controller,
    pub battery_v: f64,
    /// Amps that the battery takes at most.
    pub accepts_a: f64,
    /// A tracking one looks over the whole curve, instead of staying on the first hill from above.
    pub is_global: bool,
}

/// Where a controller holds the panels, and what reaches the battery.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Charging {
    pub panel: At,
    pub battery_v: f64,
    /// Into the battery, its own draw taken off; below 0 where it draws more than it gives.
    pub battery_a: f64,
    pub state: ControllerState,
}

impl Charging {
    pub fn battery_w(&self) -> f64 {
        self.battery_v * self.battery_a
    }
}

impl Charger<'_> {
    /// What it makes of a curve. `was_running`: it has started already, and needs less above the battery to go on.
    pub fn on(&self, curve: &Curve, was_running: bool) -> Charging {
        let Charger { controller, battery_v, .. } = *self;
        let idle = |state| Charging { panel: curve.open(), battery_v, battery_a: -controller.own_draw_asleep_a, state };
        if controller.max_input_v.is_some_and(|limit_v| curve.open().v > limit_v) {
            return Charging { battery_a: 0.0, ..idle(ControllerState::OverVolts) };
        }
        let most_a = controller.max_battery_a.unwrap_or(f64::INFINITY).min(self.accepts_a.max(0.0));
        if !controller.tracking {
            let panel = Load::FixedVoltage { v: battery_v }.on(curve);
            if panel.i <= 0.0 {
                return idle(ControllerState::NotStarting);
            }
            let (given_a, state) =
                if panel.i > most_a { (most_a, ControllerState::Limited) } else { (panel.i, ControllerState::Working) };
            let panel = At { v: panel.v, i: given_a };
            return Charging { panel, battery_v, battery_a: given_a - controller.own_draw_awake_a, state };
        }
        let starts = was_running || curve.open().v >= battery_v + controller.start_margin_v;
        let best = self.sought(curve, battery_v + controller.run_margin_v);
        if !starts || best.w() <= 0.0 {
            return idle(ControllerState::NotStarting);
        }
        let cap_w = controller.max_input_w.unwrap_or(f64::INFINITY).min(most_a * battery_v / controller.efficiency);
        let (panel, state) = if best.w() > cap_w {
            (up_the_curve(curve, best, cap_w), ControllerState::Limited)
        } else {
            (best, ControllerState::Working)
        };
        let battery_a = panel.w() * controller.efficiency / battery_v - controller.own_draw_awake_a;
        Charging { panel, battery_v, battery_a, state }
    }

    /// Where a tracker ends up that cannot go below `floor_v`: local_maxima under it are out of its reach, and their slope ends at it.
    fn sought(&self, curve: &Curve, floor_v: f64) -> At {
        let floor = if floor_v < curve.open().v { At { v: floor_v, i: curve.amps_at(floor_v) } } else { At::default() };
        let local_maxima = curve.local_maxima().into_iter().filter(|hill| hill.v >= floor_v);
        if self.is_global {
            return local_maxima.chain([floor]).max_by(|a, b| a.w().total_cmp(&b.w())).unwrap_or(floor);
        }
        let worth_w = HILL_REL * curve.best().w();
        local_maxima.rev().find(|hill| hill.w() > worth_w).unwrap_or(floor)
    }
}

/// The point above the best one at which the curve gives just these watts.
fn up_the_curve(curve: &Curve, best: At, watts_w: f64) -> At {
    let (mut low_v, mut high_v) = (best.v, curve.open().v);
    for _ in 0..80 {
        let v = (low_v + high_v) / 2.0;
        if v * curve.amps_at(v) > watts_w { low_v = v } else { high_v = v }
    }
    At { v: high_v, i: curve.amps_at(high_v) }
}

/// What readings on both sides of a controller show.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum TrackingFinding {
    /// Input well above the battery, and more amps out than in.
    Tracking { efficiency: f64 },
    /// Input volts at battery volts, input amps equal to output amps.
    NotTracking { efficiency: f64 },
    /// No amps to speak of.
    Standby,
    /// At its own amps.
    Clipped,
    /// Well below what the panel could give.
    Throttled { share: f64 },
    /// More out than in: a meter is wrong.
    Impossible { efficiency: f64 },
    /// Between the two: the meters do not tell.
    Unclear { efficiency: f64 },
}

/// Judges one pair of readings. `expected_w` is what the panel could give in this sun, where that is known.
pub fn in_and_out(in_at: At, out_at: At, controller: Option<&Controller>, expected_w: Option<f64>) -> TrackingFinding {
    if in_at.i < 0.05 && out_at.i < 0.05 {
        return TrackingFinding::Standby;
    }
    let efficiency = out_at.w() / in_at.w();
    if efficiency > 1.03 {
        return TrackingFinding::Impossible { efficiency };
    }
    if controller.and_then(|controller| controller.max_battery_a).is_some_and(|limit_a| out_at.i > 0.97 * limit_a) {
        return TrackingFinding::Clipped;
    }
    let (over, gain) = (in_at.v / out_at.v, out_at.i / in_at.i);
    // A tied panel sits a few tenths of a volt above its battery: the lead and the switch.
    if over < 1.05 && (0.9..1.04).contains(&gain) {
        return TrackingFinding::NotTracking { efficiency };
    }
    if let Some(share) = expected_w.map(|expected_w| in_at.w() / expected_w).filter(|share| *share < 0.7) {
        return TrackingFinding::Throttled { share };
    }
    if over > 1.08 && gain > 1.02 { TrackingFinding::Tracking { efficiency } } else { TrackingFinding::Unclear { efficiency } }
}

/// What a day brings and takes, for the question from which panel watts a controller pays.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayOfSun {
    /// kWh/m2 on the plane, which is hours of full sun.
    pub peak_sun_h: f64,
    /// Hours that a controller is awake; the rest of the day it sleeps. 0 to 24.
    pub daylight_h: f64,
}

/// What a controller draws for itself in a day, Wh.
pub fn own_draw_wh(controller: &Controller, battery_v: f64, day: DayOfSun) -> f64 {
    let awake_h = day.daylight_h.clamp(0.0, 24.0);
    (controller.own_draw_awake_a * awake_h + controller.own_draw_asleep_a * (24.0 - awake_h)) * battery_v
}

/// What it brings in a day for each rated watt of a panel whose best volts are `vmp_v`, Wh; nothing where they do not reach the
/// battery.
fn brings_wh_per_w(controller: &Controller, vmp_v: f64, battery_v: f64, day: DayOfSun) -> f64 {
    let share = match controller.tracking {
        true if vmp_v >= battery_v + controller.run_margin_v => controller.efficiency,
        false if vmp_v >= battery_v => battery_v / vmp_v,
        _ => 0.0,
    };
    day.peak_sun_h * share
}

/// Rated watts of panel from which a controller brings more in a day than it draws itself; `None` where it never does.
pub fn covers_itself_from_w(controller: &Controller, vmp_v: f64, battery_v: f64, day: DayOfSun) -> Option<f64> {
    let brings = brings_wh_per_w(controller, vmp_v, battery_v, day);
    (brings > 0.0).then(|| own_draw_wh(controller, battery_v, day) / brings)
}

/// Rated watts of panel from which tracking brings more in a day than tying, own draw of either taken off; 0 where it always does,
/// `None` where it never does.
pub fn tracking_pays_from_w(tracking: &Controller, tied: &Controller, vmp_v: f64, battery_v: f64, day: DayOfSun) -> Option<f64> {
    let brings = |controller: &Controller| brings_wh_per_w(controller, vmp_v, battery_v, day);
    let gained = brings(tracking) - brings(tied);
    let more_drawn_wh = own_draw_wh(tracking, battery_v, day) - own_draw_wh(tied, battery_v, day);
    (gained > 0.0).then(|| (more_drawn_wh / gained).max(0.0))
}

/// Batteries that are looked at side by side: nominal volts, and volts while they take a charge at about half full (13 V for each
/// 12 V nominal; common practice, no source).
pub const BATTERIES: [(f64, f64); 3] = [(12.0, 13.0), (24.0, 26.0), (48.0, 52.0)];
