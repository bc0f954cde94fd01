//! Strings side by side as rows of panels, covered ones with their place in the order of clearing.

use crate::figures::rough;
use askama::Template;
use flindo_core::array::covered_strings::CoveredStrings;

#[derive(Template)]
#[template(path = "draw/strings.svg")]
struct Drawing {
    width: f64,
    height: f64,
    panels: Vec<(f64, f64, bool, String)>,
    /// (y, number, amps)
    rows: Vec<(f64, String, String)>,
    bus_x: f64,
}

pub fn draw(covered: &CoveredStrings, string_a: &[f64], nth: impl Fn(usize, usize) -> Option<usize>) -> String {
    const STEP: f64 = 46.0;
    const ROW: f64 = 74.0;
    let most = covered.strings.iter().map(Vec::len).max().unwrap_or(1) as f64;
    let bus_x = 40.0 + most * STEP + 10.0;
    let mut panels = Vec::new();
    let mut rows = Vec::new();
    for (row, string) in covered.strings.iter().enumerate() {
        let y = 10.0 + row as f64 * ROW;
        for (place, is_covered) in string.iter().enumerate() {
            let order = nth(row, place).map(|nth| nth.to_string()).unwrap_or_default();
            panels.push((40.0 + place as f64 * STEP, y, *is_covered, order));
        }
        rows.push((y + 28.0, (row + 1).to_string(), rough(string_a.get(row).copied().unwrap_or(0.0), "A").to_string()));
    }
    Drawing { width: bus_x + 110.0, height: 20.0 + covered.strings.len() as f64 * ROW, panels, rows, bus_x }
        .render()
        .unwrap_or_default()
}
