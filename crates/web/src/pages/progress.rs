//! A planned test as far as it has come: its runs with their readings, compared; what the sun did; what looks odd.

use super::judged::{Judged, LineView, site_of, taken};
use crate::day::day_of_year;
use crate::error::AppError;
use crate::figures::{number, percent, with_u};
use crate::state::AppState;
use crate::words::plan as words;
use flindo_core::measure::quantity::Figures;
use flindo_core::protocol::condition::{Factor, Part, degrees, sentence};
use flindo_core::protocol::order::{Slot, letters};
use flindo_core::protocol::plan::{self, Plan};
use flindo_core::protocol::slip::{Pattern, doubts};
use flindo_core::sky::course::Site;
use flindo_core::verdict::compare::{
    BRACKET_HOLDS_PERCENT, BRACKET_HOLDS_S, Comparison, Method, NotYet, RunTaken, compare, moved_percent,
};
use flindo_core::verdict::condition::Taken;
use flindo_store::{Happened, Reading, RunRow, RunState};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// After so long a pause the sun is another one, s.
const NEW_DAY_S: f64 = 3.0 * 3600.0;

pub struct Progress {
    pub judged: Judged,
    pub plan: Plan,
    pub runs: Vec<RunRow>,
    pub site: Option<Site>,
}

impl Progress {
    /// `None` for a test without a plan.
    pub async fn load(state: &AppState, test_id: i64) -> Result<Option<Self>, AppError> {
        let judged = Judged::load(&state.store, test_id).await?;
        let Some(typed) = &judged.test.plan else { return Ok(None) };
        let corrupt = || flindo_store::StoreError::Corrupt(format!("the plan of test {test_id}"));
        let plan = plan::check(typed, judged.test.setup.load).map_err(|_| corrupt())?;
        let site = site_of(&state.store, &judged.test).await?;
        Ok(Some(Progress { plan, runs: state.store.runs(test_id).await?, site, judged }))
    }

    fn method(&self) -> Method<'_> {
        let setup = &self.judged.test.setup;
        Method {
            order: self.plan.order,
            analysis: self.plan.analysis(),
            factor: self.plan.question.card().factor,
            wobble: setup.wobble,
            repeat_rel: self.plan.repeat_rel,
            plane: setup.plane(),
            site: self.site.as_ref(),
        }
    }

    fn standing(&self) -> impl Iterator<Item = &Reading> {
        self.judged.lines.iter().filter_map(|line| line.current.as_ref())
    }

    pub fn readings_of(&self, run_id: i64) -> Vec<&Reading> {
        self.standing().filter(|reading| reading.what.run_id == Some(run_id)).collect()
    }

    pub fn compare(&self) -> Result<Comparison, NotYet> {
        let mut runs: Vec<RunTaken<'_>> = self
            .runs
            .iter()
            .map(|run| RunTaken {
                level: run.level,
                rig: run.rig,
                readings: self.readings_of(run.id).iter().map(|reading| taken(&reading.what)).collect(),
            })
            .collect();
        // Side by side a run belongs to its neighbour on the sheet; else the order is that of the sun.
        if self.runs.iter().all(|run| run.rig == 0) {
            runs.sort_by(|a, b| first_s(a).total_cmp(&first_s(b)));
        }
        compare(&runs, &self.method())
    }

    /// The run at work: the one begun last, and else the first that waits.
    pub fn current(&self) -> Option<&RunRow> {
        let begun = self.runs.iter().filter(|run| run.state() == RunState::Begun).max_by_key(|run| run.begun_utc());
        begun.or_else(|| self.next_after(None))
    }

    /// The first run that waits, after the place of another.
    pub fn next_after(&self, run: Option<&RunRow>) -> Option<&RunRow> {
        let waits = |of: &&RunRow| of.state() == RunState::Waiting && self.readings_of(of.id).is_empty();
        let after = self.runs.iter().filter(waits).find(|of| run.is_none_or(|run| of.place > run.place));
        after.or_else(|| self.runs.iter().find(|of| waits(of) && run.is_none_or(|run| run.id != of.id)))
    }

    pub fn letter(&self, run: &RunRow) -> String {
        letters(&[Slot { level: run.level, rig: run.rig }])
    }

    pub fn parts(&self, run: &RunRow) -> Vec<Part> {
        sentence(&self.plan.baseline, &self.plan.conditions(run.level))
    }

    /// The tilt of a run, where its conditions say one.
    pub fn tilt_deg(&self, run: &RunRow) -> f64 {
        let said = self.plan.conditions(run.level).get(&Factor::Tilt).and_then(|text| degrees(text));
        said.filter(|tilt| (0.0..=90.0).contains(tilt)).unwrap_or(self.judged.test.setup.tilt_deg)
    }

    /// What the sun did since the last baseline, and whether the bracket holds: (holds, sentence).
    pub fn bracket(&self, now: Timestamp) -> Option<(bool, String)> {
        let is_baseline = |reading: &&Reading| self.runs.iter().any(|run| Some(run.id) == reading.what.run_id && run.level == 0);
        let baseline = self.standing().filter(is_baseline).last()?;
        let age_s = now.as_second() as f64 - baseline.what.taken_utc.as_second() as f64;
        if self.current().is_none() || self.plan.order == flindo_core::protocol::order::Order::Totals {
            return None;
        }
        if age_s > NEW_DAY_S {
            return Some((false, "The last baseline is long past: begin with a new one.".to_owned()));
        }
        let newest = self.standing().last().filter(|newest| newest.what.taken_utc > baseline.what.taken_utc);
        let nothing = Figures::default();
        let later = match newest {
            Some(newest) => taken(&newest.what),
            None => Taken { figures: &nothing, unix_s: now.as_second() as f64, day_of_year: day_of_year(now), sky: None },
        };
        let minutes = format!("{} min", number(age_s / 60.0, 0));
        Some(match moved_percent(&taken(&baseline.what), &later, &self.method()) {
            Some(moved) if moved.abs() > BRACKET_HOLDS_PERCENT => {
                (false, format!("The sun moved {} since the baseline: repeat it now.", percent(moved.abs())))
            }
            _ if age_s > BRACKET_HOLDS_S => (false, format!("The last baseline is {minutes} old: repeat it now.")),
            Some(moved) => {
                (true, format!("The sun moved {} since the baseline, {minutes} ago: the bracket holds.", percent(moved.abs())))
            }
            None => (true, format!("The last baseline is {minutes} old: the bracket holds.")),
        })
    }

    /// All lines as a page shows them, each with its run and what is odd about it.
    pub fn views(&self, zone: &TimeZone) -> Vec<LineView> {
        let mut views = self.judged.views(zone);
        for (view, line) in views.iter_mut().zip(&self.judged.lines) {
            let newest = line.newest();
            let Some(run) = self.runs.iter().find(|run| Some(run.id) == newest.what.run_id) else { continue };
            view.run = Some(format!("{} {}", self.letter(run), self.plan.level_name(run.level)));
            view.run_id = run.id;
            if !self.plan.question.is_of_rating() {
                // What a rating would want is no business of a comparison.
                (view.left_out, view.percent, view.counts) = (Vec::new(), None, true);
            }
            if let Some(reading) = &line.current {
                view.doubts = self.doubts(run, reading);
            }
        }
        views
    }

    fn doubts(&self, run: &RunRow, reading: &Reading) -> Vec<String> {
        let is_confirmed = run.events.iter().any(|event| event.what == Happened::Confirmed && event.text == reading.what.uid);
        if is_confirmed {
            return Vec::new();
        }
        let when = |reading: &Reading| (reading.what.taken_utc, reading.id);
        let earlier = |of: &&&Reading| when(of) < when(reading);
        let of_run = self.readings_of(run.id);
        let of_run: Vec<&Figures> = of_run.iter().filter(earlier).map(|reading| &reading.what.figures).collect();
        let before = self.standing().filter(|of| when(of) < when(reading)).last().map(|before| &before.what.figures);
        let since_start_s = run.begun_utc().map(|begun| reading.what.taken_utc.as_second() as f64 - begun.as_second() as f64);
        let pattern = Pattern {
            of_run: &of_run,
            before,
            cap_w: self.judged.arranged.cap_w(),
            since_start_s: since_start_s.filter(|since_s| *since_s > 0.0),
            settle_s: self.plan.settle_s,
        };
        doubts(&reading.what.figures, self.judged.test.setup.wobble, &pattern).iter().map(words::doubt).collect()
    }

    /// Runs that were left out, each with its reason.
    pub fn skipped(&self) -> Vec<(String, String)> {
        let skipped = self.runs.iter().filter(|run| run.state() == RunState::Skipped);
        let reason = |run: &RunRow| {
            run.events
                .iter()
                .rev()
                .find(|event| event.what == Happened::Skipped)
                .map(|event| event.text.clone())
                .unwrap_or_default()
        };
        skipped.map(|run| (format!("run {}, {}", run.place, self.plan.level_name(run.level)), reason(run))).collect()
    }

    pub fn compared(&self) -> ComparedView {
        let found = self.compare();
        let sentence = match &found {
            Ok(found) => words::comparison(found, &self.plan),
            Err(why) => words::not_yet(*why).to_owned(),
        };
        let rows = match &found {
            Ok(found) => self.level_rows(found),
            Err(_) => Vec::new(),
        };
        ComparedView {
            sentence,
            svg: found.as_ref().ok().map(|found| crate::draw::levels::draw(found, &self.plan, &[])),
            light_by: found.as_ref().map(|found| words::light_by(found.light_by)).unwrap_or_default(),
            of: found.as_ref().map(|found| words::compared(found.compared)).unwrap_or("the baseline"),
            mark: match &found {
                Ok(found) if found.differences.iter().any(|one| one.is_shown()) || found.of_sum.is_some() => "makes",
                _ => "cant-tell",
            },
            rows,
            prediction: self.plan.prediction.clone(),
        }
    }

    fn level_rows(&self, found: &Comparison) -> Vec<LevelRow> {
        let place = |level: usize| found.ranking.iter().find(|(of, _)| *of == level).map_or(0, |(_, place)| *place);
        let baseline = LevelRow {
            level: 0,
            place: place(0),
            letter: letters(&[Slot { level: 0, rig: 0 }]),
            name: self.plan.level_name(0),
            percent: "100\u{a0}%".to_owned(),
            word: "baseline".to_owned(),
            shown: "baseline",
            runs: self.runs.iter().filter(|run| run.level == 0 && !self.readings_of(run.id).is_empty()).count(),
            drift: String::new(),
        };
        let mut rows: Vec<LevelRow> = found
            .differences
            .iter()
            .map(|one| {
                let (shown, word) = words::difference(one);
                let open = if one.is_bracketed { "" } else { ", not between two baselines" };
                LevelRow {
                    level: one.level,
                    place: place(one.level),
                    letter: letters(&[Slot { level: one.level, rig: 0 }]),
                    name: self.plan.level_name(one.level),
                    percent: with_u(one.percent, one.u_percent, "%").to_string(),
                    word: format!("{word}{open}"),
                    shown,
                    runs: one.runs,
                    drift: percent(one.drift_percent.abs()).to_string(),
                }
            })
            .collect();
        rows.push(baseline);
        rows.sort_by_key(|row| row.place);
        rows
    }
}

/// A comparison, ready to be shown.
pub struct ComparedView {
    pub sentence: String,
    pub svg: Option<String>,
    pub light_by: &'static str,
    pub of: &'static str,
    pub mark: &'static str,
    pub rows: Vec<LevelRow>,
    /// What the tester expected, in their words.
    pub prediction: String,
}

pub struct LevelRow {
    pub level: usize,
    pub place: usize,
    pub letter: String,
    pub name: String,
    pub percent: String,
    pub word: String,
    pub shown: &'static str,
    pub runs: usize,
    pub drift: String,
}

fn first_s(run: &RunTaken<'_>) -> f64 {
    run.readings.iter().map(|taken| taken.unix_s).fold(f64::INFINITY, f64::min)
}
