//! A comparison as pages show it: its levels, its hours, its steps, and what was predicted.

use crate::door::evaluated::Evaluated;
use crate::draw::{ladder, levels};
use crate::figures::{clock, computed, number, percent, with_u};
use crate::words::plan as plan_words;
use flindo_core::panel::construction::Construction;
use flindo_core::record::condition::{Factor, Value};
use flindo_core::record::order::{Slot, letters};
use flindo_core::record::shading::{Assumption, Shape};
use flindo_core::verdict::assessment::{LevelPrediction, NoPrediction, OfHours};
use flindo_core::verdict::comparison::Comparison;
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::estimate::Difference;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// A comparison, ready to be shown.
pub struct ComparedView {
    pub sentence: String,
    pub svg: Option<String>,
    pub light_by: &'static str,
    pub temperature: &'static str,
    pub meters: String,
    pub of: &'static str,
    pub mark: &'static str,
    pub rows: Vec<LevelRow>,
    /// Each step of a ladder against the one before it: (names, percent).
    pub steps: Vec<(String, String)>,
    /// By hour of the day, where the runs are of several: (level, hour, percent).
    pub hours: Vec<(String, String, String)>,
    /// What the tester expected, in their words.
    pub prediction: String,
}

pub struct LevelRow {
    pub level: usize,
    pub order: usize,
    /// "1", "2 to 4".
    pub rank: String,
    pub letter: String,
    pub name: String,
    pub percent: String,
    pub word: String,
    pub shown: &'static str,
    pub runs: usize,
    pub drift: String,
}

/// The prediction of a whole test, ready to be shown.
pub struct PredictedView {
    /// For what panel, light and temperature it is made.
    pub basis: String,
    pub sentence: String,
    pub of_sum: Option<String>,
    pub levels: Vec<LevelPredicted>,
}

/// Of one level.
pub struct LevelPredicted {
    pub level: usize,
    pub figure: String,
    /// Beside the measured figure: "agrees", how far off, or why there is none.
    pub word: String,
    pub assumed: String,
    /// Where the watts of its readings went.
    pub ladder: Option<String>,
    /// Fields of the shade calculation that show it.
    pub bench: Vec<(&'static str, String)>,
}

/// The ranks that something can have.
pub fn rank_words(low: usize, high: usize) -> String {
    if low == high { low.to_string() } else { format!("{low} to {high}") }
}

impl Evaluated<'_> {
    /// The shape beside a comparison's answer: whether it claims something.
    pub fn compared_mark(&self) -> &'static str {
        let Some(Ok(found)) = self.assessment.outcome.comparison() else { return "cant-tell" };
        let is_claimed = |level: usize| matches!(self.assessment.level_verdict(level), LevelVerdict::More | LevelVerdict::Less);
        let any_claimed = found.levels.iter().any(|one| is_claimed(one.difference.level));
        if any_claimed || !found.sums.is_empty() { "makes" } else { "cant-tell" }
    }

    pub fn compared(&self, zone: &TimeZone) -> ComparedView {
        let nothing = ComparedView {
            sentence: String::new(),
            svg: None,
            light_by: "",
            temperature: "",
            meters: String::new(),
            of: "the baseline",
            mark: "cant-tell",
            rows: Vec::new(),
            steps: Vec::new(),
            hours: Vec::new(),
            prediction: self.plan().map(|plan| plan.prediction.clone()).unwrap_or_default(),
        };
        let (Some(found), Some(plan)) = (self.assessment.outcome.comparison(), self.plan()) else { return nothing };
        let sentence = self.headline();
        let Ok(found) = found else { return ComparedView { sentence, ..nothing } };
        let verdict_of = |level: usize| self.assessment.level_verdict(level);
        let predicted: Vec<(usize, f64)> = self
            .assessment
            .prediction
            .iter()
            .flat_map(|prediction| &prediction.levels)
            .filter_map(|one| Some((one.level, *one.percent.as_ref().ok()?)))
            .collect();
        ComparedView {
            sentence,
            svg: (!found.is_absolute).then(|| levels::draw(found, plan, &predicted, verdict_of)),
            light_by: plan_words::light_by(found.light_by),
            temperature: plan_words::cell_temperatures(found.cell_temperatures),
            meters: plan_words::meters(&found.meters, |level| self.level_name(level)),
            of: found.compared.label(),
            mark: self.compared_mark(),
            rows: self.level_rows(found),
            steps: self.steps(found),
            hours: self.hours(zone),
            ..nothing
        }
    }

    fn level_rows(&self, found: &Comparison) -> Vec<LevelRow> {
        let record = &self.recorded.record;
        let order = |level: usize| found.ranking.iter().position(|one| one.level == level).unwrap_or(usize::MAX);
        let rank = |level: usize| found.ranked(level).map(|one| rank_words(one.low, one.high)).unwrap_or_default();
        let unit = found.compared.unit();
        let baseline = LevelRow {
            level: 0,
            order: order(0),
            rank: rank(0),
            letter: letters(&[Slot { level: 0, rig: 0 }]),
            name: self.level_name(0),
            percent: if found.is_absolute {
                with_u(found.baseline.0, found.baseline.1, unit).to_string()
            } else {
                "100\u{a0}%".to_owned()
            },
            word: "baseline".to_owned(),
            shown: "baseline",
            runs: record.runs.iter().filter(|run| run.level == 0 && !record.readings_of(run.id).is_empty()).count(),
            drift: String::new(),
        };
        let mut rows: Vec<LevelRow> = found
            .levels
            .iter()
            .map(|one| {
                let level = one.difference.level;
                let (shown, word) = plan_words::level(self.assessment.level_verdict(level), &one.difference);
                LevelRow {
                    level,
                    order: order(level),
                    rank: rank(level),
                    letter: letters(&[Slot { level, rig: 0 }]),
                    name: self.level_name(level),
                    percent: if found.is_absolute {
                        computed(one.mean, unit).to_string()
                    } else {
                        with_u(one.difference.percent, one.difference.u_percent, "%").to_string()
                    },
                    word: if found.is_absolute { String::new() } else { word },
                    shown,
                    runs: one.difference.runs,
                    drift: percent(one.difference.drift_percent.abs()).to_string(),
                }
            })
            .collect();
        rows.push(baseline);
        rows.sort_by_key(|row| row.order);
        rows
    }

    /// Levels that were compared at several hours: (level, hour or "clear day", percent).
    fn hours(&self, zone: &TimeZone) -> Vec<(String, String, String)> {
        let of_level = |of: &OfHours| {
            let name = self.level_name(of.level);
            let hour = |(at_s, one): &(f64, Difference)| {
                let at = Timestamp::from_second(*at_s as i64).map(|at| clock(at, zone)).unwrap_or_default();
                (name.clone(), at, with_u(one.percent, one.u_percent, "%").to_string())
            };
            let day = of.day.map(|day| {
                (
                    name.clone(),
                    "a clear day, by the sun\u{2019}s course".to_owned(),
                    with_u(day.percent, day.u_percent, "%").to_string(),
                )
            });
            of.hours.iter().map(hour).chain(day).collect::<Vec<_>>()
        };
        self.assessment.hours.iter().flat_map(of_level).collect()
    }

    /// For steps of one rig, each step against the one before it.
    fn steps(&self, found: &Comparison) -> Vec<(String, String)> {
        let is_ladder = self.plan().is_some_and(|plan| plan.question.card().factor == Factor::Step);
        if !is_ladder {
            return Vec::new();
        }
        let step = |(level, other, one): &(usize, usize, Difference)| {
            (*level == *other + 1).then(|| {
                let names = format!("{} after {}", self.level_name(*level), self.level_name(*other));
                (names, with_u(one.percent, one.u_percent, "%").to_string())
            })
        };
        found.pairs.iter().filter_map(step).collect()
    }

    pub fn predicted(&self) -> Option<PredictedView> {
        let prediction = self.assessment.prediction.as_ref()?;
        let found = self.assessment.outcome.comparison()?.as_ref().ok()?;
        let any = prediction.levels.iter().any(|one| one.percent.is_ok());
        let measured =
            |level: usize| found.levels.iter().find(|one| one.difference.level == level).map(|one| one.difference.percent);
        let differ: Vec<(String, bool)> = prediction
            .levels
            .iter()
            .filter(|one| !one.agrees && one.assumed.is_empty())
            .filter_map(|one| Some((self.level_name(one.level), measured(one.level)? < *one.percent.as_ref().ok()?)))
            .collect();
        let factor = self.plan()?.question.card().factor;
        Some(PredictedView {
            basis: format!(
                "For {}, {}, at {} and {} cells.",
                prediction.construction.label(),
                self.recorded.test.setup.mounting.label(),
                computed(prediction.at.poa_w_m2, "W/m\u{b2}"),
                computed(prediction.at.cell_c, "\u{b0}C")
            ),
            sentence: plan_words::predicted(any, &differ, factor, prediction.better.map(Construction::label)),
            of_sum: prediction
                .of_sum_percent
                .map(|share| format!("Together they are predicted to give {} of the sum of each alone.", percent(share))),
            levels: prediction.levels.iter().map(|one| self.level_prediction(one, measured(one.level))).collect(),
        })
    }

    fn level_prediction(&self, one: &LevelPrediction, measured: Option<f64>) -> LevelPredicted {
        let assumed: Vec<&str> = one
            .assumed
            .iter()
            .map(|assumption| match assumption {
                Assumption::Size => "no size said: a tenth assumed; say it in percent, cells or centimetres",
                Assumption::Panel => {
                    "no panel said: the first assumed; say \u{201c}on panel 2\u{201d} or \u{201c}on each panel\u{201d}"
                }
            })
            .collect();
        let word = match (&one.percent, measured) {
            (Err(NoPrediction::OnlyNamed), _) => String::new(),
            (Err(why), _) => why.to_string(),
            (Ok(_), _) if one.agrees => "agrees".to_owned(),
            (Ok(predicted), Some(measured)) => plan_words::off_prediction(measured - predicted),
            (Ok(_), None) => String::new(),
        };
        let level = self.assessment.level(one.level);
        LevelPredicted {
            level: one.level,
            figure: one.percent.as_ref().map(|predicted| percent(*predicted).to_string()).unwrap_or_default(),
            word,
            assumed: assumed.join("; "),
            ladder: level
                .and_then(|level| level.rating.ladder.as_ref())
                .map(|found| ladder::draw(found, &format!("level-{}", one.level))),
            bench: self.on_the_bench(one.level),
        }
    }

    /// The fields of the shade calculation that show a run, by name.
    fn on_the_bench(&self, level: usize) -> Vec<(&'static str, String)> {
        let Some(one) = self.assessment.level(level) else { return Vec::new() };
        let conditions = self.recorded.record.conditions(level);
        let Some(Value::Shade(patches)) = conditions.get(&Factor::Shade).map(|condition| &condition.value) else {
            return Vec::new();
        };
        let [patch] = &patches[..] else { return Vec::new() };
        let label = one.subject.label();
        let layout = label.construction().layout();
        let mounting = one.subject.setup.mounting;
        let rounded = |value: f64| number(value, 2);
        let mut fields = vec![("wiring", one.subject.line()), ("construction", label.construction().name().to_owned())];
        match &patch.shape {
            Shape::Described(described) => {
                let mounting = described.mounting.unwrap_or(mounting);
                fields.extend([("mounting", mounting.name().to_owned()), ("through", rounded(described.through * 100.0))]);
                let sized = described.on_face(label.face_size(), mounting);
                match sized.and_then(|sized| sized.shade(&layout, mounting)) {
                    Some(shade) => {
                        fields.extend([("pattern", shade.pattern.name().to_owned()), ("size", rounded(shade.size * 100.0))]);
                    }
                    None => {
                        let shares = described.shares(&layout, mounting);
                        let dark: Vec<String> =
                            shares.iter().enumerate().filter(|(_, share)| **share < 1.0).map(|(at, _)| at.to_string()).collect();
                        fields.extend([("pattern", "none".to_owned()), ("paint0", dark.join("."))]);
                    }
                }
            }
            Shape::Painted { cells, through } => {
                let cells: Vec<String> = cells.iter().map(usize::to_string).collect();
                fields.extend([
                    ("mounting", mounting.name().to_owned()),
                    ("through", rounded(through * 100.0)),
                    ("pattern", "none".to_owned()),
                    ("paint0", cells.join(".")),
                ]);
            }
        }
        fields
    }
}
