//! A format from the first lines of a file. What cannot be known is assumed, and said to be.

use super::doubt::{Assumed, by_product, decimal_comma, of_load, unit_columns};
use super::header::{understand, unit};
use super::line::header_cells;
use super::time::{Read, TimePattern, read};
use super::{Column, ColumnUse, Delimiter, Format};
use crate::measure::quantity::Quantity;

/// A format, and what of it is no more than an assumption.
#[derive(Debug, Clone, PartialEq)]
pub struct Guess {
    pub format: Format,
    pub assumed: Vec<Assumed>,
    /// The first rows, as cells.
    pub rows: Vec<Vec<String>>,
}

/// Lines that are looked at.
const LINES: usize = 400;

/// Rows that are shown.
const SHOWN: usize = 5;

/// Guesses from the text of the beginning of a file (its last line may be cut) and, where it is there, of its end. `zone` is that of the
/// place.
/// `None` where nothing of it is a table.
pub fn guess(head: &str, zone: &str) -> Option<Guess> {
    let delimiter = Delimiter::ALL.iter().copied().max_by_key(|delimiter| score(head, *delimiter))?;
    guess_by(head, zone, delimiter)
}

/// The same where somebody said what stands between the cells.
pub fn guess_by(head: &str, zone: &str, delimiter: Delimiter) -> Option<Guess> {
    let head = head.trim_start_matches('\u{feff}');
    let lines = records(head, delimiter);
    let width = usual_width(&lines)?;
    let first = first_row(&lines, width)?;
    let rows: Vec<&Vec<String>> = lines[first.index..].iter().map(|line| &line.1).filter(|cells| cells.len() == width).collect();
    let mut columns = columns(&first, width);
    unit_columns(&rows, &mut columns);
    let mut assumed = of_load(&mut columns);
    if first.names.is_none() {
        assumed.push(Assumed::NoHeader);
    }
    let (time, is_open) = times(&rows, &mut columns)?;
    if is_open {
        assumed.push(Assumed::DayOrMonth);
    }
    let names_zone =
        rows.iter().all(|row| time_text(row, &columns).is_some_and(|text| matches!(read(time, &text), Ok(Read::Instant(_)))));
    let header_says_utc = columns.iter().any(|column| {
        matches!(column.used_as, ColumnUse::Time | ColumnUse::TimeOfDay | ColumnUse::Date)
            && column.name.to_lowercase().contains("utc")
    });
    let zone = match () {
        () if names_zone => "file",
        () if header_says_utc => "UTC",
        () => {
            assumed.push(Assumed::Zone);
            zone
        }
    };
    let (decimal_comma, open) = decimal_comma(&rows, &columns);
    let by_product = by_product(&rows, &mut columns, decimal_comma);
    // Watts that are volts times amps leave no doubt about their sign.
    let is_settled = has_product(&columns) && by_product.is_empty();
    assumed.extend(open.filter(|_| !is_settled));
    assumed.extend(by_product);
    let format = Format { delimiter, decimal_comma, header_lines: first.line, time, zone: zone.to_owned(), columns };
    let rows = rows.into_iter().take(SHOWN).cloned().collect();
    Some(Guess { format, assumed, rows })
}

/// Whether volts, amps and watts of one side are all there.
fn has_product(columns: &[Column]) -> bool {
    let has = |quantity: Quantity| columns.iter().any(|column| column.used_as == ColumnUse::Quantity(quantity));
    let all = |of: [Quantity; 3]| of.into_iter().all(has);
    all([Quantity::Voltage, Quantity::Current, Quantity::Power])
        || all([Quantity::OutputVoltage, Quantity::OutputCurrent, Quantity::OutputPower])
}

/// Lines as cells, with the number of lines before each; without those that are empty.
fn records(head: &str, delimiter: Delimiter) -> Vec<(usize, Vec<String>)> {
    let mut lines: Vec<(usize, Vec<String>)> = head
        .lines()
        .take(LINES)
        .enumerate()
        .filter(|(_, line)| !line.trim().is_empty())
        .map(|(nth, line)| (nth, header_cells(line, delimiter)))
        .collect();
    // The last one may be cut.
    if lines.len() > 2 && !head.ends_with('\n') && head.lines().count() <= LINES {
        lines.pop();
    }
    lines
}

/// How many lines share the usual width, times that width; a width of one is no table. Spaces stand within texts and times too: they part
/// cells only where nearly all of them are figures then.
fn score(head: &str, delimiter: Delimiter) -> usize {
    let lines = records(head, delimiter);
    let Some(width) = usual_width(&lines) else { return 0 };
    let of_width = || lines.iter().filter(|line| line.1.len() == width);
    let cells = || of_width().flat_map(|line| &line.1).filter(|cell| !cell.is_empty());
    let are_figures = || cells().filter(|cell| is_figure(cell)).count() * 10 >= cells().count() * 8;
    if delimiter == Delimiter::Spaces && !are_figures() { 0 } else { (width - 1) * of_width().count() }
}

fn usual_width(lines: &[(usize, Vec<String>)]) -> Option<usize> {
    let widths: Vec<usize> = lines.iter().map(|line| line.1.len()).filter(|width| *width > 1).collect();
    widths.iter().copied().max_by_key(|width| widths.iter().filter(|other| *other == width).count())
}

struct First {
    /// Place among the records.
    index: usize,
    /// Lines before it.
    line: usize,
    names: Option<Vec<String>>,
    units: Option<Vec<String>>,
}

/// The first row of figures: half of its cells or more are numbers or times, and so are those of the next one.
fn first_row(lines: &[(usize, Vec<String>)], width: usize) -> Option<First> {
    let is_row = |cells: &Vec<String>| {
        let filled: Vec<&String> = cells.iter().filter(|cell| !cell.is_empty()).collect();
        cells.len() == width && !filled.is_empty() && filled.iter().filter(|cell| is_figure(cell)).count() * 2 >= filled.len()
    };
    let index = (0..lines.len()).find(|nth| is_row(&lines[*nth].1) && lines.get(nth + 1).is_none_or(|next| is_row(&next.1)))?;
    let above: Vec<&Vec<String>> = lines[..index].iter().map(|line| &line.1).filter(|cells| cells.len() == width).collect();
    let is_units = |cells: &Vec<String>| {
        let filled: Vec<&String> = cells.iter().filter(|cell| !cell.is_empty()).collect();
        !filled.is_empty()
            && filled.iter().filter(|cell| unit(cell.trim_matches(['(', ')', '[', ']'])).is_some()).count() * 2 >= filled.len()
    };
    let (names, units) = match above[..] {
        [.., names, units] if is_units(units) => (Some(names.clone()), Some(units.clone())),
        [.., names] => (Some(names.clone()), None),
        [] => (None, None),
    };
    Some(First { index, line: lines[index].0, names, units })
}

fn is_figure(cell: &str) -> bool {
    cell.replace(',', ".").parse::<f64>().is_ok()
        || cell.as_bytes().first().is_some_and(u8::is_ascii_digit) && cell.contains([':', '-', '/', '.'])
}

fn columns(first: &First, width: usize) -> Vec<Column> {
    let cell = |row: &Option<Vec<String>>, nth: usize| row.as_ref().and_then(|row| row.get(nth)).cloned().unwrap_or_default();
    let understood: Vec<_> = (0..width)
        .map(|nth| understand(&cell(&first.names, nth), cell(&first.units, nth).trim_matches(['(', ')', '[', ']'])))
        .collect();
    let is_shared = |used_as: ColumnUse| understood.iter().filter(|other| other.used_as == used_as).count() > 1;
    let is_quantity = |used_as: ColumnUse| matches!(used_as, ColumnUse::Quantity(_));
    // Several of one quantity are those of several devices, and then every column has one.
    let several = understood.iter().any(|one| is_quantity(one.used_as) && is_shared(one.used_as));
    understood
        .iter()
        .enumerate()
        .map(|(nth, one)| Column {
            name: cell(&first.names, nth),
            used_as: one.used_as,
            unit: one.unit.clone(),
            device: if several && is_quantity(one.used_as) { one.rest.clone() } else { String::new() },
        })
        .collect()
}

/// The text of a row's time.
fn time_text(row: &[String], columns: &[Column]) -> Option<String> {
    let cell =
        |used_as: ColumnUse| columns.iter().position(|column| column.used_as == used_as).and_then(|nth| row.get(nth)).cloned();
    match (cell(ColumnUse::Time), cell(ColumnUse::Date), cell(ColumnUse::TimeOfDay)) {
        (Some(time), _, _) => Some(time),
        (None, Some(date), Some(time)) => Some(format!("{date} {time}")),
        (None, _, _) => None,
    }
}

/// The pattern of the times, and whether day and month could be either way round. Where no header says which column is the time, the first
/// that can be is.
fn times(rows: &[&Vec<String>], columns: &mut [Column]) -> Option<(TimePattern, bool)> {
    let count = |columns: &[Column], used_as: ColumnUse| columns.iter().filter(|column| column.used_as == used_as).count();
    // A date beside a column named time: two cells of one moment.
    if count(columns, ColumnUse::Date) == 1 && count(columns, ColumnUse::Time) == 1 {
        for column in columns.iter_mut().filter(|column| column.used_as == ColumnUse::Time) {
            column.used_as = ColumnUse::TimeOfDay;
        }
    }
    if let Some(found) = pattern(rows, columns) {
        return Some(found);
    }
    // A date that holds the time of day as well.
    if count(columns, ColumnUse::Date) >= 1 {
        for column in columns.iter_mut() {
            match column.used_as {
                ColumnUse::Date => column.used_as = ColumnUse::Time,
                ColumnUse::TimeOfDay => column.used_as = ColumnUse::Ignored,
                ColumnUse::Ignored | ColumnUse::Time | ColumnUse::Device | ColumnUse::Unit | ColumnUse::Quantity(_) => {}
            }
        }
        if let Some(found) = pattern(rows, columns) {
            return Some(found);
        }
    }
    let was: Vec<ColumnUse> = columns.iter().map(|column| column.used_as).collect();
    for nth in 0..columns.len() {
        for (column, used_as) in columns.iter_mut().zip(&was) {
            column.used_as = if matches!(used_as, ColumnUse::Time | ColumnUse::Date | ColumnUse::TimeOfDay) {
                ColumnUse::Ignored
            } else {
                *used_as
            };
        }
        columns[nth].used_as = ColumnUse::Time;
        if let Some(found) = pattern(rows, columns) {
            return Some(found);
        }
        // Date and time of day side by side, without a header.
        if nth + 1 < columns.len() {
            (columns[nth].used_as, columns[nth + 1].used_as) = (ColumnUse::Date, ColumnUse::TimeOfDay);
            if let Some(found) = pattern(rows, columns) {
                return Some(found);
            }
        }
    }
    None
}

fn pattern(rows: &[&Vec<String>], columns: &[Column]) -> Option<(TimePattern, bool)> {
    let filled = |text: &String| text.bytes().any(|byte| byte.is_ascii_digit());
    let texts: Vec<String> = rows.iter().filter_map(|row| time_text(row, columns)).filter(filled).collect();
    // Sums, repeated headers and a clock that was not set yet are rows kept aside, and no reason to refuse the file.
    let count =
        |pattern: TimePattern| texts.iter().filter(|text| read(pattern, text).is_ok_and(|found| is_plausible(&found))).count();
    let reads = |count: usize| count > 0 && count * 2 >= texts.len();
    if reads(count(TimePattern::YearFirst)) {
        return Some((TimePattern::YearFirst, false));
    }
    let (day, month) = (count(TimePattern::DayFirst), count(TimePattern::MonthFirst));
    match (reads(day) && day >= month, reads(month) && month >= day) {
        (true, true) => {
            // The one that goes on from day to day, not from month to month.
            let span = |pattern: TimePattern| span_days(&texts, pattern);
            let (day, month) = (span(TimePattern::DayFirst), span(TimePattern::MonthFirst));
            // Dates with points begin with the day.
            let has_points = texts.iter().all(|text| text.chars().take(6).filter(|c| *c == '.').count() >= 1);
            return Some((
                if month < day { TimePattern::MonthFirst } else { TimePattern::DayFirst },
                month == day && !has_points,
            ));
        }
        (true, false) => return Some((TimePattern::DayFirst, false)),
        (false, true) => return Some((TimePattern::MonthFirst, false)),
        (false, false) => {}
    }
    let counts = [
        TimePattern::UnixNanoseconds,
        TimePattern::UnixMicroseconds,
        TimePattern::UnixMilliseconds,
        TimePattern::UnixSeconds,
        TimePattern::SpreadsheetDays,
    ];
    counts.into_iter().find(|pattern| reads(count(*pattern))).map(|pattern| (pattern, false))
}

fn span_days(texts: &[String], pattern: TimePattern) -> i64 {
    let days = |text: &String| match read(pattern, text) {
        Ok(Read::Local(local, _)) => local.date().duration_since(jiff::civil::Date::constant(2000, 1, 1)).as_hours() / 24,
        Ok(Read::Instant(at_s)) => (at_s / 86_400.0) as i64,
        Err(_) => 0,
    };
    let all: Vec<i64> = texts.iter().map(days).collect();
    all.iter().max().zip(all.iter().min()).map_or(0, |(last, first)| last - first)
}

/// Of the years 1990 to 2099: a count of something else is no time.
fn is_plausible(found: &Read) -> bool {
    match found {
        Read::Instant(at_s) => (631_152_000.0..4_102_444_800.0).contains(at_s),
        Read::Local(local, _) => (1990..=2099).contains(&local.year()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn guessed(text: &str) -> Guess {
        let found = guess(text, "Europe/Lisbon").unwrap();
        assert_eq!(found.format.check(), Ok(()), "{found:?}");
        found
    }

    fn uses(guess: &Guess) -> Vec<&'static str> {
        guess.format.columns.iter().map(|column| column.used_as.name()).collect()
    }

    #[test]
    fn six_odd_files_are_guessed() {
        let plain = guessed("time_utc,voltage_v,current_a\n2026-09-12T12:00:00Z,18.4,5.6\n2026-09-12T12:00:05Z,18.5,5.6\n");
        assert_eq!((uses(&plain), plain.format.zone.as_str()), (vec!["time", "voltage_v", "current_a"], "file"));
        assert!(plain.assumed.is_empty() && plain.format.header_lines == 1);

        let comma = guessed(
            "Logger 7\nSerial;1234\n\nDatum;Zeit;Spannung;Strom\n;;V;A\n13.09.2026;12:00:00;18,4;5,6\n13.09.2026;12:00:05;18,5;5,6\n",
        );
        assert!(comma.format.decimal_comma && comma.format.delimiter == Delimiter::Semicolon && comma.format.header_lines == 5);
        assert!(comma.assumed.contains(&Assumed::Zone) && comma.format.time == TimePattern::DayFirst);
        assert_eq!(uses(&comma)[2..], ["voltage_v", "current_a"]);

        let devices =
            guessed("Date/Time\tRig A Power (W)\tRig B Power (W)\n9/12/2026 2:00 PM\t120\t118\n9/13/2026 2:01 PM\t121\t119\n");
        let names: Vec<&str> = devices.format.columns.iter().map(|column| column.device.as_str()).collect();
        assert!(names == ["", "Rig A", "Rig B"] && devices.format.time == TimePattern::MonthFirst, "{devices:?}");

        let unix = guessed("ts;p\n1789220045;120.5\n1789220050;121.5\n");
        assert!(unix.format.time == TimePattern::UnixSeconds && !unix.format.decimal_comma && uses(&unix) == ["time", "power_w"]);

        let bare = guess("2026-09-12 12:00:00,18.4,5.6\n2026-09-12 12:00:05,18.5,5.6\n", "UTC").unwrap();
        assert!(
            bare.assumed.contains(&Assumed::NoHeader)
                && bare.format.header_lines == 0
                && uses(&bare) == ["time", "ignored", "ignored"]
        );

        let long = guessed("Timestamp|Device|Power (kW)\n2026-09-12 12:00|roof|0.12\n2026-09-12 12:00|barn|0.13\n");
        assert_eq!((uses(&long), long.format.delimiter), (vec!["time", "device", "power_w"], Delimiter::Bar));
    }

    #[test]
    fn a_day_that_could_be_a_month_is_said_to_be_assumed() {
        let open = guessed("Date,Time,W\n05/06/2026,12:00,100\n05/06/2026,12:01,101\n");
        assert!(open.assumed.contains(&Assumed::DayOrMonth) && open.format.time == TimePattern::DayFirst);
        // Three days on end are the fifth to seventh of one month, not the fifth of three.
        let days = guessed("Date,Time,W\n05/06/2026,12:00,100\n05/07/2026,12:00,101\n05/08/2026,12:00,101\n");
        assert!(!days.assumed.contains(&Assumed::DayOrMonth) && days.format.time == TimePattern::MonthFirst);
    }

    /// Header lines are counted in files of either line end, and dates with points begin with the day.
    #[test]
    fn lines_that_end_with_carriage_returns_are_counted() {
        let dots =
            guessed("Logger;;\r\nSerial;1;\r\nDatum;Zeit;Leistung (kW)\r\n05.06.2026;12:00;0,1\r\n05.06.2026;12:01;0,2\r\n");
        assert!(dots.format.header_lines == 3 && dots.assumed == [Assumed::Zone], "{dots:?}");
    }

    #[test]
    fn what_is_no_table_is_no_guess() {
        assert!(guess("Dear all,\nthe meter broke.\n", "UTC").is_none() && guess("", "UTC").is_none());
    }

    /// A row of units counts by the cells that are filled; the names alone would not say them.
    #[test]
    fn units_stand_in_a_row_of_their_own() {
        let found = guessed("Zeit;Kanal 1;Kanal 2\n;kW;mA\n2026-09-12 12:00:00;0,12;5600\n2026-09-12 12:00:05;0,13;5610\n");
        let units: Vec<&str> = found.format.columns.iter().map(|column| column.unit.as_str()).collect();
        assert_eq!((units, found.format.header_lines), (vec!["", "kW", "mA"], 2), "{found:?}");
    }

    /// What was read of a file may end in the middle of a line; of two lines both are kept, for there is no other.
    #[test]
    fn a_line_that_may_be_cut_is_left_out() {
        let count = |text: &str| records(text, Delimiter::Comma).len();
        assert_eq!((count("a,b\n1,2\n3,4\n5,"), count("a,b\n1,2\n3,4\n5,6\n"), count("a,b\n1,2")), (3, 4, 2));
    }
}
