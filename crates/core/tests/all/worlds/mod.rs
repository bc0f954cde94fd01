//! Seeded worlds whose truth is known, read on meters with errors of their own: what the verdicts are examined with.
//!
//! Truth is made by code that shares no formula with the judge: sun and sky by older and simpler models, panels by the parameters of a
//! published data set in a solver of its own (volts by amps, bisection), meters with gain, offset, bend and steps, set-ups that scatter.
//! Nothing here knows how the judge estimates; the judge sees typed lines, times and what the set-up says.
#![allow(dead_code, reason = "the short and the long examination each use a part")]
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

pub mod advice;
pub mod comparing;
pub mod days;
pub mod logged;
pub mod meters;
pub mod panels;
pub mod rating;
pub mod skies;
pub mod table;
pub mod traps;

use flindo_core::measure::entry::understand;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::names::Names;
use flindo_core::record::order::runs;
use flindo_core::record::plan::{self, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::run::Run;
use flindo_core::record::setup::Setup;
use flindo_core::record::test::{PanelRecord, ReadingRecord, RigRecord, TestRecord};
use flindo_core::rig::{Module, Rig, Sink};
use flindo_core::sky::course::Site;
use flindo_core::sky::note::SkyNote;
use flindo_core::sky::place::Place;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, Normal, Uniform};

/// Draws from a seed, the same on every machine.
pub struct Draws(ChaCha8Rng);

impl Draws {
    pub fn of(seed: u64) -> Self {
        Draws(ChaCha8Rng::seed_from_u64(seed))
    }

    pub fn normal(&mut self, sd: f64) -> f64 {
        Normal::new(0.0, sd).unwrap().sample(&mut self.0)
    }

    /// Even between the two.
    pub fn even(&mut self, low: f64, high: f64) -> f64 {
        Uniform::new_inclusive(low, high).unwrap().sample(&mut self.0)
    }

    /// An error that a sheet bounds: drawn evenly within its limit, or normally with the same standard deviation, since a maker's limit is
    /// neither a wall nor a standard deviation.
    pub fn within(&mut self, limit: f64) -> f64 {
        if self.even(0.0, 1.0) < 0.5 { self.even(-limit, limit) } else { self.normal(limit / 3_f64.sqrt()) }
    }

    pub fn one_of<T: Copy>(&mut self, of: &[T]) -> T {
        of[(self.even(0.0, 1.0) * of.len() as f64).min(of.len() as f64 - 1.0) as usize]
    }
}

/// 38.6 N, 7.9 W, 300 m.
pub const LAT_DEG: f64 = 38.6;
pub const LON_DEG: f64 = -7.9;

pub fn site() -> Site {
    Site { place: Place::check(LAT_DEG, LON_DEG, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
}

/// Seconds of Unix time at this hour UTC of 14 September 2026.
pub fn at_hour(utc_h: f64) -> f64 {
    1_789_344_000.0 + utc_h * 3600.0
}

/// One typed line, when it was taken, of which run, and the sky as noted.
#[derive(Debug, Clone)]
pub struct Line {
    pub run: Option<usize>,
    pub unix_s: f64,
    pub typed: String,
    pub sky: Option<SkyNote>,
}

/// A test of one panel as the core takes it.
pub fn record(question: Question, label: Nameplate, setup: Setup, plan: Option<&PlanTyped>, lines: &[Line]) -> TestRecord {
    let panel = PanelRecord { id: "panel".to_owned(), tag: "P-1".to_owned(), label, ..PanelRecord::default() };
    let names = Names { panels: vec![("panel".to_owned(), "P-1".to_owned())], ..Names::default() };
    let plan = plan.map(|typed| plan::check(typed, setup.load, &names).unwrap());
    let slots = plan.as_ref().map_or_else(Vec::new, |plan| runs(plan.order, plan.levels.len(), plan.times));
    let readings = lines.iter().enumerate().map(|(nth, line)| reading(nth, line, &setup)).collect();
    TestRecord {
        question,
        setup,
        meters: Vec::new(),
        site: Some(site()),
        panel: "panel".to_owned(),
        rig: None,
        panels: vec![panel],
        gear: Vec::new(),
        rigs: Vec::new(),
        plan,
        runs: slots
            .iter()
            .enumerate()
            .map(|(nth, slot)| Run {
                id: nth as i64 + 1,
                uid: format!("run-{nth}"),
                place: nth as i64 + 1,
                level: slot.level,
                rig: slot.rig,
                is_added: false,
                planned_utc: None,
                state: None,
                events: Vec::new(),
            })
            .collect(),
        readings,
        now_utc: Timestamp::from_second(lines.last().map_or(0, |line| line.unix_s as i64) + 60).unwrap(),
    }
}

/// The same on a rig of its panel alone, with what takes its watts.
pub fn with_rig(mut record: TestRecord, sink: Sink) -> TestRecord {
    let nameplate = record.panels[0].label.clone();
    let rig = Rig {
        strings: vec![vec![Module { tag: "P-1".to_owned(), nameplate, wear: Vec::new() }]],
        string_fuse: None,
        joint: None,
        lead: None,
        sink,
        meters: Vec::new(),
        coldest_c: 0.0,
        hottest_c: 35.0,
    };
    record.rigs.push(RigRecord { id: "rig".to_owned(), name: "rig".to_owned(), rig, panels: vec![vec!["panel".to_owned()]] });
    record.rig = Some("rig".to_owned());
    record
}

/// Baseline, level, baseline, without settling.
pub fn aba(question: Question, baseline: &str, level: &str) -> PlanTyped {
    let text = |text: &str| text.to_owned();
    PlanTyped {
        question: text(question.name()),
        baseline: text(baseline),
        levels: text(level),
        order: text("aba"),
        settle_s: text("0"),
        ..PlanTyped::default()
    }
}

/// One shade against none, baseline before and after, without settling.
pub fn one_shade() -> PlanTyped {
    aba(Question::ShadeCost, "shade none", "shade left half")
}

pub fn reading(nth: usize, line: &Line, setup: &Setup) -> ReadingRecord {
    let taken_utc = Timestamp::from_second(line.unix_s as i64).unwrap();
    let day = taken_utc.to_zoned_datetime(TimeZone::UTC);
    let figures = understand(&line.typed, &setup.meaning()).unwrap_or_else(|error| panic!("{}: {error}", line.typed)).figures();
    ReadingRecord {
        uid: format!("reading-{nth:05}"),
        run_id: line.run.map(|run| run as i64 + 1),
        taken_utc,
        day_of_year: f64::from(day.day_of_year()),
        sky: line.sky,
        figures,
    }
}
