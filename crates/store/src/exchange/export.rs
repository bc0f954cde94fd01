//! A test as a table.

use super::table::{all_columns, quantity_columns};
use crate::error::StoreError;
use crate::panels::Panel;
use crate::readings::Reading;
use crate::runs::RunRow;
use crate::tests::{Test, plan_text};
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::label::LabelTyped;
use flindo_core::panel::wear::Wear;
use flindo_core::protocol::setup::SetupTyped;
use flindo_core::sky::note::SkyNote;

/// The test with all its rows, withdrawn and corrected ones too, in the order in which they were accepted.
pub fn export(panel: &Panel, test: &Test, readings: &[Reading], runs: &[RunRow]) -> Result<String, StoreError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let mut write = |cells: Vec<String>| writer.write_record(cells).map_err(|error| StoreError::Corrupt(error.to_string()));
    write(all_columns())?;
    let repeated = test_cells(panel, test);
    for reading in readings {
        write(repeated.iter().cloned().chain(reading_cells(reading, runs)).collect())?;
    }
    if readings.is_empty() {
        let empty = std::iter::repeat_n(String::new(), all_columns().len() - repeated.len());
        write(repeated.into_iter().chain(empty).collect())?;
    }
    let bytes = writer.into_inner().map_err(|error| StoreError::Corrupt(error.to_string()))?;
    String::from_utf8(bytes).map_err(|error| StoreError::Corrupt(error.to_string()))
}

/// The cells of [`super::table::test_columns`].
pub fn test_cells(panel: &Panel, test: &Test) -> Vec<String> {
    let draft = &panel.draft;
    let number = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let mut cells = vec![
        test.uid.clone(),
        test.question.name().to_owned(),
        test.plan.as_ref().map(plan_text).unwrap_or_default(),
        test.created_utc.to_string(),
        panel.uid.clone(),
        draft.tag.clone(),
        draft.name.clone(),
        draft.is_used.to_string(),
        number(draft.age_years),
        number(draft.price),
        draft.notes.clone(),
        draft.units.max(1).to_string(),
        draft.provenance.clone(),
        Wear::list_text(&draft.wear),
        draft.doubts_kept.to_string(),
    ];
    let label = LabelTyped::of(&draft.nameplate);
    let setup = SetupTyped::of(&test.setup);
    cells.extend(LabelTyped::FIELDS.iter().filter_map(|field| label.get(field)).map(str::to_owned));
    cells.extend(SetupTyped::FIELDS.iter().filter_map(|field| setup.get(field)).map(str::to_owned));
    cells
}

fn reading_cells(reading: &Reading, runs: &[RunRow]) -> Vec<String> {
    let what = &reading.what;
    let revision = what.revision.as_ref();
    let mut cells = vec![
        what.uid.clone(),
        revision.map(|revision| revision.replaces_uid.clone()).unwrap_or_default(),
        revision.is_some_and(|revision| revision.withdrawn).to_string(),
        revision.map(|revision| revision.reason.clone()).unwrap_or_default(),
        what.taken_utc.to_string(),
        reading.accepted_utc.to_string(),
        what.typed.clone(),
        what.note.clone(),
        what.sky.map(SkyNote::name).unwrap_or_default().to_owned(),
    ];
    match runs.iter().find(|run| Some(run.id) == what.run_id) {
        Some(run) => cells.extend([run.place.to_string(), run.level.to_string(), run.rig.to_string()]),
        None => cells.extend([const { String::new() }; 3]),
    }
    for &quantity in Quantity::ALL {
        match what.figures.get(quantity) {
            Some(seen) => {
                let high = if seen.high == seen.low { String::new() } else { seen.high.to_string() };
                cells.extend([seen.low.to_string(), high, seen.step.to_string(), seen.how.name().to_owned()]);
            }
            None => cells.extend(quantity_columns(quantity).map(|_| String::new())),
        }
    }
    cells
}
