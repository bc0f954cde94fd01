//! A day's watts: without the shadow, in series, in parallel.

use super::axis::{clock_ticks, placed, ticks};
use askama::Template;
use flindo_core::load::day::Day;
use jiff::tz::TimeZone;
use std::fmt::Write;

#[derive(Template)]
#[template(path = "draw/passing.svg")]
struct Drawing {
    lines: [String; 3],
    hours: Vec<(f64, String)>,
    levels: Vec<(f64, String)>,
    now_x: Option<f64>,
}

pub fn draw(day: &Day, now_s: Option<f64>, zone: &TimeZone) -> String {
    let (Some(first), Some(last)) = (day.course.first(), day.course.last()) else { return String::new() };
    let most = day.course.iter().map(|(_, watts)| watts[0]).fold(1.0, f64::max) * 1.08;
    let x = |unix_s: f64| 50.0 + (unix_s - first.0) / (last.0 - first.0).max(1.0) * 640.0;
    let y = |watts: f64| 210.0 - watts / most * 196.0;
    let line = |which: usize| {
        let mut text = String::new();
        for (nth, (unix_s, watts)) in day.course.iter().enumerate() {
            // Writing to a String cannot fail.
            let _ = write!(text, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(*unix_s), y(watts[which]));
        }
        text
    };
    Drawing {
        lines: [line(0), line(1), line(2)],
        hours: placed(clock_ticks(first.0, last.0, 640.0, zone), x),
        levels: placed(ticks(0.0, most, 196.0, false), y),
        now_x: now_s.map(x).filter(|x| (50.0..=690.0).contains(x)),
    }
    .render()
    .unwrap_or_default()
}
