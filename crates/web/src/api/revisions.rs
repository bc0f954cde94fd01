//! The readings of a test as they stand and stood, and their revisions.

use super::working::figures_json;
use crate::door::json::{Asked, Part, refuse};
use crate::door::revising::{correct, withdraw};
use crate::door::typed::Pairs;
use crate::error::{AppError, InputError};
use crate::frame::Clock;
use crate::state::AppState;
use axum::Json;
use axum::extract::rejection::JsonRejection;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use flindo_core::sky::note::SkyNote;
use flindo_store::{Accepted, Reading};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;

/// A row of a reading: what was read, or what replaced it.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReadingItem {
    uid: String,
    taken_utc: String,
    accepted_utc: String,
    /// The line as it was typed; empty where figures came by their names.
    typed: String,
    note: String,
    /// By the core's name; null where it was not noted.
    sky: Option<String>,
    run: Option<i64>,
    /// Numbers by the names of quantities; ranges, peaks and settled values as objects.
    #[schema(value_type = Object)]
    figures: Value,
    /// The row that this one replaces, and why.
    replaces: Option<String>,
    reason: Option<String>,
    /// It takes the reading back.
    withdrawn: bool,
}

fn item(reading: Reading) -> ReadingItem {
    let what = reading.what;
    let revision = what.revision.as_ref();
    ReadingItem {
        taken_utc: what.taken_utc.to_string(),
        accepted_utc: reading.accepted_utc.to_string(),
        sky: what.sky.map(|sky| SkyNote::name(sky).to_owned()),
        run: what.run_id,
        figures: figures_json(&what.figures),
        replaces: revision.map(|revision| revision.replaces_uid.clone()),
        reason: revision.map(|revision| revision.reason.clone()),
        withdrawn: revision.is_some_and(|revision| revision.withdrawn),
        uid: what.uid,
        typed: what.typed,
        note: what.note,
    }
}

/// The readings of a test in the order in which they were accepted, corrections and withdrawals as rows of their own.
#[utoipa::path(
    get,
    path = "/tests/{id}/readings",
    params(("id" = i64, Path), Asked),
    responses((status = 200, body = Part<ReadingItem>), (status = 404), (status = 422))
)]
pub async fn list(State(state): State<AppState>, Path(id): Path<i64>, asked: Asked) -> Result<Json<Part<ReadingItem>>, AppError> {
    state.store.test(id).await?;
    // By the row that was sent last, not by its place: rows are only added.
    let (after, most) = asked.places();
    let mut rows = state.store.readings_after(id, after, most + 1).await?;
    let has_more = rows.len() as i64 > most;
    rows.truncate(usize::try_from(most).unwrap_or(usize::MAX));
    let next = rows.last().map(|row| row.id).filter(|_| has_more);
    let total = state.store.count_readings(id).await?;
    Ok(Json(Part { items: rows.into_iter().map(item).collect(), next, total }))
}

/// A correction (`typed`), a withdrawal (`withdrawn` true) or a restoration (`withdrawn` false).
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRevision {
    /// Made by the sender; the same one again adds nothing.
    uid: String,
    typed: Option<String>,
    withdrawn: Option<bool>,
    reason: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct RevisionAnswer {
    uid: String,
    /// accepted or already.
    answer: &'static str,
}

/// Revises a reading: `of` is the `uid` of the row that stands. Where another revision came before, the answer is 409.
#[utoipa::path(
    post,
    path = "/tests/{id}/readings/{of}/revisions",
    params(("id" = i64, Path), ("of" = String, Path)),
    request_body(
        content = NewRevision,
        example = json!({"uid": "correction-0001", "typed": "18.4 V 8.49 A 880 W/m2 49 C", "reason": "decimal point"})
    ),
    responses(
        (status = 201, body = RevisionAnswer),
        (status = 200, body = RevisionAnswer, description = "It had arrived before"),
        (status = 404),
        (status = 409),
        (status = 422)
    )
)]
pub async fn revise(
    State(state): State<AppState>,
    Clock(zone): Clock,
    Path((id, of)): Path<(i64, String)>,
    body: Result<Json<NewRevision>, JsonRejection>,
) -> Result<(StatusCode, Json<RevisionAnswer>), AppError> {
    let Json(new) = body.map_err(|error| AppError::Input(InputError { message: error.body_text(), ..InputError::default() }))?;
    if new.reason.trim().is_empty() {
        return Err(refuse("reason", &json!(new.reason), "Say why: the reason stands beside the reading.", None));
    }
    let at = (id, of.as_str());
    let accepted = match (new.typed, new.withdrawn) {
        (Some(typed), None) => {
            let pairs: Pairs = vec![("uid".to_owned(), new.uid.clone()), ("typed".to_owned(), typed)];
            correct(&state, at, &pairs, new.reason, &zone).await?
        }
        (None, Some(withdrawn)) => withdraw(&state, at, &new.uid, (withdrawn, new.reason)).await?,
        (Some(_), Some(_)) | (None, None) => {
            return Err(refuse("typed", &Value::Null, "A revision is a corrected line, or says whether it is withdrawn.", None));
        }
    };
    let (status, answer) = match accepted {
        Accepted::New => (StatusCode::CREATED, "accepted"),
        Accepted::Already => (StatusCode::OK, "already"),
    };
    Ok((status, Json(RevisionAnswer { uid: new.uid, answer })))
}
