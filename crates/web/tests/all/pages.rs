//! Every page on the real server.

use crate::jobs;
use crate::server::Server;
use reqwest::Method;
use serde_json::{Value, json};

#[tokio::test]
async fn every_page_of_the_demo_is_there() {
    let server = Server::demo().await;
    let home = server.page("/").await;
    for told in ["Umber 250", "is below its rating", "Saffron 200", "Nothing speaks against"] {
        assert!(home.contains(told), "{told}");
    }
    for path in [
        "/panels",
        "/panels/new",
        "/panels/1",
        "/panels/1/edit",
        "/tests/new",
        "/tests/1",
        "/tests/1/edit",
        "/tests/1/result",
        "/tests/2/report",
        "/import",
        "/tests/1/import",
        "/bench",
        "/help",
        "/healthz",
    ] {
        server.page(path).await;
    }
    server.stop().await;
}

#[tokio::test]
async fn what_is_not_there_is_a_page_for_people_and_json_for_programs() {
    let server = Server::demo().await;
    for path in ["/nowhere", "/panels/99", "/tests/99", "/tests/99/result", "/tests/x/report", "/static/none.css"] {
        let response = server.get(path).await;
        assert!(response.status().is_client_error(), "{path}");
        assert!(response.text().await.unwrap().contains("<h1>"), "{path}");
    }
    let (status, body) = server.json("/api/v1/nowhere", serde_json::json!({})).await;
    assert_eq!((status, body["error"]["message"].as_str()), (404, Some("There is no such page.")));
    let sent = server.request(Method::PUT, "/panels").send().await.unwrap();
    assert_eq!(sent.status(), 405);
}

#[tokio::test]
async fn the_result_opens_every_figure_to_formula_inputs_and_source() {
    let server = Server::demo().await;
    let result = server.page("/tests/1/result").await;
    for told in
        ["P / ((G / 1000)", "Osterwald 1986", "SAND2004-3535", "the label", "root of the sum of squares", "irradiance accuracy"]
    {
        assert!(result.contains(told), "{told}");
    }
    assert!(result.contains("<s>18.32"), "the slip stays to be seen, struck through");
    assert!(result.contains("decimal point"));
}

#[tokio::test]
async fn the_label_is_answered_while_it_is_typed() {
    let server = Server::demo().await;
    let answer = server
        .post("/panels/answer", &[("rated_w", "250"), ("voc_v", "37.8"), ("vmp_v", "38"), ("imp_a", "8.2"), ("beta_voc", "0.3")])
        .await;
    let answer = answer.text().await.unwrap();
    for told in [
        "311.6",
        "data-field=\"vmp_v\" data-weight=\"doubt\"",
        "data-field=\"beta_voc\" data-weight=\"doubt\"",
        "data-field=\"rated_w\"",
    ] {
        assert!(answer.contains(told), "{told} in {answer}");
    }
}

#[tokio::test]
async fn a_panel_that_is_refused_comes_back_as_it_was_typed() {
    let server = Server::demo().await;
    let response =
        server.post("/panels", &[("tag", "S-1"), ("rated_w", "200"), ("name", "a <b>bold</b> name"), ("price", "cheap")]).await;
    assert_eq!(response.status(), 422);
    let page = response.text().await.unwrap();
    assert!(page.contains("cheap") && page.contains("is not a number"));
    assert!(!page.contains("<b>bold"), "typed text is never markup");
    let taken = server.post("/panels", &[("tag", "s-1"), ("rated_w", "200")]).await;
    assert!(taken.text().await.unwrap().contains("already carries the tag"));
    let doubted = [("tag", "D-1"), ("rated_w", "300"), ("vmp_v", "20"), ("imp_a", "10")];
    assert_eq!(server.post("/panels", &doubted).await.status(), 422);
    let kept = [&doubted[..], &[("keep_doubts", "yes")]].concat();
    assert_eq!(server.post("/panels", &kept).await.status(), 303);
    assert!(server.page("/panels").await.contains("label contradicts itself"));
}

#[tokio::test]
async fn a_setup_that_is_refused_says_which_field() {
    let server = Server::demo().await;
    let response = server.post("/tests", &[("panel", "1"), ("tilt_deg", "120"), ("azimuth_deg", "up")]).await;
    assert_eq!(response.status(), 422);
    let page = response.text().await.unwrap();
    assert!(page.contains("120 is outside 0 to 90") && page.contains("is not a direction") && page.contains("value=\"120\""));
    assert_eq!(server.post("/tests", &[("panel", "999")]).await.status(), 404);
    assert_eq!(server.post("/tests", &[]).await.status(), 422);
    let changed = server.post("/tests/1", &[("tilt_deg", "0"), ("azimuth_deg", "SSW"), ("load", "load_tester")]).await;
    assert_eq!(changed.status(), 303);
    assert!(server.page("/tests/1/result").await.contains("horizontal"));
}

#[tokio::test]
async fn construction_and_mounting_are_chosen_and_used() {
    let server = Server::demo().await;
    let fields = [("tag", "C-1"), ("rated_w", "250"), ("voc_v", "37.8"), ("isc_a", "8.75"), ("vmp_v", "30.4"), ("imp_a", "8.22")];
    let label = [&fields[..], &[("cells_in_series", "60"), ("construction", "half_cut_120")]].concat();
    let made = server.post("/panels", &label).await;
    assert_eq!(made.status(), 303);
    let path = made.headers()["location"].to_str().unwrap().to_owned();
    assert!(server.page(&path).await.contains("half-cut, 120 cells in two halves"));
    assert!(server.page(&format!("{path}/edit")).await.contains("value=\"half_cut_120\" selected"));
    // The shade bench takes the label's own construction unless another is chosen.
    let bench = server.page("/shade?wiring=C-1&pattern=bottom&size=20").await;
    assert!(bench.contains("half-cut, 120 cells in two halves <small>(here)"));
    assert!(server.page("/shade?wiring=C-1&construction=cells_60").await.contains("60 cells, 3 diodes <small>(here)"));
    let wrong = [&fields[..], &[("tag", "C-2"), ("construction", "plaited")]].concat();
    let refused = server.post("/panels", &wrong[1..]).await;
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("is not a construction known here"));
    let lying = server.post("/tests/1", &[("tilt_deg", "35"), ("azimuth_deg", "180"), ("mounting", "landscape")]).await;
    assert_eq!(lying.status(), 303);
    assert!(server.page("/tests/1/result").await.contains("35\u{b0} to the south, landscape"));
    let askew = server.post("/tests/1", &[("mounting", "askew")]).await;
    assert_eq!(askew.status(), 422);
}

#[tokio::test]
async fn the_bench_takes_a_time_zone_it_knows() {
    let server = Server::demo().await;
    let refused = server.post("/bench", &[("name", "Shed"), ("time_zone", "Mars/Base"), ("currency", "EUR")]).await;
    assert_eq!(refused.status(), 422);
    let saved = server.post("/bench", &[("name", "Shed"), ("time_zone", "America/Phoenix"), ("currency", "USD")]).await;
    assert_eq!(saved.status(), 303);
    let away = [("name", "Desert"), ("lat_deg", "33.4"), ("lon_deg", "-112"), ("time_zone", "America/Phoenix"), ("horizon", "")];
    assert_eq!(server.post("/places", &away).await.status(), 303);
    let page = server.page("/tests/1").await;
    assert!(page.contains("Shed") && page.contains("13:34:00"), "a test keeps the clock of its own place");
}

#[tokio::test]
async fn the_report_and_the_table_hold_the_same_test() {
    let server = Server::demo().await;
    let response = server.get("/tests/1/readings.csv").await;
    assert_eq!(response.headers()["content-type"], "text/csv; charset=utf-8");
    assert!(response.headers()["content-disposition"].to_str().unwrap().contains("S-1-test-1.csv"));
    let csv = response.text().await.unwrap();
    assert_eq!(csv.lines().count(), 1 + 6, "five readings, one of them corrected");
    let report = server.page("/tests/1/report").await;
    for told in ["Label, at STC", "Instruments", "Local codes and a licensed electrician", "18.41"] {
        assert!(report.contains(told), "{told}");
    }
    let part = reqwest::multipart::Part::bytes(csv.into_bytes()).file_name("t.csv");
    let form = reqwest::multipart::Form::new().part("file", part);
    let page = server.request(Method::POST, "/import").multipart(form).send().await.unwrap().text().await.unwrap();
    assert!(page.contains("Nothing new: all 6 rows were here already."), "{page}");
}

#[tokio::test]
async fn the_light_is_a_cookie_and_leads_back_only_to_this_bench() {
    let server = Server::demo().await;
    let chosen = server.post("/theme", &[("theme", "evening"), ("back", "/panels")]).await;
    assert!(chosen.headers()["set-cookie"].to_str().unwrap().starts_with("flindo-theme=evening"));
    assert_eq!(chosen.headers()["location"], "/panels");
    for elsewhere in ["https://example.org", "//example.org", "/\\example.org"] {
        let chosen = server.post("/theme", &[("theme", "paper"), ("back", elsewhere)]).await;
        assert_eq!(chosen.headers()["location"], "/", "{elsewhere}");
    }
}

/// A long test is read a part at a time, the newest first; the result is of all of it.
#[tokio::test]
async fn a_long_list_of_readings_is_read_in_parts() {
    let server = jobs::bench().await;
    let test = jobs::add(&server, "tests", json!({"question": "makes_rating", "panel": "S-1"})).await;
    let readings: Vec<Value> = (0..250)
        .map(|nth| {
            let taken = format!("2026-06-21T11:{:02}:{:02}Z", 20 + nth / 60, nth % 60);
            json!({"uid": format!("reading-{nth:04}"), "typed": "18.3 V 8.4 A 880 W/m2 48 C", "taken_utc": taken})
        })
        .collect();
    let path = format!("/tests/{}", test["id"]);
    let (_, answers) = server.json(&format!("/api/v1{path}/readings"), readings.into()).await;
    assert!(answers.as_array().unwrap().iter().all(|one| one["answer"] == "accepted"), "{answers}");
    let listed = |page: &str| page.matches("class=\"reading-head\"").count();
    let newest = server.page(&path).await;
    assert!(listed(&newest) == 200 && newest.contains("51 to 250 of 250") && newest.contains("?readings=2"));
    let oldest = server.page(&format!("{path}?readings=2")).await;
    assert!(listed(&oldest) == 50 && oldest.contains("1 to 50 of 250") && oldest.contains("?readings=1"));
    assert_eq!(listed(&server.page(&format!("{path}?readings=99")).await), 50);
    for page in [newest, server.page(&format!("{path}/result")).await] {
        assert!(page.contains("of 250"), "{page}");
    }
}

/// The one reason of a test that cannot tell stands in its headline and is not said again beneath it.
#[tokio::test]
async fn the_reason_is_said_once() {
    let server = Server::demo().await;
    let page = server.page("/results?verdict=cant_tell").await;
    let link = page.split("href=\"/tests/").skip(1).map(|rest| rest.split(['/', '"']).next().unwrap()).next().unwrap();
    let result = server.page(&format!("/tests/{link}/result")).await;
    let main = result.split_once("<main").unwrap().1.to_lowercase();
    assert_eq!(main.matches("t tell, because").count(), 1);
}

/// "I want to show 2 %" is answered with repeats and readings, beside the sheet; what no number of runs shows is said.
#[tokio::test]
async fn a_plan_says_what_a_difference_asks_for() {
    let server = Server::demo().await;
    let page = |percent: &str| {
        format!(
            "/plan/which_tilt?panel_id=1&baseline=35&levels=15&order=aba&start=2026-06-10T13:00:00&load=load_tester&to_show_percent={percent}"
        )
    };
    let easy = server.page(&page("20")).await;
    assert!(easy.contains("To show 20.0\u{a0}%: 1 repeat, one reading a run"), "{easy}");
    let hard = server.page(&page("1,5")).await;
    let told = hard
        .split("To show 1.50\u{a0}%: ")
        .nth(1)
        .or_else(|| hard.split("To show 1.5\u{a0}%: ").nth(1))
        .unwrap_or_else(|| panic!("{hard}"));
    let repeats: usize = told.split(' ').next().unwrap().parse().unwrap();
    assert!(repeats > 1, "{told:.80}");
    assert!(server.page(&page("0.01")).await.contains("No number of runs shows"));
    let alone = server.page("/plan/makes_rating?panel_id=1&levels=&start=2026-06-10T13:00:00&to_show_percent=2").await;
    assert!(!alone.contains("No number of runs shows") && !alone.contains("To show 2.0"), "{alone}");
    assert!(server.page(&page("much")).await.contains("is no difference: write 0.01 to 100"));
}
