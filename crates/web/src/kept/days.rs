//! Days of logs as they were judged, and drawings of them.

use super::shelf::Shelf;
use crate::day::Day;
use crate::error::AppError;
use crate::heavy;
use flindo_core::energy::log::assess::{LogAssessment, assess};
use flindo_core::energy::log::record::LogRecord;
use flindo_core::window::Window;
use flindo_store::{Belongs, LogRecorded, Store};
use std::sync::Arc;
use std::time::Instant;

/// Days that are kept; one has some 1440 steps of a few quantities, and those of the days around it.
const MOST_DAYS: u64 = 64;

/// and of those that nobody asks for.
const MOST_IDLE_DAYS: u64 = 8;

/// Drawings that are kept, of some 300 kB each.
const MOST_DRAWN: u64 = 8;

/// What a day was judged from: how many samples the log had, what it belongs to, and what is known of that.
#[derive(Debug, Clone, PartialEq)]
struct DayOf {
    samples: i64,
    belongs: Belongs,
    record: LogRecord,
    /// A drawing has clock times.
    zone: String,
}

impl DayOf {
    fn of(log: &LogRecorded) -> Self {
        let LogRecorded { row, record, zone, test: _, panel: _, rig: _, place: _ } = log;
        let zone = zone.iana_name().unwrap_or_default().to_owned();
        DayOf { samples: row.samples, belongs: row.belongs.clone(), record: record.clone(), zone }
    }
}

/// Days by log and beginning, Unix seconds; drawings by log and window, ms.
#[derive(Clone)]
pub struct Days {
    judged: Shelf<(i64, i64), DayOf, Arc<LogAssessment>>,
    drawn: Shelf<(i64, (i64, i64)), DayOf, Arc<str>>,
}

impl Default for Days {
    fn default() -> Self {
        Days { judged: Shelf::new(MOST_DAYS, MOST_DAYS as usize), drawn: Shelf::new(MOST_DRAWN, MOST_DRAWN as usize) }
    }
}

impl Days {
    /// A day of a log, judged now or before.
    pub async fn judged(&self, store: &Store, log: &LogRecorded, day: &Day) -> Result<Arc<LogAssessment>, AppError> {
        let (key, of) = ((log.row.id, day.start.as_second()), DayOf::of(log));
        if let Some(known) = self.judged.get(&key, &of) {
            return Ok(known);
        }
        let read = store.log_day(&log.row, Window { from_s: day.start_s(), to_s: day.end_s() }).await?;
        let record = log.record.clone();
        let judged = heavy::run(move |_| assess(&record, read)).await?.map_err(|error| AppError::failed(&error))?;
        let judged = Arc::new(judged);
        self.judged.put(key, of, Arc::clone(&judged), 1);
        Ok(judged)
    }

    /// The drawing of a window, ms, where it is kept.
    pub fn drawn(&self, log: &LogRecorded, window_ms: (i64, i64)) -> Option<Arc<str>> {
        self.drawn.get(&(log.row.id, window_ms), &DayOf::of(log))
    }

    pub fn keep_drawn(&self, log: &LogRecorded, window_ms: (i64, i64), svg: Arc<str>) {
        self.drawn.put((log.row.id, window_ms), DayOf::of(log), svg, 1);
    }

    /// Answers how many it gave up.
    pub fn give_up_idle(&self, before: Instant) -> u64 {
        self.judged.give_up_idle(before, MOST_IDLE_DAYS) + self.drawn.give_up_idle(before, 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::sky::course::Site;
    use flindo_store::LogRow;
    use jiff::Timestamp;
    use jiff::tz::TimeZone;

    /// Whatever its figures or its drawing come from makes another day of it.
    #[test]
    fn a_day_is_another_once_something_that_it_comes_from_has_changed() {
        let row = LogRow {
            id: 1,
            test_id: None,
            run_id: None,
            file_id: None,
            belongs: Belongs::default(),
            name: "log".to_owned(),
            started_utc: Timestamp::UNIX_EPOCH,
            ended_utc: None,
            samples: 10,
        };
        let record = LogRecord { site: Some(Site::default()), ..LogRecord::default() };
        let log = LogRecorded { row, test: None, panel: None, rig: None, place: None, zone: TimeZone::UTC, record };
        let of = DayOf::of(&log);
        let with = |change: &dyn Fn(&mut LogRecorded)| {
            let mut other = log.clone();
            change(&mut other);
            DayOf::of(&other)
        };
        assert_eq!(with(&|log| log.row.name = "another".to_owned()), of);
        let changed = [
            with(&|log| log.row.samples = 11),
            with(&|log| log.row.belongs.side = 1),
            with(&|log| log.record.site = Some(Site { albedo: 0.3, ..Site::default() })),
            with(&|log| log.record.watts_u_percent = 1.0),
            with(&|log| log.record.poa_u_percent = 4.0),
            with(&|log| log.record.known.rated_w = Some(250.0)),
            with(&|log| log.zone = TimeZone::get("Europe/Lisbon").unwrap()),
        ];
        assert!(changed.iter().all(|other| *other != of), "{changed:?}");
    }
}
