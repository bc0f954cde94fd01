//! Places.

use super::items::PlaceItem;
use super::{Changes, Edited, already, created, identify, is_of, sent, taken};
use crate::api::bodies::{Fields, PlaceBody, known};
use crate::door::changed::Edit;
use crate::door::json::{Asked, Body, Part, field, only, pairs, refuse, refused_of};
use crate::door::place as place_form;
use crate::door::typed::Notes;
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::Ground;
use flindo_store::{Identified, PlaceDraft};
use serde_json::{Map, Value};

/// All places.
#[utoipa::path(
    get,
    path = "/places",
    params(Asked),
    responses((status = 200, body = Part<PlaceItem>), (status = 422))
)]
pub async fn list(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<PlaceItem>>, AppError> {
    Ok(asked.part(state.store.places().await?, PlaceItem::from))
}

/// One place.
#[utoipa::path(
    get,
    path = "/places/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = PlaceItem), (status = 404))
)]
pub async fn one(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<PlaceItem>, AppError> {
    Ok(Json(state.store.place(id).await?.into()))
}

/// Adds a place and uses it from now on.
#[utoipa::path(
    post,
    path = "/places",
    request_body(
        content = PlaceBody,
        example = json!({
            "name": "Yard", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "time_zone": "Europe/Lisbon", "ground": "soil",
            "clarity": "clear", "coldest_c": -4, "hottest_c": 42
        })
    ),
    responses(
        (status = 201, body = PlaceItem),
        (status = 200, body = PlaceItem, description = "It was here"),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = sent(body)?;
    only(&map, &known::<PlaceBody>())?;
    if let Some(id) = already(&state, Identified::Place, &map).await? {
        return Ok(Json(PlaceItem::from(state.store.place(id).await?)).into_response());
    }
    let id = state.store.add_place(&draft(&state, &map).await?).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Place, id, &map).await?;
    Ok(created(PlaceItem::from(state.store.place(id).await?)))
}

/// Changes a place.
#[utoipa::path(
    put,
    path = "/places/{id}",
    params(("id" = i64, Path)),
    request_body = PlaceBody,
    responses((status = 200, body = Edited<PlaceItem>), (status = 404), (status = 409), (status = 422))
)]
pub async fn change(State(state): State<AppState>, Path(id): Path<i64>, body: Body) -> Result<Json<Edited<PlaceItem>>, AppError> {
    let _turn = state.turn_to_edit().await;
    let map = sent(body)?;
    only(&map, &known::<PlaceBody>())?;
    is_of(&map, &state.store.place(id).await?.uid)?;
    let draft = draft(&state, &map).await?;
    let changes = Changes::of(&state, Edit::Place(id, draft.clone())).await?;
    state.store.change_place(id, &draft).await.map_err(taken(&map, "name"))?;
    Ok(changes.with(state.store.place(id).await?.into()))
}

/// Has the bench work at a place from now on.
#[utoipa::path(
    post,
    path = "/places/{id}/use",
    params(("id" = i64, Path)),
    responses((status = 200, body = PlaceItem), (status = 404))
)]
pub async fn choose(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<PlaceItem>, AppError> {
    state.store.use_place(id).await?;
    Ok(Json(state.store.place(id).await?.into()))
}

async fn draft(state: &AppState, map: &Map<String, Value>) -> Result<PlaceDraft, AppError> {
    let mut typed = pairs(map, &PlaceBody::PLAIN[1..])?;
    if !map.contains_key("time_zone") {
        typed.push(("time_zone".to_owned(), state.store.bench().await?.time_zone));
    }
    let mut notes = Notes::default();
    let draft = place_form::draft_of(&typed, &mut notes);
    let grounds: Vec<&str> = Ground::ALL.iter().map(|ground| ground.name()).collect();
    let clarities: Vec<&str> = Clarity::ALL.iter().map(|clarity| clarity.name()).collect();
    for (name, known) in [("ground", grounds), ("clarity", clarities)] {
        let given = field(map, name)?;
        if !given.is_empty() && !known.contains(&given.as_str()) {
            return Err(refuse(name, &map[name], format!("\"{given}\" is not one of the choices."), Some(&known.join(", "))));
        }
    }
    draft.ok_or_else(|| refused_of(map, &notes).unwrap_or(AppError::NoSuchPage))
}
