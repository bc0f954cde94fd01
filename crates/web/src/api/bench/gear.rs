//! Gear.

use super::items::GearItem;
use super::{Changes, Edited, already, created, identify, is_of, sent, taken};
use crate::api::bodies::GearBody;
use crate::door::changed::Edit;
use crate::door::gear as gear_form;
use crate::door::json::{Asked, Body, Part, field, only, pairs, refuse, refused_of, text};
use crate::door::typed::{Notes, Pairs};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use flindo_core::gear::GearKind;
use flindo_store::{GearDraft, Identified};
use serde_json::{Map, Value};

/// All gear.
#[utoipa::path(
    get,
    path = "/gear",
    params(Asked),
    responses((status = 200, body = Part<GearItem>), (status = 422))
)]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<GearItem>>, AppError> {
    Ok(asked.part(state.store.gear().await?, GearItem::from))
}

/// One piece of gear.
#[utoipa::path(get, path = "/gear/{id}", params(("id" = i64, Path)), responses((status = 200, body = GearItem), (status = 404)))]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<GearItem>, AppError> {
    Ok(Json(state.store.gear_piece(id).await?.into()))
}

/// Adds a meter, controller, battery, power station, lead, connector or fuse, with the fields of its kind; that of a meter called `kind` is
/// `meter_kind` here.
#[utoipa::path(
    post,
    path = "/gear",
    request_body(
        content = GearBody,
        example = json!({"kind": "controller", "name": "Lathe 30", "tracking": true, "max_input_v": 100, "max_battery_a": 30})
    ),
    responses(
        (status = 201, body = GearItem),
        (status = 200, body = GearItem, description = "It was here"),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = sent(body)?;
    if let Some(id) = already(&state, Identified::Gear, &map).await? {
        return Ok(Json(GearItem::from(state.store.gear_piece(id).await?)).into_response());
    }
    let id = state.store.add_gear(&draft(&map)?).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Gear, id, &map).await?;
    state.hub.refresh().await?;
    Ok(created(GearItem::from(state.store.gear_piece(id).await?)))
}

/// Changes a piece of gear; what kind it is of stays.
#[utoipa::path(
    put,
    path = "/gear/{id}",
    params(("id" = i64, Path)),
    request_body = GearBody,
    responses((status = 200, body = Edited<GearItem>), (status = 404), (status = 409), (status = 422))
)]
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<Edited<GearItem>>, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut map = sent(body)?;
    let there = state.store.gear_piece(id).await?;
    is_of(&map, &there.uid)?;
    let kind = there.draft.kind.name();
    if map.entry("kind").or_insert_with(|| kind.into()) != kind {
        return Err(refuse("kind", &map["kind"], "A piece of gear stays of its kind.", Some(kind)));
    }
    let draft = draft(&map)?;
    let changes = Changes::of(&state, Edit::Gear(id, draft.clone())).await?;
    state.store.change_gear(id, &draft).await.map_err(taken(&map, "name"))?;
    state.hub.refresh().await?;
    Ok(changes.with(state.store.gear_piece(id).await?.into()))
}

fn draft(map: &Map<String, Value>) -> Result<GearDraft, AppError> {
    let name = field(map, "kind")?;
    let kind = GearKind::from_name(&name).ok_or_else(|| {
        let known: Vec<&str> = GearKind::ALL.iter().map(|kind| kind.name()).collect();
        let sent = map.get("kind").unwrap_or(&Value::Null);
        refuse("kind", sent, format!("\"{name}\" is not a kind of gear."), Some(&known.join(", ")))
    })?;
    let fields: Vec<&str> = kind.fields().iter().map(|field| field.name).collect();
    // A meter has a field called kind of its own.
    let own: Vec<&str> = ["uid", "kind", "name", "notes", "meter_kind"].into_iter().chain(fields.iter().copied()).collect();
    only(map, &own)?;
    let mut typed: Pairs = pairs(map, &fields.iter().copied().filter(|name| *name != "kind").collect::<Vec<_>>())?;
    typed.extend(pairs(map, &["name", "notes"])?);
    if let Some(meter_kind) = map.get("meter_kind") {
        typed.push(("kind".to_owned(), text("meter_kind", meter_kind)?));
    }
    let mut notes = Notes::default();
    let draft = gear_form::draft_of(kind, &typed, &mut notes);
    match refused_of(map, &notes) {
        Some(error) => Err(error),
        None => Ok(draft),
    }
}
