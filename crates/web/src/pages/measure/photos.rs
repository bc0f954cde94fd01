//! Photos of a set-up.

use crate::door::photo;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use axum::extract::{Multipart, Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};

/// The fields of an upload: the file, and the rest as text.
async fn fields(mut multipart: Multipart) -> Result<(Vec<u8>, Pairs), AppError> {
    let unread = |error: axum::extract::multipart::MultipartError| {
        let sentence = match error.status() {
            StatusCode::PAYLOAD_TOO_LARGE => "This picture is larger than 12 MB.",
            _ => "The picture did not arrive whole.",
        };
        AppError::input("file", "", sentence)
    };
    let (mut file, mut pairs) = (Vec::new(), Pairs::new());
    while let Some(field) = multipart.next_field().await.map_err(unread)? {
        match field.name().map(str::to_owned) {
            Some(name) if name == "file" => file = field.bytes().await.map_err(unread)?.to_vec(),
            Some(name) => pairs.push((name, field.text().await.map_err(unread)?)),
            None => {}
        }
    }
    Ok((file, pairs))
}

pub async fn add(
    State(state): State<AppState>,
    _: Frame,
    Path(id): Path<i64>,
    multipart: Multipart,
) -> Result<Redirect, AppError> {
    let (file, pairs) = fields(multipart).await?;
    photo::keep(&state, id, file, value(&pairs, "run").parse().ok(), value(&pairs, "caption")).await?;
    Ok(Redirect::to(&format!("/tests/{id}")))
}

pub async fn file(State(state): State<AppState>, Path((id, photo_id)): Path<(i64, i64)>) -> Result<Response, AppError> {
    let (media_type, bytes) = state.store.photo_file(id, photo_id).await?;
    Ok(([(header::CONTENT_TYPE, media_type), (header::CACHE_CONTROL, "private, max-age=86400".to_owned())], bytes)
        .into_response())
}

/// The small picture for lists; the picture itself where it was kept before there were small ones.
pub async fn thumbnail(State(state): State<AppState>, Path((id, photo_id)): Path<(i64, i64)>) -> Result<Response, AppError> {
    let (media_type, bytes) = match state.store.photo_thumbnail(id, photo_id).await? {
        Some(bytes) => ("image/jpeg".to_owned(), bytes),
        None => state.store.photo_file(id, photo_id).await?,
    };
    Ok(([(header::CONTENT_TYPE, media_type), (header::CACHE_CONTROL, "private, max-age=86400".to_owned())], bytes)
        .into_response())
}

pub async fn remove(State(state): State<AppState>, Path((id, photo_id)): Path<(i64, i64)>) -> Result<Redirect, AppError> {
    state.store.remove_photo(id, photo_id).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}
