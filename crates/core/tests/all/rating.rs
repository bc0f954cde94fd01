//! "Does it make its rating?", from typed lines to the finding.

use flindo_core::measure::entry::understand;
use flindo_core::measure::quantity::{Figures, Quantity, UnsteadyPolicy};
use flindo_core::panel::coefficient::{Coefficient, CoefficientUnit};
use flindo_core::panel::face::Mounting;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::panel::tolerance::{Tolerance, ToleranceUnit};
use flindo_core::record::language::level::patches;
use flindo_core::record::names::Names;
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Load, Setup};
use flindo_core::verdict::arrangement::Arrangement;
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::conformity::RatingVerdict;
use flindo_core::verdict::finding::Finding;
use flindo_core::verdict::ladder::StepCause;
use flindo_core::verdict::rating::{RatingResult, judge_reading, together};
use flindo_core::verdict::reason::{Reason, Remark};
use proptest::prelude::*;

fn judge(nameplate: &Nameplate, setup: &Setup, readings: &[Figures]) -> RatingResult {
    let taken = |figures| Taken { figures, unix_s: 0.0, day_of_year: 1.0, sky: None };
    flindo_core::verdict::rating::judge(nameplate, setup, None, readings.iter().map(taken))
}

/// A 250 W panel as labels of its kind read.
fn umber() -> Nameplate {
    let percent = |value| Some(Coefficient { value, unit: CoefficientUnit::PercentPerK });
    Nameplate {
        rated_w: Some(250.0),
        tolerance: Tolerance { minus: 0.0, plus: 3.0, unit: ToleranceUnit::Percent },
        voc_v: Some(37.8),
        isc_a: Some(8.75),
        vmp_v: Some(30.4),
        imp_a: Some(8.22),
        alpha_isc: percent(0.05),
        beta_voc: percent(-0.32),
        gamma_pmax: percent(-0.43),
        cells_in_series: Some(60),
        noct_c: Some(45.0),
        ..Nameplate::default()
    }
}

fn figures(setup: &Setup, lines: &[&str]) -> Vec<Figures> {
    lines
        .iter()
        .map(|line| understand(line, &setup.meaning()).unwrap_or_else(|error| panic!("{line}: {error}")).figures())
        .collect()
}

fn judged(setup: &Setup, lines: &[&str]) -> RatingResult {
    judge(&umber(), setup, &figures(setup, lines))
}

fn sound() -> Setup {
    Setup { cell_temperature: CellTemperatureSource::Infrared, ..Setup::default() }
}

/// Readings of an arrangement that the circuit explains keep out of a rating, each for its own reason, and the ladder takes its step.
#[test]
fn what_the_circuit_takes_is_no_rating_and_has_its_step() {
    let label = umber();
    let patches = patches("left column", &Names::default()).unwrap().unwrap();
    let shaded = Arrangement::of(&[vec![(&label).into()]], &patches, Mounting::Portrait).unwrap();
    let other = Nameplate { imp_a: Some(5.0), isc_a: Some(5.4), rated_w: Some(152.0), ..umber() };
    let unlike = Arrangement::of(&[vec![(&label).into(), (&other).into()]], &[], Mounting::Portrait).unwrap();
    let alike = Arrangement::of(&[vec![(&label).into(), (&label).into()]], &[], Mounting::Portrait).unwrap();
    let judge = |arrangement: &Arrangement, setup: &Setup, line: &str| {
        let read = figures(setup, &[line]);
        let taken = Taken { figures: &read[0], unix_s: 0.0, day_of_year: 1.0, sky: None };
        together(&label, setup, vec![judge_reading(&label, setup, None, Some(arrangement), &taken).into()])
    };
    let tied = Setup { load: Load::PwmController, ..sound() };
    type Is = fn(&Reason) -> bool;
    let cases: [(&Arrangement, &Setup, &str, Is, StepCause); 3] = [
        (
            &shaded,
            &sound(),
            "17.7 V 7.3 A 900 W/m2 55 C",
            |reason| matches!(reason, Reason::Found(Finding::Shaded { lost_percent }) if (30.0..40.0).contains(lost_percent)),
            StepCause::Shade,
        ),
        (
            &unlike,
            &sound(),
            "58.0 V 4.6 A 900 W/m2 55 C",
            |reason| matches!(reason, Reason::Found(Finding::Mismatch { lost_percent: Some(lost_percent) }) if (10.0..30.0).contains(lost_percent)),
            StepCause::Wiring,
        ),
        (
            &Arrangement::alone(&label).unwrap(),
            &tied,
            "13.4 V 7.7 A 900 W/m2 55 C",
            |reason| matches!(reason, Reason::FixedVoltage { v: Some(v) } if *v == 13.4),
            StepCause::Load,
        ),
    ];
    for (arrangement, setup, line, is, cause) in cases {
        let result = judge(arrangement, setup, line);
        assert!(result.verdict == RatingVerdict::CantTell && result.reasons.iter().any(is), "{line}: {:?}", result.reasons);
        let ladder = result.ladder.unwrap();
        let step = ladder.steps.iter().find(|step| step.cause == cause).unwrap();
        assert!(!ladder.counts && step.factor < 0.95, "{line}: {step:?}");
        let unexplained = ladder.steps.last().unwrap().factor;
        assert!((0.9..1.1).contains(&unexplained), "{line}: {ladder:?}");
    }
    // Two alike hold nothing back: their sum is a rating.
    let both = judge(&alike, &sound(), "54.00 V 7.26 A 900 W/m2 55 C");
    assert_eq!((both.verdict, both.ladder.as_ref().map(|ladder| ladder.rated_w)), (RatingVerdict::Consistent, Some(500.0)));
    assert!(both.open_circuit.is_none() && both.ladder.unwrap().counts);
}

#[test]
fn a_hot_panel_in_weak_sun_can_still_make_its_rating() {
    // 250 W x 0.9 x (1 - 0.0043 x 30) = 195.975 W is all the label promises here.
    let result = judged(&sound(), &["27.00 V 7.26 A 900 W/m2 55 C"]);
    let point = result.readings[0].pmax.as_ref().unwrap();
    assert!((point.rated * point.irradiance_factor * point.angle_factor * point.temperature_factor - 195.975).abs() < 1e-9);
    assert!((point.at_stc - 27.0 * 7.26 / 0.9 / 0.871).abs() < 1e-9);
    assert_eq!(result.verdict, RatingVerdict::Consistent);
}

#[test]
fn a_shortfall_beyond_the_uncertainty_is_below_the_rating() {
    let result = judged(&sound(), &["25.10 V 6.40 A 900 W/m2 55 C", "25.05 V 6.42 A 903 W/m2 55 C"]);
    assert_eq!(result.verdict, RatingVerdict::Below);
    let pmax = result.pmax.unwrap();
    assert!((pmax.percent - 82.0).abs() < 0.5, "{}", pmax.percent);
    assert!(pmax.u_percent > 4.0 && pmax.u_percent < 9.0, "{}", pmax.u_percent);
}

#[test]
fn more_than_the_rating_points_at_the_meter_or_a_cloud() {
    let result = judged(&sound(), &["31.0 V 8.9 A 900 W/m2 45 C"]);
    assert_eq!(result.verdict, RatingVerdict::Above);
}

#[test]
fn without_the_sun_it_cannot_tell() {
    let setup = Setup { irradiance_source: IrradianceSource::Nothing, ..sound() };
    let result = judged(&setup, &["27.0 V 7.26 A 55 C"]);
    assert_eq!((result.verdict, &result.reasons[..]), (RatingVerdict::CantTell, &[Reason::NoSun][..]));
    assert_eq!(result.readings[0].watts_w, Some(27.0 * 7.26));
}

#[test]
fn under_700_watts_per_square_metre_it_cannot_tell_but_shows_the_figure() {
    let result = judged(&sound(), &["27.0 V 5.26 A 650 W/m2 45 C"]);
    assert_eq!(
        (result.verdict, &result.reasons[..]),
        (RatingVerdict::CantTell, &[Reason::Found(Finding::WeakSun { poa_w_m2: 650.0 })][..])
    );
    assert!(result.readings[0].pmax.is_some() && result.pmax.is_none());
    // Exactly 700 is enough, and a weak reading does not spoil the others.
    let mixed = judged(&sound(), &["27.0 V 5.26 A 650 W/m2 45 C", "27.0 V 6.0 A 700 W/m2 45 C"]);
    assert_eq!((mixed.verdict, mixed.pmax.unwrap().count), (RatingVerdict::Consistent, 1));
}

#[test]
fn readings_apart_by_more_than_the_instruments_explain_widen_the_interval() {
    let result = judged(&sound(), &["27.0 V 7.26 A 900 W/m2 55 C", "25.0 V 6.20 A 900 W/m2 55 C"]);
    assert_eq!(result.verdict, RatingVerdict::CantTell);
    assert!(matches!(result.reasons[..], [Reason::UncertaintyTooWide { u_percent }] if u_percent > 20.0), "{:?}", result.reasons);
    // Apart, but each of them far below: that much can be told.
    let low = judged(&sound(), &["25.0 V 5.0 A 900 W/m2 55 C", "25.0 V 6.0 A 900 W/m2 55 C", "25.0 V 5.5 A 900 W/m2 55 C"]);
    assert_eq!(low.verdict, RatingVerdict::Below);
}

#[test]
fn a_meter_too_coarse_cannot_tell() {
    let result = judged(&sound(), &["27 V 0.4 A 900 W/m2 55 C"]);
    assert_eq!(result.verdict, RatingVerdict::CantTell);
    assert!(matches!(result.reasons[..], [Reason::Found(Finding::TooCoarse { quantity: Quantity::Current, step: 0.1, .. })]));
    assert!(result.readings[0].watts_w.is_some(), "the watts are still shown");
}

#[test]
fn an_interval_that_says_nothing_cannot_tell() {
    let poor = Setup {
        instruments: flindo_core::measure::instrument::Instruments { sun_percent: 15.0, ..Default::default() },
        ..sound()
    };
    let result = judged(&poor, &["27.0 V 7.26 A 900 W/m2 55 C"]);
    assert!(matches!(result.reasons[..], [Reason::UncertaintyTooWide { u_percent }] if u_percent > 10.0));
    // Half the rating is below it, however poor the sun meter.
    assert_eq!(judged(&poor, &["27.0 V 3.63 A 900 W/m2 55 C"]).verdict, RatingVerdict::Below);
}

#[test]
fn a_test_without_readings_cannot_tell() {
    assert_eq!(judged(&sound(), &[]).reasons, [Reason::NoReadings]);
    assert!(matches!(judged(&sound(), &["0 V 0 A 900 W/m2 55 C"]).reasons[..], [Reason::ZeroWatts]));
}

/// Common practice, no source: a 250 W panel with Voc 31.71 V and Isc 9.0 A gave 22.57 V x 8.78 A = 198 W; the product of
/// the first two is 285 W and must never appear as a power.
#[test]
fn two_hundred_and_eighty_five_watts_never_appear() {
    let nameplate =
        Nameplate { voc_v: Some(31.71), isc_a: Some(9.0), vmp_v: None, imp_a: None, cells_in_series: None, ..umber() };
    let setup = sound();
    for line in ["Voc 31.71 Isc 9.0 1000 W/m2 25 C", "31.71 V 9.0 A 1000 W/m2 25 C", "31.71 V 9.0 A"] {
        let result = judge(&nameplate, &setup, &figures(&setup, &[line]));
        assert_eq!(result.readings[0].watts_w, None, "{line}");
        assert!(result.readings[0].pmax.is_none() && result.pmax.is_none() && result.ladder.is_none(), "{line}");
    }
    let multimeter = Setup { load: Load::MultimeterOnly, ..setup };
    let result = judge(&nameplate, &multimeter, &figures(&multimeter, &["31.71 V 9.0 A 1000 W/m2 25 C"]));
    assert_eq!((result.verdict, result.readings[0].watts_w), (RatingVerdict::NoWatts, None));
    let loaded = judge(&nameplate, &setup, &figures(&setup, &["22.57 V 8.78 A 1000 W/m2 25 C"]));
    assert_eq!(loaded.readings[0].watts_w.map(f64::round), Some(198.0));
}

#[test]
fn a_real_working_point_in_the_cold_or_at_a_clouds_edge_is_not_taken_for_voc_times_isc() {
    // -10 C: Vmp is 15 % up; 1250 W/m2: Imp is a quarter up.
    for line in ["34.9 V 8.1 A 1000 W/m2 -10 C", "29.0 V 10.3 A 1250 W/m2 45 C", "34.0 V 10.2 A 1250 W/m2 0 C"] {
        assert!(judged(&sound(), &[line]).readings[0].watts_w.is_some(), "{line}");
    }
}

#[test]
fn voc_and_isc_alone_are_related_to_the_label_but_give_no_watts() {
    let setup = Setup { load: Load::MultimeterOnly, ..sound() };
    let result = judged(&setup, &["34.3 V 7.98 A 900 W/m2 50 C"]);
    assert_eq!(result.verdict, RatingVerdict::NoWatts);
    assert!(result.pmax.is_none() && result.ladder.is_none());
    let (voc, isc) = (result.open_circuit.unwrap(), result.short_circuit.unwrap());
    assert!((voc.percent - 99.2).abs() < 0.6, "{}", voc.percent);
    assert!((isc.percent - 100.1).abs() < 0.3, "{}", isc.percent);
    assert!(voc.u_percent < isc.u_percent, "volts hardly feel the sun, so they are surer");
    let blind = judged(&Setup { irradiance_source: IrradianceSource::Nothing, ..setup }, &["34.3 V 7.98 A"]);
    assert_eq!((blind.verdict, &blind.reasons[..]), (RatingVerdict::NoWatts, &[Reason::NoSun, Reason::NoCellTemperature][..]));
}

#[test]
fn the_panels_own_voc_may_be_the_thermometer_and_then_proves_nothing_about_itself() {
    let setup = Setup { cell_temperature: CellTemperatureSource::OwnVoc, ..sound() };
    let result = judged(&setup, &["27.00 V 7.26 A Voc 34.0 900 W/m2"]);
    let point = result.readings[0].pmax.as_ref().unwrap();
    // 37.8 V, -0.32 %/K, a = 1.2 x 60 x 25.69 mV / 37.8 V: 34.0 V at 900 W/m2 are cells of 54.8 C.
    assert!((point.condition.cell_c - 54.8).abs() < 0.2, "{}", point.condition.cell_c);
    assert!(result.open_circuit.is_none());
    let probe = judged(&sound(), &["27.00 V 7.26 A Voc 34.0 900 W/m2 54.8 C"]);
    assert!(probe.open_circuit.is_some() && probe.pmax.unwrap().u_percent < result.pmax.unwrap().u_percent);
    assert_eq!(judged(&setup, &["27.00 V 7.26 A 900 W/m2"]).reasons, [Reason::NoCellTemperature]);
    assert_eq!(judged(&setup, &["27.00 V 7.26 A Voc 34.0"]).reasons, [Reason::NoSun]);
    assert_eq!(judged(&setup, &["27.00 V 7.26 A Voc 3.4 900 W/m2"]).reasons, [Reason::NoCellTemperature], "no panel is that hot");
}

#[test]
fn the_test_chooses_what_a_range_counts_as() {
    let line = ["190-198 W 900 W/m2 55 C"];
    let watts = |unsteady| judged(&Setup { unsteady, ..sound() }, &line).readings[0].watts_w;
    assert_eq!((watts(UnsteadyPolicy::Middle), watts(UnsteadyPolicy::Peak)), (Some(194.0), Some(198.0)));
    let mixed = judged(&sound(), &["peak 198 W 900 W/m2 55 C"]);
    assert!(matches!(mixed.readings[0].remarks[..], [Remark::OtherPolicy { quantity: Quantity::Power, .. }]));
}

#[test]
fn watts_that_disagree_with_volts_times_amps_are_remarked() {
    let result = judged(&sound(), &["27.0 V 7.26 A 170 W 900 W/m2 55 C"]);
    assert!(matches!(result.readings[0].remarks[..], [Remark::WattsDisagree { .. }]));
    assert_eq!(result.readings[0].watts_w, Some(27.0 * 7.26));
}

prop_compose! {
    fn reading()(v in 10.0..45.0_f64, a in 0.5..12.0_f64, sun in 200.0..1300.0_f64, cell in -20.0..90.0_f64) -> String {
        format!("{v:.2} V {a:.2} A {sun:.0} W/m2 {cell:.1} C")
    }
}

proptest! {
    #[test]
    fn the_steps_of_the_ladder_multiply_out_to_the_measured_watts(lines in prop::collection::vec(reading(), 1..8)) {
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let result = judged(&sound(), &lines);
        if let (Some(ladder), Some(pmax)) = (&result.ladder, &result.pmax) {
            let product = ladder.steps.iter().fold(ladder.rated_w, |watts, step| watts * step.factor);
            prop_assert!((product / ladder.measured_w - 1.0).abs() < 1e-12);
            let [.., before, last] = &ladder.steps[..] else { panic!("no steps") };
            prop_assert!((last.to_w / ladder.measured_w - 1.0).abs() < 1e-12);
            prop_assert!((before.to_w / ladder.expected_w - 1.0).abs() < 1e-12);
            // The result is what sun, angle and cell temperature leave unexplained: the circuit corrects nothing.
            let left = ladder.measured_w / (ladder.rated_w * ladder.linear_factor());
            prop_assert!((left * 100.0 / pmax.percent - 1.0).abs() < 1e-12);
        }
    }

    #[test]
    fn the_order_of_the_readings_does_not_matter(lines in prop::collection::vec(reading(), 1..6)) {
        let mut lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let forward = judged(&sound(), &lines);
        lines.reverse();
        let backward = judged(&sound(), &lines);
        prop_assert_eq!(forward.verdict, backward.verdict);
        let percent = |result: &RatingResult| result.pmax.as_ref().map_or(0.0, |pmax| pmax.percent);
        prop_assert!((percent(&forward) - percent(&backward)).abs() < 1e-9);
    }

    #[test]
    fn every_figure_is_finite_and_has_an_uncertainty(lines in prop::collection::vec(reading(), 1..6)) {
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        for reading in judged(&sound(), &lines).readings {
            if let Some(point) = &reading.pmax {
                prop_assert!(point.at_stc.is_finite() && point.percent.is_finite());
                prop_assert!(point.u_at_stc() > 0.0 && point.u_percent().is_finite());
            }
        }
    }
}
