//! Readings that nobody types: what a live meter shows, and a stretch of a log.

use crate::day::timestamp;
use crate::door::entering::open_run;
use crate::error::AppError;
use crate::figures::stretch;
use crate::state::AppState;
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::record::run::Run;
use flindo_core::record::run_energy::stretch_reading;
use flindo_core::record::setup::Load;
use flindo_core::window::Window;
use flindo_store::{Accepted, LogRecorded, NewReading, Test};
use jiff::Timestamp;

/// Takes what a live meter shows, with its range, as a reading of a run.
///
/// # Errors
/// A meter that shows nothing, or nothing steady enough; a reading that is not accepted, which the meter then keeps.
pub async fn from_meter(
    state: &AppState,
    test: &Test,
    meter_id: i64,
    (uid, run_id): (String, Option<i64>),
) -> Result<Accepted, AppError> {
    let taken = match state.hub.take(meter_id, test.setup.unsteady)? {
        Ok(taken) => taken,
        Err(refusal) => return Err(AppError::input("meter", &meter_id.to_string(), refusal.to_string())),
    };
    let name = state.store.gear_piece(meter_id).await?.draft.name;
    let now = Timestamp::from_second(taken.at_ms.div_euclid(1000)).unwrap_or_else(|_| Timestamp::now());
    let missing: Vec<&str> = taken.missing.iter().map(|quantity| quantity.label()).collect();
    let missing = if missing.is_empty() { String::new() } else { format!("; it showed no {} then", missing.join(", no ")) };
    let reading = NewReading {
        uid,
        taken_utc: now,
        typed: String::new(),
        note: format!("from {name}{missing}"),
        sky: None,
        figures: meant(taken.figures.clone(), test.setup.load),
        run_id,
        revision: None,
    };
    let accepted = match state.store.accept(test.id, &reading, Timestamp::now()).await {
        Ok(accepted) => accepted,
        Err(error) => {
            state.hub.give_back(meter_id, taken);
            return Err(error.into());
        }
    };
    open_run(state, test.id, run_id, now).await?;
    state.hub.tell(test.id);
    Ok(accepted)
}

/// With nothing connected to the panel, the meter's volts and amps are Voc and Isc.
fn meant(figures: Figures, load: Load) -> Figures {
    if load != Load::MultimeterOnly {
        return figures;
    }
    let named = |quantity| {
        if quantity == Quantity::Voltage {
            Quantity::Voc
        } else if quantity == Quantity::Current {
            Quantity::Isc
        } else {
            quantity
        }
    };
    figures.iter().filter(|(quantity, _)| *quantity != Quantity::Power).map(|(quantity, seen)| (named(quantity), *seen)).collect()
}

/// Takes a stretch of a log as a reading of its test: the mean of each quantity, with the range in which 95 of 100 of its samples lie. The
/// same stretch of the same log a second time is the same reading. `place`: of the run on the sheet; else the one at work then.
///
/// # Errors
/// A log that belongs to no test; a stretch without samples; a reading that is not accepted.
pub async fn from_log(
    state: &AppState,
    log: &LogRecorded,
    Window { from_s, to_s }: Window,
    place: Option<i64>,
) -> Result<(i64, Accepted), AppError> {
    let Some(test_id) = log.row.belongs.test_id else {
        return Err(AppError::input(
            "test",
            "",
            "This log belongs to no test: choose one under \u{201c}What it belongs to\u{201d} first.",
        ));
    };
    let samples = state.store.log_samples_between(&log.row, Window { from_s, to_s }).await?;
    let middle = timestamp((from_s + to_s) / 2.0);
    let Some(figures) = stretch_reading(&samples.series, Window { from_s, to_s }) else {
        return Err(AppError::input("from", "", "There are no samples in this stretch: choose another one."));
    };
    let new = NewReading {
        uid: format!("log-{}-{:.0}-{:.0}", log.row.id, from_s * 1000.0, to_s * 1000.0),
        taken_utc: middle,
        typed: String::new(),
        note: format!("{}, {}", log.row.name, stretch(from_s, to_s, &log.zone)),
        sky: None,
        figures,
        run_id: run_at(state, test_id, middle, place).await?,
        revision: None,
    };
    let accepted = state.store.accept(test_id, &new, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok((test_id, accepted))
}

/// The run that is named by its place, or else the one at work at a moment.
async fn run_at(state: &AppState, test_id: i64, at: Timestamp, place: Option<i64>) -> Result<Option<i64>, AppError> {
    let runs = state.store.runs(test_id).await?;
    if let Some(run) = place.and_then(|place| runs.iter().find(|run| run.place == place)) {
        return Ok(Some(run.id));
    }
    let holds = |run: &&Run| run.begun_utc().is_some_and(|begun| begun <= at) && !run.is_late(at);
    Ok(runs.iter().rfind(holds).map(|run| run.id))
}
