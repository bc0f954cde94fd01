//! Logs as programs get them: what one is, what was assumed of a file, and what a day comes to.

use crate::day::{Day, timestamp};
use crate::error::AppError;
use crate::state::AppState;
use flindo_core::energy::log::assess::LogAssessment;
use flindo_core::energy::log::event::Event;
use flindo_core::energy::log::named::LogFinding;
use flindo_core::measure::logger::Format;
use flindo_core::measure::logger::doubt::Assumed;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::integral::Interval;
use flindo_store::{LogFile, LogRecorded, LogRow};
use serde::Serialize;
use serde_json::Value;
use utoipa::ToSchema;

/// A log of the bench.
#[derive(Debug, Serialize, ToSchema)]
pub struct LogItem {
    pub(super) id: i64,
    name: String,
    started_utc: String,
    /// Null while it is recorded.
    ended_utc: Option<String>,
    samples: i64,
    quantities: Vec<&'static str>,
    test: Option<i64>,
    rig: Option<i64>,
    panel: Option<i64>,
    place: Option<i64>,
    /// Of two rigs of a test, which; 0 for both.
    side: u8,
    tilt_deg: Option<f64>,
    azimuth_deg: Option<f64>,
    /// Of its meter, of reading.
    meter_percent: Option<f64>,
    /// Taken off its clock.
    clock_ahead_s: f64,
}

/// A log with one of its days.
#[derive(Debug, Serialize, ToSchema)]
pub struct LogAnswer {
    #[serde(flatten)]
    pub(super) of: LogItem,
    pub(super) day: DayAnswer,
}

/// A figure with the 95 % interval it lies in.
#[derive(Debug, Serialize, ToSchema)]
pub struct IntervalAnswer {
    value: f64,
    low: f64,
    high: f64,
}

/// What a day of a log comes to. Null: the log does not tell.
#[derive(Debug, Serialize, ToSchema)]
pub struct DayAnswer {
    date: String,
    energy_wh: Option<IntervalAnswer>,
    /// What the hours without samples would have given.
    not_logged_wh: Option<IntervalAnswer>,
    /// How far the log's own counter went.
    counter_wh: Option<f64>,
    irradiation_wh_m2: Option<IntervalAnswer>,
    irradiation_is_measured: Option<bool>,
    peak_sun_h: Option<IntervalAnswer>,
    specific_yield_h: Option<IntervalAnswer>,
    performance_ratio_percent: Option<IntervalAnswer>,
    performance_ratio_at_25_c_percent: Option<IntervalAnswer>,
    best_five_hours_w: Option<f64>,
    rated_w: Option<f64>,
    clock_ahead_s: Option<f64>,
    clock_is_wrong: Option<bool>,
    named: Vec<LogFindingAnswer>,
    events: Vec<EventAnswer>,
}

/// Something that a log shows about itself.
#[derive(Debug, Default, Serialize, ToSchema)]
pub struct LogFindingAnswer {
    /// `gap`, `counter_reset`, `clock_wrong`, `watts_of_another` or `counter_disagrees`.
    code: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    hours: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    most_wh: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    at_utc: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    uncounted_wh: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    ahead_s: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    u_s: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    times: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    counter_wh: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    watts_wh: Option<f64>,
}

/// Something that happened in a day.
#[derive(Debug, Serialize, ToSchema)]
pub struct EventAnswer {
    event: &'static str,
    from_utc: String,
    to_utc: String,
    /// What it cost; 0 where nothing is known to have been lost.
    lost_wh: f64,
    /// Half its 95 % interval.
    u_lost_wh: f64,
}

/// What was taken of a file's look without its saying so.
#[derive(Debug, Serialize, ToSchema)]
pub struct AssumedAnswer {
    name: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    cell: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    read_as: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    or: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    column: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    is_taken: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    ratio: Option<f64>,
    /// The whole mapping with which the file is read the other way; to be sent with the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    other_mapping: Option<Value>,
}

/// The file that logs came from.
#[derive(Debug, Serialize, ToSchema)]
pub struct LogFileAnswer {
    id: i64,
    sha256: String,
    rows: u64,
    /// Rows with a fault, kept aside.
    rows_aside: u64,
    encoding: &'static str,
    /// How it was read: send it as `mapping` to have another file read so. Null before it was confirmed.
    #[schema(value_type = Option<Object>)]
    format: Value,
}

/// A row that could not be read.
#[derive(Debug, Serialize, ToSchema)]
pub struct FaultAnswer {
    pub(super) line: u64,
    pub(super) column: usize,
    pub(super) name: String,
    pub(super) cell: String,
    pub(super) why: String,
}

/// What became of a file.
#[derive(Debug, Serialize, ToSchema)]
pub struct LogsAdded {
    /// The first of its logs.
    pub(super) id: Option<i64>,
    pub(super) file: LogFileAnswer,
    pub(super) logs: Vec<LogItem>,
    /// The first fifty.
    pub(super) faults: Vec<FaultAnswer>,
    pub(super) assumed: Vec<AssumedAnswer>,
}

/// What a log is.
pub(super) async fn about(state: &AppState, log: LogRow) -> Result<LogItem, AppError> {
    let quantities = state.store.log_quantities(log.id).await?.into_iter().map(Quantity::name).collect();
    let belongs = log.belongs;
    Ok(LogItem {
        id: log.id,
        name: log.name,
        started_utc: log.started_utc.to_string(),
        ended_utc: log.ended_utc.map(|at| at.to_string()),
        samples: log.samples,
        quantities,
        test: belongs.test_id,
        rig: belongs.rig_id,
        panel: belongs.panel_id,
        place: belongs.place_id,
        side: belongs.side,
        tilt_deg: belongs.tilt_deg,
        azimuth_deg: belongs.azimuth_deg,
        meter_percent: belongs.meter_percent,
        clock_ahead_s: belongs.ahead_s,
    })
}

pub(super) fn file(file: &LogFile) -> LogFileAnswer {
    LogFileAnswer {
        id: file.id,
        sha256: file.sha256.clone(),
        rows: file.rows_done,
        rows_aside: file.rows_aside,
        encoding: file.encoding.name(),
        format: serde_json::json!(file.format),
    }
}

/// An assumption about a file that was read by a format, with what it is about.
pub(super) fn assumed(assumed: &Assumed, format: Option<&Format>) -> AssumedAnswer {
    let other = format.and_then(|format| Some(assumed.other_way(format)?.set(format.clone())));
    let bare = AssumedAnswer {
        name: assumed.name(),
        cell: None,
        read_as: None,
        or: None,
        column: None,
        is_taken: None,
        unit: None,
        ratio: None,
        other_mapping: other.map(|other| serde_json::json!(other)),
    };
    match assumed {
        Assumed::Zone | Assumed::DayOrMonth | Assumed::NoHeader => bare,
        Assumed::Thousands { cell, read_as, or } => {
            AssumedAnswer { cell: Some(cell.clone()), read_as: Some(*read_as), or: Some(*or), ..bare }
        }
        Assumed::OfLoad { column, is_taken } => AssumedAnswer { column: Some(*column), is_taken: Some(*is_taken), ..bare },
        Assumed::UnitByProduct { column, unit } => AssumedAnswer { column: Some(*column), unit: Some(unit), ..bare },
        Assumed::WattsDisagree { ratio } => AssumedAnswer { ratio: Some(*ratio), ..bare },
    }
}

fn finding(finding: &LogFinding) -> LogFindingAnswer {
    let bare = LogFindingAnswer { code: finding.code(), ..LogFindingAnswer::default() };
    match finding {
        LogFinding::Gap { hours, most_wh } => LogFindingAnswer { hours: Some(*hours), most_wh: Some(*most_wh), ..bare },
        LogFinding::CounterReset { at_s, uncounted_wh } => LogFindingAnswer {
            at_utc: Some(timestamp(*at_s).to_string()),
            uncounted_wh: Some(*uncounted_wh).filter(|wh| wh.is_finite()),
            ..bare
        },
        LogFinding::ClockWrong { ahead_s, u_s } => LogFindingAnswer { ahead_s: Some(*ahead_s), u_s: Some(*u_s), ..bare },
        LogFinding::WattsOfAnother { times } => LogFindingAnswer { times: Some(*times), ..bare },
        LogFinding::CounterDisagrees { counter_wh, watts_wh } => {
            LogFindingAnswer { counter_wh: Some(*counter_wh), watts_wh: Some(*watts_wh), ..bare }
        }
    }
}

fn event(event: &Event) -> EventAnswer {
    EventAnswer {
        event: event.kind.name(),
        from_utc: timestamp(event.from_s).to_string(),
        to_utc: timestamp(event.to_s).to_string(),
        lost_wh: event.lost_wh,
        u_lost_wh: event.u_lost_wh,
    }
}

/// What a day comes to.
pub(super) fn day(worked: &LogAssessment, log: &LogRecorded, day: &Day) -> DayAnswer {
    let three = |of: Interval| IntervalAnswer { value: of.value, low: of.low, high: of.high };
    let figures = worked.figures.as_ref();
    DayAnswer {
        date: day.date.to_string(),
        energy_wh: figures.map(|figures| three(figures.energy_wh)),
        not_logged_wh: figures.and_then(|figures| figures.not_logged_wh).map(three),
        counter_wh: worked.counter.as_ref().map(|counter| counter.total),
        irradiation_wh_m2: figures.map(|figures| three(figures.irradiation_wh_m2)),
        irradiation_is_measured: figures.map(|figures| figures.irradiation_is_measured),
        peak_sun_h: figures.map(|figures| three(figures.peak_sun_h)),
        specific_yield_h: figures.and_then(|figures| figures.specific_yield_h).map(three),
        performance_ratio_percent: figures.and_then(|figures| figures.performance_ratio_percent).map(three),
        performance_ratio_at_25_c_percent: figures.and_then(|figures| figures.performance_ratio_at_25_c_percent).map(three),
        best_five_hours_w: figures.and_then(|figures| figures.best_five_hours_w),
        rated_w: log.record.known.rated_w,
        clock_ahead_s: worked.clock.map(|check| check.ahead_s),
        clock_is_wrong: worked.clock.map(|check| check.is_wrong()),
        named: worked.named.iter().map(finding).collect(),
        events: worked.events.iter().map(event).collect(),
    }
}
