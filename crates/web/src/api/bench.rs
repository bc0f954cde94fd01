//! Places, kinds of panel, panels, gear and rigs. Every `POST` passes the checks of its form; the same `uid` a second time is the one that
//! is there.

use super::body::{Body, Paging, field, object, object_of, only, pairs, refuse, refused_of};
use crate::door::typed::{Notes, Pairs};
use crate::door::{gear as gear_form, panel as panel_form, place as place_form};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_core::gear::GearKind;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::Ground;
use flindo_store::{GearRow, Identified, Kind, KindDraft, Panel, PanelDraft, PlaceRow, RigDraft, RigRow, StoreError, rig_of};
use serde_json::{Map, Value, json};

const PLACE: [&str; 11] =
    ["uid", "name", "lat_deg", "lon_deg", "elevation_m", "time_zone", "ground", "clarity", "coldest_c", "hottest_c", "horizon"];
const KIND_OWN: [&str; 3] = ["uid", "name", "price"];
const PANEL: [&str; 11] =
    ["uid", "tag", "kind", "is_used", "age_years", "price", "provenance", "defects", "notes", "keep_contradictions", "batch"];
const RIG: [&str; 10] = ["uid", "name", "wiring", "ends_in", "controller", "battery", "lead", "joint", "string_fuse", "meters"];

fn created(id: i64, shown: Value) -> Response {
    let mut shown = shown;
    shown["id"] = id.into();
    (StatusCode::CREATED, Json(shown)).into_response()
}

/// The record that already carries the body's `uid`.
async fn already(state: &AppState, what: Identified, map: &Map<String, Value>) -> Result<Option<i64>, AppError> {
    let uid = field(map, "uid")?;
    if uid.is_empty() {
        return Ok(None);
    }
    crate::door::entering::checked_uid(&uid)?;
    Ok(state.store.id_of_uid(what, &uid).await?)
}

/// What the bench refused, with the field whose name another record carries.
fn taken(map: &Map<String, Value>, field: &str) -> impl Fn(StoreError) -> AppError {
    let value = map.get(field).cloned();
    let field = field.to_owned();
    move |error| match error {
        StoreError::Conflict(message) => {
            AppError::Taken(InputError { message, field: Some(field.clone()), value: value.clone(), ..InputError::default() })
        }
        other => other.into(),
    }
}

async fn identify(state: &AppState, what: Identified, id: i64, map: &Map<String, Value>) -> Result<(), AppError> {
    let uid = field(map, "uid")?;
    if !uid.is_empty() {
        state.store.set_uid(what, id, &uid).await?;
    }
    Ok(())
}

fn place_json(row: &PlaceRow) -> Value {
    let draft = &row.draft;
    json!({
        "id": row.id, "uid": row.uid, "name": draft.name, "lat_deg": draft.place.lat_deg, "lon_deg": draft.place.lon_deg,
        "elevation_m": draft.place.elevation_m, "time_zone": draft.time_zone, "ground": draft.ground.name(),
        "clarity": draft.clarity.name(), "coldest_c": draft.coldest_c, "hottest_c": draft.hottest_c, "horizon": draft.horizon.as_text()
    })
}

/// All places.
#[utoipa::path(get, path = "/places", params(("page" = Option<usize>, Query), ("per_page" = Option<usize>, Query)), responses((status = 200, body = Object)))]
pub async fn places(State(state): State<AppState>, Query(paging): Query<Paging>) -> Result<Json<Value>, AppError> {
    Ok(paging.of(state.store.places().await?, |row| place_json(&row)))
}

/// One place.
#[utoipa::path(get, path = "/places/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn place(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    Ok(Json(place_json(&state.store.place(id).await?)))
}

/// Adds a place and uses it from now on.
#[utoipa::path(post, path = "/places", request_body(content = Object, example = json!({"name": "Yard", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "time_zone": "Europe/Lisbon", "ground": "soil", "clarity": "clear", "coldest_c": -4, "hottest_c": 42})), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Which field was refused")))]
pub async fn add_place(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = object(body)?;
    only(&map, &PLACE)?;
    if let Some(id) = already(&state, Identified::Place, &map).await? {
        return Ok(Json(place_json(&state.store.place(id).await?)).into_response());
    }
    let mut typed = pairs(&map, &PLACE[1..])?;
    if !map.contains_key("time_zone") {
        typed.push(("time_zone".to_owned(), state.store.bench().await?.time_zone));
    }
    let mut notes = Notes::default();
    let draft = place_form::draft_of(&typed, &mut notes);
    let grounds: Vec<&str> = Ground::ALL.iter().map(|ground| ground.name()).collect();
    let clarities: Vec<&str> = Clarity::ALL.iter().map(|clarity| clarity.name()).collect();
    for (name, known) in [("ground", grounds), ("clarity", clarities)] {
        let given = field(&map, name)?;
        if !given.is_empty() && !known.contains(&given.as_str()) {
            return Err(refuse(name, &map[name], format!("\"{given}\" is not one of the choices."), Some(&known.join(", "))));
        }
    }
    let draft = draft.ok_or_else(|| refused_of(&map, &notes).unwrap_or(AppError::NoSuchPage))?;
    let id = state.store.add_place(&draft).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Place, id, &map).await?;
    Ok(created(id, place_json(&state.store.place(id).await?)))
}

fn kind_json(kind: &Kind) -> Value {
    let typed = LabelTyped::of(&kind.draft.nameplate);
    let mut shown = json!({ "id": kind.id, "uid": kind.uid, "name": kind.draft.name, "price": kind.draft.price });
    for name in LabelTyped::FIELDS {
        let text = typed.get(name).unwrap_or_default();
        shown[*name] = match text.parse::<f64>() {
            Ok(number) => json!(number),
            Err(_) if text.is_empty() => Value::Null,
            Err(_) => text.into(),
        };
    }
    shown
}

/// A kind from its JSON: the label by the core's names.
pub(super) fn kind_of(map: &Map<String, Value>, keeps: bool) -> Result<KindDraft, AppError> {
    let known: Vec<&str> = KIND_OWN.iter().chain(LabelTyped::FIELDS).copied().collect();
    only(map, &known)?;
    let mut typed = LabelTyped::default();
    for name in LabelTyped::FIELDS {
        typed.set(name, field(map, name)?);
    }
    let name = field(map, "name")?.trim().to_owned();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(refuse("name", map.get("name").unwrap_or(&Value::Null), "A kind needs a name.", Some("1 to 80 characters")));
    }
    let checked = label::check(&typed);
    let least = if keeps { label::Severity::Error } else { label::Severity::Warning };
    if let Some(note) = checked.notes.iter().find(|note| note.severity >= least) {
        let hint = (note.severity == label::Severity::Warning).then_some("correct it, or send keep_contradictions: true");
        return Err(refuse(note.field, map.get(note.field).unwrap_or(&Value::Null), note.text.clone(), hint));
    }
    let price = number(map, "price", (0.0, 1e7))?;
    let has_doubts = checked.has_doubts();
    let nameplate =
        checked.nameplate.ok_or_else(|| refuse("rated_w", &Value::Null, "The rated watts are needed.", Some("0.1 to 2000 W")))?;
    Ok(KindDraft { name, nameplate, doubts_kept: has_doubts, price })
}

fn number(map: &Map<String, Value>, name: &'static str, range: (f64, f64)) -> Result<Option<f64>, AppError> {
    let mut notes = Notes::default();
    let found = crate::door::typed::number(&pairs(map, &[name])?, name, range, &mut notes);
    match refused_of(map, &notes) {
        Some(error) => Err(error),
        None => Ok(found),
    }
}

/// All kinds of panel.
#[utoipa::path(get, path = "/panel-kinds", params(("page" = Option<usize>, Query), ("per_page" = Option<usize>, Query)), responses((status = 200, body = Object)))]
pub async fn kinds(State(state): State<AppState>, Query(paging): Query<Paging>) -> Result<Json<Value>, AppError> {
    Ok(paging.of(state.store.kinds().await?, |kind| kind_json(&kind)))
}

/// One kind.
#[utoipa::path(get, path = "/panel-kinds/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn kind(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    Ok(Json(kind_json(&state.store.kind(id).await?)))
}

/// Adds a kind of panel with its label.
#[utoipa::path(post, path = "/panel-kinds", request_body(content = Object, example = json!({"name": "Saffron 200", "rated_w": 200, "tolerance": "0/+3 %", "voc_v": 24.3, "isc_a": 10.4, "vmp_v": 20.4, "imp_a": 9.81, "alpha_isc": "0.05 %/K", "beta_voc": "-0.28 %/K", "gamma_pmax": "-0.36 %/K", "cells_in_series": 36, "technology": "mono", "noct_c": 45})), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Which field was refused")))]
pub async fn add_kind(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let mut map = object(body)?;
    let keeps = map.remove("keep_contradictions").is_some_and(|value| value == true);
    if let Some(id) = already(&state, Identified::Kind, &map).await? {
        return Ok(Json(kind_json(&state.store.kind(id).await?)).into_response());
    }
    let id = state.store.add_kind(&kind_of(&map, keeps)?).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Kind, id, &map).await?;
    Ok(created(id, kind_json(&state.store.kind(id).await?)))
}

fn panel_json(panel: &Panel) -> Value {
    let draft = &panel.draft;
    json!({
        "id": panel.id, "uid": panel.uid, "tag": draft.tag, "kind": kind_json(&panel.kind), "is_used": draft.is_used,
        "age_years": draft.age_years, "price": panel.price(), "provenance": draft.provenance, "notes": draft.notes,
        "defects": draft.wear.iter().map(|wear| wear.name()).collect::<Vec<_>>()
    })
}

/// All panels by tag.
#[utoipa::path(get, path = "/panels", params(("page" = Option<usize>, Query), ("per_page" = Option<usize>, Query)), responses((status = 200, body = Object)))]
pub async fn panels(State(state): State<AppState>, Query(paging): Query<Paging>) -> Result<Json<Value>, AppError> {
    Ok(paging.of(state.store.panels().await?, |panel| panel_json(&panel)))
}

/// One panel.
#[utoipa::path(get, path = "/panels/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn panel(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    Ok(Json(panel_json(&state.store.panel(id).await?)))
}

/// Adds a panel, or a batch of one kind with a tag such as `U-1..U-10`. `kind` is the name of a kind, or a kind with its label.
#[utoipa::path(post, path = "/panels", request_body(content = Object, example = json!({"tag": "U-1..U-10", "kind": "Umber 250", "is_used": true, "age_years": 11, "price": 35, "provenance": "a barn roof", "defects": ["discoloured_cells"]})), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Which field was refused")))]
pub async fn add_panel(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = object(body)?;
    only(&map, &PANEL)?;
    if let Some(id) = already(&state, Identified::Panel, &map).await? {
        return Ok(Json(panel_json(&state.store.panel(id).await?)).into_response());
    }
    let drafts = panel_drafts(&map)?;
    let keeps = map.get("keep_contradictions").is_some_and(|value| value == true);
    let kind_id = match map.get("kind") {
        Some(Value::String(name)) => {
            let known = state.store.kinds().await?;
            known.iter().find(|kind| kind.draft.name.eq_ignore_ascii_case(name.trim())).map(|kind| kind.id).ok_or_else(|| {
                let names: Vec<&str> = known.iter().map(|kind| kind.draft.name.as_str()).collect();
                refuse("kind", &map["kind"], format!("There is no kind of panel called \"{name}\"."), Some(&names.join(", ")))
            })?
        }
        Some(inline) => {
            let kind = object_of("kind", inline.clone())?;
            state
                .store
                .add_kind(&kind_of(&kind, keeps).map_err(|error| within("kind", error))?)
                .await
                .map_err(taken(&map, "kind"))?
        }
        None => return Err(refuse("kind", &Value::Null, "A panel is of a kind: give its name, or its label.", None)),
    };
    let drafts: Vec<PanelDraft> = drafts.into_iter().map(|draft| PanelDraft { kind_id, ..draft }).collect();
    let ids = state.store.add_panels(&drafts).await.map_err(taken(&map, "tag"))?;
    if let [only] = ids[..] {
        identify(&state, Identified::Panel, only, &map).await?;
    }
    let mut shown = panel_json(&state.store.panel(ids[0]).await?);
    if ids.len() > 1 {
        shown["ids"] = json!(ids);
        shown["tags"] = json!(drafts.iter().map(|draft| draft.tag.as_str()).collect::<Vec<_>>());
    }
    Ok(created(ids[0], shown))
}

/// The field of an error, as part of another.
fn within(outer: &str, error: AppError) -> AppError {
    match error {
        AppError::Input(mut input) => {
            input.field = input.field.map(|field| format!("{outer}.{field}"));
            AppError::Input(input)
        }
        other => other,
    }
}

/// The pieces of a body, by the checks of the form.
pub(super) fn panel_drafts(map: &Map<String, Value>) -> Result<Vec<PanelDraft>, AppError> {
    let mut typed: Pairs = pairs(map, &["tag", "age_years", "price", "provenance", "notes"])?;
    let is_used = match map.get("is_used") {
        None => false,
        Some(Value::Bool(is_used)) => *is_used,
        Some(other) => return Err(refuse("is_used", other, "This is true or false.", Some("true, false"))),
    };
    typed.push(("state".to_owned(), if is_used { "used" } else { "new" }.to_owned()));
    let defects = match map.get("defects") {
        None | Some(Value::Null) => Vec::new(),
        Some(Value::Array(list)) => list.clone(),
        Some(Value::String(list)) => list.split(',').map(|name| Value::from(name.trim())).filter(|name| name != "").collect(),
        Some(other) => return Err(refuse("defects", other, "This is a list of names.", None)),
    };
    for defect in &defects {
        let known: Vec<&str> = flindo_core::panel::inspection::Defect::ALL.iter().map(|wear| wear.name()).collect();
        match defect.as_str().filter(|name| known.contains(name)) {
            Some(name) => typed.push(("wear".to_owned(), name.to_owned())),
            None => {
                return Err(refuse("defects", defect, format!("{defect} is not one of the choices."), Some(&known.join(", "))));
            }
        }
    }
    let mut notes = Notes::default();
    let drafts = panel_form::drafts_of(&typed, false, &mut notes);
    match refused_of(map, &notes) {
        Some(error) => Err(error),
        None => Ok(drafts),
    }
}

fn gear_json(row: &GearRow) -> Value {
    let mut shown =
        json!({ "id": row.id, "uid": row.uid, "kind": row.draft.kind.name(), "name": row.draft.name, "notes": row.draft.notes });
    for (name, text) in &row.draft.typed {
        shown[name] = text.parse::<f64>().map_or_else(|_| text.as_str().into(), |number| json!(number));
    }
    shown
}

/// All gear.
#[utoipa::path(get, path = "/gear", params(("page" = Option<usize>, Query), ("per_page" = Option<usize>, Query)), responses((status = 200, body = Object)))]
pub async fn gear(State(state): State<AppState>, Query(paging): Query<Paging>) -> Result<Json<Value>, AppError> {
    Ok(paging.of(state.store.gear().await?, |row| gear_json(&row)))
}

/// One piece of gear.
#[utoipa::path(get, path = "/gear/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn piece(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    Ok(Json(gear_json(&state.store.gear_piece(id).await?)))
}

/// Adds a meter, controller, battery, power station, lead, connector or fuse, with the fields of its kind.
#[utoipa::path(post, path = "/gear", request_body(content = Object, example = json!({"kind": "controller", "name": "Lathe 30", "tracking": true, "max_input_v": 100, "max_battery_a": 30})), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Which field was refused")))]
pub async fn add_gear(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = object(body)?;
    if let Some(id) = already(&state, Identified::Gear, &map).await? {
        return Ok(Json(gear_json(&state.store.gear_piece(id).await?)).into_response());
    }
    let name = field(&map, "kind")?;
    let kind = GearKind::from_name(&name).ok_or_else(|| {
        let known: Vec<&str> = GearKind::ALL.iter().map(|kind| kind.name()).collect();
        refuse(
            "kind",
            map.get("kind").unwrap_or(&Value::Null),
            format!("\"{name}\" is not a kind of gear."),
            Some(&known.join(", ")),
        )
    })?;
    let fields: Vec<&str> = kind.fields().iter().map(|field| field.name).collect();
    // A meter may have a field called kind of its own.
    let own: Vec<&str> = ["uid", "kind", "name", "notes", "meter_kind"].into_iter().chain(fields.iter().copied()).collect();
    only(&map, &own)?;
    let mut typed: Pairs = pairs(&map, &fields.iter().copied().filter(|name| *name != "kind").collect::<Vec<_>>())?;
    typed.extend(pairs(&map, &["name", "notes"])?);
    if let Some(meter_kind) = map.get("meter_kind") {
        typed.push(("kind".to_owned(), super::body::text("meter_kind", meter_kind)?));
    }
    let mut notes = Notes::default();
    let draft = gear_form::draft_of(kind, &typed, &mut notes);
    if let Some(error) = refused_of(&map, &notes) {
        return Err(error);
    }
    let id = state.store.add_gear(&draft).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Gear, id, &map).await?;
    state.hub.refresh().await?;
    Ok(created(id, gear_json(&state.store.gear_piece(id).await?)))
}

fn rig_json(row: &RigRow, gear: &[GearRow]) -> Value {
    let draft = &row.draft;
    let name = |id: Option<i64>| id.and_then(|id| gear.iter().find(|row| row.id == id)).map(|row| row.draft.name.clone());
    let meters: Map<String, Value> =
        draft.meters.iter().map(|(spot, id)| (spot.name().to_owned(), name(Some(*id)).into())).collect();
    json!({
        "id": row.id, "uid": row.uid, "name": draft.name, "wiring": draft.wiring, "ends_in": draft.ends_in.map(RigLoad::name),
        "controller": name(draft.sink_id), "battery": name(draft.battery_id), "lead": name(draft.lead_id), "joint": name(draft.joint_id),
        "string_fuse": name(draft.string_fuse_id), "meters": meters
    })
}

/// All rigs.
#[utoipa::path(get, path = "/rigs", params(("page" = Option<usize>, Query), ("per_page" = Option<usize>, Query)), responses((status = 200, body = Object)))]
pub async fn rigs(State(state): State<AppState>, Query(paging): Query<Paging>) -> Result<Json<Value>, AppError> {
    let gear = state.store.gear().await?;
    Ok(paging.of(state.store.rigs().await?, |row| rig_json(&row, &gear)))
}

/// One rig.
#[utoipa::path(get, path = "/rigs/{id}", params(("id" = i64, Path)), responses((status = 200, body = Object), (status = 404)))]
pub async fn rig(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<Value>, AppError> {
    Ok(Json(rig_json(&state.store.rig(id).await?, &state.store.gear().await?)))
}

/// Adds a rig: panels by their tags, gear by its names.
#[utoipa::path(post, path = "/rigs", request_body(content = Object, example = json!({"name": "Pump rig", "wiring": "S-1 + S-2 | S-3", "controller": "Lathe 30", "battery": "Pump battery", "meters": {"array": "Yard load tester"}})), responses((status = 201, body = Object), (status = 409), (status = 422, description = "Which field was refused")))]
pub async fn add_rig(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = object(body)?;
    only(&map, &RIG)?;
    let gear = state.store.gear().await?;
    if let Some(id) = already(&state, Identified::Rig, &map).await? {
        return Ok(Json(rig_json(&state.store.rig(id).await?, &gear)).into_response());
    }
    let piece = |field_name: &str, kinds: &[GearKind]| gear_named(&map, &gear, field_name, kinds);
    let mut meters = Vec::new();
    if let Some(list) = map.get("meters") {
        for (spot, name) in object_of("meters", list.clone())? {
            let spots: Vec<&str> = MeterPosition::ALL.iter().map(|spot| spot.name()).collect();
            let at = MeterPosition::from_name(&spot)
                .ok_or_else(|| refuse("meters", list, format!("\"{spot}\" is no meter position."), Some(&spots.join(", "))))?;
            let one = Map::from_iter([("meters".to_owned(), name)]);
            meters.extend(gear_named(&one, &gear, "meters", &[GearKind::Meter])?.map(|id| (at, id)));
        }
    }
    let ends_in = field(&map, "ends_in")?;
    let draft = RigDraft {
        name: field(&map, "name")?.trim().to_owned(),
        wiring: field(&map, "wiring")?.trim().to_owned(),
        string_fuse_id: piece("string_fuse", &[GearKind::Fuse])?,
        joint_id: piece("joint", &[GearKind::Combiner])?,
        lead_id: piece("lead", &[GearKind::Lead])?,
        sink_id: piece("controller", &[GearKind::Controller, GearKind::Station])?,
        battery_id: piece("battery", &[GearKind::Battery])?,
        ends_in: match RigLoad::from_name(&ends_in) {
            None if !ends_in.is_empty() => {
                let known: Vec<&str> = RigLoad::ALL.iter().map(|load| load.name()).collect();
                return Err(refuse(
                    "ends_in",
                    &map["ends_in"],
                    format!("A rig cannot end in \"{ends_in}\"."),
                    Some(&known.join(", ")),
                ));
            }
            load => load,
        },
        meters,
    };
    if draft.name.is_empty() || draft.name.chars().count() > 60 {
        return Err(refuse("name", map.get("name").unwrap_or(&Value::Null), "A rig needs a name.", Some("1 to 60 characters")));
    }
    let place = state.store.current_place().await?;
    if let Err(sentence) = rig_of(&draft, &state.store.panels().await?, &gear, place.as_ref()) {
        return Err(refuse("wiring", map.get("wiring").unwrap_or(&Value::Null), sentence, None));
    }
    let id = state.store.add_rig(&draft).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Rig, id, &map).await?;
    Ok(created(id, rig_json(&state.store.rig(id).await?, &gear)))
}

/// A piece of gear by its name, of one of these kinds.
fn gear_named(map: &Map<String, Value>, gear: &[GearRow], name: &str, kinds: &[GearKind]) -> Result<Option<i64>, AppError> {
    let wanted = field(map, name)?;
    if wanted.trim().is_empty() {
        return Ok(None);
    }
    let fits = |row: &&GearRow| kinds.contains(&row.draft.kind);
    match gear.iter().filter(fits).find(|row| row.draft.name.eq_ignore_ascii_case(wanted.trim())) {
        Some(row) => Ok(Some(row.id)),
        None => {
            let known: Vec<&str> = gear.iter().filter(fits).map(|row| row.draft.name.as_str()).collect();
            Err(refuse(name, &map[name], format!("There is no such piece of gear called \"{wanted}\"."), Some(&known.join(", "))))
        }
    }
}
