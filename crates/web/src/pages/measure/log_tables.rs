//! Logs as tables, for spreadsheets and scripts: every sample, and sums by hours and days.

use crate::day::{Day, timestamp};
use crate::error::AppError;
use crate::state::AppState;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::energy::log::sums::{Sums, hours_of, sums};
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::integral::Interval;
use flindo_core::window::Window;
use flindo_store::{LogRow, SamplePage, Store, StoreError};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use std::fmt::Write;
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use tokio_stream::wrappers::ReceiverStream;

/// Samples of a quantity read at a time.
const ROWS: i64 = 5000;

fn as_table(log: &LogRow, what: &str, body: Body) -> Response {
    let safe: String = log.name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let disposition = format!("attachment; filename=\"{safe}-log-{}{what}.csv\"", log.id);
    let headers = [(header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)];
    (headers, body).into_response()
}

/// A step of a table of sums.
#[derive(Debug, Clone, Copy)]
enum By {
    Hour,
    Day,
}

pub async fn hours(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    table_of_sums(&state, id, By::Hour).await
}

pub async fn days(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    table_of_sums(&state, id, By::Day).await
}

/// One line for each hour or day that has samples: from when, energy with its interval, covered seconds, irradiation. RFC 4180.
async fn table_of_sums(state: &AppState, id: i64, by: By) -> Result<Response, AppError> {
    let log = state.store.log_recorded(id).await?;
    let mut text = "from_utc,from_local,energy_wh,energy_low_wh,energy_high_wh,covered_s,irradiation_wh_m2\r\n".to_owned();
    if let Some((first_ms, last_ms)) = state.store.log_span(id).await? {
        let ahead_ms = (log.row.belongs.ahead_s * 1000.0) as i64;
        let at = |ms: i64| Timestamp::from_millisecond(ms - ahead_ms).unwrap_or(log.row.started_utc);
        let mut day = Day::of(at(first_ms), &log.zone);
        while day.start <= at(last_ms) {
            let window = Window { from_s: day.start_s(), to_s: day.end_s() };
            let samples = state.store.log_samples_between(&log.row, window).await?;
            let found = match by {
                By::Hour => sums(&samples, hours_of(window)),
                By::Day => sums(&samples, [window]),
            };
            found.iter().for_each(|sums| line(&mut text, sums, &log.zone));
            let next = day.date.checked_add(1.day()).unwrap_or(day.date);
            if next == day.date {
                break;
            }
            day = Day::at(next, &log.zone);
        }
    }
    let name = match by {
        By::Hour => "-hours",
        By::Day => "-days",
    };
    Ok(as_table(&log.row, name, Body::from(text)))
}

fn line(text: &mut String, sums: &Sums, zone: &TimeZone) {
    let from = timestamp(sums.window.from_s);
    let local = from.to_zoned_datetime(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string();
    let light = sums.irradiation_wh_m2.map(|light| format!("{light:.1}")).unwrap_or_default();
    let Interval { value, low, high } = sums.energy_wh;
    let covered_s = sums.covered_s;
    // Writing to a String cannot fail.
    let _ = write!(text, "{from},{local},{value:.3},{low:.3},{high:.3},{covered_s:.0},{light}\r\n");
}

/// Every sample: time, then one column for each quantity. Sent as it is read, so that a day does not have to fit into memory.
pub async fn csv(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    let log = state.store.log(id).await?;
    let quantities = state.store.log_quantities(id).await?;
    let (out, stream) = mpsc::channel::<Result<String, StoreError>>(4);
    tokio::spawn(async move {
        if let Err(error) = send_rows(&state.store, id, &quantities, &out).await {
            // The receiver may be gone; then nobody misses it.
            let _ = out.send(Err(error)).await;
        }
    });

    Ok(as_table(&log, "", Body::from_stream(ReceiverStream::new(stream))))
}

async fn send_rows(
    store: &Store,
    id: i64,
    quantities: &[Quantity],
    out: &mpsc::Sender<Result<String, StoreError>>,
) -> Result<(), StoreError> {
    let names: Vec<&str> = quantities.iter().map(|quantity| quantity.name()).collect();
    let mut text = format!("time_utc,{}\r\n", names.join(","));
    let mut after_ms = i64::MIN;
    loop {
        let pages = pages_after(store, id, quantities, after_ms).await?;
        // What comes after the end of the shortest page is not known of its quantity yet.
        let until_ms = pages.iter().filter_map(|page| page.until_ms).min();
        let columns: Vec<&[(i64, f64)]> = pages.iter().map(|page| page.samples.as_slice()).collect();
        write_moments(&mut text, &columns, until_ms.unwrap_or(i64::MAX));
        if out.send(Ok(std::mem::take(&mut text))).await.is_err() {
            return Ok(());
        }
        match until_ms {
            Some(until_ms) => after_ms = until_ms,
            None => return Ok(()),
        }
    }
}

/// The next samples of every quantity, read side by side.
async fn pages_after(store: &Store, id: i64, quantities: &[Quantity], after_ms: i64) -> Result<Vec<SamplePage>, StoreError> {
    let mut reading = JoinSet::new();
    for (place, quantity) in quantities.iter().enumerate() {
        let (store, quantity) = (store.clone(), *quantity);
        reading.spawn(async move { (place, store.log_page(id, quantity, after_ms, ROWS).await) });
    }
    let mut found = reading.join_all().await;
    found.sort_by_key(|(place, _)| *place);
    found.into_iter().map(|(_, page)| page).collect()
}

/// One line for each moment up to the last: time, and a cell for each quantity, empty where it has no sample then.
fn write_moments(text: &mut String, columns: &[&[(i64, f64)]], last_ms: i64) {
    let mut next = vec![0; columns.len()];
    let first_of =
        |next: &[usize]| columns.iter().zip(next).filter_map(|(column, at)| column.get(*at)).map(|sample| sample.0).min();
    while let Some(at_ms) = first_of(&next).filter(|at_ms| *at_ms <= last_ms) {
        let time = Timestamp::from_millisecond(at_ms).unwrap_or(Timestamp::UNIX_EPOCH);
        // Writing to a String cannot fail.
        let _ = write!(text, "{time:.3}");
        for (column, at) in columns.iter().zip(&mut next) {
            text.push(',');
            if let Some((_, value)) = column.get(*at).filter(|sample| sample.0 == at_ms) {
                let _ = write!(text, "{value}");
                *at += 1;
            }
        }
        text.push_str("\r\n");
    }
}
