//! From an empty bench to an assessment, for every question: by the JSON for programs, and by the pages.

use crate::jobs::{assessed, bench, by_level, percent};
use flindo_core::record::condition::Factor;
use flindo_core::record::order::Order;
use flindo_core::record::question::Question;
use flindo_store::new_uid;
use serde_json::{Value, json};

#[tokio::test]
async fn every_question_goes_from_an_empty_bench_to_an_assessment() {
    let server = bench().await;
    let full = "18.3 V 8.40 A 880 W/m2 48 C";
    let less = "18.0 V 6.00 A 880 W/m2 48 C";
    // What is asked, of what, its plan, one line for the baseline and one for the level, and the percent of the level.
    let one = |level: Value, baseline: Value| json!({"baseline": baseline, "levels": [level], "order": "aba"});
    let ratio = 18.0 * 6.0 / (18.3 * 8.4) * 100.0;
    let cases: [(Question, Value, f64); 13] = [
        (Question::AgainstTwin, one(json!({"panel": "S-2"}), json!({"panel": "S-1"})), ratio),
        (Question::WhichTilt, one(json!({"tilt_deg": 12.5}), json!({"tilt_deg": 30})), ratio),
        (Question::FlatOrTilted, one(json!({"tilt_deg": 30}), json!({"tilt_deg": 0})), ratio),
        (Question::ShadeCost, one(json!({"shade": "one cell"}), json!({"shade": "none"})), ratio),
        (Question::SeriesOrParallel, one(json!({"wiring": "parallel"}), json!({"wiring": "series"})), ratio),
        (Question::WhichController, one(json!({"load": "Gimlet 20"}), json!({"load": "Lathe 30"})), ratio),
        (Question::HowMuchInADay, one(json!({"tilt_deg": 0}), json!({"tilt_deg": 30})), ratio),
        (Question::PoorLight, one(json!({"sun": "overcast"}), json!({"sun": "full sun"})), ratio),
        (Question::HeatCost, one(json!({"temperature": "warm"}), json!({"temperature": "cooled"})), ratio),
        (Question::BothFaces, one(json!({"face": "back"}), json!({"face": "front"})), ratio),
        (Question::WhichStrings, one(json!({"covers": "1"}), json!({"covers": "none"})), ratio),
        (Question::Improvements, one(json!({"step": "shade cut back"}), json!({"step": "as found"})), ratio),
        (Question::Cleaning, one(json!({"step": "cleaned"}), json!({"step": "as found"})), ratio),
    ];
    for (question, mut plan, expected) in cases {
        let of = if question == Question::SeriesOrParallel { json!({"rig": "Pair"}) } else { json!({"panel": "S-1"}) };
        if question == Question::Cleaning {
            plan["order"] = "before_after".into();
        }
        let mut body = json!({"question": question.name(), "plan": plan});
        body.as_object_mut().unwrap().extend(of.as_object().unwrap().clone());
        let answer = by_level(&server, body, &[full, less]).await;
        assert_eq!(answer["question"], question.name());
        let found = percent(&answer, 1);
        assert!((found - expected).abs() < 0.5, "{}: {found} for {expected}: {answer}", question.name());
        assert_eq!(answer["levels"][0]["verdict"], "less", "{}: {answer}", question.name());
    }
    // A sum: 16.0 A of 8.0 and 8.2 A. Then two ratings.
    let plan = json!({"baseline": {"wiring": "first alone"}, "levels": [{"wiring": "second alone"}, {"wiring": "both together"}], "order": "ladder_and_back"});
    let body = json!({"question": "unlike_together", "rig": "Pair", "plan": plan});
    let answer = by_level(&server, body, &["18 V 8.0 A 880 W/m2", "18 V 8.2 A 880 W/m2", "18 V 16.0 A 880 W/m2"]).await;
    assert!((answer["of_sum"]["percent"].as_f64().unwrap() - 16.0 / 16.2 * 100.0).abs() < 0.2, "{answer}");
    let answer = assessed(&server, json!({"question": "makes_rating", "panel": "S-1"}), &[full, full, full]).await;
    assert!((answer["percent"].as_f64().unwrap() - 96.7).abs() < 1.0, "{answer}");
    // The label allows no watt less: the chance of 100 % or more is that of 3.8 % over 3.3 % (a normal table: 12.5 %).
    assert!((answer["chance_percent"].as_f64().unwrap() - 12.5).abs() < 0.5 && answer["verdict"] == "probably_below", "{answer}");
    let used = json!({"baseline": {"panel": "U-1"}, "levels": [{"panel": "U-2"}], "order": "repeats"});
    let answer = assessed(
        &server,
        json!({"question": "used_panel", "panel": "U-1", "plan": used}),
        &["Voc 34.9 Isc 7.6 905 W/m2 48 C", "Voc 23.2 Isc 7.6 905 W/m2 48 C"],
    )
    .await;
    assert!(
        answer["named"].as_array().unwrap().iter().any(|one| one["code"] == "substring_out" && one["level"] == 1),
        "{answer}"
    );
    assert_eq!(Question::ALL.len(), 13 + 3);
}

/// The same by the forms: the plan as the page proposes it, one line for each run, and a result that shows what was read.
#[tokio::test]
async fn every_question_goes_through_its_pages() {
    let server = bench().await;
    let panels = server.store.panels().await.unwrap();
    let id_of = |tag: &str| panels.iter().find(|panel| panel.tag() == tag).unwrap().id.to_string();
    let rig = server.store.rigs().await.unwrap()[0].id.to_string();
    for question in Question::ALL {
        let card = question.card();
        // What a card proposes are examples; panels, rigs and controllers are those of the bench.
        let (baseline, levels) = match card.factor {
            Factor::Panel => ("S-1", "S-2"),
            Factor::Load => ("Lathe 30", "Gimlet 20"),
            _ => (card.baseline, card.levels),
        };
        let panel = id_of("S-1");
        let fields = [
            ("panel_id", panel.as_str()),
            ("rig_id", if card.factor == Factor::Wiring { rig.as_str() } else { "" }),
            ("baseline", baseline),
            ("levels", levels),
            ("order", card.order.name()),
            ("settle_s", "0"),
            ("load", "load_tester"),
            ("sun", "plane_meter"),
            ("cell_temperature", "back_probe"),
            ("start", "2026-06-21T12:25:00"),
        ];
        let made = server.post(&format!("/plan/{}", question.name()), &fields).await;
        assert_eq!(made.status(), 303, "{}: {}", question.name(), made.text().await.unwrap());
        let path = made.headers()["location"].to_str().unwrap().strip_suffix("/sheet").unwrap().to_owned();
        let id: i64 = path.rsplit('/').next().unwrap().parse().unwrap();
        let runs = server.store.runs(id).await.unwrap();
        assert!(!runs.is_empty(), "{}", question.name());
        for (nth, run) in runs.iter().enumerate() {
            let amps = if run.level == 0 { "8.40" } else { "6.00" };
            let line = if card.order == Order::Totals {
                format!("{amps} Ah {amps} Wh")
            } else {
                format!("18.2 V {amps} A 880 W/m2 48 C")
            };
            let (run, uid, at) = (run.id.to_string(), new_uid(), format!("2026-06-21T12:{:02}:00", 25 + nth % 30));
            let form = [
                ("uid", uid.as_str()),
                ("typed", line.as_str()),
                ("run", run.as_str()),
                ("taken", at.as_str()),
                ("set_time", "yes"),
            ];
            let sent = server.post(&format!("{path}/readings"), &form).await;
            assert!(sent.status().is_redirection() || sent.status().is_success(), "{}: {}", question.name(), sent.status());
        }
        for page in ["", "/sheet", "/result", "/report", "/assessment.csv", "/readings.csv"] {
            assert!(server.get(&format!("{path}{page}")).await.status().as_u16() < 400, "{}{page}", question.name());
        }
        let result = server.page(&format!("{path}/result")).await;
        let has_levels = runs.iter().any(|run| run.level > 0);
        assert!(result.contains("8.40") && result.contains("6.00") == has_levels, "{}: {result}", question.name());
    }
}
