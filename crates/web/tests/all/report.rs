//! Result and report of every kind of finding, as a person reads them.

use crate::server::Server;

/// A test of S-1 (200 W) with these lines, each at its own minute; its result page.
async fn result(server: &Server, setup: &[(&str, &str)], lines: &[&str]) -> String {
    let form: Vec<(&str, &str)> =
        [&[("panel", "1"), ("tilt_deg", "35"), ("azimuth_deg", "180"), ("cell_temperature", "infrared")], setup].concat();
    let saved = server.post("/tests", &form).await;
    assert_eq!(saved.status(), 303);
    let path = saved.headers()["location"].to_str().unwrap().to_owned();
    for (index, line) in lines.iter().enumerate() {
        let uid = format!("{}-{index:08}", path.replace('/', "-").trim_start_matches('-'));
        let taken_utc = format!("2026-09-12T12:{:02}:00Z", 10 + index);
        let sent =
            server.post(&format!("/api/v1{path}/readings"), &[("uid", &uid), ("typed", line), ("taken_utc", &taken_utc)]).await;
        assert_eq!(sent.status(), 201, "{line}: {}", sent.text().await.unwrap());
    }
    server.page(&format!("{path}/result")).await
}

/// Set-up, lines, and what the page has to say.
type Case = (&'static [(&'static str, &'static str)], &'static [&'static str], &'static [&'static str]);

#[tokio::test]
async fn each_finding_has_its_word_its_sentence_and_what_to_do() {
    let server = Server::demo().await;
    let cases: [Case; 10] = [
        (&[], &["19.0 V 8.60 A 900 W/m2 48 C"], &["Nothing speaks against", "of its rating at standard test conditions"]),
        (&[], &["18.0 V 6.20 A 900 W/m2 48 C"], &["is below its rating", "is missing"]),
        (
            &[],
            &["21.0 V 10.2 A 950 W/m2 40 C"],
            &["can\u{2019}t tell", "lies above the panel\u{2019}s curve", "Check volts and amps"],
        ),
        (
            &[("sun", "nothing")],
            &["19.0 V 8.60 A 48 C"],
            &["of its rating: irradiance or cell", "the irradiance was not recorded", "irradiance meter"],
        ),
        (
            &[("cell_temperature", "nothing")],
            &["19.0 V 8.60 A 900 W/m2"],
            &["of its rating: irradiance or cell", "the cell temperature was not recorded", "Tape a probe"],
        ),
        (&[], &["19.0 V 5.60 A 560 W/m2 40 C"], &["can\u{2019}t tell", "a rating needs 700", "Turn the panel normal to the sun"]),
        (&[], &["19.0 V 0.4 A 900 W/m2 48 C"], &["stays open", "too coarse", "one more digit"]),
        (&[], &["19.0 V 8 A 900 W/m2 48 C"], &["can\u{2019}t tell", "without decimals", "Type every digit"]),
        (
            &[],
            &["19.0 V 8.60 A 900 W/m2 48 C", "18.0 V 7.40 A 900 W/m2 48 C"],
            &["can\u{2019}t tell", "the limit is 10.0\u{a0}%", "4 times"],
        ),
        (
            &[("load", "multimeter_only")],
            &["22.9 V 9.2 A 900 W/m2 48 C"],
            &["were read, not power", "Not supported", "Isc at STC"],
        ),
    ];
    for (setup, lines, told) in cases {
        let page = result(&server, setup, lines).await;
        for words in told {
            assert!(page.contains(words), "{lines:?} should say {words:?}");
        }
    }
}

#[tokio::test]
async fn the_report_shows_what_was_corrected_left_out_and_noted() {
    let server = Server::demo().await;
    let report = server.page("/tests/2/report").await;
    for told in [
        "excluded: irradiance was 640",
        "thin cloud",
        "MPPT error",
        "± (1 % + 3 of the last digit)",
        "is below its rating",
        "40°",
    ] {
        assert!(report.contains(told), "{told}");
    }
    let report = server.page("/tests/1/report").await;
    assert!(report.contains("corrected: decimal point") && report.contains("<s>18.32"), "the slip is struck through");
    assert!(report.contains("18.3\u{2013}18.4\u{a0}V"), "a range stays a range");
}

#[tokio::test]
async fn a_figure_that_is_left_out_is_still_opened() {
    let server = Server::demo().await;
    let page = result(&server, &[], &["19.0 V 5.60 A 560 W/m2 40 C"]).await;
    assert!(page.contains("Reading of") && page.contains("P / ((G / 1000)"));
    assert!(page.contains("None of these readings counts for the rating; the ladder shows where their watts went."));
}
