//! Watts into the battery over the sun, one line for each controller.

use super::axis::{placed, ticks};
use crate::figures::rough;
use askama::Template;
use std::fmt::Write;

#[derive(Template)]
#[template(path = "draw/charging.svg")]
struct Drawing {
    most: String,
    lines: Vec<Line>,
    suns: Vec<(f64, String)>,
    levels: Vec<(f64, String)>,
    description: String,
}

struct Line {
    /// Which pattern of strokes it has, from 0.
    stroke: usize,
    path: String,
    name: String,
    name_y: f64,
}

/// Strokes that can be told apart.
const STROKES: usize = 4;

/// Names at the ends of lines keep this far apart.
const APART: f64 = 19.0;

/// `lines`: (name, [(W/m2, watts into the battery)]); `most_w`: what the panels could give.
pub fn draw(lines: &[(&str, Vec<(f64, f64)>)], most_w: &[(f64, f64)]) -> String {
    let top = most_w.iter().map(|(_, watts)| *watts).fold(1.0, f64::max) * 1.08;
    let sunniest = most_w.last().map_or(1000.0, |(poa, _)| *poa);
    let x = |poa: f64| 56.0 + poa / sunniest * 500.0;
    let y = |watts: f64| 240.0 - watts.max(0.0) / top * 220.0;
    let path = |points: &[(f64, f64)]| {
        let mut text = String::new();
        for (nth, (poa, watts)) in points.iter().enumerate() {
            // Writing to a String cannot fail.
            let _ = write!(text, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(*poa), y(*watts));
        }
        text
    };
    let mut drawn: Vec<Line> = lines
        .iter()
        .enumerate()
        .map(|(nth, (name, points))| Line {
            stroke: nth % STROKES,
            path: path(points),
            name: (*name).to_owned(),
            name_y: points.last().map_or(240.0, |(_, watts)| y(*watts)) + 5.0,
        })
        .collect();
    drawn.sort_by(|a, b| a.name_y.total_cmp(&b.name_y));
    for nth in 1..drawn.len() {
        drawn[nth].name_y = drawn[nth].name_y.max(drawn[nth - 1].name_y + APART);
    }
    // None lower than the foot of the drawing.
    let count = drawn.len();
    for (nth, line) in drawn.iter_mut().enumerate() {
        line.name_y = line.name_y.min(245.0 - APART * (count - 1 - nth) as f64);
    }
    let told = lines.iter().map(|(name, points)| {
        format!("{name}: {} in full sun", points.last().map(|(_, watts)| rough(*watts, "W").to_string()).unwrap_or_default())
    });
    Drawing {
        most: path(most_w),
        description: told.collect::<Vec<_>>().join("; "),
        lines: drawn,
        suns: placed(ticks(0.0, sunniest, 500.0, true), x),
        levels: placed(ticks(0.0, top, 220.0, false), y),
    }
    .render()
    .unwrap_or_default()
}
