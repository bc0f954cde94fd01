//! What happened in a log: each event with its start, its end, what it cost, and the figures that show it.

use super::clear::{Limits, clear_stretches};
use super::cost;
use super::event::{Happened, Known, SOILING_DAYS, Soiling, TWILIGHT_W_M2};
use super::events::{self, Told};
use super::grid::{Grid, Step};
use super::seen::{STRONG_W_M2, Seen};
use super::shade;
use super::sky::SkyCourse;
use crate::constants::STC_CELL_C;
use crate::energy::planned::USUAL_GAMMA_PER_K;
use crate::measure::coverage::t_factor;
use crate::measure::quantity::Quantity;
use std::collections::BTreeMap;

/// A healthy panel at work gives at least this share of its rating's watts for each W/m2. Below it an overcast day says nothing of the
/// strength.
const LEAST_SHARE: f64 = 0.55;

/// and this share where the day says nothing. Common practice, no source: heat, dirt and wiring take 15 %.
const USUAL_SHARE: f64 = 0.85;

/// A decile of fewer ratios than this is that of a cloud.
const LEAST_RATIOS: usize = 10;

/// What happened, from the steps of a log and the clear sky over them. Without watts only gaps and clear stretches of a measured
/// irradiance are found.
pub fn happened(grid: &Grid, sky: &SkyCourse, known: &Known) -> Happened {
    let poa = grid.column(Quantity::Poa);
    let power = grid.power().map(<[_]>::to_vec).unwrap_or_else(|| vec![None; grid.steps]);
    let light_w_m2: Vec<f64> =
        (0..grid.steps).map(|step| poa.and_then(|poa| poa[step]).map_or(sky.poa_w_m2[step], |step| step.mean)).collect();
    let warmth: Vec<f64> = (0..grid.steps).map(|step| warmth(grid, light_w_m2[step], step, known)).collect();
    let at_25_c: Vec<f64> = light_w_m2.iter().zip(&warmth).map(|(light, warmth)| light * warmth).collect();
    let strength = strength(&power, (&light_w_m2, &at_25_c), known);
    let own = own_strength(&power, (&light_w_m2, &at_25_c));
    let of_rating = own.zip(known.rated_w).map(|(own, rated_w)| own * 1000.0 / rated_w);
    let seen_light: Vec<Option<f64>> = match (poa, strength) {
        (Some(poa), _) => poa.iter().map(|step| step.map(|step| step.mean)).collect(),
        (None, Some(strength)) => {
            power.iter().zip(&warmth).map(|(step, warmth)| step.map(|step| step.mean / strength / warmth)).collect()
        }
        (None, None) => vec![None; grid.steps],
    };
    let clear_w_m2 = own_clear_w_m2(&seen_light, sky);
    let is_clear = clear(grid, (sky, &clear_w_m2), &seen_light);
    let watts_in =
        |light: &[f64]| light.iter().zip(&warmth).map(|(light, warmth)| strength.unwrap_or(0.0) * light * warmth).collect();
    let (expected_w, in_clear_w) = (watts_in(&light_w_m2), watts_in(&clear_w_m2));
    let seen = Seen { grid, sky, known, power, poa, light_w_m2, expected_w, clear_w_m2, in_clear_w, is_clear };
    let mut told = Told::new(grid.steps);
    events::gaps(&seen, &mut told);
    if strength.is_some() {
        events::snow(&seen, &mut told);
        events::asleep(&seen, &mut told);
        events::hunting(&seen, &mut told);
        // Volts at a limit that is stated tell a full battery; at any other a flat top is told first.
        events::throttled(&seen, &mut told, true);
        events::clipping(&seen, &mut told);
        events::throttled(&seen, &mut told, false);
        shade::shade(&seen, &mut told);
        events::clouds(&seen, &mut told);
    }
    events::clear(&seen, &mut told);
    let mut found = cost::with_costs(&seen, told);
    found.sort_by(|a, b| a.from_s.total_cmp(&b.from_s).then(a.kind.cmp(&b.kind)));
    let soiling = soiling(&seen);
    Happened {
        events: found,
        is_clear: seen.is_clear,
        strength_w_per_w_m2: strength,
        of_rating,
        in_clear_w: seen.in_clear_w,
        soiling,
    }
}

/// A panel at work is warmer than the air by about 30 K at 1000 W/m2, and the air is not far from 25 C where panels work best. Common
/// practice, no source. Only the course over the day counts: the strength is read from the same log.
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

/// Watts for each W/m2 at 25 C: the ninth decile of the ratios in strong light, which a cloud, a limit or shade does not reach and an edge
/// of a cloud does not move. Where the whole day lies under half of what the rating gives, the day says nothing of it, and what is known
/// of the panel stands.
fn strength(power: &[Option<Step>], light: (&[f64], &[f64]), known: &Known) -> Option<f64> {
    let stated = known.rated_w.map(|rated_w| rated_w / 1000.0);
    let usual = stated.map(|per| per * USUAL_SHARE);
    let Some(own) = own_strength(power, light) else { return usual };
    let least = stated.map(|per| per * LEAST_SHARE);
    Some(if least.is_some_and(|least| own < least) { usual.unwrap_or(own) } else { own })
}

/// As the log itself shows it; `None` of less than ten steps in strong light.
fn own_strength(power: &[Option<Step>], (light_w_m2, at_25_c): (&[f64], &[f64])) -> Option<f64> {
    let mut ratios: Vec<f64> = power
        .iter()
        .zip(light_w_m2.iter().zip(at_25_c))
        .filter(|(_, (light, _))| **light > STRONG_W_M2)
        .filter_map(|(step, (_, at_25_c))| Some(step.as_ref()?.mean / at_25_c))
        .filter(|ratio| *ratio > 0.0)
        .collect();
    if ratios.len() < LEAST_RATIOS {
        return None;
    }
    Some(ninth_decile(&mut ratios))
}

/// Of at least one ratio: a cloud, a limit or shade does not reach it, and the edge of a cloud does not move it.
fn ninth_decile(ratios: &mut [f64]) -> f64 {
    let decile = ratios.len() * 9 / 10;
    *ratios.select_nth_unstable_by(decile, f64::total_cmp).1
}

/// The clear sky of a day is that of the model within this: turbidity that comes and goes, and the meter's own gain. Common practice, no
/// source.
const CLEAR_SCALE: std::ops::RangeInclusive<f64> = 0.78..=1.2;

/// The model's clear sky at the level of each day: its light as seen over the model's, at the ninth decile.
fn own_clear_w_m2(seen_light: &[Option<f64>], sky: &SkyCourse) -> Vec<f64> {
    let mut days: BTreeMap<i64, Vec<f64>> = BTreeMap::new();
    for (step, light) in seen_light.iter().enumerate().filter(|(step, _)| sky.poa_w_m2[*step] > 2.0 * STRONG_W_M2) {
        days.entry(sky.solar_day[step]).or_default().extend(light.map(|light| light / sky.poa_w_m2[step]));
    }
    let scale = |ratios: &mut Vec<f64>| ninth_decile(ratios).clamp(*CLEAR_SCALE.start(), *CLEAR_SCALE.end());
    let told = days.iter_mut().filter(|(_, ratios)| ratios.len() >= LEAST_RATIOS);
    let scales: BTreeMap<i64, f64> = told.map(|(day, ratios)| (*day, scale(ratios))).collect();
    let of = |(clear, day): (&f64, &i64)| clear * scales.get(day).copied().unwrap_or(1.0);
    sky.poa_w_m2.iter().zip(&sky.solar_day).map(of).collect()
}

fn clear(grid: &Grid, (sky, clear_w_m2): (&SkyCourse, &[f64]), seen_light: &[Option<f64>]) -> Vec<bool> {
    let measured: Vec<f64> = seen_light.iter().map(|light| light.unwrap_or(f64::NAN)).collect();
    let interval_min = grid.step_s / 60.0;
    let limits = if interval_min > 1.0 { Limits::of_interval(interval_min) } else { Limits::PAPER };
    let mut is_clear = clear_stretches(&measured, clear_w_m2, interval_min, &limits).is_clear;
    for (step, clear) in is_clear.iter_mut().enumerate() {
        *clear &= sky.poa_w_m2[step] >= TWILIGHT_W_M2;
    }
    is_clear
}

/// The trend of the clear days' strength: the middle of the slopes between all pairs of days (Theil 1950, Sen 1968), with the interval of
/// a straight line's slope at the same scatter, taken from the median of the residuals (1.4826 of it is the standard deviation of a normal
/// scatter).
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
