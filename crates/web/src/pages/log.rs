//! One log: its course drawn, and the whole of it as a table.

use crate::draw;
use crate::error::AppError;
use crate::figures::{clock_short, computed, day, unit};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::quantity::Quantity;
use flindo_store::{LogRow, Store, StoreError};
use jiff::Timestamp;
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;

/// Buckets of a drawing: about one to each point of its width.
const BUCKETS: i64 = 600;

/// Rows of a table read at a time.
const ROWS: i64 = 5000;

#[derive(Template, WebTemplate)]
#[template(path = "log.html")]
pub struct LogPage {
    frame: Frame,
    log: LogRow,
    when: String,
    courses: Vec<Course>,
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
        let buckets = state.store.log_buckets(id, quantity, BUCKETS).await?;
        courses.push(course(quantity, &buckets, &frame));
    }
    let zone = &frame.time_zone;
    let until = log.ended_utc.map(|ended| clock_short(ended, zone)).unwrap_or_else(|| "now, or cut off".to_owned());
    let when = format!("{}, {} to {until}", day(log.started_utc, zone), clock_short(log.started_utc, zone));
    Ok(LogPage { frame, log, when, courses })
}

fn course(quantity: Quantity, buckets: &[(i64, f64, f64, f64)], frame: &Frame) -> Course {
    let unit = unit(quantity);
    let low = buckets.iter().map(|bucket| bucket.1).fold(f64::INFINITY, f64::min);
    let high = buckets.iter().map(|bucket| bucket.3).fold(f64::NEG_INFINITY, f64::max);
    let facts = vec![("lowest", computed(low, unit).to_string()), ("highest", computed(high, unit).to_string())];
    let clock = |at_ms: i64| clock_short(Timestamp::from_millisecond(at_ms).unwrap_or(Timestamp::UNIX_EPOCH), &frame.time_zone);
    Course { label: quantity.label(), facts, svg: draw::log::draw(quantity.label(), unit, buckets, clock) }
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
        let mut rows = store.log_page(id, after_ms, ROWS).await?;
        let is_last = (rows.len() as i64) < ROWS;
        if !is_last {
            // The last moment may be cut in two: it comes whole with the next page.
            let last_ms = rows.last().map_or(0, |row| row.0);
            rows.retain(|row| row.0 < last_ms);
        }
        for moment in rows.chunk_by(|a, b| a.0 == b.0) {
            after_ms = moment[0].0;
            let time = Timestamp::from_millisecond(after_ms).unwrap_or(Timestamp::UNIX_EPOCH);
            let cells = names
                .iter()
                .map(|name| moment.iter().find(|row| row.1 == *name).map(|row| row.2.to_string()).unwrap_or_default());
            text.push_str(&format!("{time:.3},{}\n", cells.collect::<Vec<_>>().join(",")));
        }
        if out.send(Ok(std::mem::take(&mut text))).await.is_err() || is_last {
            return Ok(());
        }
    }
}
