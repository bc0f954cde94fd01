//! A file that a form carries.

use axum::extract::Multipart;
use axum::http::StatusCode;

/// Some 300,000 readings.
pub const MOST_BYTES: usize = 64 * 1024 * 1024;

/// The file of a form.
pub async fn file(mut multipart: Multipart) -> Result<Vec<u8>, String> {
    let unread = |error: axum::extract::multipart::MultipartError| match error.status() {
        StatusCode::PAYLOAD_TOO_LARGE => format!("This file is larger than {} MB.", MOST_BYTES / 1024 / 1024),
        _ => "The file did not arrive whole.".to_owned(),
    };
    while let Some(field) = multipart.next_field().await.map_err(unread)? {
        if field.name() == Some("file") {
            return field.bytes().await.map(|bytes| bytes.to_vec()).map_err(unread);
        }
    }
    Err("Choose a file first.".to_owned())
}
