//! The report: one test on paper, with all that somebody else needs to judge it. And the same as a table.

use crate::door::paging::Paging;
use crate::error::AppError;
use crate::figures::{clock_short, day, stated};
use crate::frame::Frame;
use crate::kept::assessments::Depth;
use crate::pages::results::result::{Sheet, sheet};
use crate::pages::views::compared::{ComparedView, PredictedView};
use crate::pages::views::drawn::Drawn;
use crate::pages::views::panel::label_rows;
use crate::state::AppState;
use crate::words::DEFER;
use askama::Template;
use askama_web::WebTemplate;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::record::meters::Reads;
use flindo_core::record::question::Question;
use flindo_core::record::setup::Setup;
use flindo_core::record::test::TestRecord;
use flindo_store::exchange::{Exported, ExportedTable, NamedByTest};
use flindo_store::{Photo, Store, StoreError};
use jiff::Timestamp;
use std::collections::HashMap;
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

/// The report itself, on its page and in a file that stands alone.
#[derive(Template)]
#[template(path = "parts/report_article.html")]
pub struct Article {
    drawn: Drawn,
    bench: String,
    time_zone_name: String,
    test_id: i64,
    tag: String,
    name: String,
    notes: String,
    label: Vec<(&'static str, String)>,
    setup: Vec<(&'static str, String)>,
    instruments: Vec<(&'static str, String)>,
    tested: String,
    printed: String,
    version: &'static str,
    defer: &'static str,
    sheet: Sheet,
    question: &'static str,
    /// The runs compared, where the test has some.
    compared: Option<ComparedView>,
    predicted: Option<PredictedView>,
    /// Stops that somebody went on in spite of: (risk, why, when).
    gone_on: Vec<(String, String, String)>,
    skipped: Vec<(String, String)>,
    photos: Vec<Photo>,
    /// For readers in a hurry: without the readings and the budget.
    is_brief: bool,
    /// The photos themselves, for a file that stands alone.
    pictures: Option<HashMap<i64, String>>,
}

fn setup_rows(question: Question, setup: &Setup) -> Vec<(&'static str, String)> {
    vec![
        ("question", question.label().to_owned()),
        ("tilt from flat", stated(setup.tilt_deg, "\u{b0}").to_string()),
        ("azimuth from north", stated(setup.azimuth_deg, "\u{b0}").to_string()),
        ("load", setup.load.label().to_owned()),
        ("irradiance from", setup.irradiance_source.label().to_owned()),
        ("cell temperature from", setup.cell_temperature.label().to_owned()),
        ("for an unsteady display", setup.unsteady.label().to_owned()),
    ]
}

/// What each quantity was read with, and how well: by name, where it is a meter of the bench.
fn instrument_rows(gear: &Instruments, record: &TestRecord) -> Vec<(&'static str, String)> {
    let named = |reads: Reads, accuracy: String| {
        let used = record.meters.iter().find(|one| one.reads == reads);
        let name = used.and_then(|one| Some((one, record.gear.iter().find(|gear| gear.id == one.meter)?)));
        match name {
            Some((one, gear)) if one.calibrated.is_empty() => format!("{}, {accuracy}", gear.name),
            Some((one, gear)) => format!("{} (calibrated {}), {accuracy}", gear.name, one.calibrated),
            None => accuracy,
        }
    };
    let accuracy = |accuracy: &Accuracy| format!("\u{b1} ({} % + {} of the last digit)", accuracy.percent, accuracy.digits);
    vec![
        ("voltage", named(Reads::Volts, accuracy(&gear.volts))),
        ("current", named(Reads::Amps, accuracy(&gear.amps))),
        ("power", named(Reads::Watts, accuracy(&gear.watts))),
        ("irradiance", named(Reads::Irradiance, format!("\u{b1} {} %", gear.sun_percent))),
        ("thermometer", named(Reads::Temperature, format!("\u{b1} {} K", gear.thermometer_k))),
    ]
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<Report, AppError> {
    let article = Article::of(&state, &frame, id, Timestamp::now()).await?;
    Ok(Report { test_id: id, tag: article.tag.clone(), article, frame })
}

impl Article {
    /// The report of a test as it is printed at a moment.
    pub async fn of(state: &AppState, frame: &Frame, id: i64, printed: Timestamp) -> Result<Self, AppError> {
        let judged = state.judged(id, Depth::Whole).await?;
        let (evaluated, recorded) = (judged.evaluated(), judged.evaluated().recorded);
        let (test, panel) = (&recorded.test, &recorded.panel);
        let is_comparison = evaluated.is_comparison();
        let zone = &frame.time_zone;
        let known = state.store.acknowledgements(id).await?;
        let gone_on = known
            .into_iter()
            .map(|known| (known.risk, known.why, format!("{}, {}", day(known.at_utc, zone), clock_short(known.at_utc, zone))))
            .collect();
        let first = recorded.lines.first().map(|line| line.newest().what.taken_utc).unwrap_or(test.created_utc);
        Ok(Article {
            drawn: Drawn::of_test(recorded, zone),
            bench: frame.bench.name.clone(),
            time_zone_name: frame.time_zone_name.clone(),
            test_id: id,
            question: test.question.label(),
            compared: is_comparison.then(|| evaluated.compared(zone)),
            predicted: if is_comparison { evaluated.predicted() } else { None },
            gone_on,
            skipped: evaluated.skipped(),
            photos: state.store.photos(id).await?,
            label: label_rows(panel),
            setup: setup_rows(test.question, &test.setup),
            instruments: instrument_rows(&test.setup.instruments, &recorded.record),
            tested: day(first, &frame.time_zone),
            printed: day(printed, &frame.time_zone),
            version: env!("CARGO_PKG_VERSION"),
            defer: DEFER,
            sheet: sheet(evaluated, frame, Paging::newest(recorded.lines.len())),
            tag: panel.draft.tag.clone(),
            name: panel.name().to_owned(),
            notes: panel.draft.notes.clone(),
            is_brief: false,
            pictures: None,
        })
    }

    /// For a file that stands alone.
    pub fn alone(self, pictures: HashMap<i64, String>, is_brief: bool) -> Self {
        Article { pictures: Some(pictures), is_brief, ..self }
    }

    pub fn tag(&self) -> &str {
        &self.tag
    }

    pub fn tested(&self) -> &str {
        &self.tested
    }

    pub fn photos(&self) -> &[Photo] {
        &self.photos
    }

    /// Where a photo is: on this bench, or in the file itself.
    fn picture(&self, photo: &Photo) -> String {
        let inside = self.pictures.as_ref().and_then(|pictures| pictures.get(&photo.id));
        inside.cloned().unwrap_or_else(|| format!("/tests/{}/photos/{}", self.test_id, photo.id))
    }
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
