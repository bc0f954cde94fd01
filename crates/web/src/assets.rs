//! Styles, scripts, fonts and icons, embedded in the program.

use crate::error::AppError;
use axum::extract::Path;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};

#[derive(rust_embed::RustEmbed)]
#[folder = "static/"]
struct Assets;

/// The bytes of a file that is embedded; none for a name that is none, which a test holds.
pub fn bytes(path: &str) -> Vec<u8> {
    Assets::get(path).map(|file| file.data.into_owned()).unwrap_or_default()
}

/// The same as text.
pub fn text(path: &str) -> String {
    String::from_utf8(bytes(path)).unwrap_or_default()
}

/// One file, with its hash as its tag, so that a browser asks again but loads only what changed.
pub async fn asset(Path(path): Path<String>, headers: HeaderMap) -> Result<Response, AppError> {
    let file = Assets::get(&path).ok_or(AppError::NoSuchPage)?;
    let hash: String = file.metadata.sha256_hash().iter().take(12).map(|byte| format!("{byte:02x}")).collect();
    let tag = format!("\"{hash}\"");
    if headers.get(header::IF_NONE_MATCH).is_some_and(|known| known.as_bytes() == tag.as_bytes()) {
        return Ok((StatusCode::NOT_MODIFIED, [(header::ETAG, tag)]).into_response());
    }
    let kind = file.metadata.mimetype().to_owned();
    Ok(([(header::CONTENT_TYPE, kind), (header::ETAG, tag)], file.data).into_response())
}
