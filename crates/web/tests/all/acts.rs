//! Every act of the pages has a path for programs, and what a record answers can be sent back.

use crate::jobs::{add, assessed, bench};
use crate::server::Server;
use reqwest::Method;
use serde_json::{Value, json};

pub async fn send(server: &Server, method: Method, path: &str, body: Value) -> (u16, Value) {
    let answer = server.request(method, path).json(&body).send().await.unwrap();
    let status = answer.status().as_u16();
    (status, answer.json().await.unwrap_or(Value::Null))
}

pub async fn got(server: &Server, path: &str) -> Value {
    server.get(path).await.json().await.unwrap()
}

/// Sent back as it was answered, a record is as it was; with another name it has that name; and a misspelt field is refused.
#[tokio::test]
async fn what_a_record_answers_can_be_sent_back() {
    let server = bench().await;
    add(&server, "gear", json!({"kind": "meter", "name": "Shed meter", "meter_kind": "clamp"})).await;
    for (path, name) in [("places", "name"), ("panel-kinds", "name"), ("panels", "tag"), ("gear", "name"), ("rigs", "name")] {
        let list = got(&server, &format!("/api/v1/{path}")).await;
        let items = list["items"].as_array().unwrap();
        assert!(!items.is_empty(), "{path}: {list}");
        for item in items {
            let at = format!("/api/v1/{path}/{}", item["id"]);
            let (status, answer) = send(&server, Method::PUT, &at, item.clone()).await;
            assert_eq!((status, &answer["changed"]), (200, &json!([])), "{at}: {answer}");
            assert_eq!(&got(&server, &at).await, item, "{at}");
            // As another's body for a new record it is the one that is there.
            let (status, answer) = send(&server, Method::POST, &format!("/api/v1/{path}"), item.clone()).await;
            assert_eq!((status, &answer["id"]), (200, &item["id"]), "{at}: {answer}");
        }
        let first = &items[0];
        let at = format!("/api/v1/{path}/{}", first["id"]);
        let mut renamed = first.clone();
        renamed[name] = "Z-9".into();
        assert_eq!(send(&server, Method::PUT, &at, renamed.clone()).await.0, 200, "{at}");
        assert_eq!(got(&server, &at).await[name], "Z-9");
        let mut misspelt = first.clone();
        misspelt["colour"] = "blue".into();
        let (status, answer) = send(&server, Method::PUT, &at, misspelt).await;
        assert_eq!((status, &answer["error"]["field"]), (422, &json!("colour")), "{answer}");
        let mut of_another = first.clone();
        of_another["uid"] = "another-0001".into();
        assert_eq!(send(&server, Method::PUT, &at, of_another).await.0, 422, "{at}");
        assert_eq!(send(&server, Method::PUT, &format!("/api/v1/{path}/9999"), renamed).await.0, 404);
    }
}

/// A rig names its panels by their tags: with another tag a panel hangs where it hung.
#[tokio::test]
async fn a_panel_with_another_tag_stays_in_its_rig() {
    let server = bench().await;
    let panels = got(&server, "/api/v1/panels").await;
    let panel = panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == "S-1").unwrap().clone();
    let mut renamed = panel.clone();
    renamed["tag"] = "Z-9".into();
    assert_eq!(send(&server, Method::PUT, &format!("/api/v1/panels/{}", panel["id"]), renamed).await.0, 200);
    let rigs = got(&server, "/api/v1/rigs").await;
    let lines: Vec<&str> = rigs["items"].as_array().unwrap().iter().filter_map(|rig| rig["wiring"].as_str()).collect();
    assert!(lines.iter().any(|line| line.contains("Z-9")) && !lines.iter().any(|line| line.contains("S-1")), "{lines:?}");
    for rig in rigs["items"].as_array().unwrap() {
        assert_eq!(send(&server, Method::PUT, &format!("/api/v1/rigs/{}", rig["id"]), rig.clone()).await.0, 200, "{rig}");
    }
}

/// 200 W on the label at first, 250 W afterwards: what made its rating is below it, and the edit says so.
#[tokio::test]
async fn an_edit_says_which_answers_it_changed() {
    let server = bench().await;
    let full = "19.60 V 9.17 A 962 W/m2 45.0 C";
    let before = assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &[full, full, full]).await;
    let panels = got(&server, "/api/v1/panels").await;
    let panel = panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == "S-1").unwrap();
    let mut kind = panel["kind"].clone();
    let at = format!("/api/v1/panel-kinds/{}", kind["id"]);
    kind["rated_w"] = json!(kind["rated_w"].as_f64().unwrap() * 1.25);
    kind["keep_contradictions"] = true.into();
    let (status, answer) = send(&server, Method::PUT, &at, kind.clone()).await;
    assert_eq!((status, answer["changed"].as_array().unwrap().len()), (200, 1), "{answer}");
    assert_eq!(answer["changed"][0]["was"], before["headline"]);
    let after = got(&server, "/api/v1/tests/1/assessment").await;
    assert_eq!(answer["changed"][0]["becomes"], after["headline"]);
    assert!((after["percent"].as_f64().unwrap() / before["percent"].as_f64().unwrap() - 0.8).abs() < 1e-9);
    // The label is of the kind: with the panel it has to be as it stands.
    let (status, answer) = send(&server, Method::PUT, &format!("/api/v1/panels/{}", panel["id"]), panel.clone()).await;
    assert_eq!((status, &answer["error"]["field"]), (422, &json!("kind")), "{answer}");
}

#[tokio::test]
async fn runs_are_done_and_skipped_and_a_set_up_is_changed() {
    let server = bench().await;
    let body = json!({"question": "shade_cost", "panel": "S-1", "plan": {"levels": [{"shade": "one cell"}], "order": "aba"}});
    let (status, test) = server.json("/api/v1/tests", body).await;
    assert_eq!(status, 201, "{test}");
    let (id, runs) = (&test["id"], test["runs"].as_array().unwrap());
    let at = |run: usize| format!("/api/v1/tests/{id}/runs/{}", runs[run]["id"]);
    let begun = json!({"what": "begun", "at_utc": "2026-06-21T11:20:00Z", "uid": "event-0001"});
    for _ in 0..2 {
        assert_eq!(send(&server, Method::POST, &at(0), begun.clone()).await.0, 201);
    }
    let (status, answer) = send(&server, Method::POST, &at(0), json!({"what": "done", "text": "thin cloud at the end"})).await;
    assert_eq!((status, &answer["what"], &answer["run"]), (201, &json!("done"), &runs[0]["id"]), "{answer}");
    assert_eq!(send(&server, Method::POST, &at(1), json!({"what": "skipped", "text": "the towel blew away"})).await.0, 201);
    assert!(server.page(&format!("/tests/{id}")).await.contains("the towel blew away"));
    let wrong = [
        (at(0), json!({"what": "eaten"}), 422),
        (at(0), json!({"what": "done", "at_utc": "noon"}), 422),
        (at(0), json!({"what": "done", "at_utc": "1969-12-31T23:59:59Z"}), 422),
        (at(0), json!({"what": "note", "text": "n".repeat(2001)}), 422),
        (format!("/api/v1/tests/{id}/runs/9999"), json!({"what": "done"}), 404),
    ];
    for (path, body, wanted) in wrong {
        assert_eq!(send(&server, Method::POST, &path, body.clone()).await.0, wanted, "{body}");
    }
    let (status, answer) = send(
        &server,
        Method::PUT,
        &format!("/api/v1/tests/{id}/setup"),
        json!({"setup": {"tilt_deg": 41.5, "azimuth_deg": 170}}),
    )
    .await;
    assert_eq!(
        (status, &answer["setup"]["tilt_deg"], &answer["setup"]["azimuth_deg"]),
        (200, &json!(41.5), &json!(170.0)),
        "{answer}"
    );
    let same = json!({"setup": answer["setup"], "meters": answer["meters"]});
    let (status, again) = send(&server, Method::PUT, &format!("/api/v1/tests/{id}/setup"), same).await;
    assert_eq!((status, &again["setup"]), (200, &answer["setup"]), "{again}");
    let far = json!({"setup": {"tilt_deg": 91}});
    assert_eq!(send(&server, Method::PUT, &format!("/api/v1/tests/{id}/setup"), far).await.0, 422);
}

#[tokio::test]
async fn photos_panel_events_and_calculations_come_and_go() {
    let server = bench().await;
    assert_eq!(server.json("/api/v1/tests", json!({"question": "makes_rating", "panel": "S-1"})).await.0, 201);
    let mut png = std::io::Cursor::new(Vec::new());
    image::DynamicImage::new_rgb8(8, 6).write_to(&mut png, image::ImageFormat::Png).unwrap();
    let photo = |bytes: Vec<u8>| server.request(Method::POST, "/api/v1/tests/1/photos?caption=the+towel").body(bytes).send();
    let answer: Value = photo(png.into_inner()).await.unwrap().json().await.unwrap();
    assert_eq!(
        (&answer["width_px"], &answer["height_px"], &answer["caption"]),
        (&json!(8), &json!(6), &json!("the towel")),
        "{answer}"
    );
    assert_eq!(photo(b"no picture".to_vec()).await.unwrap().status(), 422);
    assert_eq!(got(&server, "/api/v1/tests/1/photos").await["items"], json!([answer]));
    let at = format!("/api/v1/tests/1/photos/{}", answer["id"]);
    let bytes = server.request(Method::GET, &at).send().await.unwrap().bytes().await.unwrap();
    assert!(bytes.starts_with(b"\x89PNG"));
    assert_eq!(server.request(Method::DELETE, &at).send().await.unwrap().status(), 204);
    assert_eq!(server.request(Method::DELETE, &at).send().await.unwrap().status(), 404);

    let panel = got(&server, "/api/v1/panels").await["items"][0]["id"].clone();
    let events = format!("/api/v1/panels/{panel}/events");
    let (status, answer) =
        send(&server, Method::POST, &events, json!({"day": "2026-06-20", "what": "cleaned", "text": "rain water"})).await;
    assert_eq!(
        (status, &answer["items"][0]["what"], &answer["items"][0]["day"]),
        (201, &json!("cleaned"), &json!("2026-06-20")),
        "{answer}"
    );
    for (body, field) in [
        (json!({"day": "2026-06-31", "what": "cleaned"}), "day"),
        (json!({"day": "1969-12-31", "what": "cleaned"}), "day"),
        (json!({"day": "2026-06-20", "what": "painted"}), "what"),
    ] {
        let (status, answer) = send(&server, Method::POST, &events, body).await;
        assert_eq!((status, &answer["error"]["field"]), (422, &json!(field)), "{answer}");
    }
    let at = format!("{events}/{}", answer["items"][0]["id"]);
    assert_eq!(server.request(Method::DELETE, &at).send().await.unwrap().status(), 204);
    assert_eq!(got(&server, &events).await["items"], json!([]));

    let body = json!({"page": "/shade", "name": "towel", "fields": {"wiring": "S-1", "pattern": ["band", "cells"]}});
    let (status, kept) = send(&server, Method::POST, "/api/v1/calculations", body.clone()).await;
    assert_eq!((status, &kept["fields"]["pattern"]), (201, &json!(["band", "cells"])), "{kept}");
    assert_eq!(got(&server, "/api/v1/calculations").await["items"], json!([kept]));
    assert!(server.page("/shade").await.contains("towel"));
    let elsewhere = json!({"page": "/help", "name": "towel", "fields": {}});
    assert_eq!(send(&server, Method::POST, "/api/v1/calculations", elsewhere).await.0, 422);
}

#[tokio::test]
async fn the_bench_its_league_a_review_and_a_log_are_read_and_changed() {
    let server = bench().await;
    let full = "19.60 V 9.17 A 962 W/m2 45.0 C";
    let found = assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &[full, full, full]).await;
    let mut own = got(&server, "/api/v1/bench").await;
    own["currency"] = "CHF".into();
    let (status, answer) = send(&server, Method::PUT, "/api/v1/bench", own.clone()).await;
    assert_eq!((status, answer), (200, own.clone()));
    own["time_zone"] = "Nowhere/Town".into();
    assert_eq!(send(&server, Method::PUT, "/api/v1/bench", own).await.0, 422);

    let league = got(&server, "/api/v1/league?of=panels").await;
    assert_eq!((&league["items"][0]["name"], &league["unit"]), (&json!("S-1"), &json!("%")));
    let (value, percent) = (league["items"][0]["value"].as_f64().unwrap(), found["percent"].as_f64().unwrap());
    assert!((value - percent).abs() < 1e-9);
    // A league that is kept is of the prices as they stand.
    let panels = got(&server, "/api/v1/panels").await;
    let mut panel = panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == "S-1").unwrap().clone();
    let mut per_watt = Vec::new();
    for price in [80.0, 40.0] {
        panel["price"] = price.into();
        assert_eq!(send(&server, Method::PUT, &format!("/api/v1/panels/{}", panel["id"]), panel.clone()).await.0, 200);
        for _ in 0..2 {
            let league = got(&server, "/api/v1/league?of=panels&by=price_per_w").await;
            per_watt.push(league["items"][0]["value"].as_f64().unwrap_or_else(|| panic!("{league}")));
        }
    }
    assert!(per_watt[0] == per_watt[1] && per_watt[2] == per_watt[3], "{per_watt:?}");
    assert!((per_watt[0] / per_watt[2] - 2.0).abs() < 1e-9, "{per_watt:?}");
    for wrong in ["?of=clouds", "?by=colour"] {
        assert_eq!(server.request(Method::GET, &format!("/api/v1/league{wrong}")).send().await.unwrap().status(), 422);
    }

    let uid = got(&server, "/api/v1/tests/1").await["uid"].clone();
    let claim = json!({"subject": "S-1", "than": "S-2", "pattern": "", "low_percent": 5.0, "high_percent": null});
    let (status, made) = server.json("/api/v1/reviews", json!({"name": "One", "tests": [uid], "claims": [claim]})).await;
    assert_eq!(status, 201, "{made}");
    let at = format!("/api/v1/reviews/{}", made["id"]);
    let before = got(&server, &at).await;
    let (status, answer) = send(&server, Method::PUT, &at, before.clone()).await;
    assert_eq!((status, &answer), (200, &before), "sent back it is as it was");
    let mut renamed = before;
    renamed["name"] = "Two".into();
    assert_eq!(send(&server, Method::PUT, &at, renamed).await.1["name"], "Two");
    assert_eq!(send(&server, Method::PUT, &at, json!({"tests": ["nowhere-0001"]})).await.0, 422);

    let samples: Vec<Value> =
        (0..60).map(|minute| json!({"time_utc": format!("2026-06-21T11:{minute:02}:00Z"), "power_w": 150.0})).collect();
    let (status, log) = server.json("/api/v1/logs", json!({"name": "roof", "panel": "S-1", "samples": samples})).await;
    assert_eq!(status, 201, "{log}");
    let item = &log["logs"][0];
    let at = format!("/api/v1/logs/{}", item["id"]);
    let (status, same) = send(&server, Method::PUT, &at, item.clone()).await;
    assert_eq!((status, &same), (200, item));
    let mut moved = item.clone();
    (moved["tilt_deg"], moved["azimuth_deg"], moved["clock_ahead_s"]) = (json!(30.0), json!(180.0), json!(120.0));
    let (_, answer) = send(&server, Method::PUT, &at, moved.clone()).await;
    assert_eq!(
        (&answer["tilt_deg"], &answer["clock_ahead_s"], &answer["panel"]),
        (&json!(30.0), &json!(120.0), &item["panel"]),
        "{answer}"
    );
    moved["azimuth_deg"] = Value::Null;
    assert_eq!(send(&server, Method::PUT, &at, moved).await.0, 422, "tilt and azimuth go together");
}
