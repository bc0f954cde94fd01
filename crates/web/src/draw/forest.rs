//! Results as intervals on one scale: the readings of a test below each other with the whole, or the lines of a league.

use super::axis::{placed, ticks};
use crate::figures::{number, with_u};
use askama::Template;
use flindo_core::review::summary::Figure;

const LEFT: f64 = 110.0;
const SCALE: f64 = 376.0;
const ROW: f64 = 30.0;
const TOP: f64 = 34.0;

/// One row: a value with its expanded uncertainty, in the unit of the drawing.
pub struct Interval {
    pub label: String,
    pub percent: f64,
    pub u_percent: f64,
    /// Left out of the result: drawn hollow.
    pub counts: bool,
}

#[derive(Template)]
#[template(path = "draw/forest.svg")]
struct Drawing {
    title: String,
    unit: String,
    rows: Vec<Row>,
    whole: Option<Row>,
    ticks: Vec<(f64, String)>,
    /// What the tolerance of a label allows: from, width.
    band: Option<(f64, f64)>,
    rating_x: Option<f64>,
    bottom: f64,
    height: f64,
    text_x: f64,
}

struct Row {
    label: String,
    figure: String,
    counts: bool,
    x: f64,
    from: f64,
    to: f64,
    y: f64,
    text_y: f64,
}

impl Row {
    /// A diamond from end to end of the interval.
    fn diamond(&self) -> String {
        let Row { x, from, to, y, .. } = self;
        format!("{from:.1},{y:.1} {x:.1},{:.1} {to:.1},{y:.1} {x:.1},{:.1}", y - 9.0, y + 9.0)
    }
}

/// Readings of a test in percent of rating. `band` is what the label's tolerance allows.
pub fn draw(readings: &[Interval], whole: Option<&Interval>, band: (f64, f64)) -> String {
    let (low, high) = ends(readings.iter().chain(whole), (band.0.min(95.0), band.1.max(105.0)));
    let text = |one: &Interval| with_u(one.percent, one.u_percent, "%").to_string();
    let title = "Readings as percent of rating, each with its uncertainty".to_owned();
    drawing(readings, whole, (low, high), &text, title, "% of rating".to_owned(), Some(band))
}

/// Lines of a league, the best first, in the unit of their figure.
pub fn ranked(rows: &[Interval], title: &str, unit: &str) -> String {
    let first = rows.first().map_or((0.0, 1.0), |one| (one.percent - one.u_percent, one.percent + one.u_percent));
    let (low, high) = ends(rows.iter(), first);
    let text = |one: &Interval| {
        let u = one.u_percent.abs().max(1e-6);
        let decimals = (1.0 - u.log10().floor()).clamp(0.0, 4.0) as usize;
        format!("{} \u{b1} {}", number(one.percent, decimals), number(one.u_percent, decimals))
    };
    let has_rating = unit == "%" && low < 100.0 && high > 100.0;
    drawing(rows, None, (low, high), &text, title.to_owned(), unit.to_owned(), has_rating.then_some((100.0, 100.0)))
}

/// The lowest and the highest end of all intervals, with a little room.
fn ends<'a>(rows: impl Iterator<Item = &'a Interval>, least: (f64, f64)) -> (f64, f64) {
    let all = rows.flat_map(|row| [row.percent - row.u_percent, row.percent + row.u_percent]);
    let (low, high) = all.fold(least, |(low, high), end| (low.min(end), high.max(end)));
    let room = ((high - low) * 0.04).max(1e-6);
    (low - room, high + room)
}

fn drawing(
    rows: &[Interval],
    whole: Option<&Interval>,
    (low, high): (f64, f64),
    text: &dyn Fn(&Interval) -> String,
    title: String,
    unit: String,
    band: Option<(f64, f64)>,
) -> String {
    let x_of = |value: f64| LEFT + (value - low) / (high - low) * SCALE;
    let row = |place: usize, interval: &Interval| {
        let y = TOP + (place as f64 + 0.5) * ROW;
        Row {
            label: interval.label.clone(),
            figure: text(interval),
            counts: interval.counts,
            x: x_of(interval.percent),
            from: x_of(interval.percent - interval.u_percent),
            to: x_of(interval.percent + interval.u_percent),
            y,
            text_y: y + 5.0,
        }
    };
    let count = rows.len() + usize::from(whole.is_some());
    let bottom = TOP + count as f64 * ROW;
    let drawing = Drawing {
        title,
        unit,
        rows: rows.iter().enumerate().map(|(place, interval)| row(place, interval)).collect(),
        whole: whole.map(|interval| row(rows.len(), interval)),
        ticks: placed(ticks(low, high, SCALE, true), x_of),
        band: band.filter(|band| band.1 > band.0).map(|band| (x_of(band.0), x_of(band.1) - x_of(band.0))),
        rating_x: band.map(|_| x_of(100.0)),
        bottom,
        height: bottom + 8.0,
        text_x: LEFT + SCALE + 12.0,
    };
    drawing.render().unwrap_or_default()
}

#[derive(Template)]
#[template(path = "draw/forest_small.svg")]
struct Small {
    whole: Row,
    rating_x: f64,
}

/// The result alone, on one fixed scale of 60 to 120 % so that tests in a list compare at a glance.
pub fn draw_small(percent: Figure) -> String {
    let x_of = |percent: f64| ((percent - 60.0) / 60.0 * 220.0 + 10.0).clamp(2.0, 238.0);
    let whole = Row {
        label: String::new(),
        figure: with_u(percent.value, percent.u, "%").to_string(),
        counts: true,
        x: x_of(percent.value),
        from: x_of(percent.low()),
        to: x_of(percent.high()),
        y: 14.0,
        text_y: 14.0,
    };
    Small { whole, rating_x: x_of(100.0) }.render().unwrap_or_default()
}
