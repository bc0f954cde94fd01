//! Levels as percent of their baseline, each with its interval.

use super::axis::{placed, ticks};
use crate::figures::with_u;
use crate::words::plan::level_name;
use askama::Template;
use flindo_core::record::order::{Slot, letters};
use flindo_core::record::plan::Plan;
use flindo_core::verdict::comparison::Comparison;
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::estimate::Difference;

#[derive(Template)]
#[template(path = "draw/levels.svg")]
struct Drawing {
    height: f64,
    baseline_x: f64,
    ticks: Vec<(f64, String)>,
    rows: Vec<Row>,
}

struct Row {
    y: f64,
    label: String,
    figure: String,
    kind: &'static str,
    end_x: f64,
    low_x: f64,
    high_x: f64,
    predicted_x: Option<f64>,
}

const LEFT: f64 = 14.0;
const RIGHT: f64 = 560.0;
const STEP: f64 = 58.0;

/// `predicted`: (level, percent of the baseline), marked where there is one.
pub fn draw(found: &Comparison, plan: &Plan, predicted: &[(usize, f64)], verdict_of: impl Fn(usize) -> LevelVerdict) -> String {
    let differences: Vec<&Difference> = found.levels.iter().map(|level| &level.difference).collect();
    let most = differences.iter().map(|one| one.percent + one.u_percent).fold(110.0, f64::max);
    let top = most * 1.06;
    let x = |percent: f64| LEFT + percent.clamp(0.0, top) / top * (RIGHT - LEFT);
    let rows = differences
        .iter()
        .enumerate()
        .map(|(place, one)| Row {
            y: 34.0 + place as f64 * STEP,
            label: format!("{}  {}", letters(&[Slot { level: one.level, rig: 0 }]), level_name(plan, one.level)),
            figure: with_u(one.percent, one.u_percent, "%").to_string(),
            // A drawing claims no more than the words do.
            kind: if matches!(verdict_of(one.level), LevelVerdict::More | LevelVerdict::Less) { "shown" } else { "not-shown" },
            end_x: x(one.percent),
            low_x: x(one.percent - one.u_percent),
            high_x: x(one.percent + one.u_percent),
            predicted_x: predicted.iter().find(|(level, _)| *level == one.level).map(|(_, percent)| x(*percent)),
        })
        .collect();
    let ticks = placed(ticks(0.0, top, RIGHT - LEFT, true), x);
    let height = 34.0 + differences.len() as f64 * STEP + 14.0;
    Drawing { height, baseline_x: x(100.0), ticks, rows }.render().unwrap_or_default()
}
