//! Watts in series and in parallel as a shade grows, with the shade sizes where the better wiring changes.

use super::axis::{placed, ticks};
use crate::figures::{number, rough};
use crate::words::ways::way;
use askama::Template;
use flindo_core::load::series_parallel::WiringPreference;
use std::fmt::Write;

#[derive(Template)]
#[template(path = "draw/ways.svg")]
struct Drawing {
    series: String,
    parallel: String,
    shares: Vec<(f64, String)>,
    levels: Vec<(f64, String)>,
    break_even: Vec<(f64, String)>,
    here_x: f64,
    description: String,
}

/// `course`: (share of its way, watts in series, watts in parallel); `here`: the share that is asked about.
pub fn draw(course: &[(f64, f64, f64)], lead: &WiringPreference, here: f64) -> String {
    let most = course.iter().map(|(_, series, parallel)| series.max(*parallel)).fold(1.0, f64::max) * 1.1;
    let x = |share: f64| 56.0 + share * 630.0;
    let y = |watts: f64| 250.0 - watts / most * 226.0;
    let line = |of: fn(&(f64, f64, f64)) -> f64| {
        let mut text = String::new();
        for (nth, point) in course.iter().enumerate() {
            // Writing to a String cannot fail.
            let _ = write!(text, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(point.0), y(of(point)));
        }
        text
    };
    let told = course.iter().map(|(share, series, parallel)| {
        format!("{} %: {} in series, {} in parallel", number(share * 100.0, 0), rough(*series, "W"), rough(*parallel, "W"))
    });
    Drawing {
        series: line(|point| point.1),
        parallel: line(|point| point.2),
        shares: placed(ticks(0.0, 100.0, 630.0, true), |percent| x(percent / 100.0)),
        levels: placed(ticks(0.0, most, 226.0, false), y),
        break_even: lead.break_even.iter().map(|(share, to)| (x(*share), way(*to).to_owned())).collect(),
        here_x: x(here),
        description: told.collect::<Vec<_>>().join("; "),
    }
    .render()
    .unwrap_or_default()
}
