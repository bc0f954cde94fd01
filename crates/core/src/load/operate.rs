//! Where a load works on a curve, and what of it reaches the battery.

use crate::gear::battery::charging_v;
use crate::gear::controller::Controller;
use crate::panel::curve::{At, Curve};

/// What a panel or an array works into.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Load {
    /// A tracker that looks over the whole curve.
    Global,
    /// A tracker that comes down from open circuit and stays on the first hill.
    FromAbove,
    /// Pulled to these volts.
    Tied {
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
            Load::FromAbove => curve.hills().into_iter().rfind(|hill| hill.w() > HILL_REL * curve.best().w()).unwrap_or_default(),
            Load::Tied { v } if v >= curve.open().v => curve.open(),
            Load::Tied { v } => At { v, i: curve.amps_at(v) },
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
pub enum State {
    Working,
    /// Its amps or watts are at their limit.
    Limited,
    /// The panel does not rise far enough above the battery.
    Asleep,
}

/// A controller between a curve and a battery.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Charging {
    pub panel: At,
    pub battery_v: f64,
    /// Into the battery, its own draw taken off; below 0 where it draws more than it gives.
    pub battery_a: f64,
    pub state: State,
}

impl Charging {
    pub fn battery_w(&self) -> f64 {
        self.battery_v * self.battery_a
    }
}

/// What a controller makes of a curve at a battery of these volts that accepts up to `accepts_a`. `was_running`: it has started
/// already, and needs less above the battery to go on. `is_global`: it looks over the whole curve.
pub fn charge(
    curve: &Curve,
    controller: &Controller,
    battery_v: f64,
    accepts_a: f64,
    was_running: bool,
    is_global: bool,
) -> Charging {
    let asleep = Charging { panel: curve.open(), battery_v, battery_a: -controller.own_draw_asleep_a, state: State::Asleep };
    let most_a = controller.max_battery_a.min(accepts_a.max(0.0));
    if !controller.tracking {
        let panel = Load::Tied { v: battery_v }.on(curve);
        if panel.i <= 0.0 {
            return asleep;
        }
        let (given_a, state) = if panel.i > most_a { (most_a, State::Limited) } else { (panel.i, State::Working) };
        return Charging {
            panel: At { v: panel.v, i: given_a },
            battery_v,
            battery_a: given_a - controller.own_draw_awake_a,
            state,
        };
    }
    let margin_v = if was_running { controller.run_margin_v } else { controller.start_margin_v };
    let best = if is_global { Load::Global } else { Load::FromAbove }.on(curve);
    let far_enough = if was_running { best.v } else { curve.open().v };
    if far_enough < battery_v + margin_v || best.w() <= 0.0 {
        return asleep;
    }
    let cap_w = controller.max_input_w.unwrap_or(f64::INFINITY).min(most_a * battery_v / controller.efficiency);
    let (panel, state) =
        if best.w() > cap_w { (up_the_curve(curve, best, cap_w), State::Limited) } else { (best, State::Working) };
    let battery_a = panel.w() * controller.efficiency / battery_v - controller.own_draw_awake_a;
    Charging { panel, battery_v, battery_a, state }
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
pub enum Finding {
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
pub fn in_and_out(in_at: At, out_at: At, controller: Option<&Controller>, expected_w: Option<f64>) -> Finding {
    if in_at.i < 0.05 && out_at.i < 0.05 {
        return Finding::Standby;
    }
    let efficiency = out_at.w() / in_at.w();
    if efficiency > 1.03 {
        return Finding::Impossible { efficiency };
    }
    if controller.is_some_and(|controller| out_at.i > 0.97 * controller.max_battery_a) {
        return Finding::Clipped;
    }
    let (over, gain) = (in_at.v / out_at.v, out_at.i / in_at.i);
    // A tied panel sits a few tenths of a volt above its battery: the lead and the switch.
    if over < 1.05 && (0.9..1.04).contains(&gain) {
        return Finding::NotTracking { efficiency };
    }
    if let Some(share) = expected_w.map(|expected_w| in_at.w() / expected_w).filter(|share| *share < 0.7) {
        return Finding::Throttled { share };
    }
    if over > 1.08 && gain > 1.02 { Finding::Tracking { efficiency } } else { Finding::Unclear { efficiency } }
}

/// From which panel watts a tracking controller pays against a tied one, for a panel of these volts at its best: where the watts
/// gained by tracking outweigh its greater own draw. `None` where it never does.
pub fn tracking_pays_from_w(vmp_v: f64, battery_v: f64, tracking: &Controller, tied: &Controller) -> Option<f64> {
    let per_watt_tracked = tracking.efficiency;
    let per_watt_tied = (battery_v / vmp_v).min(1.0);
    let gained = per_watt_tracked - per_watt_tied;
    let own_w = (tracking.own_draw_awake_a - tied.own_draw_awake_a).max(0.0) * battery_v;
    (gained > 0.0).then_some(own_w / gained)
}

/// The most watts that a controller lets into batteries of 12, 24 and 48 V.
pub fn full_watts(controller: &Controller) -> [(f64, f64); 3] {
    [12.0, 24.0, 48.0].map(|nominal_v| (nominal_v, controller.output_cap_w(charging_v(nominal_v))))
}
