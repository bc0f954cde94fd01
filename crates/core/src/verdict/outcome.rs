//! The readings of a test that compares, as runs: which of them count, which one speaks against all others, and what they come to.

use super::assessment::{AssessedLevel, AssessedReading, OfHours, Outcome, panels_by_level};
use super::comparison::{Comparison, Method, NoComparison, RunTaken, compare, value_of};
use super::condition::taken;
use super::effect::{Effects, Seen};
use super::finding::{Effect, Finding, Named, left_out_by_uid};
use super::hours::of_hours;
use super::plausibility;
use super::reason::Reason;
use super::subject::Subject;
use crate::record::condition::Factor;
use crate::record::order::Order;
use crate::record::question::Analysis;
use crate::record::run::Run;
use crate::record::test::{ReadingRecord, TestRecord};
use crate::rig::Placed;
use crate::sky::note::SkyNote;

/// What the test comes to, and the hours of it. Readings get their reasons, and `named` what the comparison shows.
pub(super) fn outcome(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    levels: &[AssessedLevel<'_>],
    readings: &mut [AssessedReading],
    named: &mut Vec<Named>,
    effects: &Effects<'_>,
) -> (Outcome, Vec<OfHours>) {
    let Some(plan) = record.plan.as_ref().filter(|plan| plan.analysis() != Analysis::OfRating) else {
        return (Outcome::Rating, Vec::new());
    };
    let setup = Subject::of(record, 0).map_or(record.setup, |subject| subject.setup);
    let panels = panels_by_level(levels);
    let held = held_levels(named);
    let method = Method {
        order: plan.order,
        analysis: plan.analysis(),
        factor: plan.question.card().factor,
        setup: &setup,
        repeat_rel: plan.repeat_rel,
        site: record.site.as_ref(),
        panels: &panels,
        held: &held,
        has_own_meters: has_own_meters(record, levels.len()),
    };
    named.extend(under_cloud(record, ordered, &method, named, effects));
    named.extend(stray(record, ordered, levels, &method, named, effects));
    let slips = left_out_by_uid(named);
    let runs = runs_taken(record, ordered, levels, |uid| slips.contains_key(uid));
    let found = compare(&runs, &method).map_err(|why| or_left_out(why, record, ordered, |uid| slips.contains_key(uid)));
    let hours = of_hours(&runs, &method, levels);
    // What a rating would want is no business of a comparison: here a reading counts that has the quantity.
    for (reading, record) in readings.iter_mut().zip(ordered) {
        let has = match &found {
            Ok(found) => value_of(found.compared, &record.figures, &setup).is_some() || record.figures.is_meter_check(),
            Err(_) => true,
        };
        let of_it = slips.get(&reading.uid).into_iter().flatten();
        let slips: Vec<Reason> = of_it.map(|one| Reason::Found(one.finding.clone())).collect();
        reading.left_out = slips.into_iter().chain((!has).then_some(Reason::NoQuantity)).collect();
    }
    if let Ok(found) = &found {
        let counting: Vec<&ReadingRecord> = ordered.iter().copied().filter(|reading| !slips.contains_key(&reading.uid)).collect();
        named.extend(plausibility::of_comparison(record, found, &counting, !hours.is_empty(), effects));
    } else if found == Err(NoComparison::Exchange) {
        named.push(effects.of_test(Finding::Exchange, Seen::InTest));
    }
    let outcome = match plan.analysis() {
        Analysis::OfSum => Outcome::Sum(found),
        Analysis::OfTotals => Outcome::Totals(found),
        Analysis::OfBaseline | Analysis::OfRating if plan.order == Order::Totals => Outcome::Totals(found),
        Analysis::OfBaseline | Analysis::OfRating => Outcome::Comparison(found),
    };
    (outcome, hours)
}

/// Whether two of the levels hang on rigs that have meters, and none in common.
fn has_own_meters(record: &TestRecord, levels: usize) -> bool {
    let of =
        |level: usize| record.rig_at(&record.conditions(level)).map(|rig| &rig.rig.meters).filter(|meters| !meters.is_empty());
    let are_apart = |a: &Vec<Placed>, b: &Vec<Placed>| a.iter().all(|one| b.iter().all(|other| other.name != one.name));
    let all: Vec<&Vec<Placed>> = (0..levels).filter_map(of).collect();
    all.iter().any(|one| all.iter().any(|other| are_apart(one, other)))
}

/// What was read and left out is not told as what was never read.
fn or_left_out(
    why: NoComparison,
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    is_left_out: impl Fn(&str) -> bool,
) -> NoComparison {
    let is_missing = |level: usize| match why {
        NoComparison::NoBaseline => level == 0,
        NoComparison::NoLevel => level > 0,
        NoComparison::NothingInCommon | NoComparison::Exchange | NoComparison::LeftOut { .. } => false,
    };
    let missing = || ordered.iter().filter(|reading| is_missing(record.level_of(reading)));
    let Some(level) = missing().map(|reading| record.level_of(reading)).min() else { return why };
    if !missing().all(|reading| is_left_out(&reading.uid)) {
        return why;
    }
    NoComparison::LeftOut { level, readings: missing().filter(|reading| record.level_of(reading) == level).count() }
}

/// The levels that a limit held where they were read.
fn held_levels(named: &[Named]) -> Vec<usize> {
    let mut held: Vec<usize> = named.iter().filter(|one| one.effect == Effect::Bounds).filter_map(|one| one.level).collect();
    held.sort_unstable();
    held.dedup();
    held
}

/// The runs in the order in which they are compared, without the readings that are left out.
fn runs_taken<'a>(
    record: &TestRecord,
    ordered: &[&'a ReadingRecord],
    levels: &[AssessedLevel<'_>],
    is_left_out: impl Fn(&str) -> bool,
) -> Vec<RunTaken<'a>> {
    let mut runs: Vec<(&Run, RunTaken<'a>)> = record
        .runs
        .iter()
        .map(|run| {
            let of_run = ordered.iter().filter(|reading| reading.run_id == Some(run.id) && !is_left_out(&reading.uid));
            (
                run,
                RunTaken {
                    place: (run.place - 1).max(0) as usize,
                    level: run.level,
                    rig: run.rig,
                    gamma_per_k: levels.get(run.level).map_or(0.0, |level| level.subject.label().gamma().per_k),
                    readings: of_run.map(|reading| taken(reading)).collect(),
                },
            )
        })
        .collect();
    // Side by side a run belongs to its neighbour on the sheet; else the order is that of the sun.
    runs.sort_by_key(|run| run.0.place);
    if record.runs.iter().all(|run| run.rig == 0) {
        let first_s = |run: &RunTaken<'_>| run.readings.iter().map(|taken| taken.unix_s).fold(f64::INFINITY, f64::min);
        runs.sort_by(|a, b| first_s(&a.1).total_cmp(&first_s(&b.1)));
    }
    runs.into_iter().map(|(_, run)| run).collect()
}

/// What a sky that moves, noted on some readings, does to them: beside clean ones of its level a reading is left out by name; a level that
/// has no other is not told from its cloud. Of the baseline, or of half of all readings, it is the sky of the test.
fn under_cloud(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    method: &Method<'_>,
    named: &[Named],
    effects: &Effects<'_>,
) -> Vec<Named> {
    let slips = left_out_by_uid(named);
    let counting: Vec<&ReadingRecord> = ordered.iter().copied().filter(|reading| !slips.contains_key(&reading.uid)).collect();
    if method.factor == Factor::Sky || method.order == Order::Totals {
        return Vec::new();
    }
    let noted = |note: SkyNote| Finding::SkyUnsteady { note: Some(note), times: None };
    let effect_of = |note: SkyNote| effects.of_test(noted(note), Seen::InTest).effect;
    let of_note = |reading: &ReadingRecord| reading.sky.filter(|note| effect_of(*note) == Effect::Forbids).map(noted);
    // A moving sky whose light was read beside every reading is told, and nothing depends on it.
    let is_told = |note: &SkyNote| effect_of(*note) == Effect::Told && counting.iter().any(|reading| reading.sky == Some(*note));
    let told = [SkyNote::Broken, SkyNote::Overcast].into_iter().filter(is_told);
    let mut found: Vec<Named> = told.map(|note| effects.of_test(noted(note), Seen::InTest)).collect();
    let (clouded, clean): (Vec<_>, Vec<_>) = counting.into_iter().partition(|reading| of_note(reading).is_some());
    let is_clean = |level: usize| clean.iter().any(|reading| record.level_of(reading) == level);
    if clouded.len() >= clean.len() || !is_clean(0) || !clean.iter().any(|reading| record.level_of(reading) > 0) {
        // One finding for each note, of the whole test.
        let mut of_test: Vec<Finding> = Vec::new();
        for finding in clouded.iter().filter_map(|reading| of_note(reading)) {
            if !of_test.contains(&finding) {
                of_test.push(finding);
            }
        }
        found.extend(of_test.into_iter().map(|finding| effects.of_test(finding, Seen::InTest)));
        return found;
    }
    let each = clouded.iter().filter_map(|reading| Some((record.level_of(reading), *reading, of_note(reading)?)));
    found.extend(each.map(|(level, reading, finding)| {
        let seen = if is_clean(level) { Seen::InReading } else { Seen::InLevel };
        effects.of_reading(finding, seen, level, &reading.uid)
    }));
    found
}

/// Readings scatter beyond what is stated of them by more than this, as a variance, before one of them is looked for: that of the scatter
/// which is named.
const SCATTERED: f64 = plausibility::SCATTER_NAMED;

/// More readings than these have a mean that one of them does not move.
const MOST_READINGS: usize = 60;

/// The one reading without which all others agree: a cloud over it, a load that had not settled. None where a second one would do as well,
/// or where the others still disagree; and none that somebody confirmed.
fn stray(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    levels: &[AssessedLevel<'_>],
    method: &Method<'_>,
    named: &[Named],
    effects: &Effects<'_>,
) -> Option<Named> {
    let slips = left_out_by_uid(named);
    let without = |uid: &str| compare(&runs_taken(record, ordered, levels, |one| one == uid || slips.contains_key(one)), method);
    let scatter = |found: &Comparison| found.within_runs.variance.max(found.between_runs.variance);
    let all = without("").ok()?;
    if scatter(&all) <= SCATTERED || ordered.len() > MOST_READINGS {
        return None;
    }
    let mut agree = ordered.iter().filter(|reading| {
        // As many levels as with it: a level that was read once cannot be told from its reading.
        without(&reading.uid).is_ok_and(|left| left.levels.len() == all.levels.len() && scatter(&left) <= SCATTERED)
    });
    // One that was confirmed does as well as another: of two that contradict each other neither is the stray one for that.
    let (only, None) = (agree.next()?, agree.next()) else { return None };
    if record.runs.iter().any(|run| run.is_confirmed(&only.uid)) {
        return None;
    }
    let level = record.level_of(only);
    let value = value_of(all.compared, &only.figures, method.setup)?;
    let others: Vec<f64> = ordered
        .iter()
        .filter(|other| other.uid != only.uid && record.level_of(other) == level && !slips.contains_key(&other.uid))
        .filter_map(|other| value_of(all.compared, &other.figures, method.setup))
        .collect();
    let usual = others.iter().sum::<f64>() / others.len().max(1) as f64;
    let quantity = all.compared.quantity();
    Some(effects.of_reading(Finding::OutOfPattern { quantity, value, usual }, Seen::AgainstAllOthers, level, &only.uid))
}
