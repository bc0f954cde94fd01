//! One reading with its history, as a page shows it.

use crate::figures::{computed, named_as_read, number, with_u};
use crate::words::{advice, remark};
use flindo_core::measure::quantity::Quantity;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::assessment::AssessedReading;
use flindo_core::verdict::rating::SunSeen;
use flindo_store::{Line, Reading, new_uid};
use jiff::Timestamp;

/// One reading with its history, ready to be shown.
pub struct LineView {
    pub number: usize,
    pub row_id: i64,
    /// Which row a correction has to replace.
    pub newest_uid: String,
    /// For the next revision, so that it is sent once.
    pub next_uid: String,
    pub stands: bool,
    /// The one that was accepted last.
    pub is_last: bool,
    pub clock: String,
    pub typed: String,
    pub note: String,
    pub sky: Option<&'static str>,
    /// Solar time, elevation, incidence, clear sky: where the sun stood.
    pub sun: Vec<(&'static str, String)>,
    pub figures: Vec<(&'static str, String)>,
    pub watts: Option<String>,
    pub at_stc: Option<String>,
    pub percent: Option<String>,
    pub counts: bool,
    pub left_out: Vec<String>,
    pub remarks: Vec<String>,
    /// The run it belongs to, in a planned test.
    pub run: Option<String>,
    pub run_id: i64,
    /// What looks odd about it, and nobody has confirmed yet.
    pub doubts: Vec<String>,
    pub past: Vec<PastView>,
}

/// What a reading was before.
pub struct PastView {
    pub figures: String,
    /// Why it was replaced.
    pub reason: String,
    pub withdrawn: bool,
}

impl LineView {
    /// In a comparison percent of the rating is no business of a reading.
    pub fn of(
        number: usize,
        line: &Line,
        judged: Option<&AssessedReading>,
        is_compared: bool,
        when: impl Fn(Timestamp) -> String,
    ) -> Self {
        let newest = line.newest();
        let result = judged.map(|judged| &judged.result);
        let point = result.and_then(|result| result.pmax.as_ref()).filter(|_| !is_compared);
        let counts = match judged {
            Some(judged) if is_compared => judged.left_out.is_empty(),
            Some(judged) => judged.result.counts(),
            None => false,
        };
        LineView {
            number,
            row_id: newest.id,
            newest_uid: newest.what.uid.clone(),
            next_uid: new_uid(),
            stands: line.current.is_some(),
            is_last: false,
            clock: when(newest.what.taken_utc),
            typed: newest.what.typed.clone(),
            note: newest.what.note.clone(),
            sky: newest.what.sky.map(SkyNote::label),
            sun: result.and_then(|result| result.sun_seen.as_ref()).map(sun_seen).unwrap_or_default(),
            figures: figures(newest),
            watts: read_watts(newest)
                .or_else(|| result.and_then(|result| result.watts_w).map(|watts_w| computed(watts_w, "W").to_string())),
            at_stc: point.map(|point| with_u(point.at_stc, point.u_at_stc(), "W").to_string()),
            percent: point.map(|point| with_u(point.percent, point.u_percent(), "%").to_string()),
            counts,
            left_out: judged.map(|judged| judged.left_out.iter().map(|reason| advice(reason).why).collect()).unwrap_or_default(),
            remarks: result.map(|result| result.remarks.iter().map(remark).collect()).unwrap_or_default(),
            run: None,
            run_id: 0,
            doubts: Vec::new(),
            past: past(line),
        }
    }
}

/// Watts that were read themselves, in the digits they were read in.
fn read_watts(reading: &Reading) -> Option<String> {
    let power = reading.what.figures.iter().find(|(quantity, _)| *quantity == Quantity::Power);
    power.map(|(quantity, seen)| named_as_read(quantity, seen).1)
}

fn figures(reading: &Reading) -> Vec<(&'static str, String)> {
    reading.what.figures.iter().map(|(quantity, seen)| named_as_read(quantity, seen)).collect()
}

fn sun_seen(sun: &SunSeen) -> Vec<(&'static str, String)> {
    let minutes = (sun.solar_time_h * 60.0).round() as u32 % 1440;
    vec![
        ("solar time", format!("{:02}:{:02}", minutes / 60, minutes % 60)),
        ("sun elevation", format!("{}\u{b0}", number(sun.elevation_deg, 1))),
        ("angle of incidence", format!("{}\u{b0}", number(sun.aoi_deg, 1))),
        ("clear sky", computed(sun.clear_poa_w_m2, "W/m\u{b2}").to_string()),
    ]
}

/// What is struck through: every row that was replaced, with the reason of the row that replaced it. A withdrawal repeats
/// the figures of the row before it and shows as that row's reason.
fn past(line: &Line) -> Vec<PastView> {
    let rows: Vec<&Reading> = line.past.iter().chain(&line.current).collect();
    let replaced = rows.windows(2).filter(|pair| !is_withdrawal(pair[0]));
    let views = replaced.map(|pair| PastView {
        figures: figures(pair[0]).into_iter().map(|(_, figure)| figure).collect::<Vec<_>>().join("  "),
        reason: pair[1].what.revision.as_ref().map(|revision| revision.reason.clone()).unwrap_or_default(),
        withdrawn: is_withdrawal(pair[1]),
    });
    views.collect()
}

fn is_withdrawal(reading: &Reading) -> bool {
    reading.what.revision.as_ref().is_some_and(|revision| revision.withdrawn)
}
