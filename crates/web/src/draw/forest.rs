//! Every reading as an interval on one scale of percent of rating, and the whole below them: what agrees, and with what.

use crate::figures::with_u;
use askama::Template;

const LEFT: f64 = 86.0;
const SCALE: f64 = 400.0;
const ROW: f64 = 30.0;
const TOP: f64 = 34.0;

/// One row: a value in percent of rating with its expanded uncertainty.
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
    rows: Vec<Row>,
    whole: Option<Row>,
    ticks: Vec<Tick>,
    band_x: f64,
    band_width: f64,
    rating_x: f64,
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

struct Tick {
    x: f64,
    label: String,
}

/// The drawing. `band` is what the label's tolerance allows, in percent.
pub fn draw(readings: &[Interval], whole: Option<&Interval>, band: (f64, f64)) -> String {
    let ends = readings.iter().chain(whole).flat_map(|row| [row.percent - row.u_percent, row.percent + row.u_percent]);
    let (mut low, mut high) = ends.fold((band.0.min(95.0), band.1.max(105.0)), |(low, high), end| (low.min(end), high.max(end)));
    low = (low / 5.0).floor() * 5.0;
    high = (high / 5.0).ceil() * 5.0;
    let step = [5.0, 10.0, 20.0, 50.0, 100.0].into_iter().find(|step| (high - low) / step <= 8.0).unwrap_or(200.0);
    let x_of = |percent: f64| LEFT + (percent - low) / (high - low) * SCALE;
    let row = |place: usize, interval: &Interval| {
        let y = TOP + (place as f64 + 0.5) * ROW;
        Row {
            label: interval.label.clone(),
            figure: with_u(interval.percent, interval.u_percent, "%").to_string(),
            counts: interval.counts,
            x: x_of(interval.percent),
            from: x_of(interval.percent - interval.u_percent),
            to: x_of(interval.percent + interval.u_percent),
            y,
            text_y: y + 5.0,
        }
    };
    let rows: Vec<Row> = readings.iter().enumerate().map(|(place, interval)| row(place, interval)).collect();
    let whole = whole.map(|interval| row(readings.len(), interval));
    let count = readings.len() + usize::from(whole.is_some());
    let bottom = TOP + count as f64 * ROW;
    let first_tick = (low / step).ceil() as i32;
    let ticks = (first_tick..)
        .map(|tick| f64::from(tick) * step)
        .take_while(|percent| *percent <= high)
        .map(|percent| Tick { x: x_of(percent), label: format!("{percent}") })
        .collect();
    let drawing = Drawing {
        rows,
        whole,
        ticks,
        band_x: x_of(band.0),
        band_width: (x_of(band.1) - x_of(band.0)).max(0.0),
        rating_x: x_of(100.0),
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
    band_x: f64,
    band_width: f64,
    rating_x: f64,
}

/// The result alone, on one fixed scale of 60 to 120 % so that tests in a list compare at a glance.
pub fn draw_small(whole: &Interval, band: (f64, f64)) -> String {
    let x_of = |percent: f64| ((percent - 60.0) / 60.0 * 220.0 + 10.0).clamp(2.0, 238.0);
    let whole = Row {
        label: String::new(),
        figure: with_u(whole.percent, whole.u_percent, "%").to_string(),
        counts: whole.counts,
        x: x_of(whole.percent),
        from: x_of(whole.percent - whole.u_percent),
        to: x_of(whole.percent + whole.u_percent),
        y: 14.0,
        text_y: 14.0,
    };
    let band_x = x_of(band.0);
    let drawing = Small { whole, band_x, band_width: x_of(band.1) - band_x, rating_x: x_of(100.0) };
    drawing.render().unwrap_or_default()
}
