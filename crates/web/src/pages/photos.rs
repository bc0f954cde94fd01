//! Photos of a set-up. Each is encoded anew, upright and no larger than a page shows it: no EXIF, no location, nothing hidden.

use super::typed::Pairs;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use axum::extract::{Multipart, Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use flindo_store::NewPhoto;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use jiff::Timestamp;
use std::io::Cursor;

/// Of an upload; the form around it included.
pub const MOST_BYTES: usize = 12 * 1024 * 1024 + 16 * 1024;

/// Pictures of a bench that is kept for years.
const MOST_PHOTOS: usize = 40;

/// The longer side that is kept, pixels.
const LONGEST_PX: u32 = 1600;

/// The largest picture that is decoded, pixels a side.
const LARGEST_PX: u32 = 12_000;

const JPEG_QUALITY: u8 = 85;

/// Reads, turns, shrinks and encodes a picture. The error is a sentence.
pub fn cleaned(bytes: &[u8]) -> Result<(&'static str, u32, u32, Vec<u8>), String> {
    let wrong = "This is not a PNG or JPEG picture.";
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|_| wrong.to_owned())?;
    let format = reader.format().filter(|format| matches!(format, ImageFormat::Png | ImageFormat::Jpeg)).ok_or(wrong)?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height) = (Some(LARGEST_PX), Some(LARGEST_PX));
    limits.max_alloc = Some(400 * 1024 * 1024);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(|error| format!("This picture cannot be read: {error}."))?;
    let orientation = decoder.orientation().unwrap_or(image::metadata::Orientation::NoTransforms);
    let mut picture = DynamicImage::from_decoder(decoder).map_err(|error| format!("This picture cannot be read: {error}."))?;
    picture.apply_orientation(orientation);
    if picture.width().max(picture.height()) > LONGEST_PX {
        picture = picture.thumbnail(LONGEST_PX, LONGEST_PX);
    }
    let mut out = Cursor::new(Vec::new());
    let (media_type, written) = match format {
        ImageFormat::Png => ("image/png", picture.write_to(&mut out, ImageFormat::Png)),
        _ => ("image/jpeg", picture.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut out, JPEG_QUALITY))),
    };
    written.map_err(|error| format!("This picture cannot be kept: {error}."))?;
    Ok((media_type, picture.width(), picture.height(), out.into_inner()))
}

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
    state.store.test(id).await?;
    let (file, pairs) = fields(multipart).await?;
    if file.is_empty() {
        return Err(AppError::input("file", "", "Choose a picture first."));
    }
    if state.store.photos(id).await?.len() >= MOST_PHOTOS {
        return Err(AppError::input("file", "", format!("A test holds {MOST_PHOTOS} photos: remove one first.")));
    }
    let cleaned = tokio::task::spawn_blocking(move || cleaned(&file))
        .await
        .map_err(|_| AppError::input("file", "", "This picture cannot be read."))?;
    let (media_type, width_px, height_px, bytes) = cleaned.map_err(|sentence| AppError::input("file", "", sentence))?;
    let caption = super::typed::value(&pairs, "caption").trim().chars().take(120).collect();
    let run_id = super::typed::value(&pairs, "run").parse().ok();
    let photo = NewPhoto { run_id, caption, media_type, width_px, height_px, bytes };
    state.store.add_photo(id, &photo, Timestamp::now()).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}

pub async fn file(State(state): State<AppState>, Path((id, photo_id)): Path<(i64, i64)>) -> Result<Response, AppError> {
    let (media_type, bytes) = state.store.photo_file(id, photo_id).await?;
    Ok(([(header::CONTENT_TYPE, media_type), (header::CACHE_CONTROL, "private, max-age=86400".to_owned())], bytes)
        .into_response())
}

pub async fn remove(State(state): State<AppState>, Path((id, photo_id)): Path<(i64, i64)>) -> Result<Redirect, AppError> {
    state.store.remove_photo(id, photo_id).await?;
    state.hub.tell(id);
    Ok(Redirect::to(&format!("/tests/{id}")))
}
