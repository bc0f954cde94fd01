//! The logbook: panels, tests and append-only readings in one SQLite file, the *bench*.
//!
//! [`Store`] opens the file and holds the connections: many readers, one writer, write-ahead log, full synchronous, so that a
//! reading which was acknowledged survives a power cut. One `impl Store` block for each topic:
//!
//! | file | topic |
//! |---|---|
//! | `arrivals`, `together` | readings that arrive together are written together, by few statements |
//! | `backup` | copies while it runs, and the lock of a bench |
//! | `checksum` | sums of rows that a verdict reads, so that damage is told |
//! | `withdrawals` | what was taken back, and what a record was before a change |
//! | `forget` | what is withdrawn truly erased |
//! | `changes` | which state of the bench something was read from |
//! | `migrations` | the tables, version by version |
//! | `open` | opening a file, and every way it can be the wrong one |
//! | `bench` | the bench itself |
//! | `kinds`, `panels` | kinds with their label, and single panels |
//! | `gear` | meters, controllers, batteries, leads and the like |
//! | `rigs` | panels and gear wired together |
//! | `places` | where the bench stands, and the weather of a place |
//! | `tests` | tests and their set-up |
//! | `runs` | the plan of a test, its runs and what happened to them |
//! | `photos` | pictures of the set-up |
//! | `calculations` | set-ups of predicting pages, kept by name |
//! | `panel_events` | what was done to a panel between its tests |
//! | `reviews` | tests chosen to be looked at side by side |
//! | `search` | tests by words of their notes |
//! | `logs`, `samples` | logs, and their samples |
//! | `log_files`, `log_text`, `log_part` | files of other loggers, brought in part by part |
//! | `sessions` | browsers that were let in from elsewhere |
//! | `readings`, `queue`, `reading_rows` | readings and their revisions: asked for, waiting to be written together, and as rows |
//! | `states` | which state a test, a panel or a log is in, for what is kept of it |
//! | `record`, `log_record` | rows to the record that the core assesses |
//! | `rows` | what a row is, table by table |
//! | `files`, `identity` | names of files beside a bench, and unique names of rows |
//! | `exchange` | CSV out and in |
//! | `package` | whole benches out and in, and one bench into another |

// A new variant has to be met wherever variants are told apart.
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

mod arrivals;
mod backup;
mod bench;
mod calculations;
mod changes;
mod checksum;
mod connections;
mod error;
pub mod exchange;
mod files;
mod forget;
mod gear;
mod identity;
mod kinds;
mod log_files;
mod log_part;
mod log_record;
mod log_text;
mod logs;
mod migrations;
mod open;
pub mod package;
mod panel_events;
mod panels;
mod photos;
mod places;
mod queue;
mod reading_rows;
mod readings;
mod record;
mod reviews;
mod rigs;
mod rows;
mod runs;
mod samples;
mod search;
mod sessions;
mod states;
mod test_meters;
mod tests;
mod together;
mod withdrawals;

pub use backup::{BackupError, BenchLock, Verified, back_up_file, restore, verify};
pub use bench::{Bench, BenchKind};
pub use calculations::Calculation;
pub use connections::Store;
pub use error::{OpenError, StoreError};
pub use forget::{Forgotten, copies_with};
pub use identity::Identified;
pub use log_record::LogRecorded;
pub use log_text::Arriving;
pub use panel_events::PanelEvent;
pub use photos::{NewPhoto, Photo};
pub use record::{day_of_year, panel_record, pieces, rig_of};
pub use reviews::{ReviewDraft, ReviewRow};
pub use rows::gear::{GearDraft, GearRow};
pub use rows::kind::{Kind, KindDraft};
pub use rows::log::{Belongs, LogEvent, LogEventKind, LogRow, NewSample};
pub use rows::log_file::{LogFault, LogFile, LogFileError, LogProgress};
pub use rows::panel::{Panel, PanelDraft};
pub use rows::place::{PlaceDraft, PlaceRow, WeatherRow};
pub use rows::reading::{Accepted, Line, NewReading, Reading, Revision, lines};
pub use rows::register::{OpenTest, Recorded, Register};
pub use rows::rig::{RigDraft, RigRow};
pub use rows::test::{Listed, Test, TestDraft};
pub use runs::{Acknowledgement, NewEvent, NewRun};
pub use samples::{Bucket, LogMinute, SamplePage};
pub use search::FoundRecord;
pub use sessions::SessionRow;
pub use states::TestState;
pub use withdrawals::{Withdrawable, Withdrawn};

/// A new identity, in the order of time.
pub fn new_uid() -> String {
    uuid::Uuid::now_v7().to_string()
}
