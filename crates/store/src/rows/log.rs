//! A log of a meter, and what happened to it.

use flindo_core::measure::quantity::Quantity;
use jiff::Timestamp;

/// One sample to be written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NewSample {
    pub quantity: Quantity,
    /// ms since 1970, UTC.
    pub at_ms: i64,
    pub value: f64,
}

/// A log of this bench, without its samples.
#[derive(Debug, Clone, PartialEq)]
pub struct LogRow {
    pub id: i64,
    pub test_id: Option<i64>,
    /// The run during which it was recorded.
    pub run_id: Option<i64>,
    /// The file it came with; `None`: recorded here.
    pub file_id: Option<i64>,
    pub name: String,
    pub belongs: Belongs,
    pub started_utc: Timestamp,
    /// `None`: still recording, or cut off by a stop of the program.
    pub ended_utc: Option<Timestamp>,
    pub samples: i64,
}

/// What a log belongs to, and what is known of how it was made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Belongs {
    pub test_id: Option<i64>,
    pub rig_id: Option<i64>,
    pub panel_id: Option<i64>,
    pub place_id: Option<i64>,
    /// Rig 1 or 2 of a test side by side; 0: the only one.
    pub side: u8,
    /// Degrees from flat, and from north; `None`: those of its test.
    pub tilt_deg: Option<f64>,
    pub azimuth_deg: Option<f64>,
    /// % of reading of its meter; `None`: usual.
    pub meter_percent: Option<f64>,
    /// s: its clock was ahead of true time by this, as somebody confirmed.
    pub ahead_s: f64,
}

/// What happened to a log while it was recorded.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LogEventKind {
    /// The program was started again, and went on with it.
    Resumed,
    /// Samples that could not be written.
    Lost,
}

impl LogEventKind {
    pub(crate) fn name(self) -> &'static str {
        match self {
            LogEventKind::Resumed => "resumed",
            LogEventKind::Lost => "lost",
        }
    }

    pub(crate) fn from_name(name: &str) -> Option<Self> {
        [LogEventKind::Resumed, LogEventKind::Lost].into_iter().find(|kind| kind.name() == name)
    }
}

/// See [`LogEventKind`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LogEvent {
    pub at_ms: i64,
    pub what: LogEventKind,
    /// How many were lost.
    pub samples: i64,
}
