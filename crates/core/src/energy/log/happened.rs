//! What happened in a log: each event with its start, its end, what it cost, and the figures that show it.

use super::clear::{Limits, clear_stretches};
use super::events::{self, Told};
use super::grid::{Grid, Step};
use super::sky::SkyCourse;
use crate::constants::STC_CELL_C;
use crate::energy::planned::USUAL_GAMMA_PER_K;
use crate::measure::coverage::t_factor;
use crate::measure::quantity::Quantity;
use crate::named::named;
use std::collections::BTreeMap;

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
    /// Watts that the panel gives under a clear sky, step by step; all 0 where its strength is not known.
    pub in_clear_w: Vec<f64>,
    /// `None` with fewer than [`SOILING_DAYS`] clear days.
    pub soiling: Option<Soiling>,
}

/// Clear days that a trend takes.
pub const SOILING_DAYS: usize = 7;

/// Light below this is twilight: nothing is asked of the panel, W/m2.
pub const TWILIGHT_W_M2: f64 = 20.0;

/// The strength is read in light above this, W/m2.
const STRONG_W_M2: f64 = 150.0;

/// A healthy panel at work gives at least this share of its rating's watts for each W/m2. Below it an overcast day says nothing of the strength.
const LEAST_SHARE: f64 = 0.55;

/// and this share where the day says nothing. Common practice, no source: heat, dirt and wiring take 15 %.
const USUAL_SHARE: f64 = 0.85;

/// What the events are found in.
pub(super) struct Seen<'a> {
    pub grid: &'a Grid,
    pub sky: &'a SkyCourse,
    pub known: &'a Known,
    pub power: Vec<Option<Step>>,
    /// Measured in the plane, where it was.
    pub poa: Option<&'a [Option<Step>]>,
    /// W/m2 that fell, measured or else clear.
    pub light_w_m2: Vec<f64>,
    /// Watts the panel gives in that light.
    pub expected_w: Vec<f64>,
    /// Watts it gives under a clear sky.
    pub in_clear_w: Vec<f64>,
    pub is_clear: Vec<bool>,
}

impl Seen<'_> {
    pub fn watts(&self, step: usize) -> Option<f64> {
        self.power[step].map(|step| step.mean)
    }

    pub fn is_day(&self, step: usize) -> bool {
        self.sky.poa_w_m2[step] >= TWILIGHT_W_M2
    }

    pub fn lost_wh(&self, expected_w: &[f64], steps: std::ops::Range<usize>) -> f64 {
        let lost = steps.filter_map(|step| Some((expected_w[step] - self.watts(step)?).max(0.0)));
        lost.sum::<f64>() * self.grid.step_s / 3600.0
    }

    pub fn event(&self, kind: EventKind, steps: std::ops::Range<usize>, shown_by: ShownBy) -> Event {
        let half_s = self.grid.step_s / 2.0;
        let (from_s, to_s) = (self.grid.at_s(steps.start) - half_s, self.grid.at_s(steps.end - 1) + half_s);
        let lost_wh = match kind {
            EventKind::Clear | EventKind::Gap | EventKind::Wake | EventKind::Sleep => 0.0,
            EventKind::Cloud => self.lost_wh(&self.in_clear_w, steps),
            EventKind::Shade
            | EventKind::Clipping
            | EventKind::Throttled
            | EventKind::Asleep
            | EventKind::Hunting
            | EventKind::Snow => self.lost_wh(&self.expected_w, steps),
        };
        Event { kind, from_s, to_s, lost_wh, shown_by }
    }
}

/// What happened, from the steps of a log and the clear sky over them. Without watts only gaps and clear stretches of a measured irradiance are found.
pub fn happened(grid: &Grid, sky: &SkyCourse, known: &Known) -> Happened {
    let poa = grid.column(Quantity::Poa);
    let power = grid.power().map(<[_]>::to_vec).unwrap_or_else(|| vec![None; grid.steps]);
    let light_w_m2: Vec<f64> =
        (0..grid.steps).map(|step| poa.and_then(|poa| poa[step]).map_or(sky.poa_w_m2[step], |step| step.mean)).collect();
    let warmth: Vec<f64> = (0..grid.steps).map(|step| warmth(grid, light_w_m2[step], step, known)).collect();
    let at_25_c: Vec<f64> = light_w_m2.iter().zip(&warmth).map(|(light, warmth)| light * warmth).collect();
    let strength = strength(&power, (&light_w_m2, &at_25_c), known);
    let is_clear = match poa {
        Some(poa) => clear(grid, sky, poa.iter().map(|step| step.map(|step| step.mean))),
        None => match strength {
            Some(strength) => {
                clear(grid, sky, power.iter().zip(&warmth).map(|(step, warmth)| step.map(|step| step.mean / strength / warmth)))
            }
            None => vec![false; grid.steps],
        },
    };
    let watts_in =
        |light: &[f64]| light.iter().zip(&warmth).map(|(light, warmth)| strength.unwrap_or(0.0) * light * warmth).collect();
    let (expected_w, in_clear_w) = (watts_in(&light_w_m2), watts_in(&sky.poa_w_m2));
    let seen = Seen { grid, sky, known, power, poa, light_w_m2, expected_w, in_clear_w, is_clear };
    let mut told = Told::new(grid.steps);
    events::gaps(&seen, &mut told);
    if strength.is_some() {
        events::snow(&seen, &mut told);
        events::asleep(&seen, &mut told);
        events::hunting(&seen, &mut told);
        events::throttled(&seen, &mut told);
        events::clipping(&seen, &mut told);
        events::shade(&seen, &mut told);
        events::clouds(&seen, &mut told);
    }
    events::clear(&seen, &mut told);
    let mut found = told.events;
    found.sort_by(|a, b| a.from_s.total_cmp(&b.from_s).then(a.kind.cmp(&b.kind)));
    let soiling = soiling(&seen);
    Happened { events: found, is_clear: seen.is_clear, strength_w_per_w_m2: strength, in_clear_w: seen.in_clear_w, soiling }
}

/// A panel at work is warmer than the air by about 30 K at 1000 W/m2, and the air is not far from 25 C where panels work best. Common practice, no
/// source. Only the course over the day counts: the strength is read from the same log.
const WARMING_K_PER_W_M2: f64 = 0.03;

/// What warmth leaves of the watts: by the cell's temperature where it was logged, and else by the light.
fn warmth(grid: &Grid, light_w_m2: f64, step: usize, known: &Known) -> f64 {
    let gamma_per_k = known.gamma_per_k.unwrap_or(USUAL_GAMMA_PER_K);
    let over_k = match grid.mean(Quantity::Cell, step).or_else(|| grid.mean(Quantity::Back, step)) {
        Some(cell_c) => cell_c - STC_CELL_C,
        None => WARMING_K_PER_W_M2 * light_w_m2,
    };
    (1.0 + gamma_per_k * over_k).clamp(0.5, 1.3)
}

/// Watts for each W/m2 at 25 C: the ninth decile of the ratios in strong light, which a cloud, a limit or shade does not reach and an edge of a cloud does not
/// move. Where the whole day lies under half of what the rating gives, the day says nothing of it, and what is known of the panel stands.
fn strength(power: &[Option<Step>], (light_w_m2, at_25_c): (&[f64], &[f64]), known: &Known) -> Option<f64> {
    let mut ratios: Vec<f64> = power
        .iter()
        .zip(light_w_m2.iter().zip(at_25_c))
        .filter(|(_, (light, _))| **light > STRONG_W_M2)
        .filter_map(|(step, (_, at_25_c))| Some(step.as_ref()?.mean / at_25_c))
        .filter(|ratio| *ratio > 0.0)
        .collect();
    let stated = known.rated_w.map(|rated_w| rated_w / 1000.0);
    let usual = stated.map(|per| per * USUAL_SHARE);
    if ratios.len() < 10 {
        return usual;
    }
    let decile = ratios.len() * 9 / 10;
    let own = *ratios.select_nth_unstable_by(decile, f64::total_cmp).1;
    let least = stated.map(|per| per * LEAST_SHARE);
    Some(if least.is_some_and(|least| own < least) { usual.unwrap_or(own) } else { own })
}

fn clear(grid: &Grid, sky: &SkyCourse, measured: impl Iterator<Item = Option<f64>>) -> Vec<bool> {
    let measured: Vec<f64> = measured.map(|value| value.unwrap_or(f64::NAN)).collect();
    let interval_min = grid.step_s / 60.0;
    let limits = if interval_min > 1.0 { Limits::of_interval(interval_min) } else { Limits::PAPER };
    let mut is_clear = clear_stretches(&measured, &sky.poa_w_m2, interval_min, &limits).is_clear;
    for (step, clear) in is_clear.iter_mut().enumerate() {
        *clear &= sky.poa_w_m2[step] >= TWILIGHT_W_M2;
    }
    is_clear
}

/// The trend of the clear days' strength: the middle of the slopes between all pairs of days (Theil 1950, Sen 1968), with the interval of a straight
/// line's slope at the same scatter, taken from the median of the residuals (1.4826 of it is the standard deviation of a normal scatter).
fn soiling(seen: &Seen<'_>) -> Option<Soiling> {
    let mut days: BTreeMap<i64, Vec<f64>> = BTreeMap::new();
    for step in 0..seen.grid.steps {
        if seen.is_clear[step]
            && seen.light_w_m2[step] > 4.0 * STRONG_W_M2
            && let Some(watts) = seen.watts(step)
        {
            days.entry(seen.sky.solar_day[step]).or_default().push(watts / seen.expected_w[step]);
        }
    }
    let wanted = (3600.0 / seen.grid.step_s) as usize;
    let points: Vec<(f64, f64)> = days
        .into_iter()
        .filter(|(_, ratios)| ratios.len() >= wanted)
        .map(|(day, mut ratios)| {
            let middle = ratios.len() / 2;
            (day as f64, *ratios.select_nth_unstable_by(middle, f64::total_cmp).1)
        })
        .collect();
    if points.len() < SOILING_DAYS {
        return None;
    }
    let level = median(points.iter().map(|point| point.1).collect());
    let slopes = points.iter().enumerate().flat_map(|(nth, a)| points[nth + 1..].iter().map(move |b| (b.1 - a.1) / (b.0 - a.0)));
    let slope = median(slopes.collect());
    let offset = median(points.iter().map(|(day, value)| value - slope * day).collect());
    let scatter = 1.4826 * median(points.iter().map(|(day, value)| (value - offset - slope * day).abs()).collect());
    let count = points.len() as f64;
    let mean_day = points.iter().map(|point| point.0).sum::<f64>() / count;
    let spread = points.iter().map(|point| (point.0 - mean_day).powi(2)).sum::<f64>().sqrt();
    // The median slope of a normal scatter is 1.05 times as uncertain as the fitted one (Sen 1968: efficiency 0.91; from memory).
    let u = t_factor(0.95, count - 2.0) * 1.05 * scatter / spread;
    let percent = 100.0 / level;
    Some(Soiling { percent_per_day: slope * percent, u_percent_per_day: u * percent, days: points.len() })
}

fn median(mut values: Vec<f64>) -> f64 {
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f64::total_cmp).1
}
