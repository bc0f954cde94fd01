//! What the drawings of a page are of, and of which day: a drawing that is saved says both, and has them in its name.

use crate::figures::day;
use flindo_store::Recorded;
use jiff::tz::TimeZone;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Drawn {
    /// Tag of the panel and the day of the test, in words.
    pub of: String,
    /// For the name of a file: year-month-day.
    pub date: String,
}

impl Drawn {
    /// Of a test, by its first reading.
    pub fn of_test(recorded: &Recorded, zone: &TimeZone) -> Self {
        let first = recorded.lines.first().map_or(recorded.test.created_utc, |line| line.newest().what.taken_utc);
        let date = first.to_zoned_datetime(zone.clone()).date();
        Drawn { of: format!("{}, tested {}", recorded.panel.tag(), day(first, zone)), date: date.to_string() }
    }
}
