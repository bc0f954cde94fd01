//! The runs of a test compared: each level as percent of its own baseline, with its interval, and a ranking with ties.

mod checked;
mod compared;
mod light;
mod method;
mod samples;
mod sums;
mod temperature;

use super::conformity::{LevelVerdict, difference};
use super::estimate::{Difference, Estimator, MeterCheck, RunSamples, Widening};
use super::ranking::rank_ranges;
use crate::record::order::Order;
use crate::record::question::Analysis;
pub use compared::{Compared, value_of};
pub use light::{BRACKET_HOLDS_PERCENT, BRACKET_HOLDS_S, LightBy, moved_percent};
use light::{error_model, light_by, light_wander};
pub use method::{Method, RunTaken};
use samples::{mean_of, sample, width_of};
use sums::OfBaseline;
pub use sums::{OfSum, Together, percent_of_sum, together};
pub use temperature::CellTemperatures;

/// One level with its verdict.
#[derive(Debug, Clone, PartialEq)]
pub struct Level {
    pub difference: Difference,
    pub verdict: LevelVerdict,
    /// The mean of its readings as read, in the unit of what is compared.
    pub mean: f64,
}

/// Whose gains are in the levels.
#[derive(Debug, Clone, PartialEq)]
pub enum Meters {
    /// One meter read all of them: its gain cancels.
    One,
    /// Each was read by its own at the same time.
    Own,
    /// Each by its own, which were read on one source: by level, what each showed there.
    Checked(Vec<(usize, MeterCheck)>),
}

/// The ranks that a level can have: the best, and the worst.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ranked {
    pub level: usize,
    pub low: usize,
    pub high: usize,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    pub compared: Compared,
    pub light_by: LightBy,
    pub cell_temperatures: CellTemperatures,
    /// By level, without the baseline.
    pub levels: Vec<Level>,
    /// The baseline's mean as read, with half the width its display leaves open.
    pub baseline: (f64, f64),
    /// The levels with the ranks that each can have, the baseline (level 0) among them, the best first.
    pub ranking: Vec<Ranked>,
    /// Every level against every other but the baseline: (level, other, difference).
    pub pairs: Vec<(usize, usize, Difference)>,
    /// Panels together as percent of the sum of each alone, the most panels first; for that question alone.
    pub sums: Vec<OfSum>,
    /// A baseline of nothing to speak of: levels are told in the unit of what is compared, not in percent.
    pub is_absolute: bool,
    /// Levels of a crossover that stand on one rig only so far.
    pub to_exchange: Vec<usize>,
    pub meters: Meters,
    pub between_runs: Widening,
    pub within_runs: Widening,
}

impl Comparison {
    /// The ranks that a level can have.
    pub fn ranked(&self, level: usize) -> Option<Ranked> {
        self.ranking.iter().find(|one| one.level == level).copied()
    }

    /// Of the most panels together.
    pub fn of_sum(&self) -> Option<OfSum> {
        self.sums.first().copied()
    }
}

/// Why the runs cannot be compared yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoComparison {
    NoBaseline,
    NoLevel,
    /// A level, the baseline where it is 0, has so many readings, and each was left out for a finding of its own.
    LeftOut {
        level: usize,
        readings: usize,
    },
    /// No quantity is there in the baseline and a level.
    NothingInCommon,
    /// The rigs were not exchanged yet.
    Exchange,
}

/// A baseline that is not known better than this share of itself is no measure of anything in percent.
const TELLING_BASELINE_REL: f64 = 0.25;

/// Compares the runs that were done, in the order in which they were.
///
/// # Errors
/// What is missing before anything can be compared.
pub fn compare(runs: &[RunTaken<'_>], method: &Method<'_>) -> Result<Comparison, NoComparison> {
    let read: Vec<&RunTaken<'_>> = runs.iter().filter(|run| !run.readings.is_empty()).collect();
    if !read.iter().any(|run| run.level == 0) {
        return Err(NoComparison::NoBaseline);
    }
    if !read.iter().any(|run| run.level > 0) {
        return Err(NoComparison::NoLevel);
    }
    let compared = in_common(&read, method).ok_or(NoComparison::NothingInCommon)?;
    let light_by = light_by(&read, method, compared);
    let wander = light_wander(&read, method, light_by);
    let cell_temperatures = CellTemperatures::of(&read, method, compared);
    let model = error_model(&read, method, light_by, cell_temperatures);
    let meters = Meters::of(&read, model.is_own_meters, compared, method);
    let samples: Vec<RunSamples> = read
        .iter()
        .map(|run| RunSamples {
            place: run.place,
            level: run.level,
            rig: run.rig,
            checked: meters.check_of(run.level),
            samples: run
                .readings
                .iter()
                .filter_map(|taken| sample(compared, light_by, wander, cell_temperatures.one(), (taken, run.gamma_per_k), method))
                .collect(),
        })
        .collect();
    let estimator = Estimator::new(&samples, model);
    let levels: Vec<Level> = estimator
        .levels()
        .into_iter()
        .filter_map(|level| {
            let one = estimator.against_baseline(level)?;
            Some(Level { verdict: difference(&one), mean: mean_of(&samples, level), difference: one })
        })
        .collect();
    let to_exchange: Vec<usize> =
        if method.order == Order::Crossover { without(&estimator.levels(), &levels) } else { Vec::new() };
    if levels.is_empty() {
        return Err(if to_exchange.is_empty() { NoComparison::NoLevel } else { NoComparison::Exchange });
    }
    let baseline = (mean_of(&samples, 0), width_of(&samples, 0));
    let is_absolute = baseline.1 > TELLING_BASELINE_REL * baseline.0;
    let pairs = pairs(&estimator, &levels);
    let of_baseline = |level: usize| match level {
        0 => Some(OfBaseline { percent: 100.0, u_percent: 0.0 }),
        level => {
            let found = levels.iter().find(|one| one.difference.level == level)?;
            Some(OfBaseline { percent: found.difference.percent, u_percent: found.difference.u_percent })
        }
    };
    let sums = if method.analysis == Analysis::OfSum { sums::of_sums(of_baseline, method.panels) } else { Vec::new() };
    let ranking = ranking(&levels, &pairs, method.held);
    let (between_runs, within_runs) = (estimator.between_runs(), estimator.within_runs());
    Ok(Comparison {
        compared,
        light_by,
        cell_temperatures,
        levels,
        baseline,
        ranking,
        pairs,
        sums,
        is_absolute,
        to_exchange,
        meters,
        between_runs,
        within_runs,
    })
}

fn without(all: &[usize], there: &[Level]) -> Vec<usize> {
    all.iter().copied().filter(|level| !there.iter().any(|one| one.difference.level == *level)).collect()
}

/// The quantity that the baseline and most levels have in common; the first in the order of [`Compared`] where several do.
fn in_common(runs: &[&RunTaken<'_>], method: &Method<'_>) -> Option<Compared> {
    let of = |what: Compared| {
        let has = |run: &&&RunTaken<'_>| run.readings.iter().any(|taken| value_of(what, taken.figures, method.setup).is_some());
        let mut levels: Vec<usize> = runs.iter().filter(has).map(|run| run.level).collect();
        levels.sort_unstable();
        levels.dedup();
        if levels.first() == Some(&0) { levels.len() - 1 } else { 0 }
    };
    let most = Compared::ALL.iter().map(|what| of(*what)).max().filter(|most| *most > 0)?;
    Compared::ALL.iter().copied().find(|what| of(*what) == most)
}

fn pairs(estimator: &Estimator<'_>, levels: &[Level]) -> Vec<(usize, usize, Difference)> {
    let numbers = || levels.iter().map(|one| one.difference.level);
    numbers()
        .flat_map(|level| numbers().filter(move |other| *other != level).map(move |other| (level, other)))
        .filter_map(|(level, other)| Some((level, other, estimator.against(level, other)?)))
        .collect()
}

/// The best first, each as the ranks that it can have: all pairs at once. What a limit held may be as good as any above it.
fn ranking(levels: &[Level], pairs: &[(usize, usize, Difference)], held: &[usize]) -> Vec<Ranked> {
    let mut order: Vec<(usize, f64)> = levels.iter().map(|one| (one.difference.level, one.difference.percent)).collect();
    order.push((0, 100.0));
    order.sort_by(|a, b| b.1.total_cmp(&a.1));
    let count = order.len();
    let against_baseline = |level: usize| levels.iter().find(|one| one.difference.level == level).map(|one| &one.difference);
    let is_behind = |a: usize, b: usize| {
        let ((low, low_percent), (high, high_percent)) = (order[a], order[b]);
        let shown = match (low, high) {
            (0, level) | (level, 0) => against_baseline(level).is_some_and(|one| one.is_shown_among(count)),
            (low, high) => pairs
                .iter()
                .find(|(one, other, _)| (*one, *other) == (low, high))
                // A level of nothing has no ratio; it is behind every other.
                .is_none_or(|(.., one)| one.is_shown_among(count)),
        };
        low_percent < high_percent && shown && !held.contains(&low)
    };
    let ranges = rank_ranges(count, is_behind);
    order.iter().zip(ranges).map(|((level, _), (low, high))| Ranked { level: *level, low, high }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::{Meaning, understand};
    use crate::measure::quantity::Figures;
    use crate::record::condition::Factor;
    use crate::record::setup::Setup;
    use crate::sky::course::Site;
    use crate::verdict::condition::Taken;
    use crate::verdict::estimate::Source;

    fn figures(line: &str) -> Figures {
        understand(line, &Meaning::default()).unwrap().figures()
    }

    /// (level, best rank, worst rank), the best first.
    fn ranks(found: &Comparison) -> Vec<(usize, usize, usize)> {
        found.ranking.iter().map(|one| (one.level, one.low, one.high)).collect()
    }

    fn method(setup: &Setup, order: Order, factor: Factor) -> Method<'_> {
        Method {
            order,
            analysis: Analysis::OfBaseline,
            factor,
            setup,
            repeat_rel: 0.005,
            site: None,
            panels: &[],
            held: &[],
            has_own_meters: false,
        }
    }

    fn judge(lines: &[(usize, &str)], method: &Method<'_>) -> Result<Comparison, NoComparison> {
        let all: Vec<Figures> = lines.iter().map(|(_, line)| figures(line)).collect();
        let runs: Vec<RunTaken<'_>> = lines
            .iter()
            .zip(&all)
            .enumerate()
            .map(|(place, ((level, _), figures))| RunTaken {
                place,
                level: *level,
                rig: 0,
                gamma_per_k: -0.004,
                readings: vec![Taken { figures, unix_s: place as f64 * 120.0, day_of_year: 170.0, sky: None }],
            })
            .collect();
        compare(&runs, method)
    }

    /// Common practice, no source: a tilt sweep from 154 W to 144 W lost 6.5 %.
    #[test]
    fn a_sweep_is_percent_of_its_own_baseline() {
        let found =
            judge(&[(0, "154.0 W"), (1, "144.0 W"), (0, "154.0 W")], &method(&Setup::default(), Order::Aba, Factor::Tilt))
                .unwrap();
        assert!(
            (found.levels[0].difference.percent - 93.5).abs() < 0.05
                && found.light_by == LightBy::Bracket
                && found.compared == Compared::Watts
        );
        assert_eq!(ranks(&found), [(0, 1, 1), (1, 2, 2)]);
    }

    #[test]
    fn light_that_was_read_counts_unless_the_plane_moves() {
        let lines = [(0, "100.0 W 900 W/m2"), (1, "80.0 W 800 W/m2"), (0, "100.0 W 900 W/m2")];
        let shade = judge(&lines, &method(&Setup::default(), Order::Aba, Factor::Shade)).unwrap();
        assert!(shade.light_by == LightBy::Meter && (shade.levels[0].difference.percent - 90.0).abs() < 1e-9);
        let tilt = judge(&lines, &method(&Setup::default(), Order::Aba, Factor::Tilt)).unwrap();
        assert!(tilt.light_by == LightBy::Bracket && (tilt.levels[0].difference.percent - 80.0).abs() < 1e-9);
    }

    #[test]
    fn levels_that_cannot_be_told_apart_share_a_place() {
        let found = judge(
            &[(0, "100.0 W"), (1, "120.0 W"), (0, "100.0 W"), (2, "120.3 W"), (0, "100.0 W"), (3, "80.0 W"), (0, "100.0 W")],
            &method(&Setup::default(), Order::Aba, Factor::Shade),
        )
        .unwrap();
        assert_eq!(ranks(&found), [(2, 1, 2), (1, 1, 2), (0, 3, 3), (3, 4, 4)]);
    }

    fn of_tags(tags: &[&str]) -> Vec<Vec<String>> {
        tags.iter().map(|tags| tags.split('|').map(str::to_owned).collect()).collect()
    }

    /// Common practice, no source: two panels of 88 W and 87 W together gave 170 of 175 W.
    #[test]
    fn together_against_the_sum_of_each_alone() {
        let (setup, panels) = (Setup::default(), of_tags(&["S", "N", "S|N"]));
        let sums = Method { analysis: Analysis::OfSum, panels: &panels, ..method(&setup, Order::LadderAndBack, Factor::Wiring) };
        let found = judge(
            &[(0, "88.0 W"), (1, "87.0 W"), (2, "170.0 W"), (0, "88.0 W"), (2, "170.0 W"), (1, "87.0 W"), (0, "88.0 W")],
            &sums,
        )
        .unwrap();
        let one = found.sums[0];
        assert!((one.percent - 170.0 / 175.0 * 100.0).abs() < 1e-6 && one.u_percent > 0.0 && one.u_percent < 3.0, "{one:?}");
        // Nothing was combined yet: no sum.
        let alone = judge(&[(0, "88.0 W"), (1, "87.0 W"), (0, "88.0 W")], &sums).unwrap();
        assert!(alone.sums.is_empty(), "{:?}", alone.sums);
    }

    /// By hand: 60 and 40 W alone, 20 W the third; all three 114 of 120 W, two of them 79.2 of 80. The combinations stand between the
    /// others, and the baseline may be one.
    #[test]
    fn a_combination_is_found_by_its_panels() {
        let setup = Setup::default();
        let panels = of_tags(&["A", "A|B|C", "B", "A|C", "C"]);
        let of = |panels: &[Vec<String>], lines: &[(usize, &str)]| {
            let sums = Method { analysis: Analysis::OfSum, panels, ..method(&setup, Order::LadderAndBack, Factor::Wiring) };
            judge(lines, &sums)
                .unwrap()
                .sums
                .iter()
                .map(|one| (one.level, (one.percent * 10.0).round() / 10.0))
                .collect::<Vec<_>>()
        };
        let lines = [(0, "60.0 W"), (1, "114.0 W"), (2, "40.0 W"), (3, "79.2 W"), (4, "20.0 W"), (0, "60.0 W")];
        assert_eq!(of(&panels, &lines), [(1, 95.0), (3, 99.0)]);
        let of_baseline = of_tags(&["A|B", "A", "B"]);
        assert_eq!(of(&of_baseline, &[(0, "98.0 W"), (1, "60.0 W"), (2, "40.0 W"), (0, "98.0 W")]), [(0, 98.0)]);
        // A panel that was not read alone leaves no sum.
        assert_eq!(of(&panels, &[(0, "60.0 W"), (1, "114.0 W"), (2, "40.0 W"), (0, "60.0 W")]), []);
    }

    #[test]
    fn what_is_missing_is_a_value() {
        let setup = Setup::default();
        let method = method(&setup, Order::Aba, Factor::Shade);
        assert_eq!(judge(&[(1, "80 W")], &method), Err(NoComparison::NoBaseline));
        assert_eq!(judge(&[(0, "80 W")], &method), Err(NoComparison::NoLevel));
        assert_eq!(judge(&[(0, "80 W"), (1, "Voc 22.1")], &method), Err(NoComparison::NothingInCommon));
    }

    #[test]
    fn the_sun_that_moved_since_the_baseline_is_told() {
        let (before, after) = (figures("100 W 900 W/m2"), figures("97 W 872 W/m2"));
        let taken = |figures, unix_s| Taken { figures, unix_s, day_of_year: 170.0, sky: None };
        let moved =
            moved_percent(&taken(&before, 0.0), &taken(&after, 600.0), &method(&Setup::default(), Order::Aba, Factor::Shade))
                .unwrap();
        assert!((moved + 3.11).abs() < 0.01);
        assert_eq!(
            moved_percent(&taken(&before, 0.0), &taken(&after, 600.0), &method(&Setup::default(), Order::Aba, Factor::Tilt)),
            None
        );
    }

    fn found(lines: &[(usize, &str)], order: Order, factor: Factor) -> Comparison {
        judge(lines, &method(&Setup::default(), order, factor)).unwrap()
    }

    fn level(found: &Comparison, level: usize) -> &Difference {
        &found.levels.iter().find(|one| one.difference.level == level).unwrap().difference
    }

    /// By hand, with -0.4 %/K: 230 W at 42 C are 230 / 0.932 = 246.8 W at 25 C, and 209 W at 65 C are 209 / 0.84 = 248.8 W: 100.8 %.
    #[test]
    fn panels_are_compared_at_one_cell_temperature() {
        let lines = [(0, "230 W back 42 C"), (1, "209 W back 65 C"), (0, "230 W back 42 C")];
        let twins = found(&lines, Order::Aba, Factor::Panel);
        assert!((level(&twins, 1).percent - 248.81 / 246.78 * 100.0).abs() < 0.01 && !level(&twins, 1).is_shown(), "{twins:?}");
        // Where one reading has none, and where the temperature belongs to the effect, the watts stand as they were read.
        let one_lacks = [(0, "230 W back 42 C"), (1, "209 W"), (0, "230 W back 42 C")];
        for (lines, factor) in [(&one_lacks, Factor::Panel), (&lines, Factor::Tilt), (&lines, Factor::Shade)] {
            let as_read = found(lines, Order::Aba, factor);
            assert!(
                (level(&as_read, 1).percent - 209.0 / 230.0 * 100.0).abs() < 1e-9 && as_read.cell_temperatures.one().is_none(),
                "{factor:?}"
            );
        }
        // Not read, the interval holds what two panels are likely to differ: 3 K at 0.4 % are a limit of 1.2 %, 0.69 % standard.
        let read = [(0, "230 W back 42 C"), (1, "226 W back 42 C"), (0, "230 W back 42 C")];
        let unread = [(0, "230 W"), (1, "226 W"), (0, "230 W")];
        let standard = |lines: &[(usize, &str)]| {
            let found = found(lines, Order::Aba, Factor::Panel);
            level(&found, 1).parts.iter().find(|(source, _)| *source == Source::CellTemperature).map_or(0.0, |(_, u)| *u)
        };
        assert_eq!(standard(&read), 0.0);
        assert!((standard(&unread) - 226.0 / 230.0 * 0.6928).abs() < 0.001, "{}", standard(&unread));
        // Watts that differ at one temperature differ.
        let weak = found(&[(0, "230 W back 42 C"), (1, "209 W back 42 C"), (0, "230 W back 42 C")], Order::Aba, Factor::Panel);
        assert!((level(&weak, 1).percent - 209.0 / 230.0 * 100.0).abs() < 1e-9 && level(&weak, 1).is_claimed());
    }

    /// Common practice, no source: 270, 10, 6, 0, 160 W by shade pattern. Nothing is 0 % of the baseline, give or take a display step.
    #[test]
    fn zero_is_a_measurement() {
        let lines = [
            (0, "270 W"),
            (1, "10 W"),
            (0, "270 W"),
            (2, "6 W"),
            (0, "270 W"),
            (3, "0 W"),
            (0, "270 W"),
            (4, "160 W"),
            (0, "270 W"),
        ];
        let found = found(&lines, Order::Aba, Factor::Shade);
        let none = level(&found, 3);
        assert!(none.percent == 0.0 && (0.3..1.2).contains(&none.u_percent) && none.is_claimed(), "{none:?}");
        assert!((level(&found, 4).percent - 59.26).abs() < 0.01);
        assert_eq!(ranks(&found).last(), Some(&(3, 5, 5)));
        let volts_and_no_amps =
            self::found(&[(0, "18.0 V 5.0 A"), (1, "20.0 V 0.0 A"), (0, "18.0 V 5.0 A")], Order::Aba, Factor::Shade);
        let none = level(&volts_and_no_amps, 1);
        assert!(none.percent == 0.0 && (2.0..6.0).contains(&none.u_percent), "{none:?}");
    }

    /// Common practice, no source: series 0 to 2 W, parallel 80 W. A baseline of nothing is no measure in percent.
    #[test]
    fn a_baseline_near_nothing_is_told_in_watts() {
        let lines = [(0, "0-2 W"), (1, "80 W"), (0, "0-2 W")];
        assert!(found(&lines, Order::Aba, Factor::Wiring).is_absolute);
        assert!(!found(&[(0, "81 W"), (1, "80 W"), (0, "81 W")], Order::Aba, Factor::Wiring).is_absolute);
    }

    /// Common practice, no source: a clamp on each of three strings, 9.0, 7.2 and 6.8 A; and 22.7 A with a person before each panel.
    #[test]
    fn amps_alone_compare_amps() {
        let strings = found(&[(0, "9.0 A"), (1, "7.2 A"), (2, "6.8 A"), (0, "9.0 A")], Order::LadderAndBack, Factor::Covers);
        assert_eq!(strings.compared, Compared::Current);
        assert!((level(&strings, 1).percent - 80.0).abs() < 0.01);
        let volts = found(&[(0, "Voc 22.1"), (1, "Voc 21.7"), (0, "Voc 22.1")], Order::Aba, Factor::Shade);
        assert_eq!(volts.compared, Compared::Voc);
        let charge = found(&[(0, "31.0 Ah"), (1, "25.0 Ah")], Order::Totals, Factor::Day);
        assert!(charge.compared == Compared::Charge && (level(&charge, 1).percent - 80.645).abs() < 0.01);
    }

    /// One reading without watts does not stop a test.
    #[test]
    fn a_reading_without_the_quantity_is_left_out() {
        let lines = [(0, "100.0 W"), (1, "80.0 W"), (1, "Voc 22.1"), (0, "100.0 W")];
        let found = found(&lines, Order::Aba, Factor::Shade);
        assert!(found.compared == Compared::Watts && (level(&found, 1).percent - 80.0).abs() < 0.01);
    }

    /// Common practice, no source: 388 Wh against 313 Wh is 24.0 % more, whenever the two were read.
    #[test]
    fn watt_hours_are_not_divided_by_the_light_of_a_moment() {
        use crate::sky::place::Place;
        let site = Site { place: Place::check(41.9, 3.0, 20.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let setup = Setup::default();
        let noon_s = 1_789_300_000.0;
        for dusk_s in [0.0, 3600.0, 5.0 * 3600.0, 7.0 * 3600.0] {
            for order in [Order::Aba, Order::Totals] {
                let all = [figures("313 Wh"), figures("388 Wh")];
                let run = |level: usize, unix_s: f64| RunTaken {
                    place: level,
                    level,
                    rig: 0,
                    gamma_per_k: -0.004,
                    readings: vec![Taken { figures: &all[level], unix_s, day_of_year: 256.0, sky: None }],
                };
                let runs = [run(0, noon_s), run(1, noon_s + dusk_s)];
                let method = Method { site: Some(&site), ..method(&setup, order, Factor::Tilt) };
                let found = compare(&runs, &method).unwrap();
                assert!((level(&found, 1).percent - 388.0 / 313.0 * 100.0).abs() < 1e-9, "{dusk_s} {order:?}");
            }
        }
    }

    /// Two times 10.0 W an hour apart in the late afternoon, on a plane that faces east: under a clear sky the second stands for far more,
    /// under one noted as overcast they are alike.
    #[test]
    fn no_beam_is_divided_out_of_an_overcast_sky() {
        use crate::sky::note::SkyNote;
        use crate::sky::place::Place;
        let site = Site { place: Place::check(41.9, 3.0, 20.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let setup = Setup { tilt_deg: 60.0, azimuth_deg: 90.0, ..Setup::default() };
        let method = Method { site: Some(&site), ..method(&setup, Order::Aba, Factor::Azimuth) };
        let watts = figures("10.0 W");
        let percent = |sky: Option<SkyNote>| {
            let run = |place: usize, level: usize| {
                let taken = Taken { figures: &watts, unix_s: 1_789_300_000.0 + 1800.0 * place as f64, day_of_year: 256.0, sky };
                RunTaken { place, level, rig: 0, gamma_per_k: -0.004, readings: vec![taken] }
            };
            compare(&[run(0, 0), run(1, 1)], &method).unwrap()
        };
        let (clear, overcast) = (percent(None), percent(Some(SkyNote::Overcast)));
        assert_eq!((clear.light_by, overcast.light_by), (LightBy::Course, LightBy::Bracket));
        assert!(
            (level(&overcast, 1).percent - 100.0).abs() < 1e-9 && (level(&clear, 1).percent - 100.0).abs() > 5.0,
            "{clear:?}"
        );
    }

    /// Common practice, no source: five in-line meters of 2 % beside each other, 677, 654, 653, 364, 359 Wh: the first three tie. One meter
    /// swapped between five, 81, 79, 79, 62, 62 W: two groups.
    #[test]
    fn five_meters_are_five_meters() {
        let at_once: Vec<Figures> = ["677 Wh", "654 Wh", "653 Wh", "364 Wh", "359 Wh"].map(figures).to_vec();
        let runs: Vec<RunTaken<'_>> = at_once
            .iter()
            .enumerate()
            .map(|(level, figures)| RunTaken {
                place: level,
                level,
                rig: 0,
                gamma_per_k: -0.004,
                readings: vec![Taken { figures, unix_s: 5.0, day_of_year: 340.0, sky: None }],
            })
            .collect();
        let setup = Setup::default();
        let places = |found: &Comparison| {
            let mut places = ranks(found);
            places.sort_unstable();
            places.into_iter().map(|(_, place, _)| place).collect::<Vec<_>>()
        };
        let beside = compare(&runs, &method(&setup, Order::Totals, Factor::Load)).unwrap();
        assert_eq!(places(&beside), [1, 1, 1, 4, 4], "{beside:?}");
        let with_checks = |shown_w: [f64; 5]| {
            let checks: Vec<Figures> = shown_w.iter().map(|watts| figures(&format!("check {watts:.1} W"))).collect();
            let mut runs = runs.clone();
            for (run, check) in runs.iter_mut().zip(&checks) {
                run.readings.push(Taken { figures: check, unix_s: 5.0, day_of_year: 340.0, sky: None });
            }
            compare(&runs, &method(&setup, Order::Totals, Factor::Load)).unwrap()
        };
        // Meters that agree on one source to the digit: 654 is less than 677, which nobody can tell of unchecked ones.
        let agreeing = with_checks([100.2; 5]);
        let second = |found: &Comparison| level(found, 1).clone();
        assert!(second(&agreeing).is_shown() && !second(&beside).is_shown(), "{:?} {:?}", second(&agreeing), second(&beside));
        assert!((second(&agreeing).percent - second(&beside).percent).abs() < 1e-9);
        // The first shows 3.4 % too much: 677 of it are 654 of the others.
        let first_high = with_checks([103.6, 100.2, 100.2, 100.2, 100.2]);
        assert_eq!(places(&first_high), [1, 1, 1, 4, 4], "{first_high:?}");
        assert!((level(&first_high, 1).percent - 100.0 * 654.0 / 100.2 / (677.0 / 103.6)).abs() < 1e-9);
        // Without the baseline's meter on the source nothing is known of it.
        let mut of_others = runs.clone();
        let check = figures("check 100.2 W");
        for run in &mut of_others[1..] {
            run.readings.push(Taken { figures: &check, unix_s: 5.0, day_of_year: 340.0, sky: None });
        }
        let of_others = compare(&of_others, &method(&setup, Order::Totals, Factor::Load)).unwrap();
        assert!(of_others.meters == Meters::Own && second(&of_others) == second(&beside));
        let swapped = found(
            &[(0, "81 W"), (1, "79 W"), (2, "79 W"), (3, "62 W"), (4, "62 W"), (0, "81 W")],
            Order::LadderAndBack,
            Factor::Load,
        );
        assert_eq!(places(&swapped), [1, 1, 1, 4, 4]);
    }

    /// Common practice, no source: improvements on a rig 211, 243, 290, 345 W: the gain of each step, not only of the start.
    #[test]
    fn any_two_levels_are_compared() {
        let lines = [(0, "211 W"), (1, "243 W"), (2, "290 W"), (3, "345 W"), (0, "211 W")];
        let found = found(&lines, Order::LadderAndBack, Factor::Step);
        let (_, _, step) = found.pairs.iter().find(|(level, other, _)| (*level, *other) == (3, 2)).unwrap();
        assert!((step.percent - 345.0 / 290.0 * 100.0).abs() < 1e-6 && step.is_shown(), "{step:?}");
    }

    /// A crossover half done says what to do next.
    #[test]
    fn half_a_crossover_asks_for_the_exchange() {
        let all = [figures("100 W"), figures("93 W")];
        let run = |place, level: usize, rig| RunTaken {
            place,
            level,
            rig,
            gamma_per_k: -0.004,
            readings: vec![Taken { figures: &all[level], unix_s: 0.0, day_of_year: 170.0, sky: None }],
        };
        let setup = Setup::default();
        let method = method(&setup, Order::Crossover, Factor::Load);
        assert_eq!(compare(&[run(0, 0, 1), run(1, 1, 2)], &method), Err(NoComparison::Exchange));
        let done = compare(&[run(0, 0, 1), run(1, 1, 2), run(2, 0, 2), run(3, 1, 1)], &method).unwrap();
        assert!((level(&done, 1).percent - 93.0).abs() < 1e-9);
    }

    /// Before and after, beside a control that the sun moved alike: (94 / 98) over (90 / 100).
    #[test]
    fn cleaning_is_told_from_the_sun_by_its_control() {
        let all = [figures("90 W"), figures("100 W"), figures("94 W"), figures("98 W")];
        let run = |place: usize, level, rig| RunTaken {
            place,
            level,
            rig,
            gamma_per_k: -0.004,
            readings: vec![Taken { figures: &all[place], unix_s: place as f64, day_of_year: 170.0, sky: None }],
        };
        let setup = Setup::default();
        let runs = [run(0, 0, 1), run(1, 0, 2), run(2, 1, 1), run(3, 0, 2)];
        let found = compare(&runs, &method(&setup, Order::BeforeAfter, Factor::Step)).unwrap();
        assert!((level(&found, 1).percent - 94.0 / 98.0 / 0.9 * 100.0).abs() < 1e-9, "{found:?}");
    }
}
