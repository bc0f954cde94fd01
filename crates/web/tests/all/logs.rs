//! Logs over HTTP, through the real server: files in, days out, runs that take their watt-hours from a log, rigs over hours, and what
//! keeps up.

use crate::jobs::{add, bench};
use crate::server;
use crate::server::Server;
use reqwest::Method;
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};
use std::fmt::Write;

/// A day of samples, one a minute from 7 to 19 h by the clock of the place: half a sine of this height.
fn day(watts: f64, shifted_h: f64) -> Vec<(i64, f64)> {
    (0..=720)
        .map(|minute| {
            (minute, watts * ((f64::from(minute as i32) / 60.0 - shifted_h) / 12.0 * std::f64::consts::PI).sin().max(0.0))
        })
        .collect()
}

fn table(days: &[(i64, f64)]) -> String {
    let mut text = "Date;Time;Rig A Power (kW)\n".to_owned();
    for (minute, watts) in days {
        let kilowatts = format!("{:.5}", watts / 1000.0).replace('.', ",");
        writeln!(text, "18.09.2026;{:02}:{:02};{kilowatts}", 7 + minute / 60, minute % 60).unwrap();
    }
    text
}

async fn sent(server: &Server, text: String) -> String {
    let part = Part::bytes(text.into_bytes()).file_name("roof.csv");
    let answer = server.request(Method::POST, "/logs/import").multipart(Form::new().part("file", part)).send().await.unwrap();
    assert_eq!(answer.status(), 303);
    answer.headers()["location"].to_str().unwrap().to_owned()
}

/// The form of a preview as a browser would send it.
fn fields(page: &str) -> Vec<(String, String)> {
    let mut found = Vec::new();
    let between = |text: &str, from: &str, to: &str| {
        text.split_once(from).and_then(|(_, rest)| rest.split_once(to)).map(|(inner, _)| inner.to_owned())
    };
    for part in page.split("<select").skip(1) {
        let (Some(name), Some(inner)) = (between(part, "name=\"", "\""), between(part, ">", "</select>")) else { continue };
        let chosen =
            inner.split("<option").find(|option| option.contains(" selected")).or(inner.split("<option").nth(1)).unwrap();
        found.push((name, between(chosen, "value=\"", "\"").unwrap()));
    }
    for part in page.split("<input").skip(1) {
        let part = part.split('>').next().unwrap();
        if let Some(name) = between(part, "name=\"", "\"").filter(|name| name != "back") {
            found.push((name, between(part, "value=\"", "\"").unwrap_or_default()));
        }
    }
    found
}

#[tokio::test]
async fn a_file_is_shown_corrected_and_brought_in() {
    let server = bench().await;
    let path = sent(&server, table(&day(150.0, 0.0))).await;
    let preview = server.page(&path).await;
    assert!(preview.contains("18 September 2026") && preview.contains("name no zone"), "{preview}");
    let form = fields(&preview);
    let of = |name: &str| form.iter().find(|field| field.0 == name).map(|field| field.1.as_str());
    assert_eq!(
        (of("delimiter"), of("decimal_comma"), of("header_lines"), of("time")),
        (Some("semicolon"), Some("yes"), Some("1"), Some("day_first"))
    );
    assert_eq!((of("use_2"), of("unit_2"), of("zone")), (Some("power_w"), Some("kW"), Some("Europe/Lisbon")));
    // Corrected and looked at again: watts in place of kilowatts are 0.15 W.
    let changed: Vec<(String, String)> =
        form.iter().map(|(name, text)| (name.clone(), if name == "unit_2" { "W".to_owned() } else { text.clone() })).collect();
    let again =
        server.request(Method::POST, &format!("{path}?do=look")).form(&changed).send().await.unwrap().text().await.unwrap();
    // The second minute: 0.65 W in kilowatts.
    assert!(preview.contains("0.65") && again.contains("0.00065"), "{again}");
    let none: Vec<(String, String)> = form
        .iter()
        .map(|(name, text)| (name.clone(), if name == "use_2" { "ignored".to_owned() } else { text.clone() }))
        .collect();
    let refused = server.request(Method::POST, &path).form(&none).send().await.unwrap();
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("No column is a quantity"));
    let answer = server.request(Method::POST, &path).form(&form).send().await.unwrap();
    assert_eq!(answer.status(), 303);
    let done = server.page(&path).await;
    assert!(done.contains("721 rows are in"), "{done}");
    // The same file again is the same file.
    assert_eq!(sent(&server, table(&day(150.0, 0.0))).await, path);
    assert_eq!(server.store.logs(0, 10).await.unwrap().len(), 1);
    let samples = server.page("/logs/1/samples.csv").await;
    assert_eq!(samples.lines().count(), 722);
    assert!(samples.lines().nth(361).unwrap().starts_with("2026-09-18T12:00:00.000Z,150"), "{:?}", samples.lines().nth(361));
}

/// A table ends with all its rows, whether they fill the parts it is read in or not: each second once, in order, to the last.
#[tokio::test]
async fn a_table_of_samples_is_whole_at_every_length() {
    let server = bench().await;
    let begin: jiff::Timestamp = "2026-09-18T05:00:00Z".parse().unwrap();
    let at = |second: i64| begin.checked_add(jiff::SignedDuration::from_secs(second)).unwrap();
    for (nth, rows) in [4_999_i64, 5_000, 5_001, 10_000, 20_000, 20_001, 43_210].into_iter().enumerate() {
        let text =
            (0..rows).fold("time_utc,power_w\n".to_owned(), |text, second| format!("{text}{},{}\n", at(second), second % 977));
        let path = sent(&server, text).await;
        let form = fields(&server.page(&path).await);
        let answer = server.request(Method::POST, &path).form(&form).send().await.unwrap();
        assert_eq!(answer.status(), 303, "{rows}");
        let done = server.page(&path).await;
        assert!(done.contains("rows are in"), "{done}");
        let samples = server.page(&format!("/logs/{}/samples.csv", nth + 1)).await;
        let mut seconds = 0;
        for (second, line) in samples.lines().skip(1).enumerate() {
            let expected = format!("{}.000Z,{}", at(second as i64).to_string().trim_end_matches('Z'), second % 977);
            assert!(line.starts_with(&expected), "{rows}, row {second}: {line} is not {expected}");
            seconds += 1;
        }
        assert_eq!(seconds, rows, "rows of a log of {rows}");
    }
}

/// Half a sine of 150 W over 12 h: 12 h x 2 / pi x 150 W = 1145.9 Wh.
#[tokio::test]
async fn a_day_comes_to_its_closed_form_on_the_page_in_the_table_and_in_json() {
    let server = bench().await;
    let samples: Vec<Value> = day(150.0, 0.0)
        .iter()
        .map(|(minute, watts)| json!({"time_utc": format!("2026-09-18T{:02}:{:02}:00Z", 6 + minute / 60, minute % 60), "power_w": (watts * 1000.0).round() / 1000.0}))
        .collect();
    let body =
        json!({"name": "roof", "panel": "S-1", "tilt_deg": 30, "azimuth_deg": 180, "meter_percent": 1, "samples": samples});
    let (status, answer) = server.json("/api/v1/logs", body.clone()).await;
    assert_eq!((status, &answer["file"]["rows"], &answer["logs"][0]["samples"]), (201, &json!(721), &json!(721)), "{answer}");
    let (status, again) = server.json("/api/v1/logs", body).await;
    assert_eq!((status, &again["id"]), (200, &answer["id"]));
    let id = answer["id"].as_i64().unwrap();
    let one: Value = server.get(&format!("/api/v1/logs/{id}?day=2026-09-18")).await.json().await.unwrap();
    let energy = &one["day"]["energy_wh"];
    assert!((energy["value"].as_f64().unwrap() - 1145.9).abs() < 1.0, "{energy}");
    assert!(energy["low"].as_f64().unwrap() > 1130.0 && energy["high"].as_f64().unwrap() < 1165.0, "{energy}");
    assert_eq!(one["day"]["irradiation_is_measured"], json!(false));
    let days = server.page(&format!("/logs/{id}/days.csv")).await;
    let wh: f64 = days.lines().nth(1).unwrap().split(',').nth(2).unwrap().parse().unwrap();
    assert!(days.contains("\r\n") && (wh - 1145.9).abs() < 1.0, "{days}");
    let hours = server.page(&format!("/logs/{id}/hours.csv")).await;
    let sum: f64 = hours.lines().skip(1).map(|line| line.split(',').nth(2).unwrap().parse::<f64>().unwrap()).sum();
    assert!((sum - wh).abs() < 0.1 && hours.lines().count() >= 13);
    let page = server.page(&format!("/logs/{id}?day=2026-09-18")).await;
    assert!(page.contains("Peak sun hours") && page.contains("day-chart"));
    // Down to single samples.
    let chart = server.page(&format!("/logs/{id}/chart?from=1789732800000&to=1789733400000")).await;
    assert!(chart.matches("<circle").count() >= 10, "{chart}");
    assert_eq!(server.get(&format!("/logs/{id}/chart?from=noon&to=2")).await.status(), 422);
    assert_eq!(server.get("/logs/999").await.status(), 404);
}

#[tokio::test]
async fn what_cannot_be_a_log_is_answered_with_why() {
    let server = bench().await;
    let sample = json!([{"time_utc": "2026-09-18T10:00:00Z", "power_w": 100}]);
    for (body, field) in [
        (json!({"samples": []}), "samples"),
        (json!({"samples": "none"}), "samples"),
        (json!({"samples": sample, "panel": "X-9"}), "panel"),
        (json!({"samples": sample, "tilt_deg": 95}), "tilt_deg"),
        (json!({"samples": [{"time_utc": "2026-09-18T10:00:00Z", "watts": 5}]}), "watts"),
        (json!([1]), "samples"),
    ] {
        let (status, answer) = server.json("/api/v1/logs", body).await;
        assert_eq!((status, answer["error"]["field"].as_str()), (422, Some(field)), "{answer}");
    }
    let part = || Part::bytes(b"time_utc,power_w\n2026-09-18T10:00:00Z,1\n2026-09-18T10:01:00Z,x\n".to_vec()).file_name("a.csv");
    let form = Form::new().part("file", part()).text("mapping", "{\"no\": 1}");
    let wrong = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap();
    assert_eq!(wrong.status(), 422);
    let form = Form::new().part("file", part()).text("panel", "S-2");
    let right: Value = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap().json().await.unwrap();
    assert_eq!(
        (&right["file"]["rows_aside"], &right["faults"][0]["line"], &right["faults"][0]["column"]),
        (&json!(1), &json!(3), &json!(2)),
        "{right}"
    );
    // Read as it is not: no row, and why; then as it is.
    let dates = || Part::bytes(b"Date;Time;P\n25.06.2026;12:00;100\n25.06.2026;12:01;101\n".to_vec()).file_name("d.csv");
    let mapping = |time: &str| {
        let columns = [("Date", "date"), ("Time", "time_of_day"), ("P", "power_w")]
            .map(|(name, used_as)| json!({"name": name, "use": used_as}));
        json!({"delimiter": "semicolon", "header_lines": 1, "time": time, "zone": "+02:00", "columns": columns}).to_string()
    };
    let form = Form::new().part("file", dates()).text("mapping", mapping("month_first"));
    let wrong = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap();
    assert_eq!(wrong.status(), 422);
    assert!(wrong.text().await.unwrap().contains("line 2, column 1"));
    let form = Form::new().part("file", dates()).text("mapping", mapping("day_first"));
    let right: Value = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap().json().await.unwrap();
    assert_eq!(right["logs"][0]["started_utc"], json!("2026-06-25T10:00:00Z"), "{right}");
    // What was assumed comes with the mapping of the other way, which a file is brought in by as any other.
    let doubted = |day: u8| {
        let text = format!("Date;Time;Power (mW)\n0{day}.05.2026;12:00;156.500\n0{day}.05.2026;12:01;157.250\n");
        Part::bytes(text.into_bytes()).file_name("doubted.csv")
    };
    let form = Form::new().part("file", doubted(4));
    let taken: Value = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap().json().await.unwrap();
    let open = taken["assumed"].as_array().unwrap().iter().find(|one| one["name"] == "thousands").unwrap();
    assert_eq!(
        (&open["read_as"], &open["or"], &open["other_mapping"]["decimal_comma"]),
        (&json!(156.5), &json!(156_500.0), &json!(true))
    );
    let form = Form::new().part("file", doubted(5)).text("mapping", open["other_mapping"].to_string());
    let other: Value = server.request(Method::POST, "/api/v1/logs").multipart(form).send().await.unwrap().json().await.unwrap();
    let samples = server.page(&format!("/logs/{}/samples.csv", other["id"])).await;
    assert!(samples.contains("156.5") && !samples.contains("0.1565"), "{samples}");
    for page in ["/logs/files/77", "/logs/77/samples.csv", "/logs/77/hours.csv"] {
        assert_eq!(server.get(page).await.status(), 404, "{page}");
    }
    let empty = server
        .request(Method::POST, "/logs/import")
        .multipart(Form::new().part("file", Part::bytes(Vec::new()).file_name("e.csv")))
        .send()
        .await
        .unwrap();
    assert_eq!(empty.status(), 422);
    let letter = sent(&server, "Dear all,\nthe meter broke\n".to_owned()).await;
    assert!(server.page(&letter).await.contains("no table of samples"));
}

async fn log_of(server: &Server, name: &str, more: Value, watts: impl Fn(i64) -> f64) -> i64 {
    let samples: Vec<Value> = (0..=240)
        .map(|minute| json!({"time_utc": format!("2026-06-21T{:02}:{:02}:00Z", 10 + minute / 60, minute % 60), "power_w": watts(minute)}))
        .collect();
    let mut body = json!({"name": name, "tilt_deg": 30, "azimuth_deg": 180, "samples": samples});
    body.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let (status, answer) = server.json("/api/v1/logs", body).await;
    assert_eq!(status, 201, "{answer}");
    answer["id"].as_i64().unwrap()
}

/// Two runs of an hour each under one log: 100 W, then 75 W. The test answers 75 % without a typed figure.
#[tokio::test]
async fn runs_take_their_watt_hours_from_a_log() {
    let server = bench().await;
    let body = json!({"question": "how_much_in_a_day", "panel": "S-1", "setup": {"tilt_deg": 30, "azimuth_deg": 180, "load": "tracking_controller",
        "sun": "nothing", "cell_temperature": "nothing"}, "plan": {"baseline": {"load": "Lathe 30"}, "levels": [{"load": "Gimlet 20"}], "order": "totals", "times": 1}});
    let test = add(&server, "tests", body).await;
    let id = test["id"].as_i64().unwrap();
    let runs: Vec<i64> = test["runs"].as_array().unwrap().iter().map(|run| run["id"].as_i64().unwrap()).collect();
    for (run, from, to) in
        [(runs[0], "2026-06-21T10:00:00Z", "2026-06-21T11:00:00Z"), (runs[1], "2026-06-21T11:30:00Z", "2026-06-21T12:30:00Z")]
    {
        for (what, at) in [("begun", from), ("done", to)] {
            let event = flindo_store::NewEvent {
                uid: flindo_store::new_uid(),
                what: flindo_core::record::run::RunEventKind::from_name(what).unwrap(),
                text: String::new(),
                at_utc: at.parse().unwrap(),
            };
            server.store.add_event(id, run, &event).await.unwrap();
        }
    }
    let log = log_of(&server, "shunt", json!({"test": id}), |minute| if minute <= 60 { 100.0 } else { 75.0 }).await;
    let found: Value = server.get(&format!("/api/v1/tests/{id}/assessment")).await.json().await.unwrap();
    let percent = found["levels"]
        .as_array()
        .and_then(|levels| levels.last())
        .and_then(|level| level["percent"].as_f64())
        .unwrap_or_default();
    assert!((percent - 75.0).abs() < 0.6, "{found}");
    assert_eq!(found["compared"], json!("energy_wh"));
    // A stretch becomes a reading of the run at that time; the same stretch again is that reading.
    for _ in 0..2 {
        let taken = server
            .post(&format!("/logs/{log}/take"), &[("day", "2026-06-21"), ("from", "12:40:00"), ("to", "12:50"), ("run", "2")])
            .await;
        assert_eq!(taken.status(), 303);
    }
    let readings = server.store.readings(id).await.unwrap();
    let watts = readings[0].what.figures.get(flindo_core::measure::quantity::Quantity::Power).unwrap();
    assert_eq!((readings.len(), watts.low, readings[0].what.run_id), (1, 75.0, Some(runs[1])));
    let wrong = server.post(&format!("/logs/{log}/take"), &[("day", "2026-06-21"), ("from", "13:00"), ("to", "noon")]).await;
    assert_eq!(wrong.status(), 422);
    assert!(wrong.text().await.unwrap().contains("is not a time of the day"));
}

#[tokio::test]
async fn rigs_are_compared_over_hours() {
    let server = bench().await;
    let wobble = |minute: i64| 1.0 + 0.3 * (minute as f64 / 17.0).sin();
    let first = log_of(&server, "one", json!({"panel": "S-1", "meter_percent": 2}), |minute| 100.0 * wobble(minute)).await;
    log_of(&server, "two", json!({"panel": "S-2", "meter_percent": 2}), |minute| 101.0 * wobble(minute)).await;
    let page = server.page(&format!("/hours?first={first}&day=2026-06-21")).await;
    assert!(page.contains("no difference over") && page.contains("exchanged half-way"), "{page}");
    let page = server.page(&format!("/hours?first={first}&day=2026-06-21&exchanged=13:00&stays=rig")).await;
    assert!(page.contains("more: +1.0") && page.contains("each record staying with its rig"));
    // Of 100 and 101 % both readings of the records are possible, where nobody says which it is.
    let page = server.page(&format!("/hours?first={first}&day=2026-06-21&exchanged=13:00")).await;
    assert!(page.contains("no difference over 2.0") && page.contains("the interval holds both"));
    // Without a choice the page begins with the logs of the same hours.
    assert!(server.page("/hours").await.contains("no difference over"));
    let page = server.page(&format!("/hours?first={first}&hours=12-noon&checks=x&exchanged=y")).await;
    assert!(page.matches("is no stretch of the day").count() == 2 && page.contains("is not a time of the day"));
    // Days without a measured irradiance: clouds stand in the ratio. A day without samples, and one that is none.
    let page = server.page(&format!("/hours?first={first}&day=2026-06-21&other_day=2026-06-21")).await;
    assert!(page.contains("can\u{2019}t tell, because no irradiance was measured"), "{page}");
    assert!(
        server.page(&format!("/hours?first={first}&day=2026-06-21&other_day=2026-06-20")).await.contains("has no watts on one")
    );
    assert!(server.page(&format!("/hours?first={first}&other_day=soon")).await.contains("is not a date"));
    assert_eq!(server.get("/hours").await.status(), 200);
}

/// Two hours of a day are missing, and the meter's own counter went back to nothing: both are named with their codes, and the page says
/// them.
#[tokio::test]
async fn a_gap_and_a_reset_counter_are_named() {
    let server = bench().await;
    let samples: Vec<Value> = day(150.0, 0.0)
        .iter()
        .filter(|(minute, _)| !(300..420).contains(minute))
        .map(|(minute, watts)| {
            let counter = if *minute < 500 { 1000.0 + *minute as f64 } else { (*minute - 500) as f64 };
            json!({"time_utc": format!("2026-09-18T{:02}:{:02}:00Z", 6 + minute / 60, minute % 60), "power_w": (watts * 100.0).round() / 100.0, "energy_wh": counter})
        })
        .collect();
    let body = json!({"name": "roof", "panel": "S-1", "tilt_deg": 30, "azimuth_deg": 180, "samples": samples});
    let (status, answer) = server.json("/api/v1/logs", body).await;
    assert_eq!(status, 201, "{answer}");
    let id = answer["id"].as_i64().unwrap();
    let one: Value = server.get(&format!("/api/v1/logs/{id}")).await.json().await.unwrap();
    let codes: Vec<&str> = one["day"]["named"].as_array().unwrap().iter().filter_map(|named| named["code"].as_str()).collect();
    assert!(codes.contains(&"gap") && codes.contains(&"counter_reset"), "{one}");
    let page = server.page(&format!("/logs/{id}")).await;
    assert!(page.contains("without samples could hold up to") && page.contains("counter went back to zero"));
}

/// A log an hour ahead of the sun is named, and put right by one key.
#[tokio::test]
async fn a_clock_an_hour_ahead_is_named_and_put_right() {
    let server = server::Server::demo().await;
    let own = server.store.log(1).await.unwrap();
    let ahead = flindo_store::Belongs { ahead_s: -3600.0, ..own.belongs.clone() };
    server.store.bind_log(1, &ahead).await.unwrap();
    let page = server.page("/logs/1?day=2026-09-18").await;
    assert!(page.contains("The clock of the logger is 1 hour ahead of the sun"), "{page}");
    server.store.bind_log(1, &own.belongs).await.unwrap();
    assert!(!server.page("/logs/1?day=2026-09-18").await.contains("The clock of the logger is"));
}

#[tokio::test]
async fn what_keeps_up_is_answered_and_wrong_input_too() {
    let server = bench().await;
    let page = server.page("/keep-up?watts=800&capacity_wh=4000").await;
    assert!(page.contains("Keeps up in all 20 years"));
    let page = server.page("/keep-up?watts=100&spot_percent=30&capacity_wh=500").await;
    assert!(page.contains("Goes flat"));
    let page = server.page("/keep-up?load=hours&by_hour=1+2+3").await;
    assert!(page.contains("Write 24 figures"));
    let page = server.page("/keep-up?load=events&per_day=120&wh_each=0.02&idle_w=0.05&watts=5&capacity_wh=60").await;
    assert!(page.contains("3.6"), "3.6 Wh a day");
    for query in ["watts=none", "tilt_deg=100", "sky=climate:moon", "capacity_wh=-5", "usable_percent=0"] {
        assert!(server.page(&format!("/keep-up?{query}")).await.contains("role=\"alert\""), "{query}");
    }
}
