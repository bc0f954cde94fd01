//! A test with its panel and readings, judged, and each reading as a page shows it.

use crate::arranged::{Arranged, baseline};
use crate::day::day_of_year;
use crate::draw::forest::{self, Interval};
use crate::draw::ladder;
use crate::figures::{as_read, clock, computed, day, number, with_u};
use crate::words::{Verdict, advice, remark, verdict};
use flindo_core::sky::course::Site;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::rating::{RatingResult, ReadingResult, SunSeen, judge_arranged};
use flindo_store::{Line, NewReading, Panel, Reading, Store, StoreError, Test, lines, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// The place a test was made at, and else the one in use.
pub async fn site_of(store: &Store, test: &Test) -> Result<Option<Site>, StoreError> {
    let place = match test.place_id {
        Some(id) => Some(store.place(id).await?),
        None => store.current_place().await?,
    };
    Ok(place.map(|place| place.draft.site()))
}

/// A reading as the core judges it.
pub fn taken(reading: &NewReading) -> Taken<'_> {
    Taken {
        figures: &reading.figures,
        unix_s: reading.taken_utc.as_second() as f64,
        day_of_year: day_of_year(reading.taken_utc),
        sky: reading.sky,
    }
}

/// Everything about one test.
pub struct Judged {
    pub panel: Panel,
    pub test: Test,
    /// All readings by the time they were taken, withdrawn ones too.
    pub lines: Vec<Line>,
    /// Of the readings that stand, in the order of `lines`.
    pub result: RatingResult,
    pub arranged: Arranged,
    /// What of its conditions the circuit could not be told.
    pub not_understood: Option<String>,
}

impl Judged {
    pub async fn load(store: &Store, test_id: i64) -> Result<Self, StoreError> {
        let test = store.test(test_id).await?;
        let panel = store.panel(test.panel_id).await?;
        let readings = store.readings(test_id).await?;
        let site = site_of(store, &test).await?;
        let arranged = Arranged::load(store, &test, &panel).await?;
        Ok(Self::of(panel, test, readings, site.as_ref(), arranged))
    }

    pub fn of(panel: Panel, test: Test, readings: Vec<Reading>, site: Option<&Site>, arranged: Arranged) -> Self {
        let lines = lines(readings);
        let standing: Vec<Taken<'_>> =
            lines.iter().filter_map(|line| line.current.as_ref()).map(|reading| taken(&reading.what)).collect();
        let arrangement = arranged.under(&baseline(&test));
        let result = judge_arranged(&panel.draft.nameplate, &test.setup, site, arrangement.as_ref().ok(), standing);
        Judged { panel, test, lines, result, arranged, not_understood: arrangement.err() }
    }

    pub fn verdict(&self) -> Verdict {
        verdict(&self.result, &self.panel.draft.nameplate)
    }

    /// The readings that stand, each with its result.
    pub fn standing(&self) -> impl Iterator<Item = (&Reading, &ReadingResult)> {
        self.lines.iter().filter_map(|line| line.current.as_ref()).zip(&self.result.readings)
    }

    pub fn ladder_svg(&self) -> Option<String> {
        self.result.ladder.as_ref().map(|ladder| ladder::draw(ladder, "whole"))
    }

    /// Every reading with watts at STC, and all together.
    pub fn forest_svg(&self, zone: &TimeZone) -> Option<String> {
        let rows: Vec<Interval> = self
            .standing()
            .filter_map(|(reading, result)| {
                let point = result.pmax.as_ref()?;
                let label = self.when(reading.what.taken_utc, zone);
                Some(Interval { label, percent: point.percent, u_percent: point.u_percent(), counts: result.counts() })
            })
            .collect();
        let whole = self.result.pmax.as_ref().map(|pmax| Interval {
            label: "all".to_owned(),
            percent: pmax.percent,
            u_percent: pmax.u_percent,
            counts: true,
        });
        let label = &self.panel.draft.nameplate;
        let (low_w, high_w) = label.rated_band_w();
        let band = (low_w / label.rated_w * 100.0, high_w / label.rated_w * 100.0);
        (!rows.is_empty()).then(|| forest::draw(&rows, whole.as_ref(), band))
    }

    /// The time of day, with the day where the test ran over several.
    pub fn when(&self, time: Timestamp, zone: &TimeZone) -> String {
        let day_of = |time| day(time, zone);
        let first = self.lines.first().map(|line| day_of(line.newest().what.taken_utc));
        let one_day = self.lines.iter().all(|line| Some(day_of(line.newest().what.taken_utc)) == first);
        let clock = clock(time, zone);
        if one_day { clock } else { format!("{}, {clock}", day_of(time)) }
    }

    /// All lines as a page shows them.
    pub fn views(&self, zone: &TimeZone) -> Vec<LineView> {
        let mut results = self.result.readings.iter();
        let mut views: Vec<LineView> = self
            .lines
            .iter()
            .enumerate()
            .map(|(place, line)| {
                let result = line.current.as_ref().and_then(|_| results.next());
                LineView::of(place + 1, line, result, |time| self.when(time, zone))
            })
            .collect();
        let last_accepted = views.iter_mut().filter(|view| view.stands).max_by_key(|view| view.row_id);
        if let Some(last) = last_accepted {
            last.is_last = true;
        }
        views
    }
}

/// One reading with its history, ready to be shown.
pub struct LineView {
    pub number: usize,
    row_id: i64,
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
    fn of(number: usize, line: &Line, result: Option<&ReadingResult>, when: impl Fn(Timestamp) -> String) -> Self {
        let newest = line.newest();
        let point = result.and_then(|result| result.pmax.as_ref());
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
            sun: result.and_then(|result| result.sun.as_ref()).map(sun_seen).unwrap_or_default(),
            figures: figures(newest),
            watts: result.and_then(|result| result.watts_w).map(|watts_w| computed(watts_w, "W").to_string()),
            at_stc: point.map(|point| with_u(point.at_stc, point.u_at_stc(), "W").to_string()),
            percent: point.map(|point| with_u(point.percent, point.u_percent(), "%").to_string()),
            counts: result.is_some_and(ReadingResult::counts),
            left_out: result.map(|result| result.left_out.iter().map(|reason| advice(reason).why).collect()).unwrap_or_default(),
            remarks: result.map(|result| result.remarks.iter().map(remark).collect()).unwrap_or_default(),
            run: None,
            run_id: 0,
            doubts: Vec::new(),
            past: past(line),
        }
    }
}

fn figures(reading: &Reading) -> Vec<(&'static str, String)> {
    reading.what.figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect()
}

fn sun_seen(sun: &SunSeen) -> Vec<(&'static str, String)> {
    let minutes = (sun.solar_time_h * 60.0).round() as u32 % 1440;
    vec![
        ("solar time", format!("{:02}:{:02}", minutes / 60, minutes % 60)),
        ("sun up", format!("{}\u{b0}", number(sun.elevation_deg, 1))),
        ("off square", format!("{}\u{b0}", number(sun.aoi_deg, 1))),
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
