//! How each event is found. They are asked in the order of [`super::happened`]: what one has told of a step, a later one does not tell
//! again.

use super::event::{Event, EventKind, Known, Limit, ShownBy};
use super::grid::Step;
use super::seen::Seen;
use crate::measure::quantity::Quantity;
use std::collections::BTreeMap;
use std::ops::Range;

/// What was told so far.
pub(super) struct Told {
    /// Each with the steps that it cost something in.
    pub events: Vec<(Event, Range<usize>)>,
    taken: Vec<bool>,
    is_clear: Vec<bool>,
}

impl Told {
    pub fn new(steps: usize) -> Self {
        Told { events: Vec::new(), taken: vec![false; steps], is_clear: vec![false; steps] }
    }

    pub fn tell(&mut self, seen: &Seen<'_>, kind: EventKind, steps: Range<usize>, shown_by: ShownBy) {
        self.taken[steps.clone()].fill(true);
        if kind == EventKind::Clear {
            self.is_clear[steps.clone()].fill(true);
        }
        self.events.push((seen.event(kind, &steps, shown_by), steps));
    }

    /// Nothing but a clear sky was told of it.
    pub fn is_free_or_clear(&self, step: usize) -> bool {
        !self.taken[step] || self.is_clear[step]
    }

    pub fn is_free(&self, step: usize) -> bool {
        !self.taken[step]
    }
}

/// Stretches of steps for which something holds, those apart by at most `hole` joined.
pub(super) fn stretches(steps: usize, hole: usize, holds: impl Fn(usize) -> bool) -> Vec<Range<usize>> {
    let mut found: Vec<Range<usize>> = Vec::new();
    for step in (0..steps).filter(|step| holds(*step)) {
        match found.last_mut() {
            Some(last) if step - last.end <= hole => last.end = step + 1,
            Some(_) | None => found.push(step..step + 1),
        }
    }
    found
}

/// Steps in so many minutes, at least `least`.
pub(super) fn steps_in(seen: &Seen<'_>, minutes: f64, least: usize) -> usize {
    ((minutes * 60.0 / seen.grid.step_s).round() as usize).max(least)
}

pub(super) fn mean(values: impl Iterator<Item = f64>) -> Option<f64> {
    let (sum, count) = values.fold((0.0, 0.0), |(sum, count), value| (sum + value, count + 1.0));
    (count > 0.0).then(|| sum / count)
}

fn highest(values: impl Iterator<Item = f64>) -> f64 {
    values.fold(f64::NEG_INFINITY, f64::max)
}

/// Steps of the day without samples, within the log.
pub(super) fn gaps(seen: &Seen<'_>, told: &mut Told) {
    let first = (0..seen.grid.steps).find(|step| seen.power[*step].is_some());
    let last = (0..seen.grid.steps).rfind(|step| seen.power[*step].is_some());
    let (Some(first), Some(last)) = (first, last) else { return };
    let is_gap = |step: usize| step > first && step < last && seen.is_day(step) && seen.power[step].is_none();
    for gap in stretches(seen.grid.steps, 0, is_gap) {
        told.tell(seen, EventKind::Gap, gap, ShownBy::Nothing);
    }
}

/// Under so much of what the light gives the panel lies under something, or its controller is off.
const NEARLY_NOTHING: f64 = 0.02;

/// Snow lets little through and slides off within the hour. It is told from a dark sky by the light beside it, or by frost. Common
/// practice, no source.
const SNOW_SHARE: f64 = 0.15;
const SNOW_LIGHT_W_M2: f64 = 200.0;
const SNOW_AIR_C: f64 = 3.0;

pub(super) fn snow(seen: &Seen<'_>, told: &mut Told) {
    let lies_under = |step: usize| seen.watts(step).is_some_and(|watts| watts < SNOW_SHARE * seen.expected_w[step]);
    let is_low = |step: usize| told.is_free(step) && seen.light_w_m2[step] > SNOW_LIGHT_W_M2 && lies_under(step);
    for stretch in stretches(seen.grid.steps, steps_in(seen, 10.0, 1), is_low) {
        if stretch.len() < steps_in(seen, 30.0, 3) {
            continue;
        }
        let air_c = mean(stretch.clone().filter_map(|step| seen.grid.mean(Quantity::Air, step)));
        let light_w_m2 = seen.poa.and_then(|poa| mean(stretch.clone().filter_map(|step| poa[step].map(|step| step.mean))));
        let is_frost = air_c.is_some_and(|air_c| air_c < SNOW_AIR_C);
        // A controller that is off shows open volts or none; light through snow gives some watts.
        let watts_share =
            mean(stretch.clone().filter_map(|step| Some(seen.watts(step)? / seen.expected_w[step].max(1e-9)))).unwrap_or(0.0);
        let slides_off = (stretch.end..(stretch.end + steps_in(seen, 60.0, 4)).min(seen.grid.steps))
            .any(|step| seen.watts(step).is_some_and(|watts| watts > 0.5 * seen.expected_w[step]));
        // Snow lies from the first light on; what comes after hours of sun is a limit, or a full battery.
        let day = seen.sky.solar_day[stretch.start];
        let gave_before = (0..stretch.start)
            .rev()
            .take_while(|step| seen.sky.solar_day[*step] == day)
            .any(|step| seen.is_day(step) && seen.watts(step).is_some_and(|watts| watts > 0.5 * seen.expected_w[step]));
        if gave_before {
            continue;
        }
        let is_snow = is_frost && (light_w_m2.is_some() || slides_off)
            || light_w_m2.is_some() && air_c.is_none() && slides_off && watts_share > 0.001;
        if is_snow {
            let first = (0..stretch.start)
                .rev()
                .take_while(|step| seen.is_day(*step) && lies_under(*step))
                .last()
                .unwrap_or(stretch.start);
            // What still lies on it while it slides off is snow too.
            let slides = (stretch.end..(stretch.end + steps_in(seen, 60.0, 4)).min(seen.grid.steps))
                .take_while(|step| seen.share(*step).is_some_and(|share| share < DIMMED));
            let stretch = first..slides.last().map_or(stretch.end, |last| last + 1);
            told.tell(seen, EventKind::Snow, stretch, ShownBy::Snow { light_w_m2, air_c });
        }
    }
}

/// A controller that has light enough for this and gives nothing is off, W/m2 and minutes.
pub(super) const ASLEEP_LIGHT_W_M2: f64 = 100.0;
const ASLEEP_MIN: f64 = 10.0;

/// Wake and sleep of each day with their volts, and times in the light at which nothing comes.
pub(super) fn asleep(seen: &Seen<'_>, told: &mut Told) {
    let works = |step: usize| {
        seen.watts(step)
            .is_some_and(|watts| watts > NEARLY_NOTHING * seen.expected_w[step].max(seen.known.rated_w.unwrap_or(0.0) / 20.0))
    };
    let mut days: BTreeMap<i64, Vec<usize>> = BTreeMap::new();
    for step in (0..seen.grid.steps).filter(|step| seen.is_day(*step)) {
        days.entry(seen.sky.solar_day[step]).or_default().push(step);
    }
    let mut before_and_after: Vec<Range<usize>> = Vec::new();
    let volts = |step: usize| seen.grid.mean(Quantity::Voltage, step).or_else(|| seen.grid.mean(Quantity::Voc, step));
    for steps in days.values() {
        let (Some(first), Some(last)) = (steps.iter().find(|step| works(**step)), steps.iter().rfind(|step| works(**step)))
        else {
            continue;
        };
        // The log has to hold the dark beside it, or what was before is not known.
        if steps[0] < *first && seen.watts(first - 1).is_some() {
            let wake =
                seen.event(EventKind::Wake, &(*first..first + 1), ShownBy::Volts(volts(first - 1).or_else(|| volts(*first))));
            told.events.push((Event { to_s: wake.from_s, ..wake }, steps[0]..*first));
            before_and_after.push(steps[0]..*first);
        }
        if let Some(end) = steps.last().filter(|end| *end > last && seen.watts(last + 1).is_some()) {
            let sleep = seen.event(EventKind::Sleep, &(*last..last + 1), ShownBy::Volts(volts(*last)));
            told.events.push((Event { from_s: sleep.to_s, ..sleep }, last + 1..end + 1));
            before_and_after.push(last + 1..end + 1);
        }
    }
    let is_off = |step: usize| {
        told.is_free(step)
            && seen.light_w_m2[step] > ASLEEP_LIGHT_W_M2
            && seen.watts(step).is_some_and(|watts| watts < NEARLY_NOTHING * seen.expected_w[step])
    };
    for stretch in stretches(seen.grid.steps, 0, is_off) {
        if stretch.len() >= steps_in(seen, ASLEEP_MIN, 2) {
            let volts_v = mean(stretch.clone().filter_map(volts));
            told.tell(seen, EventKind::Asleep, stretch, ShownBy::Volts(volts_v));
        }
    }
    // What a start and a stop cost is told with them.
    for stretch in before_and_after {
        told.taken[stretch].fill(true);
    }
}

/// A swing of more than this, percent of the mean, that goes on evenly for so long, is the tracker's. Clouds swing unevenly.
const SWING_PERCENT: f64 = 2.5;
const HUNTING_MIN: f64 = 20.0;
const EVENNESS: f64 = 4.0;

/// A tracker swings within seconds to minutes: a log that is slower than this cannot show it, s.
const SHOWS_SWINGS_S: f64 = 120.0;

pub(super) fn hunting(seen: &Seen<'_>, told: &mut Told) {
    if seen.grid.step_s > SHOWS_SWINGS_S {
        return;
    }
    let swings: Vec<Option<f64>> =
        (0..seen.grid.steps).map(|step| if told.is_free(step) { swing_percent(seen, step) } else { None }).collect();
    let width = steps_in(seen, HUNTING_MIN, 6);
    let mut in_one = vec![false; seen.grid.steps];
    for first in (0..seen.grid.steps.saturating_sub(width - 1)).step_by((width / 4).max(1)) {
        let mut inside: Vec<f64> = swings[first..first + width].iter().copied().flatten().collect();
        if inside.len() < width * 4 / 5 {
            continue;
        }
        inside.sort_by(f64::total_cmp);
        let (low, middle, high) = (inside[inside.len() / 10], inside[inside.len() / 2], inside[inside.len() * 9 / 10]);
        if middle > SWING_PERCENT && high < EVENNESS * middle && low > middle / EVENNESS {
            in_one[first..first + width].fill(true);
        }
    }
    for stretch in stretches(seen.grid.steps, 0, |step| in_one[step]) {
        let swing = mean(stretch.clone().filter_map(|step| swings[step])).unwrap_or(0.0);
        told.tell(seen, EventKind::Hunting, stretch, ShownBy::Swing(swing));
    }
}

/// How far the power swings within a step, or from step to step where a step has few samples, percent; only where the power is about what
/// the light gives, and the light itself does not swing.
fn swing_percent(seen: &Seen<'_>, step: usize) -> Option<f64> {
    let of = |column: &dyn Fn(usize) -> Option<Step>| {
        let now = column(step)?;
        if now.samples >= 4 {
            // What the day's own course moves within the step is no swing.
            let course = match (step.checked_sub(1).and_then(column), column(step + 1)) {
                (Some(before), Some(after)) => (after.mean - before.mean).abs() / 2.0,
                (None, _) | (_, None) => return None,
            };
            return Some(100.0 * (now.high - now.low - course).max(0.0) / now.mean.max(1e-9));
        }
        let (before, after) = (column(step.checked_sub(1)?)?.mean, column(step + 1)?.mean);
        Some(100.0 * 2.0 * (now.mean - (before + after) / 2.0).abs() / now.mean.max(1e-9))
    };
    let watts = seen.watts(step)?;
    if !(0.7..1.15).contains(&(watts / seen.expected_w[step].max(1e-9))) || seen.light_w_m2[step] < ASLEEP_LIGHT_W_M2 {
        return None;
    }
    let swing = of(&|step| seen.power.get(step).copied().flatten())?;
    let of_light = seen.poa.map_or(Some(0.0), |poa| of(&|step| poa.get(step).copied().flatten()))?;
    Some(if of_light > swing / 3.0 { 0.0 } else { swing })
}

/// Volts within this of their highest stand at the charge limit, for so long at least. Common practice, no source.
const CHARGE_BAND: f64 = 0.007;
const CHARGE_MIN: f64 = 20.0;

/// Watts that fall under this share of what the light gives are held back.
const HELD_BACK: f64 = 0.85;

/// The highest volts are those of a charge limit from this on, for each nominal 12 V: 2.3 V for each of six cells of lead. Common practice,
/// no source; the plateau of lithium iron phosphate lies below it.
const LEAST_CHARGE_V: f64 = 13.8;

/// A full battery: watts fall while the output's volts stand at their limit; at one that is stated, or at the highest volts of the log.
pub(super) fn throttled(seen: &Seen<'_>, told: &mut Told, is_stated: bool) {
    let quantity = Quantity::OutputVoltage;
    let Some(volts) = seen.grid.column(quantity) else { return };
    let of_day = |step: usize| volts[step].filter(|_| seen.is_day(step)).map(|step| step.mean);
    let most_v = highest((0..seen.grid.steps).filter_map(of_day));
    let stated_v = seen.known.charge_limit_v.filter(|limit| (most_v - limit).abs() < 0.03 * limit);
    let limit_v = match (is_stated, stated_v) {
        (true, Some(stated_v)) => stated_v,
        (false, None) => most_v,
        (true, None) | (false, Some(_)) => return,
    };
    let usual_v = {
        let mut all: Vec<f64> = (0..seen.grid.steps).filter_map(of_day).collect();
        all.sort_by(f64::total_cmp);
        all.get(all.len() / 10).copied().unwrap_or(most_v)
    };
    // The highest volts are a limit only where a charger has its limits, and the battery stood clearly lower before.
    let nominals = (usual_v / 12.6).round().max(1.0);
    if !is_stated && (most_v < 1.03 * usual_v || most_v < LEAST_CHARGE_V * nominals) {
        return;
    }
    let stands = |step: usize| told.is_free(step) && of_day(step).is_some_and(|v| (v - limit_v).abs() <= CHARGE_BAND * limit_v);
    for stretch in stretches(seen.grid.steps, steps_in(seen, 3.0, 1), stands) {
        let held: Vec<usize> =
            stretch.filter(|step| seen.watts(*step).is_some_and(|watts| watts < HELD_BACK * seen.expected_w[*step])).collect();
        let (Some(first), Some(last)) = (held.first(), held.last()) else { continue };
        let held_back = *first..last + 1;
        if held_back.len() < steps_in(seen, CHARGE_MIN, 3) || held.len() * 10 < held_back.len() * 8 {
            continue;
        }
        told.tell(seen, EventKind::Throttled, held_back, ShownBy::ChargeVolts { volts_v: limit_v, limit_known: is_stated });
    }
}

/// A flat top: within this share of its level, for so long, while what the light gives moves by more than `SKY_MOVES` and rises over it by
/// `SKY_OVER`.
const FLAT_BAND: f64 = 0.006;
const FLAT_MIN: f64 = 15.0;

/// Fewer steps than these are level by chance under clouds.
const LEAST_FLAT_STEPS: usize = 4;
const SKY_MOVES: f64 = 0.02;
const SKY_OVER: f64 = 0.03;

/// Clipping by a port, an inverter or the controller's amps. What stands level the longest is what is limited: watts of a port also hold the
/// amps level while the battery's volts stand. Of two that stand about as long it is the amps.
pub(super) fn clipping(seen: &Seen<'_>, told: &mut Told) {
    let columns = [Quantity::OutputCurrent, Quantity::OutputPower, Quantity::Power];
    let mut level: Vec<(Quantity, f64, Vec<Range<usize>>)> =
        columns.into_iter().filter_map(|quantity| level_stretches(seen, told, quantity)).collect();
    let steps = |stretches: &[Range<usize>]| stretches.iter().map(Range::len).sum::<usize>();
    let longest = level.iter().map(|(_, _, stretches)| steps(stretches)).max().unwrap_or(0);
    level.sort_by_key(|(_, _, stretches)| steps(stretches) * 10 < longest * 9);
    for (quantity, level, stretches) in level {
        let free: Vec<Range<usize>> = stretches.into_iter().flat_map(|stretch| split_free(told, stretch)).collect();
        for stretch in free {
            let over = sky_over(seen, &stretch).unwrap_or(0.0);
            let limit = limit_of(seen.known, quantity, level);
            let shown_by = ShownBy::FlatTop { quantity, level, sky_over_percent: 100.0 * over, limit };
            told.tell(seen, EventKind::Clipping, stretch, shown_by);
        }
    }
}

/// The level of the highest values of a quantity, and where it stands at it.
fn level_stretches(seen: &Seen<'_>, told: &Told, quantity: Quantity) -> Option<(Quantity, f64, Vec<Range<usize>>)> {
    let column = seen.grid.column(quantity)?;
    let value = |step: usize| column[step].map(|step| step.mean);
    let mut strong: Vec<f64> = (0..seen.grid.steps).filter_map(value).collect();
    // Not that of a peak of a moment.
    let at = strong.len().checked_sub(1)? * 995 / 1000;
    let level = *strong.select_nth_unstable_by(at, f64::total_cmp).1;
    if level <= 0.0 {
        return None;
    }
    let is_flat = |step: usize| told.is_free(step) && value(step).is_some_and(|value| (value / level - 1.0).abs() <= FLAT_BAND);
    // A meter's noise breaks a flat top for a step or two, and its edges lie a little lower.
    let is_near = |step: usize| told.is_free(step) && value(step).is_some_and(|value| value > (1.0 - 3.0 * FLAT_BAND) * level);
    let mut is_clipped = vec![false; seen.grid.steps];
    for flat in stretches(seen.grid.steps, 2, is_flat) {
        if flat.len() >= steps_in(seen, FLAT_MIN, LEAST_FLAT_STEPS) && sky_over(seen, &flat).is_some() {
            let first = (0..flat.start).rev().take_while(|step| is_near(*step)).last().unwrap_or(flat.start);
            let end = (flat.end..seen.grid.steps).take_while(|step| is_near(*step)).last().map_or(flat.end, |last| last + 1);
            is_clipped[first..end].fill(true);
        }
    }
    Some((quantity, level, stretches(seen.grid.steps, 0, |step| is_clipped[step])))
}

/// A flat top stands at a stated limit where it lies this near to it.
const AT_LIMIT: f64 = 0.05;

fn limit_of(known: &Known, quantity: Quantity, level: f64) -> Limit {
    let is_at = |limit: Option<f64>| limit.is_some_and(|limit| (level / limit - 1.0).abs() < AT_LIMIT);
    match quantity == Quantity::OutputCurrent {
        true if is_at(known.most_output_a) => Limit::ControllerAmps,
        false if is_at(known.most_w) => Limit::Watts,
        true | false => Limit::NotKnown,
    }
}

/// By how much the light rises over a flat top, as a share; `None` where the light is as flat itself.
fn sky_over(seen: &Seen<'_>, stretch: &Range<usize>) -> Option<f64> {
    let expected = || stretch.clone().map(|step| seen.expected_w[step]);
    let (least, most) = (expected().fold(f64::INFINITY, f64::min), highest(expected()));
    let watts = mean(stretch.clone().filter_map(|step| seen.watts(step)))?;
    let over = most / watts - 1.0;
    // Steps that are level by chance lie about what the light gives, and not under it.
    let lies_under = mean(expected()).is_some_and(|expected| expected > (1.0 + SKY_OVER / 2.0) * watts);
    (most - least > SKY_MOVES * most && over > SKY_OVER && lies_under).then_some(over)
}

/// Under this share of what the light gives something is in the way of it.
pub(super) const DIMMED: f64 = 0.9;

/// and under it by this much light at least, W/m2: of a low sun horizon, haze and the panel's glass leave the model less to say, and what
/// they cost is little.
const CLOUD_W_M2: f64 = 25.0;

/// Clouds: not clear, and under what a clear sky gives.
pub(super) fn clouds(seen: &Seen<'_>, told: &mut Told) {
    let is_cloud = |step: usize| {
        if !told.is_free(step) || !seen.is_day(step) || seen.is_clear[step] || seen.sky.elevation_deg[step] < 5.0 {
            return false;
        }
        match seen.poa.and_then(|poa| poa[step]) {
            Some(light) => is_dim(light.mean, seen.clear_w_m2[step], seen.clear_w_m2[step]),
            None => seen.watts(step).is_some_and(|watts| is_dim(watts, seen.in_clear_w[step], seen.clear_w_m2[step])),
        }
    };
    for stretch in stretches(seen.grid.steps, steps_in(seen, 10.0, 2), is_cloud) {
        if stretch.len() < steps_in(seen, 3.0, 2) {
            continue;
        }
        let share = match seen.poa {
            Some(poa) => mean(stretch.clone().filter_map(|step| Some(poa[step]?.mean / seen.clear_w_m2[step].max(1.0)))),
            None => mean(stretch.clone().filter_map(|step| Some(seen.watts(step)? / seen.in_clear_w[step].max(1e-9)))),
        };
        // Joined holes belong to it, unless something else was told of them.
        for free in split_free(told, stretch) {
            told.tell(seen, EventKind::Cloud, free, ShownBy::ShareOfClear(100.0 * share.unwrap_or(0.0)));
        }
    }
}

/// Whether what was seen lies under what a clear sky of so much light gives, by more than the model may be off.
fn is_dim(seen: f64, expected: f64, light_w_m2: f64) -> bool {
    seen < (DIMMED - CLOUD_W_M2 / light_w_m2.max(1.0)) * expected
}

pub(super) fn split_free(told: &Told, stretch: Range<usize>) -> Vec<Range<usize>> {
    let begin = stretch.start;
    stretches(stretch.len(), 0, |step| told.is_free(begin + step))
        .into_iter()
        .map(|part| begin + part.start..begin + part.end)
        .collect()
}

/// Clear sky of half an hour and more that nothing else was told of.
pub(super) fn clear(seen: &Seen<'_>, told: &mut Told) {
    for stretch in stretches(seen.grid.steps, 2, |step| seen.is_clear[step] && told.is_free(step)) {
        if stretch.len() < steps_in(seen, 30.0, 3) {
            continue;
        }
        for free in split_free(told, stretch) {
            told.tell(seen, EventKind::Clear, free, ShownBy::Nothing);
        }
    }
}
