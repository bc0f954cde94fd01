//! Tests with their typed plan and their runs.

use super::conditions::conditions;
use super::test_answer::{ListedTest, TestAnswer, TestItem, UnreadableTest, shown};
use crate::api::bodies::{SetupBody, TestBody, known};
use crate::door::json::{Asked, Body, Part, field, field_notes, object, object_of, only, refuse, text};
use crate::door::making::{as_baseline, own_conditions, runs_of, sheet_of};
use crate::door::meters;
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::instrument::Instruments;
use flindo_core::record::bounds;
use flindo_core::record::condition::{Conditions, Factor};
use flindo_core::record::names::Names;
use flindo_core::record::order::Order;
use flindo_core::record::plan::{self, Plan, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::setup::{self, Setup, SetupTyped};
use flindo_store::{Identified, Listed, Panel, Register, RigRow, TestDraft};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::{Map, Value};

const PLAN: [&str; 9] =
    ["baseline", "levels", "order", "times", "readings_per_run", "settle_s", "repeat_percent", "prediction", "start_utc"];

/// All tests, the newest first.
#[utoipa::path(
    get,
    path = "/tests",
    params(Asked),
    responses((status = 200, body = Part<TestItem>), (status = 422))
)]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<TestItem>>, AppError> {
    let ((after, most), total) = (asked.places(), state.store.count_tests(None).await?);
    let panels = state.store.panels().await?;
    let tag = |id: i64| panels.iter().find(|panel| panel.id == id).map(|panel| panel.draft.tag.clone());
    let show = |listed: Listed| match listed {
        Listed::Read(test) => TestItem::Read(ListedTest {
            id: test.id,
            question: if test.is_open { "open" } else { test.question.name() },
            panel: tag(test.panel_id),
            created_utc: test.created_utc.to_string(),
            uid: test.uid,
        }),
        Listed::Unreadable { id, why } => TestItem::Unreadable(UnreadableTest { id, unreadable: why }),
    };
    let items = state.store.tests(None, after, most).await?.into_iter().map(show).collect();
    Ok(asked.answer(items, total))
}

/// One test with its plan and runs.
#[utoipa::path(
    get,
    path = "/tests/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = TestAnswer), (status = 404))
)]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<TestAnswer>, AppError> {
    Ok(Json(shown(&state, id).await?))
}

/// Adds a test. Levels are objects of conditions: a panel by its tag, a load by its controller's name, degrees, a shade in words.
#[utoipa::path(
    post,
    path = "/tests",
    request_body(
        content = TestBody,
        example = json!({
            "question": "shade_cost", "panel": "S-1",
            "setup": {
                "tilt_deg": 30, "azimuth_deg": 180, "load": "load_tester", "sun": "plane_meter", "cell_temperature": "back_probe"
            },
            "plan": {
                "baseline": {"shade": "none"}, "levels": [{"shade": "band across 20 %"}, {"tilt_deg": 12.5}], "order": "aba",
                "readings_per_run": 1, "settle_s": 0, "start_utc": "2026-06-21T11:20:00Z"
            }
        })
    ),
    responses(
        (status = 201, body = TestAnswer),
        (status = 200, body = TestAnswer, description = "It was here"),
        (status = 404),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = object(body)?;
    only(&map, &known::<TestBody>())?;
    let uid = field(&map, "uid")?;
    if !uid.is_empty() {
        crate::door::entering::checked_uid(&uid)?;
        if let Some(id) = state.store.id_of_uid(Identified::Test, &uid).await? {
            return Ok(Json(shown(&state, id).await?).into_response());
        }
    }
    let name = field(&map, "question")?;
    // An open test asks what its readings come to answer.
    let is_open = name == "open";
    let question = Question::from_name(if is_open { "makes_rating" } else { &name }).ok_or_else(|| {
        let known: Vec<&str> = Question::ALL.iter().map(|question| question.name()).chain(["open"]).collect();
        refuse(
            "question",
            map.get("question").unwrap_or(&Value::Null),
            format!("\"{name}\" is not a question known here."),
            Some(&known.join(", ")),
        )
    })?;
    let register = state.store.register().await?;
    let rig = rig_of(&map, &register)?;
    let named = panel_of(&map, &register, rig)?;
    let place_id = place_of(&map, &register)?;
    let mut setup = setup_of(&map)?;
    let of_rig = rig.map(|rig| meters::of_rig(rig, &register.gear)).unwrap_or_default();
    let meters = meters::of_json(map.get("meters"), of_rig, &register.gear)?;
    let stated = setup.instruments;
    setup.instruments = meters::instruments(&meters, &register.gear, stated);
    keep_stated(&map, &stated, &mut setup.instruments);
    if is_open && map.contains_key("plan") {
        return Err(refuse("plan", &map["plan"], "An open test has no plan: its lines say what changes.", None));
    }
    let unlabelled;
    let panel = match named {
        Some(panel) => panel,
        None if is_open => {
            unlabelled = state.store.add_unlabelled_panel(None).await?;
            &unlabelled
        }
        None => return Err(refuse("panel", &Value::Null, "A test is of a panel or a rig: give one of them.", None)),
    };
    let mut draft =
        TestDraft { question, is_open, rig_id: rig.map(|rig| rig.id), meters, ..TestDraft::of_rating(panel.id, place_id, setup) };
    let created = Timestamp::now();
    let id = match map.get("plan").cloned() {
        None if is_open => {
            let given = map.get("setup").cloned().map_or(Ok(Map::new()), |setup| object_of("setup", setup))?;
            let mut typed = SetupTyped::default();
            for (name, value) in &given {
                typed.set(name, text(name, value)?);
            }
            let names_panel = !field(&map, "panel")?.trim().is_empty();
            crate::door::working::begin(&state, &draft, &typed, (panel, rig.filter(|_| !names_panel))).await?
        }
        // One condition, read again and again.
        None if question == Question::MakesRating => state.store.add_test(&draft, created).await?,
        plan => {
            let plan_map = plan.map_or(Ok(Map::new()), |plan| object_of("plan", plan))?;
            let plan = plan_of(&plan_map, question, &setup, panel, rig, &register.names())?;
            as_baseline(&mut draft.setup, &plan);
            let place = register.places.iter().find(|place| Some(place.id) == place_id);
            let start = start_of(&plan_map)?;
            let site = place.map(|place| place.draft.site());
            let zone = place.and_then(|place| TimeZone::get(&place.draft.time_zone).ok()).unwrap_or(TimeZone::UTC);
            let sheet = sheet_of(&plan, &draft.setup, start, site.as_ref(), &zone)
                .map_err(|error| refuse("plan.start_utc", &Value::Null, format!("{error}."), None))?;
            draft.plan = Some(plan);
            state.store.add_planned_test(&draft, &runs_of(&sheet), created).await?
        }
    };
    if !uid.is_empty() {
        state.store.set_uid(Identified::Test, id, &uid).await?;
    }
    Ok((StatusCode::CREATED, Json(shown(&state, id).await?)).into_response())
}

/// Changes the set-up of a test: the `setup` and `meters` of its answer. Accuracies come from the meters where the body states none.
#[utoipa::path(
    put,
    path = "/tests/{id}/setup",
    params(("id" = i64, Path)),
    request_body(content = SetupBody, example = json!({"setup": {"tilt_deg": 35, "azimuth_deg": 180, "load": "load_tester"}})),
    responses((status = 200, body = TestAnswer), (status = 404), (status = 422))
)]
pub async fn change_setup(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<TestAnswer>, AppError> {
    let _turn = state.turn_to_edit().await;
    let map = object(body)?;
    only(&map, &known::<SetupBody>())?;
    let test = state.store.test(id).await?;
    let gear = state.store.gear().await?;
    let mut setup = setup_of(&map)?;
    let meters = meters::of_json(map.get("meters"), test.meters, &gear)?;
    let stated = setup.instruments;
    setup.instruments = meters::instruments(&meters, &gear, stated);
    keep_stated(&map, &stated, &mut setup.instruments);
    state.store.change_setup(id, &setup, &meters).await?;
    state.hub.tell(id);
    Ok(Json(shown(&state, id).await?))
}

/// An accuracy that the body states counts before that of its meter.
fn keep_stated(map: &Map<String, Value>, stated: &Instruments, instruments: &mut Instruments) {
    let given = |name: &str| map.get("setup").and_then(|setup| setup.get(name)).is_some();
    if given("volts_percent") || given("volts_digits") {
        instruments.volts = stated.volts;
    }
    if given("amps_percent") || given("amps_digits") {
        instruments.amps = stated.amps;
    }
    if given("watts_percent") || given("watts_digits") {
        instruments.watts = stated.watts;
    }
    if given("sun_percent") {
        instruments.sun_percent = stated.sun_percent;
    }
    if given("thermometer_k") {
        instruments.thermometer_k = stated.thermometer_k;
    }
}

fn rig_of<'a>(map: &Map<String, Value>, register: &'a Register) -> Result<Option<&'a RigRow>, AppError> {
    let name = field(map, "rig")?;
    if name.trim().is_empty() {
        return Ok(None);
    }
    let found = register.rigs.iter().find(|rig| rig.draft.name.eq_ignore_ascii_case(name.trim()));
    found.map(Some).ok_or_else(|| {
        let known: Vec<&str> = register.rigs.iter().map(|rig| rig.draft.name.as_str()).collect();
        refuse("rig", &map["rig"], format!("There is no rig called \"{name}\"."), Some(&known.join(", ")))
    })
}

/// The panel of the body, and else the first of its rig; `None` where it names neither.
fn panel_of<'a>(map: &Map<String, Value>, register: &'a Register, rig: Option<&RigRow>) -> Result<Option<&'a Panel>, AppError> {
    let tag = field(map, "panel")?;
    if tag.trim().is_empty() {
        return Ok(rig
            .and_then(|rig| flindo_store::pieces(&rig.draft.wiring, &register.panels).ok())
            .and_then(|strings| strings.first()?.first().copied()));
    }
    let named = register.panels.iter().find(|panel| panel.draft.tag.eq_ignore_ascii_case(tag.trim()));
    named.map(Some).ok_or_else(|| no_panel("panel", &map["panel"], register))
}

fn no_panel(field: &str, value: &Value, register: &Register) -> AppError {
    let known: Vec<&str> = register.panels.iter().map(|panel| panel.draft.tag.as_str()).take(40).collect();
    refuse(field, value, format!("There is no panel with the tag {value}."), Some(&known.join(", ")))
}

fn place_of(map: &Map<String, Value>, register: &Register) -> Result<Option<i64>, AppError> {
    let name = field(map, "place")?;
    if name.trim().is_empty() {
        return Ok(register.place_id);
    }
    let found = register.places.iter().find(|place| place.draft.name.eq_ignore_ascii_case(name.trim()));
    found.map(|place| Some(place.id)).ok_or_else(|| {
        let known: Vec<&str> = register.places.iter().map(|place| place.draft.name.as_str()).collect();
        refuse("place", &map["place"], format!("There is no place called \"{name}\"."), Some(&known.join(", ")))
    })
}

fn setup_of(map: &Map<String, Value>) -> Result<Setup, AppError> {
    let given = map.get("setup").cloned().map_or(Ok(Map::new()), |setup| object_of("setup", setup))?;
    only(&given, SetupTyped::FIELDS)?;
    let mut typed = SetupTyped::default();
    for (name, value) in &given {
        typed.set(name, text(name, value)?);
    }
    setup::check(&typed).map_err(|notes| field_notes(&given, &notes))
}

fn plan_of(
    map: &Map<String, Value>,
    question: Question,
    setup: &Setup,
    panel: &Panel,
    rig: Option<&RigRow>,
    names: &Names,
) -> Result<Plan, AppError> {
    only(map, &PLAN)?;
    let mut typed = PlanTyped::default();
    own_conditions(&mut typed, question, setup, panel, rig);
    // The set-up says what the baseline does not.
    if question.card().factor == Factor::Tilt {
        typed.tilt = setup.tilt_deg.to_string();
    }
    if question.card().factor == Factor::Load {
        setup.load.label().clone_into(&mut typed.load_words);
    }
    for name in ["order", "times", "readings_per_run", "settle_s", "repeat_percent", "prediction"] {
        typed.set(name, field(map, name)?);
    }
    let baseline = map.get("baseline").map_or(Ok(Conditions::new()), |value| conditions("plan.baseline", value, names))?;
    let levels = match map.get("levels") {
        None => Vec::new(),
        Some(Value::Array(list)) => {
            let level = |(nth, value): (usize, &Value)| conditions(&format!("plan.levels[{nth}]"), value, names);
            list.iter().enumerate().map(level).collect::<Result<Vec<_>, _>>()?
        }
        Some(other) => return Err(refuse("plan.levels", other, "Levels are a list of objects.", Some("[{\"tilt_deg\": 20}]"))),
    };
    plan::check_conditions(&typed, baseline, levels, setup.load, names).map_err(|notes| {
        let error = field_notes(map, &notes);
        let AppError::Input(mut input) = error else { return error };
        input.field = input.field.map(|field| format!("plan.{field}"));
        if input.field.as_deref() == Some("plan.order") {
            input.allowed = Some(Order::ALL.iter().map(|order| order.name()).collect::<Vec<_>>().join(", "));
        }
        AppError::Input(input)
    })
}

fn start_of(plan: &Map<String, Value>) -> Result<Timestamp, AppError> {
    let start = field(plan, "start_utc")?;
    if start.is_empty() {
        return Ok(Timestamp::now());
    }
    let wrong = |sentence: String, allowed| refuse("plan.start_utc", &plan["start_utc"], sentence, Some(allowed));
    let time: Timestamp =
        start.parse().map_err(|_| wrong(format!("\"{start}\" is not a time."), "RFC 3339, such as 2026-06-01T12:30:00Z"))?;
    bounds::check_time("start_utc", time.as_second()).map_err(|refused| wrong(refused.sentence, "1970 to 2100"))?;
    Ok(time)
}
