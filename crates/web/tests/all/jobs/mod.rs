//! A bench for programs, and a whole job on it: test, readings, assessment.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::server::Server;
use serde_json::{Value, json};

/// A place, two kinds of panel with two pieces each, a controller that tracks and one that does not, and a rig.
pub async fn bench() -> Server {
    let server = Server::own().await;
    let place = json!({"name": "Yard", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "time_zone": "Europe/Lisbon",
        "ground": "soil", "clarity": "clear", "coldest_c": -4, "hottest_c": 42});
    add(&server, "places", place).await;
    let kind = json!({"name": "Saffron 200", "rated_w": 200, "tolerance": "0/+3 %", "voc_v": 24.3, "isc_a": 10.4, "vmp_v": 20.4,
        "imp_a": 9.81, "alpha_isc": "0.05 %/K", "beta_voc": "-0.28 %/K", "gamma_pmax": "-0.36 %/K", "cells_in_series": 36,
        "technology": "mono"});
    add(&server, "panel-kinds", kind).await;
    add(&server, "panels", json!({"tag": "S-1..S-2", "kind": "Saffron 200", "price": 90})).await;
    let umber = json!({"name": "Umber 250", "rated_w": 250, "voc_v": 37.8, "isc_a": 8.75, "vmp_v": 30.4, "imp_a": 8.22,
        "beta_voc": "-0.32 %/K", "gamma_pmax": "-0.43 %/K", "cells_in_series": 60, "technology": "poly"});
    add(&server, "panels", json!({"tag": "U-1..U-2", "kind": umber, "is_used": true, "age_years": 11, "price": 35})).await;
    for (name, tracks) in [("Lathe 30", true), ("Gimlet 20", false)] {
        add(
            &server,
            "gear",
            json!({"kind": "controller", "name": name, "tracking": tracks, "max_input_v": 100, "max_battery_a": 30}),
        )
        .await;
    }
    add(&server, "rigs", json!({"name": "Pair", "wiring": "S-1 | S-2", "ends_in": "load_tester"})).await;
    server
}

pub async fn add(server: &Server, what: &str, body: Value) -> Value {
    let (status, answer) = server.json(&format!("/api/v1/{what}"), body).await;
    assert_eq!(status, 201, "{what}: {answer}");
    answer
}

/// A test with its lines, one for each run in the order of the sheet, a minute apart from half past twelve; its assessment.
pub async fn assessed(server: &Server, mut body: Value, lines: &[&str]) -> Value {
    let noon = json!({"tilt_deg": 30, "azimuth_deg": 180, "load": "load_tester", "sun": "plane_meter", "cell_temperature": "back_probe"});
    let mut setup = noon.as_object().unwrap().clone();
    setup.extend(body["setup"].as_object().cloned().unwrap_or_default());
    body["setup"] = setup.into();
    if let Some(plan) = body.get_mut("plan") {
        plan["settle_s"] = 0.into();
        plan["start_utc"] = "2026-06-21T11:25:00Z".into();
    }
    let test = add(server, "tests", body).await;
    let runs: Vec<Value> = test["runs"].as_array().cloned().unwrap_or_default();
    let readings: Vec<Value> = lines
        .iter()
        .enumerate()
        .map(|(nth, line)| {
            let mut reading = json!({"uid": format!("reading-{:04}-{nth:04}", test["id"].as_i64().unwrap()), "typed": line,
                "taken_utc": format!("2026-06-21T11:{:02}:00Z", 25 + nth)});
            if let Some(run) = runs.get(nth) {
                reading["run"] = run["id"].clone();
            }
            reading
        })
        .collect();
    let path = format!("/api/v1/tests/{}", test["id"]);
    let (status, answer) = server.json(&format!("{path}/readings"), readings.into()).await;
    assert!(status == 200 || status == 201, "{answer}");
    assert!(answer.as_array().unwrap().iter().all(|one| one["answer"] == "accepted"), "{answer}");
    server.get(&format!("{path}/assessment")).await.json().await.unwrap()
}

/// Percent of the baseline of a level.
pub fn percent(answer: &Value, level: usize) -> f64 {
    let levels = answer["levels"].as_array().unwrap_or_else(|| panic!("{answer}"));
    let found = levels.iter().find(|one| one["level"] == level).unwrap_or_else(|| panic!("level {level}: {answer}"));
    found["percent"].as_f64().unwrap_or_else(|| panic!("level {level}: {answer}"))
}

/// One line for each run, by its level.
pub async fn by_level(server: &Server, body: Value, lines: &[&str]) -> Value {
    let made = add(server, "tests", body.clone()).await;
    let runs = made["runs"].as_array().unwrap();
    let lines: Vec<&str> = runs.iter().map(|run| lines[run["level"].as_u64().unwrap() as usize]).collect();
    assessed(server, body, &lines).await
}

/// Whether something was named, anywhere.
pub fn is_named(answer: &Value, code: &str) -> bool {
    answer["named"].as_array().unwrap().iter().any(|one| one["code"] == code)
}
