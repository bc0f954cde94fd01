//! What the circuit predicts for each level of a comparison, beside what was measured.

use super::arrangement::Gives;
use super::assessment::{AssessedLevel, LevelPrediction, NoPrediction, Prediction, panels_by_level};
use super::comparison::{Compared, Comparison, Level, percent_of_sum, together};
use super::estimate::Difference;
use super::subject::{Subject, Taking};
use crate::constants::STC_CELL_C;
use crate::load::operate::Charger;
use crate::measure::correct::Condition;
use crate::panel::construction::Construction;
use crate::record::condition::{Factor, assumed_of, differences};
use crate::record::question::Analysis;
use crate::record::setup::Load;
use crate::record::test::TestRecord;
use crate::sky::course::Moment;

/// A shade laid by hand is off by a few millimetres, and a little light is transmitted under its edge: predictions are taken to be right
/// within so many percent of the baseline, either way. Flindo's own limit.
pub const PREDICTION_LIMIT_PERCENT: f64 = 5.0;

/// Where a test says nothing of sun and temperature, it is predicted for a clear noon. Common practice, no source; percent of a baseline
/// hardly depend on it.
pub const USUAL: Condition = Condition { poa_w_m2: 900.0, cell_c: STC_CELL_C + 20.0 };

/// Volts of a battery in bulk charge for each nominal volt, where nobody read them. Common practice, no source.
const BULK_V_REL: f64 = 13.3 / 12.0;

/// The mean of the conditions that are known; [`USUAL`] where none is.
pub fn mean_condition(known: impl Iterator<Item = Condition>) -> Condition {
    let (mut sum, mut count) = (Condition { poa_w_m2: 0.0, cell_c: 0.0 }, 0.0);
    for at in known {
        sum = Condition { poa_w_m2: sum.poa_w_m2 + at.poa_w_m2, cell_c: sum.cell_c + at.cell_c };
        count += 1.0;
    }
    if count == 0.0 { USUAL } else { Condition { poa_w_m2: sum.poa_w_m2 / count, cell_c: sum.cell_c / count } }
}

/// The prediction of a comparison; `None` for what no circuit gives.
pub(super) fn predicted(record: &TestRecord, levels: &[AssessedLevel<'_>], found: &Comparison) -> Option<Prediction> {
    if matches!(found.compared, Compared::Energy | Compared::Charge | Compared::Voltage) {
        return None;
    }
    let plan = record.plan.as_ref()?;
    let known = levels.iter().flat_map(|level| &level.rating.readings).filter_map(|reading| reading.known.map(|known| known.at));
    let at = mean_condition(known);
    let baseline = &levels.first()?.subject;
    let one = |level: &Level| {
        let number = level.difference.level;
        let conditions = record.conditions(number);
        let percent = percent_of(record, baseline, &levels[number].subject, number, found.compared, at, None);
        let assumed = assumed_of(&conditions, levels[number].subject.count());
        let agrees = percent.as_ref().is_ok_and(|percent| agrees(&level.difference, *percent));
        LevelPrediction { level: number, percent, assumed, agrees }
    };
    let predictions: Vec<LevelPrediction> = found.levels.iter().map(one).collect();
    if predictions.iter().all(|one| matches!(one.percent, Err(NoPrediction::OnlyNamed | NoPrediction::NotOfTheCircuit))) {
        return None;
    }
    let percent_at = |level: usize| match level {
        0 => Some(100.0),
        _ => predictions.iter().find(|one| one.level == level).and_then(|one| one.percent.clone().ok()),
    };
    let of_sum = together(&panels_by_level(levels)).into_iter().next().filter(|_| plan.analysis() == Analysis::OfSum);
    let of_sum_percent = of_sum.and_then(|one| percent_of_sum(&one, percent_at));
    let construction = baseline.label().construction();
    // No accusation rests on what was only assumed.
    let is_said = predictions.iter().all(|one| one.assumed.is_empty());
    let differs = predictions.iter().any(|one| one.percent.is_ok() && !one.agrees);
    let varies_shade = matches!(plan.question.card().factor, Factor::Shade | Factor::Covers);
    let better = if is_said && differs && varies_shade {
        let measured: Vec<Difference> = found.levels.iter().map(|one| one.difference.clone()).collect();
        better_construction(construction, &measured, |other| {
            let of = |one: &Level| {
                let number = one.difference.level;
                percent_of(record, baseline, &levels[number].subject, number, found.compared, at, Some(other)).ok()
            };
            found.levels.iter().map(of).collect()
        })
    } else {
        None
    };
    Some(Prediction { at, construction, levels: predictions, of_sum_percent, better })
}

/// One level as percent of the baseline under the same sun.
fn percent_of(
    record: &TestRecord,
    baseline: &Subject<'_>,
    level: &Subject<'_>,
    number: usize,
    compared: Compared,
    at: Condition,
    construction: Option<Construction>,
) -> Result<f64, NoPrediction> {
    let factors = differences(&record.conditions(0), &record.conditions(number));
    let of_circuit = |factor: &Factor| {
        matches!(
            factor,
            Factor::Shade
                | Factor::Covers
                | Factor::Wiring
                | Factor::Panel
                | Factor::Rig
                | Factor::Load
                | Factor::Tilt
                | Factor::Azimuth
        ) || *factor == Factor::Step && record.rig_at(&record.conditions(number)).map(|rig| &rig.id) != record.rig.as_ref()
    };
    if factors.is_empty() || !factors.iter().all(of_circuit) {
        return Err(NoPrediction::OnlyNamed);
    }
    let is_typed = |factor: &Factor| {
        record.conditions(number).get(factor).is_none_or(|condition| {
            condition.value != crate::record::condition::Value::Name
                || matches!(factor, Factor::Shade | Factor::Covers | Factor::Wiring)
        })
    };
    if !factors.iter().all(is_typed) {
        return Err(NoPrediction::OnlyNamed);
    }
    let (whole, part) = (gives(baseline, at, construction)?, gives(level, turned(record, baseline, level, at), construction)?);
    let what = |gives: &Given| match compared {
        Compared::OutputWatts => Some(gives.output_w),
        Compared::Watts => Some(gives.of_panels.watts_w),
        Compared::Isc | Compared::Current => Some(gives.of_panels.isc_a),
        Compared::Voc => Some(gives.of_panels.voc_v),
        Compared::OutputCurrent | Compared::Energy | Compared::Charge | Compared::Voltage => None,
    };
    let whole = what(&whole).filter(|whole| *whole > 0.0).ok_or(NoPrediction::NotOfTheCircuit)?;
    what(&part).map(|part| part / whole * 100.0).ok_or(NoPrediction::NotOfTheCircuit)
}

/// The light of the baseline brought onto the plane of a level, by a clear sky at the middle of the test.
fn turned(record: &TestRecord, baseline: &Subject<'_>, level: &Subject<'_>, at: Condition) -> Condition {
    let (from, to) = (baseline.setup.plane(), level.setup.plane());
    let Some((site, first)) = record.site.as_ref().zip(record.readings.first()).filter(|_| from != to) else { return at };
    let n = record.readings.len() as f64;
    let middle_s = record.readings.iter().map(|reading| reading.taken_utc.as_second() as f64).sum::<f64>() / n;
    match Moment::at(site, middle_s, first.day_of_year) {
        Ok(moment) if moment.on(&from).poa_w_m2 > 1.0 => {
            Condition { poa_w_m2: at.poa_w_m2 * moment.on(&to).poa_w_m2 / moment.on(&from).poa_w_m2, ..at }
        }
        Ok(_) | Err(_) => at,
    }
}

/// What a level gives, from its panels and out of its controller.
struct Given {
    of_panels: Gives,
    output_w: f64,
}

fn gives(subject: &Subject<'_>, at: Condition, construction: Option<Construction>) -> Result<Given, NoPrediction> {
    let made = subject.arrangement.clone()?;
    let made = construction.map_or(made.clone(), |construction| made.built(construction));
    let of_panels = made.gives(at)?;
    let Taking::Controller { controller, battery, .. } = &subject.taking else {
        return Ok(Given { of_panels, output_w: of_panels.watts_w });
    };
    let battery_v = battery.as_ref().map_or(12.0, |battery| battery.nominal_v) * BULK_V_REL;
    let charger = Charger {
        controller,
        battery_v,
        accepts_a: f64::INFINITY,
        is_global: subject.setup.load != Load::LocalTrackingController,
    };
    let charging = made.on_charger(at, &charger)?;
    Ok(Given { of_panels: Gives { watts_w: charging.panel.w(), ..of_panels }, output_w: charging.battery_w() })
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
    use super::super::arrangement::Arrangement;
    use super::*;
    use crate::panel::face::Mounting;
    use crate::panel::label::{LabelTyped, check};
    use crate::panel::nameplate::Nameplate;
    use crate::record::language::level::patches;
    use crate::record::names::Names;

    fn umber(construction: Construction) -> Nameplate {
        let mut typed = LabelTyped::default();
        for (name, text) in [("rated_w", "250"), ("voc_v", "37.8"), ("isc_a", "8.75"), ("vmp_v", "30.4"), ("imp_a", "8.22")] {
            typed.set(name, text);
        }
        Nameplate { construction: Some(construction), cells_in_series: Some(60), ..check(&typed).nameplate.unwrap() }
    }

    fn under(label: &Nameplate, shade: &str) -> Arrangement {
        let patches = patches(shade, &Names::default()).unwrap().unwrap();
        Arrangement::of(&[vec![label.into()]], &patches, Mounting::Portrait).unwrap()
    }

    fn percent(label: &Nameplate, shade: &str) -> f64 {
        under(label, shade).gives(USUAL).unwrap().watts_w / under(label, "none").gives(USUAL).unwrap().watts_w * 100.0
    }

    fn measured(level: usize, percent: f64) -> Difference {
        Difference {
            level,
            percent,
            u_percent: 2.0,
            u_99_percent: 3.0,
            parts: Vec::new(),
            t_95: 2.0,
            contrast: Vec::new(),
            dof: 10.0,
            runs: 2,
            drift_percent: 0.0,
            is_bracketed: true,
        }
    }

    /// Common practice, no source: one cell of a panel with three diodes costs about a third, and its open-circuit volts hardly move.
    #[test]
    fn one_cell_costs_a_third_of_the_watts_and_little_of_the_volts() {
        let whole_cells = umber(Construction::Cells60);
        assert!((60.0..72.0).contains(&percent(&whole_cells, "one cell")), "{}", percent(&whole_cells, "one cell"));
        let volts = |shade: &str| under(&whole_cells, shade).gives(USUAL).unwrap().voc_v;
        assert!(volts("one cell") / volts("none") > 0.95);
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

    #[test]
    fn the_condition_is_the_mean_of_what_is_known() {
        let at = |poa_w_m2, cell_c| Condition { poa_w_m2, cell_c };
        assert_eq!(mean_condition([at(800.0, 40.0), at(900.0, 50.0)].into_iter()), at(850.0, 45.0));
        assert_eq!(mean_condition(std::iter::empty()), USUAL);
    }
}
