//! What a live meter showed in the last two minutes, under its figure: the course, the span of the last seconds, the peak, and when a
//! reading was taken.

use askama::Template;
use flindo_meters::live::{Shown, TAKE_MS, TRACE_MS};

#[derive(Template)]
#[template(path = "draw/trace.svg")]
struct Drawing {
    course: String,
    /// Top and height of the span of the last seconds.
    band: (f64, f64),
    band_x: f64,
    peak_y: Option<f64>,
    taken_x: Option<f64>,
}

const WIDTH: f64 = 240.0;
const HEIGHT: f64 = 44.0;
const EDGE: f64 = 3.0;

/// Smaller changes than this share of the figure are drawn as small: a display that stands still is no storm.
const LEAST_SPAN_REL: f64 = 0.02;

/// Of each of these stretches of time the lowest and the highest value are drawn, ms: the page gets the drawing twice a second.
const STRETCH_MS: i64 = 2000;

fn thinned(heard: &[(i64, f64)]) -> Vec<(i64, f64)> {
    let ends = |stretch: &[(i64, f64)]| {
        let low = stretch.iter().copied().min_by(|a, b| a.1.total_cmp(&b.1));
        let high = stretch.iter().copied().max_by(|a, b| a.1.total_cmp(&b.1));
        let mut ends: Vec<(i64, f64)> = low.into_iter().chain(high).collect();
        ends.sort_by_key(|(ago_ms, _)| std::cmp::Reverse(*ago_ms));
        ends.dedup();
        ends
    };
    heard.chunk_by(|a, b| a.0 / STRETCH_MS == b.0 / STRETCH_MS).flat_map(ends).collect()
}

/// `heard`: ms before now and the value, oldest first. Empty without at least two of them.
pub fn draw(shown: &Shown, heard: &[(i64, f64)], taken_ago_ms: Option<i64>) -> String {
    if heard.len() < 2 {
        return String::new();
    }
    let (low, high) = heard.iter().fold((f64::MAX, f64::MIN), |(low, high), (_, value)| (low.min(*value), high.max(*value)));
    let middle = (low + high) / 2.0;
    let half = ((high - low) / 2.0).max(LEAST_SPAN_REL / 2.0 * middle.abs()).max(1e-9);
    let x = |ago_ms: i64| WIDTH * (1.0 - ago_ms as f64 / TRACE_MS as f64);
    let y = |value: f64| EDGE + (HEIGHT - 2.0 * EDGE) * (0.5 - 0.5 * (value - middle) / half);
    let course: Vec<String> =
        thinned(heard).iter().map(|(ago_ms, value)| format!("{:.1} {:.1}", x(*ago_ms), y(*value))).collect();
    let is_drawn = |value: &f64| (middle - half..=middle + half).contains(value);
    Drawing {
        course: format!("M{}", course.join("L")),
        band: (y(shown.high) - 1.0, y(shown.low) - y(shown.high) + 2.0),
        band_x: x(TAKE_MS),
        peak_y: Some(shown.peak).filter(is_drawn).map(y),
        taken_x: taken_ago_ms.filter(|ago_ms| (0..=TRACE_MS).contains(ago_ms)).map(x),
    }
    .render()
    .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::measure::quantity::Quantity;

    fn shown(low: f64, high: f64, peak: f64) -> Shown {
        Shown { quantity: Quantity::Voltage, value: high, age_ms: 100, low, high, peak, settled: None, jumped: false }
    }

    #[test]
    fn a_course_runs_from_the_left_to_now_and_highs_are_above() {
        let svg = draw(&shown(18.0, 20.0, 20.0), &[(120_000, 18.0), (60_000, 19.0), (0, 20.0)], Some(30_000));
        assert!(svg.contains("M0.0 41.0L120.0 22.0L240.0 3.0"), "{svg}");
        assert!(svg.contains("x1=\"180.0\""), "what was taken: {svg}");
        // A reading of before, and a peak that is not in sight, are not drawn.
        let svg = draw(&shown(18.0, 20.0, 31.0), &[(1000, 18.0), (0, 20.0)], Some(130_000));
        assert!(!svg.contains("<line"), "{svg}");
        assert!(draw(&shown(18.0, 18.0, 18.0), &[(0, 18.0)], None).is_empty());
    }

    #[test]
    fn of_many_samples_the_ends_of_each_stretch_are_drawn() {
        let heard: Vec<(i64, f64)> = (0..600).rev().map(|nth| (nth * 200, if nth == 305 { 25.0 } else { 20.0 })).collect();
        let few = thinned(&heard);
        assert!(few.len() <= 120 && few.contains(&(61_000, 25.0)), "{}", few.len());
        assert!(few.is_sorted_by_key(|(ago_ms, _)| -ago_ms));
    }

    #[test]
    fn a_display_that_stands_still_is_a_line_through_the_middle() {
        let svg = draw(&shown(20.0, 20.0, 20.0), &[(1000, 20.0), (0, 20.0)], None);
        assert!(svg.contains("L240.0 22.0"), "{svg}");
        // A thousandth is a twentieth of the least span.
        let svg = draw(&shown(20.0, 20.02, 20.02), &[(1000, 20.0), (0, 20.02)], None);
        assert!(svg.contains("L240.0 21.1"), "{svg}");
    }
}
