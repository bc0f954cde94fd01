//! Several rigs over the same hours: each against the first, ranked; and their watts side by side for a drawing.

use super::over_hours::{Arrangement, NoComparison, OverHours, RigHours, compare};
use super::ranking::rank_ranges;
use crate::measure::series::Series;
use crate::measure::series::integral::integrate;
use crate::window::Window;

/// One rig among several.
#[derive(Debug, Clone, PartialEq)]
pub struct RigOverHours {
    /// Its place among the rigs that were given.
    pub rig: usize,
    /// The ranks that it can have, by every pair of rigs held against each other: two that are each a little off a third may be far apart.
    pub rank_low: usize,
    pub rank_high: usize,
    /// Wh that count.
    pub energy_wh: f64,
    /// Of all that could be compared, percent; `None` where they gave nothing.
    pub share_percent: Option<f64>,
    /// `None`: it is the first.
    pub against_first: Option<OverHours>,
}

/// Several rigs over the same hours.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RigsOverHours {
    /// By rank. Empty where none could be compared with the first.
    pub rigs: Vec<RigOverHours>,
    /// Rigs that cannot be compared with the first, by their place, and why.
    pub apart: Vec<(usize, NoComparison)>,
}

/// Compares each rig with the first.
pub fn compare_all(rigs: &[RigHours<'_>], arrangement: &Arrangement) -> RigsOverHours {
    let Some((first, others)) = rigs.split_first() else { return RigsOverHours::default() };
    let mut found = RigsOverHours::default();
    let mut compared: Vec<(usize, OverHours)> = Vec::new();
    for (nth, other) in others.iter().enumerate() {
        match compare(first, other, arrangement) {
            Ok(one) => compared.push((nth + 1, one)),
            Err(why) => found.apart.push((nth + 1, why)),
        }
    }
    let Some(first_wh) = compared.first().map(|(_, one)| one.energy_wh.0) else { return found };
    let ranked: Vec<&RigHours<'_>> = std::iter::once(first).chain(compared.iter().map(|(rig, _)| &rigs[*rig])).collect();
    let count = ranked.len();
    let is_behind =
        |low: usize, high: usize| compare(ranked[high], ranked[low], arrangement).is_ok_and(|one| one.is_behind_among(count));
    let ranks = rank_ranges(count, is_behind);
    let total_wh = first_wh + compared.iter().map(|(_, one)| one.energy_wh.1).sum::<f64>();
    let share_percent = |wh: f64| (total_wh > 0.0).then(|| 100.0 * wh / total_wh);
    found.rigs.push(RigOverHours {
        rig: 0,
        rank_low: ranks[0].0,
        rank_high: ranks[0].1,
        energy_wh: first_wh,
        share_percent: share_percent(first_wh),
        against_first: None,
    });
    for ((rig, one), (rank_low, rank_high)) in compared.into_iter().zip(ranks[1..].iter().copied()) {
        let energy_wh = one.energy_wh.1;
        let share_percent = share_percent(energy_wh);
        found.rigs.push(RigOverHours { rig, rank_low, rank_high, energy_wh, share_percent, against_first: Some(one) });
    }
    found.rigs.sort_by_key(|one| (one.rank_low, one.rank_high));
    found
}

/// Watts of several rigs over the hours in which any of them gave some, in even stretches.
#[derive(Debug, Clone, PartialEq)]
pub struct SideBySide {
    /// Unix seconds.
    pub from_s: f64,
    pub to_s: f64,
    /// Of each rig: (Unix seconds of the beginning of a stretch, mean W).
    pub means: Vec<Vec<(f64, f64)>>,
    /// Energy of the second rig less that of the first so far: (Unix seconds, Wh), where both gave something.
    pub second_less_first_wh: Vec<(f64, f64)>,
}

/// In so many stretches; `None` where no rig gave anything.
pub fn side_by_side(rigs: &[&Series], stretches: usize) -> Option<SideBySide> {
    let lit = rigs.iter().flat_map(|power| power.iter()).filter(|sample| sample.1 > 0.0).map(|sample| sample.0);
    let (from_s, to_s) = lit.fold((f64::INFINITY, f64::NEG_INFINITY), |ends, at_s| (ends.0.min(at_s), ends.1.max(at_s)));
    if from_s >= to_s || stretches == 0 {
        return None;
    }
    let step_s = ((to_s - from_s) / stretches as f64).max(1.0);
    // By place, so that stretches of two rigs are the same ones.
    let means: Vec<Vec<Option<f64>>> = rigs
        .iter()
        .map(|power| {
            let longest_s = power.longest_step_s();
            let part = |nth: usize| Window { from_s: from_s + nth as f64 * step_s, to_s: from_s + (nth + 1) as f64 * step_s };
            (0..stretches).map(|nth| mean_w(power, part(nth), longest_s)).collect()
        })
        .collect();
    let at_s = |nth: usize| from_s + nth as f64 * step_s;
    let mut second_less_first_wh = Vec::new();
    if let [first, second, ..] = &means[..] {
        let mut sum_wh = 0.0;
        for (nth, (first, second)) in first.iter().zip(second).enumerate() {
            if let (Some(first), Some(second)) = (first, second) {
                sum_wh += (second - first) * step_s / 3600.0;
                second_less_first_wh.push((at_s(nth), sum_wh));
            }
        }
    }
    let points =
        |means: Vec<Option<f64>>| means.into_iter().enumerate().filter_map(|(nth, mean)| Some((at_s(nth), mean?))).collect();
    Some(SideBySide { from_s, to_s, means: means.into_iter().map(points).collect(), second_less_first_wh })
}

/// The mean of a stretch; of one that lies between two samples, the value in its middle.
fn mean_w(power: &Series, part: Window, longest_s: f64) -> Option<f64> {
    let found = integrate(power, part, None);
    if found.covered_s > (part.to_s - part.from_s) / 2.0 {
        return Some(found.sampled * 3600.0 / found.covered_s);
    }
    power.at((part.from_s + part.to_s) / 2.0, longest_s)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn level(watts: f64, wobble: f64) -> Series {
        Series::new((0..=240).map(|nth| (f64::from(nth) * 60.0, watts * (1.0 + wobble * f64::from(nth * 7919 % 13 - 6))))).0
    }

    #[test]
    fn each_is_held_against_the_first_and_the_shares_make_a_whole() {
        let powers = [level(100.0, 0.001), level(80.0, 0.001), level(100.5, 0.001), Series::default()];
        let rigs: Vec<RigHours<'_>> = powers.iter().map(|power| RigHours { power, meter_u_percent: 1.0, own_w: None }).collect();
        let found = compare_all(&rigs, &Arrangement::default());
        let order: Vec<(usize, usize, usize)> = found.rigs.iter().map(|one| (one.rig, one.rank_low, one.rank_high)).collect();
        assert_eq!(order, [(0, 1, 2), (2, 1, 2), (1, 3, 3)]);
        assert_eq!(found.apart.iter().map(|one| one.0).collect::<Vec<_>>(), [3]);
        let shares: Vec<f64> = found.rigs.iter().filter_map(|one| one.share_percent).collect();
        assert!((shares.iter().sum::<f64>() - 100.0).abs() < 1e-9 && (shares[2] - 28.52).abs() < 0.05, "{shares:?}");
        assert!((found.rigs[0].energy_wh - 400.0).abs() < 1.0);
        assert_eq!(compare_all(&[], &Arrangement::default()), RigsOverHours::default());
    }

    /// Meters of 1 % leave 1.41 % between two; of three rigs 1.2 % apart each the ends are told apart (2.4 over 1.41 by Tukey's 2.34 / 1.96),
    /// their neighbours are not.
    #[test]
    fn ranks_come_from_every_pair() {
        let powers = [level(100.0, 0.00001), level(98.8, 0.00001), level(97.6, 0.00001)];
        let ranked = |of: [usize; 3]| {
            let rigs: Vec<RigHours<'_>> =
                of.iter().map(|rig| RigHours { power: &powers[*rig], meter_u_percent: 1.0, own_w: None }).collect();
            let mut found: Vec<(usize, usize, usize)> = compare_all(&rigs, &Arrangement::default())
                .rigs
                .iter()
                .map(|one| (of[one.rig], one.rank_low, one.rank_high))
                .collect();
            found.sort_unstable();
            found
        };
        assert_eq!(ranked([0, 1, 2]), [(0, 1, 2), (1, 1, 3), (2, 2, 3)]);
        // Whichever stands first.
        assert_eq!(ranked([1, 0, 2]), ranked([0, 1, 2]));
        assert_eq!(ranked([2, 1, 0]), ranked([0, 1, 2]));
    }

    #[test]
    fn the_difference_so_far_ends_at_the_difference_of_the_sums() {
        let (first, second) = (level(100.0, 0.0), level(80.0, 0.0));
        let found = side_by_side(&[&first, &second], 600).unwrap();
        let end = found.second_less_first_wh.last().unwrap().1;
        assert!((end + 80.0).abs() < 0.2, "20 W less for 4 h: {end}");
        assert!(found.means[0].iter().all(|(_, mean)| (mean - 100.0).abs() < 1e-9));
        assert!(side_by_side(&[&level(0.0, 0.0)], 600).is_none());
    }
}
