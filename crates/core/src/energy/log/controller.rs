//! A controller as its log shows it: tracking or not, its efficiency over load, and what it draws in the dark.

use super::grid::Grid;
use super::regress::{Band, efficiency_over_load};
use super::sky::ClearDay;
use crate::load::operate::{TrackingFinding, in_and_out};
use crate::measure::quantity::Quantity;
use crate::measure::series::Series;
use crate::panel::curve::At;
use crate::window::Window;

/// Amps into a controller that are at work.
const AT_WORK_A: f64 = 0.2;

/// Steps that are asked at least, and the share of them that must agree.
const LEAST_STEPS: usize = 10;
const AGREE: f64 = 0.6;

/// Tracking or not, by what most of the steps at work within a window say; `None` with few of them, or where they do not agree.
pub fn tracking(grid: &Grid, window: Window) -> Option<TrackingFinding> {
    let mean = |quantity: Quantity, step: usize| grid.mean(quantity, step);
    let found: Vec<TrackingFinding> = (0..grid.steps)
        .filter(|step| (window.from_s..window.to_s).contains(&grid.at_s(*step)))
        .filter_map(|step| {
            let input = At { v: mean(Quantity::Voltage, step)?, i: mean(Quantity::Current, step)? };
            let output = At { v: mean(Quantity::OutputVoltage, step)?, i: mean(Quantity::OutputCurrent, step)? };
            (input.i > AT_WORK_A).then(|| in_and_out(input, output, None, None))
        })
        .collect();
    if found.len() < LEAST_STEPS {
        return None;
    }
    let of = |is_one: fn(&TrackingFinding) -> bool| {
        let like: Vec<&TrackingFinding> = found.iter().filter(|one| is_one(one)).collect();
        (like.len() as f64 > AGREE * found.len() as f64).then(|| *like[like.len() / 2])
    };
    of(|one| matches!(one, TrackingFinding::Tracking { .. }))
        .or_else(|| of(|one| matches!(one, TrackingFinding::NotTracking { .. })))
}

/// Output over input by bands of load, from watts of both sides.
pub fn over_load(input: &Series, output: &Series) -> Vec<Band> {
    let outputs = output.at_each(input.at_s(), output.longest_step_s());
    let pairs: Vec<(f64, f64)> =
        input.values().iter().zip(outputs).filter_map(|(input_w, output_w)| Some((*input_w, output_w?))).collect();
    efficiency_over_load(&pairs)
}

/// W out of the battery while the sun is down, from the watts of the output; `None` where they are not below zero then.
pub fn own_draw_w(output: &Series, clear: &ClearDay) -> Option<f64> {
    let dark: Vec<f64> = output.iter().filter(|(at_s, _)| clear.at(*at_s) <= 0.0).map(|sample| sample.1).collect();
    let mean = dark.iter().sum::<f64>() / dark.len().max(1) as f64;
    (dark.len() >= LEAST_STEPS && mean < 0.0).then_some(-mean)
}
