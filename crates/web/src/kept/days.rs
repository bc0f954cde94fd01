//! Days of logs that were worked out, and drawings of them, kept for as long as nothing of them changes; nothing is written anywhere.

use crate::day::Day;
use crate::error::AppError;
use crate::heavy;
use crate::logged::{Context, Worked, by_minutes, series, work_out};
use flindo_core::measure::series::integral::Window;
use flindo_store::{LogRow, Store};
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, PoisonError};

/// What a day was worked out from: the log, how many samples it had, when the day began, and what else its context says.
type Key = (i64, i64, i64, String);

fn key_of(log: &LogRow, context: &Context, from_s: f64) -> Key {
    // What it belongs to, and what is known of that, can change without its samples.
    let Context { place: _, zone, site, plane, rated_w, gamma_per_k, known, watts_u_percent, poa_u_percent, of: _ } = context;
    let known = (site, plane, rated_w, gamma_per_k, known, watts_u_percent, poa_u_percent, zone.iana_name());
    (log.id, log.samples, from_s as i64, format!("{:?}{known:?}", log.belongs))
}

/// Days that were worked out, and drawings of windows of them.
#[derive(Debug, Clone, Default)]
pub struct Days {
    worked: Arc<Mutex<HashMap<Key, Arc<Worked>>>>,
    drawn: Arc<Mutex<VecDeque<Drawn>>>,
}

/// A window of a day, ms, and its drawing.
type Drawn = ((Key, (i64, i64)), Arc<str>);

/// Days that are kept.
const MOST_KEPT: usize = 64;

/// Drawings that are kept, of some 300 kB each.
const MOST_DRAWN: usize = 8;

impl Days {
    /// A day of a log, worked out or from memory.
    pub async fn of(&self, store: &Store, log: &LogRow, context: &Context, day: &Day) -> Result<Arc<Worked>, AppError> {
        let is_running = log.ended_utc.is_none();
        let key = key_of(log, context, day.start_s());
        let kept = self.worked.lock().unwrap_or_else(PoisonError::into_inner).get(&key).cloned();
        if let Some(kept) = kept {
            return Ok(kept);
        }
        let window = Window { from_s: day.start_s(), to_s: day.end_s() };
        let grid = store.log_grid(log).await?;
        // While it is recorded, by its minutes: every sample of a day again and again would hold up what is being written.
        let (all, arrivals) =
            if is_running { (by_minutes(&grid, window), Vec::new()) } else { series(store, log, window).await? };
        let context = context.clone();
        let worked = heavy::run(move |_| work_out(all, arrivals, &grid, &context, window))
            .await?
            .map_err(|error| AppError::failed(&error))?;
        let worked = Arc::new(worked);
        let mut days = self.worked.lock().unwrap_or_else(PoisonError::into_inner);
        if days.len() >= MOST_KEPT {
            days.clear();
        }
        days.insert(key, Arc::clone(&worked));
        Ok(worked)
    }

    /// The drawing of a window of a day, where it is kept.
    pub fn drawn(&self, log: &LogRow, context: &Context, worked: &Worked, window_ms: (i64, i64)) -> Option<Arc<str>> {
        let of = (key_of(log, context, worked.window.from_s), window_ms);
        let drawn = self.drawn.lock().unwrap_or_else(PoisonError::into_inner);
        drawn.iter().find(|(known, _)| *known == of).map(|(_, svg)| Arc::clone(svg))
    }

    /// Keeps a drawing in the place of the oldest.
    pub fn keep_drawn(&self, log: &LogRow, context: &Context, worked: &Worked, window_ms: (i64, i64), svg: Arc<str>) {
        let of = (key_of(log, context, worked.window.from_s), window_ms);
        let mut drawn = self.drawn.lock().unwrap_or_else(PoisonError::into_inner);
        if drawn.len() >= MOST_DRAWN {
            drawn.pop_front();
        }
        drawn.push_back((of, svg));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::energy::log::happened::Known;
    use flindo_core::sky::course::Site;
    use flindo_store::Belongs;
    use jiff::Timestamp;
    use jiff::tz::TimeZone;

    /// Whatever its figures or its drawing come from makes another day of it.
    #[test]
    fn a_day_is_another_once_something_that_it_comes_from_has_changed() {
        let log = LogRow {
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
        let context = Context {
            place: None,
            zone: TimeZone::UTC,
            site: Some(Site::default()),
            plane: None,
            rated_w: Some(250.0),
            gamma_per_k: None,
            known: Known::default(),
            watts_u_percent: 2.0,
            poa_u_percent: 5.0,
            of: Vec::new(),
        };
        let key = key_of(&log, &context, 0.0);
        assert_eq!(key_of(&log, &Context { of: vec![(String::new(), "a rig".to_owned())], ..context.clone() }, 0.0), key);
        let changed = [
            key_of(&LogRow { samples: 11, ..log.clone() }, &context, 0.0),
            key_of(&LogRow { belongs: Belongs { side: 1, ..Belongs::default() }, ..log.clone() }, &context, 0.0),
            key_of(&log, &context, 86_400.0),
            key_of(&log, &Context { site: Some(Site { albedo: 0.3, ..Site::default() }), ..context.clone() }, 0.0),
            key_of(&log, &Context { watts_u_percent: 1.0, ..context.clone() }, 0.0),
            key_of(&log, &Context { poa_u_percent: 4.0, ..context.clone() }, 0.0),
        ];
        assert!(changed.iter().all(|other| *other != key), "{changed:?}");
    }
}
