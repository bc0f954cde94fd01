//! A file that a form carries.

use axum::body::BodyDataStream;
use axum::extract::Multipart;
use axum::http::StatusCode;
use futures_util::StreamExt;
use std::time::Duration;

/// Some 300,000 readings.
pub const MOST_BYTES: usize = 64 * 1024 * 1024;

/// How long what is not wanted any more may take to arrive.
const LONGEST_REST: Duration = Duration::from_secs(60);

/// Takes what still arrives of a form and keeps nothing of it: a browser that is still sending would else see a broken connection in place
/// of the sentence that says why.
pub async fn let_go(multipart: &mut Multipart) {
    let rest = async {
        while let Ok(Some(mut field)) = multipart.next_field().await {
            while let Ok(Some(_)) = field.chunk().await {}
        }
    };
    // What takes longer is cut off.
    let _ = tokio::time::timeout(LONGEST_REST, rest).await;
}

/// The same of a body.
pub async fn let_body_go(body: &mut BodyDataStream) {
    let rest = async { while let Some(Ok(_)) = body.next().await {} };
    let _ = tokio::time::timeout(LONGEST_REST, rest).await;
}

/// The file of a form.
pub async fn file(mut multipart: Multipart) -> Result<Vec<u8>, String> {
    let read = bytes_of(&mut multipart).await;
    if read.is_err() {
        let_go(&mut multipart).await;
    }
    read
}

async fn bytes_of(multipart: &mut Multipart) -> Result<Vec<u8>, String> {
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
