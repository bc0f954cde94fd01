//! Rows to the core's `TestRecord`, in one place.

use crate::OpenTest;
use crate::Recorded;
use crate::Register;
use crate::connections::Store;
use crate::error::StoreError;
use crate::rows::gear::GearRow;
use crate::rows::panel::Panel;
use crate::rows::place::PlaceRow;
use crate::rows::reading::{Reading, lines};
use crate::rows::rig::{RigDraft, RigRow};
use crate::rows::test::Test;
use crate::withdrawals::Withdrawable;
use flindo_core::gear::Gear;
use flindo_core::measure::quantity::Quantity;
use flindo_core::record::language::work::turn_at_work;
use flindo_core::record::names::Names;
use flindo_core::record::open;
use flindo_core::record::order::Order;
use flindo_core::record::run::Run;
use flindo_core::record::run_energy::{TestLog, energy_readings};
use flindo_core::record::test::{GearRecord, PanelRecord, ReadingRecord, RigRecord, TestRecord};
use flindo_core::rig::{Module, Named, Placed, Rig, Sink, wiring};
use jiff::Timestamp;
use std::sync::{Arc, PoisonError};

/// Taken where a rig has no place, C.
const USUAL_COLDEST_C: f64 = -10.0;
const USUAL_HOTTEST_C: f64 = 40.0;

impl Store {
    /// Everything that tests refer to; read once, and again after it changed.
    pub async fn register(&self) -> Result<Arc<Register>, StoreError> {
        let state = self.changes.now();
        let kept = self.register.lock().unwrap_or_else(PoisonError::into_inner).clone();
        if let (Some(state), Some((of, register))) = (state, kept)
            && of == state
        {
            return Ok(register);
        }
        let register = Arc::new(Register {
            panels: self.read_panels().await?,
            withdrawn_panels: self.withdrawn_ids(Withdrawable::Panel).await?,
            gear: self.read_gear().await?,
            rigs: self.read_rigs().await?,
            places: self.read_places().await?,
            place_id: self.current_place().await?.map(|place| place.id),
        });
        if let Some(state) = state {
            *self.register.lock().unwrap_or_else(PoisonError::into_inner) = Some((state, Arc::clone(&register)));
        }
        Ok(register)
    }

    /// One test with everything about it, as it stands at a moment.
    pub async fn recorded(&self, test_id: i64, now: Timestamp) -> Result<Recorded, StoreError> {
        let readings = self.readings(test_id).await?;
        self.recorded_of(test_id, readings, now).await
    }

    /// As [`Store::recorded`], and the same value: of its readings only those are read that were accepted since it was recorded before.
    pub async fn recorded_since(&self, before: &Recorded, now: Timestamp) -> Result<Recorded, StoreError> {
        let rows = before.lines.iter().flat_map(|line| line.past.iter().chain(&line.current));
        let readings = self.readings_since(before.test.id, rows.cloned().collect()).await?;
        self.recorded_of(before.test.id, readings, now).await
    }

    async fn recorded_of(&self, test_id: i64, readings: Vec<Reading>, now: Timestamp) -> Result<Recorded, StoreError> {
        let test = self.test(test_id).await?;
        let (register, runs) = (self.register().await?, self.runs(test_id).await?);
        let mut recorded = register.recorded(test, readings, runs, now)?;
        if reads_energy(&recorded.record) {
            let logs = self.steps_of_test(test_id).await?;
            let record = &mut recorded.record;
            record.readings.extend(energy_readings(&logs, &record.runs, &record.readings));
        }
        Ok(recorded)
    }

    /// The logs of a test at their own pace.
    async fn steps_of_test(&self, test_id: i64) -> Result<Vec<TestLog>, StoreError> {
        let mut logs = Vec::new();
        for log in self.logs_of_test(test_id).await? {
            let grid = self.log_steps(&log).await?;
            logs.push(TestLog { id: log.id, run_id: log.run_id, side: log.belongs.side, grid });
        }
        Ok(logs)
    }
}

/// Whether watt-hours are what a test is about.
fn reads_energy(record: &TestRecord) -> bool {
    record.order() == Order::Totals || record.question.card().reads.iter().any(|set| set.contains(&Quantity::Energy))
}

impl Register {
    /// The tags and names that conditions can refer to.
    pub fn names(&self) -> Names {
        let takes = |row: &&GearRow| matches!(row.gear, Gear::Controller(_) | Gear::Station(_));
        Names {
            panels: self.panels.iter().map(|panel| (panel.uid.clone(), panel.draft.tag.clone())).collect(),
            rigs: self.rigs.iter().map(|rig| (rig.uid.clone(), rig.draft.name.clone())).collect(),
            gear: self.gear.iter().filter(takes).map(|row| (row.uid.clone(), row.draft.name.clone())).collect(),
        }
    }

    pub fn panel(&self, id: i64) -> Option<&Panel> {
        self.panels.iter().find(|panel| panel.id == id)
    }

    pub fn rig(&self, id: i64) -> Option<&RigRow> {
        self.rigs.iter().find(|rig| rig.id == id)
    }

    /// The panels that are listed, as the core compares tests of them.
    pub fn panel_records(&self) -> Vec<PanelRecord> {
        self.listed().map(panel_record).collect()
    }

    /// The place of a test, and else the one in use.
    pub fn place_of(&self, test: &Test) -> Option<&PlaceRow> {
        let id = test.place_id.or(self.place_id)?;
        self.places.iter().find(|place| place.id == id)
    }

    /// A test with its readings and runs as a record.
    ///
    /// # Errors
    /// Where the file holds a test without its panel.
    pub fn recorded(&self, test: Test, readings: Vec<Reading>, runs: Vec<Run>, now: Timestamp) -> Result<Recorded, StoreError> {
        let panel =
            self.panel(test.panel_id).cloned().ok_or_else(|| StoreError::Corrupt(format!("the panel of test {}", test.id)))?;
        let place = self.place_of(&test).cloned();
        let lines = lines(readings);
        let standing = lines.iter().filter_map(|line| line.current.as_ref()).map(reading_record).collect();
        let record = TestRecord {
            question: test.question,
            setup: test.setup,
            meters: test.meters.clone(),
            site: place.as_ref().map(|place| place.draft.site()),
            panel: panel.uid.clone(),
            rig: test.rig_id.and_then(|id| self.rig(id)).map(|rig| rig.uid.clone()),
            panels: self.panels.iter().map(panel_record).collect(),
            gear: self
                .gear
                .iter()
                .map(|row| GearRecord { id: row.uid.clone(), name: row.draft.name.clone(), gear: row.gear.clone() })
                .collect(),
            rigs: self.rigs.iter().filter_map(|row| self.rig_record(row, place.as_ref())).collect(),
            plan: test.plan.clone(),
            runs,
            readings: standing,
            now_utc: now,
        }
        .with_marked_clouds();
        if !test.is_open {
            return Ok(Recorded { test, panel, place, lines, record, open: None });
        }
        let answers = open::answered(&record);
        let main = answers.first().map_or_else(|| record.clone(), |one| one.record.clone());
        let test = Test { question: main.question, ..test };
        let turn = turn_at_work(&record, &self.names());
        let opened = OpenTest { states: open::states(&record), entered: record, answers, turn };
        Ok(Recorded { test, panel, place, lines, record: main, open: Some(opened) })
    }

    /// A rig that names a panel which is not here any more is no rig that could be computed with.
    fn rig_record(&self, row: &RigRow, place: Option<&PlaceRow>) -> Option<RigRecord> {
        let rig = rig_of(&row.draft, &self.panels, &self.gear, place).ok()?;
        let strings = pieces(&row.draft.wiring, &self.panels).ok()?;
        let panels = strings.iter().map(|string| string.iter().map(|panel| panel.uid.clone()).collect()).collect();
        Some(RigRecord { id: row.uid.clone(), name: row.draft.name.clone(), rig, panels })
    }
}

/// A panel for the core.
pub fn panel_record(panel: &Panel) -> PanelRecord {
    PanelRecord {
        id: panel.uid.clone(),
        tag: panel.draft.tag.clone(),
        kind: panel.kind.draft.name.clone(),
        label: panel.kind.draft.nameplate.clone(),
        is_used: panel.draft.is_used,
        age_years: panel.draft.age_years,
        price: panel.price(),
        defects: panel.draft.wear.clone(),
    }
}

fn reading_record(reading: &Reading) -> ReadingRecord {
    ReadingRecord {
        uid: reading.what.uid.clone(),
        run_id: reading.what.run_id,
        taken_utc: reading.what.taken_utc,
        day_of_year: day_of_year(reading.what.taken_utc),
        sky: reading.what.sky,
        figures: reading.what.figures.clone(),
    }
}

/// Of a moment, in UTC: 1 to 366.
pub fn day_of_year(time: Timestamp) -> f64 {
    flindo_core::sky::daylight::day_of_year(time.as_second() as f64)
}

/// The panels of a wiring line. A tag that is wired more than once stands for itself and for the next pieces of its kind.
///
/// # Errors
/// A sentence: which tag is not here, or how many pieces there are.
pub fn pieces<'a>(line: &str, panels: &'a [Panel]) -> Result<Vec<Vec<&'a Panel>>, String> {
    let strings = wiring::parse(line)?;
    let named: Vec<&Panel> = strings.iter().flatten().map(|tag| panel_of(tag, panels)).collect::<Result<_, _>>()?;
    let mut used: Vec<i64> = Vec::new();
    let mut taken = Vec::new();
    for (place, panel) in named.iter().enumerate() {
        let is_free = |other: &&Panel| {
            other.kind.id == panel.kind.id
                && !used.contains(&other.id)
                && !named[place + 1..].iter().any(|later| later.id == other.id)
        };
        let piece = if used.contains(&panel.id) { panels.iter().find(is_free) } else { Some(*panel) };
        let Some(piece) = piece else {
            let count = panels.iter().filter(|other| other.kind.id == panel.kind.id).count();
            let there = if count == 1 { "one piece".to_owned() } else { format!("{count} pieces") };
            return Err(format!(
                "{} is wired more often than the bench has pieces of {}: {there}. Add the others as panels.",
                panel.draft.tag,
                panel.name()
            ));
        };
        used.push(piece.id);
        taken.push(piece);
    }
    let mut taken = taken.into_iter();
    Ok(strings.iter().map(|string| taken.by_ref().take(string.len()).collect()).collect())
}

/// A rig for the core.
///
/// # Errors
/// A sentence: which panel or wiring cannot be read.
pub fn rig_of(draft: &RigDraft, panels: &[Panel], gear: &[GearRow], place: Option<&PlaceRow>) -> Result<Rig, String> {
    let module = |panel: &&Panel| Module {
        tag: panel.draft.tag.clone(),
        nameplate: panel.kind.draft.nameplate.clone(),
        wear: panel.draft.wear.clone(),
    };
    let strings = pieces(&draft.wiring, panels)?.iter().map(|string| string.iter().map(module).collect()).collect();
    let piece = |id: Option<i64>| id.and_then(|id| gear.iter().find(|row| row.id == id));
    let battery =
        piece(draft.battery_id).and_then(|row| if let Gear::Battery(battery) = &row.gear { Some(battery.clone()) } else { None });
    let sink = match (piece(draft.sink_id).map(|row| (&row.draft.name, &row.gear)), draft.ends_in) {
        (Some((name, Gear::Controller(controller))), _) => {
            Sink::Controller { name: name.clone(), controller: controller.clone(), battery }
        }
        (Some((name, Gear::Station(station))), _) => Sink::Station { name: name.clone(), station: station.clone() },
        (_, Some(load)) => Sink::Load(load),
        (_, None) => Sink::Open,
    };
    Ok(Rig {
        strings,
        string_fuse: piece(draft.string_fuse_id).and_then(|row| {
            let Gear::Fuse(part) = &row.gear else { return None };
            Some(Named { name: row.draft.name.clone(), part: part.clone() })
        }),
        joint: piece(draft.joint_id).and_then(|row| {
            let Gear::Combiner(part) = &row.gear else { return None };
            Some(Named { name: row.draft.name.clone(), part: part.clone() })
        }),
        lead: piece(draft.lead_id).and_then(|row| {
            let Gear::Lead(part) = &row.gear else { return None };
            Some(Named { name: row.draft.name.clone(), part: part.clone() })
        }),
        sink,
        meters: draft
            .meters
            .iter()
            .filter_map(|(spot, id)| {
                let row = piece(Some(*id))?;
                let Gear::Meter(meter) = &row.gear else { return None };
                Some(Placed { name: row.draft.name.clone(), meter: meter.clone(), spot: *spot })
            })
            .collect(),
        coldest_c: place.map_or(USUAL_COLDEST_C, |place| place.draft.coldest_c),
        hottest_c: place.map_or(USUAL_HOTTEST_C, |place| place.draft.hottest_c),
    })
}

fn panel_of<'a>(tag: &str, panels: &'a [Panel]) -> Result<&'a Panel, String> {
    panels.iter().find(|panel| panel.draft.tag.eq_ignore_ascii_case(tag)).ok_or_else(|| {
        let tags: Vec<&str> = panels.iter().map(|panel| panel.draft.tag.as_str()).take(12).collect();
        format!("There is no panel with the tag \u{201c}{tag}\u{201d}. The bench has {}.", tags.join(", "))
    })
}
