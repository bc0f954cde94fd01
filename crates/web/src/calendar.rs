//! Calendars (RFC 5545) of days that are worth keeping free.

use axum::http::header;
use axum::response::{IntoResponse, Response};
use ics::components::Property;
use ics::properties::{Description, DtEnd, DtStart, Location, RRule, Summary};
use ics::{Event, ICalendar, escape_text};
use jiff::Timestamp;
use jiff::civil::Date;

/// Who made the file.
const MADE_BY: &str = concat!("-//Flindo//Flindo ", env!("CARGO_PKG_VERSION"), "//EN");

/// An event of some hours, once.
pub fn hours(uid: String, made: Timestamp, from: Timestamp, to: Timestamp, summary: &str, location: &str) -> Event<'static> {
    let mut event = Event::new(uid, instant(made));
    event.push(DtStart::new(instant(from)));
    event.push(DtEnd::new(instant(to)));
    event.push(Summary::new(escape_text(summary.to_owned())));
    event.push(Location::new(escape_text(location.to_owned())));
    event
}

/// A whole day, every year.
pub fn every_year(uid: String, made: Timestamp, date: Date, summary: &str, description: &str) -> Event<'static> {
    let mut event = Event::new(uid, instant(made));
    let mut start: Property = DtStart::new(date.strftime("%Y%m%d").to_string()).into();
    start.add(ics::parameters::Value::DATE);
    event.push(start);
    event.push(RRule::new("FREQ=YEARLY"));
    event.push(Summary::new(escape_text(summary.to_owned())));
    event.push(Description::new(escape_text(description.to_owned())));
    event
}

/// The file, to be saved.
pub fn file(name: &str, events: Vec<Event<'static>>) -> Response {
    let mut calendar = ICalendar::new("2.0", MADE_BY);
    events.into_iter().for_each(|event| calendar.add_event(event));
    let headers = [
        (header::CONTENT_TYPE, "text/calendar; charset=utf-8".to_owned()),
        (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")),
    ];
    (headers, calendar.to_string()).into_response()
}

fn instant(time: Timestamp) -> String {
    time.strftime("%Y%m%dT%H%M%SZ").to_string()
}
