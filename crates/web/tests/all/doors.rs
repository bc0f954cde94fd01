//! The same bounds at every door: JSON, forms, tables. Both sides of each.

use crate::jobs::bench;
use crate::server::Server;
use serde_json::{Value, json};

fn reading(uid: &str, field: &str, value: Value) -> Value {
    let mut body = json!({"uid": uid, "taken_utc": "2026-06-21T11:20:00Z", "voltage_v": "18.40", "current_a": "5.60"});
    body[field] = value;
    body
}

async fn table(server: &Server, row: &str) -> (u16, String) {
    let text = format!("taken_utc,voltage_v,voltage_v_step,note\n{row}\n");
    let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::text(text).file_name("a.csv"));
    let answer = server.request(reqwest::Method::POST, "/tests/1/import").multipart(form).send().await.unwrap();
    (answer.status().as_u16(), answer.text().await.unwrap())
}

#[tokio::test]
async fn times_notes_and_steps_have_one_bound_at_every_door() {
    let server = bench().await;
    let test = json!({"question": "makes_rating", "panel": "S-1"});
    assert_eq!(server.json("/api/v1/tests", test.clone()).await.0, 201);
    let (fits, too_long) = ("n".repeat(2000), "n".repeat(2001));
    // By JSON: one at a time, and in an array, where only the one at fault is refused.
    for (nth, (field, value, is_sound)) in [
        ("note", json!(fits), true),
        ("note", json!(too_long), false),
        ("taken_utc", json!("1970-01-01T00:00:00Z"), true),
        ("taken_utc", json!("1969-12-31T23:59:59Z"), false),
        ("voltage_v", json!({"low": 18.4, "step": 150}), true),
        ("voltage_v", json!({"low": 18.4, "step": 151}), false),
    ]
    .into_iter()
    .enumerate()
    {
        let body = reading(&format!("reading-{nth:04}"), field, value);
        let (status, answer) = server.json("/api/v1/tests/1/readings", body.clone()).await;
        assert_eq!(status, if is_sound { 201 } else { 422 }, "{field}: {answer}");
        if !is_sound {
            assert_eq!(answer["error"]["field"], field);
            let (_, answers) = server.json("/api/v1/tests/1/readings", json!([body])).await;
            assert_eq!((&answers[0]["answer"], &answers[0]["error"]["field"]), (&json!("refused"), &json!(field)), "{answers}");
        }
    }
    // By a table.
    for (row, is_sound, column) in [
        (format!("2026-06-21T11:30:00Z,18.4,150,{fits}"), true, ""),
        (format!("2026-06-21T11:31:00Z,18.4,0.1,{too_long}"), false, "note"),
        ("1969-12-31T23:59:59Z,18.4,0.1,".to_owned(), false, "taken_utc"),
        ("2026-06-21T11:32:00Z,18.4,151,".to_owned(), false, "voltage_v"),
    ] {
        let (status, page) = table(&server, &row).await;
        assert_eq!(status, if is_sound { 200 } else { 422 }, "{column}");
        assert!(is_sound || page.contains(&format!("Line 2, column {column}")), "{column}: {page}");
    }
    // A plan, by JSON and by its form; the days of the pages.
    let plan = |start: &str| json!({"question": "shade_cost", "panel": "S-1", "plan": {"levels": [{"shade": "one cell"}], "order": "aba", "start_utc": start}});
    assert_eq!(server.json("/api/v1/tests", plan("2100-12-31T12:00:00Z")).await.0, 201);
    let (status, answer) = server.json("/api/v1/tests", plan("2101-01-01T12:00:00Z")).await;
    assert_eq!((status, &answer["error"]["field"]), (422, &json!("plan.start_utc")), "{answer}");
    let form = [("panel_id", "1"), ("baseline", "none"), ("levels", "one cell"), ("order", "aba"), ("start", "2101-01-01T12:00")];
    assert_eq!(server.post("/plan/shade_cost", &form).await.status(), 422);
    for (page, status) in [("/today?date=2100-12-31", 200), ("/today?date=2101-01-01", 422), ("/today?date=1969-12-31", 422)] {
        assert_eq!(server.get(page).await.status(), status, "{page}");
    }
    assert!(server.page("/shadow?date=2101-01-01").await.contains("is not a date of 1970 to 2100"));
}

/// A recording for a test that is not there, and a photo for a run that is not: told as such, and nothing is kept.
#[tokio::test]
async fn what_is_bound_to_nothing_is_not_found() {
    let server = Server::demo().await;
    let meter = server.store.gear().await.unwrap().into_iter().find(|row| row.draft.kind.name() == "meter").unwrap().id;
    let logs = server.store.count_logs().await.unwrap();
    let record = server.post(&format!("/meters/{meter}/record"), &[("test", "9999")]).await;
    assert_eq!(record.status(), 404);
    assert_eq!(server.store.count_logs().await.unwrap(), logs);
    let mut png = std::io::Cursor::new(Vec::new());
    image::DynamicImage::new_luma8(8, 8).write_to(&mut png, image::ImageFormat::Png).unwrap();
    let part = reqwest::multipart::Part::bytes(png.into_inner()).file_name("a.png");
    let form = reqwest::multipart::Form::new().text("run", "9999").part("file", part);
    let photo = server.request(reqwest::Method::POST, "/tests/1/photos").multipart(form).send().await.unwrap();
    assert_eq!(photo.status(), 404);
    assert!(server.store.photos(1).await.unwrap().is_empty());
}

/// Readings are read back in parts, corrected, withdrawn and restored by programs, each as a row of its own; whoever corrects a row that was
/// replaced meanwhile is told.
#[tokio::test]
async fn programs_read_and_revise_readings() {
    use serde_json::{Value, json};
    let server = Server::demo().await;
    let part =
        async |query: &str| -> Value { server.get(&format!("/api/v1/tests/1/readings{query}")).await.json().await.unwrap() };
    let whole = part("").await;
    let items = whole["items"].as_array().unwrap();
    assert!(items.len() == 6 && whole["next"].is_null(), "{whole}");
    let corrected = items.iter().find(|item| !item["replaces"].is_null()).unwrap();
    assert_eq!((&corrected["figures"]["current_a"], &corrected["reason"]), (&json!(8.49), &json!("decimal point")));
    let (mut found, mut query) = (Vec::new(), "?most=4".to_owned());
    loop {
        let part = part(&query).await;
        found.extend(part["items"].as_array().unwrap().clone());
        let Some(next) = part["next"].as_i64() else { break };
        query = format!("?most=4&after={next}");
    }
    assert_eq!(&found, items);
    assert_eq!(server.get("/api/v1/tests/1/readings?most=0").await.status(), 422);
    assert_eq!(server.get("/api/v1/tests/99/readings").await.status(), 404);
    let first = items[0]["uid"].as_str().unwrap().to_owned();
    let revise = async |of: &str, body: Value| server.json(&format!("/api/v1/tests/1/readings/{of}/revisions"), body).await;
    let line = json!({"uid": "revision-0001", "typed": "18.49 V 8.20 A 862 W/m2 47.5 C", "reason": "misread"});
    assert_eq!(revise(&first, line.clone()).await.0, 201);
    assert_eq!(revise(&first, line).await, (200, json!({"uid": "revision-0001", "answer": "already"})));
    let late = json!({"uid": "revision-0002", "typed": "18.49 V 8.30 A 862 W/m2 47.5 C", "reason": "late"});
    assert_eq!(revise(&first, late).await.0, 409);
    assert_eq!(revise("revision-0001", json!({"uid": "revision-0003", "withdrawn": true, "reason": "shaded"})).await.0, 201);
    assert_eq!(revise("revision-0003", json!({"uid": "revision-0004", "withdrawn": false, "reason": "it was not"})).await.0, 201);
    let rows = part("").await;
    let last: Vec<&Value> = rows["items"].as_array().unwrap().iter().rev().take(3).collect();
    assert_eq!(last.iter().map(|row| row["withdrawn"].as_bool().unwrap()).collect::<Vec<_>>(), [false, true, false]);
    assert_eq!(last[0]["figures"]["current_a"], json!(8.2));
    for (of, body) in [
        (first.as_str(), json!({"uid": "revision-0005", "reason": "nothing"})),
        (first.as_str(), json!({"uid": "revision-0005", "typed": "18 V", "withdrawn": true, "reason": "both"})),
        (first.as_str(), json!({"uid": "revision-0005", "typed": "18 V 8 A", "reason": " "})),
        (first.as_str(), json!({"uid": "revision-0005", "typed": "eighteen", "reason": "words"})),
        (first.as_str(), json!({"uid": "revision-0005", "typed": "18 V 8 A", "reason": "x", "why": 1})),
    ] {
        assert_eq!(revise(of, body.clone()).await.0, 422, "{body}");
    }
    assert_eq!(revise("nobody", json!({"uid": "revision-0006", "withdrawn": true, "reason": "x"})).await.0, 404);
}
