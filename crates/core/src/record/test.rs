//! The whole record of a test: everything that is known when it is assessed, as plain data.

use super::condition::{Conditions, Factor, Value};
use super::meters::MeterUse;
use super::names::Id;
use super::order::Order;
use super::plan::Plan;
use super::question::Question;
use super::run::{Run, RunEventKind, RunState};
use super::setup::Setup;
use crate::gear::Gear;
use crate::measure::quantity::Figures;
use crate::panel::inspection::Defect;
use crate::panel::nameplate::Nameplate;
use crate::rig::Rig;
use crate::sky::course::Site;
use crate::sky::note::SkyNote;
use jiff::Timestamp;

/// One piece of panel, with the label of its kind.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PanelRecord {
    pub id: Id,
    pub tag: String,
    /// The name of its kind.
    pub kind: String,
    pub label: Nameplate,
    pub is_used: bool,
    pub age_years: Option<f64>,
    /// In the currency of the bench.
    pub price: Option<f64>,
    pub defects: Vec<Defect>,
}

/// A controller or power station that a level can name.
#[derive(Debug, Clone, PartialEq)]
pub struct GearRecord {
    pub id: Id,
    pub name: String,
    pub gear: Gear,
}

/// A rig with the identities of its panels, string by string.
#[derive(Debug, Clone, PartialEq)]
pub struct RigRecord {
    pub id: Id,
    pub name: String,
    pub rig: Rig,
    pub panels: Vec<Vec<Id>>,
}

/// A reading that stands.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadingRecord {
    pub uid: String,
    pub run_id: Option<i64>,
    pub taken_utc: Timestamp,
    /// Of `taken_utc`, 1 to 366.
    pub day_of_year: f64,
    /// As it was noted with it, or by a cloud that was marked on its run.
    pub sky: Option<SkyNote>,
    pub figures: Figures,
}

/// Everything about one test. The order of its panels, gear, runs and readings means nothing.
#[derive(Debug, Clone, PartialEq)]
pub struct TestRecord {
    pub question: Question,
    pub setup: Setup,
    /// The meters of the bench that it is read with; those without a record are not in it.
    pub meters: Vec<MeterUse>,
    /// Where it is made.
    pub site: Option<Site>,
    /// The panel the test is of; its first, where it is of several.
    pub panel: Id,
    /// The rig it is measured with.
    pub rig: Option<Id>,
    pub panels: Vec<PanelRecord>,
    pub gear: Vec<GearRecord>,
    pub rigs: Vec<RigRecord>,
    /// `None` for one condition, read again and again.
    pub plan: Option<Plan>,
    pub runs: Vec<Run>,
    pub readings: Vec<ReadingRecord>,
    pub now_utc: Timestamp,
}

impl TestRecord {
    /// Clouds that were marked on runs, as a sky noted with their readings: a cloud is over those of its run that were taken after it was
    /// marked, and where none was, over the last one before. A sky that was noted as overcast stays.
    #[must_use]
    pub fn with_marked_clouds(mut self) -> Self {
        for run in &self.runs {
            for mark in run.events.iter().filter(|event| event.what == RunEventKind::Cloud) {
                let of_run = || self.readings.iter().enumerate().filter(|(_, reading)| reading.run_id == Some(run.id));
                let after: Vec<usize> =
                    of_run().filter(|(_, reading)| reading.taken_utc > mark.at_utc).map(|(nth, _)| nth).collect();
                let last = of_run().max_by_key(|(_, reading)| reading.taken_utc).map(|(nth, _)| nth);
                let under = if after.is_empty() { last.into_iter().collect() } else { after };
                for nth in under {
                    let sky = &mut self.readings[nth].sky;
                    *sky = sky.filter(|noted| *noted == SkyNote::Overcast).or(Some(SkyNote::Broken));
                }
            }
        }
        self
    }

    pub fn panel(&self, id: &str) -> Option<&PanelRecord> {
        self.panels.iter().find(|panel| panel.id == id)
    }

    pub fn rig_record(&self, id: &str) -> Option<&RigRecord> {
        self.rigs.iter().find(|rig| rig.id == id)
    }

    /// What is the case at a level; nothing besides the set-up without a plan.
    pub fn conditions(&self, level: usize) -> Conditions {
        self.plan.as_ref().map(|plan| plan.conditions(level)).unwrap_or_default()
    }

    /// The rig of a level: the one its conditions name, and else the test's.
    pub fn rig_at(&self, conditions: &Conditions) -> Option<&RigRecord> {
        let named = [Factor::Rig, Factor::Step]
            .into_iter()
            .find_map(|factor| if let Value::Rig(id) = &conditions.get(&factor)?.value { Some(id) } else { None });
        self.rig_record(named.or(self.rig.as_ref())?)
    }

    pub fn level_of(&self, reading: &ReadingRecord) -> usize {
        self.runs.iter().find(|run| Some(run.id) == reading.run_id).map_or(0, |run| run.level)
    }

    /// The readings of a run, by the time they were taken.
    pub fn readings_of(&self, run_id: i64) -> Vec<&ReadingRecord> {
        let mut readings: Vec<&ReadingRecord> = self.readings.iter().filter(|reading| reading.run_id == Some(run_id)).collect();
        readings.sort_by(|a, b| (a.taken_utc, &a.uid).cmp(&(b.taken_utc, &b.uid)));
        readings
    }

    fn is_side_by_side(&self) -> bool {
        self.plan.as_ref().is_some_and(|plan| plan.order.is_side_by_side())
    }

    /// The runs at work: the one begun last, and else the first that waits; side by side both of its pair.
    pub fn at_work(&self) -> Vec<&Run> {
        let begun = self.runs.iter().filter(|run| run.state() == RunState::Begun).max_by_key(|run| (run.begun_utc(), -run.place));
        let Some(first) = begun.or_else(|| self.next_after(None)) else { return Vec::new() };
        self.beside(first)
    }

    /// A run with the one that is at work at the same time.
    pub fn beside<'a>(&'a self, run: &'a Run) -> Vec<&'a Run> {
        if !self.is_side_by_side() || run.is_added {
            return vec![run];
        }
        let pair = (run.place - 1) / 2;
        let mut both: Vec<&Run> = self.runs.iter().filter(|other| !other.is_added && (other.place - 1) / 2 == pair).collect();
        both.sort_by_key(|other| other.place);
        both
    }

    /// The first run that waits, after the place of another.
    pub fn next_after(&self, run: Option<&Run>) -> Option<&Run> {
        let waits = |of: &&Run| of.state() == RunState::Waiting && self.readings_of(of.id).is_empty();
        let mut runs: Vec<&Run> = self.runs.iter().collect();
        runs.sort_by_key(|run| run.place);
        let after = runs.iter().copied().filter(|of| waits(of)).find(|of| run.is_none_or(|run| of.place > run.place));
        after.or_else(|| runs.into_iter().find(|of| waits(of) && run.is_none_or(|run| run.id != of.id)))
    }

    /// The order of the plan; [`Order::Repeats`] without one.
    pub fn order(&self) -> Order {
        self.plan.as_ref().map_or(Order::Repeats, |plan| plan.order)
    }
}
