//! Every reading and the whole test held against what is possible and against what conditions, gear and preflight already know.

mod limits;
mod pattern;
mod possible;
mod slips;

use super::assessment::AssessedReading;
use super::comparison::Comparison;
use super::finding::{Effect, Finding, Limit, Named};
use super::subject::Subject;
use crate::measure::quantity::{Figures, Quantity};
use crate::preflight::item::{Level as ItemLevel, Risk};
use crate::preflight::preflight;
use crate::record::condition::{Factor, changed, differences};
use crate::record::test::{ReadingRecord, TestRecord};
use crate::rig::Sink;
use crate::sky::note::SkyNote;
use std::collections::HashMap;

/// What conditions, gear and preflight already know.
pub(super) fn of_conditions(record: &TestRecord, subjects: &[Subject<'_>]) -> Vec<Named> {
    let mut named = Vec::new();
    if let Some(plan) = &record.plan {
        for (index, changes) in plan.levels.iter().enumerate() {
            let factors = differences(&plan.baseline, &changed(&plan.baseline, changes));
            if factors.len() > 1 {
                named.push(Named::of_level(Finding::TwoChanges { factors }, Effect::Told, index + 1));
            }
        }
    }
    if let Some(rig) = record.rig_at(&record.conditions(0)) {
        let is_charging = subjects[0].setup.load.is_charging();
        let items = preflight(&rig.rig);
        named.extend(
            items.iter().filter(|item| item.level != ItemLevel::Ok).filter_map(|item| of_preflight(&item.risk, is_charging)),
        );
        if let (Sink::Station { station, .. }, true) = (&rig.rig.sink, is_charging) {
            let state_of_charge_percent = Some(station.state_of_charge_percent).filter(|percent| *percent >= 95.0);
            if state_of_charge_percent.is_some() {
                named.push(Named::of_test(Finding::Throttled { state_of_charge_percent, share: None }, Effect::Forbids));
            }
        }
    }
    for (level, subject) in subjects.iter().enumerate() {
        let label = subject.label();
        let is_bifacial = label.bifaciality.is_some_and(|share| share > 0.0);
        let rear = record.readings.iter().find_map(|reading| reading.figures.get(Quantity::Rear));
        if is_bifacial && record.question.is_of_rating() {
            let rear_w_m2 = rear.map(|seen| seen.value(subject.setup.unsteady));
            let effect = if rear_w_m2.is_some() { Effect::Told } else { Effect::Forbids };
            named.push(Named::of_level(Finding::RearLight { rear_w_m2, bifaciality: label.bifaciality }, effect, level));
        }
    }
    named
}

/// A caution of the preflight that bears on the figures; what only endangers the gear stays with the preflight.
fn of_preflight(risk: &Risk, is_charging: bool) -> Option<Named> {
    let told = |finding| Some(Named::of_test(finding, Effect::Told));
    match risk {
        Risk::NearlyFull { state_of_charge_percent, .. } if is_charging => {
            let finding = Finding::Throttled { state_of_charge_percent: Some(*state_of_charge_percent), share: None };
            Some(Named::of_test(finding, Effect::Forbids))
        }
        Risk::Clips { full_w, .. } if is_charging => {
            told(Finding::Capped { watts_w: *full_w, limit_w: None, by: Limit::OutputCurrent })
        }
        Risk::InputWatts { watts_w, limit_w } | Risk::PortWatts { watts_w, limit_w } if is_charging => {
            told(Finding::Capped { watts_w: *watts_w, limit_w: Some(*limit_w), by: Limit::InputPower })
        }
        Risk::TiedWaste { vmp_v, battery_v, .. } if is_charging => {
            told(Finding::NotTracking { input_v: *vmp_v, battery_v: *battery_v, efficiency: None })
        }
        Risk::StartVolts { hot_vmp_v, start_v, .. } if is_charging => {
            told(Finding::ControllerAsleep { hot_vmp_v: Some(*hot_vmp_v), start_v: Some(*start_v) })
        }
        Risk::UnlikeAmps { .. } | Risk::UnlikeVolts { .. } => told(Finding::Mismatch { lost_percent: None }),
        Risk::Worn { wear, .. } if wear.stops() => told(Finding::Damage),
        // Of a load that charges nothing, or a danger to the gear, which stays with the preflight.
        Risk::Unknown { .. }
        | Risk::LabelSilent { .. }
        | Risk::Worn { .. }
        | Risk::MeterVolts { .. }
        | Risk::MeterVoltsUnknown { .. }
        | Risk::MeterAmps { .. }
        | Risk::MeterWatts { .. }
        | Risk::MeterShowsNoDc
        | Risk::JointVolts { .. }
        | Risk::JointAmps { .. }
        | Risk::FuseVolts { .. }
        | Risk::FuseSmall { .. }
        | Risk::NoStringFuse { .. }
        | Risk::LeadAmps { .. }
        | Risk::LeadDrop { .. }
        | Risk::InputVolts { .. }
        | Risk::Clips { .. }
        | Risk::TiedAmps { .. }
        | Risk::TiedWaste { .. }
        | Risk::InputWatts { .. }
        | Risk::StartVolts { .. }
        | Risk::LowVolts { .. }
        | Risk::PortWatts { .. }
        | Risk::PortAmps { .. }
        | Risk::ChargeAmps { .. }
        | Risk::ChargeCold { .. }
        | Risk::NearlyFull { .. } => None,
    }
}

/// What single readings, and all of them together, show.
pub(super) fn of_readings(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
) -> Vec<Named> {
    let mut named = Vec::new();
    let mut of_runs: HashMap<i64, Vec<&Figures>> = HashMap::new();
    let mut before: Option<(usize, &Figures)> = None;
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let mut found = possible::of_reading(record, reading, judged, subject);
        found.extend(limits::of_reading(record, reading, judged, subject));
        if let Some(run_id) = reading.run_id {
            let of_run = of_runs.entry(run_id).or_default();
            found.extend(pattern::of_reading(record, of_run, like_before(record, judged.level, before), reading, subject));
            of_run.push(&reading.figures);
        }
        before = Some((judged.level, &reading.figures));
        named.extend(found.into_iter().map(|(finding, effect)| Named::of_reading(finding, effect, judged.level, &reading.uid)));
    }
    named.extend(limits::flat_top(record, ordered, assessed, subjects));
    named.extend(slips::unit_slips(record, ordered, subjects, assessed));
    named.extend(possible::tilted_sensor(record, ordered, subjects, assessed));
    named
}

/// The reading before, where one like it is to be expected: what takes the light away leaves any share of the figures, a tenth as well.
fn like_before<'a>(record: &TestRecord, level: usize, before: Option<(usize, &'a Figures)>) -> Option<&'a Figures> {
    let may_be_deep = record.plan.as_ref().is_some_and(|plan| {
        matches!(plan.question.card().factor, Factor::Shade | Factor::Covers | Factor::Sun | Factor::Wiring | Factor::Load)
    });
    before.filter(|(other, _)| *other == level || !may_be_deep).map(|(_, figures)| figures)
}

/// Runs scatter beyond their stated set-up by more than this, as a variance, to be named.
pub(super) const SCATTER_NAMED: f64 = 4.0;

/// What the comparison itself shows: brackets that are open, a sky that does not allow it, scatter beyond what is stated.
///
/// Runs of several hours differ by the sun's angle, which is no scatter of their set-up.
pub(super) fn of_comparison(
    record: &TestRecord,
    found: &Comparison,
    ordered: &[&ReadingRecord],
    is_of_hours: bool,
) -> Vec<Named> {
    let mut named = Vec::new();
    let is_bracketing = record.plan.as_ref().is_some_and(|plan| plan.order != crate::record::order::Order::Totals);
    for one in found.levels.iter().filter(|one| !one.difference.is_bracketed && is_bracketing) {
        named.push(Named::of_level(
            Finding::Unbracketed { minutes: open_minutes(record, ordered, one.difference.level) },
            Effect::Widens,
            one.difference.level,
        ));
    }
    let factor = record.plan.as_ref().map(|plan| plan.question.card().factor);
    let moves_the_plane = factor.is_some_and(Factor::moves_the_plane);
    let meters = ordered.iter().all(|reading| reading.figures.get(Quantity::Poa).is_some());
    for note in [SkyNote::Broken, SkyNote::Overcast] {
        let noted = ordered.iter().any(|reading| reading.sky == Some(note));
        let forbids = match note {
            SkyNote::Overcast => moves_the_plane,
            SkyNote::Clear | SkyNote::Haze | SkyNote::ThinCloud | SkyNote::Broken => moves_the_plane || !meters,
        };
        let is_of_sun = factor == Some(Factor::Sun) || !is_bracketing;
        if noted && !is_of_sun {
            let effect = if forbids { Effect::Forbids } else { Effect::Told };
            named.push(Named::of_test(Finding::SkyUnsteady { note: Some(note), times: None }, effect));
        }
    }
    if factor == Some(Factor::Shade) && !found.compared.tells_power() && found.compared.follows_light() {
        named.push(Named::of_test(Finding::AmpsAlone { quantity: found.compared.quantity() }, Effect::Forbids));
    }
    for one in found.sums.iter().filter(|one| one.percent + one.u_percent < 100.0) {
        let lost_percent = Some(100.0 - one.percent);
        named.push(Named::of_level(Finding::Mismatch { lost_percent }, Effect::Told, one.level));
    }
    if found.within_runs.variance > SCATTER_NAMED {
        let times = Some(found.within_runs.variance.sqrt());
        named.push(Named::of_test(Finding::SkyUnsteady { note: None, times }, Effect::Widens));
    }
    if found.between_runs.variance > SCATTER_NAMED && !is_of_hours {
        named.push(Named::of_test(Finding::SetUpScatter { times: found.between_runs.variance.sqrt() }, Effect::Widens));
    }
    named
}

/// How long a level's readings lie from the nearest baseline, min.
fn open_minutes(record: &TestRecord, ordered: &[&ReadingRecord], level: usize) -> f64 {
    let of = |wanted: usize| {
        ordered
            .iter()
            .filter(move |reading| record.level_of(reading) == wanted)
            .map(|reading| reading.taken_utc.as_second() as f64)
    };
    let nearest = |at: f64| of(0).map(|baseline| (baseline - at).abs()).fold(f64::INFINITY, f64::min);
    of(level).map(nearest).filter(|apart| apart.is_finite()).fold(0.0, f64::max) / 60.0
}
