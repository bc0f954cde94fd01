//! One Import for every file: where each goes on from there.

use crate::jobs::{assessed, bench};
use crate::server::Server;
use reqwest::Method;
use reqwest::multipart::{Form, Part};
use serde_json::json;

struct Answer {
    status: u16,
    to: String,
    page: String,
}

async fn bring(server: &Server, path: &str, bytes: Vec<u8>) -> Answer {
    let form = Form::new().part("file", Part::bytes(bytes).file_name("a file"));
    let answer = server.request(Method::POST, path).multipart(form).send().await.unwrap();
    let to = answer.headers().get("location").map(|to| to.to_str().unwrap().to_owned()).unwrap_or_default();
    Answer { status: answer.status().as_u16(), to, page: answer.text().await.unwrap() }
}

async fn bytes(server: &Server, path: &str) -> Vec<u8> {
    server.get(path).await.bytes().await.unwrap().to_vec()
}

/// What of a file is still beside the bench.
fn left(server: &Server) -> usize {
    let folder = server.path().parent().unwrap().to_owned();
    let names = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned());
    names.filter(|name| name.contains(".package-")).count()
}

#[tokio::test]
async fn every_file_goes_on_where_its_kind_is_brought_in() {
    let server = bench().await;
    let full = "19.60 V 9.17 A 962 W/m2 45.0 C";
    assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &[full, full]).await;

    let test = bring(&server, "/import", bytes(&server, "/tests/1/readings.csv").await).await;
    assert!(test.status == 200 && test.page.contains("Nothing new: all"), "{} {}", test.status, test.page);

    let panels = bring(&server, "/import", b"tag,kind,rated_w\nA-1,Ochre 100,100\n".to_vec()).await;
    assert_eq!((panels.status, panels.to.as_str()), (303, "/panels"));
    assert!(server.page("/panels").await.contains("A-1"));
    let again = bring(&server, "/import", b"tag,kind,rated_w\nA-1,Ochre 100,100\n".to_vec()).await;
    assert!(again.status == 422 && again.page.contains("Line 2, column tag"), "{}", again.page);

    let rows: String = (0..30).map(|minute| format!("2026-06-21T11:{minute:02}:00Z,150\n")).collect();
    let log = bring(&server, "/import", format!("time_utc,power_w\n{rows}").into_bytes()).await;
    assert!(log.status == 303 && log.to.starts_with("/logs/files/"), "{} {}", log.status, log.to);
    assert!(server.page(&log.to).await.contains("a file"));

    let report = bring(&server, "/import", bytes(&server, "/tests/1/report.html").await).await;
    assert!(report.status == 422 && report.page.contains("Recompute"), "{}", report.page);
    let nothing = bring(&server, "/import", Vec::new()).await;
    assert!(nothing.status == 422 && nothing.page.contains("this one is empty"), "{}", nothing.page);
    assert_eq!(left(&server), 0, "what was read is not kept twice");
}

#[tokio::test]
async fn a_package_waits_until_it_is_taken_in_or_let_go() {
    let server = bench().await;
    let package = bytes(&server, "/bench.zip").await;
    for (act, told) in [("take_in", "Nothing new was in it."), ("let_go", "Nothing came in.")] {
        let arrived = bring(&server, "/import", package.clone()).await;
        assert!(arrived.status == 303 && arrived.to.starts_with("/bench/package/"), "{} {}", arrived.status, arrived.to);
        assert!(server.page(&arrived.to).await.contains("Take in"));
        assert_eq!(left(&server), 1);
        let page = server.post(&arrived.to, &[("act", act)]).await.text().await.unwrap();
        assert!(page.contains(told), "{act}: {page}");
        assert_eq!(left(&server), 0, "{act}");
        assert_eq!(server.get(&arrived.to).await.status(), 422, "it is gone");
    }
    assert_eq!(server.get("/bench/package/..%2f..%2fetc").await.status(), 422);
}
