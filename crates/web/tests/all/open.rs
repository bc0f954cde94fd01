//! Measured first and asked afterwards: an open test by its door and by its page. All figures are invented; percents are worked out by hand.

use crate::jobs::{add, bench};
use crate::server::Server;
use serde_json::{Value, json};

/// Lines two minutes apart, each with its answer.
async fn session(server: &Server, test: &Value, lines: &[&str]) -> Vec<Value> {
    let path = format!("/api/v1/tests/{}/readings", test["id"]);
    let items: Vec<Value> = lines
        .iter()
        .enumerate()
        .map(|(nth, typed)| {
            let taken_utc = format!("2026-09-14T11:{:02}:00Z", nth * 2);
            json!({ "uid": format!("line-{}-{nth:04}", test["id"]), "typed": typed, "taken_utc": taken_utc })
        })
        .collect();
    let (status, answers) = server.json(&path, json!(items)).await;
    assert_eq!(status, 200, "{answers}");
    answers.as_array().unwrap().clone()
}

async fn assessed(server: &Server, test: &Value) -> Value {
    server.get(&format!("/api/v1/tests/{}/assessment", test["id"])).await.json().await.unwrap()
}

async fn begun(server: &Server, body: Value) -> Value {
    let mut body = body;
    body["question"] = json!("open");
    add(server, "tests", body).await
}

#[tokio::test]
async fn flat_tilted_flat_is_a_comparison_without_a_plan() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1", "setup": { "tilt_deg": 35 } })).await;
    assert_eq!((&test["question"], test["runs"].as_array().unwrap().len()), (&json!("open"), 1));
    let list: Value = server.get("/api/v1/tests").await.json().await.unwrap();
    assert_eq!(list["items"][0]["question"], "open", "{list}");
    let answers = session(&server, &test, &["98.0 W", "flat: 78.0 W", "back: 98.2", "cloud", "windy up here"]).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "accepted"), "{answers:?}");
    assert_eq!(answers[1]["understood"]["state"], json!({ "tilt_deg": 0.0 }));
    assert_eq!(answers[1]["understood"]["reading"], json!({ "power_w": 78.0 }));
    assert_eq!(
        (&answers[2]["understood"]["event"], &answers[3]["understood"]["event"]),
        (&json!("repeat_state"), &json!("cloud"))
    );
    let shown = assessed(&server, &test).await;
    assert_eq!(shown["states"].as_array().unwrap().len(), 2);
    let main = &shown["answers"][0];
    assert_eq!((&main["question"], &main["levels"][0]["verdict"]), (&json!("flat_or_tilted"), &json!("less")));
    let percent = main["levels"][0]["percent"].as_f64().unwrap();
    assert!((percent - 78.0 / 98.1 * 100.0).abs() < 0.3, "{percent}");
    assert!(main["headline"].as_str().unwrap().starts_with("Flat gives"), "{main}");
    // It is a test like any other, under the question that it answers.
    assert!(server.page("/results?question=flat_or_tilted").await.contains("Flat gives"));
    assert!(server.page(&format!("/tests/{}/report", test["id"])).await.contains("Flat gives"));
}

/// An open test as a table on another bench: the same states, the same answers to the last digit; its rig, its panels and what hung where
/// come along.
#[tokio::test]
async fn an_open_test_travels_as_a_table() {
    let (here, there) = (bench().await, Server::own().await);
    let test = begun(&here, json!({ "rig": "Pair", "setup": { "tilt_deg": 35 } })).await;
    let lines = ["196.0 W", "S-1 alone 98.0 W", "S-2 alone 97.5 W", "Pair: 195.0 W", "flat: 156 W", "tilt 35: 196.2 W"];
    let answers = session(&here, &test, &lines).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "accepted"), "{answers:?}");
    let table = here.get(&format!("/tests/{}/readings.csv", test["id"])).await.text().await.unwrap();
    for _ in 0..2 {
        let part = reqwest::multipart::Part::bytes(table.clone().into_bytes()).file_name("open.csv");
        let form = reqwest::multipart::Form::new().part("file", part);
        let answer = there.request(reqwest::Method::POST, "/import").multipart(form).send().await.unwrap();
        assert_eq!(answer.status(), 200, "{}", answer.text().await.unwrap());
    }
    let tests: Value = there.get("/api/v1/tests").await.json().await.unwrap();
    assert_eq!((tests["items"].as_array().unwrap().len(), &tests["items"][0]["question"]), (1, &json!("open")));
    let (was, is) = (assessed(&here, &test).await, assessed(&there, &tests["items"][0]).await);
    assert!(was["states"].as_array().unwrap().len() >= 4 && !was["answers"].as_array().unwrap().is_empty(), "{was}");
    assert_eq!((&was["states"], &was["answers"]), (&is["states"], &is["answers"]));
}

/// What was entered as 35 degrees was 40: by a line, by the door and by the page, each with its readings.
#[tokio::test]
async fn a_state_is_put_right_with_its_readings() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1", "setup": { "tilt_deg": 35 } })).await;
    let lines = ["98.0 W", "flat: 78.0 W", "tilt 25: 93.0 W", "that was tilt 20", "94.0"];
    let answers = session(&server, &test, &lines).await;
    assert_eq!(answers[3]["understood"]["event"], "state_correction", "{answers:?}");
    assert_eq!(answers[3]["understood"]["state"], json!({ "tilt_deg": 20.0 }));
    let tilts = async || -> Vec<f64> {
        let shown: Value = server.get(&format!("/api/v1/tests/{}", test["id"])).await.json().await.unwrap();
        shown["runs"].as_array().unwrap().iter().map(|one| one["state"]["tilt_deg"].as_f64().unwrap()).collect()
    };
    // Both readings of the visit are of 20 degrees, and 25 was never read.
    assert_eq!(tilts().await, [35.0, 0.0, 20.0]);
    let states = assessed(&server, &test).await["states"].clone();
    assert_eq!(states.as_array().unwrap().len(), 3, "{states}");
    let recorded: Value = server.get(&format!("/api/v1/tests/{}", test["id"])).await.json().await.unwrap();
    let run = |nth: usize| recorded["runs"][nth]["id"].as_i64().unwrap();
    let path = format!("/api/v1/tests/{}/runs", test["id"]);
    let right = json!({ "state": { "tilt_deg": 40 }, "uid": "put-right-01" });
    for _ in 0..2 {
        let (status, answer) = server.json(&format!("{path}/{}/state", run(0)), right.clone()).await;
        assert_eq!((status, &answer["state"]["tilt_deg"]), (201, &json!(40.0)), "{answer}");
    }
    assert_eq!(tilts().await, [40.0, 0.0, 20.0]);
    // An event that pretends to be a state, a state that is none, and a run of another test.
    let event = json!({ "what": "corrected", "text": "{}" });
    assert_eq!(server.json(&format!("{path}/{}", run(0)), event).await.0, 409);
    assert_eq!(server.json(&format!("{path}/{}/state", run(0)), json!({ "state": { "tilt_deg": "steep" } })).await.0, 422);
    assert_eq!(server.json(&format!("{path}/999/state"), right).await.0, 404);
    // By the page, with what was typed kept where it is no state.
    let page = format!("/tests/{}/states", test["id"]);
    assert!(server.page(&page).await.contains("94.0") || server.page(&page).await.contains("2 readings"));
    let second = run(1).to_string();
    let form = async |typed: &str, uid: &str| server.post(&page, &[("uid", uid), ("run", &second), ("typed", typed)]).await;
    let refused = form("frobnicated", "put-right-02").await;
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("value=\"frobnicated\""));
    assert_eq!(form("12.3 W", "put-right-03").await.status(), 422);
    assert_eq!(form("tilt 5", "put-right-04").await.status(), 303);
    assert_eq!(tilts().await, [40.0, 5.0, 20.0]);
}

/// A panel that nobody has entered yet is asked about by its tag, added on the spot, and then understood.
#[tokio::test]
async fn an_unknown_panel_is_added_on_the_spot() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1" })).await;
    let answers = session(&server, &test, &["98.0 W", "X-3 97.0 W", "frobnicated 97.0 W"]).await;
    assert_eq!((&answers[1]["answer"], &answers[1]["unknown_panel"]), (&json!("asked"), &json!("X-3")), "{answers:?}");
    assert_eq!((&answers[2]["answer"], &answers[2]["unknown_panel"]), (&json!("asked"), &Value::Null), "{answers:?}");
    let understood = server.page(&format!("/tests/{}/understood?typed=X-3+97.0+W", test["id"])).await;
    let link = format!("/panels/new?tag=X-3&amp;test={}", test["id"]);
    assert!(understood.contains(&link), "{understood}");
    let form = server.page(&link.replace("&amp;", "&")).await;
    let id = test["id"].to_string();
    assert!(form.contains("value=\"X-3\"") && form.contains(&format!("name=\"test\" value=\"{id}\"")), "{form}");
    let kinds: Value = server.get("/api/v1/panel-kinds").await.json().await.unwrap();
    let kind = kinds["items"][0]["id"].to_string();
    let fields = [("tag", "X-3"), ("state", "used"), ("kind_id", kind.as_str()), ("test", id.as_str())];
    let added = server.post("/panels", &fields).await;
    assert_eq!((added.status().as_u16(), added.headers()["location"].to_str().unwrap()), (303, format!("/tests/{id}").as_str()));
    let answers = session(&server, &test, &["98.0 W", "# a pause", "# another", "X-3 97.0 W"]).await;
    assert_eq!(answers[3]["answer"], "accepted", "{answers:?}");
}

/// The same readings in the same states as a plan: the same figures to the last digits.
#[tokio::test]
async fn a_session_is_the_plan_that_it_amounts_to() {
    let server = bench().await;
    let planned = add(
        &server,
        "tests",
        json!({ "question": "shade_cost", "panel": "S-1", "setup": { "tilt_deg": 35, "load": "load_tester" },
                "plan": { "baseline": { "shade": "none" }, "levels": [{ "shade": "one cell covered" }, { "shade": "left half shaded" }], "order": "aba" } }),
    )
    .await;
    let readings: Vec<Value> = ["150.0 W", "100.0 W", "149.0 W", "52.0 W", "148.5 W"]
        .iter()
        .zip(planned["runs"].as_array().unwrap())
        .enumerate()
        .map(|(nth, (typed, run))| {
            json!({ "uid": format!("planned-{nth:04}"), "typed": typed, "run": run["id"], "taken_utc": format!("2026-09-14T11:{:02}:00Z", nth * 2) })
        })
        .collect();
    server.json(&format!("/api/v1/tests/{}/readings", planned["id"]), json!(readings)).await;
    let open = begun(&server, json!({ "panel": "S-1", "setup": { "tilt_deg": 35, "load": "load_tester" } })).await;
    let lines = ["150.0 W", "one cell covered 100.0 W", "no shade 149.0 W", "left half shaded: 52.0 W", "back 148.5 W"];
    session(&server, &open, &lines).await;
    let (plan, session) = (assessed(&server, &planned).await, assessed(&server, &open).await);
    let answer = &session["answers"][0];
    assert_eq!(answer["question"], "shade_cost");
    for (nth, level) in plan["levels"].as_array().unwrap().iter().enumerate() {
        for name in ["percent", "u_percent", "mean"] {
            let (one, other) = (level[name].as_f64().unwrap(), answer["levels"][nth][name].as_f64().unwrap());
            assert!((one - other).abs() < 1e-9, "{name} of {nth}: {one} {other}");
        }
        assert_eq!(level["verdict"], answer["levels"][nth]["verdict"]);
    }
}

#[tokio::test]
async fn panels_alone_and_together_answer_their_sum() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1" })).await;
    let lines = ["S-1 100 W", "S-2 alone 90 W", "S-1 + S-2 parallel: 180 W", "S-1 alone: 100"];
    let answers = session(&server, &test, &lines).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "accepted"), "{answers:?}");
    let shown = assessed(&server, &test).await;
    let questions: Vec<&str> = shown["answers"].as_array().unwrap().iter().filter_map(|one| one["question"].as_str()).collect();
    assert!(questions.contains(&"unlike_together") && questions.contains(&"against_twin"), "{questions:?}");
    let sum = shown["answers"].as_array().unwrap().iter().find(|one| one["question"] == "unlike_together").unwrap();
    assert!((sum["of_sum"]["percent"].as_f64().unwrap() - 180.0 / 190.0 * 100.0).abs() < 0.5, "{sum}");
}

#[tokio::test]
async fn what_is_not_understood_is_asked_and_nothing_is_kept() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1" })).await;
    let answers = session(&server, &test, &["flat: 196", "thick lead: 98 W"]).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "asked"), "{answers:?}");
    assert_eq!(answers[0]["choices"][0], "flat: 196 W");
    assert_eq!(assessed(&server, &test).await["states"], json!([]));
    let path = format!("/api/v1/tests/{}/readings", test["id"]);
    let step = json!({ "uid": "step-line-1", "typed": "thick lead: 98 W", "as_step": true, "taken_utc": "2026-09-14T12:00:00Z" });
    assert_eq!(server.json(&path, step.clone()).await.0, 201);
    // The same again adds nothing; with another content it is refused.
    assert_eq!(server.json(&path, step.clone()).await.0, 200);
    let mut other = step;
    other["typed"] = json!("thick lead: 99 W");
    assert_eq!(server.json(&path, other).await.0, 409);
    let by_state =
        json!({ "uid": "by-state-01", "typed": "66.1 W", "state": { "tilt_deg": 0 }, "taken_utc": "2026-09-14T12:02:00Z" });
    assert_eq!(server.json(&path, by_state).await.0, 201);
    assert_eq!(assessed(&server, &test).await["states"].as_array().unwrap().len(), 2);
    let planned = server.json("/api/v1/tests", json!({ "question": "open", "panel": "S-1", "plan": {} })).await;
    assert_eq!(planned.0, 422);
}

#[tokio::test]
async fn the_next_act_is_the_one_that_brings_most() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1" })).await;
    let act = async || assessed(&server, &test).await["next"][0]["act"].as_str().unwrap().to_owned();
    assert_eq!(act().await, "Read this state");
    session(&server, &test, &["98.0 W"]).await;
    assert_eq!(act().await, "Change one thing, and read again");
    session(&server, &test, &["98.0 W", "flat: 78.0 W"]).await;
    assert_eq!(act().await, "Back to S-1 once more");
    // A change that was entered by itself is read before anything else is done.
    session(&server, &test, &["98.0 W", "flat: 78.0 W", "35\u{b0}"]).await;
    assert_eq!(act().await, "Read this state");
}

/// Flat, and one cell covered, each against the first state: the result and the report give both, as the page of the work does.
#[tokio::test]
async fn the_result_of_an_open_test_gives_every_answer() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1", "setup": { "tilt_deg": 35 } })).await;
    session(&server, &test, &["98.0 W", "flat: 78.0 W", "back: 98.2", "one cell covered: 60.0 W", "back: 98.1"]).await;
    let told: Vec<String> = assessed(&server, &test).await["answers"]
        .as_array()
        .unwrap()
        .iter()
        .map(|answer| answer["headline"].as_str().unwrap().to_owned())
        .collect();
    assert!(told.len() > 1, "{told:?}");
    for page in ["result", "report"] {
        let page = server.page(&format!("/tests/{}/{page}", test["id"])).await;
        for headline in &told {
            assert_eq!(page.matches(headline.as_str()).count(), 1, "{headline}");
        }
    }
}

/// Volts, then amps by the same dial: bare figures are of what was said last.
#[tokio::test]
async fn bare_figures_are_of_the_unit_that_was_said() {
    let server = bench().await;
    let test = add(&server, "tests", json!({"question": "open", "panel": "S-1"})).await;
    let answers = session(&server, &test, &["multimeter", "voc 21.8", "dial on amps", "5.31", "voc 21.7", "21.6"]).await;
    let read = |nth: usize| answers[nth]["understood"]["reading"].clone();
    assert_eq!((&read(3)["isc_a"], &read(5)["voc_v"]), (&json!(5.31), &json!(21.6)), "{answers:?}");
}

/// Ten panels of one kind in twelve lines: each figure by itself is of the next one, and the page says which that is.
#[tokio::test]
async fn ten_panels_are_read_one_after_the_other() {
    let server = bench().await;
    add(
        &server,
        "panels",
        json!({ "tag": "K-1..K-10", "is_used": true, "kind": { "name": "Kelp 250", "rated_w": 250, "voc_v": 37.8, "isc_a": 8.75,
                "vmp_v": 30.4, "imp_a": 8.22, "cells_in_series": 60 } }),
    )
    .await;
    let test = begun(&server, json!({ "panel": "K-1" })).await;
    let figures = ["37.2", "24.8", "0.4", "36.9", "37.0 V", "36.2", "25.1", "36.8", "12.9", "37.1"];
    let mut lines = vec!["K-1..K-10 Voc"];
    for (nth, figure) in figures.iter().enumerate() {
        session(&server, &test, &lines).await;
        let next = assessed(&server, &test).await["next"][0].clone();
        assert_eq!(next["act"], format!("Read Voc of K-{}", nth + 1), "{next}");
        lines.push(figure);
    }
    let answers = session(&server, &test, &lines).await;
    assert!(answers.iter().all(|answer| ["accepted", "already"].contains(&answer["answer"].as_str().unwrap())), "{answers:?}");
    let last = &answers[10]["understood"];
    assert_eq!((&last["state"]["panel"], &last["reading"]), (&json!(["K-10"]), &json!({ "voc_v": 37.1 })), "{last}");
    let shown = assessed(&server, &test).await;
    assert_eq!(shown["states"].as_array().unwrap().len(), 10, "{shown}");
    assert!(shown["headline"].as_str().unwrap().contains("10"), "{shown}");
    // An eleventh figure is of none of them.
    lines.push("36.5");
    let beyond = session(&server, &test, &lines).await.pop().unwrap();
    assert_eq!(beyond["answer"], "asked", "{beyond}");
    // One that was taken before the list was typed has no place in its order; with its panel it has.
    let path = format!("/api/v1/tests/{}/readings", test["id"]);
    let earlier = async |typed: &str, uid: &str| {
        let line = json!([{ "uid": uid, "typed": typed, "taken_utc": "2026-09-14T10:50:00Z" }]);
        server.json(&path, line).await.1[0]["answer"].clone()
    };
    assert_eq!(
        (earlier("36.4", "early-0001").await, earlier("K-4: 36.4", "early-0002").await),
        (json!("asked"), json!("accepted"))
    );
}

/// Nothing is named: the test begins with a panel that has a tag and no label, is compared, and is rated once its label is given.
#[tokio::test]
async fn a_test_begins_without_a_panel_and_is_rated_later() {
    let server = bench().await;
    let test = begun(&server, json!({})).await;
    assert_eq!(test["panel"], "Unnamed-1", "{test}");
    let lines = ["98.0 W 1000 W/m2 25 C", "flat: 78.0 W 800 W/m2 25 C", "back: 98.2 W 1000 W/m2 25 C"];
    let answers = session(&server, &test, &lines).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "accepted"), "{answers:?}");
    let questions = |shown: &Value| -> Vec<String> {
        shown["answers"].as_array().unwrap().iter().map(|one| one["question"].as_str().unwrap().to_owned()).collect()
    };
    let before = assessed(&server, &test).await;
    assert_eq!(questions(&before), ["flat_or_tilted"], "{before}");
    for path in ["", "/result", "/report"] {
        assert!(server.page(&format!("/tests/{}{path}", test["id"])).await.contains("Unnamed-1"), "{path}");
    }
    // The kind goes back as it was answered, and takes its label.
    let panels: Value = server.get("/api/v1/panels").await.json().await.unwrap();
    let panel = panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == "Unnamed-1").unwrap().clone();
    assert!(panel["kind"]["rated_w"].is_null() && panel["kind"]["name"] == "label not read (Unnamed-1)", "{panel}");
    let at = format!("/api/v1/panel-kinds/{}", panel["kind"]["id"]);
    let put = async |path: &str, body: &Value| {
        let sent = server.request(reqwest::Method::PUT, path).json(body).send().await.unwrap();
        (sent.status().as_u16(), sent.json::<Value>().await.unwrap())
    };
    assert_eq!(put(&at, &panel["kind"]).await.0, 200);
    let mut half = panel["kind"].clone();
    half["voc_v"] = json!(22.3);
    assert_eq!(put(&at, &half).await.1["error"]["field"], "rated_w");
    let mut labelled = panel["kind"].clone();
    (labelled["name"], labelled["rated_w"]) = (json!("Heron 100"), json!(100));
    assert_eq!(put(&at, &labelled).await.0, 200);
    let after = assessed(&server, &test).await;
    assert_eq!(questions(&after), ["flat_or_tilted", "makes_rating"], "{after}");
    let percent = after["answers"][1]["percent"].as_f64().unwrap();
    assert!((percent - 98.1).abs() < 2.0, "{after}");
    assert_eq!(before["answers"][0]["levels"][0]["percent"], after["answers"][0]["levels"][0]["percent"]);
    // A planned test, and a rating, are of something.
    let (status, refused) = server.json("/api/v1/tests", json!({ "question": "makes_rating" })).await;
    assert_eq!((status, &refused["error"]["field"]), (422, &json!("panel")));
    assert_eq!(begun(&server, json!({})).await["panel"], "Unnamed-2");
}

/// On the page: without a name, or by a tag that is new; and a panel whose label turns out to be that of a known kind takes it.
#[tokio::test]
async fn the_page_begins_with_a_panel_that_is_not_on_the_bench() {
    let server = bench().await;
    let begin = async |fields: &[(&str, &str)]| server.post("/now", fields).await;
    assert_eq!(begin(&[("tag", ""), ("label", "unread")]).await.status(), 303);
    let unknown = begin(&[("tag", "Roof-4")]).await;
    assert_eq!(unknown.status(), 422);
    let page = unknown.text().await.unwrap();
    assert!(page.contains("There is no panel") && page.contains("Begin with Roof-4, its label not read"), "{page}");
    assert_eq!(begin(&[("tag", "Roof-4"), ("label", "unread")]).await.status(), 303);
    assert_eq!(begin(&[("tag", "A|B"), ("label", "unread")]).await.status(), 422);
    let panels: Value = server.get("/api/v1/panels").await.json().await.unwrap();
    let of = |tag: &str| panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == tag).cloned();
    let (unnamed, roof, known) = (of("Unnamed-1").unwrap(), of("Roof-4").unwrap(), of("S-1").unwrap());
    // Only its tag is changed: no label is asked for.
    let form = |tag: &'static str, kind: String| {
        [("tag", tag.to_owned()), ("state", "used".to_owned()), ("technology", "mono".to_owned()), ("kind_id", kind)]
    };
    let change = async |panel: &Value, tag: &'static str, kind: String| {
        let fields = form(tag, kind);
        let fields: Vec<(&str, &str)> = fields.iter().map(|(name, text)| (*name, text.as_str())).collect();
        server.post(&format!("/panels/{}", panel["id"]), &fields).await.status()
    };
    assert_eq!(change(&unnamed, "Shed-1", String::new()).await, 303);
    assert_eq!(change(&roof, "Roof-4", known["kind"]["id"].to_string()).await, 303);
    let panels: Value = server.get("/api/v1/panels").await.json().await.unwrap();
    let of = |tag: &str| panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == tag).cloned();
    assert!(of("Shed-1").unwrap()["kind"]["rated_w"].is_null() && of("Unnamed-1").is_none());
    assert_eq!(of("Roof-4").unwrap()["kind"], known["kind"]);
    let kinds: Value = server.get("/api/v1/panel-kinds").await.json().await.unwrap();
    let names: Vec<&str> = kinds["items"].as_array().unwrap().iter().map(|kind| kind["name"].as_str().unwrap()).collect();
    assert!(names.contains(&"label not read (Unnamed-1)") && !names.contains(&"label not read (Roof-4)"), "{names:?}");
    // Another panel keeps its kind.
    assert_eq!(change(&known, "S-1", of("Shed-1").unwrap()["kind"]["id"].to_string()).await, 422);
}

/// Two rigs side by side are two states open at once: a line that names one is of the state in which that one stands.
#[tokio::test]
async fn two_rigs_stand_beside_each_other_each_in_its_own_state() {
    let server = bench().await;
    for (name, wiring) in [("Cart", "S-1"), ("Shed", "S-2")] {
        add(&server, "rigs", json!({ "name": name, "wiring": wiring })).await;
    }
    let test = begun(&server, json!({ "rig": "Cart" })).await;
    let lines = ["tilt 20: 98.0 W", "Shed, tilt 45: 84.0 W", "Cart: 98.2 W", "Shed 84.1 W"];
    let answers = session(&server, &test, &lines).await;
    assert!(answers.iter().all(|answer| answer["answer"] == "accepted"), "{answers:?}");
    let runs: Value = server.get(&format!("/api/v1/tests/{}", test["id"])).await.json().await.unwrap();
    let tilts: Vec<&Value> = runs["runs"].as_array().unwrap().iter().map(|run| &run["state"]["tilt_deg"]).collect();
    let read: Vec<f64> = tilts.iter().filter_map(|tilt| tilt.as_f64()).collect();
    assert_eq!(read, [20.0, 45.0, 20.0, 45.0], "{runs}");
    let page = server.page(&format!("/tests/{}", test["id"])).await;
    assert!(page.contains("Beside it: Cart") && page.contains("data-send=\"Cart\""), "{page}");
    assert_eq!(assessed(&server, &test).await["states"].as_array().unwrap().len(), 2);
}

/// A reading in the list of an open test is corrected by its line: other figures of the same state; another state is told, not taken.
#[tokio::test]
async fn a_reading_of_an_open_test_is_corrected_in_its_list() {
    let server = bench().await;
    let test = begun(&server, json!({ "panel": "S-1", "setup": { "tilt_deg": 35 } })).await;
    session(&server, &test, &["98.0 W", "flat: 87.0 W", "back: 98.2"]).await;
    let path = |uid: &str| format!("/tests/{}/readings/{uid}/correct", test["id"]);
    let uid = format!("line-{}-0001", test["id"]);
    let correct = |typed: &'static str, own: &'static str| {
        let (server, path) = (&server, path(&uid));
        async move { server.post(&path, &[("uid", own), ("typed", typed), ("reason", "swapped digits")]).await }
    };
    for (typed, own, says) in [
        ("tilt 10: 78.0 W", "correction-one", "another state"),
        ("cleaned it", "correction-two", "another state"),
        ("flat", "correction-six", "no figure"),
        ("wobbly 78 frobs", "correction-ten", "no figure"),
    ] {
        let refused = correct(typed, own).await;
        assert_eq!(refused.status(), 422, "{typed}");
        let text = refused.text().await.unwrap();
        assert!(text.contains(says), "{typed}: {text}");
    }
    // Bare, it is of what it was of.
    assert_eq!(correct("78.0", "correction-ok").await.status(), 303);
    let percent = assessed(&server, &test).await["answers"][0]["levels"][0]["percent"].as_f64().unwrap();
    assert!((percent - 78.0 / 98.1 * 100.0).abs() < 0.3, "{percent}");
}
