//! Gear and rigs on a real file.

use crate::bench::TempBench;
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::rig::MeterPosition;
use flindo_store::{GearDraft, RigDraft, StoreError};

fn draft(kind: GearKind, name: &str, fields: &[(&str, &str)]) -> GearDraft {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    GearDraft { kind, name: name.to_owned(), notes: "on the shelf".into(), typed }
}

#[tokio::test]
async fn gear_comes_back_as_it_was_and_checked() {
    let bench = TempBench::new().await;
    let lathe = draft(GearKind::Controller, "Lathe 30", &[("max_input_v", "100"), ("max_battery_a", "30"), ("max_input_w", "")]);
    let id = bench.store.add_gear(&lathe).await.unwrap();
    let row = bench.store.gear_piece(id).await.unwrap();
    let Gear::Controller(controller) = &row.gear else { panic!("a controller") };
    assert_eq!((controller.max_input_v, controller.max_input_w, row.draft.notes.as_str()), (Some(100.0), None, "on the shelf"));
    assert!(!row.draft.typed.contains_key("max_input_w"), "an empty field is not kept");

    let again = bench.store.add_gear(&GearDraft { name: "lathe 30".into(), ..lathe.clone() }).await;
    assert!(matches!(again, Err(StoreError::Conflict(sentence)) if sentence.contains("lathe 30")));
    let changed = draft(GearKind::Controller, "Lathe 40", &[("max_input_v", "150"), ("max_battery_a", "40")]);
    bench.store.change_gear(id, &changed).await.unwrap();
    assert_eq!(bench.store.gear().await.unwrap()[0].draft, changed);
    assert!(matches!(bench.store.change_gear(id, &draft(GearKind::Fuse, "x", &[])).await, Err(StoreError::NotFound(_))));
}

#[tokio::test]
async fn a_figure_spoilt_by_hand_is_named_and_not_computed_with() {
    let bench = TempBench::new().await;
    bench.store.add_gear(&draft(GearKind::Fuse, "Fuse 15", &[("rated_a", "15")])).await.unwrap();
    let outside = bench.outside().await;
    sqlx::query("UPDATE gear_fields SET value = 'plenty' WHERE name = 'rated_a'").execute(&outside).await.unwrap();
    assert!(matches!(bench.store.gear().await, Err(StoreError::Corrupt(what)) if what.contains("Fuse 15")));
}

#[tokio::test]
async fn a_rig_keeps_its_parts_and_one_meter_a_spot() {
    let bench = TempBench::new().await;
    let controller = bench
        .store
        .add_gear(&draft(GearKind::Controller, "Lathe 30", &[("max_input_v", "100"), ("max_battery_a", "30")]))
        .await
        .unwrap();
    let meter =
        bench.store.add_gear(&draft(GearKind::Meter, "Watt-meter", &[("kind", "in_line"), ("max_v", "60")])).await.unwrap();
    let draft = RigDraft {
        name: "Pump rig".into(),
        wiring: "S-1 + S-2".into(),
        sink_id: Some(controller),
        meters: vec![(MeterPosition::String, meter), (MeterPosition::Battery, meter)],
        ..RigDraft::default()
    };
    let id = bench.store.add_rig(&draft).await.unwrap();
    assert_eq!(bench.store.rig(id).await.unwrap().draft, draft);
    let moved = RigDraft { meters: vec![(MeterPosition::Array, meter)], ..draft.clone() };
    bench.store.change_rig(id, &moved).await.unwrap();
    assert_eq!(bench.store.rig(id).await.unwrap().draft, moved);
    assert!(matches!(bench.store.add_rig(&draft).await, Err(StoreError::Conflict(_))));
    let gone = RigDraft { name: "Other".into(), lead_id: Some(999), ..draft };
    assert!(matches!(bench.store.add_rig(&gone).await, Err(StoreError::NotFound(_))));
}
