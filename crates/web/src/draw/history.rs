//! Percent of rating over the years, with intervals, what happened between, and the line of ageing.

use super::axis::{placed, ticks};
use crate::figures::with_u;
use askama::Template;
use flindo_core::review::history::{Ageing, At};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

#[derive(Template)]
#[template(path = "draw/history.svg")]
struct Drawing {
    title: String,
    times: Vec<(f64, String)>,
    levels: Vec<(f64, String)>,
    rating_y: f64,
    points: Vec<Point>,
    events: Vec<(f64, String)>,
    line: Option<(f64, f64, f64, f64)>,
}

struct Point {
    x: f64,
    y: f64,
    low_y: f64,
    high_y: f64,
    text: String,
}

const X0: f64 = 52.0;
const X1: f64 = 596.0;
const Y0: f64 = 230.0;
const Y1: f64 = 34.0;

/// What happened: Unix seconds, and its words.
pub type Happened = (f64, String);

/// Results in the order of time. `None` without one.
pub fn draw(tag: &str, points: &[At], events: &[Happened], ageing: Option<&Ageing>, zone: &TimeZone) -> Option<String> {
    let times = || points.iter().map(|at| at.unix_s).chain(events.iter().map(|(at, _)| *at));
    let (first, last) = times().fold((f64::MAX, f64::MIN), |(low, high), at| (low.min(at), high.max(at)));
    if points.is_empty() {
        return None;
    }
    const MONTH_S: f64 = 30.0 * 86_400.0;
    let room = ((last - first) * 0.06).max(MONTH_S);
    let (from, to) = (first - room, last + room);
    let ends = points.iter().flat_map(|at| [at.percent.low(), at.percent.high()]);
    let (low, high) = ends.fold((95.0, 102.0), |(low, high), end| (f64::min(low, end), f64::max(high, end)));
    let (low, high) = (low - 1.0, high + 1.0);
    let x = |at_s: f64| X0 + (at_s - from) / (to - from) * (X1 - X0);
    let y = |percent: f64| Y0 - (percent - low) / (high - low) * (Y0 - Y1);
    let day = |at_s: f64| Timestamp::from_second(at_s as i64).map(|at| crate::figures::day(at, zone)).unwrap_or_default();
    let point = |at: &At| Point {
        x: x(at.unix_s),
        y: y(at.percent.value),
        low_y: y(at.percent.low()),
        high_y: y(at.percent.high()),
        text: format!("{}: {}", day(at.unix_s), with_u(at.percent.value, at.percent.u, "%")),
    };
    let line = ageing.map(|ageing| {
        let weight = |at: &At| at.percent.u.max(1e-3).powi(-2);
        let total: f64 = points.iter().map(weight).sum();
        let mean = |of: &dyn Fn(&At) -> f64| points.iter().map(|at| weight(at) * of(at)).sum::<f64>() / total;
        let (middle_s, middle) = (mean(&|at| at.unix_s), mean(&|at| at.percent.value));
        const YEAR_S: f64 = 365.25 * 86_400.0;
        let at = |at_s: f64| middle + ageing.percent_per_year.value * (at_s - middle_s) / YEAR_S;
        (x(points[0].unix_s), y(at(points[0].unix_s)), x(points[points.len() - 1].unix_s), y(at(points[points.len() - 1].unix_s)))
    });
    let drawing = Drawing {
        title: format!("{tag}: percent of rating over time"),
        times: date_ticks(from, to).into_iter().map(|(at_s, label)| (x(at_s), label)).collect(),
        levels: placed(ticks(low, high, Y0 - Y1, false), y),
        rating_y: y(100.0),
        points: points.iter().map(point).collect(),
        events: events.iter().map(|(at, words)| (x(*at), words.clone())).collect(),
        line,
    };
    Some(drawing.render().unwrap_or_default())
}

/// First days of months or of years: 3 to 8 of them.
fn date_ticks(from_s: f64, to_s: f64) -> Vec<(f64, String)> {
    let date = |at_s: f64| Timestamp::from_second(at_s as i64).map(|at| at.to_zoned_datetime(TimeZone::UTC).date()).ok();
    let (Some(from), Some(to)) = (date(from_s), date(to_s)) else { return Vec::new() };
    let months_of = |date: Date| i32::from(date.year()) * 12 + i32::from(date.month()) - 1;
    let (first, last) = (months_of(from) + 1, months_of(to));
    let step = [1, 2, 3, 6, 12, 24, 60, 120, 240].into_iter().find(|step| (last - first) / step < 7).unwrap_or(480);
    (first..=last)
        .filter(|month| month.rem_euclid(step) == 0)
        .filter_map(|month| {
            let date = Date::new((month / 12) as i16, (month % 12 + 1) as i8, 1).ok()?;
            let at = TimeZone::UTC.to_timestamp(date.at(0, 0, 0, 0)).ok()?;
            let form = if step % 12 == 0 { "%Y" } else { "%b %Y" };
            Some((at.as_second() as f64, date.strftime(form).to_string()))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_are_first_days_of_months_or_years() {
        let at = |year: i16, month: i8| {
            TimeZone::UTC.to_timestamp(Date::new(year, month, 15).unwrap().at(0, 0, 0, 0)).unwrap().as_second() as f64
        };
        let labels = |from, to| date_ticks(from, to).into_iter().map(|tick| tick.1).collect::<Vec<_>>();
        assert_eq!(labels(at(2025, 11), at(2026, 3)), ["Dec 2025", "Jan 2026", "Feb 2026", "Mar 2026"]);
        assert_eq!(labels(at(2021, 6), at(2026, 3)), ["2022", "2023", "2024", "2025", "2026"]);
    }
}
