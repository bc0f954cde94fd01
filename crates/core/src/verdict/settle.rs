//! What would settle a test: the cheapest next act that would bring a verdict, computed from its budget.

use super::assessment::{Assessment, Outcome};
use super::conformity::{LevelVerdict, RatingVerdict, TELLING_U_PERCENT};
use super::estimate::{Difference, Source};
use super::finding::{Effect, Finding};
use super::reason::Reason;
use crate::measure::budget::{Budget, Cause};
use crate::measure::coverage::t_factor;
use crate::record::test::TestRecord;
use crate::verdict::assessment::{Act, Settle};

impl Settle {
    fn only(act: Act) -> Self {
        Settle { act, u_percent: None }
    }
}

/// More brackets than these are another day's test.
const MOST_TIMES: usize = 6;

/// What would settle it; nothing where it is settled.
pub fn settles(record: &TestRecord, assessment: &Assessment<'_>) -> Vec<Settle> {
    let mut acts: Vec<Settle> =
        assessment.named.iter().filter(|one| one.effect == Effect::Forbids).filter_map(|one| of_finding(&one.finding)).collect();
    match &assessment.outcome {
        Outcome::Rating => acts.extend(of_rating(assessment)),
        Outcome::Comparison(found) | Outcome::Sum(found) | Outcome::Totals(found) => match found {
            Err(super::comparison::NoComparison::NoBaseline) => acts.push(Settle::only(Act::ReadBaseline)),
            Err(super::comparison::NoComparison::NoLevel) => acts.push(Settle::only(Act::ReadLevel)),
            Err(super::comparison::NoComparison::NothingInCommon) => acts.push(Settle::only(Act::ReadUnderLoad)),
            Err(super::comparison::NoComparison::Exchange) => {}
            Ok(found) => {
                let open = found.levels.iter().filter(|one| {
                    !matches!(one.verdict, LevelVerdict::More | LevelVerdict::Less) && one.difference.percent > 0.0
                });
                let times = record.plan.as_ref().map_or(1, |plan| plan.times);
                acts.extend(open.filter_map(|one| of_difference(&one.difference, times)));
            }
        },
    }
    let mut once: Vec<Settle> = Vec::new();
    for act in acts {
        if !once.iter().any(|known| known.act == act.act) {
            once.push(act);
        }
    }
    once
}

fn of_finding(finding: &Finding) -> Option<Settle> {
    let act = match finding {
        Finding::Capped { .. } | Finding::NotTracking { .. } | Finding::ControllerAsleep { .. } => Act::RemoveLimit,
        Finding::NotAtMaximum { off, .. } if off.or_substrings_out.is_some() => Act::ReadVoc,
        Finding::NotAtMaximum { .. } => Act::ReadAtMaximum,
        Finding::AmpsAlone { .. } => Act::ReadUnderLoad,
        Finding::Throttled { .. } => Act::DrainBattery,
        Finding::SkyUnsteady { .. } | Finding::CloudEdge { .. } => Act::SteadySky,
        Finding::Exchange => Act::ExchangePanels,
        Finding::RearLight { .. } => Act::ReadRear,
        Finding::TwoChanges { .. } => Act::OneChangeARun,
        Finding::SunImpossible { .. } | Finding::SensorNotInPlane { .. } => Act::ReadSun,
        Finding::WeakSun { .. }
        | Finding::OpenTimesShort { .. }
        | Finding::NotAWorkingPoint { .. }
        | Finding::UnitSlip { .. }
        | Finding::Exchanged { .. }
        | Finding::NoVolts { .. }
        | Finding::TooCoarse { .. }
        | Finding::OverUnity { .. }
        | Finding::SubstringOut { .. }
        | Finding::WeakCurrent { .. }
        | Finding::HighResistance { .. }
        | Finding::WrongLabel { .. }
        | Finding::NoOutput { .. }
        | Finding::Shaded { .. }
        | Finding::ShadedUnderLoad { .. }
        | Finding::Mismatch { .. }
        | Finding::Unbracketed { .. }
        | Finding::NotSettled { .. }
        | Finding::SetUpScatter { .. }
        | Finding::Tenfold { .. }
        | Finding::OutOfPattern { .. }
        | Finding::Varied { .. }
        | Finding::Damage => return None,
    };
    Some(Settle::only(act))
}

/// The act that shrinks the heaviest part of a level's interval: once more where that is scatter, and else what removes it.
fn of_difference(one: &Difference, times: usize) -> Option<Settle> {
    let var = |source: Source| one.parts.iter().filter(|(of, _)| *of == source).map(|(_, u)| u * u).sum::<f64>();
    let scatter = var(Source::SetUp) + var(Source::Repeat);
    let fixed: f64 = one.parts.iter().map(|(_, u)| u * u).sum::<f64>() - scatter;
    let off = (one.percent - 100.0).abs();
    let expanded = |var: f64| t_factor(0.95, one.dof.max(2.0)) * var.sqrt();
    let needed = (times + 1..=MOST_TIMES).find(|more| {
        let claimed = t_factor(0.99, one.dof.max(2.0)) * (fixed + scatter * times as f64 / *more as f64).sqrt();
        off > claimed
    });
    if let Some(more) = needed {
        let u_percent = expanded(fixed + scatter * times as f64 / more as f64);
        return Some(Settle { act: Act::Repeat { times: more }, u_percent: Some(u_percent) });
    }
    let heaviest = one.parts.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let act = match heaviest.0 {
        Source::SetUp | Source::Repeat => Act::Repeat { times: times + 1 },
        Source::Step | Source::Digits => Act::FinerDisplay,
        Source::Gain => Act::SameMeter,
        Source::Sky => Act::SteadySky,
        Source::CellTemperature => Act::ReadCellTemperature,
    };
    let u_percent = match heaviest.0 {
        Source::SetUp | Source::Repeat => expanded(fixed + scatter * times as f64 / (times + 1) as f64),
        // One more digit leaves a tenth.
        Source::Step | Source::Digits => expanded((fixed - 0.99 * heaviest.1 * heaviest.1).max(0.0) + scatter),
        Source::Gain | Source::Sky | Source::CellTemperature => expanded((fixed - heaviest.1 * heaviest.1).max(0.0) + scatter),
    };
    Some(Settle { act, u_percent: Some(u_percent) })
}

fn of_rating(assessment: &Assessment<'_>) -> Vec<Settle> {
    let mut acts = Vec::new();
    for level in &assessment.levels {
        let verdict = assessment.rating_verdict(level.level);
        if matches!(verdict, RatingVerdict::Makes | RatingVerdict::Below | RatingVerdict::Above) {
            continue;
        }
        match &level.rating.pmax {
            Some(pmax) if verdict != RatingVerdict::CantTell || pmax.u_percent > TELLING_U_PERCENT => {
                acts.extend(of_budget(&pmax.budget, pmax.percent));
            }
            Some(_) => {}
            None => acts.extend(level.rating.readings.iter().flat_map(|reading| &reading.left_out).filter_map(of_reason)),
        }
    }
    acts
}

fn of_reason(reason: &Reason) -> Option<Settle> {
    let act = match reason {
        Reason::NoSun | Reason::NoPlace | Reason::NoModel { .. } => Act::ReadSun,
        Reason::NoCellTemperature => Act::ReadCellTemperature,
        Reason::NoWatts | Reason::ZeroWatts | Reason::NoQuantity => Act::ReadUnderLoad,
        Reason::FixedVoltage { .. } => Act::RemoveLimit,
        Reason::Found(Finding::WeakSun { .. }) => Act::WaitForSun { poa_w_m2: crate::constants::RATING_MIN_POA_W_M2 },
        Reason::Found(Finding::TooCoarse { .. }) => Act::FinerDisplay,
        Reason::Found(finding) => return of_finding(finding),
        Reason::NoReadings | Reason::Coefficient { .. } | Reason::UncertaintyTooWide { .. } => return None,
    };
    Some(Settle::only(act))
}

/// Irradiance known to this in the plane by a reference panel or cell, as a limit. Common practice, no source.
const REFERENCE_LIMIT_REL: f64 = 0.02;

/// What lessens the heaviest part of a rating's budget.
fn of_budget(budget: &Budget, percent: f64) -> Option<Settle> {
    let heaviest = *budget.heaviest_first().first()?;
    let without = |causes: &[Cause], left: f64| {
        let var: f64 = budget.0.iter().filter(|part| !causes.contains(&part.cause)).map(|part| part.u_rel * part.u_rel).sum();
        2.0 * (var + left * left).sqrt() * percent
    };
    let light = [Cause::SunMeter, Cause::SunPlane, Cause::Transposition, Cause::Rear, Cause::SkyModel];
    let (act, u_percent) = match heaviest.cause {
        Cause::SunMeter | Cause::SunPlane | Cause::Transposition | Cause::Rear | Cause::SkyModel => {
            (Act::ReferenceInPlane, without(&light, REFERENCE_LIMIT_REL / 3_f64.sqrt()))
        }
        Cause::Thermometer | Cause::CellPlace => {
            (Act::BackProbe, without(&[Cause::Thermometer, Cause::CellPlace], heaviest.u_rel / 3.0))
        }
        Cause::Steps | Cause::Wander => (Act::FinerDisplay, without(&[heaviest.cause], heaviest.u_rel / 10.0)),
        Cause::Voltmeter | Cause::Ammeter | Cause::Wattmeter => {
            (Act::FinerDisplay, without(&[heaviest.cause], heaviest.u_rel / 3.0))
        }
        Cause::Scatter => (Act::Repeat { times: 4 }, without(&[Cause::Scatter], heaviest.u_rel / 2.0)),
        Cause::Coefficient | Cause::Linearity | Cause::Tracking => {
            (Act::WaitForSun { poa_w_m2: 950.0 }, without(&[heaviest.cause], heaviest.u_rel / 2.0))
        }
    };
    Some(Settle { act, u_percent: Some(u_percent) })
}
