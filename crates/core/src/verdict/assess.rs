//! The one judge: a test's record to its assessment. A pure function: the same record gives the same value, whatever the order of its
//! rows.

use super::assessment::{AssessedLevel, AssessedReading, Assessment};
use super::combine::Combined;
use super::condition::taken;
use super::controller::{BothSides, both_sides};
use super::effect::{Asked, EffectOf, Effects, Seen, effect};
use super::finding::left_out_by_uid;
use super::outcome::outcome;
use super::plausibility;
use super::predict::predicted;
use super::ranking::{is_rated_below, rank_ranges};
use super::rating::{ReadingResult, judge_reading, together};
use super::reason::Reason;
use super::settle::settles;
use super::subject::Subject;
use super::used::{judge_used, seen_of};
use crate::record::order::{Slot, letters};
use crate::record::test::{ReadingRecord, TestRecord};
use std::collections::HashMap;
use std::sync::Arc;

/// The readings of a record by the time they were taken.
pub fn by_time(record: &TestRecord) -> Vec<&ReadingRecord> {
    let mut readings: Vec<&ReadingRecord> = record.readings.iter().collect();
    readings.sort_by(|a, b| (a.taken_utc, &a.uid).cmp(&(b.taken_utc, &b.uid)));
    readings
}

/// Assesses a test. `None` where the record does not hold the panel it is of.
pub fn assess(record: &TestRecord) -> Option<Assessment<'_>> {
    assess_measured(record).map(|assessment| with_prediction(record, assessment))
}

/// An assessment of a record with what the circuit predicts of it.
pub fn with_prediction<'a>(record: &'a TestRecord, mut assessment: Assessment<'a>) -> Assessment<'a> {
    let found = assessment.outcome.comparison().and_then(|found| found.as_ref().ok());
    assessment.prediction = found.and_then(|found| predicted(record, &assessment.levels, found));
    assessment
}

/// The same without the prediction, for lists of many tests: nothing else of it depends on what the circuit predicts.
pub fn assess_measured(record: &TestRecord) -> Option<Assessment<'_>> {
    assess_by(record, &effect)
}

/// The same by another table of effects: a test takes a finding out and sees what becomes of the verdict.
pub fn assess_by<'a>(record: &'a TestRecord, of: EffectOf<'_>) -> Option<Assessment<'a>> {
    assessed(record, of, None)
}

/// A test as it was assessed before: what was judged of a reading by itself then still holds, where nothing else changed.
#[derive(Debug, Clone, Copy)]
pub struct Earlier<'a> {
    pub record: &'a TestRecord,
    pub assessment: &'a Assessment<'a>,
}

/// As [`assess_measured`], and the same value: a reading that was judged before is not judged again, so that a test that grows by a reading
/// costs what that one adds and what its runs come to.
pub fn assess_measured_after<'a>(record: &'a TestRecord, earlier: Earlier<'_>) -> Option<Assessment<'a>> {
    assessed(record, &effect, Some(earlier))
}

impl<'a> Earlier<'a> {
    /// The readings of before with what was judged of them, by uid; none where anything else than readings changed.
    fn judged(self, record: &TestRecord) -> HashMap<&'a str, (&'a ReadingRecord, &'a AssessedReading)> {
        if !is_judged_alike(self.record, record) {
            return HashMap::new();
        }
        let judged = by_time(self.record).into_iter().zip(&self.assessment.readings);
        judged.map(|(reading, assessed)| (reading.uid.as_str(), (reading, assessed))).collect()
    }
}

/// Whether a reading by itself comes to the same in both.
fn is_judged_alike(one: &TestRecord, other: &TestRecord) -> bool {
    // Every part is named, so that a new one is thought of. Runs say of which level a reading is, which is compared with each; meters, by
    // which results share their errors, have no part in a reading by itself.
    let TestRecord { question, setup, meters: _, site, panel, rig, panels, gear, rigs, plan, runs: _, readings: _, now_utc: _ } =
        one;
    *question == other.question
        && *setup == other.setup
        && *site == other.site
        && *panel == other.panel
        && *rig == other.rig
        && *panels == other.panels
        && *gear == other.gear
        && *rigs == other.rigs
        && *plan == other.plan
}

/// The result of a reading by itself, out of an assessment.
fn own_result(assessed: &AssessedReading) -> Arc<ReadingResult> {
    if assessed.result.left_out.len() == assessed.own_reasons {
        return Arc::clone(&assessed.result);
    }
    let mut result = ReadingResult::clone(&assessed.result);
    result.left_out.truncate(assessed.own_reasons);
    Arc::new(result)
}

fn assessed<'a>(record: &'a TestRecord, of: EffectOf<'_>, earlier: Option<Earlier<'_>>) -> Option<Assessment<'a>> {
    let effects = Effects { asked: Asked::of(record), of };
    let ordered = by_time(record);
    let count = record.plan.as_ref().map_or(0, |plan| plan.levels.len());
    let subjects: Vec<Subject<'_>> = (0..=count).map(|level| Subject::of(record, level)).collect::<Option<_>>()?;
    let before = earlier.map(|earlier| earlier.judged(record)).unwrap_or_default();
    let judged = |reading: &ReadingRecord| {
        let level = record.level_of(reading).min(count);
        let known = before.get(reading.uid.as_str()).filter(|(same, assessed)| *same == reading && assessed.level == level);
        let subject = &subjects[level];
        let (result, own_findings) = match known {
            Some((_, assessed)) => (own_result(assessed), assessed.own_findings.clone()),
            None => {
                let arrangement = subject.arrangement.as_ref().ok();
                let result = judge_reading(subject.label(), &subject.setup, record.site.as_ref(), arrangement, &taken(reading));
                let found = plausibility::of_reading(record, reading, &result, subject);
                (Arc::new(result), found)
            }
        };
        let (left_out, own_reasons) = (result.left_out.clone(), result.left_out.len());
        AssessedReading { uid: reading.uid.clone(), run_id: reading.run_id, level, result, own_reasons, own_findings, left_out }
    };
    let mut readings: Vec<AssessedReading> = ordered.iter().map(|reading| judged(reading)).collect();
    let mut named = plausibility::of_conditions(record, &subjects, &effects);
    named.extend(plausibility::of_readings(record, &ordered, &subjects, &readings, &effects));
    // A finding that takes a reading out of the rating is a reason of that reading.
    let left_out = left_out_by_uid(&named);
    for reading in &mut readings {
        for one in left_out.get(reading.uid.as_str()).into_iter().flatten() {
            let reason = Reason::Found(one.finding.clone());
            if !reading.result.left_out.iter().any(|known| known.code() == reason.code()) {
                Arc::make_mut(&mut reading.result).left_out.push(reason.clone());
                reading.left_out.push(reason);
            }
        }
    }
    let mut levels: Vec<AssessedLevel<'_>> = subjects
        .into_iter()
        .enumerate()
        .map(|(level, subject)| assessed_level(record, level, subject, &readings, &ordered))
        .collect();
    place_by_rating(&mut levels);
    let (outcome, hours) = outcome(record, &ordered, &levels, &mut readings, &mut named, &effects);
    for level in &levels {
        let of_panel = level.used.iter().flat_map(|used| used.found.iter().cloned());
        let of_controller = level.sides.iter().filter_map(BothSides::finding);
        named.extend(of_panel.chain(of_controller).map(|found| effects.of_level(found, Seen::InLevel, level.level)));
    }
    let mut assessment =
        Assessment { question: record.question, readings, levels, outcome, named, hours, prediction: None, settles: Vec::new() };
    assessment.settles = settles(record, &assessment);
    Some(assessment)
}

fn assessed_level<'a>(
    record: &TestRecord,
    level: usize,
    subject: Subject<'a>,
    readings: &[AssessedReading],
    ordered: &[&ReadingRecord],
) -> AssessedLevel<'a> {
    let own: Vec<(&AssessedReading, &ReadingRecord)> =
        readings.iter().zip(ordered.iter().copied()).filter(|(reading, _)| reading.level == level).collect();
    let results = own.iter().map(|(reading, _)| Arc::clone(&reading.result)).collect();
    let rating = together(subject.label(), &subject.setup, results);
    let figures = || own.iter().map(|(_, reading)| &reading.figures);
    let used = (record.question.is_of_rating() && !own.is_empty() && subject.count() == 1 && !subject.is_shaded()).then(|| {
        let sound = own.iter().filter(|(reading, _)| reading.left_out.iter().all(Reason::leaves_the_figures));
        judge_used(subject.label(), &seen_of(sound.map(|(_, reading)| &reading.figures), &subject.setup))
    });
    let priced = subject.price().zip(subject.rated_w()).zip(rating.pmax.as_ref());
    let price_per_w = priced.filter(|(_, pmax)| pmax.percent > 1.0).map(|((price, rated_w), pmax)| {
        let watts_w = pmax.percent / 100.0 * rated_w;
        (price / watts_w, price / watts_w * pmax.u_percent / pmax.percent)
    });
    AssessedLevel {
        level,
        letter: letters(&[Slot { level, rig: 0 }]),
        name: record.plan.as_ref().map_or_else(|| subject.line(), |plan| plan.level_name(level)),
        sides: both_sides(figures(), &subject),
        used,
        price_per_w,
        place: 1,
        place_high: 1,
        rating,
        subject,
    }
}

/// The best first, as the ranks that each can have; levels without a figure come last.
fn place_by_rating(levels: &mut [AssessedLevel<'_>]) {
    let rated: Vec<Combined> = levels.iter().filter_map(|level| level.rating.pmax.clone()).collect();
    let mut ranges = rank_ranges(rated.len(), |a, b| is_rated_below(&rated[a], &rated[b], rated.len())).into_iter();
    let last = (rated.len() + 1, levels.len());
    for level in levels {
        (level.place, level.place_high) = if level.rating.pmax.is_some() { ranges.next().unwrap_or(last) } else { last };
    }
}
