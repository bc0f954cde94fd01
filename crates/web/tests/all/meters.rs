//! Live meters on the real server: shown, taken, recorded; silent, cut, and found again.

use crate::server::Server;
use serde_json::json;
use std::time::Duration;
use tokio::io::AsyncWriteExt;
use tokio::net::TcpListener;

/// A logger that sends a line each 50 ms while it is told to, and answers whoever comes.
struct Logger {
    address: String,
    serving: tokio::task::JoinHandle<()>,
}

impl Logger {
    async fn at(address: &str, volts: f64) -> Self {
        let listener = TcpListener::bind(address).await.unwrap();
        let address = listener.local_addr().unwrap().to_string();
        let serving = tokio::spawn(async move {
            loop {
                let (mut stream, _) = listener.accept().await.unwrap();
                stream.write_all(b"voltage_v,current_a\n").await.unwrap();
                while stream.write_all(format!("{volts},5.60\n").as_bytes()).await.is_ok() {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
            }
        });
        Logger { address, serving }
    }
}

async fn with_meter(logger: &Logger) -> (Server, i64) {
    let server = Server::demo().await;
    let fields = [
        ("gear_kind", "meter"),
        ("name", "Yard logger"),
        ("kind", "in_line"),
        ("speaks", "lines"),
        ("address", &logger.address),
        ("volts_step_v", "0.1"),
    ];
    assert_eq!(server.post("/gear", &fields).await.status(), 303);
    let id = server.store.gear().await.unwrap().into_iter().find(|row| row.draft.name == "Yard logger").unwrap().id;
    (server, id)
}

/// Asks a page again until it says something.
async fn until(server: &Server, path: &str, told: &str) -> String {
    for _ in 0..200 {
        let page = server.page(path).await;
        if page.contains(told) {
            return page;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("{path} never said {told}");
}

#[tokio::test]
async fn one_key_takes_what_is_shown_and_a_silent_meter_is_never_logged_as_new() {
    let logger = Logger::at("127.0.0.1:0", 18.4).await;
    let (server, id) = with_meter(&logger).await;
    until(&server, "/meters", "18.40\u{a0}V").await;
    let meter = id.to_string();

    let form = |uid: &str| vec![("meter".to_owned(), meter.clone()), ("uid".to_owned(), uid.to_owned())];
    let send = async |uid: &str| server.request(reqwest::Method::POST, "/tests/3/take").form(&form(uid)).send().await.unwrap();
    assert_eq!(send("taken-00000001").await.status(), 303);
    let page = server.page("/tests/3").await;
    assert!(page.contains("from Yard logger") && page.contains("103.0\u{a0}W"));
    let before = server.store.readings(3).await.unwrap().len();
    logger.serving.abort();
    until(&server, "/meters", "lost: ").await;
    let refused = send("taken-00000002").await;
    assert_eq!(refused.status(), 422);
    assert_eq!(server.store.readings(3).await.unwrap().len(), before);
    // It comes back at the same place, and is found.
    let _again = Logger::at(&logger.address, 19.5).await;
    until(&server, "/meters", "19.50\u{a0}V").await;
    assert_eq!(send("taken-00000003").await.status(), 303);
    // The same by a program.
    let take = async |body: serde_json::Value| server.json("/api/v1/tests/3/take", body).await;
    let mut taken = (0, json!(null));
    for _ in 0..200 {
        taken = take(json!({"meter": id, "uid": "taken-00000004"})).await;
        if taken.0 == 201 {
            break;
        }
        // Nothing new has come from the meter yet.
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let (status, answer) = taken;
    assert_eq!((status, &answer), (201, &json!({"test": 3, "answer": "accepted"})));
    assert_eq!(server.store.readings(3).await.unwrap().len(), before + 2);
    for (body, wanted) in [
        (json!({}), 422),
        (json!({"meter": "Yard logger"}), 422),
        (json!({"meter": 9999}), 404),
        (json!({"meter": id, "run": 9999}), 422),
        (json!({"meter": id, "uid": "short"}), 422),
    ] {
        assert_eq!(take(body.clone()).await.0, wanted, "{body}");
    }
    server.stop().await;
}

/// A recording that was begun in a run ends with it, and the same meter records the next run into a log of its own.
#[tokio::test]
async fn a_recording_ends_with_its_run_and_the_next_run_has_its_own() {
    let logger = Logger::at("127.0.0.1:0", 18.4).await;
    let (server, id) = with_meter(&logger).await;
    until(&server, "/meters", "18.40\u{a0}V").await;
    let body = serde_json::json!({"question": "how_much_in_a_day", "panel": "S-1", "setup": {"tilt_deg": 30, "azimuth_deg": 180,
        "load": "tracking_controller", "sun": "nothing", "cell_temperature": "nothing"},
        "plan": {"baseline": {"load": "Lathe 30"}, "levels": [{"load": "Gimlet 20"}], "order": "totals", "times": 1}});
    let (status, test) = server.json("/api/v1/tests", body).await;
    assert_eq!(status, 201, "{test}");
    let test_id = test["id"].as_i64().unwrap();
    let runs: Vec<i64> = test["runs"].as_array().unwrap().iter().map(|run| run["id"].as_i64().unwrap()).collect();
    let next = format!("/tests/{test_id}/next");
    assert_eq!(server.post(&next, &[("act", "begin"), ("uid", "pressed-0000")]).await.status(), 303);
    let of_test = test_id.to_string();
    assert_eq!(server.post(&format!("/meters/{id}/record"), &[("test", &of_test)]).await.status(), 303);
    recorded(&server, 10).await;
    assert_eq!(server.post(&next, &[("act", "end"), ("uid", "pressed-0001")]).await.status(), 303);
    let logs = server.store.logs_of_test(test_id).await.unwrap();
    let told: Vec<(Option<i64>, bool)> = logs.iter().map(|log| (log.run_id, log.ended_utc.is_some())).collect();
    assert_eq!(told, [(Some(runs[0]), true), (Some(runs[1]), false)]);
    assert!(logs[0].samples > 10, "{logs:?}");
    tokio::time::sleep(Duration::from_millis(300)).await;
    assert_eq!(server.post(&next, &[("act", "end"), ("uid", "pressed-0002")]).await.status(), 303);
    let last = server.store.logs_of_test(test_id).await.unwrap();
    assert!(last.len() == 2 && last[1].ended_utc.is_some(), "{last:?}");
    server.stop().await;
}

/// The logs, once the newest has more samples than these: what a busy machine needs for that is no matter.
async fn recorded(server: &Server, more_than: i64) -> Vec<flindo_store::LogRow> {
    for _ in 0..200 {
        let logs = server.store.logs(0, 50).await.unwrap();
        if logs[0].samples > more_than {
            return logs;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("no more than {more_than} samples in 20 s")
}

#[tokio::test]
async fn a_log_is_recorded_with_no_page_open() {
    let logger = Logger::at("127.0.0.1:0", 18.4).await;
    let (server, id) = with_meter(&logger).await;
    until(&server, "/meters", "18.40\u{a0}V").await;
    assert_eq!(server.post(&format!("/meters/{id}/record"), &[]).await.status(), 303);
    assert_eq!(server.post(&format!("/meters/{id}/record"), &[]).await.status(), 303, "it goes on");
    let logs = recorded(&server, 20).await;
    assert_eq!(logs.len(), 3, "{logs:?}");
    assert!(server.page("/meters").await.contains("Stop recording"));
    let page = server.page(&format!("/logs/{}", logs[0].id)).await;
    assert!(page.contains("day-chart") && page.contains("Voltage, V"));
    assert_eq!(server.post(&format!("/meters/{id}/stop"), &[]).await.status(), 303);
    let log = server.store.log(logs[0].id).await.unwrap();
    assert!(log.ended_utc.is_some());
    let table = server.get(&format!("/logs/{}/samples.csv", log.id)).await.text().await.unwrap();
    assert_eq!(table.lines().next(), Some("time_utc,voltage_v,current_a"));
    let cells: usize = table.lines().skip(1).map(|line| line.split(',').skip(1).filter(|cell| !cell.is_empty()).count()).sum();
    assert_eq!(cells as i64, log.samples);
    assert_eq!(server.post("/meters/999/record", &[]).await.status(), 404);
    server.stop().await;
}

#[tokio::test]
async fn a_page_hears_of_a_reading_from_elsewhere() {
    let server = Server::demo().await;
    let mut stream = server.get("/tests/3/events").await;
    assert!(stream.headers()["content-type"].to_str().unwrap().starts_with("text/event-stream"));
    let run = server.store.runs(3).await.unwrap()[7].id.to_string();
    let form =
        [("uid", "elsewhere-0001"), ("typed", "18.2 V 8.0 A"), ("run", run.as_str()), ("taken_utc", "2026-09-14T12:20:00Z")];
    assert_eq!(server.post("/api/v1/tests/3/readings", &form).await.status(), 201);
    let heard = tokio::time::timeout(Duration::from_secs(5), async {
        let mut text = String::new();
        while !text.contains("event: changed") {
            text.push_str(&String::from_utf8_lossy(&stream.chunk().await.unwrap().unwrap()));
        }
    });
    heard.await.expect("the other page is told with nobody asking");
    assert_eq!(server.get("/tests/99/events").await.status(), 404);
    // An open stream does not keep the server from stopping.
    tokio::time::timeout(Duration::from_secs(20), server.stop()).await.expect("it stops");
}
