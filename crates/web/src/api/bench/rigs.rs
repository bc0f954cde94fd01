//! Rigs.

use super::items::RigItem;
use super::{Changes, Edited, already, created, identify, is_of, sent, taken};
use crate::api::bodies::{RigBody, known};
use crate::door::json::{Asked, Body, Part, field, object_of, only, refuse};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use flindo_core::gear::GearKind;
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_store::{GearRow, Identified, RigDraft, rig_of};
use serde_json::{Map, Value};

/// All rigs.
#[utoipa::path(
    get,
    path = "/rigs",
    params(Asked),
    responses((status = 200, body = Part<RigItem>), (status = 422))
)]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<RigItem>>, AppError> {
    let gear = state.store.gear().await?;
    Ok(asked.part(state.store.rigs().await?, |row| RigItem::of(row, &gear)))
}

/// One rig.
#[utoipa::path(get, path = "/rigs/{id}", params(("id" = i64, Path)), responses((status = 200, body = RigItem), (status = 404)))]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<RigItem>, AppError> {
    Ok(Json(RigItem::of(state.store.rig(id).await?, &state.store.gear().await?)))
}

/// Adds a rig: panels by their tags, gear by its names.
#[utoipa::path(
    post,
    path = "/rigs",
    request_body(
        content = RigBody,
        example = json!({
            "name": "Pump rig", "wiring": "S-1 + S-2 | S-3", "controller": "Lathe 30", "battery": "Pump battery",
            "meters": {"array": "Yard load tester"}
        })
    ),
    responses(
        (status = 201, body = RigItem),
        (status = 200, body = RigItem, description = "It was here"),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = sent(body)?;
    only(&map, &known::<RigBody>())?;
    let gear = state.store.gear().await?;
    if let Some(id) = already(&state, Identified::Rig, &map).await? {
        return Ok(Json(RigItem::of(state.store.rig(id).await?, &gear)).into_response());
    }
    let id = state.store.add_rig(&draft(&state, &map, &gear).await?).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Rig, id, &map).await?;
    Ok(created(RigItem::of(state.store.rig(id).await?, &gear)))
}

/// Changes a rig. Tests keep the rig that they were made with.
#[utoipa::path(
    put,
    path = "/rigs/{id}",
    params(("id" = i64, Path)),
    request_body = RigBody,
    responses((status = 200, body = Edited<RigItem>), (status = 404), (status = 409), (status = 422))
)]
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<Edited<RigItem>>, AppError> {
    let _turn = state.turn_to_edit().await;
    let map = sent(body)?;
    only(&map, &known::<RigBody>())?;
    is_of(&map, &state.store.rig(id).await?.uid)?;
    let gear = state.store.gear().await?;
    state.store.change_rig(id, &draft(&state, &map, &gear).await?).await.map_err(taken(&map, "name"))?;
    Ok(Changes::NONE.with(RigItem::of(state.store.rig(id).await?, &gear)))
}

async fn draft(state: &AppState, map: &Map<String, Value>, gear: &[GearRow]) -> Result<RigDraft, AppError> {
    let piece = |field_name: &str, kinds: &[GearKind]| gear_named(map, gear, field_name, kinds);
    let draft = RigDraft {
        name: field(map, "name")?.trim().to_owned(),
        wiring: field(map, "wiring")?.trim().to_owned(),
        string_fuse_id: piece("string_fuse", &[GearKind::Fuse])?,
        joint_id: piece("joint", &[GearKind::Combiner])?,
        lead_id: piece("lead", &[GearKind::Lead])?,
        sink_id: piece("controller", &[GearKind::Controller, GearKind::Station])?,
        battery_id: piece("battery", &[GearKind::Battery])?,
        ends_in: ends_in(map)?,
        meters: meters(map, gear)?,
    };
    if draft.name.is_empty() || draft.name.chars().count() > 60 {
        return Err(refuse("name", map.get("name").unwrap_or(&Value::Null), "A rig needs a name.", Some("1 to 60 characters")));
    }
    let place = state.store.current_place().await?;
    if let Err(sentence) = rig_of(&draft, &state.store.panels().await?, gear, place.as_ref()) {
        return Err(refuse("wiring", map.get("wiring").unwrap_or(&Value::Null), sentence, None));
    }
    Ok(draft)
}

fn ends_in(map: &Map<String, Value>) -> Result<Option<RigLoad>, AppError> {
    let typed = field(map, "ends_in")?;
    match RigLoad::from_name(&typed) {
        None if !typed.is_empty() => {
            let known: Vec<&str> = RigLoad::ALL.iter().map(|load| load.name()).collect();
            Err(refuse("ends_in", &map["ends_in"], format!("A rig cannot end in \"{typed}\"."), Some(&known.join(", "))))
        }
        load => Ok(load),
    }
}

fn meters(map: &Map<String, Value>, gear: &[GearRow]) -> Result<Vec<(MeterPosition, i64)>, AppError> {
    let Some(list) = map.get("meters").filter(|list| !list.is_null()) else { return Ok(Vec::new()) };
    let mut meters = Vec::new();
    for (spot, name) in object_of("meters", list.clone())? {
        let spots: Vec<&str> = MeterPosition::ALL.iter().map(|spot| spot.name()).collect();
        let at = MeterPosition::from_name(&spot)
            .ok_or_else(|| refuse("meters", list, format!("\"{spot}\" is no meter position."), Some(&spots.join(", "))))?;
        let one = Map::from_iter([("meters".to_owned(), name)]);
        meters.extend(gear_named(&one, gear, "meters", &[GearKind::Meter])?.map(|id| (at, id)));
    }
    Ok(meters)
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
