//! A test with its assessment.

use crate::error::AppError;
use crate::words;
use flindo_core::record::open::Answered;
use flindo_core::record::plan::Plan;
use flindo_core::record::run::Run;
use flindo_core::record::test::TestRecord;
use flindo_core::review::headline::headline;
use flindo_core::review::summary::Summary;
use flindo_core::verdict::assess::{Earlier, assess_measured, assess_measured_after, with_prediction};
use flindo_core::verdict::assessment::{AssessedReading, Assessment};
use flindo_core::verdict::finding::Named;
use flindo_store::{Reading, Recorded, StoreError};
use jiff::tz::TimeZone;
use std::collections::HashMap;
use std::sync::OnceLock;

pub struct Evaluated<'a> {
    pub recorded: &'a Recorded,
    pub assessment: Assessment<'a>,
    /// The readings were all taken on one day in this zone.
    pub one_day: OnceLock<(TimeZone, bool)>,
    /// Places of the assessed readings.
    places: HashMap<String, usize>,
}

impl<'a> Evaluated<'a> {
    /// `before`: the same test as it was assessed before, whose readings need not be judged again.
    pub fn of(recorded: &'a Recorded, before: Option<&Evaluated<'_>>) -> Result<Self, AppError> {
        let measured = Self::in_brief(recorded, before)?;
        Ok(Evaluated { assessment: with_prediction(&recorded.record, measured.assessment), ..measured })
    }

    /// Without predictions, for lists and for pages that are asked for with every reading.
    pub fn in_brief(recorded: &'a Recorded, before: Option<&Evaluated<'_>>) -> Result<Self, AppError> {
        let assessment = match before {
            Some(before) => {
                let earlier = Earlier { record: &before.recorded.record, assessment: &before.assessment };
                assess_measured_after(&recorded.record, earlier)
            }
            None => assess_measured(&recorded.record),
        };
        let assessment = assessment.ok_or_else(|| no_panel(recorded))?;
        Ok(Self::around(recorded, assessment))
    }

    fn around(recorded: &'a Recorded, assessment: Assessment<'a>) -> Self {
        let places = assessment.readings.iter().enumerate().map(|(place, one)| (one.uid.clone(), place)).collect();
        Evaluated { recorded, assessment, one_day: OnceLock::new(), places }
    }

    /// The answer in one sentence: the same on every page and for programs. Hours are those of its place.
    pub fn headline(&self) -> String {
        self.headline_of(&self.recorded.record, &self.assessment)
    }

    /// The same of another answer of an open test.
    pub fn headline_of(&self, record: &TestRecord, assessment: &Assessment<'_>) -> String {
        words::headline::headline(&headline(&Summary::of(record, assessment)), &zone_of(self.recorded))
    }

    /// The answers of an open test with their assessments, the main one first; none of a planned test.
    pub fn answers(&self) -> Vec<(&'a Answered, Assessment<'a>)> {
        let answers = self.recorded.open.iter().flat_map(|open| &open.answers);
        answers.filter_map(|one| Some((one, assess_measured(&one.record)?))).collect()
    }

    /// What a reading came to.
    pub fn judged(&self, uid: &str) -> Option<&AssessedReading> {
        self.places.get(uid).map(|place| &self.assessment.readings[*place])
    }

    pub fn plan(&self) -> Option<&'a Plan> {
        self.recorded.record.plan.as_ref()
    }

    /// Its levels are compared with each other, not with their labels.
    pub fn is_comparison(&self) -> bool {
        self.assessment.outcome.comparison().is_some()
    }

    pub fn named_of(&self, level: usize) -> Vec<&Named> {
        self.assessment.named.iter().filter(|one| one.level.is_none_or(|of| of == level)).collect()
    }

    /// The readings that stand, each with its result.
    pub fn standing(&self) -> impl Iterator<Item = (&Reading, &AssessedReading)> {
        let current = self.recorded.lines.iter().filter_map(|line| line.current.as_ref());
        current.filter_map(|reading| self.judged(&reading.what.uid).map(|judged| (reading, judged)))
    }

    pub fn level_name(&self, level: usize) -> String {
        let own = || self.assessment.level(level).map(|one| one.name.clone()).unwrap_or_default();
        self.plan().map_or_else(own, |plan| words::plan::level_name(plan, level))
    }

    pub fn tilt_deg(&self, run: &Run) -> f64 {
        self.assessment.level(run.level).map_or(self.recorded.test.setup.tilt_deg, |one| one.subject.setup.tilt_deg)
    }
}

/// The time zone of a test's place; UTC where it has none.
pub fn zone_of(recorded: &Recorded) -> TimeZone {
    recorded.place.as_ref().and_then(|place| TimeZone::get(&place.draft.time_zone).ok()).unwrap_or(TimeZone::UTC)
}

fn no_panel(recorded: &Recorded) -> AppError {
    StoreError::Corrupt(format!("the panel of test {}", recorded.test.id)).into()
}
