//! The real server on a free port, with a demo bench in a temporary folder.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use flindo_store::{BenchKind, Store};
use reqwest::{Client, RequestBuilder, Response, redirect};
use tokio::sync::oneshot;
use tokio::task::JoinHandle;

pub struct Server {
    pub base: String,
    pub store: Store,
    client: Client,
    stop: Option<oneshot::Sender<()>>,
    task: JoinHandle<std::io::Result<()>>,
    _folder: tempfile::TempDir,
}

impl Server {
    pub async fn demo() -> Self {
        let server = Self::opened(BenchKind::Demo).await;
        flindo::fill_demo(&server.store).await.unwrap();
        server
    }

    /// An empty bench of one's own.
    pub async fn own() -> Self {
        Self::opened(BenchKind::Own).await
    }

    async fn opened(kind: BenchKind) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("test.bench"), kind, "Europe/Lisbon").await.unwrap();
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let base = format!("http://{}", listener.local_addr().unwrap());
        let (stop, stopped) = oneshot::channel();
        let state =
            flindo::AppState::start(store.clone(), flindo_meters::Allowed::parse("local").unwrap()).await.expect("a state");
        let task = tokio::spawn(flindo::run(listener, state, async move {
            let _ = stopped.await;
        }));
        let client = Client::builder().redirect(redirect::Policy::none()).no_proxy().build().unwrap();
        Server { base, store, client, stop: Some(stop), task, _folder: folder }
    }

    /// The file of the bench.
    pub fn path(&self) -> std::path::PathBuf {
        self._folder.path().join("test.bench")
    }

    pub async fn get(&self, path: &str) -> Response {
        self.client.get(format!("{}{path}", self.base)).send().await.unwrap()
    }

    /// A page's text, each run of white space as the one space that a browser makes of it; other files as they are.
    pub async fn page(&self, path: &str) -> String {
        let response = self.get(path).await;
        assert_eq!(response.status(), 200, "{path}");
        let is_page = response.headers().get("content-type").is_some_and(|kind| kind.as_bytes().starts_with(b"text/html"));
        let text = response.text().await.unwrap();
        if is_page { text.split_ascii_whitespace().collect::<Vec<_>>().join(" ") } else { text }
    }

    pub fn request(&self, method: reqwest::Method, path: &str) -> RequestBuilder {
        self.client.request(method, format!("{}{path}", self.base))
    }

    pub async fn post(&self, path: &str, form: &[(&str, &str)]) -> Response {
        self.request(reqwest::Method::POST, path).form(form).send().await.unwrap()
    }

    pub async fn json(&self, path: &str, body: serde_json::Value) -> (u16, serde_json::Value) {
        let response = self.request(reqwest::Method::POST, path).json(&body).send().await.unwrap();
        (response.status().as_u16(), response.json().await.unwrap())
    }

    /// Asks it to stop, and waits until it has.
    pub async fn stop(mut self) {
        let _ = self.stop.take().unwrap().send(());
        self.task.await.unwrap().unwrap();
    }
}
