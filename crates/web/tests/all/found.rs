//! Results found, ranked and compared again, through the pages: as somebody does who follows what the screen says.

use crate::jobs::{add, assessed, bench, by_level};
use crate::server::Server;
use serde_json::{Value, json};

/// How many lines of the logbook a query finds.
async fn found(server: &Server, query: &str) -> usize {
    server.page(&format!("/results?{query}")).await.matches("class=\"test-row\"").count()
}

#[tokio::test]
async fn the_logbook_finds_by_every_field_and_by_words_of_notes() {
    let server = Server::demo().await;
    let all = found(&server, "").await;
    assert_eq!(all, 36, "33 tests, two logs and a review");
    for (query, count) in [
        ("what=tests", 33),
        ("what=logs", 2),
        ("what=reviews", 1),
        ("panel=u-1", 4),
        ("kind=Bistre+240", 1),
        ("question=shade_cost", 4),
        ("question=shade_cost&panel=V-1", 1),
        ("verdict=below&panel=U-1", 3),
        ("verdict=cant_tell", 1),
        ("place=Workshop+yard&what=tests", 33),
        ("place=Elsewhere", 0),
        ("from=2026-10-01", 3),
        ("to=2024-12-31", 2),
        ("from=2026-01-24&to=2026-01-24", 2),
        // A word of a note, of a level, of an event, of a kind; all of them.
        ("q=droppings", 1),
        ("q=FROST", 1),
        ("q=towel", 3),
        ("q=towel+verdigris", 1),
        ("q=three+pairs", 1),
        ("q=gimlet", 4),
        ("q=no-such-word", 0),
    ] {
        assert_eq!(found(&server, query).await, count, "{query}");
    }
    let refused = server.page("/results?from=yesterday").await;
    assert!(refused.contains("is not a date") && refused.contains("value=\"yesterday\""));
}

/// Every row has its answer with its interval, or says what is missing; no dash stands for one.
#[tokio::test]
async fn no_row_of_the_logbook_is_without_an_answer() {
    let server = Server::demo().await;
    let page = server.page("/results?what=tests").await;
    for row in page.split("class=\"test-row\"").skip(1) {
        let answer = row.split("class=\"what\">").nth(1).unwrap().split("class=\"scale\"").next().unwrap();
        assert!(["\u{b1}", "because", "Keep", "stays open"].iter().any(|told| answer.contains(told)), "{row}");
    }
}

#[tokio::test]
async fn the_logbook_is_paged_and_keeps_its_filter() {
    let server = bench().await;
    for nth in 0..53 {
        assessed(
            &server,
            json!({"question": "makes_rating", "panel": if nth < 52 { "S-1" } else { "S-2" }}),
            &["180 W 900 W/m2 45 C"],
        )
        .await;
    }
    assert_eq!((found(&server, "").await, found(&server, "tests=2").await), (50, 3));
    assert_eq!((found(&server, "panel=S-1").await, found(&server, "panel=S-1&tests=2").await), (50, 2));
    let page = server.page("/results?panel=S-1").await;
    assert!(page.contains("panel=S-1&amp;tests=2") && page.contains("3 to 52 of 52"), "{page}");
}

/// Three products on three days, five figures each: three forms and a choice, and one table with ranks.
#[tokio::test]
async fn three_products_are_one_table_in_under_ten_acts() {
    let server = bench().await;
    add(&server, "rigs", json!({"name": "Umber pair", "wiring": "U-1 | U-2", "ends_in": "load_tester"})).await;
    let ochre = json!({"name": "Ochre 200", "rated_w": 200, "voc_v": 44.0, "isc_a": 6.5, "vmp_v": 34.5, "imp_a": 5.8, "cells_in_series": 68,
        "technology": "thin_film", "construction": "thin_film_many_diodes"});
    add(&server, "panels", json!({"tag": "O-1..O-2", "kind": ochre})).await;
    add(&server, "rigs", json!({"name": "Ochre pair", "wiring": "O-1 | O-2", "ends_in": "load_tester"})).await;
    let rigs = server.store.rigs().await.unwrap();
    let panels = server.store.panels().await.unwrap();
    let mut acts = 0;
    let levels = "towel across the middle of each; bottom corner of the first; strip along the bottom of each; panel 1 covered";
    for (rig, tag, figures) in [
        ("Pair", "S-1", [270, 10, 6, 0, 160]),
        ("Umber pair", "U-1", [298, 9, 10, 47, 123]),
        ("Ochre pair", "O-1", [320, 51, 102, 187, 168]),
    ] {
        let rig = rigs.iter().find(|row| row.draft.name == rig).unwrap().id.to_string();
        let panel = panels.iter().find(|panel| panel.tag() == tag).unwrap().id.to_string();
        let lines = figures.map(|watts| format!("{watts} W")).join("\n");
        let form = [
            ("panel_id", panel.as_str()),
            ("rig_id", &rig),
            ("baseline", "none"),
            ("levels", levels),
            ("order", "aba"),
            ("load", "load_tester"),
            ("start", "2026-06-21T12:00"),
            ("taken_lines", &lines),
        ];
        let answer = server.post("/plan/shade_cost", &form).await;
        acts += 2;
        assert_eq!(answer.status(), 303, "{}", answer.text().await.unwrap());
    }
    let tests = server.get("/api/v1/tests").await.json::<Value>().await.unwrap();
    let uids: Vec<String> = tests["items"]
        .as_array()
        .unwrap_or_else(|| panic!("{tests}"))
        .iter()
        .rev()
        .map(|one| one["uid"].as_str().unwrap().to_owned())
        .collect();
    let form: Vec<(&str, &str)> = uids.iter().map(|uid| ("test", uid.as_str())).collect();
    let answer = server.post("/reviews", &form).await;
    acts += 2;
    assert!(answer.status() == 303 && acts < 10, "{acts}");
    let review = server.get("/api/v1/reviews/1").await.json::<Value>().await.unwrap();
    let names: Vec<&str> = review["subjects"].as_array().unwrap().iter().map(|one| one["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["2 \u{d7} Saffron 200", "2 \u{d7} Umber 250", "2 \u{d7} Ochre 200"]);
    let cell = |row: usize, column: usize| review["rows"][row]["cells"][column].clone();
    for (row, expected) in [[3.7, 3.0, 15.9], [2.2, 3.4, 31.9], [0.0, 15.8, 58.4], [59.3, 41.3, 52.5]].iter().enumerate() {
        for (column, percent) in expected.iter().enumerate() {
            assert!((cell(row, column)["percent"].as_f64().unwrap() - percent).abs() < 0.06, "{review}");
        }
    }
    // 58.4 before 15.8 before 0.
    assert_eq!((0..3).map(|column| cell(2, column)["rank"].as_u64().unwrap()).collect::<Vec<_>>(), [3, 2, 1]);
    assert!(review["apart"].to_string().contains("Watts as read of different days"), "{review}");
    let page = server.page("/reviews/1").await;
    assert!(page.contains("many diodes") || page.contains("diodes"), "the reason stands below the figures");
}

#[tokio::test]
async fn claims_are_held_refuted_or_left_open() {
    let server = Server::demo().await;
    let review = server.get("/api/v1/reviews/1").await.json::<Value>().await.unwrap();
    assert_eq!(review["claims"][0]["verdict"], "held", "{review}");
    let claim = |than: &'static str, low: &'static str, high: &'static str| {
        [("subject", "2 \u{d7} Verdigris 200"), ("than", than), ("pattern", "panel 1 covered"), ("low", low), ("high", high)]
    };
    assert_eq!(server.post("/reviews/1", &claim("2 \u{d7} Sepia 200", "20", "25")).await.status(), 303);
    let review = server.get("/api/v1/reviews/1").await.json::<Value>().await.unwrap();
    assert_eq!(review["claims"][1]["verdict"], "refuted", "{review}");
    for (than, low, high) in
        [("2 \u{d7} Sepia 200", "x", ""), ("2 \u{d7} Sepia 200", "20", "10"), ("2 \u{d7} Verdigris 200", "20", "")]
    {
        assert_eq!(server.post("/reviews/1", &claim(than, low, high)).await.status(), 422, "{than} {low} {high}");
    }
    assert_eq!(server.post("/reviews", &[("test", "nothing")]).await.status(), 422);
    assert_eq!(server.post("/reviews", &[("name", "empty")]).await.status(), 422);
    assert_eq!(server.get("/reviews/99").await.status(), 404);
    let (status, answer) = server.json("/api/v1/reviews", json!({"tests": "all"})).await;
    assert_eq!((status, &answer["error"]["field"]), (422, &json!("tests")));
    assert_eq!(server.json("/api/v1/reviews", json!({"tests": ["x"]})).await.0, 422);
}

/// Ten panels in one noon on one rack: one test, one line a panel, ranked by percent and by price.
#[tokio::test]
async fn panels_of_one_noon_are_ranked_by_percent_and_by_price() {
    let server = bench().await;
    let form = [
        ("panel_id", "1"),
        ("baseline", "S-1"),
        ("levels", "S-2; U-1; U-2"),
        ("order", "repeats"),
        ("times", "1"),
        ("load", "load_tester"),
        ("sun", "plane_meter"),
        ("cell_temperature", "back_probe"),
        ("tilt_deg", "30"),
        ("azimuth_deg", "180"),
        ("start", "2026-06-21T12:00"),
        ("taken_lines", "S-1: 170 W 950 W/m2 50 C\nS-2: 120 W 950 W/m2 50 C\nU-1: 190 W 950 W/m2 50 C\nU-2: 100 W 950 W/m2 50 C"),
    ];
    let answer = server.post("/plan/makes_rating", &form).await;
    assert_eq!(answer.status(), 303, "{}", answer.text().await.unwrap());
    let order = |page: &str| {
        let rows = page.split("<tr><th scope=\"row\"").skip(1);
        rows.map(|row| row.split("</a>").next().unwrap().rsplit('>').next().unwrap().to_owned()).collect::<Vec<String>>()
    };
    let league = server.page("/league").await;
    assert_eq!(order(&league), ["S-1", "U-1", "S-2", "U-2"], "{league}");
    // 35 for 190 W at STC and more, against 90 for the others.
    let by_price = order(&server.page("/league?by=price_per_w").await);
    assert_eq!(by_price[..2], ["U-1", "U-2"]);
    let page = server.page("/league?by=w_per_kg").await;
    assert!(page.contains("the weight is not on the label"));
    // One line too few is told beside its field, and nothing is lost.
    let short: Vec<(&str, &str)> =
        form.iter().map(|(name, text)| if *name == "taken_lines" { (*name, "170 W\n120 W") } else { (*name, *text) }).collect();
    let answer = server.post("/plan/makes_rating", &short).await;
    assert_eq!(answer.status(), 422);
    let page = answer.text().await.unwrap();
    assert!(page.contains("2 lines: write one for each of the 4 levels") && page.contains("170 W\n120 W"), "{page}");
}

#[tokio::test]
async fn a_panels_page_has_its_curve_its_history_and_its_rank() {
    let server = Server::demo().await;
    let id = server.store.panels().await.unwrap().iter().find(|panel| panel.tag() == "U-1").unwrap().id;
    let page = server.page(&format!("/panels/{id}")).await;
    // Two lines of the label, and each reading of three tests on both: 13 of 14 with watts at STC.
    assert!(page.contains("class=\"amps\"") && page.matches("class=\"measured ").count() >= 13, "{page}");
    for told in ["%/year over 3.0 years, from 3 tests", "median of field studies", "cleaned", "moved", "rank"] {
        assert!(page.contains(told), "{told}");
    }
    let event = [("day", "2026-11-01"), ("what", "repaired"), ("text", "new diode")];
    assert_eq!(server.post(&format!("/panels/{id}/events"), &event).await.status(), 303);
    assert!(server.page(&format!("/panels/{id}")).await.contains("new diode"));
    for event in [
        [("day", "soon"), ("what", "repaired")],
        [("day", "2026-11-01"), ("what", "sold")],
        [("day", "1500-01-01"), ("what", "moved")],
    ] {
        assert_eq!(server.post(&format!("/panels/{id}/events"), &event).await.status(), 422, "{event:?}");
    }
    let kind = server.store.kinds().await.unwrap().into_iter().find(|kind| kind.draft.name == "Bistre 240").unwrap().id;
    let page = server.page(&format!("/kinds/{kind}")).await;
    for told in ["best 97.8", "(10 pieces)", "of 10 under half", "substrings failed", "reject"] {
        assert!(page.contains(told), "{told}: {page}");
    }
    let awl = server.store.gear().await.unwrap().into_iter().find(|row| row.draft.name == "Awl 15").unwrap().id;
    let page = server.page(&format!("/gear/{awl}")).await;
    assert!(page.contains("not tracking, though sold as tracking"), "{page}");
}

/// A predicting page hands its conditions to the plan; the test knows it, and the page shows what was measured.
#[tokio::test]
async fn a_prediction_becomes_a_test_under_the_same_conditions() {
    let server = bench().await;
    let fields =
        [("wiring", "S-1 | S-2"), ("pattern", "band"), ("size", "20"), ("through", "3"), ("every", "yes"), ("kept_as", "Towel")];
    let answer = server.post("/calculations?page=/shade&do=test", &fields).await;
    let to = answer.headers()["location"].to_str().unwrap().to_owned();
    assert!(to.starts_with("/plan/shade_cost?") && to.contains("rig=1") && to.contains("calculation=1"), "{to}");
    let plan = server.page(&to).await;
    assert!(
        plan.contains("band across the middle 20 %, 3 % through on each panel")
            && plan.contains("name=\"calculation\" value=\"1\""),
        "{plan}"
    );
    let body = json!({"question": "shade_cost", "rig": "Pair", "plan": {"baseline": {"shade": "none"}, "levels": [{"shade": "band across the middle 20 %, 3 % through on each panel"}], "order": "aba"}});
    let answer = by_level(&server, body, &["300 W", "12 W"]).await;
    let predicted = answer["predicted"]["levels"][0]["percent"].as_f64().unwrap();
    // The page says the same of the same conditions.
    let page = server.page("/shade?wiring=S-1+%7C+S-2&pattern=band&size=20&through=3&every=yes").await;
    let left: f64 =
        page.split("left-over\"><strong class=\"big\">").nth(1).unwrap().split('\u{a0}').next().unwrap().parse().unwrap();
    assert!((left - predicted).abs() < 2.0, "{left} {predicted}");
    // Every page that predicts has its way to a test, or says why it has none.
    for (page, fields, question) in [
        ("/ways", vec![("wiring", "2 x S-1"), ("pattern", "left"), ("size", "20")], "series_or_parallel"),
        ("/shadow", vec![("wiring", "2 x S-1")], "how_much_in_a_day"),
        ("/unlike", vec![("set", "S-1; U-1")], "unlike_together"),
        ("/controllers", vec![("wiring", "S-1")], "which_controller"),
        ("/strings", vec![("rows", "oo\nox")], "which_strings"),
        ("/tilt", vec![("azimuth_deg", "180")], "which_tilt"),
    ] {
        let answer = server.post(&format!("/calculations?page={page}&do=test"), &fields).await;
        let to = answer.headers().get("location").map(|to| to.to_str().unwrap().to_owned());
        let to = to.unwrap_or_else(|| panic!("{page}"));
        assert!(to.starts_with(&format!("/plan/{question}?")), "{page}: {to}");
        let plan = server.page(&to).await;
        assert!(!plan.contains("class=\"alert alert-danger\""), "{page}: {plan}");
    }
    let kept = server.post("/calculations?page=/shade&do=keep", &[("wiring", "S-1"), ("kept_as", "Chimney")]).await;
    assert!(kept.headers()["location"].to_str().unwrap().starts_with("/shade?wiring=S-1"));
    assert!(server.page("/shade").await.contains("Chimney"));
    let both = [("wiring", "S-1"), ("pattern", "left"), ("paint0", "3.4")];
    let both = server.post("/calculations?page=/shade&do=test", &both).await;
    let plan = server.page(both.headers()["location"].to_str().unwrap()).await;
    assert!(!plan.contains("class=\"alert alert-danger\""), "{plan}");
    let nothing_there: [(&str, &str); 0] = [];
    assert_eq!(server.post("/calculations?page=/nowhere&do=test", &nothing_there).await.status(), 404);
}

#[tokio::test]
async fn the_overview_says_what_to_go_on_with_and_what_would_settle() {
    let server = Server::demo().await;
    let page = server.page("/").await;
    for told in ["Which tilt?", "2 runs to go", "What would settle it", "irradiance over 700", "Ranks that each can have"] {
        assert!(page.contains(told), "{told}: {page}");
    }
    let again = server.page("/again").await;
    assert!(again.contains("Never tested") && again.contains("Can\u{2019}t tell: needs irradiance over 700"), "{again}");
}

/// While a string after the other is cleared: what was read is kept as a test.
#[tokio::test]
async fn the_log_of_clearing_is_kept() {
    let server = bench().await;
    let form = [("panel", "1"), ("cleared", "nothing: 0 W\nstring 1: 500 W\nstrings 1 and 2: 1100 W")];
    let answer = server.post("/strings", &form).await;
    assert_eq!(answer.status(), 303);
    let page = server.page(answer.headers()["location"].to_str().unwrap()).await;
    assert!(page.contains("strings 1 and 2") && page.contains("1100"), "{page}");
    assert_eq!(server.post("/strings", &[("cleared", "500 W")]).await.status(), 422);
}

/// Withdrawn by a page and restored by a program; what refers to it stays.
#[tokio::test]
async fn what_was_withdrawn_is_in_no_list_and_comes_back() {
    let server = Server::demo().await;
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.tag() == "U-1").unwrap();
    let before = found(&server, "panel=u-1").await;
    let asked = server.page(&format!("/withdrawn/panel/{}", panel.id)).await;
    assert!(asked.contains("refer to it and stay as they are"), "{asked}");
    assert_eq!(server.post(&format!("/withdrawn/panel/{}", panel.id), &[("reason", "sold")]).await.status(), 303);
    assert!(!server.page("/league").await.contains(">U-1<"));
    assert!(!server.page("/panels").await.contains(">U-1<"));
    assert!(server.page("/withdrawn").await.contains("sold"));
    assert_eq!(found(&server, "panel=u-1").await, before);
    let (status, stands) = server.json(&format!("/api/v1/withdrawn/panel/{}/restore", panel.id), json!({})).await;
    assert_eq!((status, &stands["is_withdrawn"]), (200, &json!(false)));
    assert!(server.page("/panels").await.contains(">U-1<"));
    let test = server.store.newest_test().await.unwrap().unwrap();
    let path = format!("/api/v1/withdrawn/test/{}", test.id);
    assert_eq!(server.json(&path, json!({ "why": "" })).await.0, 422);
    assert_eq!(server.json(&path, json!({ "reason": "twice" })).await.0, 200);
    assert_eq!(found(&server, "what=tests").await, 32);
    assert_eq!(server.json("/api/v1/withdrawn/test/99999", json!({})).await.0, 404);
    assert_eq!(server.json("/api/v1/withdrawn/thing/1", json!({})).await.0, 404);
}

/// Words in notes, in what was done to a panel, in fields of gear and in captions lead to their records; every word has to be there, signs of
/// a pattern are signs, and what is withdrawn is not found.
#[tokio::test]
async fn one_box_finds_what_was_written_anywhere() {
    let server = bench().await;
    add(
        &server,
        "panels",
        json!({"tag": "Z-1", "kind": "Saffron 200", "notes": "hail of May, 100% wet_leads", "provenance": "dismantled carport"}),
    )
    .await;
    add(
        &server,
        "gear",
        json!({"kind": "meter", "name": "Shed meter", "notes": "borrowed from Ines", "calibrated": "2026-03-14"}),
    )
    .await;
    let id = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "Z-1").unwrap().id;
    let event = [("day", "2026-05-02"), ("what", "repaired"), ("text", "new junction box")];
    assert_eq!(server.post(&format!("/panels/{id}/events"), &event).await.status(), 303);
    let reading = json!({"uid": "noted-0001", "typed": "18.9 V 9.1 A 960 W/m2 47 C # gusts from the west", "taken_utc": "2026-06-21T11:25:00Z"});
    let test = add(&server, "tests", json!({"question": "makes_rating", "panel": "S-1"})).await;
    let (status, answer) = server.json(&format!("/api/v1/tests/{}/readings", test["id"]), reading).await;
    assert_eq!(status, 201, "{answer}");
    let found = async |words: &str| -> Vec<String> {
        let answer = server.get(&format!("/api/v1/search?q={}", words.replace('%', "%25").replace(' ', "+"))).await;
        let answer: serde_json::Value = answer.json().await.unwrap();
        let items = answer["items"].as_array().unwrap();
        items.iter().map(|item| format!("{} {}", item["what"].as_str().unwrap(), item["name"].as_str().unwrap())).collect()
    };
    for (words, wanted) in [
        ("hail", vec!["panel Z-1"]),
        ("CARPORT hail", vec!["panel Z-1"]),
        ("junction", vec!["panel Z-1"]),
        ("hail junction ines", vec![]),
        ("ines", vec!["gear Shed meter"]),
        ("2026-03-14", vec!["gear Shed meter"]),
        ("0%w", vec![]),
        ("100%", vec!["panel Z-1"]),
        ("t_l", vec!["panel Z-1"]),
        ("1_0", vec![]),
        ("", vec![]),
        ("gimlet", vec!["gear Gimlet 20"]),
        ("yard", vec!["test S-1, 2026-06-21", "place Yard"]),
    ] {
        assert_eq!(found(words).await, wanted, "{words}");
    }
    assert_eq!(found("gusts west").await, ["test S-1, 2026-06-21"]);
    assert_eq!(found("prediction").await, Vec::<String>::new());
    let page = server.page("/search?q=hail").await;
    assert!(page.contains(&format!("href=\"/panels/{id}\"")) && page.contains("hail of May"), "{page}");
    let withdrawn = server.post(&format!("/withdrawn/panel/{id}"), &[("reason", "entered twice")]).await;
    assert_eq!(withdrawn.status(), 303);
    assert_eq!(found("hail").await, Vec::<String>::new());
}
