//! Dates and times in the forms that loggers write, and zones whose clocks change.

use crate::named::named;
use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{AmbiguousOffset, Offset, TimeZone};

/// The order of a date's parts, or a count of seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum TimePattern {
    /// 2026-09-12 13:34:00, 2026/09/12, 20260912T133400, with or without T, Z and offset.
    #[default]
    YearFirst,
    /// 12.09.2026, 12/09/26, 12 Sep 2026.
    DayFirst,
    /// 09/12/2026, Sep 12, 2026.
    MonthFirst,
    UnixSeconds,
    UnixMilliseconds,
    UnixMicroseconds,
    UnixNanoseconds,
    /// Days since 30 December 1899, as spreadsheets count.
    SpreadsheetDays,
}

named!(TimePattern {
    YearFirst = "year_first", "year, month, day";
    DayFirst = "day_first", "day, month, year";
    MonthFirst = "month_first", "month, day, year";
    UnixSeconds = "unix_seconds", "seconds since 1970";
    UnixMilliseconds = "unix_milliseconds", "milliseconds since 1970";
    UnixMicroseconds = "unix_microseconds", "microseconds since 1970";
    UnixNanoseconds = "unix_nanoseconds", "nanoseconds since 1970";
    SpreadsheetDays = "spreadsheet_days", "days of a spreadsheet";
});

/// A time as it was read.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Read {
    /// Unix seconds.
    Instant(f64),
    /// By a clock whose zone the file does not name; the fraction of the second stands beside it.
    Local(DateTime, f64),
}

/// Why a text is no time. Prints as the end of a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TimeError {
    #[error("is not a time as the other rows have it ({0})")]
    NotATime(&'static str),
    #[error(
        "does not exist: clocks in {0} went forward over it. If the logger does not change to summer time, choose its offset as zone"
    )]
    Skipped(String),
    #[error("names no zone")]
    NoZone,
}

/// The zone of a name, an offset, or `file`; `None` for what is none of them.
pub fn zone_of(name: &str) -> Option<TimeZone> {
    if name == "file" {
        return Some(TimeZone::UTC);
    }
    match offset_of(name) {
        Some(seconds) => Offset::from_seconds(seconds).ok().map(TimeZone::fixed),
        None => TimeZone::get(name).ok(),
    }
}

/// Seconds of "+01:00", "-0330", "+2" or "Z".
fn offset_of(text: &str) -> Option<i32> {
    if text.eq_ignore_ascii_case("z") || text.eq_ignore_ascii_case("utc") {
        return Some(0);
    }
    let (sign, rest) = match text.as_bytes().first()? {
        b'+' => (1, &text[1..]),
        b'-' => (-1, &text[1..]),
        _ => return None,
    };
    let digits: String = rest.chars().filter(|c| *c != ':').collect();
    if digits.is_empty() || digits.len() > 4 || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let (hours, minutes) = if digits.len() <= 2 { (digits.as_str(), "0") } else { digits.split_at(digits.len() - 2) };
    let (hours, minutes): (i32, i32) = (hours.parse().ok()?, minutes.parse().ok()?);
    (hours <= 15 && minutes < 60).then_some(sign * (hours * 3600 + minutes * 60))
}

/// Reads date and time from one cell, or from a date and a time of day.
///
/// # Errors
/// What is no time in this pattern.
pub fn read(pattern: TimePattern, text: &str) -> Result<Read, TimeError> {
    let text = text.trim();
    let not = || TimeError::NotATime(pattern.label());
    let count = || text.replace(',', ".").parse::<f64>().ok().filter(|value| value.is_finite()).ok_or_else(not);
    match pattern {
        TimePattern::UnixSeconds => count().map(Read::Instant),
        TimePattern::UnixMilliseconds => count().map(|ms| Read::Instant(ms / 1e3)),
        TimePattern::UnixMicroseconds => count().map(|us| Read::Instant(us / 1e6)),
        TimePattern::UnixNanoseconds => count().map(|ns| Read::Instant(ns / 1e9)),
        TimePattern::SpreadsheetDays => {
            let days = count()?;
            let whole =
                Date::constant(1899, 12, 30).checked_add(jiff::Span::new().days(days.floor() as i64)).map_err(|_| not())?;
            // Spreadsheets keep a day's share in 15 digits: to the millisecond.
            let of_day_ms = ((days - days.floor()) * 86_400_000.0).round().min(86_399_999.0);
            let (second, rest) = ((of_day_ms / 1000.0).floor(), of_day_ms % 1000.0 / 1000.0);
            let second = second as i32;
            let time = Time::new((second / 3600) as i8, (second / 60 % 60) as i8, (second % 60) as i8, 0).map_err(|_| not())?;
            Ok(Read::Local(whole.to_datetime(time), rest))
        }
        TimePattern::YearFirst | TimePattern::DayFirst | TimePattern::MonthFirst => civil(pattern, text).ok_or_else(not),
    }
}

/// The parts of a date in the order of a pattern.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Part {
    Year,
    Month,
    Day,
}

impl TimePattern {
    /// Of a date; none for a count.
    fn parts(self) -> Option<[Part; 3]> {
        match self {
            TimePattern::YearFirst => Some([Part::Year, Part::Month, Part::Day]),
            TimePattern::DayFirst => Some([Part::Day, Part::Month, Part::Year]),
            TimePattern::MonthFirst => Some([Part::Month, Part::Day, Part::Year]),
            TimePattern::UnixSeconds
            | TimePattern::UnixMilliseconds
            | TimePattern::UnixMicroseconds
            | TimePattern::UnixNanoseconds
            | TimePattern::SpreadsheetDays => None,
        }
    }
}

/// Date, time of day and offset of a text, its numbers one after the other.
fn civil(pattern: TimePattern, text: &str) -> Option<Read> {
    let bytes = text.as_bytes();
    let mut at = 0;
    let (mut year, mut month, mut day) = (0, 0, 0);
    for part in pattern.parts()? {
        match part {
            Part::Year => {
                year = number(text, &mut at, 4)?;
                // Two digits at the beginning are a day or a month.
                if pattern == TimePattern::YearFirst && year < 1000 {
                    return None;
                }
            }
            Part::Month => month = month_name(text, &mut at).or_else(|| number(text, &mut at, 2))?,
            Part::Day => day = number(text, &mut at, 2)?,
        }
    }
    let year = if year < 100 { year + 2000 } else { year };
    let date = Date::new(i16::try_from(year).ok()?, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()?;
    let (mut hour, minute) = (number(text, &mut at, 2)?, number(text, &mut at, 2)?);
    // After a sign, or at once where all digits stand together.
    let has_seconds = bytes.get(at) == Some(&b':') || bytes.get(at).is_some_and(u8::is_ascii_digit);
    let second = if has_seconds { number(text, &mut at, 2)? } else { 0 };
    let mut fraction = 0.0;
    if matches!(bytes.get(at), Some(b'.' | b',')) && bytes.get(at + 1).is_some_and(u8::is_ascii_digit) {
        let begin = at + 1;
        at = begin + bytes[begin..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        fraction = format!("0.{}", text.get(begin..at)?).parse().ok()?;
    }
    let (half, rest) = half_of_day(text.get(at..)?.trim());
    if let Some(is_afternoon) = half {
        if !(1..=12).contains(&hour) {
            return None;
        }
        hour = hour % 12 + if is_afternoon { 12 } else { 0 };
    }
    // Midnight at the end of a day.
    let (hour, next_day) = if hour == 24 && minute == 0 && second == 0 { (0, true) } else { (hour, false) };
    // A leap second is the last one of its minute.
    let time = Time::new(i8::try_from(hour).ok()?, i8::try_from(minute).ok()?, i8::try_from(second.min(59)).ok()?, 0).ok()?;
    let date = if next_day { date.tomorrow().ok()? } else { date };
    let local = date.to_datetime(time);
    if rest.is_empty() {
        return Some(Read::Local(local, fraction));
    }
    let offset = Offset::from_seconds(offset_of(rest)?).ok()?;
    Some(Read::Instant(offset.to_timestamp(local).ok()?.as_second() as f64 + fraction))
}

/// Whether a text begins with the half of the day, "pm", "p.m." or "P. M.", and which; and what is left.
fn half_of_day(text: &str) -> (Option<bool>, &str) {
    let letters: Vec<(usize, char)> = text
        .char_indices()
        .filter(|(_, c)| !matches!(c, '.' | ' '))
        .take(2)
        .map(|(at, c)| (at, c.to_ascii_lowercase()))
        .collect();
    match letters[..] {
        [(0, half @ ('a' | 'p')), (at, 'm')] => {
            (Some(half == 'p'), text.get(at + 1..).unwrap_or_default().trim_start_matches('.').trim())
        }
        _ => (None, text),
    }
}

fn is_between(byte: u8) -> bool {
    matches!(byte, b' ' | b'/' | b'.' | b'-' | b'T' | b't' | b':' | b'_' | b',')
}

/// The next number of at most so many digits, after what stands between the parts of a date.
fn number(text: &str, at: &mut usize, most: usize) -> Option<i32> {
    let bytes = text.as_bytes();
    while *at < bytes.len() && is_between(bytes[*at]) {
        *at += 1;
    }
    let begin = *at;
    while *at < bytes.len() && *at - begin < most && bytes[*at].is_ascii_digit() {
        *at += 1;
    }
    text.get(begin..*at)?.parse().ok()
}

/// The beginnings of the months' names in English, German, French, Spanish, Italian and Portuguese.
const MONTHS: [&[&str]; 12] = [
    &["jan", "jän", "ene", "gen"],
    &["feb", "fév", "fev"],
    &["mar", "mär", "mrz"],
    &["apr", "avr", "abr"],
    &["may", "mai", "mag"],
    &["jun", "juin", "giu"],
    &["jul", "juil", "lug"],
    &["aug", "aoû", "aou", "ago"],
    &["sep", "set"],
    &["oct", "okt", "out", "ott"],
    &["nov"],
    &["dec", "dez", "déc", "dic"],
];

/// A month by its name; the place moves on only where one stands.
fn month_name(text: &str, at: &mut usize) -> Option<i32> {
    let rest = text.get(*at..)?;
    let begin = rest.find(|c: char| c.is_alphabetic())?;
    if !rest.bytes().take(begin).all(is_between) {
        return None;
    }
    let name: String = rest[begin..].chars().take_while(|c| c.is_alphabetic()).collect();
    let lower = name.to_lowercase();
    let nth = MONTHS.iter().position(|names| names.iter().any(|known| lower.starts_with(known)))?;
    *at += begin + name.len();
    Some(nth as i32 + 1)
}

/// A clock on the wall of a zone, which goes back once a year: the repeated hour is told by the order of the rows.
#[derive(Debug, Clone)]
pub struct WallClock {
    zone: TimeZone,
    name: String,
    wants_zone: bool,
    last_s: f64,
}

impl WallClock {
    /// `None` for a zone that is none.
    pub fn of(zone: &str) -> Option<Self> {
        Some(WallClock { zone: zone_of(zone)?, name: zone.to_owned(), wants_zone: zone == "file", last_s: f64::NEG_INFINITY })
    }

    /// The rows before ended at this time.
    pub fn go_on_after(&mut self, last_s: f64) {
        self.last_s = last_s;
    }

    /// Unix seconds of a time that was read, after those before it.
    ///
    /// # Errors
    /// A time that clocks skipped, or one without a zone where the file is said to name them.
    pub fn instant_s(&mut self, read: Read) -> Result<f64, TimeError> {
        let at_s = match read {
            Read::Instant(at_s) => at_s,
            Read::Local(..) if self.wants_zone => return Err(TimeError::NoZone),
            Read::Local(local, fraction) => fraction + self.local_s(local)?,
        };
        self.last_s = at_s;
        Ok(at_s)
    }

    fn local_s(&self, local: DateTime) -> Result<f64, TimeError> {
        let seconds = |offset: Offset| {
            offset.to_timestamp(local).map(|at| at.as_second() as f64).map_err(|_| TimeError::NotATime("a year of the calendar"))
        };
        match self.zone.to_ambiguous_timestamp(local).offset() {
            AmbiguousOffset::Unambiguous { offset } => seconds(offset),
            AmbiguousOffset::Gap { .. } => Err(TimeError::Skipped(self.name.clone())),
            AmbiguousOffset::Fold { before, after } => {
                let first = seconds(before)?;
                if first < self.last_s { seconds(after) } else { Ok(first) }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(pattern: TimePattern, zone: &str, text: &str) -> Result<f64, TimeError> {
        WallClock::of(zone).unwrap().instant_s(read(pattern, text)?)
    }

    /// 2026-09-12 13:34:05 UTC.
    const MOMENT_S: f64 = 1_789_220_045.0;

    #[test]
    fn one_moment_in_the_forms_that_loggers_write() {
        for (pattern, zone, text) in [
            (TimePattern::YearFirst, "UTC", "2026-09-12 13:34:05"),
            (TimePattern::YearFirst, "file", "2026-09-12T14:34:05+01:00"),
            (TimePattern::YearFirst, "Europe/Lisbon", "2026/09/12 14:34:05"),
            (TimePattern::YearFirst, "Europe/Lisbon", "2026-09-12T13:34:05Z"),
            (TimePattern::DayFirst, "Europe/Lisbon", "12.09.2026 14:34:05"),
            (TimePattern::DayFirst, "+0100", "12/9/26 14:34:05"),
            (TimePattern::MonthFirst, "Europe/Lisbon", "9/12/2026 2:34:05 PM"),
            (TimePattern::UnixSeconds, "UTC", "1789220045"),
            (TimePattern::UnixMilliseconds, "UTC", "1789220045000"),
            (TimePattern::UnixMicroseconds, "UTC", "1789220045000000"),
            (TimePattern::UnixNanoseconds, "UTC", "1789220045000000000"),
            (TimePattern::YearFirst, "UTC", "20260912133405"),
            (TimePattern::YearFirst, "Europe/Lisbon", "20260912T133405Z"),
            (TimePattern::DayFirst, "Europe/Lisbon", "12 Sep 2026 14:34:05"),
            (TimePattern::DayFirst, "Europe/Lisbon", "12-September-26 02:34:05 p.m."),
            (TimePattern::DayFirst, "Europe/Lisbon", "12. Sept. 2026 14:34:05"),
            (TimePattern::MonthFirst, "Europe/Lisbon", "Sep 12, 2026 2:34:05 P.M."),
            (TimePattern::YearFirst, "Europe/Lisbon", "2026-Sep-12 14:34:05"),
            (TimePattern::SpreadsheetDays, "UTC", "46277.5653356481"),
        ] {
            let found = at(pattern, zone, text).unwrap();
            assert!((found - MOMENT_S).abs() < 0.002, "{text}: {found}");
        }
        assert_eq!(at(TimePattern::YearFirst, "UTC", "2026-09-12 13:34:05.250"), Ok(MOMENT_S + 0.25));
        assert_eq!(at(TimePattern::YearFirst, "UTC", "2026-09-12 13:34"), Ok(MOMENT_S - 5.0));
        assert_eq!(at(TimePattern::YearFirst, "UTC", "2026-09-11 24:00"), at(TimePattern::YearFirst, "UTC", "2026-09-12 00:00"));
        assert_eq!(
            at(TimePattern::MonthFirst, "UTC", "9/12/2026 12:00 AM"),
            at(TimePattern::MonthFirst, "UTC", "9/12/2026 00:00")
        );
    }

    #[test]
    fn what_is_no_time_says_so() {
        for text in
            ["", "noon", "2026-13-01 10:00", "2026-02-30 10:00", "2026-09-12 25:00", "2026-09-12 13:00 PM", "12", "12/9/26 10:00"]
        {
            assert!(matches!(at(TimePattern::YearFirst, "UTC", text), Err(TimeError::NotATime(_))), "{text}");
        }
        for text in ["12 Moo 2026 10:00", "Sep 12, 2026 10:00", "12 Sep 2026 10:00 xm"] {
            assert!(matches!(at(TimePattern::DayFirst, "UTC", text), Err(TimeError::NotATime(_))), "{text}");
        }
        assert_eq!(at(TimePattern::YearFirst, "file", "2026-09-12 10:00"), Err(TimeError::NoZone));
        assert!(zone_of("Moon/Sea").is_none() && zone_of("+25").is_none() && zone_of("-03:30").is_some());
    }

    /// Lisbon, 2026: forward on 29 March at 1:00, back on 25 October at 2:00.
    #[test]
    fn the_hour_that_comes_twice_is_told_by_the_order_of_the_rows() {
        let mut clock = WallClock::of("Europe/Lisbon").unwrap();
        let times = ["00:30", "01:00", "01:30", "01:00", "01:30", "02:00"];
        let found: Vec<f64> = times
            .iter()
            .map(|time| clock.instant_s(read(TimePattern::YearFirst, &format!("2026-10-25 {time}")).unwrap()).unwrap())
            .collect();
        assert!(found.windows(2).all(|pair| pair[1] - pair[0] == 1800.0), "{found:?}");
        let skipped = at(TimePattern::YearFirst, "Europe/Lisbon", "2026-03-29 01:30");
        assert_eq!(skipped, Err(TimeError::Skipped("Europe/Lisbon".to_owned())));
        assert!(at(TimePattern::YearFirst, "+00:00", "2026-03-29 01:30").is_ok());
    }
}
