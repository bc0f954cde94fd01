//! A report as one file: its styles, drawings, photos and the data of its test inside; and such a file held against that data.

use crate::assets::text as asset;
use crate::door::review::chosen;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::{Frame, Theme};
use crate::pages::results::report::Article;
use crate::pages::results::reviews::article;
use crate::state::AppState;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use flindo_meters::Allowed;
use flindo_store::package::{Chosen, PackageError, Prefer};
use flindo_store::{BenchKind, Listed, Store, new_uid};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What a file was made of, in its head.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct About {
    #[serde(default, skip_serializing_if = "String::is_empty")]
    test_uid: String,
    /// In place of a test's.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    review_uid: String,
    printed_utc: Timestamp,
    is_brief: bool,
    /// Of the program that made it.
    program: String,
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

/// The report as one file, to be kept or sent; `?brief=yes` for readers in a hurry.
pub async fn one_file(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    report_file(&state, Of::Test(id), value(&query, "brief") == "yes").await
}

/// A review as one file, with the data of all its tests.
pub async fn review_file(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    report_file(&state, Of::Review(id), false).await
}

/// What a file is of, by its number on the bench.
#[derive(Debug, Clone, Copy)]
enum Of {
    Test(i64),
    Review(i64),
}

async fn report_file(state: &AppState, of: Of, is_brief: bool) -> Result<Response, AppError> {
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
async fn rendered(state: &AppState, of: Of, about: &About, package: &str) -> Result<(String, String), AppError> {
    let failed = |error: askama::Error| AppError::failed(&error);
    let (body, tag, tested) = match of {
        Of::Test(id) => of_test(state, id, about).await?,
        Of::Review(id) => {
            let frame = Frame::at(state, &format!("/reviews/{id}"), Theme::Paper).await?;
            let article = article(state, &frame, id, true).await?;
            let printed = crate::figures::day(about.printed_utc, &frame.time_zone);
            (article.render().map_err(failed)?, article.name().to_owned(), printed)
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

/// A report held against the data in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Recomputed {
    /// Figures that are printed in it, in its drawings too.
    pub figures: usize,
    pub differing: Vec<Differing>,
    /// The program that made it, where that is another one.
    pub other_program: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Differing {
    /// What stands before it.
    pub after: String,
    pub printed: String,
    pub follows: String,
}

/// Assesses the data in a report anew and holds every printed figure against what follows from it.
///
/// # Errors
/// A file that is no such report, or whose data is none: a sentence.
pub async fn recompute(html: &str) -> Result<Recomputed, String> {
    const NONE: &str = "This is no report of one file: it has no data of a test in it.";
    let about = between(html, "<meta name=\"flindo-report\" content=\"", "\"").ok_or(NONE)?;
    let about: About = serde_json::from_str(&about.replace("&#34;", "\"").replace("&quot;", "\""))
        .map_err(|error| format!("The head of this report cannot be read: {error}."))?;
    let package = between(html, "id=\"package\">", "</script>").ok_or(NONE)?;
    let bytes = BASE64.decode(package.trim()).map_err(|error| format!("The data in this report is damaged: {error}."))?;
    let folder = tempfile::tempdir().map_err(|error| format!("There is no room to work in: {error}."))?;
    let zip = folder.path().join("package.zip");
    tokio::fs::write(&zip, bytes).await.map_err(|error| format!("There is no room to work in: {error}."))?;
    let store =
        Store::open(&folder.path().join("report.bench"), BenchKind::Own, "UTC").await.map_err(|error| error.to_string())?;
    let again = of_package(&store, &zip, &about, package).await;
    store.close().await;
    let follows = again?;
    let other_program = Some(about.program).filter(|program| program != env!("CARGO_PKG_VERSION"));
    let (printed, follows) = (tokens(&without_data(html)), tokens(&without_data(&follows)));
    Ok(Recomputed {
        figures: printed.iter().filter(|token| token.is_figure).count(),
        differing: differing(&printed, &follows),
        other_program,
    })
}

async fn of_package(store: &Store, zip: &std::path::Path, about: &About, package: &str) -> Result<String, String> {
    let (taking, zip, runtime) = (store.clone(), zip.to_owned(), tokio::runtime::Handle::current());
    let taken = tokio::task::spawn_blocking(move || runtime.block_on(taking.import_package(&zip, Prefer::Here))).await;
    match taken {
        Ok(Ok(_)) => {}
        Ok(Err(error @ PackageError::Wrong { .. })) => {
            return Err(format!("The data in this report is not as it was written: {error}."));
        }
        Ok(Err(error)) => return Err(error.to_string()),
        Err(error) => return Err(error.to_string()),
    }
    let of = if about.review_uid.is_empty() {
        let tests = store.tests(None, 0, i64::MAX).await.map_err(|error| error.to_string())?;
        let test = tests.into_iter().filter_map(Listed::test).find(|test| test.uid == about.test_uid);
        Of::Test(test.ok_or("The test of this report is not in its data.")?.id)
    } else {
        let reviews = store.reviews().await.map_err(|error| error.to_string())?;
        let review = reviews.into_iter().find(|review| review.uid == about.review_uid);
        Of::Review(review.ok_or("The review of this file is not in its data.")?.id)
    };
    // No meter of the data is listened to.
    let state = AppState::still(store.clone(), Allowed::default());
    rendered(&state, of, about, package).await.map(|(html, _)| html).map_err(|error| error.to_string())
}

fn between<'a>(text: &'a str, from: &str, to: &str) -> Option<&'a str> {
    let rest = text.split_once(from)?.1;
    rest.split_once(to).map(|(inside, _)| inside)
}

/// All that is printed: without the data and the styles.
fn without_data(html: &str) -> String {
    let body = html.split_once("<body").map_or(html, |(_, body)| body);
    body.split_once("<script type=\"text/plain\" id=\"package\">").map_or(body, |(before, _)| before).to_owned()
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Token {
    text: String,
    is_figure: bool,
}

/// Figures, and what stands between them.
fn tokens(text: &str) -> Vec<Token> {
    let is_of_figure = |c: char| c.is_ascii_digit() || matches!(c, '.' | ',');
    let mut found: Vec<Token> = Vec::new();
    for c in text.chars() {
        let is_figure = c.is_ascii_digit() || is_of_figure(c) && found.last().is_some_and(|last| last.is_figure);
        match found.last_mut() {
            Some(last) if last.is_figure == is_figure => last.text.push(c),
            Some(_) | None => found.push(Token { text: c.to_string(), is_figure }),
        }
    }
    found
}

/// Where two texts differ, token by token while they have the same shape, and else once, from where they part to where they meet.
fn differing(printed: &[Token], follows: &[Token]) -> Vec<Differing> {
    let of = |at: usize, printed: &str, follows: &str, all: &[Token]| Differing {
        after: words_before(all, at),
        printed: printed.to_owned(),
        follows: follows.to_owned(),
    };
    if printed.len() == follows.len() {
        let pairs = printed.iter().zip(follows).enumerate().filter(|(_, (a, b))| a != b);
        return pairs.map(|(at, (a, b))| of(at, a.text.trim(), b.text.trim(), printed)).collect();
    }
    let begin = printed.iter().zip(follows).take_while(|(a, b)| a == b).count();
    let room = printed.len().min(follows.len()) - begin;
    let end = printed.iter().rev().zip(follows.iter().rev()).take(room).take_while(|(a, b)| a == b).count();
    let text = |tokens: &[Token]| {
        let all: String = tokens[begin..tokens.len() - end].iter().map(|token| token.text.as_str()).collect();
        let plain = plain(&all);
        if plain.chars().count() > 120 { format!("{}\u{2026}", plain.chars().take(120).collect::<String>()) } else { plain }
    };
    vec![of(begin, &text(printed), &text(follows), printed)]
}

/// The last words that a reader sees before a token.
fn words_before(tokens: &[Token], at: usize) -> String {
    let from = at.saturating_sub(12);
    let text: String = tokens[from..at].iter().map(|token| token.text.as_str()).collect();
    let words: Vec<String> = plain(&text).split_whitespace().map(str::to_owned).collect();
    words[words.len().saturating_sub(6)..].join(" ")
}

/// Without its tags.
fn plain(html: &str) -> String {
    let mut plain = String::new();
    let mut is_tag = false;
    for c in html.chars() {
        match c {
            '<' => is_tag = true,
            '>' => {
                is_tag = false;
                plain.push(' ');
            }
            _ if !is_tag => plain.push(c),
            _ => {}
        }
    }
    plain.trim().to_owned()
}
