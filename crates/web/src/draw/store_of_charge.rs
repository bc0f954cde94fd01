//! The state of charge at the end of each day of the worst year.

use super::axis::{placed, ticks};
use crate::figures::month_name;
use askama::Template;

#[derive(Template)]
#[template(path = "draw/store_of_charge.svg")]
struct Drawing {
    path: String,
    levels: Vec<(f64, String)>,
    months: Vec<(f64, String)>,
    lowest: String,
}

const LEFT: f64 = 52.0;
const RIGHT: f64 = 950.0;
const TOP: f64 = 14.0;
const BOTTOM: f64 = 190.0;

/// Days before each month of a year of 365.
const BEFORE: [f64; 12] = [0.0, 31.0, 59.0, 90.0, 120.0, 151.0, 181.0, 212.0, 243.0, 273.0, 304.0, 334.0];

pub fn draw(percent_by_day: &[f64]) -> String {
    let x = |day: f64| LEFT + day / 364.0 * (RIGHT - LEFT);
    let y = |percent: f64| BOTTOM - percent / 100.0 * (BOTTOM - TOP);
    let points = percent_by_day
        .iter()
        .enumerate()
        .map(|(day, percent)| format!("{}{:.1} {:.1}", if day == 0 { "M" } else { "L" }, x(day as f64), y(*percent)));
    let lowest = percent_by_day.iter().copied().fold(100.0, f64::min);
    let months =
        BEFORE.iter().enumerate().map(|(month, day)| (x(day + 15.0), month_name(month).chars().take(3).collect())).collect();
    let drawing = Drawing {
        path: points.collect(),
        levels: placed(ticks(0.0, 100.0, BOTTOM - TOP, false), y),
        months,
        lowest: crate::figures::percent(lowest).to_string(),
    };
    drawing.render().unwrap_or_default()
}
