//! Shaded panels held against a general-purpose circuit simulator, and one-diode panels against a PV reference library: vectors made
//! by `reference/make_circuits.py` and `reference/make_diodes.py`, with versions and tolerances in their passports.

use crate::flat::joined;
use flindo_core::panel::cell::{Breakdown, Bypass, Cell};
use flindo_core::panel::circuit::{Circuit, Node};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::diode::Diode;
use flindo_core::panel::five::{LabelFigures, fit, translate};
use std::collections::HashMap;

fn rows(table: &'static str) -> Vec<HashMap<&'static str, &'static str>> {
    let mut lines = table.lines();
    let header: Vec<&str> = lines.next().unwrap().split(',').collect();
    lines.map(|line| header.iter().copied().zip(line.split(',')).collect()).collect()
}

fn number(row: &HashMap<&'static str, &'static str>, column: &str) -> f64 {
    row[column].parse().unwrap()
}

fn circuit_of(row: &HashMap<&'static str, &'static str>) -> Circuit {
    let layout = Construction::from_name(row["construction"]).unwrap().layout();
    let shares: Vec<f64> = row["shares"].split(' ').map(|share| share.parse().unwrap()).collect();
    let figures = |column: &str| row[column].split_whitespace().map(|figure| figure.parse().unwrap()).collect::<Vec<f64>>();
    let breakdown = match figures("breakdown")[..] {
        [v_br_v, share, exponent] => Some(Breakdown { v_br_v, share, exponent }),
        _ => None,
    };
    let [i_s_a, n, diode_r_s_ohm, temp_c] = figures("diode")[..] else { panic!("a diode has four figures") };
    let own = Bypass::check(i_s_a, n, diode_r_s_ohm, temp_c).unwrap();
    let cell = |share: f64| Cell {
        diode: Diode {
            i_l_a: number(row, "i_l_a") * share,
            i_o_a: number(row, "i_o_a"),
            r_s_ohm: number(row, "r_s_ohm"),
            r_sh_ohm: number(row, "r_sh_ohm") / share.max(0.01),
            a_v: number(row, "a_v"),
        },
        breakdown,
    };
    let modules: Vec<Circuit> = shares
        .chunks(layout.places.len())
        .map(|shares| Circuit { cells: shares.iter().map(|share| cell(*share)).collect(), root: with_diodes(&layout.tree, own) })
        .collect();
    joined(modules, |mut roots| match row["wiring"] {
        "one" => roots.remove(0),
        "series" => Node::Series(roots),
        "parallel" => Node::Parallel(roots),
        "parallel_blocked" => Node::Parallel(roots.into_iter().map(|root| Node::Blocked(Box::new(root), own)).collect()),
        "series_lead" => {
            roots.push(Node::Resistance(0.35));
            Node::Series(roots)
        }
        other => panic!("{other}"),
    })
}

/// A tree with these diodes in place of the usual ones.
fn with_diodes(node: &Node, own: Bypass) -> Node {
    let all = |parts: &[Node]| parts.iter().map(|part| with_diodes(part, own)).collect();
    match node {
        Node::Series(parts) => Node::Series(all(parts)),
        Node::Parallel(parts) => Node::Parallel(all(parts)),
        Node::Bypassed(part, _) => Node::Bypassed(Box::new(with_diodes(part, own)), own),
        Node::Blocked(part, _) => Node::Blocked(Box::new(with_diodes(part, own)), own),
        Node::Cell(_) | Node::Resistance(_) | Node::Solved(_) => node.clone(),
    }
}

#[test]
fn every_construction_under_every_shade_is_what_the_circuit_simulator_finds() {
    let cases = rows(include_str!("../reference/circuits.csv"));
    let curves = rows(include_str!("../reference/circuit_curves.csv"));
    assert!(cases.len() >= 88);
    for row in &cases {
        let name = format!("case {} {} {} {}", row["case"], row["construction"], row["kind"], row["wiring"]);
        let solution = circuit_of(row).solve().unwrap();
        let (ours, theirs) = (solution.curve().best().w(), number(row, "pmax_w"));
        assert!((ours / theirs - 1.0).abs() < 2e-4, "{name}: {ours} W here, {theirs} W there");
        let (isc_a, voc_v) = (solution.curve().short().i, solution.curve().open().v);
        assert!((voc_v / number(row, "voc_v") - 1.0).abs() < 1e-4, "{name}: {voc_v} V open here, {} V there", row["voc_v"]);
        for point in curves.iter().filter(|point| point["case"] == row["case"]) {
            let (v, i) = (number(point, "v_v"), number(point, "i_a"));
            let (off_a, off_v) =
                ((solution.curve().amps_at(v) - i).abs() / isc_a, (solution.curve().volts_at(i) - v).abs() / voc_v);
            assert!(off_a < 2e-3 || off_v < 2e-4, "{name} at {v} V: {} A here, {i} A there", solution.curve().amps_at(v));
        }
    }
}

#[test]
fn one_diode_is_solved_as_the_library_solves_it() {
    let cases = rows(include_str!("../reference/single_diode.csv"));
    assert_eq!(cases.len(), 60);
    for row in &cases {
        let of = |column: &str| number(row, column);
        let diode = Diode::check(of("i_l_a"), of("i_o_a"), of("r_s_ohm"), of("r_sh_ohm"), of("a_v")).unwrap();
        let points = diode.points();
        for (ours, column) in [
            (points.isc_a, "isc_a"),
            (points.voc_v, "voc_v"),
            (points.imp_a, "imp_a"),
            (points.vmp_v, "vmp_v"),
            (points.pmax_w, "pmax_w"),
        ] {
            assert!((ours / of(column) - 1.0).abs() < 1e-6, "{column}: {ours} here, {} there", of(column));
        }
        for nth in 0..5 {
            let (v, i) = (of(&format!("v{nth}")), of(&format!("i{nth}")));
            assert!((diode.current_a(v) - i).abs() < 1e-6 * points.isc_a, "at {v} V: {} here, {i} there", diode.current_a(v));
        }
    }
}

#[test]
fn a_real_nameplates_parameters_are_translated_as_the_library_does() {
    for row in rows(include_str!("../reference/nameplates.csv")) {
        let of = |column: &str| number(&row, column);
        let at_stc = Diode::check(of("i_l_a"), of("i_o_a"), of("r_s_ohm"), of("r_sh_ohm"), of("a_v")).unwrap();
        for (poa_w_m2, cell_c, name) in [(200.0, 15.0, "weak"), (800.0, 60.0, "hot")] {
            let points = translate(&at_stc, of("alpha_isc_a_per_k"), poa_w_m2, cell_c).points();
            for (ours, column) in [(points.isc_a, "isc_a"), (points.voc_v, "voc_v"), (points.pmax_w, "pmax_w")] {
                let theirs = of(&format!("{name}_{column}"));
                assert!((ours / theirs - 1.0).abs() < 1e-6, "{} {name} {column}: {ours} here, {theirs} there", row["technology"]);
            }
        }
    }
}

/// Of 25 real nameplates every one is solved: exactly where a physical panel has that label, and else by the nearest, which says so.
#[test]
fn every_real_nameplate_is_fitted_and_nothing_is_silently_bad() {
    let mut exact = 0;
    for row in rows(include_str!("../reference/nameplates.csv")) {
        let of = |column: &str| number(&row, column);
        let label = LabelFigures {
            voc_v: of("voc_v"),
            isc_a: of("isc_a"),
            vmp_v: of("vmp_v"),
            imp_a: of("imp_a"),
            cells_in_series: of("cells_in_series"),
            alpha_isc_a_per_k: of("alpha_isc_a_per_k"),
            beta_voc_v_per_k: of("beta_voc_v_per_k"),
        };
        let fit = fit(&label).unwrap();
        assert!(fit.at_stc.r_s_ohm >= 0.0 && fit.at_stc.r_sh_ohm > 0.0 && fit.at_stc.i_o_a > 0.0);
        if fit.is_exact {
            exact += 1;
            assert!(fit.worst_rel() < 1e-6, "{}: {:?}", row["technology"], fit);
        } else {
            assert!(fit.why.is_some() && fit.worst_rel() < 0.25, "{}: {:?}", row["technology"], fit);
        }
        if row["library_solves"] == "yes" {
            assert!(fit.is_exact, "{} has a solution: {fit:?}", row["technology"]);
            assert!(
                (fit.at_stc.r_s_ohm / of("fit_r_s_ohm") - 1.0).abs() < 1e-3
                    && (fit.at_stc.a_v / of("fit_a_v") - 1.0).abs() < 1e-3
            );
        }
    }
    assert!(exact >= 18, "{exact} of 25 are exact");
}
