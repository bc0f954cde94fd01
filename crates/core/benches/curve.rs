//! How long a panel's curves take. Quote ratios from one run; `reference/speed_curve.py` prints them against a circuit simulator and a
//! reference library.

mod label;

use divan::{Bencher, black_box};
use flindo_core::array::{Array, LitArray};
use flindo_core::panel::circuit::Circuit;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::five::{Fit, LabelFigures, fit};
use flindo_core::panel::layout::Panel;
use label::LABEL;

fn main() {
    divan::main();
}

fn fitted() -> Fit {
    fit(&LABEL).unwrap_or_else(|error| panic!("the bench's label: {error}"))
}

/// So many panels in series, a third of the cells of each at 15 % of the light, a little more on each panel.
fn string(panel: &Panel, panels: usize) -> LitArray {
    let shares = |nth: usize| (0..60).map(|cell| if cell < 20 { 0.15 + 0.01 * nth as f64 } else { 1.0 }).collect();
    let panels = (0..panels).map(|nth| (panel.clone(), shares(nth))).collect();
    let array = Array { panels, poa_w_m2: 1000.0, cell_c: 25.0, lead_ohm: 0.0, is_blocked: false };
    array.lit().unwrap_or_else(|error| panic!("the bench's string: {error}"))
}

/// A third of the cells at 15 % of the light.
fn shaded(with_breakdown: bool) -> Circuit {
    let mut panel = Panel::new(fitted(), Construction::Cells60);
    panel.breakdown = panel.breakdown.filter(|_| with_breakdown);
    let shares: Vec<f64> = (0..60).map(|cell| if cell < 20 { 0.15 } else { 1.0 }).collect();
    panel.lit(1000.0, 25.0, &shares)
}

fn curve_of_200(circuit: &Circuit) -> f64 {
    circuit.solve().map_or(0.0, |solution| solution.curve().even(200).iter().map(|at| at.w()).sum())
}

#[divan::bench]
fn fit_of_a_label(bencher: Bencher) {
    bencher.bench(|| fit(black_box(&LABEL)));
}

/// Its knee is sharper than a diode's.
#[divan::bench]
fn nearest_fit_of_a_label(bencher: Bencher) {
    let label = LabelFigures { vmp_v: 33.0, imp_a: 8.3, ..LABEL };
    assert!(fit(&label).is_ok_and(|fit| !fit.is_exact));
    bencher.bench(|| fit(black_box(&label)));
}

/// A day of a log: a reading every five seconds, each at its own light and temperature.
#[divan::bench]
fn five_points_of_a_day(bencher: Bencher) {
    let fit = fitted();
    let conditions: Vec<(f64, f64)> = (0..17_280).map(|nth| (50.0 + f64::from(nth % 1000), 15.0 + f64::from(nth % 50))).collect();
    bencher.bench(|| {
        black_box(&conditions).iter().map(|(poa_w_m2, cell_c)| fit.at(*poa_w_m2, *cell_c).points().pmax_w).sum::<f64>()
    });
}

#[divan::bench]
fn five_points(bencher: Bencher) {
    let diode = fitted().at_stc;
    bencher.bench(|| black_box(&diode).points());
}

#[divan::bench]
fn shaded_curve_of_200(bencher: Bencher) {
    let circuit = shaded(false);
    bencher.bench(|| curve_of_200(black_box(&circuit)));
}

#[divan::bench]
fn shaded_curve_of_200_with_breakdown(bencher: Bencher) {
    let circuit = shaded(true);
    bencher.bench(|| curve_of_200(black_box(&circuit)));
}

/// From panels that are lit to the best point of their string: 60 cells and ten times as many, all panels in other shade.
#[divan::bench(args = [1, 10])]
fn string_of_panels(bencher: Bencher, panels: usize) {
    let panel = Panel::new(fitted(), Construction::Cells60);
    bencher.bench(|| string(black_box(&panel), panels).in_strings(&[panels]).map(|solution| solution.curve().best().w()));
}
