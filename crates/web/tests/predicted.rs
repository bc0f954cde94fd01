//! What the circuit explains of a test, on the real server: predictions beside what was measured, and the steps of the ladder.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod server;

use flindo_core::panel::layout::Construction;
use flindo_core::protocol::question::Question;
use server::Server;

async fn test_of(server: &Server, question: Question) -> i64 {
    server.store.tests().await.unwrap().into_iter().find(|test| test.question == question).unwrap().id
}

#[tokio::test]
async fn a_measured_shade_test_shows_its_prediction_beside_each_pattern() {
    let server = Server::demo().await;
    let id = test_of(&server, Question::ShadeCost).await;
    for path in [format!("/tests/{id}/result"), format!("/tests/{id}/report")] {
        let page = server.page(&path).await;
        for told in [
            "Predicted from the panel\u{2019}s circuit",
            "Measured and predicted agree",
            "For 36 cells, 2 diodes, upright",
            "shade \u{2212}5",
            "class=\"predicted\"",
            "pattern=left&amp;size=25.00",
            "paint0=",
        ] {
            assert!(page.contains(told), "{path}: {told}");
        }
    }
    // Taken for another construction, the same readings contradict it, and the one that fits is named.
    let mut panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "S-1").unwrap();
    panel.draft.nameplate.construction = Some(Construction::DiodeEachCell);
    server.store.change_panel(panel.id, &panel.draft).await.unwrap();
    let page = server.page(&format!("/tests/{id}/result")).await;
    assert!(page.contains("off the prediction") && page.contains("36 cells, 2 diodes\u{201d} would fit"), "{page}");
    assert!(page.contains("of the baseline less than predicted"));
    let list = server.page("/").await;
    assert!(!list.contains("Predicted from"), "lists are not solved");
}

#[tokio::test]
async fn a_level_that_cannot_be_drawn_is_not_predicted_and_says_why() {
    let server = Server::demo().await;
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "S-1").unwrap().id.to_string();
    let fields = [
        ("panel_id", panel.as_str()),
        ("baseline", "none"),
        ("levels", "the neighbour\u{2019}s cat"),
        ("order", "aba"),
        ("settle_s", "0"),
        ("load", "load_tester"),
        ("sun", "plane_meter"),
        ("mounting", "landscape"),
        ("start", "2026-09-14T12:30:00"),
    ];
    let made = server.post("/plan/shade_cost", &fields).await;
    let path = made.headers()["location"].to_str().unwrap().strip_suffix("/sheet").unwrap().to_owned();
    let id: i64 = path.rsplit('/').next().unwrap().parse().unwrap();
    for (nth, (run, line)) in
        server.store.runs(id).await.unwrap().iter().zip(["18.3 V 8.4 A", "9.0 V 8.3 A", "18.3 V 8.4 A"]).enumerate()
    {
        let run = run.id.to_string();
        let form = [
            ("uid", flindo_store::new_uid()),
            ("typed", line.to_owned()),
            ("run", run),
            ("taken_utc", format!("2026-09-14T12:0{nth}:00Z")),
        ];
        let form: Vec<(&str, &str)> = form.iter().map(|(name, text)| (*name, text.as_str())).collect();
        assert_eq!(server.post(&format!("/api/v1{path}/readings"), &form).await.status(), 201);
    }
    let page = server.page(&format!("{path}/result")).await;
    assert!(page.contains("names no shade") && page.contains("Nothing could be predicted") && page.contains(", lying"));
    // The face that is drawn in the field is the one that is predicted.
    assert!(server.page(&path).await.contains("Shade on the panel"));
}

#[tokio::test]
async fn a_tied_panel_is_no_rating_and_its_ladder_says_what_tying_cost() {
    let server = Server::demo().await;
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "S-1").unwrap().id.to_string();
    let made = server
        .post("/tests", &[("panel", &panel), ("load", "tied_controller"), ("sun", "plane_meter"), ("warmth", "back_probe")])
        .await;
    let path = made.headers()["location"].to_str().unwrap().to_owned();
    let uid = flindo_store::new_uid();
    let form = [("uid", uid.as_str()), ("typed", "13.4 V 8.9 A 880 W/m2 48 C"), ("taken_utc", "2026-09-14T12:00:00Z")];
    assert_eq!(server.post(&format!("/api/v1{path}/readings"), &form).await.status(), 201);
    let page = server.page(&format!("{path}/result")).await;
    for told in ["held the panel at 13.4", "None of these readings counts for the rating", "load \u{2212}2", "low light"] {
        assert!(page.contains(told), "{told}");
    }
}
