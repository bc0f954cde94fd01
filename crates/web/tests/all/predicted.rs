//! What the circuit explains of a test, on the real server: predictions beside what was measured, and the steps of the ladder.

use crate::server::Server;
use flindo_core::measure::entry::understand;
use flindo_core::panel::construction::Construction;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_store::{Listed, NewReading, RigDraft, TestDraft, new_uid};

async fn test_of(server: &Server, question: Question) -> i64 {
    server
        .store
        .tests(None, 0, 500)
        .await
        .unwrap()
        .into_iter()
        .filter_map(Listed::test)
        .find(|test| test.question == question)
        .unwrap()
        .id
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
            "For 36 cells, 2 diodes, portrait",
            "shade \u{2212}52",
            "class=\"predicted\"",
            "pattern=left&amp;size=25.00",
            "paint0=",
        ] {
            assert!(page.contains(told), "{path}: {told}");
        }
    }
    // Taken for another construction, the same readings contradict it, and the one that fits is named.
    let mut kind = server.store.panels().await.unwrap().into_iter().find(|panel| panel.tag() == "S-1").unwrap().kind;
    kind.draft.nameplate.construction = Some(Construction::DiodeEachCell);
    server.store.change_kind(kind.id, &kind.draft).await.unwrap();
    let page = server.page(&format!("/tests/{id}/result")).await;
    assert!(page.contains("differs from the prediction") && page.contains("36 cells, 2 diodes\u{201d} would fit"), "{page}");
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
        ("levels", "the neighbour\u{2019}s cat; strip along the bottom"),
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
    for (nth, (run, line)) in server
        .store
        .runs(id)
        .await
        .unwrap()
        .iter()
        .zip(["18.3 V 8.4 A", "9.0 V 8.3 A", "18.3 V 8.4 A", "9.1 V 8.3 A", "18.3 V 8.4 A"])
        .enumerate()
    {
        let run = run.id.to_string();
        let form =
            [("uid", new_uid()), ("typed", line.to_owned()), ("run", run), ("taken_utc", format!("2026-09-14T12:0{nth}:00Z"))];
        let form: Vec<(&str, &str)> = form.iter().map(|(name, text)| (*name, text.as_str())).collect();
        assert_eq!(server.post(&format!("/api/v1{path}/readings"), &form).await.status(), 201);
    }
    let page = server.page(&format!("{path}/result")).await;
    assert!(page.contains("names no shade that can be drawn") && page.contains(", landscape"));
    assert!(page.contains("tenth"), "{page}");
    // The face that is drawn in the field is the one that is predicted.
    assert!(server.page(&path).await.contains("Shade: none"));
}

#[tokio::test]
async fn the_plan_says_how_levels_are_said() {
    let server = Server::demo().await;
    assert!(server.page("/plan/shade_cost").await.contains("drawn and predicted: bottom row of cells"));
    assert!(server.page("/plan/series_or_parallel").await.contains("first alone; both together"));
    assert!(!server.page("/plan/which_tilt").await.contains("Levels like these"));
}

#[tokio::test]
async fn a_tied_panel_is_no_rating_and_its_ladder_says_what_tying_cost() {
    let server = Server::demo().await;
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "S-1").unwrap().id.to_string();
    let made = server
        .post(
            "/tests",
            &[("panel", &panel), ("load", "tied_controller"), ("sun", "plane_meter"), ("cell_temperature", "back_probe")],
        )
        .await;
    let path = made.headers()["location"].to_str().unwrap().to_owned();
    let uid = new_uid();
    let form = [("uid", uid.as_str()), ("typed", "13.4 V 8.9 A 880 W/m2 48 C"), ("taken_utc", "2026-09-14T12:00:00Z")];
    assert_eq!(server.post(&format!("/api/v1{path}/readings"), &form).await.status(), 201);
    let page = server.page(&format!("{path}/result")).await;
    for told in ["held the panel at 13.4", "None of these readings counts for the rating", "load \u{2212}2", "low light"] {
        assert!(page.contains(told), "{told}");
    }
}

/// A planned test on a rig, with one reading for each run in the order of the sheet; its result.
async fn made(server: &Server, question: &str, wiring: &str, fields: &[(&str, &str)], lines: &[&str]) -> String {
    let rig = RigDraft { name: format!("Rig for {question}"), wiring: wiring.to_owned(), ..RigDraft::default() };
    let rig = server.store.add_rig(&rig).await.unwrap().to_string();
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "M-1").unwrap().id.to_string();
    let mut form = vec![("panel_id", panel.as_str()), ("rig_id", rig.as_str()), ("settle_s", "0"), ("load", "load_tester")];
    form.extend([("sun", "plane_meter"), ("start", "2026-09-14T12:30:00")]);
    form.extend(fields);
    let made = server.post(&format!("/plan/{question}"), &form).await;
    assert_eq!(made.status(), 303, "{}", made.text().await.unwrap());
    let path = made.headers()["location"].to_str().unwrap().strip_suffix("/sheet").unwrap().to_owned();
    let id: i64 = path.rsplit('/').next().unwrap().parse().unwrap();
    for (nth, (run, line)) in server.store.runs(id).await.unwrap().iter().zip(lines).enumerate() {
        let (uid, run, at) = (new_uid(), run.id.to_string(), format!("2026-09-14T12:0{nth}:00Z"));
        let form = [("uid", uid.as_str()), ("typed", *line), ("run", run.as_str()), ("taken_utc", at.as_str())];
        let sent = server.post(&format!("/api/v1{path}/readings"), &form).await;
        assert_eq!(sent.status(), 201, "{line}: {}", sent.text().await.unwrap());
    }
    server.page(&format!("{path}/result")).await
}

/// Madder 100 and Sienna 100, unlike in volts and amps: alone, and in parallel.
#[tokio::test]
async fn unlike_panels_together_are_predicted_of_their_sum() {
    let server = Server::demo().await;
    let fields = [("baseline", "first alone"), ("levels", "second alone; both together"), ("order", "ladder_and_back")];
    let lines = [
        "17.2 V 4.7 A 880 W/m2 45 C",
        "14.6 V 5.5 A 880 W/m2 45 C",
        "15.4 V 9.9 A 880 W/m2 45 C",
        "17.2 V 4.7 A 880 W/m2 45 C",
        "15.4 V 9.9 A 880 W/m2 45 C",
        "14.6 V 5.5 A 880 W/m2 45 C",
        "17.2 V 4.7 A 880 W/m2 45 C",
    ];
    let page = made(&server, "unlike_together", "M-1 | N-1", &fields, &lines).await;
    for told in ["Measured and predicted agree", "Together they are predicted to give 9", "wiring \u{2212}"] {
        assert!(page.contains(told), "{told}: {page}");
    }
}

#[tokio::test]
async fn series_and_parallel_are_predicted_for_the_panels_of_the_rig() {
    let server = Server::demo().await;
    let fields = [("baseline", "series"), ("levels", "parallel"), ("order", "abba"), ("shade", "left column of the first")];
    let lines = ["20.0 V 4.7 A 880 W/m2", "14.0 V 4.9 A 880 W/m2", "14.0 V 4.9 A 880 W/m2", "20.0 V 4.7 A 880 W/m2"];
    let page = made(&server, "series_or_parallel", "M-1 + N-1", &fields, &lines).await;
    assert!(page.contains("Predicted from the panel") && page.contains("predicted</th>"), "{page}");
    assert!(!page.contains("names no wiring") && !page.contains("names no shade that can be drawn"));
}

/// The stall's station takes 100 W: what it clips is no rating, and a load tester in its place is not bound by it.
#[tokio::test]
async fn a_cap_binds_what_is_read_through_it_alone() {
    let server = Server::demo().await;
    let panel = server.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == "S-1").unwrap();
    let rig = server.store.rigs().await.unwrap().into_iter().find(|rig| rig.draft.name == "Stall trailer").unwrap().id;
    for (load, is_capped) in [(Load::TrackingController, true), (Load::LoadTester, false)] {
        let setup = Setup { load, ..Setup::default() };
        let draft = TestDraft { rig_id: Some(rig), ..TestDraft::of_rating(panel.id, None, setup) };
        let id = server.store.add_test(&draft, jiff::Timestamp::now()).await.unwrap();
        let figures = understand("18.6 V 5.35 A 610 W/m2 40 C", &setup.meaning()).unwrap().figures();
        let reading = NewReading {
            uid: new_uid(),
            taken_utc: "2026-09-14T12:00:00Z".parse().unwrap(),
            typed: String::new(),
            note: String::new(),
            sky: None,
            figures,
            run_id: None,
            revision: None,
        };
        server.store.accept(id, &reading, reading.taken_utc).await.unwrap();
        let page = server.page(&format!("/tests/{id}/result")).await;
        assert_eq!(page.contains("is at the input power limit of 100\u{a0}W"), is_capped, "{load:?}");
    }
}
