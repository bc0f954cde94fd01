//! The logbook: panels, tests and append-only readings in one SQLite file, the *bench*.
//!
//! [`Store`] opens the file and holds the connections: many readers, one writer, write-ahead log, full synchronous, so that a
//! reading which was acknowledged survives a power cut. One `impl Store` block for each topic:
//!
//! | file | topic |
//! |---|---|
//! | `open` | opening a file, and every way it can be the wrong one |
//! | `bench` | the bench itself |
//! | `gear` | panels |
//! | `places` | where the bench stands, and the weather of a place |
//! | `tests` | tests and their set-up |
//! | `readings` | readings and their revisions |
//! | `exchange` | CSV out and in |

mod bench;
mod error;
pub mod exchange;
mod gear;
mod open;
mod places;
mod readings;
mod tests;

pub use bench::Bench;
pub use error::{OpenError, StoreError};
pub use gear::{Panel, PanelDraft};
pub use open::{Kind, Store};
pub use places::{PlaceDraft, PlaceRow, WeatherRow};
pub use readings::{Accepted, Line, NewReading, Reading, Revision, lines};
pub use tests::{Test, TestDraft};

/// A new identity, in the order of time.
pub fn new_uid() -> String {
    uuid::Uuid::now_v7().to_string()
}
