//! Laws of controllers, of series against parallel, and of a shade's size, over random panels, shades and batteries.
use flindo_core::array::{Array, ArrayWiring};
use flindo_core::gear::controller::Controller;
use flindo_core::load::operate::{Charger, ControllerState, Load};
use flindo_core::load::series_parallel::{BothWays, Converter, wiring_preference};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::curve::Curve;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::five::{LabelFigures, fit};
use flindo_core::panel::layout::Panel;
use flindo_core::panel::shade::{Pattern, Shade};
use proptest::prelude::*;

fn saffron(construction: Construction) -> Panel {
    let label = LabelFigures {
        voc_v: 24.3,
        isc_a: 10.4,
        vmp_v: 20.4,
        imp_a: 9.81,
        cells_in_series: 36.0,
        alpha_isc_a_per_k: 0.005,
        beta_voc_v_per_k: -0.07,
    };
    Panel::new(fit(&label).unwrap(), construction)
}

prop_compose! {
    fn shade()(pattern in 0..Pattern::ALL.len(), size in 0.0_f64..1.0, through in 0.02_f64..0.6, place in 0.0_f64..1.0, seed in 0..50_u64) -> Shade {
        Shade { pattern: Pattern::ALL[pattern], size, through, soft: 0.0, place, seed }
    }
}

prop_compose! {
    fn array()(shade in shade(), count in 1..4_usize, poa_w_m2 in 80.0_f64..1100.0, cell_c in 0.0_f64..65.0, is_blocked in any::<bool>(), lying in any::<bool>()) -> Array {
        let panel = saffron(Construction::Cells36);
        let mounting = if lying { Mounting::Landscape } else { Mounting::Portrait };
        let shares = shade.shares(&panel.layout, mounting);
        let lit = |nth: usize| (panel.clone(), if nth == 0 { shares.clone() } else { Vec::new() });
        Array { panels: (0..count).map(lit).collect(), poa_w_m2, cell_c, lead_ohm: 0.0, is_blocked }
    }
}

prop_compose! {
    fn controller()(tracking in any::<bool>(), max_input_v in 20.0_f64..120.0, max_battery_a in 2.0_f64..40.0, capped in any::<bool>(), cap_w in 30.0_f64..600.0, efficiency in 0.85_f64..0.99, start_margin_v in 1.0_f64..8.0) -> Controller {
        Controller {
            tracking, is_local: false,
            max_input_v: Some(max_input_v),
            max_battery_a: Some(max_battery_a),
            max_input_w: capped.then_some(cap_w),
            efficiency,
            start_margin_v,
            run_margin_v: 1.0,
            own_draw_awake_a: 0.05,
            own_draw_asleep_a: 0.01,
        }
    }
}

fn curve(array: &Array, way: ArrayWiring) -> Curve {
    array.in_strings(&array.lengths(way)).unwrap().curve().clone()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Nothing comes out that did not go in, no limit is passed, and what the panels give is on their curve.
    #[test]
    fn a_controller_makes_nothing_and_keeps_its_limits(array in array(), controller in controller(), battery_v in 11.0_f64..56.0, accepts_a in 0.5_f64..60.0, runs in any::<bool>(), is_global in any::<bool>()) {
        let curve = curve(&array, ArrayWiring::Series);
        let charger = Charger { controller: &controller, battery_v, accepts_a, is_global };
        let found = charger.on(&curve, runs);
        let most_a = controller.max_battery_a.unwrap().min(accepts_a);
        prop_assert!(found.battery_a <= most_a + 1e-6, "{found:?}");
        prop_assert!(found.battery_w() <= found.panel.w() * if controller.tracking { controller.efficiency } else { 1.0 } + 1e-6, "{found:?}");
        match found.state {
            ControllerState::OverVolts => prop_assert!(curve.open().v > controller.max_input_v.unwrap() && found.battery_a == 0.0),
            ControllerState::NotStarting => prop_assert!(found.battery_a == -controller.own_draw_asleep_a),
            ControllerState::Working | ControllerState::Limited => {
                prop_assert!(curve.open().v <= controller.max_input_v.unwrap());
                if controller.tracking {
                    prop_assert!(found.panel.v >= battery_v + controller.run_margin_v - 1e-6);
                    prop_assert!((curve.amps_at(found.panel.v) - found.panel.i).abs() < 1e-3, "{found:?}");
                    prop_assert!(found.panel.w() <= controller.max_input_w.unwrap_or(f64::INFINITY) + 0.05, "{found:?}");
                } else {
                    prop_assert!((found.panel.v - battery_v).abs() < 1e-9);
                }
            }
        }
        let deaf = Charger { accepts_a: 0.0, ..charger }.on(&curve, runs);
        prop_assert!(deaf.battery_a <= 0.0, "a full battery takes nothing");
    }

    /// To have run already, to look over the whole curve, a battery that takes more: none of them ever costs watts.
    #[test]
    fn more_leave_never_gives_less(array in array(), controller in controller(), battery_v in 11.0_f64..30.0, accepts_a in 1.0_f64..40.0) {
        let curve = curve(&array, ArrayWiring::Parallel);
        let charger = Charger { controller: &controller, battery_v, accepts_a, is_global: true };
        let watts = |charger: &Charger<'_>, runs| charger.on(&curve, runs).battery_w();
        let full = watts(&charger, true);
        let first_hill = watts(&Charger { is_global: false, ..charger }, true);
        let hungry = watts(&Charger { accepts_a: accepts_a * 1.5, ..charger }, true);
        prop_assert!(full >= first_hill - 1e-6, "{full} {first_hill}");
        // At dawn to be awake draws more than it brings; to sleep spares that.
        let spared_w = (controller.own_draw_awake_a - controller.own_draw_asleep_a) * battery_v;
        prop_assert!(full >= watts(&charger, false) - spared_w - 1e-6);
        prop_assert!(hungry >= full - 1e-3, "{hungry} {full}");
    }

    /// A global tracker is never beaten by any load on the same curve.
    #[test]
    fn nothing_beats_the_best_point(array in array(), v in 1.0_f64..70.0, ohm in 0.1_f64..60.0) {
        let curve = curve(&array, ArrayWiring::Series);
        let best = Load::Global.on(&curve).w();
        for load in [Load::LocalTracking, Load::FixedVoltage { v }, Load::Resistor { ohm }, Load::Open, Load::Short] {
            prop_assert!(load.on(&curve).w() <= best * (1.0 + 1e-6) + 1e-9, "{load:?}");
        }
        let at = Load::Resistor { ohm }.on(&curve);
        prop_assert!((at.v - ohm * at.i).abs() < 1e-6 && (curve.amps_at(at.v) - at.i).abs() < 1e-3);
    }

    /// Neither way gives more than the panels would, each alone at its own best.
    #[test]
    fn no_wiring_gives_more_than_each_alone(array in array()) {
        let sum: f64 = array.lit().unwrap().singles_w().iter().sum();
        let both = BothWays::of(&array, &Converter::Ideal).unwrap();
        prop_assert!(both.series.watts_w <= sum * (1.0 + 3e-4) && both.parallel.watts_w <= sum * (1.0 + 3e-4), "{both:?} {sum}");
        if array.panels.len() == 1 {
            prop_assert_eq!(both.winner(), None);
        }
    }

    /// Exchanging the two ways exchanges who is ahead, and turns follow each other and take turns.
    #[test]
    fn the_lead_is_the_same_from_either_side(watts in proptest::collection::vec((0.0_f64..300.0, 0.0_f64..300.0), 0..20)) {
        let course: Vec<(f64, f64, f64)> = watts.iter().enumerate().map(|(nth, (a, b))| (nth as f64, *a, *b)).collect();
        let mirrored: Vec<(f64, f64, f64)> = course.iter().map(|(x, a, b)| (*x, *b, *a)).collect();
        let (one, other) = (wiring_preference(&course), wiring_preference(&mirrored));
        let swapped = |way: ArrayWiring| if way == ArrayWiring::Series { ArrayWiring::Parallel } else { ArrayWiring::Series };
        prop_assert_eq!(one.first.map(swapped), other.first);
        prop_assert_eq!(one.break_even.len(), other.break_even.len());
        let mut ahead = one.first;
        let mut last = f64::NEG_INFINITY;
        for ((at, to), (at_other, to_other)) in one.break_even.iter().zip(&other.break_even) {
            prop_assert!((at - at_other).abs() < 1e-9 && swapped(*to) == *to_other);
            prop_assert!(Some(*to) != ahead && *at >= last && *at <= course.len() as f64);
            (ahead, last) = (Some(*to), *at);
        }
    }

    /// A cold morning raises the open volts, and strings add theirs.
    #[test]
    fn open_volts_in_the_cold_are_those_of_the_longest_string(count in 1..5_usize, coldest_c in -30.0_f64..15.0) {
        let panel = saffron(Construction::Cells36);
        let array = Array { panels: vec![(panel, Vec::new()); count], poa_w_m2: 700.0, cell_c: 40.0, lead_ohm: 0.0, is_blocked: false };
        let series = array.cold_open_v(&array.lengths(ArrayWiring::Series), coldest_c).unwrap();
        let parallel = array.cold_open_v(&array.lengths(ArrayWiring::Parallel), coldest_c).unwrap();
        prop_assert!((series / parallel - count as f64).abs() < 1e-3, "{series} {parallel}");
        prop_assert!(parallel > curve(&array, ArrayWiring::Parallel).open().v);
        // De Soto's Voc at 25 C and its coefficient, near enough by hand.
        prop_assert!((parallel - (24.3 - 0.07 * (coldest_c - 25.0))).abs() < 0.35, "{parallel}");
    }
}
