//! A panel's own I-V and P-V curve at STC, from its label, with everything that was measured on it.

use super::axis::{placed, ticks};
use crate::figures::{computed, rough};
use askama::Template;
use flindo_core::panel::curve::{At, Curve};
use std::fmt::Write;

/// What was measured, brought to STC.
pub struct Measured {
    pub voltage_v: f64,
    pub current_a: f64,
    /// When, and of which test.
    pub when: String,
    /// Left out of its result: drawn hollow.
    pub counts: bool,
}

#[derive(Template)]
#[template(path = "draw/panel_curve.svg")]
struct Drawing {
    title: String,
    amps: String,
    watts: String,
    volts: Vec<(f64, String)>,
    left: Vec<(f64, String)>,
    right: Vec<(f64, String)>,
    best: (f64, f64, String),
    points: Vec<Point>,
}

struct Point {
    x: f64,
    y_a: f64,
    y_w: f64,
    text: String,
    counts: bool,
}

const X0: f64 = 52.0;
const X1: f64 = 560.0;
const Y0: f64 = 296.0;
const Y1: f64 = 24.0;

/// Steps along the curve.
const POINTS: usize = 241;

pub fn draw(name: &str, curve: &Curve, measured: &[Measured]) -> String {
    let most = |of: &dyn Fn(&Measured) -> f64, label: f64| measured.iter().map(of).fold(label, f64::max).max(1e-6) * 1.06;
    let most_v = most(&|one| one.voltage_v, curve.open().v);
    let most_a = most(&|one| one.current_a, curve.short().i);
    let most_w = most(&|one| one.voltage_v * one.current_a, curve.best().w());
    let x = |v: f64| X0 + v / most_v * (X1 - X0);
    let y_a = |i: f64| Y0 - i / most_a * (Y0 - Y1);
    let y_w = |w: f64| Y0 - w / most_w * (Y0 - Y1);
    let line = |y: &dyn Fn(f64, f64) -> f64| {
        let mut text = String::new();
        for (nth, At { v, i }) in curve.even(POINTS).into_iter().enumerate() {
            // Writing to a String cannot fail.
            let _ = write!(text, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(v), y(v, i.max(0.0)));
        }
        text
    };
    let best = curve.best();
    let point = |one: &Measured| {
        let watts_w = one.voltage_v * one.current_a;
        Point {
            x: x(one.voltage_v),
            y_a: y_a(one.current_a),
            y_w: y_w(watts_w),
            text: format!(
                "{}: {}, {}{}",
                one.when,
                computed(one.voltage_v, "V"),
                computed(one.current_a, "A"),
                if watts_w > 0.0 { format!(", {}", computed(watts_w, "W")) } else { String::new() }
            ),
            counts: one.counts,
        }
    };
    Drawing {
        title: format!("{name}: current and power over voltage at STC, label and measured"),
        amps: line(&|_, i| y_a(i)),
        watts: line(&|v, i| y_w(v * i)),
        volts: placed(ticks(0.0, most_v, X1 - X0, true), x),
        left: placed(ticks(0.0, most_a, Y0 - Y1, false), y_a),
        right: placed(ticks(0.0, most_w, Y0 - Y1, false), y_w),
        best: (x(best.v), y_w(best.w()), rough(best.w(), "W").to_string()),
        points: measured.iter().map(point).collect(),
    }
    .render()
    .unwrap_or_default()
}
