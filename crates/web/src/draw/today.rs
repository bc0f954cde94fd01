//! The clear sky over one day on several planes.

use super::axis::{clock_ticks, placed, ticks};
use crate::day::Day;
use askama::Template;
use flindo_core::constants::RATING_MIN_POA_W_M2;
use flindo_core::sky::course::Moment;
use jiff::Timestamp;
use jiff::tz::TimeZone;

const LEFT: f64 = 44.0;
const WIDTH: f64 = 548.0;
const TOP: f64 = 10.0;
const HEIGHT: f64 = 210.0;
const TOP_W_M2: f64 = 1200.0;

/// One plane over the day.
pub struct Curve {
    class: &'static str,
    points: Vec<(f64, f64)>,
}

impl Curve {
    pub fn of(class: &'static str, course: &[Moment], w_m2: impl Fn(&Moment) -> f64) -> Self {
        Curve { class, points: course.iter().map(|moment| (moment.unix_s, w_m2(moment))).collect() }
    }
}

#[derive(Template)]
#[template(path = "draw/today.svg")]
struct Drawing {
    paths: Vec<(&'static str, String)>,
    hours: Vec<(f64, String)>,
    levels: Vec<(f64, String)>,
    threshold_y: f64,
    now_x: f64,
}

pub fn draw(curves: &[Curve], day: &Day, zone: &TimeZone, now: Timestamp) -> String {
    let x_of = |unix_s: f64| LEFT + (unix_s - day.start_s()) / (day.end_s() - day.start_s()) * WIDTH;
    let y_of = |w_m2: f64| TOP + HEIGHT - w_m2 / TOP_W_M2 * HEIGHT;
    let path = |curve: &Curve| {
        let points = curve.points.iter().filter(|(_, w_m2)| *w_m2 > 0.0);
        let steps = points.enumerate().map(|(index, (unix_s, w_m2))| {
            format!("{}{:.1} {:.1}", if index == 0 { "M" } else { "L" }, x_of(*unix_s), y_of(*w_m2))
        });
        steps.collect::<String>()
    };
    let drawing = Drawing {
        paths: curves.iter().map(|curve| (curve.class, path(curve))).collect(),
        hours: placed(clock_ticks(day.start_s(), day.end_s(), WIDTH, zone), x_of),
        levels: placed(ticks(0.0, TOP_W_M2, HEIGHT, false), y_of),
        threshold_y: y_of(RATING_MIN_POA_W_M2),
        now_x: x_of(now.as_second() as f64),
    };
    drawing.render().unwrap_or_default()
}
