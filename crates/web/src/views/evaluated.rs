//! Each part of a test with its assessment as a page shows it.

use crate::door::evaluated::Evaluated;
use crate::door::paging::{INTERVALS_DRAWN, Paging};
use crate::draw::face::{self, On};
use crate::draw::forest::{self, Interval};
use crate::draw::ladder;
use crate::figures::{clock, computed, day, number, percent, with_u};
use crate::views::compared::rank_words;
use crate::views::reading::LineView;
use crate::words::{self, Verdict};
use flindo_core::record::condition::{Factor, Part, Value, sentence};
use flindo_core::record::order::{Slot, letters};
use flindo_core::record::run::Run;
use flindo_core::record::shading::{self, Shaded};
use flindo_core::verdict::bracket::{Bracket, BracketState, bracket};
use flindo_core::verdict::conformity::RatingVerdict;
use flindo_core::verdict::finding::Named;
use flindo_store::day_of_year;
use jiff::Timestamp;
use jiff::tz::TimeZone;

impl Evaluated<'_> {
    /// The verdict on the only panel there is, or on all of them together.
    pub fn verdict(&self) -> Verdict {
        let levels = &self.assessment.levels;
        if !self.is_comparison() && levels.len() > 1 {
            let of_each: Vec<RatingVerdict> = levels.iter().map(|one| self.assessment.rating_verdict(one.level)).collect();
            return Verdict { word: self.headline(), ..words::verdicts(&of_each) };
        }
        let (word, of_one) = (self.headline(), self.rating_verdict(0));
        // What the headline ends on is not said twice.
        let is_said = word.to_lowercase().ends_with(&of_one.sentence.to_lowercase());
        Verdict { word, sentence: if is_said { String::new() } else { of_one.sentence }, ..of_one }
    }

    /// The headlines of an open test's answers but the main one, each with its question.
    pub fn also(&self) -> Vec<(String, &'static str)> {
        let others = self.answers().into_iter().skip(1);
        others.map(|(one, assessment)| (self.headline_of(&one.record, &assessment), one.record.question.label())).collect()
    }

    fn rating_verdict(&self, level: usize) -> Verdict {
        let one = &self.assessment.levels[level];
        words::verdict(self.assessment.rating_verdict(level), &one.rating, one.subject.label(), &self.named_of(level))
    }

    pub fn ladder_svg(&self) -> Option<String> {
        self.assessment.rating()?.ladder.as_ref().map(|found| ladder::draw(found, "whole"))
    }

    /// Every reading with watts at STC, and all together; with several panels each of them.
    pub fn forest_svg(&self, zone: &TimeZone) -> Option<String> {
        let several = self.assessment.levels.len() > 1;
        let rows: Vec<Interval> = if several {
            let of = |one: &flindo_core::verdict::assessment::AssessedLevel<'_>| {
                let pmax = one.rating.pmax.as_ref()?;
                Some(Interval { label: one.name.clone(), percent: pmax.percent, u_percent: pmax.u_percent, counts: true })
            };
            self.assessment.levels.iter().filter_map(of).collect()
        } else {
            let standing: Vec<_> = self.standing().collect();
            let newest = standing.len().saturating_sub(INTERVALS_DRAWN);
            standing[newest..]
                .iter()
                .filter_map(|(reading, judged)| {
                    let point = judged.result.pmax.as_ref()?;
                    let label = self.when(reading.what.taken_utc, zone);
                    Some(Interval { label, percent: point.percent, u_percent: point.u_percent(), counts: judged.result.counts() })
                })
                .collect()
        };
        let whole = self.assessment.rating().and_then(|rating| rating.pmax.as_ref()).filter(|_| !several).map(|pmax| Interval {
            label: "all".to_owned(),
            percent: pmax.percent,
            u_percent: pmax.u_percent,
            counts: true,
        });
        let label = self.recorded.panel.label();
        let band = label.rated_band_percent()?;
        (!rows.is_empty()).then(|| forest::draw(&rows, whole.as_ref(), band))
    }

    /// The time of day, with the day where the test ran over several.
    pub fn when(&self, time: Timestamp, zone: &TimeZone) -> String {
        let of_zone = || {
            let lines = &self.recorded.lines;
            let first = lines.first().map(|line| day(line.newest().what.taken_utc, zone));
            (zone.clone(), lines.iter().all(|line| Some(day(line.newest().what.taken_utc, zone)) == first))
        };
        let (known_zone, known) = self.one_day.get_or_init(of_zone);
        let one_day = if known_zone == zone { *known } else { of_zone().1 };
        let clock = clock(time, zone);
        if one_day { clock } else { format!("{}, {clock}", day(time, zone)) }
    }

    /// A part of the readings as a page shows them, each with its run and what is odd about it.
    pub fn views(&self, zone: &TimeZone, part: Paging) -> Vec<LineView> {
        let runs = self.recorded.open.as_ref().map_or(&self.recorded.record.runs, |open| &open.entered.runs);
        let mut views: Vec<LineView> = self
            .recorded
            .lines
            .iter()
            .enumerate()
            .skip(part.places().start)
            .take(part.places().len())
            .map(|(place, line)| {
                let newest = line.newest();
                let judged = line.current.as_ref().and_then(|reading| self.judged(&reading.what.uid));
                let mut view = LineView::of(place + 1, line, judged, self.is_comparison(), |time| self.when(time, zone));
                if let Some(run) = runs.iter().find(|run| Some(run.id) == newest.what.run_id) {
                    let late = if run.is_late(newest.what.taken_utc) { ", late: read after its end" } else { "" };
                    view.run = Some(format!("{}{late}", self.run_name(run)));
                    view.run_id = run.id;
                    let asked = |one: &&Named| {
                        one.reading_uid.as_deref() == Some(newest.what.uid.as_str())
                            && words::finding::is_asked(&one.finding)
                            && !run.is_confirmed(&newest.what.uid)
                    };
                    view.doubts = self.assessment.named.iter().filter(asked).map(|one| sentence_of(&one.finding)).collect();
                }
                view
            })
            .collect();
        let accepted = self.recorded.lines.iter().filter(|line| line.current.is_some()).map(|line| line.newest().id);
        let last = accepted.max();
        views.iter_mut().for_each(|view| view.is_last = Some(view.row_id) == last);
        views
    }

    /// A run by the letter and the name of its level; in a test without a plan, of its state.
    fn run_name(&self, run: &Run) -> String {
        let Some(open) = &self.recorded.open else { return format!("{} {}", letter(run), self.level_name(run.level)) };
        let at = open.states.iter().position(|state| state.run_ids.contains(&run.id));
        at.map(|at| format!("{} {}", open.states[at].letter, words::open::name_of(&open.states, at))).unwrap_or_default()
    }

    /// The conditions of a run, with what differs from the baseline marked.
    pub fn parts(&self, run: &Run) -> Vec<Part> {
        self.plan().map(|plan| sentence(&plan.baseline, &plan.conditions(run.level))).unwrap_or_default()
    }

    /// Whether the bracket is valid, in words.
    pub fn bracket(&self) -> Option<(bool, String)> {
        let now = Timestamp::now();
        let Bracket { age_s, moved_percent, state } = bracket(&self.recorded.record, now, day_of_year(now))?;
        let minutes = format!("{} min", number(age_s / 60.0, 0));
        let moved = moved_percent.map(|moved| percent(moved.abs()).to_string());
        Some(match (state, moved) {
            (BracketState::NewDay, _) => (false, "The last baseline is over 3 h old: begin with a new one.".to_owned()),
            (BracketState::Moved, moved) => {
                (false, format!("Irradiance changed by {} since the baseline: repeat it now.", moved.unwrap_or_default()))
            }
            (BracketState::Old, _) => (false, format!("The last baseline is {minutes} old: repeat it now.")),
            (BracketState::Valid, Some(moved)) => {
                (true, format!("Irradiance changed by {moved} since the baseline, {minutes} ago: bracket valid."))
            }
            (BracketState::Valid, None) => (true, format!("The last baseline is {minutes} old: bracket valid.")),
        })
    }

    /// Runs that were left out, each with its reason.
    pub fn skipped(&self) -> Vec<(String, String)> {
        let reason = |run: &Run| {
            run.left_or_resumed().map(|(_, why)| (format!("run {}, {}", run.place, self.level_name(run.level)), why.to_owned()))
        };
        self.recorded
            .record
            .runs
            .iter()
            .filter(|run| run.state() == flindo_core::record::run::RunState::Skipped)
            .filter_map(reason)
            .collect()
    }

    /// What was found besides what stands beside its reading.
    pub fn named(&self) -> Vec<NamedView> {
        let of_whole =
            self.assessment.named.iter().filter(|one| one.reading_uid.is_none() || !words::finding::is_asked(&one.finding));
        let mut views: Vec<NamedView> = Vec::new();
        for one in of_whole {
            let words::Advice { why, to_do } = words::finding::finding(&one.finding);
            let view = NamedView {
                code: one.finding.code(),
                level: one.level.filter(|_| self.assessment.levels.len() > 1).map(|level| self.level_name(level)),
                why: words::capital(&why),
                to_do,
                effect: words::finding::effect(one.effect),
            };
            if !views.iter().any(|known| known.code == view.code && known.why == view.why && known.level == view.level) {
                views.push(view);
            }
        }
        views
    }

    pub fn settles(&self) -> Vec<String> {
        self.assessment.settles.iter().map(words::settle::settle).collect()
    }

    /// The levels of a test of ratings, one line a panel; none for a test of one panel.
    pub fn ratings(&self, currency: &str) -> Vec<RatingRow> {
        if self.is_comparison() || self.assessment.levels.len() < 2 {
            return Vec::new();
        }
        let mut rows: Vec<RatingRow> = self
            .assessment
            .levels
            .iter()
            .map(|one| {
                let verdict = self.assessment.rating_verdict(one.level);
                let panel = one.subject.first();
                RatingRow {
                    place: one.place,
                    rank: rank_words(one.place, one.place_high),
                    letter: one.letter.clone(),
                    name: format!("{} {}", panel.tag, panel.kind),
                    mark: words::rating_mark(verdict),
                    word: verdict.label(),
                    grade: one.used.as_ref().map(|used| used.grade.label()).unwrap_or_default(),
                    percent: one.rating.pmax.as_ref().map(|pmax| with_u(pmax.percent, pmax.u_percent, "%").to_string()),
                    watts: one.rating.pmax.as_ref().zip(one.subject.rated_w()).map(|(pmax, rated_w)| {
                        with_u(pmax.percent / 100.0 * rated_w, pmax.u_percent / 100.0 * rated_w, "W").to_string()
                    }),
                    price: one.price_per_w.map(|(price, u)| format!("{} \u{b1} {} {currency}/W", number(price, 3), number(u, 3))),
                    voc: one.used.as_ref().and_then(|used| used.voc_rel).map(|rel| percent(rel * 100.0).to_string()),
                }
            })
            .collect();
        rows.sort_by_key(|row| row.place);
        rows
    }

    /// Both sides of each level's controller, where they were read.
    pub fn sides(&self) -> Vec<SidesRow> {
        let row = |one: &flindo_core::verdict::assessment::AssessedLevel<'_>| {
            let sides = one.sides?;
            Some(SidesRow {
                letter: one.letter.clone(),
                name: one.name.clone(),
                input: format!("{} \u{b7} {}", computed(sides.input.v, "V"), computed(sides.input.i, "A")),
                output: format!("{} \u{b7} {}", computed(sides.output.v, "V"), computed(sides.output.i, "A")),
                efficiency: percent(sides.efficiency * 100.0).to_string(),
                word: words::controller::operating(&sides),
            })
        };
        self.assessment.levels.iter().filter_map(row).collect()
    }

    /// The faces of a run's panels with its shade, where the plan varies one.
    pub fn faces(&self, run: &Run) -> Option<String> {
        let conditions = self.recorded.record.conditions(run.level);
        let condition = [Factor::Shade, Factor::Covers].into_iter().find_map(|factor| conditions.get(&factor))?;
        let one = self.assessment.level(run.level)?;
        let panels: Vec<_> = one.subject.panels().collect();
        let layouts: Vec<_> = panels.iter().map(|panel| panel.label.construction().layout()).collect();
        let mounting = one.subject.setup.mounting;
        let title = format!("Shade: {}", condition.typed);
        let Value::Shade(patches) = &condition.value else {
            return Some(face::draw("run", &title, layouts.first()?, mounting, &On::Unknown));
        };
        let shaded: Vec<Shaded<'_>> = panels
            .iter()
            .zip(&layouts)
            .map(|(panel, layout)| Shaded { id: &panel.id, tag: &panel.tag, layout, size: panel.label.face_size() })
            .collect();
        let lengths: Vec<usize> = one.subject.strings.iter().map(Vec::len).collect();
        let shares = shading::shares(patches, &shaded, &lengths, mounting).ok()?;
        // Four fit beside the conditions.
        const KEYS: [&str; 4] = ["run0", "run1", "run2", "run3"];
        let faces = shares.iter().zip(&layouts).zip(KEYS).enumerate().map(|(nth, ((shares, layout), key))| {
            let all_lit = vec![1.0; layout.places.len()];
            let shares = if shares.is_empty() { &all_lit } else { shares };
            face::draw(key, &format!("{title}, panel {}", nth + 1), layout, mounting, &On::Shares(shares))
        });
        Some(faces.collect())
    }
}

pub fn letter(run: &Run) -> String {
    letters(&[Slot { level: run.level, rig: run.rig }])
}

fn sentence_of(finding: &flindo_core::verdict::finding::Finding) -> String {
    let words::Advice { why, to_do } = words::finding::finding(finding);
    format!("{}. {to_do}", words::capital(&why))
}

/// Something that was found, ready to be shown.
pub struct NamedView {
    pub code: &'static str,
    pub level: Option<String>,
    pub why: String,
    pub to_do: &'static str,
    pub effect: &'static str,
}

/// One panel of a test of several.
pub struct RatingRow {
    pub place: usize,
    /// "1", "2 to 4".
    pub rank: String,
    pub letter: String,
    pub name: String,
    pub mark: &'static str,
    pub word: &'static str,
    /// Of the used-panel question.
    pub grade: &'static str,
    pub percent: Option<String>,
    pub watts: Option<String>,
    pub price: Option<String>,
    pub voc: Option<String>,
}

/// A controller's two sides.
pub struct SidesRow {
    pub letter: String,
    pub name: String,
    pub input: String,
    pub output: String,
    pub efficiency: String,
    pub word: String,
}
