//! Lists as tables, and panels from one.

use crate::jobs::{add, assessed, bench};
use crate::server::Server;
use serde_json::{Value, json};

async fn table(server: &Server, path: &str) -> Vec<Vec<String>> {
    let answer = server.get(path).await;
    assert!(answer.status().is_success(), "{path}");
    let text = answer.text().await.unwrap();
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    reader.records().map(|row| row.unwrap().iter().map(str::to_owned).collect()).collect()
}

async fn bring(server: &Server, text: &str) -> (u16, String) {
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let answer =
        client.post(format!("{}/api/v1/panels.csv", server.base)).header("content-type", "text/csv").body(text.to_owned());
    let answer = answer.send().await.unwrap();
    (answer.status().as_u16(), answer.text().await.unwrap())
}

/// What one bench writes, another reads, and writes again letter for letter; a cell that a spreadsheet would run is text on the way.
#[tokio::test]
async fn a_list_of_panels_goes_from_bench_to_bench() {
    let (here, there) = (bench().await, Server::own().await);
    add(&here, "panels", json!({"tag": "Z-1", "kind": "Saffron 200", "is_used": true, "age_years": 7, "price": 35, "notes": "=1+1, \"odd\"", "defects": ["discoloured_cells"]})).await;
    let written = here.get("/api/v1/panels.csv").await.text().await.unwrap();
    assert!(written.contains("\"'=1+1, \"\"odd\"\"\""), "{written}");
    let (status, answer) = bring(&there, &written).await;
    assert_eq!(status, 201, "{answer}");
    assert_eq!(there.get("/api/v1/panels.csv").await.text().await.unwrap(), written);
    // A second time every tag is taken, and nothing is added.
    let (status, answer) = bring(&there, &written).await;
    assert!(status == 422 && answer.contains("Line 2") && answer.contains("there already, on the bench"), "{status} {answer}");
    assert_eq!(there.get("/api/v1/panels.csv").await.text().await.unwrap(), written);
}

/// A wrong line is told with its column, and nothing of the table is kept, no kind either.
#[tokio::test]
async fn a_wrong_table_of_panels_leaves_nothing() {
    let server = Server::own().await;
    let head = "tag,kind,is_used,age_years,rated_w";
    for (rows, line, column) in [
        ("A-1,Ochre 100,yes,3,100\nA-2,Ochre 100,perhaps,3,", 3, "is_used"),
        ("A-1,Ochre 100,yes,old,100", 2, "age_years"),
        ("A-1,Ochre 100,yes,3,100\n a-1 ,Ochre 100,no,,", 3, "tag"),
        ("A-1,,no,1,100", 2, "kind"),
        ("A-1,Ochre 100,no,1,", 2, "rated_w"),
        ("A-1,Ochre 100,no,1,-5", 2, "rated_w"),
        ("A-1,Ochre 100,no", 2, "1"),
        ("", 2, "tag"),
    ] {
        let (status, answer) = bring(&server, &format!("{head}\n{rows}\n")).await;
        assert!(status == 422 && answer.contains(&format!("Line {line}, column {column}")), "{rows}: {status} {answer}");
        assert_eq!(
            table(&server, "/api/v1/panels.csv").await.len() + table(&server, "/api/v1/panel-kinds.csv").await.len(),
            2,
            "{rows}"
        );
    }
    assert!(bring(&server, "tag,kind,colour\nA-1,Ochre 100,blue\n").await.1.contains("Line 1, column colour"));
    assert!(bring(&server, "tag\nA-1\n").await.1.contains("Line 1, column kind"));
    // A batch of a kind that the table brings along.
    let (status, answer) = bring(&server, &format!("{head}\nA-1..A-3,Ochre 100,used,3,100\nB-1,ochre 100,new,,\n")).await;
    assert!(status == 201 && answer.contains("4"), "{status} {answer}");
    let panels = table(&server, "/api/v1/panels.csv").await;
    assert_eq!(panels[1..].iter().map(|row| row[0].as_str()).collect::<Vec<_>>(), ["A-1", "A-2", "A-3", "B-1"]);
    assert_eq!(table(&server, "/api/v1/panel-kinds.csv").await.len(), 2);
}

#[tokio::test]
async fn gear_league_and_logbook_are_tables() {
    let server = bench().await;
    let full = "18.3 V 8.40 A 880 W/m2 48 C";
    let answer = assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &[full, full, full]).await;
    let gear = table(&server, "/api/v1/gear.csv").await;
    assert!(gear[0][..3] == ["gear", "name", "notes"] && gear[1..].iter().any(|row| row[1] == "Lathe 30"), "{gear:?}");
    let league = table(&server, "/api/v1/league.csv?of=panels").await;
    let of = |name: &str| league[0].iter().position(|head| head == name).unwrap();
    assert_eq!((league[1][of("name")].as_str(), league[1][of("rank_low")].as_str()), ("S-1", "1"));
    let (value, percent) = (league[1][of("value")].parse::<f64>().unwrap(), answer["percent"].as_f64().unwrap());
    assert!((value - percent).abs() < 1e-9 && league[1][of("unit")] == "%", "{league:?}");
    let logbook = table(&server, "/api/v1/logbook.csv").await;
    assert_eq!(logbook.len(), 2);
    assert!(
        logbook[1][2] == "makes_rating" && logbook[1][3] == "S-1" && logbook[1].last().unwrap().contains("S-1"),
        "{logbook:?}"
    );
}

/// Two panels in tests of their own, 8 of 102 % apart, each within 7 %. Read with whatever there was they share a rank; read with meters that the bench knows they
/// are told apart, also by the setting that is changed afterwards on the page.
#[tokio::test]
async fn a_league_knows_which_meters_its_tests_share() {
    let server = bench().await;
    for (name, kind) in [("Shed meter", "load_tester"), ("Plane meter", "irradiance")] {
        add(&server, "gear", json!({"kind": "meter", "name": name, "meter_kind": kind, "calibrated": "2026-02-10"})).await;
    }
    let ranks = async || -> Vec<(String, String, String)> {
        let rows = table(&server, "/api/v1/league.csv").await;
        rows.into_iter().skip(1).map(|row| (row[2].clone(), row[0].clone(), row[1].clone())).collect()
    };
    let named =
        |of: [(&str, &str, &str); 2]| of.map(|(name, low, high)| (name.to_owned(), low.to_owned(), high.to_owned())).to_vec();
    let lines = |amps: f64| -> Vec<String> {
        (0..6).map(|nth| format!("19.60 V {:.3} A 962 W/m2 45.0 C", amps + 0.001 * f64::from(nth))).collect()
    };
    let meters = json!({"volts": "Shed meter", "amps": "shed meter", "irradiance": "Plane meter"});
    for (tag, amps) in [("S-1", 9.17), ("S-2", 8.45)] {
        let lines = lines(amps);
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        assessed(&server, json!({"question": "makes_rating", "panel": tag, "setup": {}}), &lines).await;
    }
    assert_eq!(ranks().await, named([("S-1", "1", "2"), ("S-2", "1", "2")]));
    for (tag, amps) in [("S-1", 9.17), ("S-2", 8.45)] {
        let lines = lines(amps);
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let body = json!({"question": "makes_rating", "panel": tag, "setup": {}, "meters": meters});
        assessed(&server, body, &lines).await;
    }
    for id in 1..=2 {
        assert!(server.page(&format!("/tests/{id}/edit")).await.contains("Shed meter"));
        let mut form: Vec<(String, String)> = vec![("meter_irradiance".into(), "Plane meter".into())];
        form.extend(
            [("sun", "plane_meter"), ("tilt_deg", "30"), ("load", "load_tester"), ("cell_temperature", "back_probe")]
                .map(|(a, b)| (a.to_owned(), b.to_owned())),
        );
        form.extend([("meter_volts", "Shed meter"), ("meter_amps", "Shed meter")].map(|(a, b)| (a.to_owned(), b.to_owned())));
        let answer = server.request(reqwest::Method::POST, &format!("/tests/{id}")).form(&form).send().await.unwrap();
        assert_eq!(answer.status(), 303, "{}", answer.text().await.unwrap());
    }
    assert_eq!(ranks().await, named([("S-1", "1", "1"), ("S-2", "2", "2")]));
    let shown: serde_json::Value = server.get("/api/v1/tests/3").await.json().await.unwrap();
    assert_eq!(shown["meters"], json!({"volts": "Shed meter", "amps": "Shed meter", "irradiance": "Plane meter"}));
    for wrong in [
        json!("Shed meter"),
        json!({"volts": "Nobody's"}),
        json!({"ohms": "Shed meter"}),
        json!({"volts": "Lathe 30"}),
        json!({"volts": 5}),
    ] {
        let (status, answer) =
            server.json("/api/v1/tests", json!({"question": "makes_rating", "panel": "S-1", "meters": wrong})).await;
        assert!(status == 422 && answer.to_string().contains("meters"), "{wrong}: {status} {answer}");
    }
}

/// A name that would turn the direction of writing is the same name in JSON, and shown for what it is on pages and in drawings.
#[tokio::test]
async fn a_name_that_turns_the_writing_around_is_shown_as_text() {
    let server = bench().await;
    let note = "roof \u{202e}W 05 top\u{202c}";
    add(&server, "panels", json!({"tag": "Z-1", "kind": "Saffron 200", "notes": note})).await;
    let panels: serde_json::Value = server.get("/api/v1/panels").await.json().await.unwrap();
    assert!(panels.to_string().contains(note), "{panels}");
    let id = panels["items"].as_array().unwrap().iter().find(|panel| panel["tag"] == "Z-1").unwrap()["id"].as_i64().unwrap();
    let page = server.page(&format!("/panels/{id}")).await;
    assert!(page.contains("roof [U+202E]W 05 top[U+202C]") && !page.contains('\u{202e}'), "{page}");
}

/// What each reading comes to at STC, and why one does not count. With a probe at the cells and a panel without losses of its own the
/// figure is the watts over the light and the temperature factor (IEC 60891:2021, procedure 1, of power alone).
#[tokio::test]
async fn the_readings_of_a_test_at_stc_are_a_table() {
    let server = bench().await;
    let lines = ["18.3 V 8.40 A 880 W/m2 48 C", "18.3 V 8.38 A 880 W/m2 48 C", "18.3 V 1.40 A 150 W/m2 30 C"];
    assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &lines).await;
    let rows = table(&server, "/api/v1/tests/1/at-stc.csv").await;
    let of = |name: &str| rows[0].iter().position(|head| head == name).unwrap();
    let number = |row: usize, name: &str| rows[row][of(name)].parse::<f64>().unwrap();
    assert_eq!(rows.len(), 4);
    assert_eq!((number(1, "voltage_v"), number(1, "current_a"), number(1, "irradiance_w_m2")), (18.3, 8.4, 880.0));
    // Read at the back: the cells are some kelvin warmer.
    let warmer_k = number(1, "cell_c") - 25.0;
    assert!((23.0..28.0).contains(&warmer_k), "{warmer_k}");
    let by_hand_w = 18.3 * 8.4 / 0.88 / (1.0 - 0.0036 * warmer_k);
    assert!((number(1, "pmax_stc_w") / by_hand_w - 1.0).abs() < 0.005, "{} {by_hand_w}", number(1, "pmax_stc_w"));
    assert!((number(1, "percent") - number(1, "pmax_stc_w") / 2.0).abs() < 1e-9);
    assert!((2.0..8.0).contains(&number(1, "percent_u")));
    assert_eq!((rows[1][of("counts")].as_str(), rows[1][of("left_out")].as_str()), ("yes", ""));
    assert!(rows[3][of("counts")] == "no" && rows[3][of("left_out")].starts_with("weak_sun: "), "{:?}", rows[3]);
    assert_eq!(server.get("/api/v1/tests/99/at-stc.csv").await.status(), 404);
}

/// Every list is answered in one shape: `items`, `next` and `total`. Taken one item at a time it is the whole list, in its order, and a place
/// that is none is refused.
#[tokio::test]
async fn every_list_is_answered_alike() {
    let server = Server::demo().await;
    let got = async |path: &str| {
        let answer = server.get(path).await;
        (answer.status().as_u16(), answer.json::<Value>().await.unwrap())
    };
    let (_, description) = got("/api/v1/openapi.json").await;
    let mut lists = Vec::new();
    for (path, methods) in description["paths"].as_object().unwrap() {
        let schema = &methods["get"]["responses"]["200"]["content"]["application/json"]["schema"];
        assert_ne!(schema["type"], "array", "{path} is a bare list");
        let asks = methods["get"]["parameters"].as_array();
        if asks.is_some_and(|all| all.iter().any(|one| one["name"] == "after")) {
            lists.push(path.clone());
        }
    }
    assert!(lists.len() >= 16, "{lists:?}");
    for list in lists {
        let path = if list.contains("/panels/{id}") { list.replace("{id}", "3") } else { list.replace("{id}", "1") };
        let begin = if path.ends_with("/search") { "?q=a&" } else { "?" };
        let (status, whole) = got(&format!("{path}{begin}most=1000")).await;
        let items = whole["items"].as_array().unwrap();
        assert!(status == 200 && whole["next"].is_null() && whole["total"] == items.len(), "{path}: {whole}");
        let (mut single, mut next) = (Vec::new(), Value::from(0));
        while !next.is_null() && single.len() < 40 {
            let (_, part) = got(&format!("{path}{begin}most=1&after={next}")).await;
            assert!(part["items"].as_array().unwrap().len() <= 1 && part["total"] == whole["total"], "{path}: {part}");
            single.extend(part["items"].as_array().unwrap().clone());
            next = part["next"].clone();
        }
        assert_eq!(single, items[..items.len().min(40)], "{path}");
        for (asked, field) in
            [("most=0", "most"), ("most=1001", "most"), ("after=-1", "after"), ("after=x", "after"), ("after=", "after")]
        {
            let (status, refused) = got(&format!("{path}{begin}{asked}")).await;
            assert_eq!((status, &refused["error"]["field"]), (422, &Value::from(field)), "{path} {asked}: {refused}");
        }
    }
    server.stop().await;
}
