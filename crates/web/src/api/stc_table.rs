//! The readings of a test at STC, as a table for a spreadsheet: what was read, in which light and at which temperature, what it comes to
//! at 1000 W/m2 and 25 C, and which of them do not count, and why.

use super::lists::table;
use crate::error::AppError;
use crate::frame::Clock;
use crate::kept::assessments::Depth;
use crate::state::AppState;
use crate::words;
use axum::extract::{Path, State};
use axum::response::Response;
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::record::setup::Setup;
use flindo_core::verdict::assessment::AssessedReading;
use flindo_core::verdict::point::StcPoint;
use jiff::Timestamp;
use jiff::tz::TimeZone;

const HEAD: [&str; 21] = [
    "reading_uid",
    "taken_utc",
    "taken_local",
    "level",
    "voltage_v",
    "current_a",
    "power_w",
    "voc_v",
    "isc_a",
    "irradiance_w_m2",
    "cell_c",
    "pmax_stc_w",
    "pmax_stc_u_w",
    "percent",
    "percent_u",
    "voc_stc_v",
    "voc_stc_u_v",
    "isc_stc_a",
    "isc_stc_u_a",
    "counts",
    "left_out",
];

/// Each reading at STC: figures as they count, uncertainties at k = 2, `percent` of the label of its own panel, and why a reading does not
/// count.
#[utoipa::path(
    get,
    path = "/tests/{id}/at-stc.csv",
    params(("id" = i64, Path)),
    responses((status = 200, content_type = "text/csv"), (status = 404))
)]
pub async fn at_stc(State(state): State<AppState>, Clock(zone): Clock, Path(id): Path<i64>) -> Result<Response, AppError> {
    let judged = state.judged(id, Depth::Whole).await?;
    let evaluated = judged.evaluated();
    let record = &evaluated.recorded.record;
    let rows = evaluated.assessment.readings.iter().map(|reading| {
        let read = record.readings.iter().find(|one| one.uid == reading.uid);
        let (figures, taken_utc) = read.map(|one| (&one.figures, one.taken_utc)).unzip();
        row(reading, figures, taken_utc, &record.setup, &zone)
    });
    table(&format!("test-{id}-at-stc"), &HEAD, rows)
}

fn row(
    reading: &AssessedReading,
    figures: Option<&Figures>,
    taken_utc: Option<Timestamp>,
    setup: &Setup,
    zone: &TimeZone,
) -> Vec<String> {
    let text = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let figure = |quantity: Quantity| text(figures.and_then(|figures| figures.value(quantity, setup.unsteady)));
    let at = reading.result.known.as_ref().map(|known| known.at);
    let stc =
        |point: &Option<StcPoint>| [text(point.as_ref().map(|one| one.at_stc)), text(point.as_ref().map(StcPoint::u_at_stc))];
    let pmax = &reading.result.pmax;
    let why: Vec<String> =
        reading.left_out.iter().map(|reason| format!("{}: {}", reason.code(), words::advice(reason).why)).collect();
    let mut cells = vec![
        reading.uid.clone(),
        taken_utc.map(|at| at.to_string()).unwrap_or_default(),
        taken_utc.map(|at| at.to_zoned_datetime(zone.clone()).strftime("%Y-%m-%d %H:%M:%S").to_string()).unwrap_or_default(),
        reading.level.to_string(),
    ];
    cells.extend([Quantity::Voltage, Quantity::Current, Quantity::Power, Quantity::Voc, Quantity::Isc].map(figure));
    cells.extend([text(at.map(|at| at.poa_w_m2)), text(at.map(|at| at.cell_c))]);
    cells.extend(stc(pmax));
    cells.extend([text(pmax.as_ref().map(|one| one.percent)), text(pmax.as_ref().map(StcPoint::u_percent))]);
    cells.extend(stc(&reading.result.voc));
    cells.extend(stc(&reading.result.isc));
    cells.extend([if why.is_empty() { "yes" } else { "no" }.to_owned(), why.join("; ")]);
    cells
}
