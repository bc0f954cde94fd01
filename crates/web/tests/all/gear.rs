//! Gear and rigs on the real server.

use crate::server::Server;

#[tokio::test]
async fn every_kind_of_gear_has_a_form_that_keeps_what_was_typed() {
    let server = Server::demo().await;
    for kind in ["meter", "controller", "battery", "station", "lead", "joint", "fuse"] {
        assert!(server.page(&format!("/gear/new?kind={kind}")).await.contains(&format!("value=\"{kind}\"")));
    }
    assert_eq!(server.get("/gear/new?kind=kettle").await.status(), 404);
    let wrong = [("gear_kind", "controller"), ("name", "Chisel 40"), ("max_input_v", "lots"), ("max_battery_a", "40")];
    let refused = server.post("/gear", &wrong).await;
    assert_eq!(refused.status(), 422);
    let page = refused.text().await.unwrap();
    assert!(page.contains("is not a number") && page.contains("value=\"lots\"") && page.contains("value=\"Chisel 40\""));
    let sound = [("gear_kind", "controller"), ("name", "Chisel 40"), ("max_input_v", "150"), ("max_battery_a", "40")];
    assert_eq!(server.post("/gear", &sound).await.status(), 303);
    assert!(server.page("/gear").await.contains("Chisel 40"));
    assert!(server.post("/gear", &sound).await.text().await.unwrap().contains("is called"));
    let map = [
        ("gear_kind", "meter"),
        ("name", "Shunt"),
        ("speaks", "modbus_tcp"),
        ("address", "127.0.0.1:502"),
        ("map", "0 u8 1 voltage_v"),
    ];
    assert!(server.post("/gear", &map).await.text().await.unwrap().contains("is not a type of register"));
}

#[tokio::test]
async fn a_rig_is_drawn_and_looked_at_while_it_is_typed() {
    let server = Server::demo().await;
    let typed = server.page("/rigs/new?wiring=3+x+U-2&name=").await;
    assert!(typed.contains("Wiring: 3 in series") && typed.contains("open 113\u{a0}V, cold 124\u{a0}V"));
    for (wiring, sentence) in [
        ("", "Name the panels"),
        ("X-9", "There is no panel with the tag"),
        ("4 x U-2", "wired more often than the bench has pieces of Umber 250 twin: 3 pieces"),
        ("S-1 +", "no panel beside it"),
    ] {
        let page = server.page(&format!("/rigs/new?wiring={}", wiring.replace(' ', "%20").replace('+', "%2B"))).await;
        assert!(page.contains(sentence), "{wiring}: {sentence}");
    }
    let refused = server.post("/rigs", &[("name", ""), ("wiring", "X-9")]).await;
    assert_eq!(refused.status(), 422);
    let made = server.post("/rigs", &[("name", "Two wells"), ("wiring", "M-1 | N-1")]).await;
    assert_eq!(made.status(), 303);
    let page = server.page(made.headers()["location"].to_str().unwrap()).await;
    assert!(page.contains("string voltage mismatch") && page.contains("2 in parallel"));
}

#[tokio::test]
async fn a_damaged_panel_stops_every_rig_it_is_in() {
    let server = Server::demo().await;
    let edit = server.page("/panels/1/edit").await;
    assert!(edit.contains("cracked glass"));
    let panel = server.store.panel(1).await.unwrap();
    let draft = flindo_store::PanelDraft { wear: vec![flindo_core::panel::inspection::Defect::CrackedGlass], ..panel.draft };
    server.store.change_panel(1, &draft).await.unwrap();
    let page = server.page("/rigs/1").await;
    assert!(page.contains("panel damage") && page.contains("Do not connect it"), "the pump rig has {}", draft.tag);
}
