//! The light that readings are divided by, and how far it wanders unseen.

use super::super::condition::Taken;
use super::super::estimate::{
    ErrorModel, Scatter, SkyWander, WANDER_CLEAR, WANDER_HAZE, WANDER_METERED, WANDER_THIN_CLOUD, WANDER_UNNOTED,
};
use super::super::reference::light_in_plane;
use super::compared::{Compared, value_of};
use super::method::{Method, RunTaken};
use super::temperature::CellTemperatures;
use crate::record::order::Order;
use crate::sky::course::{Moment, Site};
use crate::sky::note::SkyNote;
use crate::sky::plane::Plane;

/// Where the light came from that every reading was divided by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LightBy {
    /// Read in the plane with every reading.
    Meter,
    /// The course of a clear sky on the baseline's plane.
    Course,
    /// Nothing: the bracket alone.
    Bracket,
}

/// A meter that moves along with the panel shows the light of its new plane, not the drift of the sun.
pub(super) fn light_by(runs: &[&RunTaken<'_>], method: &Method<'_>, compared: Compared) -> LightBy {
    // Volts hardly follow the light, and totals not that of a moment.
    if !compared.follows_light() || method.order == Order::Totals {
        return LightBy::Bracket;
    }
    let counting =
        || runs.iter().flat_map(|run| &run.readings).filter(|taken| value_of(compared, taken.figures, method.setup).is_some());
    let all_read = counting().all(|taken| light_in_plane(taken.figures, method.setup).is_some());
    if all_read && !method.factor.moves_the_plane() {
        return LightBy::Meter;
    }
    // A cloud that nobody noted is the bracket's business: the course only carries the curve.
    let plane = method.plane();
    let has_course =
        method.site.is_some_and(|site| counting().all(|taken| has_beam(taken) && course(taken, site, &plane).is_some()));
    if has_course { LightBy::Course } else { LightBy::Bracket }
}

/// Under a sky noted as overcast there is no beam whose course could be divided out: what is left comes from all sides, hardly moved by
/// the sun.
fn has_beam(taken: &Taken<'_>) -> bool {
    taken.sky != Some(SkyNote::Overcast)
}

/// How far the light that was read wanders off the clear course (off itself, without a place), as a share for the root of one minute: from
/// one reading to the next, `mean of (change of ln (read / course))^2 / minutes between`, as of a process with independent increments.
pub(super) fn light_wander(runs: &[&RunTaken<'_>], method: &Method<'_>, light_by: LightBy) -> SkyWander {
    if light_by != LightBy::Meter {
        return SkyWander(0.0);
    }
    let plane = method.plane();
    let off_course = |taken: &Taken<'_>| {
        let poa =
            light_in_plane(taken.figures, method.setup).map(|seen| seen.value(method.setup.unsteady)).filter(|poa| *poa > 0.0)?;
        let course = method.site.map_or(Some(1.0), |site| course(taken, site, &plane))?;
        Some((taken.unix_s / 60.0, (poa / course).ln()))
    };
    let mut seen: Vec<(f64, f64)> = runs.iter().flat_map(|run| &run.readings).filter_map(off_course).collect();
    seen.sort_by(|a, b| a.0.total_cmp(&b.0));
    let rates: Vec<f64> = seen
        .windows(2)
        .filter(|pair| pair[1].0 > pair[0].0)
        .map(|pair| (pair[1].1 - pair[0].1).powi(2) / (pair[1].0 - pair[0].0))
        .collect();
    SkyWander((rates.iter().sum::<f64>() / rates.len().max(1) as f64).sqrt())
}

pub(super) fn error_model(runs: &[&RunTaken<'_>], method: &Method<'_>, light_by: LightBy, cells: CellTemperatures) -> ErrorModel {
    let of_note = |note: Option<SkyNote>| match note {
        Some(SkyNote::Clear) => WANDER_CLEAR,
        None => WANDER_UNNOTED,
        Some(SkyNote::Haze) => WANDER_HAZE,
        Some(SkyNote::ThinCloud | SkyNote::Broken | SkyNote::Overcast) => WANDER_THIN_CLOUD,
    };
    // The worst that was noted counts; a reading without a note says nothing against those that have one.
    let noted = runs.iter().flat_map(|run| &run.readings).filter_map(|taken| taken.sky);
    let worst = noted.map(|note| of_note(Some(note))).max_by(|a, b| a.0.total_cmp(&b.0));
    let wander = match light_by {
        LightBy::Meter => WANDER_METERED,
        LightBy::Course | LightBy::Bracket => worst.unwrap_or(of_note(None)),
    };
    let is_of_same_hours = is_of_same_hours(runs, method);
    let is_of_days = method.order == Order::Totals && !is_of_same_hours;
    // Totals of one and the same time cannot be of one meter.
    let is_own_meters = is_of_same_hours || method.has_own_meters;
    let set_up = if is_of_days { Scatter::BETWEEN_DAYS } else { Scatter::of_set_up(method.factor) };
    ErrorModel { order: method.order, set_up, wander, is_own_meters, unread_cells_rel: cells.unread_u_rel() }
}

/// Totals that were gathered at one and the same time.
fn is_of_same_hours(runs: &[&RunTaken<'_>], method: &Method<'_>) -> bool {
    /// Totals read within this time of each other are of the same hours, s.
    const SAME_TIME_S: f64 = 1800.0;
    let first_s = |run: &RunTaken<'_>| run.readings.iter().map(|taken| taken.unix_s).fold(f64::INFINITY, f64::min);
    method.order == Order::Totals
        && runs
            .iter()
            .any(|run| runs.iter().any(|other| other.level != run.level && (first_s(run) - first_s(other)).abs() < SAME_TIME_S))
}

pub(super) fn course(taken: &Taken<'_>, site: &Site, plane: &Plane) -> Option<f64> {
    let poa_w_m2 = Moment::at(site, taken.unix_s, taken.day_of_year).ok()?.on(plane).poa_w_m2;
    (poa_w_m2 > 20.0).then_some(poa_w_m2)
}

/// What the sun did since the last baseline, percent: by the light that was read, and else by the course of a clear sky.
pub fn moved_percent(baseline: &Taken<'_>, now: &Taken<'_>, method: &Method<'_>) -> Option<f64> {
    let read = |taken: &Taken<'_>| {
        light_in_plane(taken.figures, method.setup).map(|seen| seen.value(method.setup.unsteady)).filter(|poa| *poa > 0.0)
    };
    let plane = method.plane();
    let by_meter = if method.factor.moves_the_plane() { None } else { read(baseline).zip(read(now)) };
    let by_course = || {
        let site = method.site.filter(|_| has_beam(baseline) && has_beam(now))?;
        course(baseline, site, &plane).zip(course(now, site, &plane))
    };
    by_meter.or_else(by_course).map(|(before, now)| (now / before - 1.0) * 100.0)
}

/// A baseline is old once the sun has moved by more than this since, percent. Flindo's own limit: what a straight line between
/// two baselines takes out without leaving a trace.
pub const BRACKET_HOLDS_PERCENT: f64 = 3.0;

/// Or once it is older than this, s. Common practice, no source.
pub const BRACKET_HOLDS_S: f64 = 20.0 * 60.0;
