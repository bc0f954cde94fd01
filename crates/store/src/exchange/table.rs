//! The columns, and a row read by their names.

use super::cells::inward;
use super::error::ImportError;
use flindo_core::measure::quantity::{Figures, Quantity, Seen, ValueKind};
use flindo_core::panel::label::LabelTyped;
use flindo_core::record::setup::SetupTyped;
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;
use std::collections::HashMap;

pub const TEST: [&str; 5] = ["test_uid", "question", "plan", "other_panels", "created_utc"];

/// The rig, the gear and the meters of a test, and the rigs besides its own that it names, as JSON.
pub const EQUIPMENT: [&str; 4] = ["rig", "gear", "meters", "other_rigs"];

pub const PANEL: [&str; 10] =
    ["panel_uid", "tag", "name", "is_used", "age_years", "price", "panel_notes", "provenance", "wear", "doubts_kept"];

/// Where a test was made; all empty where it was made without a place.
pub const PLACE: [&str; 11] = [
    "place_uid",
    "place_name",
    "place_lat_deg",
    "place_lon_deg",
    "place_elevation_m",
    "place_time_zone",
    "place_horizon",
    "place_ground",
    "place_clarity",
    "place_coldest_c",
    "place_hottest_c",
];

/// A column of older tables that means nothing any more: pieces are panels of their own.
const FORMER: &str = "units";
pub const READING: [&str; 15] = [
    "reading_uid",
    "replaces_uid",
    "withdrawn",
    "reason",
    "taken_utc",
    "accepted_utc",
    "typed",
    "note",
    "sky",
    "run_place",
    "run_level",
    "run_rig",
    "run_uid",
    "run_state",
    "run_events",
];

/// What a run of an open test is of, and what happened to a run.
const STATES: [&str; 3] = ["run_uid", "run_state", "run_events"];

/// Columns that files of the first kind did not have; they may be missing.
const LATER: [&str; 14] = [
    "plan",
    "other_panels",
    "provenance",
    "wear",
    "label_construction",
    "label_length_m",
    "label_width_m",
    "label_bifaciality",
    "label_weight_kg",
    "label_degradation_percent_per_year",
    "setup_mounting",
    "setup_reference_isc_a",
    "setup_reference_pmax_w",
    "setup_reference_percent",
];

/// Whether files of the first kind did not have a column.
pub fn is_later(column: &str) -> bool {
    LATER.contains(&column) || PLACE.contains(&column) || EQUIPMENT.contains(&column) || STATES.contains(&column)
}

pub fn needed_columns() -> Vec<String> {
    test_columns().into_iter().filter(|column| !is_later(column)).collect()
}

pub fn label_columns() -> impl Iterator<Item = String> {
    LabelTyped::FIELDS.iter().map(|field| format!("label_{field}"))
}

pub fn setup_columns() -> impl Iterator<Item = String> {
    SetupTyped::FIELDS.iter().map(|field| format!("setup_{field}"))
}

/// Everything about the test that its rows repeat.
pub fn test_columns() -> Vec<String> {
    let named = |names: &'static [&'static str]| names.iter().map(|name| (*name).to_owned());
    named(&TEST)
        .chain(named(&PANEL))
        .chain(label_columns())
        .chain(setup_columns())
        .chain(named(&PLACE))
        .chain(named(&EQUIPMENT))
        .collect()
}

pub fn all_columns() -> Vec<String> {
    let reading = READING.iter().map(|name| (*name).to_owned());
    let figures = Quantity::ALL.iter().flat_map(|quantity| quantity_columns(*quantity));
    test_columns().into_iter().chain(reading).chain(figures).collect()
}

/// Value (or low end of a range), high end, step of the display, how it was taken.
pub fn quantity_columns(quantity: Quantity) -> [String; 4] {
    let name = quantity.name();
    [name.to_owned(), format!("{name}_high"), format!("{name}_step"), format!("{name}_how")]
}

/// Columns that older files have under another name.
const OLDER_NAMES: [(&str, &str); 2] = [("setup_warmth", "setup_cell_temperature"), ("setup_wobble", "setup_unsteady")];

/// Where each column stands.
pub struct Header(HashMap<String, usize>);

impl Header {
    /// Refuses columns that are unknown or there twice; line 1.
    pub fn read(record: &csv::StringRecord) -> Result<Self, ImportError> {
        let known = all_columns();
        let mut places = HashMap::new();
        for (place, name) in record.iter().enumerate() {
            let name = name.trim();
            let name = OLDER_NAMES.iter().find(|(older, _)| *older == name).map_or(name, |(_, name)| *name);
            if !known.iter().any(|column| column == name) && name != FORMER {
                return Err(ImportError::at(1, name, "there is no such column in a table of readings."));
            }
            if places.insert(name.to_owned(), place).is_some() {
                return Err(ImportError::at(1, name, "this column is there twice."));
            }
        }
        Ok(Header(places))
    }

    pub fn has(&self, column: &str) -> bool {
        self.0.contains_key(column)
    }

    /// Fails with the first of `columns` that is not there.
    pub fn require(&self, columns: &[String]) -> Result<(), ImportError> {
        match columns.iter().find(|column| !self.has(column)) {
            Some(column) => Err(ImportError::at(1, column, "this column is missing.")),
            None => Ok(()),
        }
    }
}

/// One row of the file.
pub struct Row<'a> {
    pub line: u64,
    pub header: &'a Header,
    pub record: csv::StringRecord,
}

impl Row<'_> {
    /// The text of a cell; empty where the file has no such column.
    pub fn text(&self, column: &str) -> &str {
        inward(self.header.0.get(column).and_then(|place| self.record.get(*place)).unwrap_or_default().trim())
    }

    pub fn error(&self, column: &str, message: impl Into<String>) -> ImportError {
        ImportError::at(self.line, column, message)
    }

    /// The text of a cell that must not be empty.
    pub fn required(&self, column: &str) -> Result<&str, ImportError> {
        match self.text(column) {
            "" => Err(self.error(column, "this cell must not be empty.")),
            text => Ok(text),
        }
    }

    pub fn number(&self, column: &str) -> Result<Option<f64>, ImportError> {
        let text = self.text(column);
        if text.is_empty() {
            return Ok(None);
        }
        match text.replace(',', ".").parse::<f64>() {
            Ok(number) if number.is_finite() => Ok(Some(number)),
            _ => Err(self.error(column, format!("\"{text}\" is not a number."))),
        }
    }

    /// `1` or `true`, `0` or `false`, or nothing for no.
    pub fn flag(&self, column: &str) -> Result<bool, ImportError> {
        match self.text(column).to_lowercase().as_str() {
            "" | "0" | "false" => Ok(false),
            "1" | "true" => Ok(true),
            text => Err(self.error(column, format!("\"{text}\" is neither true nor false."))),
        }
    }

    pub fn time(&self, column: &str) -> Result<Timestamp, ImportError> {
        let text = self.required(column)?;
        text.parse().map_err(|_| self.error(column, format!("\"{text}\" is not a time: write it like 2026-06-01T12:30:00Z.")))
    }

    /// The sky as noted; empty for none.
    pub fn sky(&self) -> Result<Option<SkyNote>, ImportError> {
        match self.text("sky") {
            "" => Ok(None),
            name => match SkyNote::from_name(name) {
                Some(sky) => Ok(Some(sky)),
                None => Err(self.error("sky", format!("\"{name}\" is not one of clear, haze, thin_cloud, broken, overcast."))),
            },
        }
    }

    pub fn figures(&self) -> Result<Figures, ImportError> {
        let mut figures = Figures::default();
        for &quantity in Quantity::ALL {
            let [value, high_column, step_column, how_column] = quantity_columns(quantity);
            let Some(low) = self.number(&value)? else { continue };
            let high = self.number(&high_column)?.unwrap_or(low);
            let step = self.number(&step_column)?.unwrap_or(0.0);
            let how = match self.text(&how_column) {
                "" if high != low => ValueKind::Range,
                "" => ValueKind::Shown,
                name => ValueKind::from_name(name)
                    .ok_or_else(|| self.error(&how_column, format!("\"{name}\" is not one of shown, range, peak, settled.")))?,
            };
            let allowed = quantity.allowed();
            for (column, number) in [(&value, low), (&high_column, high)] {
                if !allowed.contains(&number) {
                    return Err(self.error(
                        column,
                        format!("{number} is outside {} to {} {}.", allowed.start(), allowed.end(), quantity.unit()),
                    ));
                }
            }
            if high < low {
                return Err(self.error(&high_column, format!("{high} is below {low}, where the range begins.")));
            }
            if step < 0.0 {
                return Err(self.error(&step_column, format!("{step} is below 0.")));
            }
            figures.set(quantity, Seen { low, high, step, how });
        }
        Ok(figures)
    }
}
