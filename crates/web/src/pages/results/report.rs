//! The report: one test on paper, with all that somebody else needs to judge it. And the same as a table.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::frame::Frame;
use crate::report::article::Article;
use crate::report::file::{Of, download};
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_store::exchange::{Exported, ExportedTable, NamedByTest};
use flindo_store::{Store, StoreError};
use jiff::Timestamp;
use tokio::sync::{Semaphore, mpsc};
use tokio_stream::wrappers::ReceiverStream;

#[derive(Template, WebTemplate)]
#[template(path = "report.html")]
pub struct Report {
    frame: Frame,
    test_id: i64,
    tag: String,
    article: Article,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<Report, AppError> {
    let article = Article::of(&state, &frame, id, Timestamp::now()).await?;
    Ok(Report { test_id: id, tag: article.tag().to_owned(), article, frame })
}

/// The report as one file, to be kept or sent; `?brief=yes` for readers in a hurry.
pub async fn one_file(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<Response, AppError> {
    download(&state, Of::Test(id), value(&query, "brief") == "yes").await
}

/// Readings of a test that are sent at once: some milliseconds of work.
const SENT_AT_ONCE: i64 = 100;

/// One part at a time is read and written, however many exports are under way: a reading that comes in does not wait for them.
static PART: Semaphore = Semaphore::const_new(1);

/// The test as CSV. Sent as it is read: it waits for whoever reads slowly, and holds nothing of the bench meanwhile.
pub async fn csv(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Response, AppError> {
    let (test, runs) = (state.store.test(id).await?, state.store.runs(id).await?);
    let register = state.store.register().await?;
    let panel = register.panel(test.panel_id).ok_or(StoreError::NotFound("panel"))?;
    let rig = test.rig_id.and_then(|id| register.rig(id));
    let named = NamedByTest::of((&test, &runs), (panel, rig), (&register.panels, &register.rigs, &register.gear))?;
    let of = Exported { test: &test, panel, place: register.place_of(&test), rig, named: &named };
    let table = ExportedTable::of(&of, &runs)?;
    let safe: String = panel.draft.tag.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let disposition = format!("attachment; filename=\"{safe}-test-{id}.csv\"");
    let (out, stream) = mpsc::channel::<Result<String, StoreError>>(2);
    tokio::spawn(async move {
        if let Err(error) = send_readings(&state.store, id, &table, &out).await {
            // The receiver may be gone; then nobody misses it.
            let _ = out.send(Err(error)).await;
        }
    });
    let headers = [(header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (header::CONTENT_DISPOSITION, disposition)];
    Ok((headers, Body::from_stream(ReceiverStream::new(stream))).into_response())
}

async fn send_readings(
    store: &Store,
    id: i64,
    table: &ExportedTable,
    out: &mpsc::Sender<Result<String, StoreError>>,
) -> Result<(), StoreError> {
    let (mut text, mut after_id) = (table.head()?, 0);
    loop {
        // Never closed.
        let part = PART.acquire().await.map_err(|_| StoreError::Busy)?;
        let readings = store.readings_after(id, after_id, SENT_AT_ONCE).await?;
        let is_last = (readings.len() as i64) < SENT_AT_ONCE;
        text.push_str(&table.part(&readings)?);
        if readings.is_empty() && after_id == 0 {
            text.push_str(&table.without_readings()?);
        }
        after_id = readings.last().map_or(after_id, |reading| reading.id);
        drop(part);
        if out.send(Ok(std::mem::take(&mut text))).await.is_err() || is_last {
            return Ok(());
        }
    }
}
