//! What every answer stands on: headers, hosts, origins, limits; the JSON of the core; stopping.

use crate::server::Server;
use reqwest::Method;
use serde_json::json;

#[tokio::test]
async fn every_answer_carries_the_security_headers() {
    let server = Server::demo().await;
    for path in ["/", "/nowhere", "/static/app.js", "/healthz", "/api/v1/openapi.json"] {
        let response = server.get(path).await;
        let policy = response.headers()["content-security-policy"].to_str().unwrap();
        assert!(policy.contains("script-src 'self'") && !policy.contains("unsafe"), "{path}");
        assert_eq!(response.headers()["x-content-type-options"], "nosniff", "{path}");
    }
    let page = server.page("/tests/1").await;
    assert!(!page.contains(" onclick=") && !page.contains("<script>") && !page.contains(" style="));
}

#[tokio::test]
async fn a_name_that_is_not_ours_is_refused_and_told_nothing() {
    let server = Server::demo().await;
    for (host, status) in [("bench.example", 421), ("localhost", 200), ("127.0.0.1:1", 200)] {
        let response = server.request(Method::GET, "/").header("host", host).send().await.unwrap();
        assert_eq!(response.status(), status, "{host}");
        assert_eq!(response.text().await.unwrap().contains("Market-garden"), status == 200, "{host}");
    }
}

/// As bytes on the wire: two Host headers, and a foreign host in the request line.
#[tokio::test]
async fn a_second_host_and_a_foreign_request_line_are_refused() {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let server = Server::demo().await;
    let address = server.base.trim_start_matches("http://").to_owned();
    let asked = async |head: &str| {
        let mut stream = tokio::net::TcpStream::connect(&address).await.unwrap();
        stream.write_all(format!("{head}\r\nconnection: close\r\n\r\n").as_bytes()).await.unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await.unwrap();
        answer.split_whitespace().nth(1).unwrap_or_default().to_owned()
    };
    assert_eq!(asked("GET /healthz HTTP/1.1\r\nhost: localhost").await, "200");
    assert_eq!(asked("GET http://localhost/healthz HTTP/1.1\r\nhost: localhost").await, "200");
    for refused in [
        "GET /healthz HTTP/1.1\r\nhost: localhost\r\nhost: bench.example",
        "GET /healthz HTTP/1.1\r\nhost: localhost\r\nhost: localhost",
        "GET http://bench.example/healthz HTTP/1.1\r\nhost: localhost",
        "GET http://localhost/healthz HTTP/1.1\r\nhost: bench.example",
    ] {
        let status = asked(refused).await;
        assert!(["421", "400"].contains(&status.as_str()), "{refused}: {status}");
    }
}

#[tokio::test]
async fn a_write_from_another_site_is_refused() {
    let server = Server::demo().await;
    let write = |path: &'static str| {
        server.request(Method::POST, path).form(&[("theme", "paper"), ("typed", "80 W"), ("uid", "aaaaaaaa")])
    };
    for path in ["/theme", "/panels", "/tests/1/readings", "/api/v1/tests/1/readings"] {
        let foreign = write(path).header("origin", "https://example.org").send().await.unwrap();
        assert_eq!(foreign.status(), 403, "{path}");
        let foreign = write(path).header("sec-fetch-site", "cross-site").send().await.unwrap();
        assert_eq!(foreign.status(), 403, "{path}");
    }
    let own = write("/theme").header("origin", &server.base).send().await.unwrap();
    assert_eq!(own.status(), 303);
}

#[tokio::test]
async fn a_body_too_large_is_refused() {
    let server = Server::demo().await;
    let huge = "x".repeat(5 * 1024 * 1024);
    let response = server.post("/tests/1/readings", &[("typed", &huge)]).await;
    assert_eq!(response.status(), 413);
}

#[tokio::test]
async fn assets_are_sent_once() {
    let server = Server::demo().await;
    let first = server.get("/static/vendor/flindo.css").await;
    let tag = first.headers()["etag"].clone();
    assert_eq!(first.headers()["content-type"], "text/css");
    let again = server.request(Method::GET, "/static/vendor/flindo.css").header("if-none-match", tag).send().await.unwrap();
    assert_eq!(again.status(), 304);
    for missing in ["/static/../Cargo.toml", "/static/%2e%2e/Cargo.toml", "/static/vendor/"] {
        assert!(server.get(missing).await.status().is_client_error(), "{missing}");
    }
}

#[tokio::test]
async fn a_line_is_read_over_http_as_on_the_page() {
    let server = Server::demo().await;
    let (status, body) = server.json("/api/v1/compute/entry", json!({"text": "79-81 W 52 C", "degrees": "back_c"})).await;
    assert_eq!((status, body["power_w"].as_f64()), (200, Some(80.0)));
    assert_eq!(body["figures"][1]["quantity"], "back_c");
    let (status, body) = server.json("/api/v1/compute/entry", json!([{"text": "Voc 22 Isc 5"}, {"text": "12"}])).await;
    assert_eq!((status, body["error"]["index"].as_i64(), body["error"]["field"].as_str()), (422, Some(1), Some("text")));
    let (_, body) = server.json("/api/v1/compute/entry", json!([{"text": "Voc 22 Isc 5"}])).await;
    assert!(body[0].get("power_w").is_none(), "Voc and Isc are no watts");
    let (status, body) = server.json("/api/v1/compute/entry", json!({"text": "5 A", "volts": "poa_w_m2"})).await;
    assert_eq!((status, body["error"]["allowed"].as_str()), (422, Some("voltage_v, voc_v")));
}

#[tokio::test]
async fn a_curve_is_corrected_over_http() {
    let server = Server::demo().await;
    let points = json!([{"v_v": 0.0, "i_a": 8.0}, {"v_v": 15.0, "i_a": 7.8}, {"v_v": 25.0, "i_a": 6.9}, {"v_v": 30.0, "i_a": 3.0}, {"v_v": 32.0, "i_a": 0.0}]);
    let input = json!({"procedure": 2, "points": points, "g1": 800, "t1": 45, "g2": 1000, "t2": 25, "alpha_isc_rel_per_k": 0.0005,
        "beta_voc_rel_per_k": -0.003, "a": 0.05, "r_s_ohm": 0.2, "kappa_ohm_per_k": 0.001});
    let (status, body) = server.json("/api/v1/compute/correct", input.clone()).await;
    assert_eq!(status, 200, "{body}");
    assert!((body["isc_a"].as_f64().unwrap() - 9.93).abs() < 0.01, "{body}");
    let without = |field: &str, value: serde_json::Value| {
        let mut input = input.clone();
        input[field] = value;
        input
    };
    for (field, value) in [
        ("g1", json!(-5)),
        ("a", json!(null)),
        ("procedure", json!(3)),
        ("points", json!([])),
        ("t2", json!("warm")),
        ("r_s_ohm", json!(1e9)),
    ] {
        let (status, body) = server.json("/api/v1/compute/correct", without(field, value)).await;
        assert_eq!((status, body["error"]["field"].as_str()), (422, Some(field)), "{body}");
    }
    let (status, body) = server.json("/api/v1/compute/correct", json!({"procedure": 1})).await;
    assert_eq!((status, body["error"]["field"].as_str()), (422, Some("points")));
    let many = vec![json!({"text": "1 V"}); 10_001];
    assert_eq!(server.json("/api/v1/compute/entry", json!(many)).await.0, 422);
    let broken = server
        .request(Method::POST, "/api/v1/compute/entry")
        .body("{")
        .header("content-type", "application/json")
        .send()
        .await
        .unwrap();
    assert_eq!(broken.status(), 422);
}

#[tokio::test]
async fn the_description_lists_the_computations() {
    let server = Server::demo().await;
    let description: serde_json::Value = server.get("/api/v1/openapi.json").await.json().await.unwrap();
    for path in
        ["/api/v1/compute/entry", "/api/v1/compute/correct", "/api/v1/tests/{id}/readings", "/api/v1/tests/{id}/assessment"]
    {
        assert!(description["paths"].as_object().unwrap().keys().any(|key| key == path), "{path}");
    }
    assert_eq!(description["info"]["title"], "Flindo");
    // One object or a list of them, in and out.
    let split = &description["paths"]["/api/v1/compute/split"]["post"];
    for content in [&split["requestBody"]["content"], &split["responses"]["200"]["content"]] {
        let both = content["application/json"]["schema"]["oneOf"].as_array().unwrap();
        assert_eq!((both.len(), &both[1]["items"], &both[1]["maxItems"]), (2, &both[0], &serde_json::json!(10_000)), "{content}");
    }
    let (mut names, mut references) = (Vec::new(), Vec::new());
    for (path, operation) in description["paths"]
        .as_object()
        .unwrap()
        .iter()
        .flat_map(|(path, item)| item.as_object().unwrap().values().map(move |operation| (path, operation)))
    {
        names.push(operation["operationId"].as_str().unwrap().to_owned());
        for (status, response) in operation["responses"].as_object().unwrap() {
            assert!(response["description"].as_str().is_some_and(|says| !says.is_empty()), "{path} {status}");
        }
        assert!(operation["responses"]["4XX"]["content"]["application/json"].is_object(), "{path}");
    }
    let count = names.len();
    names.sort();
    names.dedup();
    assert_eq!(names.len(), count, "each operation has a name of its own");
    named_inside(&description, &mut references);
    for name in &references {
        assert!(description["components"]["schemas"][name].is_object(), "{name}");
    }
    assert!(references.contains(&"DiodeJson".to_owned()));
}

/// The schemas that a value refers to.
fn named_inside(value: &serde_json::Value, found: &mut Vec<String>) {
    let parts: Vec<&serde_json::Value> = match value {
        serde_json::Value::Object(map) => map.values().collect(),
        serde_json::Value::Array(list) => list.iter().collect(),
        serde_json::Value::Null | serde_json::Value::Bool(_) | serde_json::Value::Number(_) | serde_json::Value::String(_) => {
            Vec::new()
        }
    };
    found.extend(value["$ref"].as_str().and_then(|path| path.strip_prefix("#/components/schemas/")).map(str::to_owned));
    parts.into_iter().for_each(|part| named_inside(part, found));
}

/// One test whose record cannot be read shows as such, and takes no list down.
#[tokio::test]
async fn an_unreadable_test_shows_as_such_in_lists() {
    let server = Server::demo().await;
    // The file as somebody else left it: nothing of it has been shown yet.
    let sql = sqlx::sqlite::SqlitePoolOptions::new().connect(&format!("sqlite://{}", server.path().display())).await.unwrap();
    sqlx::query("UPDATE tests SET question = 'no_question' WHERE id = 1").execute(&sql).await.unwrap();
    sqlx::query("INSERT INTO reading_figures SELECT min(id), 'mana', 1, 1, 0, 'shown' FROM readings WHERE test_id = 2")
        .execute(&sql)
        .await
        .unwrap();
    assert_eq!(server.page("/").await.matches("cannot be read").count(), 2);
    let home = server.page("/results?what=tests").await;
    let total = server.store.count_tests(None).await.unwrap() as usize;
    assert_eq!((home.matches("class=\"test-row\"").count(), home.matches("cannot be read").count()), (total, 2));
    assert_eq!(server.page("/panels/1").await.matches("Test 1 cannot be read").count(), 1);
    let (list, unreadable) = (server.page("/api/v1/tests").await, "\"unreadable\":");
    assert_eq!(list.matches(unreadable).count(), 1, "{list}");
    assert_eq!(server.get("/tests/1").await.status(), 500);
    assert_eq!(server.get("/tests/new").await.status(), 200);
    assert_eq!(server.get("/tests/3").await.status(), 200);
}

/// A bench that another program locks, and one whose file is moved away: each says so, takes nothing, and goes on when it is free or back.
#[tokio::test]
async fn a_locked_and_a_vanished_bench_say_so_and_heal() {
    let server = Server::demo().await;
    let send = async |nth: u32| {
        let uid = format!("reading-{nth:06}");
        let form = [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
        let answer = server.post("/api/v1/tests/1/readings", &form).await;
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    let options = sqlx::sqlite::SqliteConnectOptions::new().filename(server.path());
    let mut other = sqlx::ConnectOptions::connect(&options).await.unwrap();
    sqlx::query("BEGIN IMMEDIATE").execute(&mut other).await.unwrap();
    let (status, told) = send(1).await;
    assert!(status == 503 && told.contains("locked by another program"), "{status} {told}");
    assert_eq!(server.get("/tests/1").await.status(), 200, "what is there is read");
    sqlx::query("ROLLBACK").execute(&mut other).await.unwrap();
    sqlx::Connection::close(other).await.unwrap();
    assert_eq!(send(1).await.0, 201);
    let away = server.path().with_extension("away");
    std::fs::rename(server.path(), &away).unwrap();
    let (status, told) = send(2).await;
    assert!(status == 507 && told.contains("gone from its place"), "{status} {told}");
    std::fs::rename(&away, server.path()).unwrap();
    assert_eq!(send(2).await.0, 201);
    // Another file in its place is not the bench.
    std::fs::rename(server.path(), &away).unwrap();
    std::fs::write(server.path(), "another").unwrap();
    assert_eq!(send(3).await.0, 507);
    let kept = server.store.readings(1).await.unwrap();
    assert_eq!(kept.iter().filter(|reading| reading.what.uid.starts_with("reading-")).count(), 2);
}

/// What the description says of a body is what its check does: a field that it does not name is refused by name, and the examples pass
/// the check of names.
#[tokio::test]
async fn bodies_are_described_by_what_their_checks_take() {
    let server = Server::own().await;
    let described: serde_json::Value = server.get("/api/v1/openapi.json").await.json().await.unwrap();
    let mut closed = 0;
    for (path, of_path) in described["paths"].as_object().unwrap() {
        for method in ["post", "put"] {
            let Some(body) = of_path[method].get("requestBody") else { continue };
            let Some(content) = body["content"].get("application/json") else { continue };
            let Some(name) = content["schema"]["$ref"].as_str().and_then(|name| name.rsplit('/').next()) else { continue };
            let schema = &described["components"]["schemas"][name];
            if !name.ends_with("Body") {
                continue;
            }
            let known = schema["properties"].as_object().unwrap_or_else(|| panic!("{name}: {schema}"));
            let is_closed = schema["additionalProperties"] == false;
            for field in content["example"].as_object().into_iter().flatten().map(|(field, _)| field) {
                assert!(!is_closed || known.contains_key(field), "{name} has no {field}");
            }
            for field in schema["required"].as_array().into_iter().flatten() {
                assert!(known.contains_key(field.as_str().unwrap()), "{name} needs {field}");
            }
            let (path, is_open) = (path.replace("{id}", "1").replace("{run}", "1").replace("{what}", "test"), !is_closed);
            if is_open {
                continue;
            }
            closed += 1;
            let strange = serde_json::json!({ "quite_strange": 1 });
            let method = if method == "post" { Method::POST } else { Method::PUT };
            let answer = server.request(method, &path).json(&strange).send().await.unwrap();
            let status = answer.status().as_u16();
            let answer = answer.text().await.unwrap();
            assert!(status == 404 || status == 422 && answer.contains("quite_strange"), "{path}: {status} {answer}");
        }
    }
    assert!(closed >= 15, "{closed}");
}
