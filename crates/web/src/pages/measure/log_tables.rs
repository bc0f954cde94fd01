//! Logs as tables, for spreadsheets and scripts: every sample, and sums by hours and days.

use crate::day::Day;
use crate::error::AppError;
use crate::logged::{context, power, series};
use crate::state::AppState;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::integral::{Window, integrate};
use flindo_store::{LogRow, Store, StoreError};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use std::fmt::Write;
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use tokio_stream::wrappers::ReceiverStream;

/// Samples of a quantity read at a time.
const ROWS: usize = 5000;

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
    sums(&state, id, By::Hour).await
}

pub async fn days(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    sums(&state, id, By::Day).await
}

/// One line for each hour or day that has samples: from when, energy with its interval, covered seconds, irradiation. RFC 4180.
async fn sums(state: &AppState, id: i64, by: By) -> Result<Response, AppError> {
    let log = state.store.log(id).await?;
    let context = context(&state.store, &log).await?;
    let mut text = "from_utc,from_local,energy_wh,energy_low_wh,energy_high_wh,covered_s,irradiation_wh_m2\r\n".to_owned();
    let span = state.store.log_span(id).await?;
    let (Some((first_ms, last_ms)), zone) = (span, context.zone.clone()) else {
        return Ok(as_table(&log, "-sums", Body::from(text)));
    };
    let at = |ms: i64| Timestamp::from_millisecond(ms - (log.belongs.ahead_s * 1000.0) as i64).unwrap_or(log.started_utc);
    let mut day = Day::of(at(first_ms), &zone);
    while day.start <= at(last_ms) {
        let (all, _) = series(&state.store, &log, Window { from_s: day.start_s(), to_s: day.end_s() }).await?;
        if let Some(power) = power(&all) {
            let length_s = match by {
                By::Hour => 3600.0,
                By::Day => day.end_s() - day.start_s(),
            };
            let mut from_s = day.start_s();
            while from_s < day.end_s() {
                let window = Window { from_s, to_s: (from_s + length_s).min(day.end_s()) };
                let found = integrate(power, window, None);
                if found.covered_s > 0.0 {
                    let light = all.get(&Quantity::Poa).map(|poa| integrate(poa, window, None).sampled);
                    line(
                        &mut text,
                        window,
                        (found.sampled, found.sampled - found.u_sampling, found.sampled + found.u_sampling),
                        found.covered_s,
                        light,
                        &zone,
                    );
                }
                from_s += length_s;
            }
        }
        let next = day.date.checked_add(1.day()).unwrap_or(day.date);
        if next == day.date {
            break;
        }
        day = Day::at(next, &zone);
    }
    let name = match by {
        By::Hour => "-hours",
        By::Day => "-days",
    };
    Ok(as_table(&log, name, Body::from(text)))
}

fn line(
    text: &mut String,
    window: Window,
    (value, low, high): (f64, f64, f64),
    covered_s: f64,
    light: Option<f64>,
    zone: &TimeZone,
) {
    let from = Timestamp::from_second(window.from_s as i64).unwrap_or(Timestamp::UNIX_EPOCH);
    let local = from.to_zoned_datetime(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string();
    let light = light.map(|light| format!("{light:.1}")).unwrap_or_default();
    // Writing to a String cannot fail.
    let _ = write!(text, "{from},{local},{value:.3},{:.3},{high:.3},{covered_s:.0},{light}\r\n", low.max(0.0));
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
        let columns = columns_after(store, id, quantities, after_ms).await?;
        // A column that was cut ends the page: what comes after its last sample is not known of it yet.
        let cut =
            columns.iter().filter(|column| column.len() == ROWS).filter_map(|column| column.last()).map(|last| last.0).min();
        write_moments(&mut text, &columns, cut.unwrap_or(i64::MAX));
        if out.send(Ok(std::mem::take(&mut text))).await.is_err() {
            return Ok(());
        }
        match cut {
            Some(last_ms) => after_ms = last_ms,
            None => return Ok(()),
        }
    }
}

/// The next samples of every quantity, read side by side.
async fn columns_after(
    store: &Store,
    id: i64,
    quantities: &[Quantity],
    after_ms: i64,
) -> Result<Vec<Vec<(i64, f64)>>, StoreError> {
    let mut reading = JoinSet::new();
    for (place, quantity) in quantities.iter().enumerate() {
        let (store, quantity) = (store.clone(), *quantity);
        reading.spawn(async move { (place, store.log_page(id, quantity, after_ms, ROWS as i64).await) });
    }
    let mut columns = vec![Vec::new(); quantities.len()];
    for (place, column) in reading.join_all().await {
        columns[place] = column?;
    }
    Ok(columns)
}

/// One line for each moment up to the last: time, and a cell for each quantity, empty where it has no sample then.
fn write_moments(text: &mut String, columns: &[Vec<(i64, f64)>], last_ms: i64) {
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
