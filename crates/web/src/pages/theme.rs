//! The light the pages are shown in, kept in a cookie so that the first byte of every page has it.

use super::typed::{Pairs, value};
use crate::frame::Theme;
use axum::Form;
use axum::http::header;
use axum::response::{IntoResponse, Redirect, Response};

const A_YEAR_S: u32 = 365 * 24 * 3600;

pub async fn choose(Form(pairs): Form<Pairs>) -> Response {
    let theme = Theme::from_name(value(&pairs, "theme")).unwrap_or_default();
    // Back to where it was chosen; only a path of this bench.
    let back = value(&pairs, "back");
    let back = if back.starts_with('/') && !back.starts_with("//") && !back.contains('\\') { back } else { "/" };
    let cookie = format!("{}={}; Path=/; Max-Age={A_YEAR_S}; SameSite=Strict; HttpOnly", Theme::COOKIE, theme.name());
    ([(header::SET_COOKIE, cookie)], Redirect::to(back)).into_response()
}
