//! A report of one file held against the data in it.

use crate::door::file::file;
use crate::error::AppError;
use crate::frame::Frame;
use crate::report::recompute::{Differing, Recomputed, recompute};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::Multipart;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};

#[derive(Template, WebTemplate)]
#[template(path = "recompute.html")]
pub struct RecomputePage {
    frame: Frame,
    error: Option<String>,
    found: Option<Recomputed>,
}

impl RecomputePage {
    fn differing(&self) -> &[Differing] {
        self.found.as_ref().map_or(&[], |found| &found.differing)
    }
}

pub async fn page(frame: Frame) -> RecomputePage {
    RecomputePage { frame, error: None, found: None }
}

pub async fn add(frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    let read = match file(multipart).await {
        Ok(bytes) => String::from_utf8(bytes).map_err(|_| "This is no text: choose the HTML file of a report.".to_owned()),
        Err(sentence) => Err(sentence),
    };
    let found = match read {
        Ok(html) => recompute(&html).await,
        Err(sentence) => Err(sentence),
    };
    Ok(match found {
        Ok(found) => RecomputePage { frame, error: None, found: Some(found) }.into_response(),
        Err(sentence) => {
            (StatusCode::UNPROCESSABLE_ENTITY, RecomputePage { frame, error: Some(sentence), found: None }).into_response()
        }
    })
}
