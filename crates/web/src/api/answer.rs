//! What a test comes to, as programs get it: an [`Assessment`] in plain figures and sentences. What does not apply is left out.

use crate::door::evaluated::Evaluated;
use crate::words;
use flindo_core::load::operate::TrackingFinding;
use flindo_core::record::open;
use flindo_core::record::test::TestRecord;
use flindo_core::review::next::next_acts;
use flindo_core::verdict::assessment::{AssessedLevel, Assessment, Prediction};
use flindo_core::verdict::comparison::{Comparison, Level, NoComparison};
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::controller::BothSides;
use flindo_core::verdict::estimate::Difference;
use flindo_core::verdict::finding::{Effect, Named};
use flindo_core::verdict::rating::RatingResult;
use jiff::Timestamp;
use serde::Serialize;
use utoipa::ToSchema;

/// The assessment of a test. Of an open test also its states, and one assessment for each question that its readings answer.
#[derive(Debug, Serialize, ToSchema)]
pub struct AssessmentAnswer {
    #[serde(flatten)]
    of: QuestionAnswer,
    #[serde(skip_serializing_if = "Option::is_none")]
    states: Option<Vec<StateAnswer>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    answers: Option<Vec<OpenAnswer>>,
    /// What is worth most next, in an open test.
    #[serde(skip_serializing_if = "Option::is_none")]
    next: Option<Vec<NextAnswer>>,
}

/// A state of an open test.
#[derive(Debug, Serialize, ToSchema)]
pub struct StateAnswer {
    letter: String,
    /// Its conditions in words.
    name: String,
    runs: usize,
}

/// One question that an open test answers.
#[derive(Debug, Serialize, ToSchema)]
pub struct OpenAnswer {
    #[serde(flatten)]
    of: QuestionAnswer,
    /// The letters of its states, the baseline first.
    states: Vec<String>,
    baseline_state: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct NextAnswer {
    act: String,
    /// What it would bring.
    brings: String,
}

/// What the runs of one question come to.
#[derive(Debug, Default, Serialize, ToSchema)]
pub struct QuestionAnswer {
    question: &'static str,
    headline: String,
    /// By its name; `see_levels` where each of several levels has its own.
    verdict: &'static str,
    /// Why nothing can be compared yet.
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<String>,
    /// The quantity that is compared.
    #[serde(skip_serializing_if = "Option::is_none")]
    compared: Option<&'static str>,
    /// Whose gains are in the levels of a comparison: `one` meter's, `own` ones, or own ones that were `checked` on one source.
    #[serde(skip_serializing_if = "Option::is_none")]
    meters: Option<&'static str>,
    /// Percent of the rating, or of the baseline.
    #[serde(flatten)]
    percent: PercentAnswer,
    levels: Vec<LevelAnswer>,
    /// Every level of a comparison against every other.
    #[serde(skip_serializing_if = "Option::is_none")]
    pairs: Option<Vec<PairAnswer>>,
    /// Percents tell something: the baseline is not next to nothing.
    #[serde(skip_serializing_if = "Option::is_none")]
    in_percent: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    baseline: Option<BaselineAnswer>,
    /// Of the most panels together.
    #[serde(skip_serializing_if = "Option::is_none")]
    of_sum: Option<OfSumAnswer>,
    /// Every level of panels together.
    #[serde(skip_serializing_if = "Option::is_none")]
    sums: Option<Vec<LevelOfSumAnswer>>,
    named: Vec<NamedAnswer>,
    left_out: Vec<LeftOutAnswer>,
    /// What would settle what is open, as sentences, the cheapest first.
    settles: Vec<String>,
    /// What the circuit predicts for the levels.
    #[serde(skip_serializing_if = "Option::is_none")]
    predicted: Option<PredictionAnswer>,
}

/// Percent with its 95 % interval, or with bounds where light or temperature were not read.
#[derive(Debug, Default, Serialize, ToSchema)]
pub struct PercentAnswer {
    #[serde(skip_serializing_if = "Option::is_none")]
    percent: Option<f64>,
    /// Half the 95 % interval.
    #[serde(skip_serializing_if = "Option::is_none")]
    u_percent: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    low_percent: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    high_percent: Option<f64>,
    /// Of the true percent to be at least the label's lower limit.
    #[serde(skip_serializing_if = "Option::is_none")]
    chance_percent: Option<f64>,
    /// How much of the rating could be missing without being seen.
    #[serde(skip_serializing_if = "Option::is_none")]
    hidden_shortfall_percent: Option<f64>,
    /// Between what the light and the cells were taken to lie: least and most.
    #[serde(skip_serializing_if = "Option::is_none")]
    bounds: Option<BoundsAnswer>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct BoundsAnswer {
    poa_w_m2: [f64; 2],
    cell_c: [f64; 2],
}

/// A level of a rating or of a comparison.
#[derive(Debug, Serialize, ToSchema)]
#[serde(untagged)]
pub enum LevelAnswer {
    Rated(Box<RatedLevelAnswer>),
    Compared(Box<ComparedLevelAnswer>),
}

/// A panel, or panels, against the label.
#[derive(Debug, Serialize, ToSchema)]
pub struct RatedLevelAnswer {
    level: usize,
    letter: String,
    name: String,
    /// Its panels in one line.
    panel: String,
    verdict: &'static str,
    #[serde(flatten)]
    percent: PercentAnswer,
    /// Its place among the levels that can be ranked; the best that it can have, and the worst.
    rank: usize,
    rank_low: usize,
    rank_high: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    at_stc_w: Option<f64>,
    /// In the bench's currency.
    #[serde(skip_serializing_if = "Option::is_none")]
    price_per_w: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    u_price_per_w: Option<f64>,
    /// Of a used panel: keep, with limits, reject.
    #[serde(skip_serializing_if = "Option::is_none")]
    grade: Option<&'static str>,
    /// Of the label's.
    #[serde(skip_serializing_if = "Option::is_none")]
    voc_percent: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    isc_percent: Option<f64>,
}

/// A level against the baseline.
#[derive(Debug, Serialize, ToSchema)]
pub struct ComparedLevelAnswer {
    level: usize,
    letter: Option<String>,
    name: Option<String>,
    percent: f64,
    u_percent: f64,
    low_percent: f64,
    /// Null of what a limit held back.
    high_percent: Option<f64>,
    verdict: &'static str,
    /// Of `no_difference_over`: the difference that would have shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    within_percent: Option<f64>,
    rank: Option<usize>,
    rank_low: Option<usize>,
    rank_high: Option<usize>,
    /// As read, in `unit`.
    mean: f64,
    unit: &'static str,
    runs: usize,
    is_bracketed: bool,
    /// Where it was compared at several hours: each hour, and the day where they make one.
    #[serde(skip_serializing_if = "Option::is_none")]
    hours: Option<Vec<HourAnswer>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    day: Option<OfSumAnswer>,
    #[serde(flatten)]
    sides: SidesAnswer,
    #[serde(skip_serializing_if = "Option::is_none")]
    price_per_w: Option<f64>,
}

/// What a controller that was read on both sides does.
#[derive(Debug, Default, Serialize, ToSchema)]
pub struct SidesAnswer {
    #[serde(skip_serializing_if = "Option::is_none")]
    efficiency_percent: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    operating: Option<String>,
    /// Null where the readings do not tell.
    #[serde(skip_serializing_if = "Option::is_none")]
    is_tracking: Option<Option<bool>>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct HourAnswer {
    at_utc: Option<String>,
    percent: f64,
    u_percent: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct OfSumAnswer {
    percent: f64,
    u_percent: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct LevelOfSumAnswer {
    level: usize,
    percent: f64,
    u_percent: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PairAnswer {
    level: usize,
    /// The level that is 100 %.
    of: usize,
    percent: f64,
    u_percent: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct BaselineAnswer {
    mean: f64,
    /// Half the 95 % interval of the mean.
    u: f64,
    unit: &'static str,
    name: String,
    #[serde(flatten)]
    sides: SidesAnswer,
}

/// Something that the readings show about themselves.
#[derive(Debug, Serialize, ToSchema)]
pub struct NamedAnswer {
    code: &'static str,
    evidence: String,
    to_do: &'static str,
    /// `left_out`, `widens`, `bounds`, `forbids` or `told`.
    effect: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    level: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    level_name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reading_uid: Option<String>,
}

/// A reading that does not count.
#[derive(Debug, Serialize, ToSchema)]
pub struct LeftOutAnswer {
    reading_uid: String,
    code: &'static str,
    why: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PredictionAnswer {
    levels: Vec<PredictedLevelAnswer>,
    construction: &'static str,
    /// The better of two wirings.
    better: Option<&'static str>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PredictedLevelAnswer {
    level: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    percent: Option<f64>,
    /// With what was measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    agrees: Option<bool>,
    /// Why nothing can be predicted.
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<String>,
}

/// The whole answer.
pub fn answer(evaluated: &Evaluated<'_>) -> AssessmentAnswer {
    let of = of_record(evaluated, &evaluated.recorded.record, &evaluated.assessment);
    let Some(open) = &evaluated.recorded.open else {
        return AssessmentAnswer { of, states: None, answers: None, next: None };
    };
    let letter = |at: usize| open.states[at].letter.clone();
    let answers = evaluated.answers();
    let one = |(one, assessment): &(&open::Answered, Assessment<'_>)| OpenAnswer {
        of: of_record(evaluated, &one.record, assessment),
        states: one.states.iter().map(|at| letter(*at)).collect(),
        baseline_state: letter(one.states[0]),
    };
    let acts = next_acts(&open.entered, open.turn.as_ref().map(|(_, turn)| turn), &open.states, &answers);
    let next = acts.iter().map(|act| NextAnswer { act: words::open::act(act), brings: words::open::brings(act) });
    AssessmentAnswer {
        of: QuestionAnswer { question: "open", ..of },
        states: Some(open.states.iter().map(state).collect()),
        answers: Some(answers.iter().map(one).collect()),
        next: Some(next.collect()),
    }
}

fn state(state: &open::State) -> StateAnswer {
    StateAnswer { letter: state.letter.clone(), name: words::open::state(&state.conditions), runs: state.run_ids.len() }
}

/// One assessment of a record.
fn of_record(evaluated: &Evaluated<'_>, record: &TestRecord, assessment: &Assessment<'_>) -> QuestionAnswer {
    let left_out = assessment.readings.iter().flat_map(|reading| {
        reading.left_out.iter().map(|reason| LeftOutAnswer {
            reading_uid: reading.uid.clone(),
            code: reason.code(),
            why: words::advice(reason).why,
        })
    });
    let answer = match assessment.outcome.comparison() {
        None => rating(assessment),
        Some(Ok(found)) => comparison(assessment, found),
        Some(Err(why)) => not_yet(assessment, *why),
    };
    QuestionAnswer {
        question: assessment.question.name(),
        headline: evaluated.headline_of(record, assessment),
        named: assessment.named.iter().map(|one| named(one, assessment)).collect(),
        left_out: left_out.collect(),
        settles: assessment.settles.iter().map(words::settle::settle).collect(),
        predicted: assessment.prediction.as_ref().map(predicted),
        ..answer
    }
}

fn named(one: &Named, assessment: &Assessment<'_>) -> NamedAnswer {
    let words::Advice { why, to_do } = words::finding::finding(&one.finding);
    NamedAnswer {
        code: one.finding.code(),
        evidence: why,
        to_do,
        effect: effect(one.effect),
        level: one.level,
        level_name: one.level.and_then(|level| assessment.level(level)).map(|level| level.name.clone()),
        reading_uid: one.reading_uid.clone(),
    }
}

fn effect(effect: Effect) -> &'static str {
    match effect {
        Effect::LeftOut => "left_out",
        Effect::Widens => "widens",
        Effect::Bounds => "bounds",
        Effect::Forbids => "forbids",
        Effect::Told => "told",
    }
}

/// About a percent; nothing lies below 0.
fn about(percent: f64, u_percent: f64) -> PercentAnswer {
    PercentAnswer {
        percent: Some(percent),
        u_percent: Some(u_percent),
        low_percent: Some((percent - u_percent).max(0.0)),
        high_percent: Some(percent + u_percent),
        ..PercentAnswer::default()
    }
}

fn of_rating(rating: &RatingResult) -> PercentAnswer {
    if let Some(pmax) = &rating.pmax {
        return PercentAnswer {
            chance_percent: rating.conformity.map(|conformity| conformity.chance * 100.0),
            hidden_shortfall_percent: rating.conformity.map(|conformity| conformity.hidden_shortfall_percent),
            ..about(pmax.percent, pmax.u_percent)
        };
    }
    let Some(bounds) = rating.bounds else { return PercentAnswer::default() };
    PercentAnswer {
        low_percent: Some(bounds.low_percent),
        high_percent: Some(bounds.high_percent),
        bounds: Some(BoundsAnswer {
            poa_w_m2: [bounds.poa_w_m2.0, bounds.poa_w_m2.1],
            cell_c: [bounds.cell_c.0, bounds.cell_c.1],
        }),
        ..PercentAnswer::default()
    }
}

fn rating(assessment: &Assessment<'_>) -> QuestionAnswer {
    let has_levels = assessment.levels.len() > 1 || assessment.graded(0).is_some();
    let levels = assessment.levels.iter().filter(|_| has_levels);
    QuestionAnswer {
        verdict: assessment.rating_verdict(0).name(),
        compared: Some("power_w"),
        percent: assessment.rating().map(of_rating).unwrap_or_default(),
        levels: levels.map(|level| LevelAnswer::Rated(Box::new(rated_level(assessment, level)))).collect(),
        ..QuestionAnswer::default()
    }
}

fn rated_level(assessment: &Assessment<'_>, level: &AssessedLevel<'_>) -> RatedLevelAnswer {
    let used = assessment.graded(level.level);
    RatedLevelAnswer {
        level: level.level,
        letter: level.letter.clone(),
        name: level.name.clone(),
        panel: level.subject.line(),
        verdict: assessment.rating_verdict(level.level).name(),
        percent: of_rating(&level.rating),
        rank: level.place,
        rank_low: level.place,
        rank_high: level.place_high,
        at_stc_w: level.rating.pmax.as_ref().zip(level.subject.rated_w()).map(|(pmax, rated_w)| pmax.percent / 100.0 * rated_w),
        price_per_w: level.price_per_w.map(|(price, _)| price),
        u_price_per_w: level.price_per_w.map(|(_, u)| u),
        grade: used.map(|used| used.grade.name()),
        voc_percent: used.and_then(|used| used.voc_rel).map(|rel| rel * 100.0),
        isc_percent: used.and_then(|used| used.isc_rel).map(|rel| rel * 100.0),
    }
}

fn sides(sides: &BothSides) -> SidesAnswer {
    let is_tracking = match sides.operating {
        TrackingFinding::Tracking { .. } => Some(true),
        TrackingFinding::NotTracking { .. } => Some(false),
        TrackingFinding::Impossible { .. }
        | TrackingFinding::Standby
        | TrackingFinding::Throttled { .. }
        | TrackingFinding::Clipped
        | TrackingFinding::Unclear { .. } => None,
    };
    SidesAnswer {
        efficiency_percent: Some(sides.efficiency * 100.0),
        operating: Some(words::controller::operating(sides)),
        is_tracking: Some(is_tracking),
    }
}

/// The answer of one hour of a comparison that was made at several.
fn hour((at_s, of): &(f64, Difference)) -> HourAnswer {
    let at_utc = Timestamp::from_second(*at_s as i64).map(|at| at.to_string()).ok();
    HourAnswer { at_utc, percent: of.percent, u_percent: of.u_percent }
}

fn not_yet(assessment: &Assessment<'_>, why: NoComparison) -> QuestionAnswer {
    let level = match why {
        NoComparison::LeftOut { level, .. } => level,
        NoComparison::NoBaseline | NoComparison::NoLevel | NoComparison::NothingInCommon | NoComparison::Exchange => 0,
    };
    QuestionAnswer {
        verdict: LevelVerdict::CantTell.name(),
        why: Some(words::headline::not_yet(why, &assessment.levels[level].name)),
        ..QuestionAnswer::default()
    }
}

fn comparison(assessment: &Assessment<'_>, found: &Comparison) -> QuestionAnswer {
    // The verdict of the whole is that of its only level; with several each has its own.
    let only = if let [only] = &found.levels[..] { Some(&only.difference) } else { None };
    let of_sum = found.of_sum();
    let percent = match (of_sum, only) {
        (Some(one), _) => about(one.percent, one.u_percent),
        (None, Some(one)) => about(one.percent, one.u_percent),
        (None, None) => PercentAnswer::default(),
    };
    let baseline = &assessment.levels[0];
    let pairs = found.pairs.iter().map(|(level, other, one)| PairAnswer {
        level: *level,
        of: *other,
        percent: one.percent,
        u_percent: one.u_percent,
    });
    let sums = found.sums.iter().map(|one| LevelOfSumAnswer { level: one.level, percent: one.percent, u_percent: one.u_percent });
    QuestionAnswer {
        verdict: only.map_or("see_levels", |one| assessment.level_verdict(one.level).name()),
        compared: Some(found.compared.name()),
        meters: Some(found.meters.name()),
        percent,
        levels: found.levels.iter().map(|one| LevelAnswer::Compared(Box::new(compared_level(assessment, found, one)))).collect(),
        pairs: Some(pairs.collect()),
        in_percent: Some(!found.is_absolute),
        baseline: Some(BaselineAnswer {
            mean: found.baseline.0,
            u: found.baseline.1,
            unit: found.compared.unit(),
            name: baseline.name.clone(),
            sides: baseline.sides.as_ref().map(sides).unwrap_or_default(),
        }),
        of_sum: of_sum.map(|one| OfSumAnswer { percent: one.percent, u_percent: one.u_percent }),
        sums: of_sum.map(|_| sums.collect()),
        ..QuestionAnswer::default()
    }
}

fn compared_level(assessment: &Assessment<'_>, found: &Comparison, one: &Level) -> ComparedLevelAnswer {
    let difference = &one.difference;
    let verdict = assessment.level_verdict(difference.level);
    let level = assessment.level(difference.level);
    let ranked = found.ranked(difference.level);
    let hours = assessment.hours.iter().find(|of| of.level == difference.level);
    let is_at_least = matches!(verdict, LevelVerdict::AtLeast { .. });
    ComparedLevelAnswer {
        level: difference.level,
        letter: level.map(|level| level.letter.clone()),
        name: level.map(|level| level.name.clone()),
        percent: difference.percent,
        u_percent: difference.u_percent,
        low_percent: (difference.percent - difference.u_percent).max(0.0),
        high_percent: (!is_at_least).then_some(difference.percent + difference.u_percent),
        verdict: verdict.name(),
        within_percent: if let LevelVerdict::NoDifferenceOver { within_percent } = verdict { Some(within_percent) } else { None },
        rank: ranked.map(|one| one.low),
        rank_low: ranked.map(|one| one.low),
        rank_high: ranked.map(|one| one.high),
        mean: one.mean,
        unit: found.compared.unit(),
        runs: difference.runs,
        is_bracketed: difference.is_bracketed,
        hours: hours.map(|of| of.hours.iter().map(hour).collect()),
        day: hours.and_then(|of| of.day).map(|day| OfSumAnswer { percent: day.percent, u_percent: day.u_percent }),
        sides: level.and_then(|level| level.sides.as_ref()).map(sides).unwrap_or_default(),
        price_per_w: level.and_then(|level| level.price_per_w).map(|(price, _)| price),
    }
}

fn predicted(prediction: &Prediction) -> PredictionAnswer {
    let levels = prediction.levels.iter().map(|one| match &one.percent {
        Ok(percent) => PredictedLevelAnswer { level: one.level, percent: Some(*percent), agrees: Some(one.agrees), why: None },
        Err(why) => PredictedLevelAnswer { level: one.level, percent: None, agrees: None, why: Some(why.to_string()) },
    });
    PredictionAnswer {
        levels: levels.collect(),
        construction: prediction.construction.name(),
        better: prediction.better.map(|better| better.name()),
    }
}
