//! What keeps other sites away from the bench: headers, and the check of the Host header.

use axum::extract::Request;
use axum::http::StatusCode;
use axum::http::header::{self, HeaderName, HeaderValue};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::IpAddr;

const HEADERS: [(HeaderName, &str); 7] = [
    (
        header::CONTENT_SECURITY_POLICY,
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; \
         form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
    ),
    (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
    (header::X_FRAME_OPTIONS, "DENY"),
    (header::REFERRER_POLICY, "same-origin"),
    (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    (HeaderName::from_static("permissions-policy"), "camera=(), microphone=(), geolocation=(self)"),
];

/// Puts the security headers on every answer.
pub async fn headers(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    for (name, value) in HEADERS {
        // An answer may have a stricter one of its own.
        response.headers_mut().entry(name).or_insert(HeaderValue::from_static(value));
    }
    response.headers_mut().entry(header::CACHE_CONTROL).or_insert(HeaderValue::from_static("no-cache"));
    response
}

const WRONG_HOST: &str =
    "This address is not one of the bench's own. Open it by its number, such as 127.0.0.1, or as localhost.\n";

/// Refuses a name in the Host header that could be another site's, pointed at this machine. Numeric addresses and
/// `localhost` cannot be pointed anywhere else.
pub async fn known_host(request: Request, next: Next) -> Response {
    if are_own(&request) {
        next.run(request).await
    } else {
        // Plain words: a page would tell the other site the name of the bench.
        (StatusCode::MISDIRECTED_REQUEST, WRONG_HOST).into_response()
    }
}

/// One Host header that is ours (HTTP/1.1 allows no second one), and, where the request line names a host too, that one as well.
fn are_own(request: &Request) -> bool {
    let mut headers = request.headers().get_all(header::HOST).iter();
    let (first, second) = (headers.next(), headers.next());
    let of_line = request.uri().host();
    let is_own_header = first.is_none_or(|host| host.to_str().is_ok_and(is_own));
    second.is_none() && is_own_header && of_line.is_none_or(is_own) && (first.is_some() || of_line.is_some())
}

fn is_own(host: &str) -> bool {
    let name = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => name,
        _ => host,
    };
    let name = name.trim_start_matches('[').trim_end_matches(']');
    name.eq_ignore_ascii_case("localhost") || name.parse::<IpAddr>().is_ok()
}

#[cfg(test)]
mod tests {
    use super::is_own;

    #[test]
    fn only_names_that_cannot_be_pointed_elsewhere_are_ours() {
        for host in ["localhost", "LOCALHOST:8765", "127.0.0.1:8765", "[::1]:8765", "[::1]", "192.168.1.20"] {
            assert!(is_own(host), "{host}");
        }
        for host in ["", "bench.example", "localhost.example:8765", "127.0.0.1.example"] {
            assert!(!is_own(host), "{host}");
        }
    }
}
