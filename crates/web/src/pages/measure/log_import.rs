//! The file of another logger: it arrives, is shown as it was understood, corrected, and brought in.

use crate::door::log_file::arrive;
use crate::door::log_file::fails;
use crate::door::log_file::format_of;
use crate::door::log_file::sentence;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{as_read, clock, day as day_words, number};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::measure::logger::doubt::{Assumed, Setting};
use flindo_core::measure::logger::guess::{guess, guess_by};
use flindo_core::measure::logger::header::units_of;
use flindo_core::measure::logger::line::header_cells;
use flindo_core::measure::logger::row::{RowSample, Rows};
use flindo_core::measure::logger::time::TimePattern;
use flindo_core::measure::logger::{Column, ColumnUse, Delimiter, Format};
use flindo_core::measure::quantity::{Quantity, Seen};
use flindo_store::{LogFault, LogFile, LogFileError, Store};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::time::Duration;

/// A file that takes longer than this shows how far it is.
const A_MOMENT: Duration = Duration::from_secs(2);

/// Rows of either end that are shown.
const SHOWN: usize = 5;

/// Faults that are shown.
const MOST_FAULTS: i64 = 50;

#[derive(Template, WebTemplate)]
#[template(path = "log_import.html")]
pub struct ImportPage {
    frame: Frame,
    error: Option<String>,
    open: Vec<(i64, String)>,
}

#[derive(Template, WebTemplate)]
#[template(path = "log_file.html")]
pub struct FilePage {
    frame: Frame,
    file: LogFile,
    error: Option<String>,
    stage: Stage,
}

enum Stage {
    /// To be confirmed.
    Preview(Box<Preview>),
    /// Percent, rows.
    Running(u64, u64),
    Stopped(u64, u64),
    Done {
        logs: Vec<(i64, String)>,
        faults: Vec<LogFault>,
    },
}

struct Preview {
    format: Format,
    assumed: Vec<Doubt>,
    is_remembered: bool,
    columns: Vec<PreviewColumn>,
    /// Cells of a row, and what was understood of it.
    first: Vec<PreviewRow>,
    last: Vec<PreviewRow>,
    zones: Vec<(String, String)>,
}

/// Something that the file leaves open, and what each way of reading it gives.
struct Doubt {
    words: String,
    both: Option<BothWays>,
}

/// A row that the two ways read differently.
struct BothWays {
    line: String,
    now: String,
    other: String,
    /// Of the form, for the other way.
    field: String,
    value: String,
}

struct PreviewColumn {
    column: Column,
    units: Vec<&'static str>,
}

impl PreviewColumn {
    /// Whether a unit is the column's: the quantity's own where none was said.
    fn is_in(&self, unit: &str, is_first: &bool) -> bool {
        unit == self.column.unit || self.column.unit.is_empty() && *is_first
    }

    /// A unit in a spelling of its own.
    fn has_own_spelling(&self) -> bool {
        !self.column.unit.is_empty() && !self.units.contains(&self.column.unit.as_str())
    }

    fn is_used_as(&self, name: &str) -> bool {
        self.column.used_as.name() == name
    }
}

struct PreviewRow {
    cells: Vec<String>,
    understood: Result<String, String>,
}

impl Preview {
    fn uses(&self) -> Vec<(&'static str, &'static str)> {
        let fixed = [
            ("ignored", "ignore"),
            ("time", "time"),
            ("date", "date"),
            ("time_of_day", "time of day"),
            ("device", "name of the device"),
            ("unit", "unit of the figure before it"),
        ];
        fixed.into_iter().chain(Quantity::ALL.iter().map(|quantity| (quantity.name(), quantity.label()))).collect()
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<ImportPage, AppError> {
    let open = state.store.open_log_files().await?.into_iter().map(|file| (file.id, file.name)).collect();
    Ok(ImportPage { frame, error: None, open })
}

/// Takes the file; its bytes are written beside the bench as they come.
pub async fn add(State(state): State<AppState>, frame: Frame, multipart: Multipart) -> Result<Response, AppError> {
    match arrive(&state.store, multipart).await {
        Ok(arrived) => Ok(Redirect::to(&format!("/logs/files/{}", arrived.file.id)).into_response()),
        Err(sentence) => {
            Ok((StatusCode::UNPROCESSABLE_ENTITY, ImportPage { frame, error: Some(sentence), open: Vec::new() }).into_response())
        }
    }
}

pub async fn file(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<FilePage, AppError> {
    shown(&state, frame, id, None, None).await
}

async fn shown(
    state: &AppState,
    frame: Frame,
    id: i64,
    asked: Option<Format>,
    error: Option<String>,
) -> Result<FilePage, AppError> {
    let file = state.store.log_file(id).await.map_err(fails)?;
    let error = error.or_else(|| state.log_files.failure(id));
    let percent = (file.bytes_done * 100).checked_div(file.bytes).unwrap_or(0);
    let rows = file.rows_done + file.rows_aside;
    let stage = match () {
        () if file.ended_utc.is_some() => {
            let logs = state.store.logs_of_file(id).await?.into_iter().map(|log| (log.id, log.name)).collect();
            Stage::Done { logs, faults: state.store.log_faults(id, MOST_FAULTS).await? }
        }
        () if state.log_files.is_running(id) => Stage::Running(percent, rows),
        () if rows > 0 => Stage::Stopped(percent, rows),
        () => match preview(&state.store, &file, asked, &frame).await.map_err(fails)? {
            Some(preview) => Stage::Preview(Box::new(preview)),
            None => {
                let error =
                    "This is no table of samples: a row for each time, its cells apart by commas, semicolons, tabs, bars or spaces."
                        .to_owned();
                return Ok(FilePage { frame, file, error: Some(error), stage: Stage::Stopped(0, 0) });
            }
        },
    };
    Ok(FilePage { frame, file, error, stage })
}

/// How a file is understood: as somebody asked, as files of its look were before, or as it seems. `None` where nothing of it is a table.
async fn preview(store: &Store, file: &LogFile, asked: Option<Format>, frame: &Frame) -> Result<Option<Preview>, LogFileError> {
    let (head, tail) = store.log_text_ends(file)?;
    let zone = &frame.time_zone_name;
    let Some(seems) = (match &asked {
        Some(asked) => guess_by(&head, zone, asked.delimiter),
        None => guess(&head, zone),
    }) else {
        return Ok(None);
    };
    let remembered = if asked.is_none() { store.remembered_format(&seems.format.look()).await? } else { None };
    let is_remembered = remembered.is_some();
    // Another delimiter makes other columns.
    let asked = asked.filter(|asked| asked.columns.len() == seems.format.columns.len());
    let format = asked.or(remembered).unwrap_or(seems.format);
    // What was answered for another file of this look settles nothing about this one's figures.
    let open = seems.assumed.iter().filter(|one| !is_remembered || one.is_of_this_file());
    let assumed = open.map(|one| doubt(one, &format, &head, &frame.time_zone)).collect();
    let columns = format.columns.iter().map(|column| PreviewColumn { column: column.clone(), units: units(column) }).collect();
    let first = rows(&head, &format, format.header_lines, SHOWN, &frame.time_zone);
    let all = rows(&tail, &format, 0, usize::MAX, &frame.time_zone);
    let last = all.into_iter().rev().take(SHOWN).rev().collect();
    let mut zones: Vec<(String, String)> = vec![
        ("file".to_owned(), "in the times themselves".to_owned()),
        ("UTC".to_owned(), "UTC".to_owned()),
        (zone.clone(), format!("{zone}, with daylight saving")),
    ];
    let standard = standard_offset(&frame.time_zone);
    zones.push((standard.clone(), format!("UTC{standard} all year, without daylight saving")));
    if !zones.iter().any(|one| one.0 == format.zone) {
        zones.push((format.zone.clone(), format.zone.clone()));
    }
    zones.dedup_by(|a, b| a.0 == b.0);
    Ok(Some(Preview { format, assumed, is_remembered, columns, first, last, zones }))
}

/// The smaller of a zone's offsets of January and July: that without summer time.
fn standard_offset(zone: &TimeZone) -> String {
    let year = Timestamp::now().to_zoned_datetime(zone.clone()).year();
    let of = |month: i8| {
        let at = jiff::civil::Date::new(year, month, 1).ok().and_then(|date| zone.to_timestamp(date.at(12, 0, 0, 0)).ok());
        at.map_or(0, |at| zone.to_offset(at).seconds())
    };
    let seconds = of(1).min(of(7));
    format!("{}{:02}:{:02}", if seconds < 0 { "-" } else { "+" }, seconds.abs() / 3600, seconds.abs() / 60 % 60)
}

/// Rows of a file that are tried for one on which two ways of reading it differ.
const TRIED: usize = 500;

fn doubt(assumed: &Assumed, format: &Format, head: &str, zone: &TimeZone) -> Doubt {
    let both = assumed.other_way(format).and_then(|setting| {
        let other = setting.set(format.clone());
        let read = |format: &Format| rows(head, format, format.header_lines, TRIED, zone);
        let words = |row: PreviewRow| row.understood.unwrap_or_else(|why| why);
        let differing = read(format).into_iter().zip(read(&other)).find(|(now, other)| now.understood != other.understood);
        let (now, other) = differing?;
        let (field, value) = match setting {
            Setting::Zone(zone) => ("zone".to_owned(), zone.to_owned()),
            Setting::Time(pattern) => ("time".to_owned(), pattern.name().to_owned()),
            Setting::DecimalComma(is_comma) => ("decimal_comma".to_owned(), if is_comma { "yes" } else { "no" }.to_owned()),
            Setting::Unit(column, unit) => (format!("unit_{}", column - 1), unit.to_owned()),
            Setting::Unused(column) => (format!("use_{}", column - 1), ColumnUse::Ignored.name().to_owned()),
        };
        let line = now.cells.join(&String::from(format.delimiter.sign()));
        Some(BothWays { line, now: words(now), other: words(other), field, value })
    });
    Doubt { words: assumed_words(assumed), both }
}

fn assumed_words(assumed: &Assumed) -> String {
    match assumed {
        Assumed::Zone => "The times name no zone: that of the place, or UTC.".to_owned(),
        Assumed::DayOrMonth => "Day and month could be either way round.".to_owned(),
        Assumed::NoHeader => "The columns have no names: say what they are.".to_owned(),
        Assumed::Thousands { cell, read_as, or } => {
            format!("\u{201c}{cell}\u{201d} can be {read_as} or {or}: the decimal sign decides.")
        }
        Assumed::OfLoad { column, is_taken: true } => format!("Column {column} is of a load: taken for what the panel works on."),
        Assumed::OfLoad { column, is_taken: false } => {
            format!(
                "Column {column} is of a load, which a controller also feeds from the battery: it is left out. Say what it is."
            )
        }
        Assumed::UnitByProduct { column, unit } => {
            format!("Column {column} names no unit: {unit}, since watts are then volts times amps.")
        }
        Assumed::WattsDisagree { ratio } => {
            format!("The watts are {} times volts times amps: check units, columns and the decimal sign.", number(*ratio, 3))
        }
    }
}

fn units(column: &Column) -> Vec<&'static str> {
    match column.used_as {
        ColumnUse::Quantity(quantity) => units_of(quantity.dimension()).collect(),
        ColumnUse::Ignored | ColumnUse::Time | ColumnUse::Date | ColumnUse::TimeOfDay | ColumnUse::Device | ColumnUse::Unit => {
            Vec::new()
        }
    }
}

/// Rows of a text after so many lines, with what is understood of each.
fn rows(text: &str, format: &Format, header_lines: usize, most: usize, zone: &TimeZone) -> Vec<PreviewRow> {
    let mut reading = Rows::of(format).map_err(|error| error.to_string());
    let mut found = Vec::new();
    let is_empty = |line: &&str| line.chars().all(|c| c.is_whitespace() || c == format.delimiter.sign());
    for line in text.lines().skip(header_lines).filter(|line| !is_empty(line)).take(most) {
        let mut samples = Vec::new();
        let understood = match &mut reading {
            Ok(reading) => reading
                .read_line(line, format.delimiter, &mut samples)
                .map(|()| understood(&samples, zone))
                .map_err(|fault| format!("column {}, \u{201c}{}\u{201d} {}", fault.column, fault.cell, fault.why)),
            Err(error) => Err(error.clone()),
        };
        found.push(PreviewRow { cells: header_cells(line, format.delimiter), understood });
    }
    found
}

fn understood(samples: &[RowSample], zone: &TimeZone) -> String {
    let Some(first) = samples.first() else { return "nothing measured".to_owned() };
    let at = crate::day::timestamp(first.at_s);
    let figures: Vec<String> =
        samples.iter().map(|sample| as_read(sample.quantity, &Seen::at(sample.value, 0.0)).to_string()).collect();
    format!("{} {}: {}", day_words(at, zone), clock(at, zone), figures.join(", "))
}

/// Looks again at a file as it was corrected, or brings it in.
pub async fn confirm(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let format = match format_of(&typed) {
        Ok(format) => format,
        Err(sentence) => {
            let page = shown(&state, frame, id, None, Some(sentence)).await?;
            return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
        }
    };
    if value(&query, "do") == "look" {
        return Ok(shown(&state, frame, id, Some(format), None).await?.into_response());
    }
    if let Err(error) = state.store.confirm_format(id, &format).await {
        let page = shown(&state, frame, id, Some(format), Some(sentence(&error))).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    state.log_files.start(state.store.clone(), id);
    state.log_files.ended(id, A_MOMENT).await;
    Ok(Redirect::to(&format!("/logs/files/{id}")).into_response())
}

/// Stops a file after the part that is being written; what is in stays.
pub async fn stop(State(state): State<AppState>, Path(id): Path<i64>) -> Redirect {
    state.log_files.stop(id).await;
    Redirect::to(&format!("/logs/files/{id}"))
}

/// Goes on with it.
pub async fn go_on(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Redirect, AppError> {
    state.store.log_file(id).await.map_err(fails)?;
    state.log_files.start(state.store.clone(), id);
    state.log_files.ended(id, A_MOMENT).await;
    Ok(Redirect::to(&format!("/logs/files/{id}")))
}

/// Takes it out again with all that came with it.
pub async fn remove(State(state): State<AppState>, Path(id): Path<i64>) -> Result<Redirect, AppError> {
    state.log_files.stop(id).await;
    state.store.remove_log_file(id).await.map_err(fails)?;
    Ok(Redirect::to("/logs"))
}
