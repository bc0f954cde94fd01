//! What would settle a test: the cheapest next act that would bring a verdict, computed from its budget.

use super::assessment::{Assessment, Outcome};
use super::condition::{SunFrom, place_limit_k};
use super::conformity::{LevelVerdict, RatingVerdict, TELLING_U_PERCENT};
use super::estimate::{Difference, Source};
use super::finding::{Effect, Finding, Named};
use super::rating::RatingResult;
use super::reason::Reason;
use super::reference::promised_u_rel;
use crate::constants::{STC_CELL_C, STC_POA_W_M2};
use crate::measure::budget::{Budget, Cause, Part};
use crate::measure::coverage::t_factor;
use crate::measure::instrument::standard_from_limit;
use crate::record::order;
use crate::record::plan::Plan;
use crate::record::setup::{CellTemperatureSource, Setup};
use crate::record::test::TestRecord;
use crate::sky::note::SkyNote;
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
        Outcome::Rating => acts.extend(of_rating(assessment, &record.setup)),
        Outcome::Comparison(found) | Outcome::Sum(found) | Outcome::Totals(found) => match found {
            Err(super::comparison::NoComparison::NoBaseline) => acts.push(Settle::only(Act::ReadBaseline)),
            Err(super::comparison::NoComparison::NoLevel) => acts.push(Settle::only(Act::ReadLevel)),
            Err(super::comparison::NoComparison::NothingInCommon) => acts.push(Settle::only(Act::ReadUnderLoad)),
            Err(super::comparison::NoComparison::Exchange) => {}
            Err(super::comparison::NoComparison::LeftOut { level, .. }) => {
                let of_level = |one: &&Named| one.effect == Effect::LeftOut && one.level == Some(*level);
                acts.extend(assessment.named.iter().filter(of_level).filter_map(|one| of_finding(&one.finding)));
                acts.push(Settle::only(if *level == 0 { Act::ReadBaseline } else { Act::ReadLevel }));
            }
            Ok(found) => {
                let open = found.levels.iter().filter(|one| {
                    !matches!(one.verdict, LevelVerdict::More | LevelVerdict::Less) && one.difference.percent > 0.0
                });
                acts.extend(open.filter_map(|one| of_difference(&one.difference, record.plan.as_ref())));
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

/// Beyond so many degrees of freedom Student's factor is the normal one.
const MOST_DOF: f64 = 1e6;

/// The variance of a difference in the two parts that acts change differently, percent squared.
#[derive(Debug, Clone, Copy)]
struct Spread {
    /// Of limits and models: more runs leave it as it is.
    fixed: f64,
    /// Of runs and readings: more runs lessen it.
    scatter: f64,
    /// Degrees of freedom of the scatter.
    dof: f64,
}

impl Spread {
    /// The degrees of freedom of the scatter alone are found by Welch and Satterthwaite (JCGM 100:2008, G.4.1), in which only the scatter
    /// has finite ones: those of the whole are `dof (total / scatter)^2`.
    fn of(one: &Difference) -> Self {
        let var = |source: Source| one.parts.iter().filter(|(of, _)| *of == source).map(|(_, u)| u * u).sum::<f64>();
        let scatter = var(Source::SetUp) + var(Source::Repeat);
        let total: f64 = one.parts.iter().map(|(_, u)| u * u).sum();
        let share = if total > 0.0 { scatter / total } else { 0.0 };
        Spread { fixed: (total - scatter).max(0.0), scatter, dof: (one.dof * share * share).max(1.0) }
    }

    /// Half the interval of this coverage, percent. What is left after an act has degrees of freedom of its own: fewer where fixed parts
    /// go.
    fn half_width(self, coverage: f64) -> f64 {
        let total = self.fixed + self.scatter;
        let dof = if self.scatter > 0.0 { self.dof * (total / self.scatter).powi(2) } else { MOST_DOF };
        t_factor(coverage, dof.clamp(2.0, MOST_DOF)) * total.sqrt()
    }

    fn without(self, var: f64) -> Self {
        Spread { fixed: (self.fixed - var).max(0.0), ..self }
    }

    /// After the runs of the plan `times` in all: the variance of the difference of two means falls with the number of runs of each.
    fn repeated(self, plan: Option<&Plan>, level: usize, times: usize) -> Self {
        let share = |times: usize| {
            let Some(plan) = plan else { return 1.0 / times as f64 };
            let slots = order::runs(plan.order, plan.levels.len(), times);
            let count = |of: usize| slots.iter().filter(|slot| slot.level == of).count().max(1) as f64;
            1.0 / count(0) + 1.0 / count(level)
        };
        let now = plan.map_or(1, |plan| plan.times);
        // An estimate of few degrees of freedom is rather too small than too large: given it, the variance is expected to be
        // dof / (dof - 2) of it (the mean of the scaled inverse chi-squared distribution; Gelman et al. 2013, Bayesian Data Analysis, A.1),
        // which has no mean under 3.
        let expected = self.scatter * self.dof / (self.dof - 2.0).max(1.0);
        Spread { scatter: expected * share(times) / share(now), ..self }
    }
}

/// The act that shrinks the heaviest part of a level's interval: once more where that is scatter, and else what removes it.
fn of_difference(one: &Difference, plan: Option<&Plan>) -> Option<Settle> {
    let spread = Spread::of(one);
    let times = plan.map_or(1, |plan| plan.times);
    let repeated = |times: usize| Settle {
        act: Act::Repeat { times },
        u_percent: Some(spread.repeated(plan, one.level, times).half_width(0.95)),
    };
    let off = (one.percent - 100.0).abs();
    let needed = (times + 1..=MOST_TIMES).find(|more| off > spread.repeated(plan, one.level, *more).half_width(0.99));
    if let Some(more) = needed {
        return Some(repeated(more));
    }
    let (source, u) = *one.parts.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let (act, left) = match source {
        Source::SetUp | Source::Repeat => return Some(repeated(times + 1)),
        // One more digit leaves a tenth.
        Source::Step | Source::Digits => (Act::FinerDisplay, spread.without(0.99 * u * u)),
        Source::Gain => (Act::SameMeter, spread.without(u * u)),
        Source::Sky => (Act::SteadySky, spread.without(u * u)),
        Source::CellTemperature => (Act::ReadCellTemperature, spread.without(u * u)),
    };
    Some(Settle { act, u_percent: Some(left.half_width(0.95)) })
}

fn of_rating(assessment: &Assessment<'_>, setup: &Setup) -> Vec<Settle> {
    let mut acts = Vec::new();
    for level in &assessment.levels {
        let verdict = assessment.rating_verdict(level.level);
        if matches!(verdict, RatingVerdict::Makes | RatingVerdict::Below | RatingVerdict::Above) {
            continue;
        }
        match &level.rating.pmax {
            Some(pmax) if verdict != RatingVerdict::CantTell || pmax.u_percent > TELLING_U_PERCENT => {
                let taken = HowTaken::of(&level.rating, setup);
                acts.extend(taken.iter().flat_map(|taken| of_budget(&pmax.budget, pmax.percent, taken)));
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
        Reason::NoLabel => Act::GiveLabel,
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

/// An act narrows a rating's interval enough to be worth telling: by this share of it at least.
const WORTH_REL: f64 = 0.05;

/// What narrows a rating's interval: the act that narrows it most, and the cheapest other that is worth it, the cheaper first. Nothing is
/// promised by what is there already: a reference by a test that has one.
fn of_budget(budget: &Budget, percent: f64, taken: &HowTaken<'_>) -> Vec<Settle> {
    let now_rel = budget.combined_rel();
    let mut acts: Vec<(usize, Act, f64)> = Vec::new();
    for part in &budget.0 {
        let remedy = remedy(part, budget, taken);
        let var: f64 =
            budget.0.iter().filter(|part| !remedy.lessens.contains(&part.cause)).map(|part| part.u_rel * part.u_rel).sum();
        let then_rel = (var + remedy.left_rel * remedy.left_rel).sqrt();
        let is_known = acts.iter().any(|(_, act, _)| *act == remedy.act);
        if !is_known && then_rel < now_rel * (1.0 - WORTH_REL) {
            acts.push((remedy.cost, remedy.act, then_rel));
        }
    }
    acts.sort_by_key(|(cost, ..)| *cost);
    let best = acts.iter().enumerate().min_by(|a, b| a.1.2.total_cmp(&b.1.2)).map(|(nth, _)| nth);
    let told = |(nth, _): &(usize, &(usize, Act, f64))| *nth == 0 || Some(*nth) == best;
    // Twice the standard uncertainty, as the intervals of many readings.
    acts.iter()
        .enumerate()
        .filter(told)
        .map(|(_, (_, act, then))| Settle { act: *act, u_percent: Some(2.0 * then * percent) })
        .collect()
}

/// Light and temperature of the readings of a rating, and with what they were taken.
struct HowTaken<'a> {
    setup: &'a Setup,
    poa_w_m2: f64,
    cell_c: f64,
    /// The light is that of a clear sky which nobody noted as one.
    is_sky_unnoted: bool,
}

impl<'a> HowTaken<'a> {
    /// In means over the readings that count; `None` without one.
    fn of(rating: &RatingResult, setup: &'a Setup) -> Option<Self> {
        let points: Vec<_> = rating.readings.iter().filter_map(|reading| reading.pmax.as_ref()).collect();
        let count = points.len() as f64;
        (count > 0.0).then(|| HowTaken {
            setup,
            poa_w_m2: points.iter().map(|point| point.condition.poa_w_m2).sum::<f64>() / count,
            cell_c: points.iter().map(|point| point.condition.cell_c).sum::<f64>() / count,
            is_sky_unnoted: points.iter().any(|point| matches!(point.sun_from, SunFrom::ClearSky { note: None })),
        })
    }
}

/// Light and cells that are called strong and cool in an advice: what is within reach around noon, and on a cool morning.
const STRONG_W_M2: f64 = 950.0;
const COOL_C: f64 = 35.0;

/// What lessens a part of a budget.
struct Remedy {
    act: Act,
    lessens: Vec<Cause>,
    /// What is left of all of those together, as a share.
    left_rel: f64,
    /// Acts of fewer minutes and less money come first.
    cost: usize,
}

fn remedy(part: &Part, budget: &Budget, taken: &HowTaken<'_>) -> Remedy {
    let sum = |causes: &[Cause]| {
        budget.0.iter().filter(|part| causes.contains(&part.cause)).map(|part| part.u_rel * part.u_rel).sum::<f64>().sqrt()
    };
    let of = |act, lessens: &[Cause], left_rel, cost| Remedy { act, lessens: lessens.to_vec(), left_rel, cost };
    match part.cause {
        // Four times as many halve what scatters alone.
        Cause::Scatter => of(Act::Repeat { times: 4 }, &[Cause::Scatter], part.u_rel / 2.0, 0),
        // Both grow with how far light and cells are from those of STC.
        Cause::Linearity => {
            let left = ((STC_POA_W_M2 - STRONG_W_M2) / (STC_POA_W_M2 - taken.poa_w_m2).abs()).min(1.0);
            of(Act::WaitForSun { poa_w_m2: STRONG_W_M2 }, &[Cause::Linearity], part.u_rel * left, 2)
        }
        Cause::Coefficient => {
            let left = ((COOL_C - STC_CELL_C) / (taken.cell_c - STC_CELL_C).abs()).min(1.0);
            of(Act::CoolerCells { cell_c: COOL_C }, &[Cause::Coefficient], part.u_rel * left, 2)
        }
        Cause::Thermometer | Cause::CellPlace => {
            let both = [Cause::Thermometer, Cause::CellPlace];
            let thermometer_k = taken.setup.instruments.thermometer_k;
            let limit_k = |of: CellTemperatureSource| place_limit_k(of).hypot(thermometer_k);
            // Of a probe that is there already, nothing less is promised.
            let left = limit_k(CellTemperatureSource::BackProbe) / limit_k(taken.setup.cell_temperature);
            of(Act::BackProbe, &both, sum(&both) * left.min(1.0), 3)
        }
        // One more digit leaves a tenth.
        Cause::Steps | Cause::Wander => of(Act::FinerDisplay, &[part.cause], part.u_rel / 10.0, 4),
        Cause::Voltmeter | Cause::Ammeter | Cause::Wattmeter | Cause::Tracking => {
            let meters = [Cause::Voltmeter, Cause::Ammeter, Cause::Wattmeter, Cause::Tracking];
            of(Act::BetterMeter, &meters, sum(&meters) / 3.0, 5)
        }
        Cause::SkyModel if taken.is_sky_unnoted => {
            let left = SkyNote::Clear.model_limit_rel().map_or(part.u_rel, standard_from_limit);
            of(Act::NoteClearSky, &[Cause::SkyModel], left, 1)
        }
        Cause::SunMeter | Cause::SunPlane | Cause::Transposition | Cause::Rear | Cause::SkyModel => {
            let light = [Cause::SunMeter, Cause::SunPlane, Cause::Transposition, Cause::Rear, Cause::SkyModel];
            of(Act::ReferenceInPlane, &light, promised_u_rel(REFERENCE_LIMIT_REL, &taken.setup.instruments), 6)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::order::Order;
    use crate::record::plan::{self, PlanTyped};
    use crate::record::setup::Load;

    fn aba(times: usize) -> Plan {
        let names = crate::record::names::Names::default();
        let typed = PlanTyped {
            question: "improvements".into(),
            baseline: "as found".into(),
            levels: "thick lead".into(),
            order: Order::Aba.name().into(),
            times: times.to_string(),
            ..PlanTyped::default()
        };
        plan::older(&typed, Load::LoadTester, &names)
    }

    /// By hand: one run of a level between two of its baseline scatters by s^2 (1 + 1/2); twice, two runs among three, by s^2 (1/2 + 1/3).
    /// With s = 1 and 10 degrees of freedom, of which 10 / 8 of the variance is expected: 5/6 x 1.25 = 1.0417. The fixed part stays.
    #[test]
    fn repeats_lessen_what_their_runs_really_add() {
        let spread = Spread { fixed: 0.7, scatter: 1.5, dof: 10.0 };
        let twice = spread.repeated(Some(&aba(1)), 1, 2);
        assert!((twice.scatter - 1.0417).abs() < 1e-4 && twice.fixed == 0.7, "{twice:?}");
        // 10 (1.7 / 1.0)^2 are 28.9 degrees of freedom; Student's factor of a table for 29 is 2.0452.
        let half = Spread { fixed: 0.7, scatter: 1.0, dof: 10.0 }.half_width(0.95);
        assert!((half - 2.0455 * 1.7_f64.sqrt()).abs() < 2e-3, "{half}");
        // Nothing scatters: the normal factor.
        let fixed = Spread { fixed: 1.0, scatter: 0.0, dof: 1.0 }.half_width(0.95);
        assert!((fixed - 1.96).abs() < 1e-3, "{fixed}");
    }
}
