//! A planned test of the demo, made with its runs and readings as they were.

use super::reading;
use super::rigs::usual_meters;
use crate::door::meters;
use flindo_core::record::order::runs;
use flindo_core::record::plan::{self, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::run::RunEventKind;
use flindo_core::record::setup::{IrradianceSource, Load, Setup};
use flindo_store::{NewEvent, NewReading, NewRun, Store, StoreError, TestDraft, new_uid};

pub struct Planned {
    pub question: Question,
    pub panel: &'static str,
    /// Empty: none.
    pub rig: &'static str,
    pub day: &'static str,
    pub load: Load,
    pub tilt_deg: f64,
    pub irradiance_source: IrradianceSource,
    pub plan: &'static [(&'static str, &'static str)],
    /// One line for each run that was made, in the order of the sheet; "2026-09-18|652 Wh @18:40" has a day of its own.
    pub lines: &'static [&'static str],
}

impl Planned {
    /// What most of them have.
    pub const USUAL: Planned = Planned {
        question: Question::MakesRating,
        panel: "S-1",
        rig: "",
        day: "",
        load: Load::LoadTester,
        tilt_deg: 35.0,
        irradiance_source: IrradianceSource::PlaneMeter,
        plan: &[],
        lines: &[],
    };
}

/// The moment a run begins before its reading, s.
const BEFORE_S: i64 = 40;

/// Makes the test; answers its id.
pub async fn made(store: &Store, place_id: i64, usual: Setup, test: &Planned) -> Result<i64, StoreError> {
    let setup = Setup { load: test.load, tilt_deg: test.tilt_deg, irradiance_source: test.irradiance_source, ..usual };
    let mut typed = PlanTyped::default();
    typed.set("question", test.question.name());
    for (name, text) in test.plan {
        typed.set(name, *text);
    }
    let register = store.register().await?;
    let plan = plan::check(&typed, setup.load, &register.names())
        .map_err(|notes| StoreError::Corrupt(format!("the demo's plan: {notes:?}")))?;
    let slots = runs(plan.order, plan.levels.len(), plan.times);
    let panel = register.panels.iter().find(|panel| panel.tag() == test.panel).ok_or(StoreError::NotFound("panel"))?;
    let dated = |line: &'static str| line.split_once('|').unwrap_or((test.day, line));
    let line = |line: &'static str| {
        let (day, text) = dated(line);
        reading(&setup, day, text)
    };
    let first = line(test.lines.first().copied().unwrap_or_default())?.taken_utc;
    let rig = register.rigs.iter().find(|rig| rig.draft.name == test.rig);
    let draft = TestDraft {
        question: test.question,
        rig_id: rig.map(|rig| rig.id),
        plan: Some(plan),
        meters: rig.map_or_else(|| usual_meters(&register.gear, &setup), |rig| meters::of_rig(rig, &register.gear)),
        ..TestDraft::of_rating(panel.id, Some(place_id), setup)
    };
    let planned: Vec<NewRun> = (1_i64..)
        .zip(slots)
        .map(|(place, slot)| {
            let planned_utc = first.checked_add(jiff::SignedDuration::from_mins((place - 1) * 4)).ok();
            NewRun { place, level: slot.level, rig: slot.rig, is_added: false, planned_utc, state: None }
        })
        .collect();
    let test_id = store.add_planned_test(&draft, &planned, first).await?;
    let runs = store.runs(test_id).await?;
    for (text, run) in test.lines.iter().zip(&runs) {
        let new = NewReading { run_id: Some(run.id), ..line(text)? };
        let begun = new.taken_utc.checked_sub(jiff::SignedDuration::from_secs(BEFORE_S)).unwrap_or(new.taken_utc);
        for (what, at_utc) in [(RunEventKind::Begun, begun), (RunEventKind::Done, new.taken_utc)] {
            store.add_event(test_id, run.id, &NewEvent { uid: new_uid(), what, text: String::new(), at_utc }).await?;
        }
        store.accept(test_id, &new, new.taken_utc).await?;
    }
    Ok(test_id)
}
