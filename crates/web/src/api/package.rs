//! The whole bench for programs: out as a package, and another one in.

use crate::door::json::refuse;
use crate::door::package::chosen;
use crate::door::package::{download, take_in};
use crate::door::typed::{Pairs, value};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::body::Body;
use axum::extract::{Query, State};
use axum::response::Response;
use flindo_store::package::{Chosen, Conflict, ConflictKind, Merged, PackageError, Prefer, Spot};
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use tokio::io::AsyncWriteExt;
use tokio_stream::StreamExt;
use utoipa::ToSchema;

/// The bench as a Data Package: `datapackage.json`, one CSV per table and per log, photos and weather files. `?tests=3,5` for
/// some tests with all they need.
#[utoipa::path(
    get,
    path = "/bench.zip",
    params(("tests" = Option<String>, Query, description = "numbers of tests")),
    responses((status = 200, content_type = "application/zip"))
)]
pub async fn export(State(state): State<AppState>, Query(query): Query<Pairs>) -> Result<Response, AppError> {
    let typed = value(&query, "tests");
    let chosen = match chosen(typed) {
        Some(chosen) => chosen,
        None => return Err(refuse("tests", &json!(typed), "These are not numbers of tests.", Some("3,5,8"))),
    };
    if let Chosen::Tests(ids) = &chosen {
        for id in ids {
            state.store.test(*id).await?;
        }
    }
    download(&state.store, chosen).await
}

/// What a package brought.
#[derive(Debug, Serialize, ToSchema)]
pub struct MergedAnswer {
    /// New rows by table.
    added: BTreeMap<&'static str, u64>,
    /// Rows that the package had newer.
    changed: u64,
    /// Corrections of readings that were corrected here too.
    corrections_left: u64,
}

/// Takes a package in: all of it or nothing. Rows that are here already add nothing. Where both sides changed a thing, or a name is of two
/// things, the answer is 409 with each of them under `error.value`; `?prefer=here` or `?prefer=package` says which is to stand.
#[utoipa::path(
    post,
    path = "/bench.zip",
    params(("prefer" = Option<String>, Query, description = "here or package")),
    request_body(content = Vec<u8>, content_type = "application/zip"),
    responses((status = 200, body = MergedAnswer), (status = 409, description = "Conflicts"), (status = 422))
)]
pub async fn import(
    State(state): State<AppState>,
    Query(query): Query<Pairs>,
    body: Body,
) -> Result<Json<MergedAnswer>, AppError> {
    let typed = value(&query, "prefer");
    let prefer = Prefer::from_name(typed)
        .ok_or_else(|| refuse("prefer", &json!(typed), "There is no such side.", Some("here, package")))?;
    let at = state.store.package_place(&flindo_store::new_uid());
    let taken = match keep(body, &at).await {
        Ok(()) => take_in(&state.store, &at, prefer).await,
        Err(error) => Err(PackageError::Disk { path: at.clone(), why: error.to_string() }),
    };
    // What is left of it is of no more use; a disk that does not remove it has told so elsewhere.
    let _ = tokio::fs::remove_file(&at).await;
    match taken {
        Ok(merged) => {
            let Merged { added, changed, corrections_left } = merged;
            Ok(Json(MergedAnswer { added, changed, corrections_left }))
        }
        Err(PackageError::Conflicts(conflicts)) => Err(AppError::Taken(InputError {
            message:
                "Both sides changed these since they were one, or one name is of two things: say which is to stand with prefer."
                    .to_owned(),
            field: Some("prefer".to_owned()),
            value: Some(conflicts.iter().map(told).collect()),
            allowed: Some("here, package".to_owned()),
            index: None,
        })),
        Err(PackageError::Wrong { spot, why }) => {
            let Spot { file, line, column } = &spot;
            let place = json!({ "file": file, "line": line, "column": column });
            Err(refuse("body", &place, format!("{spot}: {why}"), None))
        }
        Err(error) => Err(error.into()),
    }
}

async fn keep(body: Body, at: &std::path::Path) -> Result<(), axum::Error> {
    let mut file = tokio::fs::File::create(at).await.map_err(axum::Error::new)?;
    let mut parts = body.into_data_stream();
    while let Some(part) = parts.next().await {
        file.write_all(&part?).await.map_err(axum::Error::new)?;
    }
    file.flush().await.map_err(axum::Error::new)
}

fn told(conflict: &Conflict) -> Value {
    let kind = match conflict.kind {
        ConflictKind::Changed => "changed",
        ConflictKind::NameTaken => "name_taken",
    };
    json!({ "kind": kind, "what": conflict.what, "name": conflict.name, "here": conflict.here, "package": conflict.package })
}
