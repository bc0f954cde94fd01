//! Laws that hold whatever the numbers are.
use flindo_core::decimal::Decimal;
use flindo_core::energy::hardware::Hardware;
use flindo_core::measure::budget::{Budget, Cause};
use flindo_core::measure::correct::{Condition, STC, isc_at_stc_a, pmax_at_stc_w, voc_at_stc_v};
use flindo_core::measure::coverage::factor_95;
use flindo_core::measure::iec60891::{IvPoint, Procedure1, Procedure2, five_figures, procedure_1, procedure_2};
use flindo_core::measure::instrument::{Accuracy, Instruments, too_coarse};
use flindo_core::measure::quantity::{Quantity, UnsteadyPolicy};
use flindo_core::panel::coefficient::{Coefficient, CoefficientOf, CoefficientUnit};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::panel::nameplate::{Nameplate, Technology};
use flindo_core::panel::temperature::{CELL_ABOVE_BACK_K, cell_from_air_c, cell_from_back_c, faiman_c, sandia_back_c};
use flindo_core::panel::tolerance::{Tolerance, ToleranceUnit};
use flindo_core::record::setup::{self, CellTemperatureSource, IrradianceSource, Load, Setup, SetupTyped};
use flindo_core::sky::air::{airmass_absolute, airmass_relative, pressure_pa};
use flindo_core::sky::clear_sky::ClearAir;
use flindo_core::sky::incidence::{Glass, ashrae, martin_ruiz, physical};
use flindo_core::sky::place::{Horizon, Place};
use flindo_core::sky::split::erbs;
use flindo_core::sky::sun::{DELTA_T_S, Instant};
use proptest::prelude::*;

/// A number with so many decimals, as a person types it.
fn typed(low: f64, high: f64, decimals: usize) -> impl Strategy<Value = f64> {
    (low..high).prop_map(move |value| format!("{value:.decimals$}").parse().unwrap())
}

fn coefficient(low: f64, high: f64) -> impl Strategy<Value = Option<Coefficient>> {
    let unit = prop_oneof![Just(CoefficientUnit::PercentPerK), Just(CoefficientUnit::OwnPerK)];
    proptest::option::of((typed(low, high, 3), unit).prop_map(|(value, unit)| Coefficient { value, unit }))
}

prop_compose! {
    fn nameplate()(
        (rated_w, voc_v, isc_a) in (typed(5.0, 700.0, 1), typed(5.0, 60.0, 2), typed(0.5, 20.0, 2)),
        (vmp_share, imp_share) in (0.7..0.9_f64, 0.85..0.98_f64),
        (alpha_isc, beta_voc, gamma_pmax) in (coefficient(0.0, 0.15), coefficient(-0.5, -0.1), coefficient(-0.6, -0.1)),
        (cells, technology, noct_c, construction) in (proptest::option::of(1_u32..200), 0..3_usize, proptest::option::of(typed(40.0, 50.0, 1)), 0..20_usize),
        (minus, plus, in_watts) in (typed(0.0, 1.5, 1), typed(0.0, 1.5, 1), any::<bool>()),
    ) -> Nameplate {
        let unit = if in_watts && (minus, plus) != (0.0, 0.0) { ToleranceUnit::Watt } else { ToleranceUnit::Percent };
        let two = |value: f64| (value * 100.0).round() / 100.0;
        Nameplate {
            length_m: None,
            width_m: None,
            bifaciality: None,
            weight_kg: None,
            degradation_percent_per_year: None,
            rated_w: Some(rated_w),
            // A tolerance of 0 has no minus sign.
            tolerance: Tolerance { minus: -minus + 0.0, plus, unit },
            voc_v: Some(voc_v),
            isc_a: Some(isc_a),
            vmp_v: Some(two(voc_v * vmp_share)),
            imp_a: Some(two(isc_a * imp_share)),
            alpha_isc,
            beta_voc,
            gamma_pmax,
            cells_in_series: cells,
            technology: Technology::ALL[technology],
            noct_c,
            construction: Construction::ALL.get(construction).copied(),
        }
    }
}

prop_compose! {
    fn setup_of_any_kind()(
        (tilt_deg, azimuth_deg) in (typed(0.0, 90.0, 1), typed(0.0, 359.0, 1)),
        (load, sun, cell_temperature, unsteady) in (0..Load::ALL.len(), 0..IrradianceSource::ALL.len(), 0..5_usize, 0..3_usize),
        mounting in 0..2_usize,
        (isc_a, pmax_w) in prop_oneof![(typed(0.1, 20.0, 2).prop_map(Some), Just(None)), (Just(None), typed(1.0, 600.0, 1).prop_map(Some))],
        reference_percent in proptest::option::of(typed(0.1, 20.0, 1)),
        accuracy in proptest::array::uniform6(typed(0.0, 20.0, 2)),
        (sun_percent, thermometer_k) in (typed(0.1, 50.0, 1), typed(0.1, 20.0, 1)),
    ) -> Setup {
        Setup {
            tilt_deg,
            azimuth_deg,
            load: Load::ALL[load],
            irradiance_source: IrradianceSource::ALL[sun],
            cell_temperature: CellTemperatureSource::ALL[cell_temperature],
            unsteady: UnsteadyPolicy::ALL[unsteady],
            instruments: Instruments {
                volts: Accuracy { percent: accuracy[0], digits: accuracy[1] },
                amps: Accuracy { percent: accuracy[2], digits: accuracy[3] },
                watts: Accuracy { percent: accuracy[4], digits: accuracy[5] },
                sun_percent,
                thermometer_k,
            },
            reference_isc_a: isc_a,
            reference_pmax_w: pmax_w,
            reference_percent,
            mounting: Mounting::ALL[mounting],
        }
    }
}

proptest! {
    #[test]
    fn a_label_typed_again_is_the_same_label(nameplate in nameplate()) {
        let checked = check(&LabelTyped::of(&nameplate));
        prop_assert_eq!(checked.nameplate, Some(nameplate), "{:?}", checked.notes);
    }

    #[test]
    fn a_setup_typed_again_is_the_same_setup(setup in setup_of_any_kind()) {
        prop_assert_eq!(setup::check(&SetupTyped::of(&setup)), Ok(setup));
        prop_assert!(flindo_core::measure::entry::understand(&setup.example(), &setup.meaning()).is_ok());
    }

    #[test]
    fn a_coefficient_printed_reads_back(value in typed(-2.0, 2.0, 4), own in any::<bool>()) {
        let unit = if own { CoefficientUnit::OwnPerK } else { CoefficientUnit::PercentPerK };
        for of in [CoefficientOf::Isc, CoefficientOf::Voc, CoefficientOf::Pmax] {
            let coefficient = Coefficient { value, unit };
            prop_assert_eq!(Coefficient::parse(&coefficient.as_text(of), of), Ok(coefficient));
        }
    }

    #[test]
    fn a_decimal_is_read_within_half_its_step(value in -1e5..1e5_f64, decimals in 0..4_usize) {
        let number = Decimal::parse(&format!("{value:.decimals$}")).unwrap();
        prop_assert!((number.value() - value).abs() <= number.step() / 2.0 + 1e-9);
    }

    #[test]
    fn more_sun_or_heat_in_the_condition_changes_the_figure_at_stc_the_right_way(
        poa in 200.0..1200.0_f64, cell in -20.0..80.0_f64, gamma in -0.006..-0.002_f64, a in 0.02..0.08_f64,
    ) {
        let at = Condition { poa_w_m2: poa, cell_c: cell };
        let warmer = Condition { cell_c: cell + 1.0, ..at };
        let brighter = Condition { poa_w_m2: poa + 10.0, ..at };
        prop_assert!(pmax_at_stc_w(100.0, warmer, gamma) > pmax_at_stc_w(100.0, at, gamma));
        prop_assert!(pmax_at_stc_w(100.0, brighter, gamma) < pmax_at_stc_w(100.0, at, gamma));
        prop_assert!(voc_at_stc_v(30.0, warmer, gamma * 0.7, a) > voc_at_stc_v(30.0, at, gamma * 0.7, a));
        prop_assert!(isc_at_stc_a(8.0, brighter, 0.0005) < isc_at_stc_a(8.0, at, 0.0005));
        // What the label promises under a condition, brought back to STC, is the label.
        let expected = 250.0 * at.irradiance_factor() * at.temperature_factor(gamma);
        prop_assert!((pmax_at_stc_w(expected, at, gamma) / 250.0 - 1.0).abs() < 1e-12);
        prop_assert_eq!(pmax_at_stc_w(100.0, STC, gamma), 100.0);
    }

    #[test]
    fn there_and_back_by_procedure_1_is_the_same_curve(isc in 1.0..15.0_f64, voc in 10.0..60.0_f64, poa in 700.0..900.0_f64, cell in 10.0..70.0_f64) {
        let points: Vec<IvPoint> = (0..=60).map(|step| voc * f64::from(step) / 60.0)
            .map(|v_v| IvPoint { v_v, i_a: isc * (1.0 - ((v_v - voc) / (voc / 18.0)).exp()) }).collect();
        let from = Condition { poa_w_m2: poa, cell_c: cell };
        // Without resistance terms the two ways undo each other, but for the short circuit current they start from.
        let with = Procedure1 { alpha_isc_a_per_k: 0.0, beta_voc_v_per_k: -0.003 * voc, r_s_ohm: 0.0, kappa_ohm_per_k: 0.0 };
        let there = procedure_1(&points, from, STC, &with).unwrap();
        let back = procedure_1(&there, STC, from, &with).unwrap();
        for (point, original) in back.iter().zip(&points) {
            prop_assert!((point.v_v - original.v_v).abs() < 1e-9 * voc);
            prop_assert!((point.i_a - original.i_a).abs() < 0.02 * isc);
        }
        let relative = Procedure2 { alpha_isc_rel_per_k: 0.0004, beta_voc_rel_per_k: -0.003, a: 0.05, r_s_ohm: 0.0, kappa_ohm_per_k: 0.0 };
        let figures = five_figures(&procedure_2(&points, from, STC, &relative).unwrap()).unwrap();
        prop_assert!(figures.vmp_v < figures.voc_v && figures.imp_a < figures.isc_a);
        prop_assert!((figures.vmp_v * figures.imp_a / figures.pmax_w - 1.0).abs() < 1e-12);
        let measured = five_figures(&points).unwrap();
        prop_assert!(figures.isc_a > measured.isc_a, "brighter light, more current");
    }

    #[test]
    fn a_budget_is_no_less_than_its_heaviest_line(lines in proptest::collection::vec(0.0..0.1_f64, 1..8)) {
        const CAUSES: [Cause; 4] = [Cause::SunMeter, Cause::Steps, Cause::Ammeter, Cause::Wander];
        let mut budget = Budget::default();
        lines.iter().enumerate().for_each(|(index, u_rel)| budget.add(CAUSES[index % 4], *u_rel));
        let heaviest = lines.iter().copied().fold(0.0, f64::max);
        prop_assert!(budget.combined_rel() >= heaviest - 1e-15);
        prop_assert!(budget.combined_rel() <= lines.iter().sum::<f64>() + 1e-15);
        prop_assert!((budget.shared_rel().hypot(budget.own_rel()) - budget.combined_rel()).abs() < 1e-15);
    }

    #[test]
    fn more_degrees_of_freedom_never_widen_the_interval(dof in 1.0..500.0_f64, more in 0.0..50.0_f64) {
        prop_assert!(factor_95(dof + more) <= factor_95(dof));
        prop_assert!(factor_95(dof) >= 2.0);
    }

    #[test]
    fn a_finer_step_is_never_coarser(value in 0.01..100.0_f64, step in 0.001..10.0_f64) {
        prop_assert!(!too_coarse(value, step / 1000.0) || too_coarse(value, step));
    }

    #[test]
    fn cells_are_warmer_in_more_sun_and_cooler_in_more_wind(poa in 0.0..1200.0_f64, air in -30.0..45.0_f64, wind in 0.0..15.0_f64) {
        prop_assert!(faiman_c(poa, air, wind, 25.0, 6.84) >= air);
        prop_assert!(faiman_c(poa, air, wind + 1.0, 25.0, 6.84) <= faiman_c(poa, air, wind, 25.0, 6.84));
        prop_assert!(sandia_back_c(poa, air, wind + 1.0, -3.47, -0.0594) <= sandia_back_c(poa, air, wind, -3.47, -0.0594));
        prop_assert!(cell_from_back_c(air, poa, CELL_ABOVE_BACK_K) >= air && cell_from_air_c(air, poa, 45.0, None) >= air);
    }

    #[test]
    fn split_light_adds_up_again(zenith in 0.0..86.9_f64, share in 0.0..1.0_f64, day in 1.0..366.0_f64) {
        let ghi = 1300.0 * zenith.to_radians().cos() * share;
        let (kt, light) = erbs(ghi, zenith, day).unwrap();
        prop_assert!((0.0..=1.0).contains(&kt));
        prop_assert!((light.dni_w_m2 * zenith.to_radians().cos() + light.dhi_w_m2 - ghi).abs() < 1e-9);
        prop_assert!(light.dni_w_m2 >= 0.0 && light.dhi_w_m2 >= 0.0);
    }

    #[test]
    fn a_clear_sky_adds_up_and_dims_with_haze(zenith in 0.0..89.0_f64, elevation in 0.0..4000.0_f64, turbidity in 1.5..7.0_f64) {
        let air = |turbidity| {
            let absolute = airmass_absolute(airmass_relative(zenith), pressure_pa(elevation));
            ClearAir::of(elevation, turbidity).light(zenith.to_radians().cos(), absolute, 1361.0)
        };
        let light = air(turbidity);
        prop_assert!((light.dni_w_m2 * zenith.to_radians().cos() + light.dhi_w_m2 - light.ghi_w_m2).abs() < 1e-9);
        prop_assert!(light.dni_w_m2 <= 1361.0 && light.ghi_w_m2 >= 0.0 && light.dhi_w_m2 >= -1e-9);
        prop_assert!(air(turbidity + 0.5).ghi_w_m2 <= light.ghi_w_m2);
    }

    #[test]
    fn air_grows_toward_the_horizon(zenith in 0.0..89.0_f64) {
        prop_assert!(airmass_relative(zenith + 1.0) > airmass_relative(zenith));
        prop_assert!(airmass_relative(zenith) <= 1.0 / zenith.to_radians().cos() + 1e-3, "the Earth is round");
    }

    #[test]
    fn glass_lets_in_less_the_more_aslant(aoi in 0.0..88.0_f64, coated in any::<bool>()) {
        let glass = Glass { n_coating: coated.then_some(1.29), ..Glass::default() };
        for iam in [|aoi, glass: &Glass| physical(aoi, glass), |aoi, _: &Glass| ashrae(aoi, 0.05), |aoi, _: &Glass| martin_ruiz(aoi, 0.16)] {
            let (near, far) = (iam(aoi, &glass).unwrap(), iam(aoi + 2.0, &glass).unwrap());
            prop_assert!(far <= near + 1e-3 && (0.0..=1.001).contains(&near), "{aoi}: {near} {far}");
            prop_assert!((iam(0.0, &glass).unwrap() - 1.0).abs() < 1e-12);
            prop_assert_eq!(iam(120.0, &glass).unwrap(), 0.0);
        }
    }

    #[test]
    fn the_sun_is_on_its_circle_and_solar_noon_is_when_it_is_highest(unix_s in 0.0..4.0e9_f64, lat in -60.0..60.0_f64, lon in -180.0..180.0_f64) {
        let place = Place::check(lat, lon, 0.0).unwrap();
        let instant = Instant::at(unix_s, DELTA_T_S).unwrap();
        let sun = instant.seen_from(&place, 101_325.0, 12.0).unwrap();
        prop_assert!((0.0..=180.0).contains(&sun.zenith_true_deg) && (0.0..360.0).contains(&sun.azimuth_deg));
        prop_assert!(sun.zenith_apparent_deg <= sun.zenith_true_deg);
        prop_assert!(instant.equation_of_time_min().abs() < 17.5 && instant.declination_deg().abs() < 23.46);
        let from_noon_s = (instant.solar_time_h(unix_s, lon) - 12.0) * 3600.0;
        let noon = unix_s - from_noon_s;
        let height = |unix_s| Instant::at(unix_s, DELTA_T_S).unwrap().seen_from(&place, 101_325.0, 12.0).unwrap().elevation_deg();
        prop_assert!(height(noon) >= height(noon - 1800.0) - 0.01 && height(noon) >= height(noon + 1800.0) - 0.01);
    }

    #[test]
    fn a_horizon_stays_between_its_lowest_and_highest_point(points in proptest::collection::btree_map(0_u16..360, 0_u16..89, 1..8), azimuth in 0.0..360.0_f64) {
        let text: Vec<String> = points.iter().map(|(azimuth, height)| format!("{azimuth} {height}")).collect();
        let height = Horizon::parse(&text.join(", ")).unwrap().height_deg(azimuth);
        let (low, high) = (*points.values().min().unwrap(), *points.values().max().unwrap());
        prop_assert!((f64::from(low) - 1e-9..=f64::from(high) + 1e-9).contains(&height));
    }

    #[test]
    fn no_text_makes_a_horizon_a_tolerance_or_a_weather_file_panic(text in "\\PC{0,60}") {
        let _ = Horizon::parse(&text);
        let _ = flindo_core::panel::tolerance::parse(&text);
        let _ = flindo_core::energy::epw::parse(&text);
        let _ = flindo_core::units::azimuth_deg(&text);
    }

    #[test]
    fn dearer_energy_never_makes_hardware_less_worth(gained in 0.0..500.0_f64, price in 1.0..500.0_f64, kwh in 0.05..0.5_f64) {
        let years = |kwh_price| Hardware { price, minutes_per_change: 20.0, hour_price: 12.0, kwh_price }.worth(gained, 2).years.unwrap_or(f64::INFINITY);
        prop_assert!(years(kwh + 0.05) <= years(kwh));
    }
}

#[test]
fn every_quantity_has_a_unit_a_range_and_a_name_that_ends_in_its_unit() {
    for quantity in Quantity::ALL {
        let (low, high) = quantity.allowed().into_inner();
        assert!(low < high && !quantity.label().is_empty());
        let suffix = match quantity.unit() {
            "V" => "_v",
            "A" => "_a",
            "W" => "_w",
            "Wh" => "_wh",
            "Ah" => "_ah",
            "W/m2" => "_w_m2",
            "%" => "_percent",
            "m/s" => "_m_s",
            _ => "_c",
        };
        assert!(quantity.name().ends_with(suffix), "{}", quantity.name());
    }
}
