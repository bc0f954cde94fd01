//! The course of one quantity: the span between the lowest and the highest of each moment, and their mean.

use super::axis::{clock_ticks, placed, ticks};
use askama::Template;
use jiff::tz::TimeZone;
use std::fmt::Write;

#[derive(Template)]
#[template(path = "draw/log.svg")]
struct Drawing<'a> {
    label: &'a str,
    unit: &'a str,
    span: String,
    mean: String,
    levels: Vec<(f64, String)>,
    times: Vec<(f64, String)>,
}

const LEFT: f64 = 64.0;
const RIGHT: f64 = 950.0;
const TOP: f64 = 12.0;
const BOTTOM: f64 = 176.0;

/// A pause longer than this many buckets is a gap, not a line.
const GAP_BUCKETS: i64 = 6;

/// Buckets as the store gives them: (at_ms, lowest, mean, highest).
pub fn draw(label: &str, unit: &'static str, buckets: &[(i64, f64, f64, f64)], zone: &TimeZone) -> String {
    let (Some(first), Some(last)) = (buckets.first(), buckets.last()) else { return String::new() };
    let low = buckets.iter().map(|bucket| bucket.1).fold(0.0, f64::min);
    let high = buckets.iter().map(|bucket| bucket.3).fold(f64::MIN, f64::max).max(low + 1e-9);
    let span_ms = (last.0 - first.0).max(1);
    let x = |at_ms: i64| LEFT + (at_ms - first.0) as f64 / span_ms as f64 * (RIGHT - LEFT);
    let y = |value: f64| BOTTOM - (value - low) / (high - low) * (BOTTOM - TOP);
    let gap_ms = (span_ms / buckets.len().max(1) as i64).max(1) * GAP_BUCKETS;
    let (mut span, mut mean) = (String::new(), String::new());
    for stretch in buckets.chunk_by(|a, b| b.0 - a.0 <= gap_ms) {
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
    let levels = placed(ticks(low, high, BOTTOM - TOP, false), y);
    let seconds = |at_ms: i64| at_ms as f64 / 1000.0;
    let times = placed(clock_ticks(seconds(first.0), seconds(last.0), RIGHT - LEFT, zone), |at_s| x((at_s * 1000.0) as i64));
    Drawing { label, unit, span, mean, levels, times }.render().unwrap_or_default()
}
