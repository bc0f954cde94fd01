//! Circuits solved by their equations as they are printed, by halving alone: no curve, no chord and no thinning, which is how the core
//! solves them. Slow, and hard to get wrong. Panels and diodes are invented.

use crate::flat::joined;
use flindo_core::panel::cell::{Bypass, Cell};
use flindo_core::panel::circuit::{Circuit, Node};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::diode::Diode;
use flindo_core::panel::five::{LabelFigures, fit};
use flindo_core::panel::layout::Panel;
use proptest::prelude::*;

/// `kT/q` at the diode's own temperature, V (CODATA 2018).
fn n_v(diode: &Bypass) -> f64 {
    diode.n * 1.380_649e-23 / 1.602_176_634e-19 * (diode.temp_c + 273.15)
}

/// Where a falling function passes 0.
fn falls_through(mut low: f64, mut high: f64, of: impl Fn(f64) -> f64) -> f64 {
    for _ in 0..70 {
        let middle = 0.5 * (low + high);
        if of(middle) > 0.0 { low = middle } else { high = middle }
    }
    0.5 * (low + high)
}

/// Volts of a cell at these amps: the diode, its shunt, and what breaks through (Bishop 1988, equation 1).
fn cell_v(cell: &Cell, i: f64) -> f64 {
    let diode = &cell.diode;
    let least_v = cell.breakdown.map_or(-60.0, |b| b.v_br_v * (1.0 - 1e-9));
    let vd = falls_through(least_v, 2.0, |vd| {
        let broken =
            cell.breakdown.map_or(0.0, |b| if vd < 0.0 { b.share * (1.0 - vd / b.v_br_v).powf(-b.exponent) } else { 0.0 });
        diode.i_l_a - diode.i_o_a * (vd / diode.a_v).exp_m1() - vd / diode.r_sh_ohm * (1.0 + broken) - i
    });
    vd - i * diode.r_s_ohm
}

/// A group of unlike cells with a diode around it: each cell class with its count.
struct Group {
    cells: Vec<(Cell, f64)>,
    around: Bypass,
}

impl Group {
    fn of(circuit: &Circuit, node: &Node) -> Self {
        let Node::Bypassed(series, around) = node else { panic!("a group has a diode") };
        let Node::Series(places) = &**series else { panic!("cells in series") };
        let mut cells: Vec<(Cell, f64)> = Vec::new();
        for place in places {
            let Node::Cell(place) = place else { panic!("cells only") };
            let cell = circuit.cells[*place];
            match cells.iter_mut().find(|(known, _)| *known == cell) {
                Some((_, count)) => *count += 1.0,
                None => cells.push((cell, 1.0)),
            }
        }
        Group { cells, around: *around }
    }

    fn cells_v(&self, i: f64) -> f64 {
        self.cells.iter().map(|(cell, count)| count * cell_v(cell, i)).sum()
    }

    /// Amps through the diode while the group has these volts.
    fn around_a(&self, v: f64) -> f64 {
        let Bypass { i_s_a, r_s_ohm, .. } = self.around;
        if v >= 0.0 {
            return i_s_a * (-v / n_v(&self.around)).exp_m1();
        }
        falls_through(-i_s_a, 30.0, |i| i_s_a * ((-v - i * r_s_ohm) / n_v(&self.around)).exp_m1() - i)
    }

    /// Volts of the group at the panel's amps: so much runs through the cells that the rest runs around them.
    fn volts(&self, i: f64) -> f64 {
        let through_a = falls_through(-0.1 * i - 1e-3, i + 1e-2, |through| i - through - self.around_a(self.cells_v(through)));
        self.cells_v(through_a)
    }
}

/// The most watts, by a scan of amps and halving around its best.
fn best_w(groups: &[Group], most_a: f64) -> f64 {
    let watts = |i: f64| i * groups.iter().map(|group| group.volts(i)).sum::<f64>();
    const STEPS: i32 = 160;
    let at = |step: i32| most_a * f64::from(step) / f64::from(STEPS);
    let best = (1..STEPS).max_by(|a, b| watts(at(*a)).total_cmp(&watts(at(*b)))).unwrap();
    let (mut low, mut high) = (at(best - 1), at(best + 1));
    for _ in 0..40 {
        let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
        if watts(a) < watts(b) { low = a } else { high = b }
    }
    watts(0.5 * (low + high))
}

fn panel(voc_v: f64, isc_a: f64, cells: f64) -> Panel {
    let label = LabelFigures {
        voc_v,
        isc_a,
        vmp_v: 0.823 * voc_v,
        imp_a: 0.945 * isc_a,
        cells_in_series: cells,
        alpha_isc_a_per_k: 0.0005 * isc_a,
        beta_voc_v_per_k: -0.003 * voc_v,
    };
    Panel::new(fit(&label).unwrap(), Construction::Cells36)
}

/// The same circuit with another diode around each group.
fn with_around(circuit: Circuit, diode: Bypass) -> Circuit {
    let Node::Series(groups) = circuit.root else { panic!("groups in series") };
    let swap = |node| match node {
        Node::Bypassed(part, _) => Node::Bypassed(part, diode),
        other => panic!("a group has a diode: {other:?}"),
    };
    Circuit { cells: circuit.cells, root: Node::Series(groups.into_iter().map(swap).collect()) }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Two groups of 18 cells, some shaded evenly: within 0.01 % of the most watts, whatever the diodes around them.
    #[test]
    fn a_shaded_panels_maximum_is_that_of_its_equations(
        isc_a in 3.0_f64..11.0, light in 0.02_f64..0.95, rows in prop::array::uniform2(0_usize..=18), n in 1.0_f64..1.6,
        i_s in -9.0_f64..-4.5, r_s_ohm in 0.0_f64..0.01, cell_c in -10.0_f64..65.0,
    ) {
        let panel = panel(24.3, isc_a, 36.0);
        let share = |place: usize| if place % 18 < rows[place / 18] { light } else { 1.0 };
        let shares: Vec<f64> = (0..36).map(share).collect();
        let diode = Bypass { i_s_a: 10_f64.powf(i_s), n, r_s_ohm, ..Bypass::default() };
        let circuit = with_around(panel.lit(1000.0, cell_c, &shares), diode);
        let Node::Series(nodes) = &circuit.root else { panic!("groups in series") };
        let groups: Vec<Group> = nodes.iter().map(|node| Group::of(&circuit, node)).collect();
        let solved_w = circuit.solve().unwrap().curve().best().w();
        let equations_w = best_w(&groups, circuit.most_a());
        prop_assert!((solved_w / equations_w - 1.0).abs() < 1e-4, "{solved_w} W, {equations_w} W by the equations");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(4000))]

    /// The five points' maximum against a walk along the whole curve, also where so much resistance lies in the way that the panel is
    /// limited by it from short circuit on.
    #[test]
    fn the_maximum_of_a_diode_is_the_highest_point_of_its_curve(
        i_l_a in 0.1_f64..40.0, i_o in -12.0_f64..-6.0, limited in 0.001_f64..3.0, r_sh in 1.0_f64..15.0, a_v in 0.02_f64..2.5,
    ) {
        // So many times what takes all volts at the light's amps.
        let r_s_ohm = limited * a_v * (i_l_a / 10_f64.powf(i_o)).ln() / i_l_a;
        let diode = Diode { i_l_a, i_o_a: 10_f64.powf(i_o), r_s_ohm, r_sh_ohm: 10_f64.powf(r_sh), a_v };
        let points = diode.points();
        let watts = |vd: f64| { let i = diode.junction_a(vd); (vd - i * diode.r_s_ohm) * i };
        let (short, open) = (points.isc_a * diode.r_s_ohm, points.voc_v);
        let walked = (0..=4000).map(|nth| watts(short + (open - short) * f64::from(nth) / 4000.0)).fold(0.0, f64::max);
        prop_assert!(points.pmax_w >= walked * (1.0 - 1e-9) && points.pmax_w <= walked * (1.0 + 1e-4), "{} W, walked {walked}: {diode:?}", points.pmax_w);
    }
}

/// More light is never less power, in steps so fine that no place is passed over where the search for the maximum would stop: at an
/// inflection of the slope of power, with as much resistance in the way as a bad joint has, one in ten thousand stopped.
#[test]
fn more_light_is_more_power_at_every_step() {
    for (r_s_ohm, r_sh_ohm, a_v) in
        [(1.703_787_8, 940.08, 1.876_841_2), (1.7, 1e15, 1.648), (0.9, 300.0, 1.6), (3.0, 5000.0, 2.0)]
    {
        let of = |i_l_a: f64| Diode { i_l_a, i_o_a: 2.076_721e-9, r_s_ohm, r_sh_ohm, a_v }.points().pmax_w;
        let mut before_w = of(1.0);
        for nth in 1..300_000 {
            let i_l_a = 1.0 + 50.0 * f64::from(nth) / 300_000.0;
            let power_w = of(i_l_a);
            assert!(power_w >= before_w * (1.0 - 1e-9), "{power_w} W at {i_l_a} A after {before_w}: {r_s_ohm} {r_sh_ohm} {a_v}");
            before_w = power_w;
        }
    }
}

/// Open volts of two strings side by side, each behind a diode, by the equations themselves: the amps that the higher drives back through
/// the other's diode are found by halving, and what they cost in its own diode is taken off.
#[test]
fn strings_behind_diodes_are_open_where_their_equations_meet() {
    let strings = [1000.0, 120.0];
    for i_s_a in [1e-13, 1e-12, 1e-10, 1e-8, 1e-5] {
        for n in [1.0, 1.6] {
            let diode = Bypass { i_s_a, n, ..Bypass::default() };
            let panel = panel(24.3, 10.4, 36.0);
            let lit = |light: f64| panel.lit(light, 25.0, &[]);
            let cells = strings.map(|light| lit(light).cells[0]);
            let string_v =
                |nth: usize, i: f64| 36.0 * cell_v(&cells[nth], i) - n_v(&diode) * (i / i_s_a).ln_1p() - i * diode.r_s_ohm;
            let back_a = falls_through(0.0, i_s_a, |i| string_v(0, i) - string_v(1, -i));
            let by_equations_v = string_v(0, back_a);
            let blocked = |light: f64| {
                let Circuit { cells, root } = lit(light);
                Circuit { cells, root: Node::Blocked(Box::new(root), diode) }
            };
            let solved = joined(strings.map(blocked).to_vec(), Node::Parallel).solve().unwrap();
            let open_v = solved.curve().open().v;

            assert!(
                (open_v / by_equations_v - 1.0).abs() < 2e-5,
                "{i_s_a} A, {n}: {open_v} V, {by_equations_v} V by the equations"
            );
        }
    }
}
