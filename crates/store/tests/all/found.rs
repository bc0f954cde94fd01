//! What makes results found again: reviews, calculations kept by name, events of panels, words of notes, and which tests changed.

use crate::bench::{TempBench, at, new_reading};
use flindo_core::record::panel_event::PanelEventKind;
use flindo_core::record::setup::Setup;
use flindo_core::review::claim::Claim;
use flindo_store::{NewReading, ReviewDraft, StoreError, TestDraft};
use jiff::civil::date;

const LINE: &str = "30 V 8 A 900 W/m2 45 C";

/// A bench with one test of one panel: its ids.
async fn filled() -> (TempBench, i64, i64) {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-1").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    (bench, test_id, panel_id)
}

/// A reading at a moment.
fn reading(uid: &str, second: i64) -> NewReading {
    NewReading { taken_utc: at(second), ..new_reading(uid, LINE) }
}

#[tokio::test]
async fn a_review_comes_back_as_it_was_made() {
    let (bench, ..) = filled().await;
    let store = &bench.store;
    let claim =
        Claim { subject: "X".into(), than: "Y".into(), pattern: "towel".into(), low_percent: 20.0, high_percent: Some(25.0) };
    let draft = ReviewDraft { name: "Three".into(), tests: vec!["b".into(), "a".into()], claims: vec![claim], notes: "n".into() };
    let id = store.add_review(&draft, at(0)).await.unwrap();
    assert_eq!(store.review(id).await.unwrap().draft, draft);
    let changed = ReviewDraft { tests: vec!["a".into()], claims: Vec::new(), ..draft };
    store.change_review(id, &changed).await.unwrap();
    assert_eq!(store.reviews().await.unwrap()[0].draft, changed);
    assert!(matches!(store.change_review(id + 1, &changed).await, Err(StoreError::NotFound(_))));
    let long = ReviewDraft { notes: "x".repeat(2001), ..changed };
    assert!(matches!(store.add_review(&long, at(0)).await, Err(StoreError::Refused(_))));
}

#[tokio::test]
async fn a_calculation_is_kept_by_page_and_name_and_knows_its_tests() {
    let (bench, test_id, _) = filled().await;
    let store = &bench.store;
    let id = store.keep_calculation("/shade", "Chimney", "size=10", at(0)).await.unwrap();
    assert_eq!(store.keep_calculation("/shade", "chimney", "size=20", at(1)).await.unwrap(), id);
    assert_ne!(store.keep_calculation("/ways", "Chimney", "size=30", at(2)).await.unwrap(), id);
    store.link_calculation(id, test_id).await.unwrap();
    let kept = store.calculations(Some("/shade")).await.unwrap();
    assert_eq!((kept.len(), kept[0].link().as_str(), &kept[0].tests[..]), (1, "/shade?size=20", &[test_id][..]));
    assert_eq!(store.calculation_of(test_id).await.unwrap().map(|one| one.id), Some(id));
    assert_eq!(store.calculations(None).await.unwrap().len(), 2);
}

#[tokio::test]
async fn events_of_a_panel_are_in_the_order_of_their_days() {
    let (bench, _, panel_id) = filled().await;
    let store = &bench.store;
    store.add_panel_event(panel_id, date(2026, 3, 2), PanelEventKind::Moved, "to the rack").await.unwrap();
    store.add_panel_event(panel_id, date(2025, 5, 10), PanelEventKind::Cleaned, "").await.unwrap();
    let events = store.panel_events(panel_id).await.unwrap();
    assert_eq!(events.iter().map(|event| event.what).collect::<Vec<_>>(), [PanelEventKind::Cleaned, PanelEventKind::Moved]);
    store.remove_panel_event(panel_id, events[0].id).await.unwrap();
    assert_eq!(store.panel_events(panel_id).await.unwrap().len(), 1);
    let nobody = store.add_panel_event(99, date(2026, 3, 2), PanelEventKind::Moved, "").await;
    assert!(matches!(nobody, Err(StoreError::NotFound("panel"))));
    assert!(matches!(store.remove_panel_event(panel_id, 999).await, Err(StoreError::NotFound(_))));
}

#[tokio::test]
async fn tests_are_found_by_a_word_of_their_notes() {
    let (bench, test_id, panel_id) = filled().await;
    let store = &bench.store;
    let other = store.add_test(&TestDraft::of_rating(panel_id, None, Setup::default()), at(0)).await.unwrap();
    let noted = NewReading { note: "50 % of the Wind_dropped".into(), ..reading("reading-noted", 60) };
    store.accept(other, &noted, at(60)).await.unwrap();
    for (word, expected) in
        [("wind", vec![other]), ("WIND_D", vec![other]), ("50 %", vec![other]), ("0%", Vec::new()), ("d_o", Vec::new())]
    {
        let found: Vec<i64> = store.tests_with_word(word).await.unwrap().into_iter().collect();
        assert_eq!(found, expected, "{word}");
    }
    assert!(!store.tests_with_word("wind").await.unwrap().contains(&test_id));
}

#[tokio::test]
async fn only_the_test_that_changed_has_another_state() {
    let (bench, test_id, panel_id) = filled().await;
    let store = &bench.store;
    let other = store.add_test(&TestDraft::of_rating(panel_id, None, Setup::default()), at(0)).await.unwrap();
    let before = store.test_states().await.unwrap();
    assert_eq!(before.iter().map(|(id, _)| *id).collect::<Vec<_>>(), [other, test_id]);
    let of = |states: &[(i64, Option<flindo_store::TestState>)], id: i64| states.iter().find(|one| one.0 == id).unwrap().1;
    store.accept(other, &reading("reading-late", 90), at(90)).await.unwrap();
    let after = store.test_states().await.unwrap();
    assert_eq!(of(&before, test_id), of(&after, test_id));
    assert_ne!(of(&before, other), of(&after, other));
    // Another test, a review or an event of a panel changes none.
    store.add_test(&TestDraft::of_rating(panel_id, None, Setup::default()), at(1)).await.unwrap();
    store.add_panel_event(panel_id, date(2026, 3, 2), PanelEventKind::Moved, "").await.unwrap();
    let later = store.test_states().await.unwrap();
    assert_eq!((of(&after, test_id), of(&after, other)), (of(&later, test_id), of(&later, other)));
    // A set-up changes its own test alone, a label all.
    store.change_setup(test_id, &Setup { tilt_deg: 10.0, ..Setup::default() }, &[]).await.unwrap();
    let tilted = store.test_states().await.unwrap();
    assert_ne!(of(&tilted, test_id), of(&later, test_id));
    assert_eq!(of(&tilted, other), of(&later, other));
    assert_eq!(store.test_state(other).await.unwrap(), of(&later, other));
    let panel = store.panel(panel_id).await.unwrap();
    store.change_kind(panel.kind.id, &panel.kind.draft).await.unwrap();
    assert_ne!(of(&store.test_states().await.unwrap(), other), of(&later, other));
}
