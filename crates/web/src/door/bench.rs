//! What the bench is called, out of a form or a body.

use crate::door::typed::{Notes, Pairs, value};
use jiff::tz::TimeZone;

/// Notes what cannot be the name, the currency or the time zone of a bench.
pub fn check(typed: &Pairs, notes: &mut Notes) {
    let text = |name| value(typed, name).trim();
    for (field, most) in [("name", 60), ("currency", 8)] {
        let length = text(field).chars().count();
        if length == 0 || length > most {
            notes.add(field, "refused", format!("Write 1 to {most} characters."));
        }
    }
    if TimeZone::get(text("time_zone")).is_err() {
        let sentence = format!("\"{}\" is not a time zone known here: choose one such as Europe/Lisbon.", text("time_zone"));
        notes.add("time_zone", "refused", sentence);
    }
}
