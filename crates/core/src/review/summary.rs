//! What lists, leagues and reviews need of an assessment, without the readings behind it.

use crate::measure::budget::Cause;
use crate::measure::instrument::{Accuracy, standard_from_limit};
use crate::named::named;
use crate::record::condition::{Condition, Factor, Value, differences};
use crate::record::meters::MeterUse;
use crate::record::names::Id;
use crate::record::plan::UNNAMED;
use crate::record::question::Question;
use crate::record::run::RunState;
use crate::record::setup::Setup;
use crate::record::test::TestRecord;
use crate::verdict::assessment::{AssessedLevel, Assessment, OfHours, Settle};
use crate::verdict::bounds::Bounds;
use crate::verdict::comparison::{Compared, Comparison, NoComparison};
use crate::verdict::conformity::{LevelVerdict, RatingVerdict};
use crate::verdict::controller::BothSides;
use crate::verdict::finding::{Effect, Finding, Named};
use crate::verdict::ranking::of_meters;
use crate::verdict::reason::Reason;
use crate::verdict::subject::Taking;
use crate::verdict::used::Grade;
use jiff::Timestamp;

/// A value with its expanded uncertainty (k = 2, about 95 %), in the same unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Figure {
    pub value: f64,
    pub u: f64,
}

impl Figure {
    pub fn new(value: f64, u: f64) -> Self {
        Figure { value, u }
    }

    pub fn low(self) -> f64 {
        self.value - self.u
    }

    pub fn high(self) -> f64 {
        self.value + self.u
    }

    /// The same in another unit.
    pub fn times(self, factor: f64) -> Self {
        Figure { value: self.value * factor, u: self.u * factor.abs() }
    }
}

/// One panel of a level.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    pub id: Id,
    pub tag: String,
    pub kind: String,
}

/// Percent of the rating of one panel (or of all panels of a level together).
#[derive(Debug, Clone, PartialEq)]
pub struct RatingFigure {
    pub percent: Figure,
    /// The part of its uncertainty that another test with the same instruments and label repeats: it does not average out.
    pub u_shared_percent: f64,
    /// What each instrument brings to it, expanded: the same to all panels that it read.
    pub of_meters_percent: Vec<(Cause, f64)>,
    pub verdict: RatingVerdict,
    /// What forbids the figure to be taken for the panel's own: a limit, a full battery, light on the rear.
    pub forbidden: Option<Finding>,
}

/// Percent of the baseline of its test.
#[derive(Debug, Clone, PartialEq)]
pub struct ComparedFigure {
    pub percent: Figure,
    pub verdict: LevelVerdict,
    pub rank: usize,
    pub runs: usize,
}

/// One level of a test.
#[derive(Debug, Clone, PartialEq)]
pub struct LevelSummary {
    pub level: usize,
    pub letter: String,
    pub name: String,
    /// As it stands in a sentence beside the baseline: what differs between the two, and nothing else.
    pub said: String,
    /// What it changes, in the order of the sentence; empty for the baseline.
    pub changes: Vec<(Factor, String)>,
    pub panels: Vec<Piece>,
    /// Of all its panels; `None` where a label is not known.
    pub rated_w: Option<f64>,
    /// Of all its panels, where each has one, in the currency of the bench.
    pub price: Option<f64>,
    /// Of all its panels, where each label gives it.
    pub area_m2: Option<f64>,
    pub weight_kg: Option<f64>,
    pub tilt_deg: f64,
    /// The controller or station that takes its watts.
    pub controller: Option<String>,
    pub rating: Option<RatingFigure>,
    /// Of watts whose light or cell temperature is missing.
    pub bounds: Option<Bounds>,
    pub grade: Option<Grade>,
    /// Voc over what the label allows.
    pub voc_rel: Option<f64>,
    pub sides: Option<BothSides>,
    /// Output over input, percent, of what both sides read.
    pub efficiency_percent: Option<Figure>,
    pub compared: Option<ComparedFigure>,
    /// Mean as read, in the unit of what is compared.
    pub mean: Option<f64>,
    /// As percent of the baseline, where the circuit can tell.
    pub predicted_percent: Option<f64>,
    pub agrees: bool,
}

/// What a test came to, in few classes: by these it is found again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    Makes,
    Consistent,
    Below,
    Above,
    Differs,
    NoDifference,
    CantTell,
    NoReading,
}

named!(Found {
    Makes = "makes", "makes its rating";
    Consistent = "consistent", "consistent with its rating";
    Below = "below", "below its rating";
    Above = "above", "above its rating";
    Differs = "differs", "a difference shown";
    NoDifference = "no_difference", "no difference shown";
    CantTell = "cant_tell", "can\u{2019}t tell";
    NoReading = "no_reading", "no reading yet";
});

/// A test, summed up.
#[derive(Debug, Clone, PartialEq)]
pub struct Summary {
    pub question: Question,
    /// The panel it is of.
    pub panel: Id,
    pub first_utc: Option<Timestamp>,
    pub last_utc: Option<Timestamp>,
    pub readings: usize,
    /// Runs that wait or are under way.
    pub open_runs: usize,
    pub levels: Vec<LevelSummary>,
    /// The meters that it was read with.
    pub meters: Vec<MeterUse>,
    /// What its levels are compared by; `None` for a test of ratings, or before a comparison.
    pub compared: Option<Compared>,
    /// Levels are told in the unit of what is compared: the baseline is nothing to speak of.
    pub is_absolute: bool,
    /// Half the width that the baseline's display leaves open, in the unit of what is compared.
    pub baseline_u: f64,
    /// The most panels together (by their level) as percent of the sum of each alone.
    pub of_sum: Option<(usize, Figure)>,
    /// Levels against each other, where steps follow each other: (level, other, percent).
    pub pairs: Vec<(usize, usize, Figure)>,
    /// Levels that were compared at several hours.
    pub hours: Vec<OfHours>,
    /// Why its rating cannot be told, as the readings have it.
    pub reasons: Vec<Reason>,
    /// Why nothing is compared yet.
    pub not_yet: Option<NoComparison>,
    /// The whole test of ratings, on its only panel or on the first.
    pub verdict: RatingVerdict,
    pub named: Vec<Named>,
    pub settles: Vec<Settle>,
}

impl Summary {
    pub fn of(record: &TestRecord, assessment: &Assessment<'_>) -> Self {
        let times = || assessment.readings.iter().filter_map(|one| reading_utc(record, &one.uid));
        let found = assessment.outcome.comparison().and_then(|found| found.as_ref().ok());
        let open = |state: RunState| matches!(state, RunState::Waiting | RunState::Begun);
        Summary {
            question: record.question,
            panel: record.panel.clone(),
            first_utc: times().next(),
            last_utc: times().next_back(),
            readings: assessment.readings.len(),
            open_runs: record.runs.iter().filter(|run| open(run.state())).count(),
            meters: record.meters.clone(),
            levels: assessment.levels.iter().map(|level| level_summary(record, assessment, level)).collect(),
            compared: found.map(|found| found.compared),
            is_absolute: found.is_some_and(|found| found.is_absolute),
            baseline_u: found.map_or(0.0, |found| found.baseline.1),
            of_sum: found.and_then(|found| found.sums.first()).map(|one| (one.level, Figure::new(one.percent, one.u_percent))),
            pairs: steps_of(record, found),
            hours: assessment.hours.clone(),
            reasons: assessment.rating().map(|rating| rating.reasons.clone()).unwrap_or_default(),
            not_yet: assessment.outcome.comparison().and_then(|found| found.as_ref().err().copied()),
            verdict: assessment.rating_verdict(0),
            named: assessment.named.clone(),
            settles: assessment.settles.clone(),
        }
    }

    pub fn is_comparison(&self) -> bool {
        !self.question.is_of_rating()
    }

    /// All together as percent of the sum of each alone.
    pub fn of_sum_percent(&self) -> Option<Figure> {
        self.of_sum.map(|(_, percent)| percent)
    }

    /// Its class. A test of several panels has the gravest of their verdicts.
    pub fn found(&self) -> Found {
        if self.readings == 0 {
            return Found::NoReading;
        }
        if self.is_comparison() {
            let verdicts: Vec<LevelVerdict> =
                self.levels.iter().filter_map(|level| level.compared.as_ref()).map(|one| one.verdict).collect();
            let claims = |verdict: &LevelVerdict| matches!(verdict, LevelVerdict::More | LevelVerdict::Less);
            let can_tell = |verdict: &LevelVerdict| *verdict != LevelVerdict::CantTell;
            return if verdicts.iter().any(claims) || self.of_sum.is_some() {
                Found::Differs
            } else if verdicts.iter().any(can_tell) {
                Found::NoDifference
            } else {
                Found::CantTell
            };
        }
        let of_each: Vec<RatingVerdict> =
            self.levels.iter().filter_map(|level| level.rating.as_ref()).map(|rating| rating.verdict).collect();
        let any = |wanted: &[RatingVerdict]| of_each.iter().any(|verdict| wanted.contains(verdict));
        if any(&[RatingVerdict::Below, RatingVerdict::ProbablyBelow]) {
            Found::Below
        } else if any(&[RatingVerdict::Above, RatingVerdict::ProbablyAbove]) {
            Found::Above
        } else if any(&[RatingVerdict::Consistent]) {
            Found::Consistent
        } else if any(&[RatingVerdict::Makes]) {
            Found::Makes
        } else {
            Found::CantTell
        }
    }

    /// Whether it is a test of one of these panels.
    pub fn is_of(&self, panel: &str) -> bool {
        self.panel == panel || self.levels.iter().flat_map(|level| &level.panels).any(|piece| piece.id == panel)
    }
}

/// Of a ladder of steps each against the one before it; of other tests the pairs are left with the assessment.
fn steps_of(record: &TestRecord, found: Option<&Comparison>) -> Vec<(usize, usize, Figure)> {
    let is_ladder = record.plan.as_ref().is_some_and(|plan| plan.question.card().factor == Factor::Step);
    let pairs = found.filter(|_| is_ladder).map(|found| found.pairs.iter()).into_iter().flatten();
    pairs
        .filter(|(level, other, _)| *level == other + 1)
        .map(|(level, other, one)| (*level, *other, Figure::new(one.percent, one.u_percent)))
        .collect()
}

/// The moment of a reading; readings of an assessment are in the order of their times.
fn reading_utc(record: &TestRecord, uid: &str) -> Option<Timestamp> {
    record.readings.iter().find(|reading| reading.uid == uid).map(|reading| reading.taken_utc)
}

fn level_summary(record: &TestRecord, assessment: &Assessment<'_>, level: &AssessedLevel<'_>) -> LevelSummary {
    let number = level.level;
    let subject = &level.subject;
    let sum = |of: &dyn Fn(&crate::panel::nameplate::Nameplate) -> Option<f64>| {
        subject.panels().map(|panel| of(&panel.label)).sum::<Option<f64>>()
    };
    let found = assessment.outcome.comparison().and_then(|found| found.as_ref().ok());
    let compared = found.and_then(|found| {
        let one = found.levels.iter().find(|one| one.difference.level == number)?;
        Some(ComparedFigure {
            percent: Figure::new(one.difference.percent, one.difference.u_percent),
            verdict: assessment.level_verdict(number),
            rank: found.ranked(number).map_or(1, |one| one.low),
            runs: one.difference.runs,
        })
    });
    let mean = found.and_then(|found| match number {
        0 => Some(found.baseline.0),
        _ => found.levels.iter().find(|one| one.difference.level == number).map(|one| one.mean),
    });
    let predicted = assessment.prediction.as_ref().and_then(|all| all.levels.iter().find(|one| one.level == number));
    let own = number.checked_sub(1).and_then(|at| record.plan.as_ref()?.levels.get(at));
    LevelSummary {
        level: number,
        letter: level.letter.clone(),
        name: level.name.clone(),
        said: said(record, level),
        changes: own.into_iter().flatten().map(|(factor, condition)| (*factor, condition.typed.trim().to_owned())).collect(),
        panels: subject
            .panels()
            .map(|panel| Piece { id: panel.id.clone(), tag: panel.tag.clone(), kind: panel.kind.clone() })
            .collect(),
        rated_w: subject.rated_w(),
        price: subject.price(),
        area_m2: sum(&|label| label.face_size().map(|face| face.length_m * face.width_m)),
        weight_kg: sum(&|label| label.weight_kg),
        tilt_deg: subject.setup.tilt_deg,
        controller: match &subject.taking {
            Taking::Controller { name, .. } | Taking::Station { name, .. } => Some(name.clone()),
            Taking::Unlimited => None,
        },
        rating: rating_figure(assessment, level),
        bounds: level.rating.bounds,
        grade: assessment.graded(number).map(|judged| judged.grade),
        voc_rel: level.used.as_ref().and_then(|used| used.voc_rel),
        sides: level.sides,
        efficiency_percent: level.sides.map(|sides| efficiency_percent(&sides, &subject.setup)),
        compared,
        mean,
        predicted_percent: predicted.and_then(|one| one.percent.as_ref().ok().copied()),
        agrees: predicted.is_some_and(|one| one.agrees),
    }
}

/// The conditions in which a level differs from the baseline; of the baseline those in which any level does.
fn said(record: &TestRecord, level: &AssessedLevel<'_>) -> String {
    let Some(plan) = &record.plan else { return level.name.clone() };
    let number = level.level;
    let differ = |number: usize| differences(&plan.baseline, &plan.conditions(number));
    let mut factors = match number {
        0 => (1..=plan.levels.len()).flat_map(differ).collect(),
        _ => differ(number),
    };
    factors.sort_unstable();
    factors.dedup();
    let conditions = plan.conditions(number);
    let one = |factor: &Factor| match (conditions.get(factor), factor) {
        (Some(condition), _) => Some(in_a_sentence(*factor, condition)),
        (None, Factor::Panel) => Some(level.subject.panels().map(|panel| panel.tag.as_str()).collect::<Vec<_>>().join(" + ")),
        (None, _) => None,
    };
    let said: Vec<String> = factors.iter().filter_map(one).collect();
    match (said.is_empty(), number) {
        (false, _) => said.join(", "),
        // What it has of the factor that changes was not said.
        (true, 0) if level.name == UNNAMED => "the first state".to_owned(),
        (true, _) => level.name.clone(),
    }
}

fn in_a_sentence(factor: Factor, condition: &Condition) -> String {
    match &condition.value {
        // No degrees of azimuth are north.
        Value::Degrees(0.0) if factor == Factor::Tilt => "flat".to_owned(),
        Value::Degrees(degrees) => format!("{degrees}\u{b0}"),
        Value::Shade(patches) if patches.is_empty() => "unshaded".to_owned(),
        Value::LoadKind(load) => load.label().to_owned(),
        Value::Panels(_)
        | Value::Rig(_)
        | Value::Gear(_)
        | Value::Shade(_)
        | Value::Wiring(_)
        | Value::Face(_)
        | Value::Cooling(_)
        | Value::Sky(_)
        | Value::MeasuredAt(_)
        | Value::Day(_)
        | Value::Name => condition.typed.trim().to_owned(),
    }
}

fn rating_figure(assessment: &Assessment<'_>, level: &AssessedLevel<'_>) -> Option<RatingFigure> {
    let pmax = level.rating.pmax.as_ref()?;
    let of_level = |named: &&Named| named.effect == Effect::Forbids && named.level.is_none_or(|of| of == level.level);
    Some(RatingFigure {
        percent: Figure::new(pmax.percent, pmax.u_percent),
        u_shared_percent: (2.0 * pmax.budget.shared_rel() * pmax.percent).min(pmax.u_percent),
        of_meters_percent: of_meters(&pmax.budget).map(|part| (part.cause, 2.0 * part.u_rel * pmax.percent)).collect(),
        verdict: assessment.rating_verdict(level.level),
        forbidden: assessment.named.iter().find(of_level).map(|named| named.finding.clone()),
    })
}

/// Output over input watts, percent: the four displays are independent meters, each right within its stated limits
/// (JCGM 100:2008, 5.1.6: relative variances of a product add).
fn efficiency_percent(sides: &BothSides, setup: &Setup) -> Figure {
    let rel = |accuracy: Accuracy, value: f64| {
        if value > 0.0 { standard_from_limit(accuracy.limit(value, 0.0)) / value } else { 0.0 }
    };
    let gear = &setup.instruments;
    let parts = [
        rel(gear.volts, sides.input.v),
        rel(gear.amps, sides.input.i),
        rel(gear.volts, sides.output.v),
        rel(gear.amps, sides.output.i),
    ];
    let u_rel = 2.0 * parts.iter().map(|part| part * part).sum::<f64>().sqrt();
    Figure::new(sides.efficiency * 100.0, sides.efficiency * 100.0 * u_rel)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn north_is_not_flat() {
        let said = |factor, degrees| in_a_sentence(factor, &Condition::degrees(degrees));
        assert_eq!(said(Factor::Tilt, 0.0), "flat");
        assert_eq!((said(Factor::Azimuth, 0.0), said(Factor::Tilt, 35.0)), ("0\u{b0}".to_owned(), "35\u{b0}".to_owned()));
    }
}
