//! What the circuit predicts for the runs of a shade or wiring test, beside what was measured.

use super::judged::taken;
use super::progress::{ComparedView, Progress};
use crate::draw::{ladder, levels};
use crate::figures::{computed, percent};
use crate::words::plan as words;
use flindo_core::measure::correct::Condition;
use flindo_core::panel::construction::Construction;
use flindo_core::protocol::condition::Factor;
use flindo_core::protocol::question::Analysis;
use flindo_core::verdict::compare::{Compared, Comparison};
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::predict::{agrees, better_construction, mean_condition, percent_of, percent_of_sum};
use flindo_core::verdict::rating::judge_arranged;

/// The prediction of a whole test, ready to be shown.
pub struct PredictedView {
    /// For what panel, light and warmth it is made.
    pub basis: String,
    pub sentence: String,
    /// Of panels together, against the sum of each alone.
    pub of_sum: Option<String>,
    pub levels: Vec<LevelPrediction>,
}

/// Of one level.
pub struct LevelPrediction {
    pub level: usize,
    pub percent: Option<f64>,
    pub figure: String,
    /// Beside the measured figure: "agrees", "differs", or why there is none.
    pub word: String,
    /// What was taken for what its words do not say.
    pub assumed: Option<&'static str>,
    pub agrees: bool,
    /// Where the watts of its readings went.
    pub ladder: Option<String>,
    /// Fields of the shade bench that show it.
    pub bench: Vec<(&'static str, String)>,
}

impl Progress {
    /// The comparison with what the circuit predicts beside it: solved anew each time, and left out of lists.
    pub fn compared_and_predicted(&self) -> (ComparedView, Option<PredictedView>) {
        let view = self.compared();
        let Ok(found) = self.compare() else { return (view, None) };
        let Some(predicted) = self.predicted(&found) else { return (view, None) };
        let marks: Vec<(usize, f64)> =
            predicted.levels.iter().filter_map(|one| one.percent.map(|percent| (one.level, percent))).collect();
        let svg = Some(levels::draw(&found, &self.plan, &marks));
        (ComparedView { svg, ..view }, Some(predicted))
    }

    /// `None` for a question that varies neither shade nor wiring, or watt-hours, which no circuit gives.
    fn predicted(&self, found: &Comparison) -> Option<PredictedView> {
        let factor = self.plan.question.card().factor;
        if !matches!(factor, Factor::Shade | Factor::Wiring) || found.compared == Compared::Energy {
            return None;
        }
        let at = mean_condition(self.judged.result.readings.iter().filter_map(|reading| reading.known.map(|known| known.at)));
        let levels: Vec<LevelPrediction> = found.differences.iter().map(|one| self.level(found.compared, at, one)).collect();
        let differ: Vec<String> =
            levels.iter().filter(|one| one.percent.is_some() && !one.agrees).map(|one| self.plan.level_name(one.level)).collect();
        let any = levels.iter().any(|one| one.percent.is_some());
        let taken_for = self.judged.arranged.construction()?;
        let percents: Option<Vec<f64>> = levels.iter().map(|one| one.percent).collect();
        let of_sum = percents.filter(|_| self.plan.analysis() == Analysis::OfSum).and_then(|all| percent_of_sum(&all));
        let better = if differ.is_empty() { None } else { self.better(found, at, taken_for) };
        Some(PredictedView {
            basis: format!(
                "For {}, {}, at {} and {} cells.",
                taken_for.label(),
                self.judged.arranged.mounting().label(),
                computed(at.poa_w_m2, "W/m\u{b2}"),
                computed(at.cell_c, "\u{b0}C")
            ),
            sentence: words::predicted(any, &differ, better.map(Construction::label)),
            of_sum: of_sum
                .map(|share| format!("Together they are predicted to give {} of the sum of each alone.", percent(share))),
            levels,
        })
    }

    fn level(&self, compared: Compared, at: Condition, one: &flindo_core::protocol::drift::Difference) -> LevelPrediction {
        let conditions = self.plan.conditions(one.level);
        let arranged = &self.judged.arranged;
        let solved = arranged.under(&self.plan.baseline).and_then(|baseline| {
            let level = arranged.under(&conditions)?;
            percent_of(&baseline, &level, compared, at).map_err(|error| format!("{error}."))
        });
        let predicted = solved.as_ref().ok().copied().flatten();
        let is_near = predicted.is_some_and(|predicted| agrees(one, predicted));
        LevelPrediction {
            level: one.level,
            percent: predicted,
            figure: predicted.map(|predicted| percent(predicted).to_string()).unwrap_or_default(),
            word: match (&solved, predicted) {
                (Err(why), _) => why.clone(),
                (Ok(_), Some(_)) if is_near => "agrees".to_owned(),
                (Ok(_), Some(predicted)) => words::off_prediction(one.percent - predicted),
                (Ok(_), None) => String::new(),
            },
            assumed: arranged.assumed(&conditions),
            agrees: is_near,
            ladder: self.ladder_of(one.level),
            bench: arranged.on_the_bench(&conditions).unwrap_or_default(),
        }
    }

    /// The ladder of a level's readings, where they tell sun and warmth.
    fn ladder_of(&self, level: usize) -> Option<String> {
        let arrangement = self.judged.arranged.under(&self.plan.conditions(level)).ok()?;
        let readings: Vec<Taken<'_>> = self
            .runs
            .iter()
            .filter(|run| run.level == level)
            .flat_map(|run| self.readings_of(run.id))
            .map(|reading| taken(&reading.what))
            .collect();
        let (label, setup) = (&self.judged.panel.draft.nameplate, &self.judged.test.setup);
        let result = judge_arranged(label, setup, self.site.as_ref(), Some(&arrangement), readings);
        result.ladder.map(|found| ladder::draw(&found, &format!("level-{level}")))
    }

    fn better(&self, found: &Comparison, at: Condition, taken_for: Construction) -> Option<Construction> {
        let by = |construction: Construction| {
            let arranged = &self.judged.arranged;
            let baseline = arranged.built(&self.plan.baseline, Some(construction)).ok()?;
            let percents = found.differences.iter().map(|one| {
                let level = arranged.built(&self.plan.conditions(one.level), Some(construction)).ok()?;
                percent_of(&baseline, &level, found.compared, at).ok().flatten()
            });
            percents.collect()
        };
        better_construction(taken_for, &found.differences, by)
    }
}
