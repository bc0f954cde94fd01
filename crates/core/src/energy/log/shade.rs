//! Shade that returns at the same position of the sun each day.

use super::event::{EventKind, ShownBy};
use super::events::{ASLEEP_LIGHT_W_M2, DIMMED, Told, mean, split_free, steps_in, stretches};
use super::seen::Seen;
use std::collections::BTreeMap;
use std::ops::Range;

/// A dip comes back where it covers the same sun on as many days as this, and is missing on none of the others that were clear around it.
const SHADE_DAYS: usize = 2;

/// Azimuths are told apart by this, degrees, or by what the sun moves in a step; near noon of a summer day it passes bins by, which part
/// nothing.
const LEAST_BIN_DEG: f64 = 2.0;
const SUN_DEG_PER_S: f64 = 1.7 * 15.0 / 3600.0;

/// Shade that returns at the same position of the sun each day.
pub(super) fn shade(seen: &Seen<'_>, told: &mut Told) {
    let looks_dim = |step: usize| {
        told.is_free(step)
            && seen.is_day(step)
            && seen.light_w_m2[step] > ASLEEP_LIGHT_W_M2
            && seen.watts(step).is_some_and(|watts| watts < DIMMED * seen.expected_w[step])
    };
    let dimmed: Vec<bool> = (0..seen.grid.steps).map(looks_dim).collect();
    let is_dim = |step: usize| dimmed[step];
    let bin_deg = (seen.grid.step_s * SUN_DEG_PER_S).max(LEAST_BIN_DEG);
    let bin_of = |step: usize| (seen.sky.azimuth_deg[step] / bin_deg).floor() as i64;
    // By degrees of azimuth: on which days it is dim there, and on which it was seen to be bright.
    let mut dim: BTreeMap<i64, BTreeMap<i64, Vec<usize>>> = BTreeMap::new();
    let mut bright: BTreeMap<i64, BTreeMap<i64, usize>> = BTreeMap::new();
    for step in (0..seen.grid.steps).filter(|step| seen.is_day(*step) && seen.watts(*step).is_some()) {
        let (bin, day) = (bin_of(step), seen.sky.solar_day[step]);
        if is_dim(step) {
            dim.entry(bin).or_default().entry(day).or_default().push(step);
        } else if seen.watts(step).is_some_and(|watts| watts > 0.95 * seen.expected_w[step]) {
            *bright.entry(bin).or_default().entry(day).or_default() += 1;
        }
    }
    let returns = |bin: i64| {
        let days = dim.get(&bin).map_or(0, BTreeMap::len);
        let others = bright
            .get(&bin)
            .map_or(0, |days| days.keys().filter(|day| !dim.get(&bin).is_some_and(|dim| dim.contains_key(day))).count());
        days >= SHADE_DAYS && others == 0
    };
    let bins: Vec<i64> = dim.keys().copied().filter(|bin| returns(*bin)).collect();
    let mut bands: Vec<Range<i64>> = Vec::new();
    for bin in bins {
        match bands.last_mut() {
            Some(last) if (last.end..bin).all(|between| !bright.contains_key(&between)) => last.end = bin + 1,
            Some(_) | None => bands.push(bin..bin + 1),
        }
    }
    for band in bands {
        // At its edges a shade covers a bin on one day and not on the next.
        let in_band = |step: usize| (band.start - 1..band.end + 1).contains(&bin_of(step));
        let found: Vec<Range<usize>> = stretches(seen.grid.steps, 1, |step| is_dim(step) && in_band(step))
            .into_iter()
            .filter(|stretch| {
                stretch.len() >= steps_in(seen, 8.0, 2) && is_bright_beside(seen, stretch) && has_an_edge(seen, stretch)
            })
            .collect();
        let mut days: Vec<i64> = found.iter().map(|stretch| seen.sky.solar_day[stretch.start]).collect();
        days.dedup();
        if days.len() < SHADE_DAYS {
            continue;
        }
        let (from_deg, to_deg) = (band.start as f64 * bin_deg, band.end as f64 * bin_deg);
        let free: Vec<Range<usize>> = found.into_iter().flat_map(|stretch| split_free(told, stretch)).collect();
        for stretch in free {
            told.tell(seen, EventKind::Shade, stretch, ShownBy::SunAt { from_deg, to_deg, days: days.len() });
        }
    }
}

/// A shadow has an edge: what the panel gives falls by this much of the light's within so many minutes as it comes or goes. Haze, glass and a
/// model that is off bend the course over an hour. In less light than this, and under this elevation, nothing is told apart. Flindo's own limits.
const EDGE: f64 = 0.1;
const EDGE_MIN: f64 = 10.0;
const EDGE_DEG: f64 = 8.0;
const EDGE_LIGHT_W_M2: f64 = 200.0;

fn has_an_edge(seen: &Seen<'_>, stretch: &Range<usize>) -> bool {
    let wide = steps_in(seen, EDGE_MIN, 1);
    let near = |middle: usize| middle.saturating_sub(2 * wide)..(middle + wide).min(seen.grid.steps.saturating_sub(wide));
    let falls = |from: usize, to: usize| {
        let is_told = |step: usize| seen.sky.elevation_deg[step] > EDGE_DEG && seen.light_w_m2[step] > EDGE_LIGHT_W_M2;
        is_told(from) && is_told(to) && seen.share(from).zip(seen.share(to)).is_some_and(|(from, to)| from - to > EDGE)
    };
    near(stretch.start).any(|step| falls(step, step + wide)) || near(stretch.end).any(|step| falls(step + wide, step))
}

/// Whether the panel gave much more within the half hour before or after, and most of what the light gives: a whole grey day is no shade.
fn is_bright_beside(seen: &Seen<'_>, stretch: &Range<usize>) -> bool {
    let reach = steps_in(seen, 30.0, 3);
    let inside = mean(stretch.clone().filter_map(|step| seen.share(step))).unwrap_or(1.0);
    let is_bright = |step: usize| seen.share(step).is_some_and(|share| share > BRIGHT && share > inside + EDGE);
    (stretch.start.saturating_sub(reach)..stretch.start).any(is_bright)
        || (stretch.end..(stretch.end + reach).min(seen.grid.steps)).any(is_bright)
}

/// A clear day among clearer ones gives this share of their light.
const BRIGHT: f64 = 0.8;
