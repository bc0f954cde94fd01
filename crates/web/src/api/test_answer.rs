//! A test as programs get it: its set-up, its typed plan, its runs.

use super::conditions::state_json;
use crate::door::making::sheet_of;
use crate::error::AppError;
use crate::state::AppState;
use flindo_core::record::condition::{Conditions, Value as Meaning};
use flindo_core::record::order::{Slot, letters};
use flindo_core::record::plan::Plan;
use flindo_core::record::run::Run;
use flindo_core::record::setup::SetupTyped;
use flindo_store::{Recorded, Test};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A test in the list.
#[derive(Debug, Serialize, ToSchema)]
#[serde(untagged)]
pub enum TestItem {
    Read(ListedTest),
    Unreadable(UnreadableTest),
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ListedTest {
    pub(super) id: i64,
    pub(super) uid: String,
    /// By its name, or `open`.
    pub(super) question: &'static str,
    pub(super) panel: Option<String>,
    pub(super) created_utc: String,
}

/// A test whose row is damaged.
#[derive(Debug, Serialize, ToSchema)]
pub struct UnreadableTest {
    pub(super) id: i64,
    pub(super) unreadable: String,
}

/// A test with its plan and runs.
#[derive(Debug, Serialize, ToSchema)]
pub struct TestAnswer {
    id: i64,
    uid: String,
    /// By its name, or `open`.
    question: &'static str,
    panel: String,
    rig: Option<String>,
    place: Option<String>,
    created_utc: String,
    /// By the names of the form's fields.
    setup: BTreeMap<&'static str, Value>,
    /// Gear by what it reads.
    meters: BTreeMap<&'static str, Option<String>>,
    runs: Vec<RunAnswer>,
    plan: Option<PlanAnswer>,
}

/// A run of a plan, or of an open test.
#[derive(Debug, Serialize, ToSchema)]
#[serde(untagged)]
pub enum RunAnswer {
    Planned(PlannedRun),
    Open(OpenRun),
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PlannedRun {
    id: i64,
    letter: String,
    level: usize,
    name: String,
    place: i64,
    planned_utc: Option<String>,
    /// From 1, where rigs are compared at the same time; 0 elsewhere.
    rig: u8,
}

/// A visit of a state.
#[derive(Debug, Serialize, ToSchema)]
pub struct OpenRun {
    id: i64,
    uid: String,
    place: i64,
    /// Its conditions.
    #[schema(value_type = Option<Object>)]
    state: Option<Map<String, Value>>,
    begun_utc: Option<String>,
}

/// What a plan says.
#[derive(Debug, Serialize, ToSchema)]
pub struct PlanAnswer {
    /// Conditions by their factors: degrees as numbers, everything else in words.
    baseline: BTreeMap<&'static str, Value>,
    levels: Vec<BTreeMap<&'static str, Value>>,
    order: &'static str,
    /// The runs by the letters of their levels.
    letters: String,
    times: usize,
    readings_per_run: usize,
    settle_s: f64,
    repeat_percent: f64,
    prediction: String,
    /// That would show, of the baseline.
    smallest_difference_percent: Option<f64>,
}

fn typed(conditions: &Conditions) -> BTreeMap<&'static str, Value> {
    let value = |meaning: &Meaning, typed: &str| match meaning {
        Meaning::Degrees(degrees) => Value::from(*degrees),
        Meaning::Panels(_)
        | Meaning::Rig(_)
        | Meaning::Gear(_)
        | Meaning::LoadKind(_)
        | Meaning::Shade(_)
        | Meaning::Wiring(_)
        | Meaning::Face(_)
        | Meaning::Cooling(_)
        | Meaning::Sky(_)
        | Meaning::MeasuredAt(_)
        | Meaning::Day(_)
        | Meaning::Name => Value::from(typed),
    };
    conditions.iter().map(|(factor, condition)| (factor.name(), value(&condition.value, &condition.typed))).collect()
}

fn setup(test: &Test) -> BTreeMap<&'static str, Value> {
    let typed = SetupTyped::of(&test.setup);
    let field = |name: &&'static str| {
        let text = typed.get(name).unwrap_or_default();
        (*name, text.parse::<f64>().map_or_else(|_| Value::from(text), Value::from))
    };
    SetupTyped::FIELDS.iter().map(field).collect()
}

/// A test as it is answered.
pub(super) async fn shown(state: &AppState, id: i64) -> Result<TestAnswer, AppError> {
    let recorded = state.store.recorded(id, Timestamp::now()).await?;
    let Recorded { test, panel, place, record, .. } = &recorded;
    let rig = record.rig.as_deref().and_then(|id| record.rig_record(id)).map(|rig| rig.name.clone());
    let gear = |meter: &str| record.gear.iter().find(|gear| gear.id == meter).map(|gear| gear.name.clone());
    let mut answer = TestAnswer {
        id: test.id,
        uid: test.uid.clone(),
        question: test.question.name(),
        panel: panel.draft.tag.clone(),
        rig,
        place: place.as_ref().map(|place| place.draft.name.clone()),
        created_utc: test.created_utc.to_string(),
        setup: setup(test),
        meters: record.meters.iter().map(|one| (one.reads.name(), gear(&one.meter))).collect(),
        runs: Vec::new(),
        plan: None,
    };
    if let Some(open) = &recorded.open {
        answer.question = "open";
        let names = state.store.register().await?.names();
        let mut runs: Vec<&Run> = open.entered.runs.iter().collect();
        runs.sort_by_key(|run| run.place);
        let run = |run: &Run| {
            RunAnswer::Open(OpenRun {
                id: run.id,
                uid: run.uid.clone(),
                place: run.place,
                state: run.state.as_ref().map(|conditions| state_json(conditions, &names)),
                begun_utc: run.begun_utc().map(|begun| begun.to_string()),
            })
        };
        answer.runs = runs.into_iter().map(run).collect();
    } else if let Some(plan) = &record.plan {
        answer.runs = record.runs.iter().map(|run| planned(run, plan)).collect();
        answer.plan = Some(plan_answer(plan, &recorded));
    }
    Ok(answer)
}

fn planned(run: &Run, plan: &Plan) -> RunAnswer {
    RunAnswer::Planned(PlannedRun {
        id: run.id,
        place: run.place,
        level: run.level,
        rig: run.rig,
        letter: letters(&[Slot { level: run.level, rig: run.rig }]),
        name: plan.level_name(run.level),
        planned_utc: run.planned_utc.map(|planned| planned.to_string()),
    })
}

fn plan_answer(plan: &Plan, recorded: &Recorded) -> PlanAnswer {
    let Recorded { test, place, record, .. } = recorded;
    let slots: Vec<Slot> = record.runs.iter().map(|run| Slot { level: run.level, rig: run.rig }).collect();
    let start = record.runs.first().and_then(|run| run.planned_utc).unwrap_or(test.created_utc);
    let zone = place.as_ref().and_then(|place| TimeZone::get(&place.draft.time_zone).ok()).unwrap_or(TimeZone::UTC);
    let sheet = sheet_of(plan, &test.setup, start, record.site.as_ref(), &zone).ok();
    PlanAnswer {
        baseline: typed(&plan.baseline),
        levels: plan.levels.iter().map(typed).collect(),
        order: plan.order.name(),
        letters: letters(&slots),
        times: plan.times,
        readings_per_run: plan.readings_per_run,
        settle_s: plan.settle_s,
        repeat_percent: plan.repeat_rel * 100.0,
        prediction: plan.prediction.clone(),
        smallest_difference_percent: sheet.and_then(|sheet| sheet.smallest_percent),
    }
}
