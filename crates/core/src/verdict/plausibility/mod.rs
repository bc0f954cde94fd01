//! Every reading and the whole test held against what is possible and against what conditions, gear and preflight already know.

mod limits;
mod pattern;
mod possible;
mod slips;

use super::assessment::AssessedReading;
use super::comparison::Comparison;
use super::effect::{Effects, Seen};
use super::finding::{Finding, Limit, Named};
use super::rating::ReadingResult;
use super::subject::Subject;
use crate::measure::quantity::{Figures, Quantity};
use crate::preflight::item::{Level as ItemLevel, Risk};
use crate::preflight::preflight;
use crate::record::condition::{Factor, changed, differences};
use crate::record::test::{ReadingRecord, TestRecord};
use crate::rig::Sink;
use std::collections::HashMap;

/// What conditions, gear and preflight already know.
pub(super) fn of_conditions(record: &TestRecord, subjects: &[Subject<'_>], effects: &Effects<'_>) -> Vec<Named> {
    let mut named = Vec::new();
    if let Some(plan) = &record.plan {
        for (index, changes) in plan.levels.iter().enumerate() {
            let factors = differences(&plan.baseline, &changed(&plan.baseline, changes));
            if factors.len() > 1 {
                named.push(effects.of_level(Finding::TwoChanges { factors }, Seen::Expected, index + 1));
            }
        }
    }
    if let Some(rig) = record.rig_at(&record.conditions(0)) {
        let is_charging = subjects[0].setup.load.is_charging();
        let items = preflight(&rig.rig);
        let found =
            items.iter().filter(|item| item.level != ItemLevel::Ok).filter_map(|item| of_preflight(&item.risk, is_charging));
        named.extend(found.map(|finding| effects.of_test(finding, Seen::Expected)));
        if let (Sink::Station { station, .. }, true) = (&rig.rig.sink, is_charging) {
            let state_of_charge_percent = Some(station.state_of_charge_percent).filter(|percent| *percent >= 95.0);
            if state_of_charge_percent.is_some() {
                named.push(effects.of_test(Finding::Throttled { state_of_charge_percent, share: None }, Seen::Expected));
            }
        }
    }
    for (level, subject) in subjects.iter().enumerate() {
        let label = subject.label();
        let is_bifacial = label.bifaciality.is_some_and(|share| share > 0.0);
        let rear = record.readings.iter().find_map(|reading| reading.figures.get(Quantity::Rear));
        if is_bifacial && record.question.is_of_rating() {
            let rear_w_m2 = rear.map(|seen| seen.value(subject.setup.unsteady));
            named.push(effects.of_level(Finding::RearLight { rear_w_m2, bifaciality: label.bifaciality }, Seen::InLevel, level));
        }
    }
    named
}

/// A caution of the preflight that bears on the figures; what only endangers the gear stays with the preflight.
fn of_preflight(risk: &Risk, is_charging: bool) -> Option<Finding> {
    match risk {
        Risk::NearlyFull { state_of_charge_percent, .. } if is_charging => {
            Some(Finding::Throttled { state_of_charge_percent: Some(*state_of_charge_percent), share: None })
        }
        Risk::Clips { full_w, .. } if is_charging => {
            Some(Finding::Capped { watts_w: *full_w, limit_w: None, by: Limit::OutputCurrent })
        }
        Risk::InputWatts { watts_w, limit_w } | Risk::PortWatts { watts_w, limit_w } if is_charging => {
            Some(Finding::Capped { watts_w: *watts_w, limit_w: Some(*limit_w), by: Limit::InputPower })
        }
        Risk::TiedWaste { vmp_v, battery_v, .. } if is_charging => {
            Some(Finding::NotTracking { input_v: *vmp_v, battery_v: *battery_v, efficiency: None })
        }
        Risk::StartVolts { hot_vmp_v, start_v, .. } if is_charging => {
            Some(Finding::ControllerAsleep { hot_vmp_v: Some(*hot_vmp_v), start_v: Some(*start_v) })
        }
        Risk::UnlikeAmps { .. } | Risk::UnlikeVolts { .. } => Some(Finding::Mismatch { lost_percent: None }),
        Risk::Worn { wear, .. } if wear.stops() => Some(Finding::Damage),
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

/// What a reading shows by itself: its figures alone, its result and what it was taken of have a part in it, so that it holds for as long as
/// those do.
pub(super) fn of_reading(
    record: &TestRecord,
    reading: &ReadingRecord,
    result: &ReadingResult,
    subject: &Subject<'_>,
) -> Vec<Finding> {
    let mut found = possible::of_reading(record, reading, result, subject);
    found.extend(limits::of_reading(reading, result, subject));
    found
}

/// What single readings, and all of them together, show.
pub(super) fn of_readings(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
    effects: &Effects<'_>,
) -> Vec<Named> {
    let mut named = Vec::new();
    let mut of_runs: HashMap<i64, Vec<&Figures>> = HashMap::new();
    let mut before: Option<(usize, &Figures)> = None;
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let mut beside = Vec::new();
        if let Some(run_id) = reading.run_id {
            let of_run = of_runs.entry(run_id).or_default();
            beside = pattern::of_reading(record, of_run, like_before(record, judged.level, before), reading, subject);
            of_run.push(&reading.figures);
        }
        before = Some((judged.level, &reading.figures));
        let found = judged.own_findings.iter().map(|finding| (finding.clone(), Seen::InReading));
        let found = found.chain(beside.into_iter().map(|finding| (finding, Seen::BesideItsRun)));
        named.extend(found.map(|(finding, seen)| effects.of_reading(finding, seen, judged.level, &reading.uid)));
    }
    named.extend(limits::flat_top(ordered, assessed, subjects, effects));
    named.extend(slips::unit_slips(record, ordered, subjects, assessed, effects));
    let sensor = possible::tilted_sensor(record, ordered, subjects, assessed);
    named.extend(sensor.map(|finding| effects.of_test(finding, Seen::InTest)));
    named
}

/// The reading before, where one like it is to be expected: what takes the light away leaves any share of the figures, a tenth as well.
fn like_before<'a>(record: &TestRecord, level: usize, before: Option<(usize, &'a Figures)>) -> Option<&'a Figures> {
    let may_be_deep = record.plan.as_ref().is_some_and(|plan| {
        matches!(plan.question.card().factor, Factor::Shade | Factor::Covers | Factor::Sky | Factor::Wiring | Factor::Load)
    });
    before.filter(|(other, _)| *other == level || !may_be_deep).map(|(_, figures)| figures)
}

/// Runs scatter beyond their stated set-up by more than this, as a variance, to be named.
pub(super) const SCATTER_NAMED: f64 = 4.0;

/// What the comparison itself shows: brackets that are open, amps that do not tell power, scatter beyond what is stated.
///
/// Runs of several hours differ by the sun's angle, which is no scatter of their set-up.
pub(super) fn of_comparison(
    record: &TestRecord,
    found: &Comparison,
    ordered: &[&ReadingRecord],
    is_of_hours: bool,
    effects: &Effects<'_>,
) -> Vec<Named> {
    let mut named = Vec::new();
    let is_bracketing = record.plan.as_ref().is_some_and(|plan| plan.order != crate::record::order::Order::Totals);
    for one in found.levels.iter().filter(|one| !one.difference.is_bracketed && is_bracketing) {
        let minutes = open_minutes(record, ordered, one.difference.level);
        named.push(effects.of_level(Finding::Unbracketed { minutes }, Seen::InLevel, one.difference.level));
    }
    let factor = effects.asked.factor;
    if factor == Some(Factor::Shade) && !found.compared.tells_power() && found.compared.follows_light() {
        named.push(effects.of_test(Finding::AmpsAlone { quantity: found.compared.quantity() }, Seen::InTest));
    }
    for one in found.sums.iter().filter(|one| one.percent + one.u_percent < 100.0) {
        let lost_percent = Some(100.0 - one.percent);
        named.push(effects.of_level(Finding::Mismatch { lost_percent }, Seen::InLevel, one.level));
    }
    if found.within_runs.variance > SCATTER_NAMED {
        let times = Some(found.within_runs.variance.sqrt());
        named.push(effects.of_test(Finding::SkyUnsteady { note: None, times }, Seen::InTest));
    }
    if found.between_runs.variance > SCATTER_NAMED && !is_of_hours {
        named.push(effects.of_test(Finding::SetUpScatter { times: found.between_runs.variance.sqrt() }, Seen::InTest));
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
