//! The light the pages are shown in, kept in a cookie so that the first byte of every page has it.

use crate::door::typed::{Pairs, value};
use crate::frame::Theme;
use axum::Form;
use axum::http::header;
use axum::response::{IntoResponse, Redirect, Response};

const A_YEAR_S: u32 = 365 * 24 * 3600;

pub async fn choose(Form(pairs): Form<Pairs>) -> Response {
    let theme = Theme::from_name(value(&pairs, "theme")).unwrap_or_default();
    // Back to where it was chosen; only a path of this bench.
    let back = value(&pairs, "back");
    let back = if is_own_path(back) { back } else { "/" };
    let cookie = format!("{}={}; Path=/; Max-Age={A_YEAR_S}; SameSite=Strict; HttpOnly", Theme::COOKIE, theme.name());
    ([(header::SET_COOKIE, cookie)], Redirect::to(back)).into_response()
}

/// A path of this bench: a browser drops tabs and line ends, so that `/<tab>/elsewhere` would be another site.
fn is_own_path(text: &str) -> bool {
    let signs_are_plain = text.bytes().all(|byte| byte.is_ascii_graphic() && byte != b'\\');
    signs_are_plain && text.starts_with('/') && !text.starts_with("//")
}

#[cfg(test)]
mod tests {
    use super::is_own_path;

    #[test]
    fn only_paths_of_this_bench_are_gone_back_to() {
        for own in ["/", "/tests/3?x=1", "/panels/1/edit"] {
            assert!(is_own_path(own), "{own}");
        }
        for foreign in ["//elsewhere", "/\t/elsewhere", "/\n/elsewhere", "/\\elsewhere", "https://elsewhere", ""] {
            assert!(!is_own_path(foreign), "{foreign:?}");
        }
    }
}
