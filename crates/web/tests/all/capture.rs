//! Logging readings over HTTP.

use crate::server::Server;

const LINE: &str = "18.4 V 8.5 A 880 W/m2 49 C";
const READINGS: &str = "/api/v1/tests/1/readings";

fn reading<'a>(uid: &'a str, typed: &'a str) -> [(&'a str, &'a str); 3] {
    [("uid", uid), ("typed", typed), ("taken_utc", "2026-09-12T12:50:00.123Z")]
}

#[tokio::test]
async fn a_reading_sent_twice_is_logged_once() {
    let server = Server::demo().await;
    let before = server.store.readings(1).await.unwrap().len();
    assert_eq!(server.post(READINGS, &reading("aaaaaaaa", LINE)).await.status(), 201);
    assert_eq!(server.post(READINGS, &reading("aaaaaaaa", LINE)).await.status(), 200);
    let readings = server.store.readings(1).await.unwrap();
    assert_eq!(readings.len(), before + 1);
    let last = &readings.last().unwrap().what;
    assert_eq!((last.typed.as_str(), last.taken_utc.to_string().as_str()), (LINE, "2026-09-12T12:50:00Z"));
}

#[tokio::test]
async fn a_time_in_the_line_is_of_that_day_at_the_bench() {
    let server = Server::demo().await;
    server.post(READINGS, &reading("aaaaaaaa", "80 W @14:05")).await;
    let last = server.store.readings(1).await.unwrap().pop().unwrap();
    assert_eq!(last.what.taken_utc.to_string(), "2026-09-12T13:05:00Z", "Lisbon is an hour ahead in summer");
}

#[tokio::test]
async fn what_cannot_be_logged_says_why_and_is_not_kept() {
    let server = Server::demo().await;
    let before = server.store.readings(1).await.unwrap().len();
    for (uid, typed, taken, sentence) in [
        ("aaaaaaaa", "18.4", "2026-09-12T12:50:00Z", "18.4 has no unit"),
        ("aaaaaaaa", "", "2026-09-12T12:50:00Z", "Nothing to log yet"),
        ("short", LINE, "2026-09-12T12:50:00Z", "identity"),
        ("aaaaaaaa", LINE, "yesterday", "is not a time"),
        ("aaaaaaaa", LINE, "2999-01-01T00:00:00Z", "is in the future"),
    ] {
        let response = server.post(READINGS, &[("uid", uid), ("typed", typed), ("taken_utc", taken)]).await;
        assert_eq!(response.status(), 422, "{sentence}");
        let body: serde_json::Value = response.json().await.unwrap();
        assert!(body["error"]["message"].as_str().unwrap().contains(sentence), "{body}");
    }
    assert_eq!(server.post("/api/v1/tests/99/readings", &reading("aaaaaaaa", LINE)).await.status(), 404);
    assert_eq!(server.post("/api/v1/tests/2/readings", &reading("aaaaaaaa", LINE)).await.status(), 201);
    assert_eq!(server.post(READINGS, &reading("aaaaaaaa", LINE)).await.status(), 409, "the identity belongs to another test");
    assert_eq!(server.store.readings(1).await.unwrap().len(), before);
}

#[tokio::test]
async fn what_was_understood_is_shown_with_its_doubts() {
    let server = Server::demo().await;
    let shown = |typed: &'static str| {
        let server = &server;
        async move { server.page(&format!("/tests/1/understood?typed={}", typed.replace(' ', "%20").replace('#', "%23"))).await }
    };
    let sound = shown(LINE).await;
    assert!(sound.contains("156.4") && sound.contains("back temperature"), "{sound}");
    assert!(shown("18.4 V 8.5 A 650 W/m2 49 C").await.contains("a rating needs 700"));
    assert!(shown("24.3 V 10.4 A 1000 W/m2 25 C").await.contains("no watts in this line"), "Voc times Isc is no power");
    assert!(!shown("24.3 V 10.4 A 1000 W/m2 25 C").await.contains("252.7"));
    assert!(shown("18.4 V 8.5").await.contains("8.5 has no unit"));
    assert!(shown("<script>").await.contains("&#60;"), "typed text is never markup");
}

#[tokio::test]
async fn a_correction_and_an_undo_are_revisions_and_are_sent_once() {
    let server = Server::demo().await;
    server.post(READINGS, &reading("aaaaaaaa", "184 V 8.5 A 880 W/m2 49 C")).await;
    let before = server.store.readings(1).await.unwrap().len();
    let correction = [("uid", "bbbbbbbb"), ("typed", LINE), ("reason", "decimal point")];
    for _ in 0..2 {
        assert_eq!(server.post("/tests/1/readings/aaaaaaaa/correct", &correction).await.status(), 303);
        assert_eq!(server.post("/tests/1/readings/bbbbbbbb/withdraw", &[("uid", "cccccccc")]).await.status(), 303);
    }
    assert_eq!(server.store.readings(1).await.unwrap().len(), before + 2);
    let late = server.post("/tests/1/readings/aaaaaaaa/correct", &[("uid", "dddddddd"), ("typed", LINE)]).await;
    assert_eq!(late.status(), 409);
    assert!(late.text().await.unwrap().contains("changed elsewhere"));
    assert_eq!(server.post("/tests/1/readings/none0000/withdraw", &[("uid", "eeeeeeee")]).await.status(), 404);
    let page = server.page("/tests/1").await;
    assert!(page.contains("<s>184") && page.contains("decimal point") && page.contains("withdrawn"));
}
