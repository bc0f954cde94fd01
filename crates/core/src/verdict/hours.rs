//! A comparison that was made at several hours of a day: an answer for each of them, and one for the day.

use super::assessment::AssessedLevel;
use super::comparison::{Method, RunTaken, compare};
use super::estimate::Difference;
use crate::record::order::Order;
use crate::sky::course::{Moment, Site};
use crate::sky::plane::Plane;
use crate::verdict::assessment::{OfDay, OfHours};

/// Runs with more than this between them are of different hours, s. Common practice, no source: within an hour the sun's angle changes by
/// 15 degrees at most.
const APART_S: f64 = 3600.0;

/// The day is followed in steps of this, s.
const STEP_S: f64 = 600.0;

/// The levels that were compared at two hours or more; none for a test of one hour.
pub(super) fn of_hours(runs: &[RunTaken<'_>], method: &Method<'_>, levels: &[AssessedLevel<'_>]) -> Vec<OfHours> {
    if !matches!(method.order, Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats) {
        return Vec::new();
    }
    let mut of_time: Vec<(f64, &RunTaken<'_>)> = runs.iter().filter_map(|run| Some((middle_s(run)?, run))).collect();
    of_time.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut groups: Vec<Vec<(f64, &RunTaken<'_>)>> = Vec::new();
    for one in of_time {
        match groups.last_mut() {
            Some(group) if group.last().is_some_and(|last| one.0 - last.0 <= APART_S) => group.push(one),
            _ => groups.push(vec![one]),
        }
    }
    if groups.len() < 2 {
        return Vec::new();
    }
    let answered: Vec<(f64, Vec<Difference>)> = groups
        .iter()
        .filter_map(|group| {
            let own: Vec<RunTaken<'_>> = group.iter().map(|(_, run)| (*run).clone()).collect();
            let found = compare(&own, method).ok()?;
            let at_s = group.iter().map(|(at_s, _)| at_s).sum::<f64>() / group.len() as f64;
            Some((at_s, found.levels.into_iter().map(|one| one.difference).collect()))
        })
        .collect();
    let day_of_year = runs.iter().flat_map(|run| &run.readings).map(|taken| taken.day_of_year).next().unwrap_or(1.0);
    let of_level = |one: &AssessedLevel<'_>| {
        let hours: Vec<(f64, Difference)> = answered
            .iter()
            .filter_map(|(at_s, found)| Some((*at_s, found.iter().find(|of| of.level == one.level)?.clone())))
            .collect();
        let planes = (method.setup.plane(), one.subject.setup.plane());
        let day = method.site.and_then(|site| of_day(&hours, site, planes, day_of_year));
        (hours.len() > 1).then_some(OfHours { level: one.level, hours, day })
    };
    levels.iter().filter(|one| one.level > 0).filter_map(of_level).collect()
}

fn middle_s(run: &RunTaken<'_>) -> Option<f64> {
    let count = run.readings.len();
    (count > 0).then(|| run.readings.iter().map(|taken| taken.unix_s).sum::<f64>() / count as f64)
}

/// Joined by the sun's course.
///
/// With `m(t)` the ratio of the clear light on the level's plane to that on the baseline's (1 where only the baseline's plane is in it),
/// every hour gives `k = measured / m`. Between hours `k` runs straight, outside it stays. Over a day of baseline light `B(t)` the level
/// gives `sum k m B / sum B`: a weighted sum of the hours' answers, whose intervals propagate with the weights (JCGM 100:2008, 5.1.2).
/// That `k` runs straight is a model: half of what it changes from hour to hour is taken as its limit.
fn of_day(hours: &[(f64, Difference)], site: &Site, (own, other): (Plane, Plane), day_of_year: f64) -> Option<OfDay> {
    let noon_s = (hours.first()?.0 / 86_400.0).floor() * 86_400.0 + 43_200.0 - site.place.lon_deg / 15.0 * 3600.0;
    let light = |at_s: f64| {
        let moment = Moment::at(site, at_s, day_of_year).ok()?;
        let base = moment.on(&own).poa_w_m2;
        (base > 1.0).then(|| (base, moment.on(&other).poa_w_m2 / base))
    };
    let factors: Vec<(f64, f64, f64)> = hours
        .iter()
        .map(|(at_s, one)| {
            let (_, ratio) = light(*at_s)?;
            Some((*at_s, one.percent / ratio, one.u_percent / ratio))
        })
        .collect::<Option<_>>()?;
    let mut weights = vec![0.0; factors.len()];
    let mut whole = 0.0;
    let steps = (86_400.0 / STEP_S) as i32;
    for (at_s, (base, ratio)) in
        (0..steps).map(|step| noon_s - 43_200.0 + f64::from(step) * STEP_S).filter_map(|at_s| Some((at_s, light(at_s)?)))
    {
        whole += base;
        for (weight, share) in weights.iter_mut().zip(shares_at(&factors, at_s)) {
            *weight += share * ratio * base;
        }
    }
    if whole <= 0.0 {
        return None;
    }
    weights.iter_mut().for_each(|weight| *weight /= whole);
    let sum = |of: fn(&(f64, f64, f64)) -> f64| factors.iter().zip(&weights).map(|(one, weight)| weight * of(one)).sum::<f64>();
    let percent = sum(|one| one.1);
    let measured = factors.iter().zip(&weights).map(|(one, weight)| (weight * one.2).powi(2)).sum::<f64>();
    let (low, high) = factors.iter().fold((f64::MAX, f64::MIN), |(low, high), one| (low.min(one.1), high.max(one.1)));
    let of_model = (high - low) / 2.0 * weights.iter().sum::<f64>() / 3_f64.sqrt() * 2.0;
    Some(OfDay { percent, u_percent: measured.sqrt().hypot(of_model) })
}

/// How much of each hour stands for a moment: straight between two, whole beyond the first and the last.
fn shares_at(factors: &[(f64, f64, f64)], at_s: f64) -> Vec<f64> {
    let mut shares = vec![0.0; factors.len()];
    let after = factors.iter().position(|one| one.0 >= at_s);
    match after {
        None => shares[factors.len() - 1] = 1.0,
        Some(0) => shares[0] = 1.0,
        Some(next) => {
            let (from, to) = (factors[next - 1].0, factors[next].0);
            let share = (at_s - from) / (to - from);
            (shares[next - 1], shares[next]) = (1.0 - share, share);
        }
    }
    shares
}
