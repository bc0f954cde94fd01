//! Two people at one record: the second sees what the first did, and keeps what was typed.

use crate::server::Server;

/// The fields of a form as it stands on a page, hidden ones too.
fn fields(page: &str) -> Vec<(String, String)> {
    let forms = || page.split("class=\"sheet-form").skip(1).map(|form| form.split("</form>").next().unwrap());
    let form = forms().find(|form| form.contains("name=\"version\"")).or_else(|| forms().next()).unwrap();
    let attribute = |tag: &str, name: &str| -> Option<String> {
        Some(tag.split(&format!("{name}=\"")).nth(1)?.split('"').next()?.replace("&#34;", "\"").replace("&#38;", "&"))
    };
    let mut found = Vec::new();
    for tag in form.split("<input").skip(1).map(|part| part.split('>').next().unwrap()) {
        let is_left = tag.contains("type=\"checkbox\"") || tag.contains("type=\"radio\"");
        if !is_left || tag.contains("checked") {
            found.extend(attribute(tag, "name").map(|name| (name, attribute(tag, "value").unwrap_or_default())));
        }
    }
    for select in form.split("<select").skip(1).map(|part| part.split("</select>").next().unwrap()) {
        let chosen = select.split("<option").find(|option| option.contains("selected"));
        let chosen = chosen.or_else(|| select.split("<option").nth(1)).and_then(|option| attribute(option, "value"));
        found.extend(attribute(select, "name").map(|name| (name, chosen.unwrap_or_default())));
    }
    for area in form.split("<textarea").skip(1) {
        let text = area.split_once('>').unwrap().1.split("</textarea>").next().unwrap().to_owned();
        found.extend(attribute(area, "name").map(|name| (name, text)));
    }
    found
}

fn with(mut fields: Vec<(String, String)>, name: &str, text: &str) -> Vec<(String, String)> {
    fields.retain(|(field, _)| field != name);
    fields.push((name.to_owned(), text.to_owned()));
    fields
}

async fn send(server: &Server, path: &str, fields: &[(String, String)]) -> (u16, String) {
    let answer = server.request(reqwest::Method::POST, path).form(fields).send().await.unwrap();
    (answer.status().as_u16(), answer.text().await.unwrap())
}

/// Two open the same form; the first saves; the second is shown both, and saves again on purpose.
#[tokio::test]
async fn a_form_filled_from_an_older_state_shows_both_and_keeps_what_was_typed() {
    let server = Server::demo().await;
    for (edit, path, field, first, second) in [
        ("/panels/1/edit", "/panels/1", "provenance", "from a roof", "from a farm"),
        ("/gear/1/edit", "/gear/1", "notes", "new fuse", "old fuse"),
        ("/tests/1/edit", "/tests/1", "tilt_deg", "31", "33"),
        ("/places/1/edit", "/places/1", "elevation_m", "301", "305"),
        ("/rigs/1", "/rigs/1", "name", "Pump one", "Pump two"),
    ] {
        let form = fields(&server.page(edit).await);
        assert!(form.iter().any(|(name, _)| name == "version"), "{edit}");
        let (saved, page) = send(&server, path, &with(form.clone(), field, first)).await;
        assert_eq!(saved, 303, "{path}: {page}");
        let (status, page) = send(&server, path, &with(form, field, second)).await;
        assert_eq!(status, 422, "{path}");
        assert!(page.contains(first) && page.contains(second), "{path} shows both");
        let again = fields(&page);
        assert_eq!(send(&server, path, &again).await.0, 303, "{path} saved on purpose");
        assert!(server.page(edit).await.contains(second), "{path}");
    }
}

/// Two edits at the same instant: one is saved, the other is shown it, every time.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn of_two_edits_at_once_one_is_saved_and_one_is_told() {
    let server = Server::demo().await;
    for (edit, path, field, first, second) in [
        ("/panels/1/edit", "/panels/1", "provenance", "from a roof", "from a farm"),
        ("/gear/1/edit", "/gear/1", "notes", "new fuse", "old fuse"),
        ("/tests/1/edit", "/tests/1", "tilt_deg", "31", "33"),
        ("/places/1/edit", "/places/1", "elevation_m", "301", "305"),
        ("/rigs/1", "/rigs/1", "name", "Pump one", "Pump two"),
        ("/bench", "/bench", "name", "Shed", "Barn"),
        ("/logs/1", "/logs/1", "ahead_min", "1", "20"),
    ] {
        for round in 0..6 {
            let form = fields(&server.page(edit).await);
            // What nobody wrote before: text differs by round, figures by their size.
            let other = |text: &str| {
                text.parse().map_or(format!("{text} {round}"), |figure: f64| (figure + f64::from(round)).to_string())
            };
            let (one, another) = (with(form.clone(), field, &other(first)), with(form, field, &other(second)));
            let (a, b) = tokio::join!(send(&server, path, &one), send(&server, path, &another));
            let mut answered = [a.0, b.0];
            answered.sort_unstable();
            assert_eq!(answered, [303, 422], "{path}, round {round}");
        }
    }
}

/// Begin and repeat pressed on two devices at once: one of them counts.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn of_two_presses_at_once_one_counts() {
    let server = Server::demo().await;
    let plan = serde_json::json!({ "question": "flat_or_tilted", "panel": "S-1", "plan": {
        "baseline": { "tilt_deg": 0 }, "levels": [{ "tilt_deg": 35 }], "order": "aba", "settle_s": 0 } });
    let pool = sqlx::SqlitePool::connect(&format!("sqlite:{}", server.path().display())).await.unwrap();
    for round in 0..6 {
        let (status, made) = server.json("/api/v1/tests", plan.clone()).await;
        assert_eq!(status, 201, "{made}");
        let id = &made["id"];
        let runs = || async {
            server.get(&format!("/api/v1/tests/{id}")).await.json::<serde_json::Value>().await.unwrap()["runs"].clone()
        };
        let run = runs().await[0]["id"].to_string();
        let press = async |path: &str, uid: &str, run: &str| {
            let uid = &format!("{uid}-{round}");
            server.post(&format!("/tests/{id}/{path}"), &[("uid", uid), ("run", run), ("act", "begin")]).await.status()
        };
        tokio::join!(press("next", "aaaaaaaa", &run), press("next", "bbbbbbbb", &run));
        let sql = "SELECT count(*) FROM run_events e JOIN runs r ON r.id = e.run_id WHERE e.what = 'begun' AND r.test_id = ?";
        let begun: i64 = sqlx::query_scalar(sql).bind(id.as_i64()).fetch_one(&pool).await.unwrap();
        assert_eq!(begun, 1);
        tokio::join!(press("repeat", "cccccccc", &run), press("repeat", "dddddddd", &run));
        assert_eq!(runs().await.as_array().unwrap().len(), 4);
    }
}

/// A second correction is shown the first, and its own line is kept in a form for the reading as it stands.
#[tokio::test]
async fn corrections_that_meet_are_shown_to_each_other() {
    let server = Server::demo().await;
    let first = [("uid", "aaaaaaaa"), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
    server.post("/api/v1/tests/1/readings", &first).await;
    let correct = async |of: &str, uid: &str, line: &str| {
        let form = [("uid", uid), ("typed", line), ("reason", "slip")];
        let answer = server.post(&format!("/tests/1/readings/{of}/correct"), &form).await;
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    assert_eq!(correct("aaaaaaaa", "bbbbbbbb", "18.6 V 8.5 A 880 W/m2 49 C").await.0, 303);
    let (status, page) = correct("aaaaaaaa", "cccccccc", "18.7 V 8.5 A 880 W/m2 49 C").await;
    assert_eq!(status, 409);
    assert!(page.contains("18.60") || page.contains("18.6\u{a0}V"), "the first one");
    assert!(page.contains("18.7 V 8.5 A") && page.contains("/tests/1/readings/bbbbbbbb/correct"), "{page}");
    // A line that is not understood is kept as well.
    let (status, page) = correct("bbbbbbbb", "dddddddd", "18.7 V 8.5").await;
    assert_eq!(status, 422);
    assert!(page.contains("value=\"18.7 V 8.5\"") && page.contains("has no unit"), "{page}");
    assert_eq!(correct("bbbbbbbb", "eeeeeeee", "18.7 V 8.5 A 880 W/m2 49 C").await.0, 303);
}

/// An edit that turns answers is told which, keeps what was typed, and is saved when it is sent again; one that turns none is saved at once.
#[tokio::test]
async fn an_edit_says_which_answers_it_changes_before_it_is_saved() {
    let server = Server::demo().await;
    let headline = async || -> String {
        let answer: serde_json::Value = server.get("/api/v1/tests/1/assessment").await.json().await.unwrap();
        answer["headline"].as_str().unwrap().to_owned()
    };
    let before = headline().await;
    let form = with(fields(&server.page("/panels/1/edit").await), "notes", "For the seed cold-room, north wall.");
    let (status, page) = send(&server, "/panels/1", &form).await;
    assert_eq!(status, 303, "a note turns nothing: {page}");
    let (edit, path) = ("/panels/1/edit", "/panels/1");
    let form = with(with(with(fields(&server.page(edit).await), "rated_w", "230"), "imp_a", "11.28"), "isc_a", "11.96");
    let (status, page) = send(&server, path, &form).await;
    assert!(status == 422 && page.contains("Saving changes the answers of "), "{status}: {page}");
    assert!(page.contains("S-1, 2026-09-12: ") && page.contains("of 200\u{a0}W") && page.contains("of 230\u{a0}W"), "{page}");
    assert_eq!(headline().await, before, "nothing is saved yet");
    let again = fields(&page);
    assert!(again.contains(&("rated_w".to_owned(), "230".to_owned())));
    // Another edit than the one that was told is told too.
    let (status, _) = send(&server, path, &with(again.clone(), "rated_w", "231")).await;
    assert_eq!(status, 422);
    assert_eq!(send(&server, path, &again).await.0, 303);
    assert_ne!(headline().await, before);
    // A place: another longitude is another course of the sun.
    let form = with(fields(&server.page("/places/1/edit").await), "lon_deg", "24.5");
    let (status, page) = send(&server, "/places/1", &form).await;
    assert!(status == 422 && page.contains("Saving changes"), "{status}");
    assert_eq!(send(&server, "/places/1", &fields(&page)).await.0, 303);
}
