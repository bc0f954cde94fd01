//! Quantities over time, one below the other on one clock: the span of each moment and its mean, the clear sky's course, and events as
//! bands.

use super::axis::{clock_ticks, placed, ticks};
use askama::Template;
use jiff::tz::TimeZone;
use std::fmt::Write;

/// One line of a panel: (at_ms, lowest, mean, highest).
pub struct Trace {
    pub class: &'static str,
    pub label: String,
    pub buckets: Vec<(i64, f64, f64, f64)>,
}

/// One panel of a drawing: lines of one unit.
pub struct Panel {
    pub label: String,
    pub unit: &'static str,
    pub is_tall: bool,
    pub traces: Vec<Trace>,
    /// A course without samples of its own, such as a clear sky's: (at_ms, value).
    pub course: Vec<(i64, f64)>,
}

/// A time with a word.
pub struct Band {
    pub class: &'static str,
    pub word: String,
    pub title: String,
    pub from_ms: i64,
    pub to_ms: i64,
}

struct Drawn {
    label: String,
    unit: &'static str,
    top: f64,
    bottom: f64,
    lines: Vec<(&'static str, String, String)>,
    points: Vec<(&'static str, f64, f64)>,
    course: String,
    levels: Vec<(f64, String)>,
}

struct DrawnBand {
    class: &'static str,
    x: f64,
    width: f64,
    word: Option<String>,
    title: String,
}

#[derive(Template)]
#[template(path = "draw/day.svg")]
struct Drawing<'a> {
    title: &'a str,
    height: f64,
    foot: f64,
    panels: Vec<Drawn>,
    bands: Vec<DrawnBand>,
    times: Vec<(f64, String)>,
    window: (i64, i64),
    data: String,
}

const LEFT: f64 = 64.0;
const RIGHT: f64 = 950.0;
const HEAD: f64 = 26.0;
const TALL: f64 = 190.0;
const LOW: f64 = 96.0;
const BETWEEN: f64 = 30.0;

/// A pause longer than this many usual steps is a gap, not a line; and longer than this anyway, ms.
const GAP_STEPS: i64 = 5;
const SHORT_PAUSE_MS: i64 = 10_000;

/// Up to so many samples of a trace each is a point.
const FEW: usize = 130;

/// Width of a letter of a band's word.
const LETTER: f64 = 8.0;

pub fn draw(title: &str, panels: &[Panel], bands: &[Band], window: (i64, i64), zone: &TimeZone) -> String {
    let span_ms = (window.1 - window.0).max(1) as f64;
    let x = |at_ms: i64| LEFT + (at_ms - window.0) as f64 / span_ms * (RIGHT - LEFT);
    let mut top = HEAD + BETWEEN;
    let mut drawn = Vec::new();
    for panel in panels {
        let bottom = top + if panel.is_tall { TALL } else { LOW };
        drawn.push(panel_of(panel, (top, bottom), window, &x));
        top = bottom + BETWEEN;
    }
    let foot = top - BETWEEN;
    let seconds = |at_ms: i64| at_ms as f64 / 1000.0;
    let times = placed(clock_ticks(seconds(window.0), seconds(window.1), RIGHT - LEFT, zone), |at_s| x((at_s * 1000.0) as i64));
    let inside = bands.iter().filter(|band| band.to_ms >= window.0 && band.from_ms <= window.1);
    let mut last_end = f64::NEG_INFINITY;
    let bands = inside
        .map(|band| {
            let (from, to) = (x(band.from_ms.max(window.0)), x(band.to_ms.min(window.1)));
            let width = (to - from).max(1.5);
            let fits = width > LETTER * band.word.chars().count() as f64 && from >= last_end;
            if fits {
                last_end = to;
            }
            DrawnBand { class: band.class, x: from, width, word: fits.then(|| band.word.clone()), title: band.title.clone() }
        })
        .collect();
    let data = data(panels);
    Drawing { title, height: foot + 28.0, foot, panels: drawn, bands, times, window, data }.render().unwrap_or_default()
}

fn panel_of(panel: &Panel, (top, bottom): (f64, f64), window: (i64, i64), x: &dyn Fn(i64) -> f64) -> Drawn {
    let inside = |at_ms: i64| (window.0..=window.1).contains(&at_ms);
    let seen = || panel.traces.iter().flat_map(|trace| &trace.buckets).filter(|bucket| inside(bucket.0));
    let of_course = || panel.course.iter().filter(|(at_ms, _)| inside(*at_ms)).map(|point| point.1);
    let mut low = seen().map(|bucket| bucket.1).chain(of_course()).fold(f64::INFINITY, f64::min);
    let mut high = seen().map(|bucket| bucket.3).chain(of_course()).fold(f64::NEG_INFINITY, f64::max);
    // Zero belongs to the axis unless all values stay far from it, as volts and temperatures do.
    if low > 0.0 && low < 0.6 * high || low > high {
        low = 0.0;
    }
    high = high.max(low + low.abs().max(1.0) * 1e-3);
    let y = |value: f64| bottom - (value - low) / (high - low) * (bottom - top);
    let mut lines = Vec::new();
    let mut points = Vec::new();
    for trace in &panel.traces {
        let (mut span, mut mean) = (String::new(), String::new());
        let gap_ms = gap_ms(&trace.buckets);
        for stretch in trace.buckets.chunk_by(|a, b| b.0 - a.0 <= gap_ms) {
            for (nth, bucket) in stretch.iter().enumerate() {
                let verb = if nth == 0 { 'M' } else { 'L' };
                // Writing to a String cannot fail.
                let _ = write!(mean, "{verb}{:.1} {:.1}", x(bucket.0), y(bucket.2));
                let _ = write!(span, "{verb}{:.1} {:.1}", x(bucket.0), y(bucket.3));
            }
            for bucket in stretch.iter().rev() {
                let _ = write!(span, "L{:.1} {:.1}", x(bucket.0), y(bucket.1));
            }
            span.push('Z');
        }
        if trace.buckets.iter().filter(|bucket| inside(bucket.0)).count() <= FEW {
            points.extend(
                trace.buckets.iter().filter(|bucket| inside(bucket.0)).map(|bucket| (trace.class, x(bucket.0), y(bucket.2))),
            );
        }
        lines.push((trace.class, span, mean));
    }
    let mut course = String::new();
    for (nth, (at_ms, value)) in panel.course.iter().enumerate() {
        let _ = write!(course, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(*at_ms), y(*value));
    }
    let levels = placed(ticks(low, high, bottom - top, false), y);
    Drawn { label: panel.label.clone(), unit: panel.unit, top, bottom, lines, points, course, levels }
}

fn gap_ms(buckets: &[(i64, f64, f64, f64)]) -> i64 {
    let mut steps: Vec<i64> = buckets.windows(2).map(|pair| pair[1].0 - pair[0].0).collect();
    if steps.is_empty() {
        return SHORT_PAUSE_MS;
    }
    let middle = steps.len() / 2;
    (*steps.select_nth_unstable(middle).1 * GAP_STEPS).max(SHORT_PAUSE_MS)
}

/// What stands under the crosshair: by line its label, unit and means, for the script that shows them.
fn data(panels: &[Panel]) -> String {
    let lines = panels.iter().flat_map(|panel| panel.traces.iter().map(move |trace| (panel, trace)));
    let lines: Vec<serde_json::Value> = lines
        .map(|(panel, trace)| {
            let points: Vec<(i64, f64)> =
                trace.buckets.iter().map(|bucket| (bucket.0, (bucket.2 * 1000.0).round() / 1000.0)).collect();
            let name = if trace.label.is_empty() { &panel.label } else { &trace.label };
            serde_json::json!({ "label": name, "unit": panel.unit, "gap_ms": gap_ms(&trace.buckets), "points": points })
        })
        .collect();
    serde_json::to_string(&lines).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(buckets: Vec<(i64, f64, f64, f64)>, window: (i64, i64)) -> String {
        let traces = vec![Trace { class: "first", label: String::new(), buckets }];
        let panels = [Panel { label: "Power".to_owned(), unit: "W", is_tall: true, traces, course: Vec::new() }];
        // Where its lines end is of no account.
        draw("A day", &panels, &[], window, &TimeZone::UTC).split_whitespace().collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn a_gap_is_a_gap_and_a_peak_is_drawn() {
        let minute = 60_000;
        let buckets: Vec<_> = (0..300)
            .filter(|nth| !(100..150).contains(nth))
            .map(|nth| (nth * minute, 10.0, 20.0, if nth == 60 { 500.0 } else { 30.0 }))
            .collect();
        let svg = drawn(buckets, (0, 300 * minute));
        let mean = svg.split("class=\"mean first\" d=\"").nth(1).and_then(|rest| rest.split('"').next()).unwrap_or_default();
        assert_eq!(mean.matches('M').count(), 2, "two stretches");
        assert!(svg.contains("500"), "the axis reaches the peak");
    }

    #[test]
    fn few_samples_are_points_and_none_are_no_drawing_of_nothing() {
        let svg = drawn((0..20).map(|nth| (nth * 1000, 5.0, 5.0, 5.0)).collect(), (0, 19_000));
        assert_eq!(svg.matches("<circle class=\"first\"").count(), 20);
        assert!(!drawn(Vec::new(), (0, 19_000)).contains("NaN"));
    }
}
