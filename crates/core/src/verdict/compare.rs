//! The runs of a test compared: each level as percent of its own baseline, with its interval, and a ranking with ties.

use super::condition::Taken;
use crate::measure::instrument::{standard_from_limit, standard_from_step};
use crate::measure::quantity::{Figures, Quantity, Wobble};
use crate::protocol::condition::Factor;
use crate::protocol::drift::{Difference, Run, Sample, brackets, crossover, totals};
use crate::protocol::order::Order;
use crate::protocol::question::Analysis;
use crate::sky::course::{Moment, Site};
use crate::sky::plane::Plane;

/// The readings of one run.
#[derive(Debug, Clone)]
pub struct RunTaken<'a> {
    /// 0 is the baseline.
    pub level: usize,
    pub rig: u8,
    pub readings: Vec<Taken<'a>>,
}

/// How the runs of a test are compared.
#[derive(Debug, Clone, Copy)]
pub struct Method<'a> {
    pub order: Order,
    pub analysis: Analysis,
    /// What the plan varies.
    pub factor: Factor,
    pub wobble: Wobble,
    /// How well one reading repeats, as a share.
    pub repeat_rel: f64,
    /// Of the baseline: the course of a clear sky on it carries the curve of the day.
    pub plane: Plane,
    pub site: Option<&'a Site>,
}

/// Where the light came from that every reading was divided by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LightBy {
    /// Read in the plane with every reading.
    Meter,
    /// The course of a clear sky on the baseline's plane.
    Course,
    /// Nothing: the bracket alone.
    Bracket,
}

/// What is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compared {
    Watts,
    Energy,
    Isc,
    Voc,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    pub compared: Compared,
    pub light_by: LightBy,
    /// By level.
    pub differences: Vec<Difference>,
    /// Places in the ranking by level, the baseline (level 0) among them: (level, place). Levels that cannot be told apart
    /// share a place.
    pub ranking: Vec<(usize, usize)>,
    /// All together as percent of the sum of each alone, with its expanded uncertainty; for that question alone.
    pub of_sum: Option<(f64, f64)>,
}

/// Why the runs cannot be compared yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NotYet {
    NoBaseline,
    NoLevel,
    /// No quantity is there in every run.
    NothingInCommon,
}

/// Compares the runs that were done, in the order in which they were.
pub fn compare(runs: &[RunTaken<'_>], method: &Method<'_>) -> Result<Comparison, NotYet> {
    let read: Vec<&RunTaken<'_>> = runs.iter().filter(|run| !run.readings.is_empty()).collect();
    if !read.iter().any(|run| run.level == 0) {
        return Err(NotYet::NoBaseline);
    }
    if !read.iter().any(|run| run.level > 0) {
        return Err(NotYet::NoLevel);
    }
    let compared = [Compared::Watts, Compared::Energy, Compared::Isc, Compared::Voc]
        .into_iter()
        .find(|what| {
            read.iter().flat_map(|run| &run.readings).all(|taken| value_of(*what, taken.figures, method.wobble).is_some())
        })
        .ok_or(NotYet::NothingInCommon)?;
    let light_by = light_by(&read, method, compared);
    let samples: Vec<Run> = read
        .iter()
        .map(|run| Run {
            level: run.level,
            rig: run.rig,
            samples: run.readings.iter().filter_map(|taken| sample(compared, light_by, taken, method)).collect(),
        })
        .collect();
    let differences = match method.order {
        Order::Crossover => crossover(&samples),
        Order::Totals => totals(&samples),
        Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats => brackets(&samples),
    };
    let of_sum = (method.analysis == Analysis::OfSum).then(|| of_sum(&differences)).flatten();
    let ranking = ranking(&differences);
    Ok(Comparison { compared, light_by, differences, ranking, of_sum })
}

fn value_of(what: Compared, figures: &Figures, wobble: Wobble) -> Option<f64> {
    let of = |quantity: Quantity| figures.get(quantity).map(|seen| seen.value(wobble));
    let value = match what {
        Compared::Watts => figures.loaded_power_w(wobble),
        Compared::Energy => of(Quantity::Energy),
        Compared::Isc => of(Quantity::Isc),
        Compared::Voc => of(Quantity::Voc),
    };
    value.filter(|value| *value > 0.0)
}

/// A meter that moves along with the panel shows the light of its new plane, not the drift of the sun.
fn light_by(runs: &[&RunTaken<'_>], method: &Method<'_>, compared: Compared) -> LightBy {
    // Volts hardly follow the light.
    if compared == Compared::Voc || method.order == Order::Totals {
        return LightBy::Bracket;
    }
    let all_read = runs.iter().flat_map(|run| &run.readings).all(|taken| taken.figures.get(Quantity::Poa).is_some());
    if all_read && !method.factor.moves_the_plane() {
        return LightBy::Meter;
    }
    // A cloud that nobody noted is the bracket's business: the course only carries the curve.
    let has_course = method
        .site
        .is_some_and(|site| runs.iter().flat_map(|run| &run.readings).all(|taken| course(taken, site, &method.plane).is_some()));
    if has_course { LightBy::Course } else { LightBy::Bracket }
}

fn course(taken: &Taken<'_>, site: &Site, plane: &Plane) -> Option<f64> {
    let poa_w_m2 = Moment::at(site, taken.unix_s, taken.day_of_year).ok()?.on(plane).poa_w_m2;
    (poa_w_m2 > 20.0).then_some(poa_w_m2)
}

fn sample(compared: Compared, light_by: LightBy, taken: &Taken<'_>, method: &Method<'_>) -> Option<Sample> {
    let value = value_of(compared, taken.figures, method.wobble)?;
    let sun = match light_by {
        LightBy::Meter => taken.figures.get(Quantity::Poa).map(|seen| seen.value(method.wobble)).filter(|poa| *poa > 0.0)?,
        LightBy::Course => course(taken, method.site?, &method.plane)?,
        LightBy::Bracket => 1.0,
    };
    let quantities: &[Quantity] = match compared {
        Compared::Watts if taken.figures.get(Quantity::Voltage).is_some() && taken.figures.get(Quantity::Current).is_some() => {
            &[Quantity::Voltage, Quantity::Current]
        }
        Compared::Watts => &[Quantity::Power],
        Compared::Energy => &[Quantity::Energy],
        Compared::Isc => &[Quantity::Isc],
        Compared::Voc => &[Quantity::Voc],
    };
    let light: &[Quantity] = if light_by == LightBy::Meter { &[Quantity::Poa] } else { &[] };
    let var: f64 = quantities
        .iter()
        .chain(light)
        .filter_map(|quantity| taken.figures.get(*quantity))
        .map(|seen| {
            let value = seen.value(method.wobble).abs().max(1e-9);
            (standard_from_step(seen.step) / value).powi(2)
                + (standard_from_limit(seen.half_width(method.wobble)) / value).powi(2)
        })
        .sum();
    Some(Sample { unix_s: taken.unix_s, value, sun, u_rel: (var + method.repeat_rel.powi(2)).sqrt() })
}

/// All panels together over the sum of each alone: the last level against baseline and the levels before it.
fn of_sum(differences: &[Difference]) -> Option<(f64, f64)> {
    let (together, alone) = differences.split_last()?;
    if alone.is_empty() {
        return None;
    }
    let sum = 100.0 + alone.iter().map(|one| one.percent).sum::<f64>();
    let share = together.percent / sum * 100.0;
    let u_rel =
        (together.u_percent / together.percent).hypot(alone.iter().map(|one| one.u_percent.powi(2)).sum::<f64>().sqrt() / sum);
    Some((share, share * u_rel))
}

/// The best first; a level shares the place of the one above it where the two cannot be told apart. The intervals of two levels
/// are about the same baseline, so that theirs against each other is the root of the squares.
fn ranking(differences: &[Difference]) -> Vec<(usize, usize)> {
    let mut order: Vec<(usize, f64, f64)> = differences.iter().map(|one| (one.level, one.percent, one.u_percent)).collect();
    order.push((0, 100.0, 0.0));
    order.sort_by(|a, b| b.1.total_cmp(&a.1));
    let mut places: Vec<(usize, usize)> = Vec::new();
    let (mut place, mut first) = (1, order[0]);
    for (index, one) in order.iter().enumerate() {
        if first.1 - one.1 > first.2.hypot(one.2) {
            (place, first) = (index + 1, *one);
        }
        places.push((one.0, place));
    }
    places
}

/// What the sun did since the last baseline, percent: by the light that was read, and else by the course of a clear sky.
pub fn moved_percent(baseline: &Taken<'_>, now: &Taken<'_>, method: &Method<'_>) -> Option<f64> {
    let read =
        |taken: &Taken<'_>| taken.figures.get(Quantity::Poa).map(|seen| seen.value(method.wobble)).filter(|poa| *poa > 0.0);
    let by_meter = if method.factor.moves_the_plane() { None } else { read(baseline).zip(read(now)) };
    let by_course = || method.site.and_then(|site| course(baseline, site, &method.plane).zip(course(now, site, &method.plane)));
    by_meter.or_else(by_course).map(|(before, now)| (now / before - 1.0) * 100.0)
}

/// A baseline is old once the sun has moved by more than this since, percent. Flindo's own limit: what a straight line between
/// two baselines takes out without leaving a trace.
pub const BRACKET_HOLDS_PERCENT: f64 = 3.0;

/// Or once it is older than this, s. Common practice, no source.
pub const BRACKET_HOLDS_S: f64 = 20.0 * 60.0;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::{Meaning, understand};

    fn figures(line: &str) -> Figures {
        understand(line, &Meaning::default()).unwrap().figures()
    }

    fn method(order: Order, factor: Factor) -> Method<'static> {
        let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 };
        Method { order, analysis: Analysis::OfBaseline, factor, wobble: Wobble::Middle, repeat_rel: 0.005, plane, site: None }
    }

    fn judge(lines: &[(usize, &str)], method: &Method<'_>) -> Result<Comparison, NotYet> {
        let all: Vec<Figures> = lines.iter().map(|(_, line)| figures(line)).collect();
        let runs: Vec<RunTaken<'_>> = lines
            .iter()
            .zip(&all)
            .enumerate()
            .map(|(place, ((level, _), figures))| RunTaken {
                level: *level,
                rig: 0,
                readings: vec![Taken { figures, unix_s: place as f64 * 120.0, day_of_year: 170.0, sky: None }],
            })
            .collect();
        compare(&runs, method)
    }

    /// Common practice, no source: a tilt sweep from 154 W to 144 W lost 6.5 %.
    #[test]
    fn a_sweep_is_percent_of_its_own_baseline() {
        let found = judge(&[(0, "154.0 W"), (1, "144.0 W"), (0, "154.0 W")], &method(Order::Aba, Factor::Tilt)).unwrap();
        assert!(
            (found.differences[0].percent - 93.5).abs() < 0.05
                && found.light_by == LightBy::Bracket
                && found.compared == Compared::Watts
        );
        assert_eq!(found.ranking, [(0, 1), (1, 2)]);
    }

    #[test]
    fn light_that_was_read_counts_unless_the_plane_moves() {
        let lines = [(0, "100.0 W 900 W/m2"), (1, "80.0 W 800 W/m2"), (0, "100.0 W 900 W/m2")];
        let shade = judge(&lines, &method(Order::Aba, Factor::Shade)).unwrap();
        assert!(shade.light_by == LightBy::Meter && (shade.differences[0].percent - 90.0).abs() < 1e-9);
        let tilt = judge(&lines, &method(Order::Aba, Factor::Tilt)).unwrap();
        assert!(tilt.light_by == LightBy::Bracket && (tilt.differences[0].percent - 80.0).abs() < 1e-9);
    }

    #[test]
    fn levels_that_cannot_be_told_apart_share_a_place() {
        let found = judge(
            &[(0, "100.0 W"), (1, "120.0 W"), (0, "100.0 W"), (2, "120.3 W"), (0, "100.0 W"), (3, "80.0 W"), (0, "100.0 W")],
            &method(Order::Aba, Factor::Shade),
        )
        .unwrap();
        assert_eq!(found.ranking, [(2, 1), (1, 1), (0, 3), (3, 4)]);
    }

    /// Common practice, no source: two panels of 88 W and 87 W together gave 185 of them, with a rig that loses nothing.
    #[test]
    fn together_against_the_sum_of_each_alone() {
        let sums = Method { analysis: Analysis::OfSum, ..method(Order::LadderAndBack, Factor::Wiring) };
        let found = judge(
            &[(0, "88.0 W"), (1, "87.0 W"), (2, "170.0 W"), (0, "88.0 W"), (2, "170.0 W"), (1, "87.0 W"), (0, "88.0 W")],
            &sums,
        )
        .unwrap();
        let (percent, u_percent) = found.of_sum.unwrap();
        assert!((percent - 170.0 / 175.0 * 100.0).abs() < 1e-6 && u_percent > 0.0 && u_percent < 3.0);
    }

    #[test]
    fn what_is_missing_is_a_value() {
        let method = method(Order::Aba, Factor::Shade);
        assert_eq!(judge(&[(1, "80 W")], &method), Err(NotYet::NoBaseline));
        assert_eq!(judge(&[(0, "80 W")], &method), Err(NotYet::NoLevel));
        assert_eq!(judge(&[(0, "80 W"), (1, "Voc 22.1")], &method), Err(NotYet::NothingInCommon));
    }

    #[test]
    fn the_sun_that_moved_since_the_baseline_is_told() {
        let (before, after) = (figures("100 W 900 W/m2"), figures("97 W 872 W/m2"));
        let taken = |figures, unix_s| Taken { figures, unix_s, day_of_year: 170.0, sky: None };
        let moved = moved_percent(&taken(&before, 0.0), &taken(&after, 600.0), &method(Order::Aba, Factor::Shade)).unwrap();
        assert!((moved + 3.11).abs() < 0.01);
        assert_eq!(moved_percent(&taken(&before, 0.0), &taken(&after, 600.0), &method(Order::Aba, Factor::Tilt)), None);
    }
}
