//! A page of a notebook as it stands: what its lines become, what is asked, and the test that it is afterwards. Figures are invented.

use crate::server::Server;
use serde_json::Value;

/// Twenty lines: flat and tilted three times each, with a day, a unit, a list and ditto marks.
const PAGE: &str = "2026-09-10\nall in watts\nS-1, load tester\n12:01 flat 120\n\" 121\n12:04 tilt 35: 150.5\n150, 151, say 150.5\n12:08 flat: 122\n\
    12:09 121\n12:12 tilt 35: 151\n12:13 152\n# the wind got up\n12:16 flat: 122.5\n12:17 122\nhazy\n12:20 tilt 35: 152\n12:21 \"\n12:24 flat: 123\n\
    12:25 122.4\nend\n";

async fn assessment(server: &Server, id: &str) -> Value {
    serde_json::from_str(&server.get(&format!("/api/v1/tests/{id}/assessment")).await.text().await.unwrap()).unwrap()
}

async fn posted(server: &Server, fields: &[(&str, &str)]) -> (u16, String, String) {
    let answer = server.post("/now/notebook", fields).await;
    let at = answer.headers().get("location").map(|place| place.to_str().unwrap().to_owned()).unwrap_or_default();
    (answer.status().as_u16(), at, answer.text().await.unwrap())
}

#[tokio::test]
async fn twenty_lines_become_a_test() {
    let server = Server::demo().await;
    let (status, _, page) = posted(&server, &[("text", PAGE), ("apart_min", "0,5")]).await;
    let asked: Vec<&str> = page.split("<li ").filter(|line| line.contains("is-asked")).collect();
    assert!(status == 200 && asked.is_empty(), "{asked:?}");
    assert!(page.contains("15 readings"), "{}", page.split("<h2>").nth(1).unwrap().split('<').next().unwrap());
    assert!(page.contains("bare figures are") && page.contains("the day of the lines below"), "{page}");
    let (status, at, page) = posted(&server, &[("text", PAGE), ("apart_min", "0,5"), ("do", "take")]).await;
    assert!(
        status == 303 && at.starts_with("/tests/"),
        "{status} {:?}",
        page.split("role=\"alert\"").nth(1).map(|rest| rest.chars().take(300).collect::<String>())
    );
    let found = assessment(&server, at.trim_start_matches("/tests/")).await;
    // By hand: the flat ones are 121.6 W in the mean, the tilted ones 151.2 W; about 124 %.
    let answer = found["answers"].as_array().unwrap().iter().find(|one| one["question"] == "flat_or_tilted").unwrap();
    let percent = answer["levels"][0]["percent"].as_f64().unwrap();
    assert!((percent - 124.3).abs() < 1.0, "{percent}");
    server.stop().await;
}

/// What nobody said is asked for, and nothing that was typed is lost.
#[tokio::test]
async fn times_that_nobody_said_are_asked_for() {
    let server = Server::demo().await;
    let bare = "S-1\nflat 120 W\ntilt 35: 150 W\nflat 121 W\n";
    let (status, _, page) = posted(&server, &[("text", bare), ("do", "take")]).await;
    assert!(status == 422 && page.contains("When was the first reading?") && page.contains("tilt 35: 150 W"), "{page}");
    let (status, _, page) = posted(&server, &[("text", bare), ("first", "11:00"), ("day", "2026-09-10"), ("do", "take")]).await;
    assert!(status == 422 && page.contains("How long from line to line?"), "{page}");
    let fields = [("text", bare), ("first", "11:00"), ("day", "2026-09-10"), ("apart_min", "4"), ("do", "take")];
    let (status, at, page) = posted(&server, &fields).await;
    assert_eq!(status, 303, "{page}");
    let csv = server.get(&format!("{at}/readings.csv")).await.text().await.unwrap();
    // 11:00 at the workshop is 10:00 UTC in September.
    for time in ["2026-09-10T10:00:00Z", "2026-09-10T10:04:00Z", "2026-09-10T10:08:00Z"] {
        assert!(csv.contains(time), "{time}: {csv}");
    }
    for (field, wrong, sentence) in [
        ("day", "yesterday", "is not a date"),
        ("first", "noonish", "is not a clock time"),
        ("apart_min", "-3", "is not a number of minutes"),
        ("hangs", "Z-99", "There is no panel or rig"),
    ] {
        let (_, _, page) = posted(&server, &[("text", bare), (field, wrong)]).await;
        assert!(page.contains(sentence) && page.contains(wrong), "{field}: {page}");
    }
    server.stop().await;
}

/// A line that is not understood is asked about; kept as a note it comes in and counts for nothing.
#[tokio::test]
async fn lines_that_are_asked_about_come_in_as_notes_alone() {
    let server = Server::demo().await;
    let page_text = "S-1\n11:00 flat 120 W\n11:02 frobnicated 80 W\n11:04 flat 121 W\n";
    let fields = [("text", page_text), ("day", "2026-09-10"), ("do", "take")];
    let (status, _, page) = posted(&server, &fields).await;
    assert!(status == 422 && page.contains("is-asked") && page.contains("1 line to ask about"), "{page}");
    let (status, at, page) = posted(&server, &[fields[0], fields[1], fields[2], ("as_notes", "yes")]).await;
    assert_eq!(status, 303, "{page}");
    let found = assessment(&server, at.trim_start_matches("/tests/")).await;
    let csv = server.get(&format!("{at}/readings.csv")).await.text().await.unwrap();
    assert!(csv.lines().count() == 3 && found["answers"][0]["states"] == serde_json::json!(["A"]), "{found}");
    // A page of the future is refused whole.
    let tests = || async { server.get("/api/v1/tests").await.json::<Value>().await.unwrap()["total"].clone() };
    let before = tests().await;
    let (status, _, page) = posted(&server, &[("text", "S-1\n11:00 flat 120 W"), ("day", "2199-01-01"), ("do", "take")]).await;
    assert!(status == 422 && page.contains("in the future"), "{page}");
    assert_eq!(tests().await, before);
    server.stop().await;
}
