//! The one page that answers from elsewhere without a key: it asks for it.

use crate::door::typed::{Pairs, value};
use crate::error::{AppError, InputError};
use crate::gate::sharing::{COOKIE, Entry, Known, LONGEST_SESSION, Sharing, is_loopback};
use crate::state::AppState;
use askama::Template;
use axum::Form;
use axum::body::{Body, HttpBody};
use axum::extract::{ConnectInfo, Query, Request, State};
use axum::http::header::{self, HeaderMap, HeaderValue};
use axum::http::{Extensions, StatusCode};
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Redirect, Response};
use futures_util::stream::{self, StreamExt};
use jiff::Timestamp;
use std::future::ready;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use tokio_util::sync::CancellationToken;

#[derive(Template)]
#[template(path = "enter.html")]
struct EnterPage {
    nonce: String,
    message: &'static str,
}

/// Without scripts or styles of the bench, which need the key themselves; its own style carries a number that the header allows.
fn asking(status: StatusCode, message: &'static str) -> Result<Response, AppError> {
    let nonce = flindo_store::new_uid();
    let policy =
        format!("default-src 'none'; style-src 'nonce-{nonce}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'");
    let page = EnterPage { nonce, message }.render().map_err(|error| AppError::failed(&error))?;
    let mut response = (status, Html(page)).into_response();
    let policy = HeaderValue::from_str(&policy).map_err(|error| AppError::failed(&error))?;
    response.headers_mut().insert(header::CONTENT_SECURITY_POLICY, policy);
    Ok(response)
}

/// Whence a request comes. One that does not say is taken to come from elsewhere.
pub fn peer(extensions: &Extensions) -> IpAddr {
    let elsewhere = IpAddr::V4(Ipv4Addr::UNSPECIFIED);
    extensions.get::<ConnectInfo<SocketAddr>>().map_or(elsewhere, |ConnectInfo(peer)| peer.ip())
}

fn secrets(headers: &HeaderMap) -> impl Iterator<Item = &str> {
    fn text(value: &HeaderValue) -> Option<&str> {
        value.to_str().ok()
    }
    let cookies = headers.get_all(header::COOKIE).iter().filter_map(text).flat_map(|line| line.split(';'));
    let of_cookie =
        cookies.filter_map(|pair| pair.trim().split_once('=')).filter(|(name, _)| *name == COOKIE).map(|(_, token)| token);
    let bearer = headers.get(header::AUTHORIZATION).and_then(text).and_then(|line| line.strip_prefix("Bearer ")).map(str::trim);
    of_cookie.chain(bearer)
}

/// Lets a request through that comes from this machine, carries the key, or asks for the page that asks for it.
pub async fn guard(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let Some(sharing) = state.sharing.as_ref() else { return next.run(request).await };
    if is_loopback(peer(request.extensions())) || request.uri().path() == "/enter" {
        return next.run(request).await;
    }
    let known = secrets(request.headers()).find_map(|secret| sharing.knows(secret, Timestamp::now()));
    match known {
        Some(Known::ByKey) => return next.run(request).await,
        Some(Known::BySession(ended)) => return until(ended, next.run(request).await),
        None => {}
    }
    if request.uri().path().starts_with("/api/") {
        let message = "This bench is shared with a key. Send it: Authorization: Bearer KEY.".to_owned();
        let mut response = StatusCode::UNAUTHORIZED.into_response();
        response.headers_mut().insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Bearer"));
        response.extensions_mut().insert(InputError { message, ..InputError::default() });
        return response;
    }
    asking(StatusCode::UNAUTHORIZED, "").unwrap_or_else(IntoResponse::into_response)
}

/// An answer that breaks off when its session ends: a live page hears nothing more, and an export is not taken for whole.
fn until(ended: CancellationToken, answer: Response) -> Response {
    let (head, body) = answer.into_parts();
    if body.size_hint().exact().is_some() {
        return Response::from_parts(head, body);
    }
    let is_ended = ended.clone();
    let data = body.into_data_stream().take_until(ended.cancelled_owned());
    let broken = stream::once(async { Err(axum::Error::new("the session was ended")) });
    let broken = broken.filter(move |_| ready(is_ended.is_cancelled()));
    Response::from_parts(head, Body::from_stream(data.chain(broken)))
}

/// The page, or, with the key of the link, the bench.
pub async fn page(State(state): State<AppState>, Query(asked): Query<Pairs>, request: Request) -> Result<Response, AppError> {
    match value(&asked, "key") {
        "" => asking(StatusCode::OK, ""),
        key => enter(&state, key, request.extensions(), request.headers()).await,
    }
}

pub async fn try_key(
    State(state): State<AppState>,
    extensions: Extensions,
    headers: HeaderMap,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    enter(&state, value(&typed, "key"), &extensions, &headers).await
}

async fn enter(state: &AppState, key: &str, extensions: &Extensions, headers: &HeaderMap) -> Result<Response, AppError> {
    let Some(sharing) = state.sharing.as_ref() else { return Ok(Redirect::to("/").into_response()) };
    let from = peer(extensions);
    match sharing.enter(key.trim(), from) {
        Entry::Opened => open(state, sharing, from, headers).await,
        Entry::Wrong => {
            asking(StatusCode::UNAUTHORIZED, "This is not the key. It is shown in the terminal where Flindo was started.")
        }
        Entry::TooOften => asking(StatusCode::TOO_MANY_REQUESTS, "Too many wrong keys. Wait a minute, then try again."),
    }
}

async fn open(state: &AppState, sharing: &Sharing, from: IpAddr, headers: &HeaderMap) -> Result<Response, AppError> {
    let program = headers.get(header::USER_AGENT).and_then(|name| name.to_str().ok()).unwrap_or_default();
    let token = sharing.open(&state.store, from, program).await?;
    // Lax, so that the link of a message opens the bench; what changes something is checked for its origin besides.
    let cookie = format!("{COOKIE}={token}; Path=/; Max-Age={}; HttpOnly; SameSite=Lax", LONGEST_SESSION.as_secs());
    Ok(([(header::SET_COOKIE, cookie)], Redirect::to("/")).into_response())
}
