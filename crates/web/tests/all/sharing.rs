//! A bench that other machines may reach: what answers without the key, and what the key opens.
use axum::body::{Body, HttpBody, to_bytes};
use axum::extract::ConnectInfo;
use axum::http::{Request, Response, StatusCode};
use axum::{Router, http::request::Builder};
use flindo::gate::sharing::{Sharing, new_secret};
use flindo_store::{BenchKind, Store};
use std::net::SocketAddr;
use std::process::Command;
use tower::ServiceExt;

const PHONE: &str = "192.0.2.7:50000";
const THIS_MACHINE: &str = "127.0.0.1:50000";

struct Shared {
    router: Router,
    key: String,
    store: Store,
    _folder: tempfile::TempDir,
}

async fn shared() -> Shared {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.bench"), BenchKind::Own, "UTC").await.unwrap();
    let mut state = flindo::AppState::start(store.clone(), flindo_meters::Allowed::parse("local").unwrap()).await.unwrap();
    let key = new_secret().unwrap();
    state.sharing = Some(Sharing::start(&store, &key).await.unwrap());
    Shared { router: flindo::router(state), key, store, _folder: folder }
}

fn request(method: &str, path: &str) -> Builder {
    Request::builder().method(method).uri(path).header("host", "192.0.2.1:8765")
}

impl Shared {
    /// Enters with the key from a phone; answers the pair that its cookie holds.
    async fn cookie(&self) -> String {
        let opened = self.enter(PHONE, &self.key).await;
        let cookie = opened.headers()["set-cookie"].to_str().unwrap();
        cookie.split(';').next().unwrap().to_owned()
    }

    async fn send(&self, from: &str, request: Request<Body>) -> Response<Body> {
        let mut request = request;
        request.extensions_mut().insert(ConnectInfo(from.parse::<SocketAddr>().unwrap()));
        self.router.clone().oneshot(request).await.unwrap()
    }

    async fn enter(&self, from: &str, key: &str) -> Response<Body> {
        let form = request("POST", "/enter").header("content-type", "application/x-www-form-urlencoded");
        self.send(from, form.body(Body::from(format!("key={key}"))).unwrap()).await
    }
}

/// Every route of the program: those of the pages as they stand in the router, those of the interface as it describes itself.
async fn routes(shared: &Shared) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for part in include_str!("../../src/router.rs").split(".route(\"").skip(1) {
        let (path, rest) = part.split_once('"').unwrap();
        let path = path.replace("{*path}", "app.css");
        let handlers = rest.split(".route(").next().unwrap();
        found.extend(
            ["get(", "post("]
                .iter()
                .filter(|word| handlers.contains(*word))
                .map(|word| (word.trim_end_matches('(').to_uppercase(), path.replace(['{', '}'], ""))),
        );
    }
    let described = shared.send(THIS_MACHINE, request("GET", "/api/v1/openapi.json").body(Body::empty()).unwrap()).await;
    let described = to_bytes(described.into_body(), 10_000_000).await.unwrap();
    let described: serde_json::Value = serde_json::from_slice(&described).unwrap();
    for (path, methods) in described["paths"].as_object().unwrap() {
        found.extend(methods.as_object().unwrap().keys().map(|method| (method.to_uppercase(), path.replace(['{', '}'], ""))));
    }
    found
}

#[tokio::test]
async fn nothing_answers_from_elsewhere_without_the_key_but_the_page_that_asks_for_it() {
    let shared = shared().await;
    let routes = routes(&shared).await;
    assert!(routes.len() > 100, "{}", routes.len());
    for (method, path) in &routes {
        let answer = shared.send(PHONE, request(method, path).body(Body::empty()).unwrap()).await;
        if path == "/enter" {
            assert_ne!(answer.status(), StatusCode::SEE_OTHER, "{method}");
            continue;
        }
        assert_eq!(answer.status(), StatusCode::UNAUTHORIZED, "{method} {path}");
        let body = to_bytes(answer.into_body(), 100_000).await.unwrap();
        assert!(!String::from_utf8_lossy(&body).contains("My bench"), "{method} {path}");
    }
    // A request that does not say whence it comes is one from elsewhere.
    let unknown = shared.router.clone().oneshot(request("GET", "/").body(Body::empty()).unwrap()).await.unwrap();
    assert_eq!(unknown.status(), StatusCode::UNAUTHORIZED);
    for own in [THIS_MACHINE, "[::1]:50000", "[::ffff:127.0.0.1]:50000"] {
        assert_eq!(shared.send(own, request("GET", "/").body(Body::empty()).unwrap()).await.status(), StatusCode::OK, "{own}");
    }
}

#[tokio::test]
async fn the_key_opens_a_session_that_can_be_ended() {
    let shared = shared().await;
    let opened = shared.send(PHONE, request("GET", &format!("/enter?key={}", shared.key)).body(Body::empty()).unwrap()).await;
    assert_eq!(opened.status(), StatusCode::SEE_OTHER);
    let cookie = opened.headers()["set-cookie"].to_str().unwrap().to_owned();
    for part in ["HttpOnly", "SameSite=Lax", "Path=/"] {
        assert!(cookie.contains(part), "{cookie}");
    }
    let pair = cookie.split(';').next().unwrap().to_owned();
    let token = pair.split_once('=').unwrap().1.to_owned();
    let home = |pair: String| request("GET", "/").header("cookie", format!("other=1; {pair}")).body(Body::empty()).unwrap();
    assert_eq!(shared.send(PHONE, home(pair.clone())).await.status(), StatusCode::OK);
    // The bench has no secret in it, only what the secret hashes to.
    let sessions = shared.store.sessions().await.unwrap();
    assert_eq!(sessions.len(), 1);
    assert!(sessions[0].token_sha256.len() == 64 && !sessions[0].token_sha256.contains(&token));
    assert_eq!(sessions[0].from_address, "192.0.2.7");
    let end = request("POST", &format!("/bench/sessions/{}/end", sessions[0].id)).body(Body::empty()).unwrap();
    assert_eq!(shared.send(THIS_MACHINE, end).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(shared.send(PHONE, home(pair)).await.status(), StatusCode::UNAUTHORIZED);
}

/// A page that hears of live meters is open while its session is ended: it hears nothing more, and does not look as if it had ended well.
#[tokio::test]
async fn an_open_stream_ends_with_its_session() {
    let shared = shared().await;
    let pair = shared.cookie().await;
    let stream = shared.send(PHONE, request("GET", "/meters/events").header("cookie", pair).body(Body::empty()).unwrap()).await;
    assert_eq!(stream.status(), StatusCode::OK);
    let mut stream = stream.into_body();
    let end = request("POST", "/bench/sessions/1/end").body(Body::empty()).unwrap();
    assert_eq!(shared.send(THIS_MACHINE, end).await.status(), StatusCode::SEE_OTHER);
    let last = async {
        loop {
            match std::future::poll_fn(|context| std::pin::Pin::new(&mut stream).poll_frame(context)).await {
                Some(Ok(_)) => {}
                end => return end,
            }
        }
    };
    let last = tokio::time::timeout(std::time::Duration::from_secs(20), last).await.expect("the stream ends");
    assert!(last.is_some_and(|frame| frame.is_err()));
}

/// Started again the bench has another key: devices that entered with the old one are out, but for those that were chosen to stay.
#[tokio::test]
async fn a_new_key_ends_the_sessions_that_do_not_stay() {
    let shared = shared().await;
    let (first, second) = (shared.cookie().await, shared.cookie().await);
    let name = async |id: i64, form: &str| {
        let named = request("POST", &format!("/bench/sessions/{id}")).header("content-type", "application/x-www-form-urlencoded");
        shared.send(THIS_MACHINE, named.body(Body::from(form.to_owned())).unwrap()).await.status()
    };
    assert_eq!(name(2, "name=Roof+phone&stays=yes").await, StatusCode::SEE_OTHER);
    assert_eq!(name(1, "name=Shed+tablet").await, StatusCode::SEE_OTHER);
    assert_eq!(name(1, &format!("name={}", "x".repeat(61))).await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(name(9, "name=Nobody").await, StatusCode::NOT_FOUND);
    let page = shared.send(THIS_MACHINE, request("GET", "/bench").body(Body::empty()).unwrap()).await;
    let page = String::from_utf8(to_bytes(page.into_body(), 1_000_000).await.unwrap().to_vec()).unwrap();
    assert!(page.contains("the session of Roof phone") && page.contains("the session of Shed tablet"));
    let again = Sharing::start(&shared.store, &new_secret().unwrap()).await.unwrap();
    let knows = |pair: &str| again.knows(pair.split_once('=').unwrap().1, jiff::Timestamp::now()).is_some();
    assert!(!knows(&first) && knows(&second) && again.knows(&shared.key, jiff::Timestamp::now()).is_none());
    let left: Vec<String> = shared.store.sessions().await.unwrap().into_iter().map(|row| row.name).collect();
    assert_eq!(left, ["Roof phone"]);
}

#[tokio::test]
async fn a_script_sends_the_key_itself() {
    let shared = shared().await;
    let ask = |key: &str| {
        request("GET", "/api/v1/openapi.json").header("authorization", format!("Bearer {key}")).body(Body::empty()).unwrap()
    };
    assert_eq!(shared.send(PHONE, ask(&shared.key)).await.status(), StatusCode::OK);
    let refused = shared.send(PHONE, ask("0123")).await;
    assert_eq!(
        (refused.status(), &refused.headers()["www-authenticate"]),
        (StatusCode::UNAUTHORIZED, &"Bearer".parse().unwrap())
    );
}

#[tokio::test]
async fn wrong_keys_are_counted_by_address() {
    let shared = shared().await;
    for _ in 0..10 {
        assert_eq!(shared.enter(PHONE, "wrong").await.status(), StatusCode::UNAUTHORIZED);
    }
    assert_eq!(shared.enter(PHONE, "wrong").await.status(), StatusCode::TOO_MANY_REQUESTS);
    // Not even the right one, and another machine is not held up.
    assert_eq!(shared.enter(PHONE, &shared.key).await.status(), StatusCode::TOO_MANY_REQUESTS);
    assert_eq!(shared.enter("192.0.2.8:50000", &shared.key).await.status(), StatusCode::SEE_OTHER);
}

#[test]
fn an_address_that_others_reach_is_refused_without_share() {
    let folder = tempfile::tempdir().unwrap();
    for address in ["0.0.0.0:0", "192.0.2.1:8765", "[::]:0"] {
        let output = Command::new(env!("CARGO_BIN_EXE_flindo"))
            .args(["--listen", address, "--data"])
            .arg(folder.path().join("a.bench"))
            .output()
            .unwrap();
        let sentence = String::from_utf8(output.stderr).unwrap();
        assert!(!output.status.success() && sentence.contains("--share"), "{sentence}");
    }
    assert!(!folder.path().join("a.bench").exists());
}
