//! A test that grows by a reading: what is taken over from its assessment before changes nothing of the answer.

use crate::worlds::{comparing, rating, traps};
use flindo_core::record::test::TestRecord;
use flindo_core::verdict::assess::{Earlier, assess_measured, assess_measured_after};
use std::sync::Arc;

fn records() -> Vec<TestRecord> {
    let traps = traps::ALL.into_iter().map(|trap| traps::test(trap, 3, true));
    let compared = (0..12).map(|seed| comparing::World::draw(seed).read(seed));
    let rated = (0..12).map(|seed| rating::World::draw(seed).read(seed));
    traps.chain(compared).chain(rated).collect()
}

/// Everything of an assessment, as text.
fn said(record: &TestRecord, earlier: Option<&TestRecord>) -> String {
    let before = earlier.map(|earlier| (earlier, assess_measured(earlier).unwrap()));
    let assessment = match &before {
        Some((record_before, assessment)) => assess_measured_after(record, Earlier { record: record_before, assessment }),
        None => assess_measured(record),
    };
    format!("{:?}", assessment.unwrap())
}

#[test]
fn after_each_reading_the_assessment_is_that_of_the_whole_test() {
    let mut seen = 0;
    for record in records() {
        let fresh = said(&record, None);
        for lacks in 1..=record.readings.len().min(3) {
            let mut earlier = record.clone();
            earlier.readings.truncate(record.readings.len() - lacks);
            assert_eq!(said(&record, Some(&earlier)), fresh);
            // One that was taken back since.
            assert_eq!(said(&earlier, Some(&record)), said(&earlier, None));
            seen += 1;
        }
    }
    assert!(seen > 100, "{seen}");
}

#[test]
fn a_reading_that_became_another_and_one_of_another_set_up_are_judged_again() {
    for record in records() {
        let fresh = said(&record, None);
        let mut other_tilt = record.clone();
        other_tilt.setup.tilt_deg += 20.0;
        let mut other_label = record.clone();
        other_label.panels[0].label.rated_w = other_label.panels[0].label.rated_w.map(|rated_w| 1.2 * rated_w);
        let mut elsewhere = record.clone();
        elsewhere.site = None;
        // The same identities with the figures of the reading beside them.
        let mut shifted = record.clone();
        let count = shifted.readings.len();
        for nth in 0..count {
            shifted.readings[nth].figures = record.readings[(nth + 1) % count].figures.clone();
        }
        for earlier in [other_tilt, other_label, elsewhere, shifted] {
            assert_eq!(said(&record, Some(&earlier)), fresh);
        }
    }
}

#[test]
fn what_was_judged_before_is_taken_over() {
    let record = comparing::World::draw(1).read(1);
    let mut earlier = record.clone();
    earlier.readings.pop();
    let before = assess_measured(&earlier).unwrap();
    let after = assess_measured_after(&record, Earlier { record: &earlier, assessment: &before }).unwrap();
    let own = |uid: &str| {
        before.readings.iter().find(|known| known.uid == uid).filter(|known| known.own_reasons == known.result.left_out.len())
    };
    let shared = after
        .readings
        .iter()
        .filter(|reading| own(&reading.uid).is_some_and(|known| Arc::ptr_eq(&known.result, &reading.result)));
    assert!(shared.count() * 2 > record.readings.len());
}
