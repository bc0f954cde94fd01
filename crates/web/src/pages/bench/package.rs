//! The bench as a package, and another one into it: what does not go together is shown side by side and chosen.

use crate::door::incoming::{keep, remove};
use crate::door::package::{download as file, sentence, take_in, word};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use flindo_store::package::{Chosen, Conflict, ConflictKind, PackageError, Prefer};

#[derive(Template, WebTemplate)]
#[template(path = "package.html")]
pub struct PackagePage {
    frame: Frame,
    error: Option<String>,
    done: Option<String>,
    /// A package that waits for a choice, by its identity.
    waits: Option<(String, Vec<Row>)>,
    /// A package that arrived, by its identity.
    arrived: Option<String>,
}

struct Row {
    what: &'static str,
    name: String,
    here: String,
    package: String,
    is_name: bool,
}

impl Row {
    fn of(conflict: &Conflict) -> Self {
        let is_name = conflict.kind == ConflictKind::NameTaken;
        let (name, here, package) = (conflict.name.clone(), conflict.here.clone(), conflict.package.clone());
        Row { what: word(&conflict.what), name, here, package, is_name }
    }
}

impl PackagePage {
    fn of(frame: Frame) -> Self {
        PackagePage { frame, error: None, done: None, waits: None, arrived: None }
    }

    fn wrong(frame: Frame, error: String) -> Response {
        (StatusCode::UNPROCESSABLE_ENTITY, PackagePage { error: Some(error), ..Self::of(frame) }).into_response()
    }
}

pub async fn page(frame: Frame) -> PackagePage {
    PackagePage::of(frame)
}

pub async fn download(State(state): State<AppState>) -> Result<Response, AppError> {
    file(&state.store, Chosen::All).await
}

/// A package that arrived and waits: taken in, or let go.
pub async fn waits(State(state): State<AppState>, frame: Frame, Path(uid): Path<String>) -> Response {
    match there(&state, &uid) {
        true => PackagePage { arrived: Some(uid), ..PackagePage::of(frame) }.into_response(),
        false => gone(frame),
    }
}

/// Takes the file of the form; it is kept beside the bench until it is in, or let go.
pub async fn add(State(state): State<AppState>, frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    match keep(&state.store, multipart).await {
        Ok(kept) => Ok(taken(&state, frame, &kept.uid, Prefer::Ask).await),
        Err(error) => Ok(PackagePage::wrong(frame, error)),
    }
}

/// Whether a package of this identity is kept beside the bench.
fn there(state: &AppState, uid: &str) -> bool {
    let is_ours = uid.len() == 36 && uid.chars().all(|c| c.is_ascii_hexdigit() || c == '-');
    is_ours && state.store.package_place(uid).exists()
}

fn gone(frame: Frame) -> Response {
    PackagePage::wrong(frame, "This package is not here any more: choose its file again.".to_owned())
}

/// Takes in a package that waited for a choice, or lets it go.
pub async fn decide(
    State(state): State<AppState>,
    frame: Frame,
    Path(uid): Path<String>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    if !there(&state, &uid) {
        return Ok(gone(frame));
    }
    match Prefer::from_name(value(&typed, "prefer")) {
        Some(prefer @ (Prefer::Here | Prefer::Package)) => Ok(taken(&state, frame, &uid, prefer).await),
        Some(Prefer::Ask) if value(&typed, "act") == "take_in" => Ok(taken(&state, frame, &uid, Prefer::Ask).await),
        Some(Prefer::Ask) | None => {
            remove(&state.store.package_place(&uid)).await;
            Ok(PackagePage { done: Some("Nothing came in.".to_owned()), ..PackagePage::of(frame) }.into_response())
        }
    }
}

async fn taken(state: &AppState, frame: Frame, uid: &str, prefer: Prefer) -> Response {
    let at = state.store.package_place(uid);
    let merged = match take_in(&state.store, &at, prefer).await {
        Err(PackageError::Conflicts(conflicts)) => {
            let waits = Some((uid.to_owned(), conflicts.iter().map(Row::of).collect()));
            return (StatusCode::CONFLICT, PackagePage { waits, ..PackagePage::of(frame) }).into_response();
        }
        merged => merged,
    };
    remove(&at).await;
    match merged {
        Ok(merged) => PackagePage { done: Some(sentence(&merged)), ..PackagePage::of(frame) }.into_response(),
        Err(error) => PackagePage::wrong(frame, error.to_string()),
    }
}
