//! Volts and amps, and volts and watts, with every hill and the point where the load sits.

use super::axis::{placed, ticks};
use crate::figures::rough;
use askama::Template;
use flindo_core::panel::curve::{At, Curve};
use std::fmt::Write;

#[derive(Template)]
#[template(path = "draw/curve.svg")]
struct Drawing {
    amps: String,
    watts: String,
    clear: String,
    local_maxima: Vec<(f64, f64, String, bool)>,
    loads: Vec<(f64, f64, String)>,
    volts: Vec<(f64, String)>,
    left: Vec<(f64, String)>,
    right: Vec<(f64, String)>,
}

const X0: f64 = 46.0;
const X1: f64 = 566.0;
const Y0: f64 = 300.0;
const Y1: f64 = 18.0;

/// Of a drawn line.
const POINTS: usize = 241;

/// `clear` is the same without shade; `loads` where each load sits.
pub fn draw(curve: &Curve, clear: &Curve, loads: &[(String, At)]) -> String {
    let most_v = clear.open().v.max(curve.open().v).max(1e-6) * 1.04;
    let most_a = clear.short().i.max(curve.short().i).max(1e-6) * 1.08;
    let most_w = clear.best().w().max(curve.best().w()).max(1e-6) * 1.12;
    let x = |v: f64| X0 + v / most_v * (X1 - X0);
    let y_a = |i: f64| Y0 - i / most_a * (Y0 - Y1);
    let y_w = |w: f64| Y0 - w / most_w * (Y0 - Y1);
    let line = |curve: &Curve, y: &dyn Fn(f64, f64) -> f64| {
        let mut text = String::new();
        for (nth, At { v, i }) in curve.even(POINTS).into_iter().enumerate() {
            // Writing to a String cannot fail.
            let _ = write!(text, "{}{:.1} {:.1}", if nth == 0 { 'M' } else { 'L' }, x(v), y(v, i.max(0.0)));
        }
        text
    };
    let best = curve.best();
    let local_maxima = curve
        .local_maxima()
        .into_iter()
        .map(|hill| (x(hill.v), y_w(hill.w()), rough(hill.w(), "W").to_string(), hill.w() >= best.w() * 0.999))
        .collect();
    Drawing {
        amps: line(curve, &|_, i| y_a(i)),
        watts: line(curve, &|v, i| y_w(v * i)),
        clear: line(clear, &|v, i| y_w(v * i)),
        local_maxima,
        loads: loads.iter().map(|(name, at)| (x(at.v), y_w(at.w()), name.clone())).collect(),
        volts: placed(ticks(0.0, most_v, X1 - X0, true), x),
        left: placed(ticks(0.0, most_a, Y0 - Y1, false), y_a),
        right: placed(ticks(0.0, most_w, Y0 - Y1, false), y_w),
    }
    .render()
    .unwrap_or_default()
}
