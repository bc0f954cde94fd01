//! Open formats, out and in: one CSV table, one row for each row of the logbook.
//!
//! Every row carries its test, panel and set-up, so that one file is enough to bring a test to another bench:
//!
//! | columns | what |
//! |---|---|
//! | `test_uid`, `question`, `created_utc` | the test; of an open one the question is `open` |
//! | `rig`, `gear`, `meters` | what it was measured with, as JSON: the rig by its panels\' tags, each piece of gear with its fields as typed, and which meter read what; `other_rigs` those that its levels or states name |
//! | `place_...` | the place: its name, coordinates, time zone, horizon, ground and usual temperatures |
//! | `panel_uid`, `tag`, `name`, `is_used`, `age_years`, `price`, `panel_notes`, `doubts_kept` | the panel |
//! | `label_...` | its label, named as in the core |
//! | `setup_...` | the set-up, named as in the core |
//! | `reading_uid`, `replaces_uid`, `withdrawn`, `reason`, `taken_utc`, `accepted_utc`, `typed`, `note`, `sky` | the reading |
//! | `run_place`, `run_level`, `run_rig` | its run on the sheet |
//! | `run_uid`, `run_events` | what happened to it, as JSON |
//! | `run_state` | of an open test: what it was of, as JSON, after corrections |
//! | `voltage_v`, `voltage_v_high`, `voltage_v_step`, `voltage_v_how`, and so for each quantity | its figures |
//!
//! A test without readings has one row with no `reading_uid`. Times are RFC 3339 in UTC. A text that a
//! spreadsheet would run as a formula stands behind an apostrophe.

mod cells;
mod equipment;
mod error;
mod export;
mod import;
mod named;
mod staged;
mod table;

pub use cells::{inward, outward};
pub use error::ImportError;
pub use export::{Exported, ExportedTable};
pub use import::{Imported, Progress};
pub use named::NamedByTest;
