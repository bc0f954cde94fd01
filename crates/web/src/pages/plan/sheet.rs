//! The run sheet of a planned test: one page for the field, with room to write.

use crate::day::timestamp;
use crate::door::making::sheet_of;
use crate::draw;
use crate::error::AppError;
use crate::figures::{clock_short, day, number, percent, rough};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::{DEFER, cautions, plan as words};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, State};
use flindo_core::predict::sheet::{RunSheet, smallest_with_more, to_bring};
use flindo_core::record::condition::{Part, sentence};
use flindo_core::record::order::{Order, Slot, letters};
use flindo_core::record::plan::Plan;
use flindo_core::record::question::Question;
use flindo_core::record::setup::Setup;
use flindo_store::Recorded;
use jiff::Timestamp;
use jiff::tz::TimeZone;

#[derive(Template, WebTemplate)]
#[template(path = "sheet.html")]
pub struct SheetPage {
    frame: Frame,
    test_id: i64,
    question: Question,
    day: String,
    panel: String,
    rig: Option<(i64, String)>,
    rig_svg: Option<String>,
    prediction: String,
    sheet: SheetView,
    defer: &'static str,
}

/// A run sheet, ready to be shown and printed.
pub struct SheetView {
    pub letters: String,
    pub runs: Vec<RunLine>,
    /// (what, figure)
    pub facts: Vec<(&'static str, String)>,
    pub warnings: Vec<String>,
    pub bring: Vec<&'static str>,
    pub cautions: Vec<&'static str>,
}

pub struct RunLine {
    pub number: usize,
    pub letter: String,
    pub is_baseline: bool,
    pub rig: u8,
    pub starts: String,
    /// The sentence of conditions.
    pub parts: Vec<Part>,
    pub change: String,
    pub settle: String,
    pub sun: String,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<SheetPage, AppError> {
    let Recorded { test, panel, record, .. } = state.store.recorded(id, Timestamp::now()).await?;
    let plan = record.plan.clone().ok_or(AppError::NoSuchPage)?;
    let start = record.runs.first().and_then(|run| run.planned_utc).unwrap_or(test.created_utc);
    let sheet = sheet_of(&plan, &test.setup, start, record.site.as_ref(), &frame.time_zone)
        .map_err(|error| AppError::input("start", "", format!("{error}.")))?;
    let of_test = record.rig.as_deref().and_then(|id| record.rig_record(id));
    let rig_svg = of_test.map(|rig| draw::rig::draw(&rig.rig));
    let rig = test.rig_id.zip(of_test.map(|rig| rig.name.clone()));
    Ok(SheetPage {
        test_id: id,
        question: test.question,
        day: day(start, &frame.time_zone),
        panel: format!("{} {}", panel.tag(), panel.name()),
        rig,
        rig_svg,
        prediction: plan.prediction.clone(),
        sheet: sheet_view(&plan, &test.setup, &sheet, &frame.time_zone),
        defer: DEFER,
        frame,
    })
}

pub fn duration(seconds: f64) -> String {
    if seconds < 90.0 {
        format!("{} s", number(seconds, 0))
    } else {
        format!("{} min", number(seconds / 60.0, if seconds < 600.0 { 1 } else { 0 }))
    }
}

/// A sheet as a page shows it.
pub fn sheet_view(plan: &Plan, setup: &Setup, sheet: &RunSheet, zone: &TimeZone) -> SheetView {
    let slots: Vec<Slot> = sheet.runs.iter().map(|run| run.slot).collect();
    let is_totals = plan.order == Order::Totals;
    let runs = sheet
        .runs
        .iter()
        .enumerate()
        .map(|(place, run)| {
            let time = timestamp(run.start_s);
            RunLine {
                number: place + 1,
                letter: letters(&[run.slot]),
                is_baseline: run.slot.is_baseline(),
                rig: run.slot.rig,
                starts: if is_totals { day(time, zone) } else { clock_short(time, zone) },
                parts: sentence(&plan.baseline, &run.conditions),
                change: if run.change_s > 0.0 { duration(run.change_s) } else { String::new() },
                settle: duration(run.settle_s),
                sun: run.sun_percent.filter(|_| !is_totals).map(|sun| percent(sun).to_string()).unwrap_or_default(),
            }
        })
        .collect();
    let mut facts = Vec::new();
    if let Some((first, last)) = sheet.runs.first().zip(sheet.runs.last()) {
        facts.push((
            "duration",
            if is_totals { format!("{} days", sheet.runs.len()) } else { duration(last.end_s - first.start_s) },
        ));
    }
    if let Some(window) = sheet.window {
        facts.push((
            "good hours",
            format!("{}\u{2013}{}", clock_short(timestamp(window.from_s), zone), clock_short(timestamp(window.to_s), zone)),
        ));
    }
    if let Some(drift) = sheet.bracket_drift_percent {
        facts.push(("drift between baselines", format!("up to {}", percent(drift))));
    }
    if let Some(smallest) = sheet.smallest_percent {
        facts.push(("smallest detectable difference", percent(smallest).to_string()));
        let more = smallest_with_more(plan, sheet);
        facts.push(("with one more reading a run", percent(more.reading_percent).to_string()));
        facts.push(("with the runs once more", percent(more.runs_percent).to_string()));
    }
    facts.push(("repeatability", rough(plan.repeat_rel * 100.0, "%").to_string()));
    SheetView {
        letters: letters(&slots),
        runs,
        facts,
        warnings: sheet.warnings.iter().map(|warning| words::warning(warning, plan)).collect(),
        bring: to_bring(plan, setup.load),
        cautions: cautions(setup.load),
    }
}
