//! For programs, as on the pages: stops named before a test, a level once more, a stretch of a log, a notebook, weather, a file taken out.

use crate::acts::{got, send};
use crate::jobs::{add, bench};
use reqwest::Method;
use serde_json::{Value, json};

/// Three panels of 24.3 V in a row are above a meter of 60 V, in the cold by more.
#[tokio::test]
async fn stops_are_named_by_their_keys() {
    let server = bench().await;
    add(&server, "panels", json!({"tag": "S-3", "kind": "Saffron 200"})).await;
    add(&server, "gear", json!({"kind": "meter", "name": "Shed meter", "meter_kind": "in_line", "max_v": 60, "max_a": 20})).await;
    let rig = json!({"name": "Row", "wiring": "S-1 + S-2 + S-3", "ends_in": "load_tester", "meters": {"string": "Shed meter"}});
    add(&server, "rigs", rig).await;
    let plan = json!({"levels": [{"shade": "one cell"}], "order": "aba"});
    let test = add(&server, "tests", json!({"question": "shade_cost", "rig": "Row", "plan": plan})).await;
    let path = format!("/api/v1/tests/{}/preflight", test["id"]);
    let found = got(&server, &path).await;
    let stops: Vec<&Value> = found["items"].as_array().unwrap().iter().filter(|one| one["level"] == "stop").collect();
    assert!(!stops.is_empty() && stops.iter().all(|one| one["is_acknowledged"] == false), "{found}");
    let keys: Vec<Value> = stops.iter().map(|one| one["key"].clone()).collect();
    for (body, field) in [(json!({"stops": "all"}), "stops"), (json!({"stops": ["no such"]}), "stops"), (json!({}), "stops")] {
        let (status, answer) = send(&server, Method::POST, &path, body).await;
        assert_eq!((status, &answer["error"]["field"]), (422, &json!(field)), "{answer}");
    }
    let page = format!("/tests/{}", test["id"]);
    assert_eq!(server.get(&page).await.status(), 303);
    for _ in 0..2 {
        let (status, answer) = send(&server, Method::POST, &path, json!({"stops": keys})).await;
        let named = |one: &&Value| one["level"] == "stop" && one["is_acknowledged"] == true;
        assert_eq!((status, answer["items"].as_array().unwrap().iter().filter(named).count()), (200, keys.len()), "{answer}");
    }
    assert_eq!(server.get(&page).await.status(), 200);
    assert_eq!(server.get("/api/v1/tests/99/preflight").await.status(), 404);
}

#[tokio::test]
async fn a_level_once_more_is_a_run_at_the_end() {
    let server = bench().await;
    let plan = json!({"levels": [{"shade": "one cell"}], "order": "aba"});
    let test = add(&server, "tests", json!({"question": "shade_cost", "panel": "S-1", "plan": plan})).await;
    let path = format!("/api/v1/tests/{}/runs", test["id"]);
    for _ in 0..2 {
        let (status, answer) = send(&server, Method::POST, &path, json!({"level": 1, "uid": "again-0001"})).await;
        assert_eq!((status, &answer["what"]), (201, &json!("begun")), "{answer}");
    }
    assert_eq!(send(&server, Method::POST, &path, json!({})).await.0, 201);
    let runs = got(&server, &format!("/api/v1/tests/{}", test["id"])).await["runs"].clone();
    let levels: Vec<i64> = runs.as_array().unwrap().iter().map(|run| run["level"].as_i64().unwrap()).collect();
    assert_eq!(levels, [0, 1, 0, 1, 0]);
    for (body, wanted) in [(json!({"level": 2}), 422), (json!({"level": -1}), 422), (json!({"level": "first"}), 422)] {
        let (status, answer) = send(&server, Method::POST, &path, body).await;
        assert_eq!((status, &answer["error"]["field"]), (wanted, &json!("level")), "{answer}");
    }
    let open = add(&server, "tests", json!({"question": "open", "panel": "S-1"})).await;
    assert_eq!(send(&server, Method::POST, &format!("/api/v1/tests/{}/runs", open["id"]), json!({})).await.0, 404);
}

/// 100 W in the first half of an hour, 60 W in the second: a stretch of either is its own mean, and both halves' in the middle.
#[tokio::test]
async fn a_stretch_of_a_log_becomes_a_reading_and_its_file_goes_again() {
    let server = bench().await;
    let test = add(&server, "tests", json!({"question": "makes_rating", "panel": "S-1"})).await;
    let sample = |minute: i64| {
        let watts = if minute < 30 { 100.0 } else { 60.0 };
        json!({"time_utc": format!("2026-06-21T11:{minute:02}:00Z"), "power_w": watts})
    };
    let samples: Vec<Value> = (0..60).map(sample).collect();
    let added = add(&server, "logs", json!({"name": "shunt", "test": test["id"], "samples": samples})).await;
    let path = format!("/api/v1/logs/{}/take", added["id"]);
    let of = |from: &str, to: &str| json!({"from_utc": format!("2026-06-21T{from}Z"), "to_utc": format!("2026-06-21T{to}Z")});
    for (nth, (from, to)) in
        [("11:05:00", "11:15:00"), ("11:40:00", "11:50:00"), ("11:05:00", "11:15:00")].into_iter().enumerate()
    {
        let (status, answer) = send(&server, Method::POST, &path, of(from, to)).await;
        let wanted = if nth == 2 { (200, json!("already")) } else { (201, json!("accepted")) };
        assert_eq!((status, &answer["answer"]), (wanted.0, &wanted.1), "{answer}");
        assert_eq!(answer["test"], test["id"]);
    }
    let readings = server.store.readings(test["id"].as_i64().unwrap()).await.unwrap();
    let power = flindo_core::measure::quantity::Quantity::Power;
    let mut watts: Vec<f64> = readings.iter().filter_map(|one| one.what.figures.get(power)).map(|seen| seen.low).collect();
    watts.sort_by(f64::total_cmp);
    assert_eq!(watts, [60.0, 100.0]);
    for (body, field) in
        [(of("11:15:00", "11:05:00"), "to_utc"), (of("11:15:00", "noon"), "to_utc"), (of("14:00:00", "14:10:00"), "from")]
    {
        let (status, answer) = send(&server, Method::POST, &path, body).await;
        assert_eq!((status, &answer["error"]["field"]), (422, &json!(field)), "{answer}");
    }
    let file = format!("/api/v1/logs/files/{}", added["file"]["id"]);
    assert_eq!(send(&server, Method::DELETE, &file, Value::Null).await.0, 204);
    assert_eq!(send(&server, Method::DELETE, &file, Value::Null).await.0, 404);
    assert_eq!(server.get(&format!("/api/v1/logs/{}", added["id"])).await.status(), 404);
    // What was taken from it stays a reading.
    assert_eq!(server.store.readings(test["id"].as_i64().unwrap()).await.unwrap().len(), 2);
}

#[tokio::test]
async fn a_notebook_is_read_before_it_comes_in() {
    let server = bench().await;
    let text = "S-1 flat 78 W\ntilt 35: 91 W\nflat 79 W";
    let body = json!({"text": text, "day": "2026-06-21", "first": "12:25", "apart_min": 2, "preview": true});
    let (status, read) = send(&server, Method::POST, "/api/v1/notebook", body.clone()).await;
    let times: Vec<&str> = read["lines"].as_array().unwrap().iter().filter_map(|line| line["at_utc"].as_str()).collect();
    assert_eq!((status, &read["test"], &read["wanted"]), (200, &Value::Null, &json!([])), "{read}");
    assert_eq!(times, ["2026-06-21T11:25:00Z", "2026-06-21T11:27:00Z", "2026-06-21T11:29:00Z"]);
    assert_eq!(got(&server, "/api/v1/tests").await["items"], json!([]));
    let with = |name: &str, value: Value| {
        let mut body = body.clone();
        body["preview"] = false.into();
        body[name] = value;
        body
    };
    let asked = format!("{text}\nfrobnicated 80 W");
    for (body, field) in [
        (with("first", "".into()), "first"),
        (with("text", asked.clone().into()), "text"),
        (with("hangs", "Q-7".into()), "hangs"),
        (with("preview", "perhaps".into()), "preview"),
        (with("colour", "blue".into()), "colour"),
    ] {
        let (status, answer) = send(&server, Method::POST, "/api/v1/notebook", body).await;
        assert_eq!((status, &answer["error"]["field"]), (422, &json!(field)), "{answer}");
    }
    assert_eq!(got(&server, "/api/v1/tests").await["items"], json!([]));
    let (status, added) = send(&server, Method::POST, "/api/v1/notebook", with("hangs", "S-1".into())).await;
    assert_eq!(status, 201, "{added}");
    let answer = got(&server, &format!("/api/v1/tests/{}/assessment", added["test"])).await;
    let percent = answer["answers"][0]["levels"].as_array().unwrap().iter().find_map(|level| level["percent"].as_f64()).unwrap();
    assert!((percent - 91.0 / 78.5 * 100.0).abs() < 2.0, "{answer}");
    let mut noted = with("text", asked.into());
    noted["as_notes"] = true.into();
    assert_eq!(send(&server, Method::POST, "/api/v1/notebook", noted).await.0, 201);
}

#[tokio::test]
async fn a_year_of_weather_comes_in_once() {
    let server = bench().await;
    let file = crate::sun::a_year_of_weather();
    for _ in 0..2 {
        let sent = server.request(Method::POST, "/api/v1/weather").body(file.clone()).send().await.unwrap();
        assert_eq!(sent.status(), 201);
        let answer: Value = sent.json().await.unwrap();
        assert_eq!(got(&server, "/api/v1/weather").await["items"], json!([answer]));
    }
    let cut = server.request(Method::POST, "/api/v1/weather").body("LOCATION,Garden").send().await.unwrap();
    assert_eq!(cut.status(), 422);
}
