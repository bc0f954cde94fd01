//! A report as one file: its styles, drawings, photos and the data of its test inside.

use crate::assets::text as asset;
use crate::door::review::chosen;
use crate::error::AppError;
use crate::frame::{Frame, Theme};
use crate::report::article::Article;
use crate::report::review::article;
use crate::state::AppState;
use askama::Template;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use flindo_store::new_uid;
use flindo_store::package::Chosen;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What a file was made of, in its head.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct About {
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub test_uid: String,
    /// In place of a test's.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub review_uid: String,
    pub printed_utc: Timestamp,
    pub is_brief: bool,
    /// Of the program that made it.
    pub program: String,
}

#[derive(Template)]
#[template(path = "report_file.html")]
struct ReportFile<'a> {
    about: String,
    tag: &'a str,
    tested: &'a str,
    styles: &'a str,
    /// Signs that the report refers to.
    pictures: &'a str,
    article: &'a str,
    package: &'a str,
}

/// What a file is of, by its number on the bench.
#[derive(Debug, Clone, Copy)]
pub enum Of {
    Test(i64),
    Review(i64),
}

/// The file to be kept or sent; a brief one is for readers in a hurry.
///
/// # Errors
/// What the bench answers, and a test or review that is not on it.
pub async fn download(state: &AppState, of: Of, is_brief: bool) -> Result<Response, AppError> {
    let (mut test_uid, mut review_uid) = (String::new(), String::new());
    let tests = match of {
        Of::Test(id) => {
            test_uid = state.store.test(id).await?.uid;
            vec![id]
        }
        Of::Review(id) => {
            let row = state.store.review(id).await?;
            review_uid = row.uid;
            let (digests, _) = chosen(state, &row.draft).await?;
            digests.iter().map(|digest| digest.test.id).collect()
        }
    };
    let at = state.store.package_place(&new_uid());
    let (to, store, runtime) = (at.clone(), state.store.clone(), tokio::runtime::Handle::current());
    let now = Timestamp::now();
    let written = tokio::task::spawn_blocking(move || runtime.block_on(store.export_package(&to, &Chosen::Tests(tests), now)));
    written.await.map_err(|error| AppError::failed(&error))??;
    let package = tokio::fs::read(&at).await;
    tokio::fs::remove_file(&at).await.map_err(|error| AppError::failed(&error))?;
    let package = BASE64.encode(package.map_err(|error| AppError::failed(&error))?);
    let about = About { test_uid, review_uid, printed_utc: now, is_brief, program: env!("CARGO_PKG_VERSION").to_owned() };
    let (html, tag) = rendered(state, of, &about, &package).await?;
    let safe: String = tag.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let day = about.printed_utc.strftime("%Y-%m-%d");
    let name = match of {
        Of::Test(id) => format!("{safe}-test-{id}-{day}{}.html", if is_brief { "-brief" } else { "" }),
        Of::Review(id) => format!("review-{id}-{day}.html"),
    };
    let disposition = format!("attachment; filename=\"{name}\"");
    Ok(([(header::CONTENT_TYPE, "text/html; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)], html)
        .into_response())
}

/// The whole file, and the tag or name that stands in its title.
pub async fn rendered(state: &AppState, of: Of, about: &About, package: &str) -> Result<(String, String), AppError> {
    let failed = |error: askama::Error| AppError::failed(&error);
    let (body, tag, tested) = match of {
        Of::Test(id) => of_test(state, id, about).await?,
        Of::Review(id) => {
            let frame = Frame::at(state, &format!("/reviews/{id}"), Theme::Paper).await?;
            let article = article(state, &frame, id, true).await?;
            let printed = crate::figures::day(about.printed_utc, &frame.time_zone);
            (article.render().map_err(failed)?, article.name.clone(), printed)
        }
    };
    let html = ReportFile {
        about: serde_json::to_string(about).map_err(|error| AppError::failed(&error))?,
        tag: &tag,
        tested: &tested,
        styles: &styles(),
        pictures: &format!("{}{}", sprite("marks.svg"), sprite("vendor/icons.svg")),
        article: &standing_alone(&body),
        package,
    };
    Ok((html.render().map_err(failed)?, tag))
}

/// The report of a test with its photos inside, its tag and when it was tested.
async fn of_test(state: &AppState, id: i64, about: &About) -> Result<(String, String, String), AppError> {
    let frame = Frame::at(state, &format!("/tests/{id}/report"), Theme::Paper).await?;
    let article = Article::of(state, &frame, id, about.printed_utc).await?;
    let mut pictures = HashMap::new();
    for photo in article.photos() {
        let (media_type, bytes) = state.store.photo_file(id, photo.id).await?;
        pictures.insert(photo.id, format!("data:{media_type};base64,{}", BASE64.encode(bytes)));
    }
    let article = article.alone(pictures, about.is_brief);
    let (tag, tested) = (article.tag().to_owned(), article.tested().to_owned());
    let body = article.render().map_err(|error| AppError::failed(&error))?;
    Ok((body, tag, tested))
}

/// Signs are in the file itself, and what leads to other pages of the bench leads nowhere.
fn standing_alone(article: &str) -> String {
    let article =
        article.replace("href=\"/static/marks.svg#", "href=\"#").replace("href=\"/static/vendor/icons.svg#", "href=\"#");
    let mut parts = article.split(" href=\"/");
    let mut whole = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        whole.push_str(part.split_once('"').map_or("", |(_, rest)| rest));
    }
    whole
}

fn sprite(name: &str) -> String {
    asset(name).replacen("<svg ", "<svg hidden ", 1)
}

/// The styles of the pages, with the font inside.
fn styles() -> String {
    let mut all = asset("vendor/flindo.css");
    for font in ["vendor/atkinson-latin.woff2", "vendor/atkinson-latin-ext.woff2"] {
        let inside = format!("url(data:font/woff2;base64,{})", BASE64.encode(crate::assets::bytes(font)));
        all = all.replace(&format!("url(/static/{font})"), &inside);
    }
    // Nothing that closes the element of the styles.
    without_comments(&all).replace("</", "<\\/")
}

fn without_comments(css: &str) -> String {
    let mut parts = css.split("/*");
    let mut whole = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        whole.push_str(part.split_once("*/").map_or("", |(_, rest)| rest));
    }
    whole
}
