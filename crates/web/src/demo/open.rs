//! The open test of the demo: measured first, asked afterwards.

use super::reading;
use flindo_core::measure::quantity::Figures;
use flindo_core::record::beside::Beside;
use flindo_core::record::condition::{Conditions, Factor, Value, differences};
use flindo_core::record::language::level;
use flindo_core::record::language::work::{At, work};
use flindo_core::record::open::first_state;
use flindo_core::record::setup::{Load, Setup, SetupTyped};
use flindo_store::{NewReading, NewRun, Store, StoreError, TestDraft, new_uid};

const DAY: &str = "2026-08-29";

/// Lines as they were typed, each with its time of day.
const LINES: [(&str, &str); 6] = [
    ("13:02", "78.4 W"),
    ("13:05", "towel across the middle: 20.1 W"),
    ("13:08", "no shade: 78.6 W"),
    ("13:12", "flat: 66.9 W"),
    ("13:15", "back: 78.9 W"),
    ("13:18", "flat: 67.0 W"),
];

/// Makes the test, of M-1 on the load tester at 35 degrees.
pub async fn made(store: &Store, place_id: i64, usual: Setup) -> Result<i64, StoreError> {
    let setup = Setup { load: Load::LoadTester, tilt_deg: 35.0, ..usual };
    let register = store.register().await?;
    let names = register.names();
    let panel = register.panels.iter().find(|panel| panel.tag() == "M-1").ok_or(StoreError::NotFound("panel"))?;
    let typed = SetupTyped { tilt_deg: "35".to_owned(), ..SetupTyped::default() };
    let hangs = (Factor::Panel, level::condition(Value::Panels(vec![panel.uid.clone()]), &names));
    let mut current = first_state(&typed, hangs);
    let at = |clock: &str| reading(&setup, DAY, &format!("1 W @{clock}")).map(|read| read.taken_utc);
    let draft = TestDraft { is_open: true, ..TestDraft::of_rating(panel.id, Some(place_id), setup) };
    let first = NewRun { place: 1, level: 0, rig: 0, is_added: false, planned_utc: None, state: Some(current.clone()) };
    let test_id = store.add_planned_test(&draft, &[first], at(LINES[0].0)?).await?;
    let mut run_id = store.runs(test_id).await?.first().map(|run| run.id);
    let mut states: Vec<Conditions> = vec![current.clone()];
    for (clock, line) in LINES {
        let standing = At {
            names: &names,
            states: &states,
            current: &current,
            rig_strings: &[],
            beside: Beside::default(),
            last: None,
            latest: &Figures::default(),
            turn: None,
            setup,
        };
        let understood =
            work(line, &standing).map_err(|asked| StoreError::Corrupt(format!("the demo\u{2019}s line {line}: {asked}")))?;
        let taken_utc = at(clock)?;
        if !differences(&current, &understood.state).is_empty() {
            run_id = Some(store.begin_state(test_id, &new_uid(), &understood.state, taken_utc).await?);
        }
        current = understood.state.clone();
        if !states.iter().any(|known| differences(known, &current).is_empty()) {
            states.push(current.clone());
        }
        let new = NewReading {
            uid: new_uid(),
            taken_utc,
            typed: line.to_owned(),
            note: String::new(),
            sky: None,
            figures: understood.figures(),
            run_id,
            revision: None,
        };
        store.accept(test_id, &new, taken_utc).await?;
    }
    Ok(test_id)
}
