//! The loss ladder: each rung a bar of watts, each step the piece that was lost or gained between two rungs.

use crate::figures::{computed, number, signed};
use askama::Template;
use flindo_core::verdict::ladder::{Ladder, StepCause};

const LEFT: f64 = 122.0;
const BARS: f64 = 372.0;
const RUNG: f64 = 46.0;

#[derive(Template)]
#[template(path = "draw/ladder.svg")]
struct Drawing {
    key: String,
    rungs: Vec<Rung>,
    height: f64,
    description: String,
}

struct Rung {
    class: &'static str,
    /// What it is filled with; nothing for a whole bar.
    pattern: &'static str,
    label: &'static str,
    figure: String,
    change: Option<String>,
    x: f64,
    y: f64,
    width: f64,
    text_y: f64,
    /// The line down to the next rung.
    foot_x: f64,
    has_foot: bool,
    is_step: bool,
}

/// The ladder as SVG, with the uncertainty of the measured rung in its figure. `key` keeps several of them on a page apart.
pub fn draw(ladder: &Ladder, key: &str) -> String {
    let most_w = ladder.steps.iter().map(|step| step.to_w).fold(ladder.rated_w, f64::max);
    let x_of = |watts_w: f64| LEFT + watts_w / most_w * BARS;
    let mut rungs = Vec::new();
    let mut rung = |class, label, figure: String, change: Option<String>, from_w: f64, to_w: f64| {
        let is_step = change.is_some();
        let y = rungs.len() as f64 * RUNG + 10.0;
        let (left, right) = (x_of(from_w.min(to_w)), x_of(from_w.max(to_w)));
        let width = (right - left).max(if is_step { 2.0 } else { 0.0 });
        let pattern = match class {
            "step unexplained" => "dots-unexplained",
            "step loss" => "hatch-loss",
            "step gain" => "hatch-gain",
            _ => "",
        };
        rungs.push(Rung {
            class,
            pattern,
            label,
            figure,
            change,
            x: left,
            y,
            width,
            text_y: y + 18.0,
            foot_x: x_of(to_w),
            has_foot: true,
            is_step,
        });
    };
    rung("total", "rated", computed(ladder.rated_w, "W").to_string(), None, 0.0, ladder.rated_w);
    for step in &ladder.steps {
        if step.cause == StepCause::Unexplained {
            rung("total expected", "expected", computed(ladder.expected_w, "W").to_string(), None, 0.0, ladder.expected_w);
        }
        let class = match (step.cause, step.factor < 1.0) {
            (StepCause::Unexplained, _) => "step unexplained",
            (_, true) => "step loss",
            (_, false) => "step gain",
        };
        let change = format!("{} %", signed(-step.lost_percent(), 1));
        rung(
            class,
            step.cause.label(),
            format!("{} W", signed(step.to_w - step.from_w, 1)),
            Some(change),
            step.from_w,
            step.to_w,
        );
    }
    let measured = format!("{} \u{b1} {} W", number(ladder.measured_w, 1), number(ladder.measured_u_w, 1));
    rung("total measured", "measured", measured, None, 0.0, ladder.measured_w);
    if let Some(last) = rungs.last_mut() {
        last.has_foot = false;
    }
    let description: Vec<String> = rungs
        .iter()
        .map(|rung| match &rung.change {
            Some(change) => format!("{} {change} ({})", rung.label, rung.figure),
            None => format!("{} {}", rung.label, rung.figure),
        })
        .collect();
    let drawing =
        Drawing { key: key.to_owned(), height: rungs.len() as f64 * RUNG + 4.0, description: description.join(", "), rungs };
    drawing.render().unwrap_or_default()
}
