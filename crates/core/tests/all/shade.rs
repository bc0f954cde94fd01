//! Laws of shaded panels, and the rules of trade they have to explain.

use crate::flat::joined;
use flindo_core::array::Array;
use flindo_core::gear::controller::Controller;
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::load::operate::{
    Charger, ControllerState, DayOfSun, Load, TrackingFinding, covers_itself_from_w, in_and_out, tracking_pays_from_w,
};
use flindo_core::panel::cell::Bypass;
use flindo_core::panel::circuit::{Circuit, Node};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::curve::At;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::five::{Fit, LabelFigures, fit};
use flindo_core::panel::layout::Panel;
use flindo_core::panel::shade::{Pattern, Shade};
use proptest::prelude::*;

fn label(voc_v: f64, isc_a: f64, vmp_v: f64, imp_a: f64, cells: f64) -> Fit {
    fit(&LabelFigures {
        voc_v,
        isc_a,
        vmp_v,
        imp_a,
        cells_in_series: cells,
        alpha_isc_a_per_k: 0.0005 * isc_a,
        beta_voc_v_per_k: -0.003 * voc_v,
    })
    .unwrap()
}

fn saffron(construction: Construction) -> Panel {
    Panel::new(label(24.3, 10.4, 20.4, 9.81, 36.0), construction)
}

/// Watts under a shade, as percent of those without.
fn left(panel: &Panel, shade: Shade) -> f64 {
    let shares = shade.shares(&panel.layout, Mounting::Portrait);
    let watts = |shares: &[f64]| panel.lit(1000.0, 25.0, shares).solve().unwrap().curve().best().w();
    watts(&shares) / watts(&[]) * 100.0
}

#[test]
fn a_label_comes_back_from_its_own_cells() {
    for construction in Construction::ALL {
        let best = saffron(*construction).lit(1000.0, 25.0, &[]).solve().unwrap().curve().best();
        // The diodes' leakage and the chords cost less than a thousandth.
        assert!((best.w() / (20.4 * 9.81) - 1.0).abs() < 2e-3, "{}: {} W", construction.name(), best.w());
    }
}

/// Common practice, no source: a band across both groups of 36 cells leaves 2 to 5 %, a thin strip along the bottom of every group
/// about nothing; with a diode at every cell the same band leaves about 16 %, and the bottom strip over half.
#[test]
fn a_strip_across_every_group_stops_a_panel_and_not_one_with_a_diode_at_each_cell() {
    let band = Shade { pattern: Pattern::Band, size: 0.5, through: 0.04, ..Shade::default() };
    let strip = Shade { pattern: Pattern::Bottom, size: 1.0 / 9.0, through: 0.04, ..Shade::default() };
    let (two, each) = (saffron(Construction::Cells36), saffron(Construction::DiodeEachCell));
    assert!((1.0..6.0).contains(&left(&two, band)) && left(&two, strip) < 6.0, "{} {}", left(&two, band), left(&two, strip));
    assert!(
        (7.0..20.0).contains(&left(&each, band)) && left(&each, strip) > 50.0,
        "{} {}",
        left(&each, band),
        left(&each, strip)
    );
    // The same area along the side touches one group only.
    let side = Shade { pattern: Pattern::Left, size: 1.0 / 9.0, through: 0.04, ..Shade::default() };
    assert!(left(&two, side) > 40.0, "{}", left(&two, side));
}

/// Common practice, no source: light shade moved Voc by 2 to 7 % while the current fell by 60 to 90 %.
#[test]
fn shade_takes_the_amps_and_leaves_the_volts() {
    let panel = saffron(Construction::Cells36);
    let solved = |through| panel.lit(1000.0, 25.0, &[through; 36]).solve().unwrap();
    let (clear, shaded) = (solved(1.0), solved(0.25));
    let voc = (1.0 - shaded.curve().open().v / clear.curve().open().v) * 100.0;
    let isc = (1.0 - shaded.curve().short().i / clear.curve().short().i) * 100.0;
    assert!((2.0..7.0).contains(&voc) && (60.0..90.0).contains(&isc), "{voc} {isc}");
}

/// Common practice, no source: one cell of 72 in two parallel strings of 36 shaded took the current from 2.45 to about 1.7 A.
#[test]
fn one_cell_of_two_strings_of_36_takes_a_third_of_the_amps() {
    let panel = Panel::new(label(21.6, 2.62, 17.4, 2.45, 36.0), Construction::TwoStrings72);
    let mut shares = vec![1.0; 72];
    shares[10] = 0.35;
    let solved = panel.lit(1000.0, 25.0, &shares).solve().unwrap();
    let amps = Load::FixedVoltage { v: 17.4 }.on(solved.curve()).i;
    assert!((1.5..1.9).contains(&amps), "{amps}");
}

/// Common practice, no source: 31.3 V x 6.38 A in series with 18.6 V x 10.75 A can give about 318 W of 400, by the rule of thumb.
/// Solved, the smaller panel's diodes let more through: at least that.
#[test]
fn unlike_panels_in_series_give_the_lowest_amps_times_all_volts_or_more() {
    let (high, low) = (
        Panel::new(label(37.5, 6.9, 31.3, 6.38, 60.0), Construction::Cells60),
        Panel::new(label(22.4, 11.6, 18.6, 10.75, 36.0), Construction::Cells36),
    );
    let together = joined(vec![high.lit(1000.0, 25.0, &[]), low.lit(1000.0, 25.0, &[])], Node::Series).solve().unwrap();
    let rule_w: f64 = 6.38 * (31.3 + 18.6);
    assert!((rule_w - 318.4).abs() < 0.1);
    let watts = together.curve().best().w();
    assert!((rule_w..350.0).contains(&watts), "{watts}");
}

/// Common practice, no source: singles of 103 W (18.38 V), 88 W (13.62 V) and 87 W (16.3 V) gave about 249 W in parallel, open circuit
/// 19.7 V from 22.8, 17.9 and 20.6; the two alike 185 of 190.
#[test]
fn unlike_panels_in_parallel_meet_between_their_volts() {
    let single = |voc_v: f64, vmp_v: f64, watts: f64| {
        Panel::new(label(voc_v, watts / vmp_v * 1.07, vmp_v, watts / vmp_v, 36.0), Construction::Cells36).lit(1000.0, 25.0, &[])
    };
    let all = joined(vec![single(22.8, 18.38, 103.0), single(17.9, 13.62, 88.0), single(20.6, 16.3, 87.0)], Node::Parallel)
        .solve()
        .unwrap();
    let (best, open) = (all.curve().best(), all.curve().open());
    assert!(
        (235.0..265.0).contains(&best.w()) && (14.0..16.5).contains(&best.v) && (18.7..20.5).contains(&open.v),
        "{best:?} {open:?}"
    );
    let alike = joined(vec![single(22.8, 18.38, 103.0), single(20.6, 16.3, 87.0)], Node::Parallel).solve().unwrap();
    assert!((178.0..189.0).contains(&alike.curve().best().w()), "{:?}", alike.curve().best());
}

fn controller(fields: &[(&str, &str)]) -> Controller {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    let Ok(Gear::Controller(controller)) = GearKind::Controller.check(&typed) else { panic!("a controller") };
    controller
}

fn charger(controller: &Controller, battery_v: f64) -> Charger<'_> {
    Charger { controller, battery_v, accepts_a: 100.0, is_global: true }
}

/// Common practice, no source: a 36 V, 2.78 A panel on a 13 V battery gives 2.8 A through a non-tracking controller and 4.6 to 5 A at
/// 14.1 V through a tracking one.
#[test]
fn tracking_nearly_doubles_the_amps_of_a_36_volt_panel_on_12_volts() {
    let panel = Panel::new(label(44.0, 2.95, 36.0, 2.78, 72.0), Construction::Cells72).lit(950.0, 40.0, &[]).solve().unwrap();
    let tied = controller(&[("tracking", "no"), ("max_input_v", "50"), ("max_battery_a", "20"), ("own_draw_awake_a", "0.02")]);
    let tracking = controller(&[
        ("max_input_v", "100"),
        ("max_battery_a", "20"),
        ("own_draw_awake_a", "0.26"),
        ("own_draw_asleep_a", "0.03"),
        ("efficiency_percent", "95"),
    ]);
    let through_tied = charger(&tied, 13.0).on(panel.curve(), false);
    let through_tracking = charger(&tracking, 14.1).on(panel.curve(), false);
    assert!((2.6..3.0).contains(&through_tied.battery_a), "{through_tied:?}");
    assert!((4.6..6.5).contains(&(through_tracking.battery_a)), "{through_tracking:?}");
    let weak = Panel::new(label(44.0, 2.95, 36.0, 2.78, 72.0), Construction::Cells72).lit(0.0, 20.0, &[]).solve().unwrap();
    let asleep = charger(&tracking, 13.0).on(weak.curve(), false);
    assert!(asleep.state == ControllerState::NotStarting && asleep.battery_a == -0.03);
}

/// By hand, 4 hours of full sun and 11 of daylight on a 13 V battery: awake 0.26 A for 11 h and asleep 0.03 A for 13 h are 3.25 Ah or
/// 42.3 Wh; 0.02 A and 0.01 A are 4.55 Wh. A 36 V panel brings 4 h x 95 % = 3.8 Wh for each watt when tracked, and 4 h x 13/36 = 1.44 Wh
/// tied: 37.7 / 2.36 = 16 W.
#[test]
fn own_draw_eats_the_gain_of_tracking_on_a_small_panel() {
    let tied = controller(&[("tracking", "no"), ("max_input_v", "50"), ("max_battery_a", "20"), ("own_draw_awake_a", "0.02")]);
    let hungry = [("own_draw_awake_a", "0.26"), ("own_draw_asleep_a", "0.03"), ("efficiency_percent", "95")];
    let tracking = controller(&[&[("max_input_v", "100"), ("max_battery_a", "20")], &hungry[..]].concat());
    let day = DayOfSun { peak_sun_h: 4.0, daylight_h: 11.0 };
    let pays = tracking_pays_from_w(&tracking, &tied, 36.0, 13.0, day).unwrap();
    assert!((pays - 37.7 / 2.3556).abs() < 0.1, "{pays}");
    let itself = covers_itself_from_w(&tracking, 36.0, 13.0, day).unwrap();
    assert!((itself - 42.25 / 3.8).abs() < 0.01, "{itself}");
    // A panel of the battery's own volts gains nothing by it; one below them charges nothing either way.
    assert_eq!(tracking_pays_from_w(&tracking, &tied, 13.2, 13.0, day), None);
    assert_eq!(covers_itself_from_w(&tied, 11.0, 13.0, day), None);
}

/// Common practice, no source: in 15.5 V 2.25 A and out 13.2 V 2.5 A is tracking at 93 to 96 %; in 13.4 V 2.33 A and out 13.16 V 2.27 A
/// is not tracking.
#[test]
fn readings_on_both_sides_tell_whether_it_tracks() {
    let at = |v, i| At { v, i };
    assert!(
        matches!(in_and_out(at(15.5, 2.25), at(13.2, 2.5), None, None), TrackingFinding::Tracking { efficiency } if (0.93..0.96).contains(&efficiency))
    );
    assert!(matches!(in_and_out(at(13.4, 2.33), at(13.16, 2.27), None, None), TrackingFinding::NotTracking { .. }));
    assert_eq!(in_and_out(at(20.0, 0.0), at(13.0, 0.0), None, None), TrackingFinding::Standby);
    assert!(matches!(in_and_out(at(18.0, 2.0), at(13.5, 2.55), None, Some(90.0)), TrackingFinding::Throttled { .. }));
    assert!(matches!(in_and_out(at(18.0, 2.0), at(13.5, 3.5), None, None), TrackingFinding::Impossible { .. }));
    let lathe = controller(&[("max_input_v", "100"), ("max_battery_a", "30")]);
    assert_eq!(in_and_out(at(40.0, 11.0), at(14.2, 29.9), Some(&lathe), None), TrackingFinding::Clipped);
}

#[test]
fn a_tracker_that_comes_from_above_stays_on_the_wrong_hill() {
    let panel = saffron(Construction::Cells36);
    let mut shares = vec![1.0; 36];
    shares[0] = 0.3;
    let solved = panel.lit(1000.0, 25.0, &shares).solve().unwrap();
    let (global, local) = (Load::Global.on(solved.curve()), Load::LocalTracking.on(solved.curve()));
    assert_eq!(solved.curve().local_maxima().len(), 2);
    assert!(local.v > global.v && local.w() < 0.8 * global.w(), "{global:?} {local:?}");
    let working = solved.at_best();
    assert!(working.bypass_a[0] > 3.0 && working.bypass_a[1].abs() < 0.1);
}

/// A shaded cell that is not spared burns what its neighbours make: the warning of a hot spot.
#[test]
fn a_cell_driven_backwards_burns() {
    let panel = saffron(Construction::Cells36);
    let mut shares = vec![1.0; 36];
    shares[4] = 0.5;
    let solved = panel.lit(1000.0, 25.0, &shares).solve().unwrap();
    let short = solved.at_volts(0.0);
    let burnt = short.cell_w()[4];
    assert!(burnt < -20.0, "{burnt}");
}

/// Its shunt resistance is so large that a step of the ideality further there is no physical solution any more.
#[test]
fn a_solution_at_the_edge_of_what_is_physical_is_found() {
    let edge = LabelFigures {
        voc_v: 37.5,
        isc_a: 8.6,
        vmp_v: 30.6,
        imp_a: 8.17,
        cells_in_series: 60.0,
        alpha_isc_a_per_k: 0.0043,
        beta_voc_v_per_k: -0.12,
    };
    let found = fit(&edge).unwrap();
    assert!(found.is_exact && found.worst_rel() < 1e-9 && found.at_stc.r_sh_ohm > 5000.0, "{found:?}");
}

#[test]
fn what_cannot_be_wired_is_said() {
    let panel = saffron(Construction::Cells36).lit(1000.0, 25.0, &[]);
    let with = |root| Circuit { cells: panel.cells.clone(), root }.solve().unwrap_err().to_string();
    assert!(with(Node::Series(vec![])).contains("no part"));
    assert!(with(Node::Cell(99)).contains("not there"));
    assert!(with(Node::Series(vec![Node::Cell(0), Node::Cell(0)])).contains("two places"));
    assert!(with(Node::Series(vec![Node::Cell(0), Node::Resistance(-1.0)])).contains("below 0"));
}

fn shares(count: usize) -> impl Strategy<Value = Vec<f64>> {
    proptest::collection::vec(prop_oneof![Just(1.0), 0.05_f64..1.0], count)
}

fn best(panel: &Panel, shares: &[f64]) -> f64 {
    panel.lit(1000.0, 30.0, shares).solve().unwrap().curve().best().w()
}

/// Two panels of 22.5 V in parallel, each behind a diode, on a cold morning: their cold Voc by the label's coefficient, not 18 times that.
#[test]
fn two_blocked_panels_in_the_cold_are_open_at_the_volts_of_one() {
    let panel = Panel::new(label(22.5, 6.0, 18.5, 5.6, 36.0), Construction::Cells36);
    let array = Array {
        panels: vec![(panel.clone(), vec![]), (panel, vec![])],
        poa_w_m2: 1000.0,
        cell_c: 25.0,
        lead_ohm: 0.0,
        is_blocked: true,
    };
    let cold_v = array.cold_open_v(&[1, 1], -10.0).unwrap();
    // -0.3 %/K over 35 K.
    assert!((cold_v / (22.5 * (1.0 + 0.003 * 35.0)) - 1.0).abs() < 0.01, "{cold_v} V");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn more_shade_never_gives_more_watts(shares in shares(36), cell in 0_usize..36, less in 0.2_f64..0.95) {
        let panel = saffron(Construction::Cells36);
        let mut darker = shares.clone();
        darker[cell] *= less;
        prop_assert!(best(&panel, &darker) <= best(&panel, &shares) * (1.0 + 1e-4));
    }

    #[test]
    fn cells_of_one_group_may_change_places(shares in shares(36), a in 0_usize..18, b in 0_usize..18) {
        let panel = saffron(Construction::Cells36);
        let mut swapped = shares.clone();
        swapped.swap(a, b);
        prop_assert!((best(&panel, &swapped) / best(&panel, &shares) - 1.0).abs() < 1e-5);
    }

    #[test]
    fn equals_in_series_double_the_volts_and_in_parallel_the_amps(shares in shares(36)) {
        let panel = saffron(Construction::Cells36);
        let one = || panel.lit(900.0, 30.0, &shares);
        let single = one().solve().unwrap().curve().best();
        let series = joined(vec![one(), one()], Node::Series).solve().unwrap().curve().best();
        let parallel = joined(vec![one(), one()], Node::Parallel).solve().unwrap().curve().best();
        prop_assert!((series.w() / single.w() - 2.0).abs() < 1e-4 && (series.v / single.v - 2.0).abs() < 1e-2);
        prop_assert!((parallel.w() / single.w() - 2.0).abs() < 4e-4 && (parallel.i / single.i - 2.0).abs() < 1e-2);
    }

    #[test]
    fn the_watts_of_all_cells_are_those_of_the_terminals(shares in shares(120), at in 0.2_f64..0.95) {
        let panel = Panel::new(label(37.8, 10.2, 31.0, 9.6, 60.0), Construction::HalfCut120);
        let solved = panel.lit(1000.0, 45.0, &shares).solve().unwrap();
        let working = solved.at_volts(at * solved.curve().open().v);
        // What the bypass diodes burn is a few tenths of a watt for each ampere around.
        let burnt: f64 = working.bypass_a.iter().map(|amps| amps.max(0.0) * 0.5).sum();
        let (cells, whole) = (working.cell_w().iter().sum::<f64>(), working.at.w());
        prop_assert!(cells >= whole - 0.05 && cells <= whole + burnt + 0.05, "{cells} {whole} {burnt}");
    }

    #[test]
    fn less_light_on_all_is_less_sun(share in 0.1_f64..1.0) {
        let panel = saffron(Construction::Cells36);
        let by_shade = panel.lit(1000.0, 25.0, &[share; 36]).solve().unwrap().curve().best().w();
        let by_sun = panel.lit(1000.0 * share, 25.0, &[]).solve().unwrap().curve().best().w();
        prop_assert!((by_shade / by_sun - 1.0).abs() < 1e-4, "{by_shade} {by_sun}");
    }

    #[test]
    fn a_bypass_diode_never_hurts(shares in shares(18)) {
        let panel = saffron(Construction::Cells36);
        let cells = panel.lit(1000.0, 25.0, &shares).cells;
        let cells: Vec<_> = cells.into_iter().take(18).collect();
        let series = || Node::Series((0..18).map(Node::Cell).collect());
        let bare = Circuit { cells: cells.clone(), root: series() }.solve().unwrap().curve().best().w();
        let spared = Circuit { cells, root: Node::Bypassed(Box::new(series()), Bypass { i_s_a: 1e-9, n: 1.0, ..Bypass::default() }) }.solve().unwrap().curve().best().w();
        prop_assert!(spared >= bare * (1.0 - 1e-4));
    }

    /// A diode in the way never raises open volts; strings side by side are open between those of each; nothing is open at more than the
    /// sum of its cells. All to the 1e-5 of open volts that a curve may be thinned by, twice.
    #[test]
    fn blocking_diodes_and_strings_keep_their_open_volts(one in shares(36), other in shares(36), i_s in -8.0_f64..-4.5, r_s in 0.0_f64..0.02, n in 1.0_f64..1.4, cell_c in -20.0_f64..70.0) {
        let panel = saffron(Construction::Cells36);
        let diode = Bypass { i_s_a: 10_f64.powf(i_s), n, r_s_ohm: r_s, ..Bypass::default() };
        let lit = |shares: &[f64]| panel.lit(1000.0, cell_c, shares);
        let blocked = |root: Node| Node::Blocked(Box::new(root), diode);
        let open = |circuit: Circuit| circuit.solve().unwrap().curve().open().v;
        let bare = [open(lit(&one)), open(lit(&other))];
        let alone = [&one, &other].map(|shares| { let Circuit { cells, root } = lit(shares); open(Circuit { cells, root: blocked(root) }) });
        let cell_v = |shares: &[f64]| lit(shares).cells.iter().map(|cell| cell.diode.points().voc_v).sum::<f64>();
        for ((alone, bare), shares) in alone.iter().zip(&bare).zip([&one, &other]) {
            prop_assert!(*alone <= bare * (1.0 + 2e-5) && *bare <= cell_v(shares) * (1.0 + 1e-4), "{alone} {bare}");
        }
        for is_blocked in [false, true] {
            let both = joined(vec![lit(&one), lit(&other)], |roots| Node::Parallel(if is_blocked { roots.into_iter().map(blocked).collect() } else { roots }));
            let both = open(both);
            let (low, high) = (bare[0].min(bare[1]), bare[0].max(bare[1]));
            // Behind a diode that lets microamps back, the higher string gives those through its own: two thermal volts at most.
            let through_v = if is_blocked { 0.1 } else { 0.0 };
            prop_assert!(both >= low - through_v - 1e-4 * low && both <= high * (1.0 + 2e-5), "{both} of {low} and {high}");
        }
    }

    #[test]
    fn every_plausible_label_is_fitted(voc in 5.0_f64..60.0, isc in 0.5_f64..18.0, v in 0.76_f64..0.86, i in 0.90_f64..0.965, beta in 0.0022_f64..0.0042, cell_v in 0.55_f64..0.72) {
        let figures = LabelFigures { voc_v: voc, isc_a: isc, vmp_v: voc * v, imp_a: isc * i, cells_in_series: (voc / cell_v).round().max(1.0), alpha_isc_a_per_k: 0.0005 * isc, beta_voc_v_per_k: -beta * voc };
        let fit = fit(&figures).unwrap();
        prop_assert!(fit.at_stc.r_s_ohm >= 0.0 && fit.at_stc.r_sh_ohm > 0.0 && fit.at_stc.i_o_a > 0.0);
        if fit.is_exact {
            prop_assert!(fit.worst_rel() < 1e-6, "{fit:?}");
        } else {
            // A label that the nearest panel meets has a solution, which was not found.
            prop_assert!(fit.why.is_some() && (1e-6..0.6).contains(&fit.worst_rel()), "{fit:?}");
        }
    }
}
