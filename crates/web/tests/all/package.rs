//! The whole bench out and in again, as a person and as a program do it.

use crate::server::Server;
use serde_json::Value;

async fn bench_zip(server: &Server) -> Vec<u8> {
    let answer = server.get("/api/v1/bench.zip").await;
    assert_eq!((answer.status().as_u16(), answer.headers()["content-type"].to_str().unwrap()), (200, "application/zip"));
    answer.bytes().await.unwrap().to_vec()
}

async fn take_in(server: &Server, query: &str, bytes: Vec<u8>) -> (u16, Value) {
    let request = server.request(reqwest::Method::POST, &format!("/api/v1/bench.zip{query}")).body(bytes);
    let answer = request.header("content-type", "application/zip").send().await.unwrap();
    (answer.status().as_u16(), answer.json().await.unwrap())
}

async fn of(server: &Server, path: &str) -> Value {
    serde_json::from_str(&server.get(path).await.text().await.unwrap()).unwrap()
}

/// The largest difference of two values' figures, relative; 1 where anything else differs.
fn off(a: &Value, b: &Value) -> f64 {
    match (a, b) {
        (Value::Number(a), Value::Number(b)) => {
            let (a, b) = (a.as_f64().unwrap(), b.as_f64().unwrap());
            (a - b).abs() / a.abs().max(1.0)
        }
        (Value::Array(a), Value::Array(b)) if a.len() == b.len() => a.iter().zip(b).map(|(a, b)| off(a, b)).fold(0.0, f64::max),
        (Value::Object(a), Value::Object(b)) if a.len() == b.len() => {
            a.iter().map(|(name, a)| b.get(name).map_or(1.0, |b| off(a, b))).fold(0.0, f64::max)
        }
        (a, b) => f64::from(u8::from(a != b)),
    }
}

/// The demo in a bench of one's own gives the same assessments, and goes out again as it came.
#[tokio::test]
async fn the_demo_is_the_same_bench_elsewhere() {
    let (demo, own) = (Server::demo().await, Server::own().await);
    let package = bench_zip(&demo).await;
    let (status, answer) = take_in(&own, "", package.clone()).await;
    assert_eq!(status, 200, "{answer}");
    assert!(answer["added"]["readings"].as_u64().unwrap() > 150 && answer["changed"] == 0, "{answer}");
    let tests = of(&demo, "/api/v1/tests").await;
    let ids: Vec<i64> = tests["items"].as_array().unwrap().iter().map(|test| test["id"].as_i64().unwrap()).collect();
    assert!(ids.len() > 30);
    for id in ids {
        let path = format!("/api/v1/tests/{id}/assessment");
        let (here, there) = (of(&demo, &path).await, of(&own, &path).await);
        assert!(off(&here, &there) <= 1e-12, "test {id}: {here:.300} {there:.300}");
    }
    for path in ["/api/v1/panels", "/api/v1/gear", "/api/v1/rigs", "/api/v1/logs", "/api/v1/reviews", "/api/v1/places"] {
        assert_eq!(of(&demo, path).await, of(&own, path).await, "{path}");
    }
    let (status, twice) = take_in(&own, "", package).await;
    assert_eq!((status, twice["added"].as_object().unwrap().len()), (200, 0), "{twice}");
    demo.stop().await;
    own.stop().await;
}

/// By the page: a file that is none says so, one that contradicts waits for a choice, and the choice decides.
#[tokio::test]
async fn a_package_comes_in_by_the_page() {
    let (here, there) = (Server::own().await, Server::own().await);
    let kind = serde_json::json!({ "name": "Umber 250", "rated_w": 250, "tolerance": "3 %", "voc_v": 37.8 });
    assert_eq!(here.json("/api/v1/panel-kinds", kind).await.0, 201);
    let panel = serde_json::json!({ "tag": "K-1", "kind": "Umber 250", "notes": "begun" });
    let (status, made) = here.json("/api/v1/panels", panel).await;
    assert_eq!(status, 201, "{made}");
    take_in(&there, "", bench_zip(&here).await).await;
    for (server, notes) in [(&here, "ours"), (&there, "theirs")] {
        let pool = sqlx::SqlitePool::connect(&format!("sqlite:{}", server.path().display())).await.unwrap();
        sqlx::query("UPDATE panels SET notes = ?").bind(notes).execute(&pool).await.unwrap();
        pool.close().await;
    }
    let send = async |bytes: Vec<u8>| {
        let file = reqwest::multipart::Part::bytes(bytes).file_name("bench.zip");
        let form = reqwest::multipart::Form::new().part("file", file);
        let answer = here.request(reqwest::Method::POST, "/bench/package").multipart(form).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    let (status, page) = send(b"no zip".to_vec()).await;
    assert!(status == 422 && page.contains("is no zip archive"), "{page}");
    let (status, page) = send(Vec::new()).await;
    assert!(status == 422 && page.contains("Choose a file first"), "{page}");
    let package = bench_zip(&there).await;
    let (status, page) = send(package.clone()).await;
    assert!(status == 409 && page.contains("ours") && page.contains("theirs") && page.contains("K-1"), "{page}");
    let uid = page.split("/bench/package/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let (status, answer) = take_in(&here, "", package).await;
    assert_eq!((status, answer["error"]["value"][0]["kind"].as_str()), (409, Some("changed")), "{answer}");
    let decided = here.post(&format!("/bench/package/{uid}"), &[("prefer", "package")]).await;
    assert_eq!(decided.status(), 200);
    assert_eq!(of(&here, "/api/v1/panels").await["items"][0]["notes"], "theirs");
    // A choice is made once.
    assert_eq!(here.post(&format!("/bench/package/{uid}"), &[("prefer", "here")]).await.status(), 422);
    assert_eq!(here.post("/bench/package/..%2F..%2Fetc", &[("prefer", "here")]).await.status(), 422);
    here.stop().await;
    there.stop().await;
}

/// Each test of the demo alone, with all it needs: the same assessment elsewhere.
#[tokio::test]
async fn a_chosen_test_brings_what_it_needs() {
    let demo = Server::demo().await;
    let tests = of(&demo, "/api/v1/tests").await;
    let ids: Vec<i64> = tests["items"].as_array().unwrap().iter().map(|test| test["id"].as_i64().unwrap()).collect();
    // Rigs, twins, together, an open one, logs: every fourth.
    for id in ids.iter().copied().filter(|id| id % 4 == 1 || [3, 8, 18, 20].contains(id)) {
        let own = Server::own().await;
        let package = demo.get(&format!("/api/v1/bench.zip?tests={id}")).await.bytes().await.unwrap().to_vec();
        let (status, answer) = take_in(&own, "", package).await;
        assert_eq!((status, &answer["added"]["tests"]), (200, &Value::from(1)), "{id}: {answer}");
        let path = format!("/api/v1/tests/{id}/assessment");
        let (here, there) = (of(&demo, &path).await, of(&own, &path).await);
        assert!(off(&here, &there) <= 1e-12, "test {id}: {here:.300} {there:.300}");
        own.stop().await;
    }
    assert_eq!(demo.get("/api/v1/bench.zip?tests=first").await.status(), 422);
    assert_eq!(demo.get("/api/v1/bench.zip?tests=99999").await.status(), 404);
    demo.stop().await;
}

#[tokio::test]
async fn a_wrong_package_names_its_place() {
    let own = Server::own().await;
    let (status, answer) = take_in(&own, "", b"PK".to_vec()).await;
    assert!(status == 422 && answer.to_string().contains("no zip archive"), "{answer}");
    let (status, answer) = take_in(&own, "?prefer=both", Vec::new()).await;
    assert!(status == 422 && answer.to_string().contains("here, package"), "{answer}");
    own.stop().await;
}
