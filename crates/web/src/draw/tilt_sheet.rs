//! Every tilt by month and over the year: each cell the percent of that month's best, the best marked.

use crate::figures::{month_name, number};
use askama::Template;

const LEFT: f64 = 46.0;
const CELL_WIDTH: f64 = 43.0;
const CELL_HEIGHT: f64 = 21.0;
const TOP: f64 = 26.0;

#[derive(Template)]
#[template(path = "draw/tilt_sheet.svg")]
struct Drawing {
    columns: Vec<(f64, String)>,
    rows: Vec<Row>,
    height: f64,
}

struct Row {
    y: f64,
    text_y: f64,
    label: String,
    cells: Vec<Cell>,
}

struct Cell {
    x: f64,
    text_x: f64,
    text: String,
    /// 0 to 1: how near the best, for the ground of the cell.
    share: String,
    is_best: bool,
}

/// `rows` are kWh/m2 by tilt, then by month.
pub fn draw(tilts_deg: &[f64], rows: &[[f64; 12]]) -> String {
    let with_year: Vec<Vec<f64>> =
        rows.iter().map(|months| months.iter().copied().chain([months.iter().sum()]).collect()).collect();
    let best: Vec<f64> = (0..13).map(|column| with_year.iter().map(|row| row[column]).fold(0.0, f64::max)).collect();
    let x_of = |column: usize| LEFT + column as f64 * CELL_WIDTH + if column == 12 { 10.0 } else { 0.0 };
    let columns = (0..13).map(|column| {
        let name = if column == 12 { "year".to_owned() } else { month_name(column).chars().take(3).collect() };
        (x_of(column) + CELL_WIDTH / 2.0, name)
    });
    let rows = tilts_deg.iter().zip(&with_year).enumerate().map(|(index, (tilt_deg, row))| {
        let y = TOP + index as f64 * CELL_HEIGHT;
        let cells = row.iter().enumerate().map(|(column, kwh_m2)| {
            let percent = if best[column] > 0.0 { kwh_m2 / best[column] * 100.0 } else { 0.0 };
            let x = x_of(column);
            Cell {
                x,
                text_x: x + CELL_WIDTH / 2.0,
                text: number(percent, 0),
                share: format!("{:.2}", ((percent - 50.0) / 50.0).clamp(0.0, 1.0).powi(3) * 0.55),
                is_best: *kwh_m2 == best[column] && best[column] > 0.0,
            }
        });
        Row { y, text_y: y + 15.0, label: format!("{tilt_deg}\u{b0}"), cells: cells.collect() }
    });
    let drawing =
        Drawing { columns: columns.collect(), height: TOP + tilts_deg.len() as f64 * CELL_HEIGHT + 4.0, rows: rows.collect() };
    drawing.render().unwrap_or_default()
}
