//! A test as a table.

use super::cells::outward;
use super::equipment;
use super::named::NamedByTest;
use super::table::{PANEL, PLACE, all_columns, label_columns, quantity_columns};
use crate::error::StoreError;
use crate::rows::panel::Panel;
use crate::rows::place::PlaceRow;
use crate::rows::reading::Reading;
use crate::rows::rig::RigRow;
use crate::rows::test::Test;
use crate::tests::{OPEN, plan_text};
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::LabelTyped;
use flindo_core::record::run::{Run, RunEvent, RunEventKind};
use flindo_core::record::setup::SetupTyped;
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// A test with what it refers to.
#[derive(Debug, Clone, Copy)]
pub struct Exported<'a> {
    pub test: &'a Test,
    pub panel: &'a Panel,
    /// Where it was made.
    pub place: Option<&'a PlaceRow>,
    pub rig: Option<&'a RigRow>,
    pub named: &'a NamedByTest,
}

/// A test on its way out as a table, part by part, so that a long one is never in memory as a whole.
#[derive(Debug, Clone)]
pub struct ExportedTable {
    /// The cells of the test, which every row repeats.
    test: Vec<String>,
    runs: Vec<Run>,
}

impl ExportedTable {
    pub fn of(of: &Exported<'_>, runs: &[Run]) -> Result<Self, StoreError> {
        Ok(ExportedTable { test: test_cells(of)?, runs: runs.to_vec() })
    }

    /// The first line.
    pub fn head(&self) -> Result<String, StoreError> {
        lines([all_columns()])
    }

    /// The rows of some readings, withdrawn and corrected ones too.
    pub fn part(&self, readings: &[Reading]) -> Result<String, StoreError> {
        let own = readings.iter().map(|reading| reading_cells(reading, &self.runs)).collect::<Result<Vec<_>, _>>()?;
        lines(own.into_iter().map(|cells| self.test.iter().cloned().chain(cells).collect()))
    }

    /// The one row of a test without readings.
    pub fn without_readings(&self) -> Result<String, StoreError> {
        let empty = std::iter::repeat_n(String::new(), all_columns().len() - self.test.len());
        lines([self.test.iter().cloned().chain(empty).collect()])
    }
}

fn lines(rows: impl IntoIterator<Item = Vec<String>>) -> Result<String, StoreError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    for cells in rows {
        let cells = cells.iter().map(|cell| outward(cell).into_owned());
        writer.write_record(cells).map_err(|error| StoreError::Corrupt(error.to_string()))?;
    }
    let bytes = writer.into_inner().map_err(|error| StoreError::Corrupt(error.to_string()))?;
    String::from_utf8(bytes).map_err(|error| StoreError::Corrupt(error.to_string()))
}

/// A panel by the names of the columns, for a test of several.
fn panel_json(panel: &Panel) -> serde_json::Value {
    let cells = panel_cells(panel);
    PANEL
        .iter()
        .copied()
        .map(str::to_owned)
        .chain(label_columns())
        .zip(cells)
        .map(|(name, cell)| (name, cell.into()))
        .collect::<serde_json::Map<_, _>>()
        .into()
}

/// The cells of [`super::table::test_columns`].
pub fn test_cells(of: &Exported<'_>) -> Result<Vec<String>, StoreError> {
    let Exported { test, panel, place, rig, named } = *of;
    let others: Vec<serde_json::Value> = named.panels.iter().map(panel_json).collect();
    let mut cells = vec![
        test.uid.clone(),
        if test.is_open { OPEN.to_owned() } else { test.question.name().to_owned() },
        plan_text(test.plan.as_ref())?.unwrap_or_default(),
        if others.is_empty() { String::new() } else { serde_json::Value::from(others).to_string() },
        test.created_utc.to_string(),
    ];
    cells.extend(panel_cells(panel));
    let setup = SetupTyped::of(&test.setup);
    cells.extend(SetupTyped::FIELDS.iter().filter_map(|field| setup.get(field)).map(str::to_owned));
    cells.extend(place_cells(place));
    cells.extend(equipment::cells(test, rig, named)?);
    Ok(cells)
}

/// The cells of [`super::table::PLACE`].
fn place_cells(place: Option<&PlaceRow>) -> Vec<String> {
    let Some(PlaceRow { uid, draft, .. }) = place else { return vec![String::new(); PLACE.len()] };
    vec![
        uid.clone(),
        draft.name.clone(),
        draft.place.lat_deg.to_string(),
        draft.place.lon_deg.to_string(),
        draft.place.elevation_m.to_string(),
        draft.time_zone.clone(),
        draft.horizon.as_text(),
        draft.ground.name().to_owned(),
        draft.clarity.name().to_owned(),
        draft.coldest_c.to_string(),
        draft.hottest_c.to_string(),
    ]
}

/// The cells of a panel and its label.
fn panel_cells(panel: &Panel) -> Vec<String> {
    let draft = &panel.draft;
    let number = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let mut cells = vec![
        panel.uid.clone(),
        draft.tag.clone(),
        panel.name().to_owned(),
        draft.is_used.to_string(),
        number(draft.age_years),
        number(panel.price()),
        draft.notes.clone(),
        draft.provenance.clone(),
        Defect::list_text(&draft.wear),
        panel.kind.draft.doubts_kept.to_string(),
    ];
    let label = LabelTyped::of(panel.label());
    cells.extend(LabelTyped::FIELDS.iter().filter_map(|field| label.get(field)).map(str::to_owned));
    cells
}

fn reading_cells(reading: &Reading, runs: &[Run]) -> Result<Vec<String>, StoreError> {
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
        Some(run) => {
            cells.extend([run.place.to_string(), run.level.to_string(), run.rig.to_string()]);
            cells.extend(state_cells(run)?);
        }
        None => cells.extend([const { String::new() }; 6]),
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
    Ok(cells)
}

/// The identity of a run, what it is of in an open test as it stands after corrections, and what happened to it.
fn state_cells(run: &Run) -> Result<[String; 3], StoreError> {
    let corrupt = |error: serde_json::Error| StoreError::Corrupt(format!("run {}: {error}", run.uid));
    let state = run.state.as_ref().map(serde_json::to_string).transpose().map_err(corrupt)?;
    let events: Vec<EventCell> =
        run.events.iter().filter(|event| event.what != RunEventKind::Corrected).map(EventCell::of).collect();
    let events = if events.is_empty() { String::new() } else { serde_json::to_string(&events).map_err(corrupt)? };
    Ok([run.uid.clone(), state.unwrap_or_default(), events])
}

/// What happened to a run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct EventCell {
    pub uid: String,
    pub what: String,
    pub at_utc: Timestamp,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub text: String,
}

impl EventCell {
    fn of(event: &RunEvent) -> Self {
        EventCell { uid: event.uid.clone(), what: event.what.name().to_owned(), at_utc: event.at_utc, text: event.text.clone() }
    }
}
