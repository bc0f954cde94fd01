//! What the circuit predicts for each run of a comparison, beside what was measured.

use super::arrangement::{Arrangement, Gives};
use super::compare::Compared;
use crate::constants::STC_CELL_C;
use crate::error::Error;
use crate::measure::correct::Condition;
use crate::panel::construction::Construction;
use crate::protocol::drift::Difference;

/// A shade laid by hand is off by a few millimetres, and a little light creeps under its edge: predictions are taken to be right within
/// so many percent of the baseline, either way. Flindo's own limit.
pub const PREDICTION_LIMIT_PERCENT: f64 = 5.0;

/// Where a test says nothing of sun and warmth, it is predicted for a clear noon. Common practice, no source; percent of a baseline
/// hardly depend on it.
pub const USUAL: Condition = Condition { poa_w_m2: 900.0, cell_c: STC_CELL_C + 20.0 };

/// The mean of the conditions that are known; [`USUAL`] where none is.
pub fn mean_condition(known: impl Iterator<Item = Condition>) -> Condition {
    let (mut sum, mut count) = (Condition { poa_w_m2: 0.0, cell_c: 0.0 }, 0.0);
    for at in known {
        sum = Condition { poa_w_m2: sum.poa_w_m2 + at.poa_w_m2, cell_c: sum.cell_c + at.cell_c };
        count += 1.0;
    }
    if count == 0.0 { USUAL } else { Condition { poa_w_m2: sum.poa_w_m2 / count, cell_c: sum.cell_c / count } }
}

/// One arrangement as percent of another under the same sun; `None` for what the circuit does not give (watt-hours), or of a baseline
/// that gives nothing.
pub fn percent_of(baseline: &Arrangement, level: &Arrangement, compared: Compared, at: Condition) -> Result<Option<f64>, Error> {
    let what = |gives: Gives| match compared {
        Compared::Watts => Some(gives.watts_w),
        Compared::Isc => Some(gives.isc_a),
        Compared::Voc => Some(gives.voc_v),
        Compared::Energy => None,
    };
    let (whole, part) = (what(baseline.gives(at)?), what(level.gives(at)?));
    Ok(whole.filter(|whole| *whole > 0.0).zip(part).map(|(whole, part)| part / whole * 100.0))
}

/// All together as percent of the sum of each alone, out of percents of the first alone: those of the others alone, and last that of all
/// together. `None` where none but the last is there.
pub fn percent_of_sum(percents: &[f64]) -> Option<f64> {
    let (together, alone) = percents.split_last()?;
    (!alone.is_empty()).then(|| together / (100.0 + alone.iter().sum::<f64>()) * 100.0)
}

/// Whether what was measured and what was predicted can both be true.
pub fn agrees(measured: &Difference, predicted_percent: f64) -> bool {
    (measured.percent - predicted_percent).abs() <= measured.u_percent + PREDICTION_LIMIT_PERCENT
}

/// The construction whose predictions come nearest to what was measured, where it is clearly nearer than the one the panel is taken
/// for: at most half as far off in the root mean square. `predicted`: percent by level, for a construction.
pub fn better_construction(
    taken_for: Construction,
    measured: &[Difference],
    predicted: impl Fn(Construction) -> Option<Vec<f64>>,
) -> Option<Construction> {
    let off = |construction| {
        let predicted = predicted(construction)?;
        let squares: f64 = measured.iter().zip(&predicted).map(|(one, percent)| (one.percent - percent).powi(2)).sum();
        (predicted.len() == measured.len()).then(|| (squares / measured.len().max(1) as f64).sqrt())
    };
    let own = off(taken_for)?;
    let others = Construction::ALL.iter().copied().filter(|other| *other != taken_for);
    let (best, rms) = others.filter_map(|other| off(other).map(|rms| (other, rms))).min_by(|a, b| a.1.total_cmp(&b.1))?;
    (rms <= own / 2.0 && own > PREDICTION_LIMIT_PERCENT).then_some(best)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::label::{LabelTyped, check};
    use crate::panel::nameplate::Nameplate;
    use crate::panel::said::Said;
    use crate::panel::shade::Mounting;

    fn umber(construction: Construction) -> Nameplate {
        let mut typed = LabelTyped::default();
        for (name, text) in [("rated_w", "250"), ("voc_v", "37.8"), ("isc_a", "8.75"), ("vmp_v", "30.4"), ("imp_a", "8.22")] {
            typed.set(name, text);
        }
        Nameplate { construction: Some(construction), cells_in_series: Some(60), ..check(&typed).nameplate.unwrap() }
    }

    fn percent(label: &Nameplate, shade: &str) -> f64 {
        let under = |shade: &str| Arrangement::of(&[vec![label]], Said::read(shade).as_ref(), Mounting::Portrait).unwrap();
        percent_of(&under("none"), &under(shade), Compared::Watts, USUAL).unwrap().unwrap()
    }

    fn measured(level: usize, percent: f64) -> Difference {
        Difference { level, percent, u_percent: 2.0, runs: 2, drift_percent: 0.0, is_bracketed: true }
    }

    /// Common practice, no source: one cell of a panel with three diodes costs about a third, and its open-circuit volts hardly move.
    #[test]
    fn one_cell_costs_a_third_of_the_watts_and_little_of_the_volts() {
        let whole_cells = umber(Construction::Cells60);
        assert!((60.0..72.0).contains(&percent(&whole_cells, "one cell")), "{}", percent(&whole_cells, "one cell"));
        let under = |shade: &str| Arrangement::of(&[vec![&whole_cells]], Said::read(shade).as_ref(), Mounting::Portrait).unwrap();
        let of = |compared| percent_of(&under("none"), &under("one cell"), compared, USUAL).unwrap();
        assert!(of(Compared::Voc).unwrap() > 95.0 && of(Compared::Energy).is_none());
    }

    #[test]
    fn another_construction_is_named_only_where_it_fits_clearly_better() {
        const SHADES: [&str; 3] = ["bottom row", "left column", "lower half"];
        let by = |construction: Construction| SHADES.map(|shade| percent(&umber(construction), shade));
        let half_cut = by(Construction::HalfCut120);
        let seen: Vec<Difference> = half_cut.iter().enumerate().map(|(nth, percent)| measured(nth + 1, percent + 1.0)).collect();
        let predicted = |construction| Some(by(construction).to_vec());
        let found = better_construction(Construction::Cells60, &seen, predicted);
        assert!(
            matches!(found, Some(Construction::HalfCut108 | Construction::HalfCut120 | Construction::HalfCut144)),
            "{found:?}"
        );
        assert_eq!(better_construction(Construction::HalfCut120, &seen, predicted), None);
        assert!(agrees(&seen[0], half_cut[0]) && !agrees(&seen[0], half_cut[0] + 9.0));
    }

    /// Common practice, no source: singles of 88 W and 87 W that gave 170 W together.
    #[test]
    fn together_is_told_of_the_sum() {
        let of_first = |watts: f64| watts / 88.0 * 100.0;
        let share = percent_of_sum(&[of_first(87.0), of_first(170.0)]).unwrap();
        assert!((share - 170.0 / 175.0 * 100.0).abs() < 1e-9);
        assert_eq!(percent_of_sum(&[100.0]), None);
    }

    #[test]
    fn the_condition_is_the_mean_of_what_is_known() {
        let at = |poa_w_m2, cell_c| Condition { poa_w_m2, cell_c };
        assert_eq!(mean_condition([at(800.0, 40.0), at(900.0, 50.0)].into_iter()), at(850.0, 45.0));
        assert_eq!(mean_condition(std::iter::empty()), USUAL);
    }
}
