//! What a test comes to, as plain data: the one value that pages, JSON, league and reviews read. [`super::assess`] makes it.

use super::arrangement::ArrangeError;
use super::comparison::{Comparison, NoComparison};
use super::conformity::{LevelVerdict, RatingVerdict};
use super::controller::BothSides;
use super::estimate::Difference;
use super::finding::{Effect, Finding, Named};
use super::rating::{RatingResult, ReadingResult};
use super::reason::Reason;
use super::subject::Subject;
use super::used::Judged;
use crate::error::Error;
use crate::measure::correct::Condition;
use crate::panel::construction::Construction;
use crate::record::question::Question;
use crate::record::shading::Assumption;
use std::sync::Arc;

/// One reading of the test, by the time it was taken.
#[derive(Debug, Clone, PartialEq)]
pub struct AssessedReading {
    pub uid: String,
    pub run_id: Option<i64>,
    pub level: usize,
    /// Shared with the result of its level, and with a later assessment of the same reading.
    pub result: Arc<ReadingResult>,
    /// So many reasons of the result are those of its own figures; the ones behind them are findings of the test.
    pub own_reasons: usize,
    /// What its own figures show, held against what is possible and against the limits of its gear; what it shows beside others is found
    /// with each assessment.
    pub own_findings: Vec<Finding>,
    /// Why it does not count for what the test asks; empty: it counts.
    pub left_out: Vec<Reason>,
}

/// One level of the test; 0 is the baseline, or the only condition there is.
#[derive(Debug, Clone)]
pub struct AssessedLevel<'a> {
    pub level: usize,
    /// "A" for the baseline.
    pub letter: String,
    pub name: String,
    pub subject: Subject<'a>,
    /// Its readings by its own panel's label.
    pub rating: RatingResult,
    /// What Voc, Isc and a loaded point together show of one panel in the light.
    pub used: Option<Judged>,
    /// Input and output of its controller, where both were read.
    pub sides: Option<BothSides>,
    /// Price for one watt measured at STC, with its expanded uncertainty, in the currency of the bench.
    pub price_per_w: Option<(f64, f64)>,
    /// The best place by percent of rating that it can have among the levels, and the worst.
    pub place: usize,
    pub place_high: usize,
}

/// What the test comes to.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Each level against its own label: see [`AssessedLevel::rating`].
    Rating,
    Comparison(Result<Comparison, NoComparison>),
    /// All together against the sum of each alone.
    Sum(Result<Comparison, NoComparison>),
    Totals(Result<Comparison, NoComparison>),
}

impl Outcome {
    /// The comparison of a test that makes one.
    pub fn comparison(&self) -> Option<&Result<Comparison, NoComparison>> {
        match self {
            Outcome::Rating => None,
            Outcome::Comparison(found) | Outcome::Sum(found) | Outcome::Totals(found) => Some(found),
        }
    }
}

#[derive(Debug, Clone)]
pub struct Assessment<'a> {
    pub question: Question,
    pub readings: Vec<AssessedReading>,
    pub levels: Vec<AssessedLevel<'a>>,
    pub outcome: Outcome,
    pub named: Vec<Named>,
    /// Levels that were compared at several hours of the day.
    pub hours: Vec<OfHours>,
    /// Beside the measured levels, where the circuit can tell.
    pub prediction: Option<Prediction>,
    /// What would bring a verdict, or a better one; the cheapest first.
    pub settles: Vec<Settle>,
}

/// Words by which a step says that it is of all panels, where no panel of it is known.
const TOGETHER: [&str; 4] = ["together", "combined", "all", "both"];

/// The panels of each level, by which panels together are told from each alone. Where no level has several (steps that are only named),
/// one that says so is of all the others.
pub fn panels_by_level(levels: &[AssessedLevel<'_>]) -> Vec<Vec<String>> {
    if levels.iter().any(|level| level.subject.count() > 1) {
        return levels.iter().map(|level| level.subject.panels().map(|panel| panel.id.clone()).collect()).collect();
    }
    let says_together = |level: &AssessedLevel<'_>| {
        level.name.to_lowercase().split(|letter: char| !letter.is_alphabetic()).any(|word| TOGETHER.contains(&word))
    };
    let alone: Vec<String> = levels.iter().filter(|level| !says_together(level)).map(|level| level.letter.clone()).collect();
    levels.iter().map(|level| if says_together(level) { alone.clone() } else { vec![level.letter.clone()] }).collect()
}

impl Assessment<'_> {
    /// The rating of the baseline, or of the only condition there is.
    pub fn rating(&self) -> Option<&RatingResult> {
        self.levels.first().map(|level| &level.rating)
    }

    pub fn level(&self, level: usize) -> Option<&AssessedLevel<'_>> {
        self.levels.iter().find(|one| one.level == level)
    }

    pub fn reading(&self, uid: &str) -> Option<&AssessedReading> {
        self.readings.iter().find(|reading| reading.uid == uid)
    }

    /// The verdict of a level of a comparison; what forbids one is counted in.
    pub fn level_verdict(&self, level: usize) -> LevelVerdict {
        let forbidden =
            self.named.iter().any(|named| named.effect == Effect::Forbids && named.level.is_none_or(|of| of == level));
        let found = self.outcome.comparison().and_then(|found| found.as_ref().ok());
        let one = found.and_then(|found| found.levels.iter().find(|one| one.difference.level == level));
        let Some(one) = one.filter(|_| !forbidden) else { return LevelVerdict::CantTell };
        match (self.is_held(0), self.is_held(level)) {
            (false, false) => one.verdict,
            (false, true) => LevelVerdict::AtLeast { low_percent: (one.difference.percent - one.difference.u_percent).max(0.0) },
            // A baseline that could have given more makes what is less of it less still; what is more of it may be less.
            (true, false) if matches!(one.verdict, LevelVerdict::Less | LevelVerdict::ProbablyLess) => one.verdict,
            (true, _) => LevelVerdict::CantTell,
        }
    }

    /// Whether a limit held a level where it was read.
    pub fn is_held(&self, level: usize) -> bool {
        self.named.iter().any(|named| named.effect == Effect::Bounds && named.level == Some(level))
    }

    /// The grade of a panel, for the question that asks for it.
    pub fn graded(&self, level: usize) -> Option<&Judged> {
        self.level(level)?.used.as_ref().filter(|_| self.question == Question::UsedPanel)
    }

    /// The verdict on a level's own rating; what forbids one is counted in.
    pub fn rating_verdict(&self, level: usize) -> RatingVerdict {
        let Some(rating) = self.level(level).map(|one| &one.rating) else { return RatingVerdict::CantTell };
        let forbids = |named: &&Named| named.effect == Effect::Forbids && named.level.is_none_or(|of| of == level);
        match rating.verdict {
            // A limit, a full battery or a controller that does not track explains a shortfall, and light on the rear a surplus; neither
            // explains the other way.
            verdict @ (RatingVerdict::Below | RatingVerdict::ProbablyBelow) => {
                let explains = |named: &Named| !named.finding.raises_watts();
                if self.named.iter().filter(forbids).any(explains) { RatingVerdict::CantTell } else { verdict }
            }
            verdict @ (RatingVerdict::Above | RatingVerdict::ProbablyAbove) => {
                let explains = |named: &Named| !named.finding.lowers_watts();
                if self.named.iter().filter(forbids).any(explains) { RatingVerdict::CantTell } else { verdict }
            }
            verdict @ (RatingVerdict::Makes | RatingVerdict::Consistent | RatingVerdict::CantTell | RatingVerdict::NoWatts) => {
                let explains = |named: &Named| !named.finding.raises_watts() && !named.finding.lowers_watts();
                let is_forbidden = self.named.iter().filter(forbids).any(explains);
                if is_forbidden && verdict != RatingVerdict::NoWatts { RatingVerdict::CantTell } else { verdict }
            }
        }
    }
}

/// One level at several hours.
#[derive(Debug, Clone, PartialEq)]
pub struct OfHours {
    pub level: usize,
    /// The middle of each hour's runs, Unix seconds, with its answer.
    pub hours: Vec<(f64, Difference)>,
    /// Over the light of a clear day on the baseline's plane; where the test has a place.
    pub day: Option<OfDay>,
}

/// What a clear day would give of a level, percent of the baseline.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OfDay {
    pub percent: f64,
    /// Half the 95 % interval.
    pub u_percent: f64,
}

/// The prediction of a whole test.
#[derive(Debug, Clone, PartialEq)]
pub struct Prediction {
    pub at: Condition,
    pub construction: Construction,
    pub levels: Vec<LevelPrediction>,
    /// Of panels together, against the sum of each alone, percent.
    pub of_sum_percent: Option<f64>,
    /// Cells and diodes that lie so would fit clearly better.
    pub better: Option<Construction>,
}

/// Of one level.
#[derive(Debug, Clone, PartialEq)]
pub struct LevelPrediction {
    pub level: usize,
    /// Percent of the baseline, or why there is none.
    pub percent: Result<f64, NoPrediction>,
    /// What had to be assumed of its shade.
    pub assumed: Vec<Assumption>,
    /// It and what was measured can both be true.
    pub agrees: bool,
}

#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum NoPrediction {
    /// What the level changes is only a name.
    #[error("What this level changes is only named.")]
    OnlyNamed,
    /// Watt-hours, temperatures: no circuit gives them.
    #[error("No circuit gives this.")]
    NotOfTheCircuit,
    #[error(transparent)]
    Arrangement(#[from] ArrangeError),
    #[error("{0}.")]
    Circuit(#[from] Error),
}

/// One act.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Act {
    /// The runs of the plan so many times in all.
    Repeat {
        times: usize,
    },
    /// A display, or a range, with one more digit.
    FinerDisplay,
    /// A meter, or a load at its maximum, of a third of the error.
    BetterMeter,
    /// One meter for all levels, or the meters exchanged.
    SameMeter,
    /// A reference panel or cell in the plane, known to 2 %: a source of irradiance of the set-up.
    ReferenceInPlane,
    /// A probe on the back of the panel.
    BackProbe,
    SteadySky,
    /// Cells at this or less: a cool morning or day.
    CoolerCells {
        cell_c: f64,
    },
    /// That the sky was clear, where it was.
    NoteClearSky,
    /// Over so many W/m2.
    WaitForSun {
        poa_w_m2: f64,
    },
    ExchangePanels,
    ReadSun,
    ReadCellTemperature,
    ReadUnderLoad,
    /// Of the panel alone, beside the reading under load.
    ReadVoc,
    /// Where the panel gives the most.
    ReadAtMaximum,
    /// A load without the limit that was met.
    RemoveLimit,
    /// A battery with room to charge.
    DrainBattery,
    ReadRear,
    /// The label of a panel that has none yet.
    GiveLabel,
    ReadBaseline,
    ReadLevel,
    /// The tester that is measured with sets the interval: more readings do not help.
    OneChangeARun,
}

/// An act, and the interval it would bring.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Settle {
    pub act: Act,
    /// Half the 95 % interval after it, percent.
    pub u_percent: Option<f64>,
}
