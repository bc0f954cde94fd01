//! The logs of the bench; and one of them: its course drawn, and the whole of it as a table.

use super::paging::{LOGS_ON_A_PAGE, Paging};
use super::typed::Pairs;
use crate::draw;
use crate::error::AppError;
use crate::figures::{clock, clock_short, computed, day, unit};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_store::{Bucket, LogEvent, LogEventKind, LogRow, Store, StoreError};
use jiff::Timestamp;
use std::fmt::Write;
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use tokio_stream::wrappers::ReceiverStream;

/// Buckets of a drawing: about one to each point of its width.
const BUCKETS: i64 = 600;

/// Samples of a quantity read at a time.
const ROWS: usize = 5000;

#[derive(Template, WebTemplate)]
#[template(path = "log.html")]
pub struct LogPage {
    frame: Frame,
    log: LogRow,
    when: String,
    courses: Vec<Course>,
    /// What is missing, as sentences.
    gaps: Vec<String>,
}

#[derive(Template, WebTemplate)]
#[template(path = "logs.html")]
pub struct LogsPage {
    frame: Frame,
    logs: Vec<LogLine>,
    part: Paging,
}

struct LogLine {
    id: i64,
    name: String,
    when: String,
    samples: i64,
    state: &'static str,
}

/// All logs, the newest first.
pub async fn list(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<LogsPage, AppError> {
    let recording: Vec<i64> = state.hub.meters().await.iter().filter_map(|meter| meter.recording).collect();
    let part = Paging::of_logs(&query, usize::try_from(state.store.count_logs().await?).unwrap_or_default());
    let logs = state.store.logs(part.newer_ones() as i64, LOGS_ON_A_PAGE as i64).await?;
    let line = |log: LogRow| LogLine {
        id: log.id,
        when: format!("{}, {}", day(log.started_utc, &frame.time_zone), clock_short(log.started_utc, &frame.time_zone)),
        samples: log.samples,
        state: match log.ended_utc {
            Some(_) => "complete",
            None if recording.contains(&log.id) => "recording",
            None => "cut off",
        },
        name: log.name,
    };
    Ok(LogsPage { logs: logs.into_iter().map(line).collect(), part, frame })
}

struct Course {
    label: &'static str,
    facts: Vec<(&'static str, String)>,
    svg: String,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<LogPage, AppError> {
    let log = state.store.log(id).await?;
    let mut courses = Vec::new();
    for quantity in state.store.log_quantities(id).await? {
        let buckets = state.store.log_buckets(&log, quantity, BUCKETS).await?;
        courses.push(course(quantity, &buckets, &frame));
    }
    let mut gaps = Vec::new();
    for event in state.store.log_events(id).await? {
        gaps.push(gap(&state.store, id, event, &frame).await?);
    }
    let zone = &frame.time_zone;
    let until = log.ended_utc.map(|ended| clock_short(ended, zone)).unwrap_or_else(|| "now".to_owned());
    let when = format!("{}, {} to {until}", day(log.started_utc, zone), clock_short(log.started_utc, zone));
    Ok(LogPage { frame, log, when, courses, gaps })
}

/// What is missing around something that happened, as a sentence.
async fn gap(store: &Store, id: i64, event: LogEvent, frame: &Frame) -> Result<String, StoreError> {
    let at = |at_ms: i64| clock(Timestamp::from_millisecond(at_ms).unwrap_or(Timestamp::UNIX_EPOCH), &frame.time_zone);
    let (before, after) = store.samples_around(id, event.at_ms).await?;
    let until = after.map(at).unwrap_or_else(|| "now".to_owned());
    Ok(match event.what {
        LogEventKind::Resumed => {
            let from = before.map(at).unwrap_or_else(|| "its beginning".to_owned());
            format!("No samples from {from} to {until}: the program was not running.")
        }
        LogEventKind::Lost => format!("{} samples about {} are lost: the disk took none.", event.samples, at(event.at_ms)),
    })
}

fn course(quantity: Quantity, buckets: &[Bucket], frame: &Frame) -> Course {
    let unit = unit(quantity);
    let low = buckets.iter().map(|bucket| bucket.1).fold(f64::INFINITY, f64::min);
    let high = buckets.iter().map(|bucket| bucket.3).fold(f64::NEG_INFINITY, f64::max);
    let facts = vec![("lowest", computed(low, unit).to_string()), ("highest", computed(high, unit).to_string())];
    Course { label: quantity.label(), facts, svg: draw::log::draw(quantity.label(), unit, buckets, &frame.time_zone) }
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
    let safe: String = log.name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let disposition = format!("attachment; filename=\"{safe}-log-{id}.csv\"");
    let headers = [(header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)];
    Ok((headers, Body::from_stream(ReceiverStream::new(stream))).into_response())
}

async fn send_rows(
    store: &Store,
    id: i64,
    quantities: &[Quantity],
    out: &mpsc::Sender<Result<String, StoreError>>,
) -> Result<(), StoreError> {
    let names: Vec<&str> = quantities.iter().map(|quantity| quantity.name()).collect();
    let mut text = format!("time_utc,{}\n", names.join(","));
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
        text.push('\n');
    }
}
