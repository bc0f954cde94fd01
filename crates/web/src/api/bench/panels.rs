//! Kinds of panel, and panels.

use super::items::{KindItem, PanelItem, PanelsAdded};
use super::{Changes, Edited, already, created, identify, is_of, sent, taken};
use crate::api::bodies::{KindBody, PanelBody, known};
use crate::door::changed::Edit;
use crate::door::json::{Asked, Body, Part, object_of, only, refuse};
use crate::door::panel::change;
use crate::door::panel_json::{kind_of, panel_drafts};
use crate::error::AppError;
use crate::state::AppState;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use flindo_store::{Identified, Kind, PanelDraft};
use serde_json::{Map, Value};

/// All kinds of panel.
#[utoipa::path(
    get,
    path = "/panel-kinds",
    params(Asked),
    responses((status = 200, body = Part<KindItem>), (status = 422))
)]
pub async fn kinds(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<KindItem>>, AppError> {
    Ok(asked.part(state.store.kinds().await?, |kind| KindItem::from(&kind)))
}

/// One kind.
#[utoipa::path(
    get,
    path = "/panel-kinds/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = KindItem), (status = 404))
)]
pub async fn kind(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<KindItem>, AppError> {
    Ok(Json((&state.store.kind(id).await?).into()))
}

/// Adds a kind of panel with its label.
#[utoipa::path(
    post,
    path = "/panel-kinds",
    request_body(
        content = KindBody,
        example = json!({
            "name": "Saffron 200", "rated_w": 200, "tolerance": "0/+3 %", "voc_v": 24.3, "isc_a": 10.4, "vmp_v": 20.4,
            "imp_a": 9.81, "alpha_isc": "0.05 %/K", "beta_voc": "-0.28 %/K", "gamma_pmax": "-0.36 %/K", "cells_in_series": 36,
            "technology": "mono", "noct_c": 45
        })
    ),
    responses(
        (status = 201, body = KindItem),
        (status = 200, body = KindItem, description = "It was here"),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add_kind(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let mut map = sent(body)?;
    let keeps = keeps_contradictions(&mut map);
    if let Some(id) = already(&state, Identified::Kind, &map).await? {
        return Ok(Json(KindItem::from(&state.store.kind(id).await?)).into_response());
    }
    let id = state.store.add_kind(&kind_of(&map, keeps, false)?).await.map_err(taken(&map, "name"))?;
    identify(&state, Identified::Kind, id, &map).await?;
    Ok(created(KindItem::from(&state.store.kind(id).await?)))
}

/// Changes a kind, and with it the label of every panel of it.
#[utoipa::path(
    put,
    path = "/panel-kinds/{id}",
    params(("id" = i64, Path)),
    request_body = KindBody,
    responses((status = 200, body = Edited<KindItem>), (status = 404), (status = 409), (status = 422))
)]
pub async fn change_kind(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<Json<Edited<KindItem>>, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut map = sent(body)?;
    let keeps = keeps_contradictions(&mut map);
    let there = state.store.kind(id).await?;
    is_of(&map, &there.uid)?;
    let draft = kind_of(&map, keeps, there.draft.nameplate.rated_w.is_none())?;
    // The label is read by the tests of any of its panels.
    let changes = match state.store.panels().await?.into_iter().find(|panel| panel.kind.id == id) {
        Some(panel) => {
            let edit = Edit::Panel(panel.id, Box::new((panel.draft, draft.nameplate.clone())));
            Changes::of(&state, edit).await?
        }
        None => Changes::NONE,
    };
    state.store.change_kind(id, &draft).await.map_err(taken(&map, "name"))?;
    Ok(changes.with((&state.store.kind(id).await?).into()))
}

fn keeps_contradictions(map: &mut Map<String, Value>) -> bool {
    map.remove("keep_contradictions").is_some_and(|value| value == true)
}

/// All panels by tag.
#[utoipa::path(
    get,
    path = "/panels",
    params(Asked),
    responses((status = 200, body = Part<PanelItem>), (status = 422))
)]
pub async fn panels(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<PanelItem>>, AppError> {
    Ok(asked.part(state.store.panels().await?, |panel| PanelItem::from(&panel)))
}

/// One panel.
#[utoipa::path(
    get,
    path = "/panels/{id}",
    params(("id" = i64, Path)),
    responses((status = 200, body = PanelItem), (status = 404))
)]
pub async fn panel(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Json<PanelItem>, AppError> {
    Ok(Json((&state.store.panel(id).await?).into()))
}

/// Adds a panel, or a batch of one kind with a tag such as `U-1..U-10`. `kind` is the name of a kind, or a kind with its label.
#[utoipa::path(
    post,
    path = "/panels",
    request_body(
        content = PanelBody,
        example = json!({
            "tag": "U-1..U-10", "kind": "Umber 250", "is_used": true, "age_years": 11, "price": 35, "provenance": "a barn roof",
            "defects": ["discoloured_cells"]
        })
    ),
    responses(
        (status = 201, body = PanelsAdded),
        (status = 200, body = PanelItem, description = "It was here"),
        (status = 409),
        (status = 422, description = "Which field was refused")
    )
)]
pub async fn add_panel(State(state): State<AppState>, body: Body) -> Result<Response, AppError> {
    let map = sent(body)?;
    only(&map, &known::<PanelBody>())?;
    if let Some(id) = already(&state, Identified::Panel, &map).await? {
        return Ok(Json(PanelItem::from(&state.store.panel(id).await?)).into_response());
    }
    let drafts = panel_drafts(&map, false)?;
    let known = state.store.kinds().await?;
    let kind_id = match (map.get("kind"), known_kind(&map, &known)?) {
        (_, Some(kind)) => kind.id,
        (Some(inline), None) => {
            let kind = object_of("kind", inline.clone())?;
            let keeps = map.get("keep_contradictions").is_some_and(|value| value == true);
            let draft = kind_of(&kind, keeps, false).map_err(|error| within("kind", error))?;
            state.store.add_kind(&draft).await.map_err(taken(&map, "kind"))?
        }
        (None, None) => return Err(refuse("kind", &Value::Null, "A panel is of a kind: give its name, or its label.", None)),
    };
    let drafts: Vec<PanelDraft> = drafts.into_iter().map(|draft| PanelDraft { kind_id, ..draft }).collect();
    let ids = state.store.add_panels(&drafts).await.map_err(taken(&map, "tag"))?;
    if let [only] = ids[..] {
        identify(&state, Identified::Panel, only, &map).await?;
    }
    let several = ids.len() > 1;
    Ok(created(PanelsAdded {
        of: (&state.store.panel(ids[0]).await?).into(),
        tags: several.then(|| drafts.into_iter().map(|draft| draft.tag).collect()),
        ids: several.then_some(ids),
    }))
}

/// Changes a panel. Its label is that of its kind: change that under `/panel-kinds`.
#[utoipa::path(
    put,
    path = "/panels/{id}",
    params(("id" = i64, Path)),
    request_body = PanelBody,
    responses((status = 200, body = Edited<PanelItem>), (status = 404), (status = 409), (status = 422))
)]
pub async fn change_panel(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    body: Body,
) -> Result<Json<Edited<PanelItem>>, AppError> {
    let _turn = state.turn_to_edit().await;
    let map = sent(body)?;
    only(&map, &known::<PanelBody>())?;
    let there = state.store.panel(id).await?;
    is_of(&map, &there.uid)?;
    let known = state.store.kinds().await?;
    let kind = known_kind(&map, &known)?.unwrap_or(&there.kind);
    let mut drafts = panel_drafts(&map, true)?;
    let draft = PanelDraft { kind_id: kind.id, ..drafts.remove(0) };
    // A panel without a label can be found to be of a kind that is known.
    if kind.id != there.kind.id && !there.is_unlabelled() {
        return Err(refuse(
            "kind",
            &map["kind"],
            "A panel keeps its kind: withdraw it and add it as another.",
            Some(there.name()),
        ));
    }
    let edit = Edit::Panel(id, Box::new((draft.clone(), kind.draft.nameplate.clone())));
    let changes = Changes::of(&state, edit).await?;
    change(&state.store, &there, &draft).await.map_err(taken(&map, "tag"))?;
    Ok(changes.with((&state.store.panel(id).await?).into()))
}

/// The kind of a body that is on the bench: by its name, or as it was answered, which then has to be as it is. `None`: a new one, or none.
fn known_kind<'a>(map: &Map<String, Value>, known: &'a [Kind]) -> Result<Option<&'a Kind>, AppError> {
    match map.get("kind") {
        Some(Value::String(name)) => {
            let found = known.iter().find(|kind| kind.draft.name.eq_ignore_ascii_case(name.trim()));
            found.map(Some).ok_or_else(|| {
                let names: Vec<&str> = known.iter().map(|kind| kind.draft.name.as_str()).collect();
                refuse("kind", &map["kind"], format!("There is no kind of panel called \"{name}\"."), Some(&names.join(", ")))
            })
        }
        Some(answered @ Value::Object(kind)) if kind.contains_key("id") => {
            let same = known.iter().find(|one| kind.get("uid").is_some_and(|uid| *uid == one.uid.as_str()));
            let is_as_it_is = |one: &&Kind| serde_json::to_value(KindItem::from(*one)).is_ok_and(|stands| stands == *answered);
            same.filter(is_as_it_is).map(Some).ok_or_else(|| {
                refuse("kind", answered, "The kind is another one on this bench: change it under /panel-kinds.", None)
            })
        }
        None | Some(Value::Object(_) | Value::Null | Value::Bool(_) | Value::Number(_) | Value::Array(_)) => Ok(None),
    }
}

/// The field of an error, as part of another.
fn within(outer: &str, error: AppError) -> AppError {
    let AppError::Input(mut input) = error else { return error };
    input.field = input.field.map(|field| format!("{outer}.{field}"));
    AppError::Input(input)
}
