//! The one judge of a log: a day of it, with what is known, to all that it comes to.

use super::clock::{ClockCheck, clock};
use super::controller::{over_load, own_draw_w, tracking};
use super::event::{Event, EventKind, Happened};
use super::figures::{Figures, Logged, figures};
use super::grid::Grid;
use super::happened::happened;
use super::named::{LogFinding, named};
use super::record::{LogDay, LogRecord};
use super::regress::{
    Band, NoCoefficient, Soak, TemperatureCoefficient, efficiency_over_light, points, soak, temperature_coefficient,
};
use super::samples::LogSamples;
use super::sky::{ClearDay, FROM_FLAT_U_PERCENT, SkyCourse, onto_plane};
use super::sums::{Sums, hours_of, sums};
use crate::energy::planned::USUAL_GAMMA_PER_K;
use crate::error::Error;
use crate::load::operate::TrackingFinding;
use crate::measure::quantity::Quantity;
use crate::measure::series::counter::{Advance, advance};
use crate::measure::series::suspect::{Suspect, spikes, stuck};
use crate::measure::series::{Arrival, Series};
use crate::sky::course::Site;
use crate::sky::plane::Plane;
use crate::window::Window;

/// What a day of a log comes to.
#[derive(Debug, Clone, PartialEq)]
pub struct LogAssessment {
    pub window: Window,
    /// `None` without watts, a place or a plane.
    pub figures: Option<Figures>,
    /// Of this day.
    pub events: Vec<Event>,
    /// Of all days that were looked through, on the steps of `steps`.
    pub happened: Happened,
    pub steps: Grid,
    pub clock: Option<ClockCheck>,
    pub named: Vec<LogFinding>,
    pub arrivals: Vec<(Quantity, Arrival)>,
    pub suspects: Vec<Suspect>,
    /// `None` where light or cell temperature were not logged.
    pub coefficient: Option<Result<TemperatureCoefficient, NoCoefficient>>,
    pub over_light: Vec<Band>,
    pub over_load: Vec<Band>,
    pub soak: Option<Soak>,
    pub tracking: Option<TrackingFinding>,
    /// W from the battery in the dark, by the output's own figures.
    pub own_draw_w: Option<f64>,
    /// Those with samples.
    pub hours: Vec<Sums>,
    /// The irradiation was brought onto the plane from a meter lying flat.
    pub is_from_flat: bool,
    /// Of the meter's own counter of watt-hours.
    pub counter: Option<Advance>,
}

/// Judges a day of a log. Without watts, place or plane it says what can be said.
///
/// # Errors
/// As [`SkyCourse::over`]: a moment for which no sun can be worked out.
pub fn assess(record: &LogRecord, day: LogDay) -> Result<LogAssessment, Error> {
    let LogDay { window, samples, around } = day;
    let mut found = without_sky(record, window, &samples, around);
    if let (Some(site), Some(plane)) = (&record.site, &record.plane) {
        under_sky(&mut found, record, &samples, site, plane)?;
    }
    found.arrivals = samples.arrivals;
    Ok(found)
}

/// What needs no sun.
fn without_sky(record: &LogRecord, window: Window, samples: &LogSamples, steps: Grid) -> LogAssessment {
    let counter = samples.get(Quantity::Energy).map(|counter| {
        let readings: Vec<(f64, f64)> = counter.iter().collect();
        advance(&readings, None, 0.0, record.known.rated_w)
    });
    let both_sides = samples.get(Quantity::Power).zip(samples.get(Quantity::OutputPower));
    LogAssessment {
        window,
        figures: None,
        events: Vec::new(),
        happened: Happened::default(),
        clock: None,
        named: named(None, counter.as_ref(), None, None),
        arrivals: Vec::new(),
        suspects: samples.power().map(spikes).unwrap_or_default(),
        coefficient: None,
        over_light: Vec::new(),
        over_load: both_sides.map(|(input, output)| over_load(input, output)).unwrap_or_default(),
        soak: samples.cell().and_then(soak),
        tracking: tracking(&steps, window),
        own_draw_w: None,
        hours: sums(samples, hours_of(window)),
        is_from_flat: false,
        counter,
        steps,
    }
}

/// What the sun over the plane adds.
fn under_sky(
    found: &mut LogAssessment,
    record: &LogRecord,
    samples: &LogSamples,
    site: &Site,
    plane: &Plane,
) -> Result<(), Error> {
    let window = found.window;
    let sky = SkyCourse::over(site, plane, &found.steps)?;
    found.happened = happened(&found.steps, &sky, &record.known);
    // What an event cost is read on the same meter as the energy.
    for event in &mut found.happened.events {
        event.u_lost_wh = event.u_lost_wh.hypot(event.lost_wh * record.watts_u_percent / 100.0);
    }
    let overlaps = |event: &&Event| event.to_s >= window.from_s && event.from_s <= window.to_s;
    found.events = found.happened.events.iter().filter(overlaps).cloned().collect();
    let clear = ClearDay::over(site, plane, window.from_s, window.to_s)?;
    let electric = [Quantity::Voltage, Quantity::Current, Quantity::Power];
    let electric: Vec<&Series> = electric.iter().filter_map(|quantity| samples.get(*quantity)).collect();
    found.suspects.extend(stuck(&electric, &|at_s| clear.at(at_s)));
    // Watts that something limits lie elsewhere than the sun: their day says nothing of the clock.
    let is_limited = || found.events.iter().any(|event| is_limit(&event));
    let watched = found.steps.column(Quantity::Poa).or_else(|| found.steps.power().filter(|_| !is_limited()));
    if let Some(watched) = watched {
        let watched: Vec<Option<f64>> = watched.iter().map(|step| step.map(|step| step.mean)).collect();
        found.clock = clock(&found.steps, &watched, site, plane)?;
    }
    found.own_draw_w = samples.get(Quantity::OutputPower).and_then(|output| own_draw_w(output, &clear));
    if let Some(power) = samples.power() {
        found.figures = Some(figures_of(found, record, samples, (power, site, plane))?);
    }
    found.named = named(found.figures.as_ref(), found.counter.as_ref(), found.clock.as_ref(), found.happened.of_rating);
    by_light_and_warmth(found, record, samples);
    Ok(())
}

fn figures_of(
    found: &mut LogAssessment,
    record: &LogRecord,
    samples: &LogSamples,
    (power, site, plane): (&Series, &Site, &Plane),
) -> Result<Figures, Error> {
    let brought = match (samples.get(Quantity::Poa), samples.get(Quantity::Ghi)) {
        (None, Some(flat)) => Some(onto_plane(flat, site, plane)?),
        (Some(_), _) | (None, None) => None,
    };
    found.is_from_flat = brought.is_some();
    let poa_u_percent = if found.is_from_flat { record.poa_u_percent.hypot(FROM_FLAT_U_PERCENT) } else { record.poa_u_percent };
    let logged = Logged {
        power,
        poa: samples.get(Quantity::Poa).or(brought.as_ref()),
        cell: samples.cell(),
        site,
        plane,
        rated_w: record.known.rated_w,
        gamma_per_k: record.known.gamma_per_k,
        watts_u_percent: record.watts_u_percent,
        poa_u_percent,
        strength_w_per_w_m2: found.happened.strength_w_per_w_m2,
    };
    figures(&logged, found.window)
}

/// Where something else than light and warmth limits the watts, they say nothing of either.
fn is_limit(event: &&Event) -> bool {
    match event.kind {
        EventKind::Clipping
        | EventKind::Throttled
        | EventKind::Asleep
        | EventKind::Snow
        | EventKind::Shade
        | EventKind::Hunting => true,
        EventKind::Clear | EventKind::Cloud | EventKind::Wake | EventKind::Sleep | EventKind::Gap => false,
    }
}

/// A meter in the plane drifts by so much over a day, percent; its calibration is the same for all of it. Common practice, no source.
const POA_DRIFT_PERCENT: f64 = 1.0;

fn by_light_and_warmth(found: &mut LogAssessment, record: &LogRecord, samples: &LogSamples) {
    let (Some(power), Some(poa), Some(cell)) = (samples.power(), samples.get(Quantity::Poa), samples.cell()) else { return };
    let limited: Vec<&Event> = found.events.iter().filter(is_limit).collect();
    let is_free = |at_s: f64| !limited.iter().any(|event| (event.from_s..=event.to_s).contains(&at_s));
    let points: Vec<_> = points(power, poa, cell).into_iter().filter(|point| is_free(point.at_s)).collect();
    found.coefficient = Some(temperature_coefficient(&points, POA_DRIFT_PERCENT));
    found.over_light = efficiency_over_light(&points, record.known.gamma_per_k.unwrap_or(USUAL_GAMMA_PER_K));
}

/// A drawing begins before the first light and ends after the last by this, s.
const ASIDE_S: f64 = 900.0;

/// Light of less than this many steps is none to draw by.
const LEAST_LIT_STEPS: usize = 3;

impl LogAssessment {
    /// The steps of the day itself.
    fn steps_of_day(&self) -> impl Iterator<Item = usize> {
        (0..self.steps.steps).filter(|step| (self.window.from_s..self.window.to_s).contains(&self.steps.at_s(*step)))
    }

    /// From a little before the first light to a little after the last; `None` where the log does not know its sky.
    pub fn lit(&self) -> Option<Window> {
        let mut lit = self.steps_of_day().filter(|step| self.happened.in_clear_w.get(*step).is_some_and(|watts| *watts > 0.0));
        let first = lit.next()?;
        let last = lit.last()?;
        (last >= first + LEAST_LIT_STEPS)
            .then(|| Window { from_s: self.steps.at_s(first) - ASIDE_S, to_s: self.steps.at_s(last) + ASIDE_S })
    }

    /// What the panel gives under a clear sky over the day: (Unix seconds, W), where it gives anything.
    pub fn clear_course_w(&self) -> Vec<(f64, f64)> {
        let watts = |step: usize| self.happened.in_clear_w.get(step).copied().filter(|watts| *watts > 0.0);
        self.steps_of_day().filter_map(|step| Some((self.steps.at_s(step), watts(step)?))).collect()
    }

    /// Watt-hours from the beginning of the day to each of its steps: (Unix seconds, Wh). Empty without watts.
    pub fn energy_so_far_wh(&self) -> Vec<(f64, f64)> {
        let Some(power) = self.steps.power() else { return Vec::new() };
        let mut sum_wh = 0.0;
        let mut points = Vec::new();
        for step in self.steps_of_day() {
            if let Some(seen) = power[step] {
                sum_wh += seen.mean * self.steps.step_s / 3600.0;
                points.push((self.steps.at_s(step), sum_wh));
            }
        }
        points
    }

    /// Hours in which a full battery held the output back.
    pub fn full_battery(&self) -> Vec<Window> {
        let full = self.events.iter().filter(|event| event.kind == EventKind::Throttled);
        full.map(|event| Window { from_s: event.from_s, to_s: event.to_s }).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::energy::log::event::Known;
    use crate::sky::place::Place;
    use std::collections::BTreeMap;

    /// 2026-09-12, midnight UTC.
    const FROM_S: f64 = 1_789_171_200.0;

    /// A clear day of a panel of 200 W for 1000 W/m2, logged every so many seconds.
    fn day_at(pace_s: f64, watts: impl Fn(f64) -> f64) -> LogAssessment {
        day_of(pace_s, watts, Vec::new())
    }

    fn day_of(pace_s: f64, watts: impl Fn(f64) -> f64, counter: Vec<(f64, f64)>) -> LogAssessment {
        let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 30.0, azimuth_deg: 180.0 };
        let window = Window { from_s: FROM_S, to_s: FROM_S + 86_400.0 };
        let clear = ClearDay::over(&site, &plane, window.from_s, window.to_s).unwrap();
        let at = (0..(86_400.0 / pace_s) as u32).map(|nth| FROM_S + f64::from(nth) * pace_s);
        let power: Vec<(f64, f64)> = at.map(|at_s| (at_s, watts(0.2 * clear.at(at_s)))).collect();
        let mut samples = LogSamples::of([(Quantity::Power, power.clone())]);
        if !counter.is_empty() {
            samples = LogSamples::of([(Quantity::Power, power.clone()), (Quantity::Energy, counter)]);
        }
        let steps = Grid::of(&BTreeMap::from([(Quantity::Power, Series::new(power).0)]));
        let known = Known { rated_w: Some(220.0), ..Known::default() };
        let record = LogRecord { site: Some(site), plane: Some(plane), known, watts_u_percent: 1.0, poa_u_percent: 5.0 };
        assess(&record, LogDay::new(window, samples, &steps)).unwrap()
    }

    /// What a clear day comes to does not depend on how often it was looked at.
    #[test]
    fn a_clear_day_is_the_same_at_every_pace() {
        let exact_wh = day_at(10.0, |watts| watts).figures.unwrap().energy_wh.value;
        for pace_s in [10.0, 60.0, 60.4, 300.0, 900.0] {
            let found = day_at(pace_s, |watts| watts);
            let figures = found.figures.as_ref().unwrap();
            assert!((figures.energy_wh.value / exact_wh - 1.0).abs() < 0.002, "{pace_s}: {}", figures.energy_wh.value);
            let odd: Vec<EventKind> =
                found.events.iter().map(|event| event.kind).filter(|kind| *kind != EventKind::Clear).collect();
            assert!(odd.is_empty() && found.events.len() == 1, "{pace_s}: {odd:?}");
            let so_far = found.energy_so_far_wh().last().unwrap().1;
            assert!((so_far / exact_wh - 1.0).abs() < 0.005, "{pace_s}: {so_far}");
            let Window { from_s, to_s } = found.lit().unwrap();
            assert!((9.0..16.0).contains(&((to_s - from_s) / 3600.0)), "{pace_s}");
            assert!(found.clock.is_some_and(|check| !check.is_wrong()), "{pace_s}: {:?}", found.clock);
        }
    }

    /// The same day in kW under the name of watts, and of three such panels; with a counter that counts the same, and one in kWh.
    #[test]
    fn watts_and_counters_of_another_unit_are_named() {
        let codes = |found: &LogAssessment| found.named.iter().map(LogFinding::code).collect::<Vec<_>>();
        for (times, wanted) in [(0.001, vec!["watts_of_another"]), (0.3, vec![]), (1.0, vec![]), (3.0, vec!["watts_of_another"])]
        {
            assert_eq!(codes(&day_at(60.0, |watts| watts * times)), wanted, "{times}");
        }
        let exact_wh = day_at(60.0, |watts| watts).figures.unwrap().energy_wh.value;
        for (times, wanted) in
            [(1.0, vec![]), (1.04, vec![]), (1.2, vec!["counter_disagrees"]), (0.001, vec!["counter_disagrees"])]
        {
            assert_eq!(codes(&counted(|so_far_wh| 40_000.0 + so_far_wh * times)), wanted, "{times}: {exact_wh}");
        }
    }

    /// The clear day by the minute with a counter of its own.
    fn counted(counter: impl Fn(f64) -> f64) -> LogAssessment {
        let plain = day_at(60.0, |watts| watts);
        let so_far: Vec<(f64, f64)> =
            plain.energy_so_far_wh().into_iter().map(|(at_s, so_far_wh)| (at_s, counter(so_far_wh))).collect();
        day_of(60.0, |watts| watts, so_far)
    }

    /// 130 W of at most some 200: the flat top is named at every pace, with the same cost.
    #[test]
    fn a_flat_top_is_found_at_every_pace() {
        let cost = |pace_s: f64| {
            let found = day_at(pace_s, |watts| watts.min(130.0));
            let clipped: Vec<&Event> = found.events.iter().filter(|event| event.kind == EventKind::Clipping).collect();
            assert_eq!(clipped.len(), 1, "{pace_s}: {:?}", found.events);
            clipped[0].lost_wh
        };
        let at_10_s = cost(10.0);
        for pace_s in [60.0, 300.0, 900.0] {
            assert!((cost(pace_s) / at_10_s - 1.0).abs() < 0.1, "{pace_s}: {} {at_10_s}", cost(pace_s));
        }
    }

    #[test]
    fn without_a_place_the_sums_stand() {
        let power: Vec<(f64, f64)> = (0..=240).map(|nth| (FROM_S + f64::from(nth) * 30.0, 90.0)).collect();
        let steps = Grid::of(&BTreeMap::from([(Quantity::Power, Series::new(power.clone()).0)]));
        let window = Window { from_s: FROM_S, to_s: FROM_S + 86_400.0 };
        let day = LogDay::new(window, LogSamples::of([(Quantity::Power, power)]), &steps);
        let found = assess(&LogRecord::default(), day).unwrap();
        assert!(found.figures.is_none() && found.events.is_empty() && found.lit().is_none());
        assert_eq!(found.hours.iter().map(|hour| hour.energy_wh.value.round()).collect::<Vec<_>>(), [90.0, 90.0]);
    }
}
