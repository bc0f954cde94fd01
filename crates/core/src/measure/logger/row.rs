//! A row of a file to samples, or what is wrong with it.

use super::header::{Unit, unit_of};
use super::line::{OpenQuote, cells, number};
use super::time::{TimeError, WallClock, read};
use super::{ColumnUse, Delimiter, Format, FormatError};
use crate::measure::quantity::{Dimension, Quantity};

/// One sample of a row: the place of its device in [`Rows::devices`], and Unix seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RowSample {
    pub device: usize,
    pub quantity: Quantity,
    pub at_s: f64,
    pub value: f64,
}

/// What is wrong with a row: the column from 1, what stands there, and why that is wrong.
#[derive(Debug, Clone, PartialEq)]
pub struct RowFault {
    pub column: usize,
    pub name: String,
    pub cell: String,
    pub why: String,
}

/// Cells that say that nothing was measured.
const NOTHING: [&str; 10] = ["", "-", "--", "---", "nan", "null", "n/a", "na", "none", "#n/a"];

/// Devices of one file: each becomes a log.
const MOST_DEVICES: usize = 200;

/// Figures that loggers write where nothing was measured. Common practice, no source.
const NO_VALUE: [f64; 7] = [-999.0, -999.9, -999.99, -9999.0, -9999.9, -9999.99, -99999.0];

struct Ready {
    column: usize,
    quantity: Quantity,
    unit: Unit,
    /// The column that names the unit in every row.
    unit_column: Option<usize>,
    device: usize,
    range: (f64, f64),
}

/// Reads rows one after the other; the clock remembers the last.
pub struct Rows {
    clock: WallClock,
    decimal_comma: bool,
    format: Format,
    date: usize,
    time_of_day: Option<usize>,
    device: Option<usize>,
    ready: Vec<Ready>,
    devices: Vec<String>,
    /// Date and time of two cells, joined.
    joined: String,
}

impl Rows {
    /// # Errors
    /// As [`Format::check`].
    pub fn of(format: &Format) -> Result<Self, FormatError> {
        format.check()?;
        let place = |used_as: ColumnUse| format.columns.iter().position(|column| column.used_as == used_as);
        let date = place(ColumnUse::Time).or_else(|| place(ColumnUse::Date)).ok_or(FormatError::NoTime)?;
        let clock = WallClock::of(&format.zone).ok_or_else(|| FormatError::Zone(format.zone.clone()))?;
        let device = place(ColumnUse::Device);
        let mut devices: Vec<String> = Vec::new();
        let mut ready = Vec::new();
        for (column, known) in format.columns.iter().enumerate() {
            let ColumnUse::Quantity(quantity) = known.used_as else { continue };
            let Some(unit) = unit_of(quantity, &known.unit) else { continue };
            let of_column = devices.iter().position(|name| *name == known.device).unwrap_or_else(|| {
                devices.push(known.device.clone());
                devices.len() - 1
            });
            let has_unit = format.columns.get(column + 1).is_some_and(|next| next.used_as == ColumnUse::Unit);
            let unit_column = has_unit.then_some(column + 1);
            ready.push(Ready { column, quantity, unit, unit_column, device: of_column, range: range(quantity) });
        }
        if device.is_some() {
            // Rows name theirs.
            devices.clear();
        }
        let time_of_day = place(ColumnUse::TimeOfDay);
        Ok(Rows {
            clock,
            decimal_comma: format.decimal_comma,
            format: format.clone(),
            date,
            time_of_day,
            device,
            ready,
            devices,
            joined: String::new(),
        })
    }

    /// Goes on with a file whose last sample that is in was at this time, Unix seconds.
    pub fn go_on_after(&mut self, last_s: Option<f64>) {
        if let Some(last_s) = last_s {
            self.clock.go_on_after(last_s);
        }
    }

    /// The devices met so far; one without a name in a file of one.
    pub fn devices(&self) -> &[String] {
        &self.devices
    }

    /// The samples of a line, as [`Rows::read`].
    ///
    /// # Errors
    /// The first cell that is wrong, or a quotation mark that is not closed.
    pub fn read_line(&mut self, line: &str, delimiter: Delimiter, samples: &mut Vec<RowSample>) -> Result<(), RowFault> {
        match cells(line, delimiter) {
            Ok(cells) => self.read(|column| cells.get(column).map(AsRef::as_ref), samples),
            Err(OpenQuote) => Err(self.fault(0, line, "has a quotation mark that is not closed".to_owned())),
        }
    }

    /// The samples of a row, put behind those that are there; nothing is put there of a row that has a fault.
    ///
    /// # Errors
    /// The first cell that is wrong.
    pub fn read<'a>(&mut self, cells: impl Fn(usize) -> Option<&'a str>, samples: &mut Vec<RowSample>) -> Result<(), RowFault> {
        let before = samples.len();
        self.no_more_cells(&cells)?;
        let at_s = self.time(&cells)?;
        let named = match self.device {
            Some(column) => Some(self.device_of(column, cells(column).unwrap_or_default().trim())?),
            None => None,
        };
        for ready in &self.ready {
            let cell = cells(ready.column).unwrap_or_default().trim();
            if is_nothing(cell) {
                continue;
            }
            let figure = number(cell, self.decimal_comma);
            if figure.is_some_and(|figure| NO_VALUE.contains(&figure)) {
                continue;
            }
            let unit = match ready.unit_column {
                None => Some(ready.unit),
                Some(column) => unit_of(ready.quantity, cells(column).unwrap_or_default()),
            };
            let Some(unit) = unit else {
                samples.truncate(before);
                let column = ready.unit_column.unwrap_or(ready.column);
                let why = format!("is not a unit of {}", ready.quantity.label());
                return Err(self.fault(column, cells(column).unwrap_or_default(), why));
            };
            let value = figure.map(|figure| figure * unit.scale + unit.offset);
            let fault = match value {
                None => Some("is not a number".to_owned()),
                Some(value) if !(ready.range.0..=ready.range.1).contains(&value) => {
                    Some(format!("is outside {} to {} {}", ready.range.0, ready.range.1, ready.quantity.unit()))
                }
                Some(_) => None,
            };
            if let Some(why) = fault {
                samples.truncate(before);
                return Err(self.fault(ready.column, cell, why));
            }
            if let Some(value) = value {
                samples.push(RowSample { device: named.unwrap_or(ready.device), quantity: ready.quantity, at_s, value });
            }
        }
        Ok(())
    }

    /// A row with more cells than there are columns has figures in the wrong ones: a comma within a figure, mostly.
    fn no_more_cells<'a>(&self, cells: &impl Fn(usize) -> Option<&'a str>) -> Result<(), RowFault> {
        let columns = self.format.columns.len();
        let more = (columns..).map_while(cells).map(str::trim).enumerate().find(|(_, cell)| !cell.is_empty());
        match more {
            None => Ok(()),
            Some((nth, cell)) => {
                let why = format!("is one cell more than the {columns} columns of this file: is a figure split in two?");
                Err(self.fault(columns + nth, cell, why))
            }
        }
    }

    fn time<'a>(&mut self, cells: &impl Fn(usize) -> Option<&'a str>) -> Result<f64, RowFault> {
        let date = cells(self.date).unwrap_or_default();
        let found = match self.time_of_day {
            Some(column) => {
                self.joined.clear();
                self.joined.push_str(date.trim());
                self.joined.push(' ');
                self.joined.push_str(cells(column).unwrap_or_default().trim());
                read(self.format.time, &self.joined)
            }
            None => read(self.format.time, date),
        };
        let at_s = found.and_then(|read| self.clock.instant_s(read)).and_then(|at_s| {
            // Years that a logger's empty clock shows are no times of a test: 1980 to 2200.
            (315_532_800.0..7_258_118_400.0)
                .contains(&at_s)
                .then_some(at_s)
                .ok_or(TimeError::NotATime("of the years 1980 to 2200"))
        });
        at_s.map_err(|error| self.fault(self.date, date, error.to_string()))
    }

    fn device_of(&mut self, column: usize, name: &str) -> Result<usize, RowFault> {
        if let Some(place) = self.devices.iter().position(|device| device == name) {
            return Ok(place);
        }
        if self.devices.len() >= MOST_DEVICES {
            let why =
                format!("is one device more than the {MOST_DEVICES} that one file may hold: is this the column of their names?");
            return Err(self.fault(column, name, why));
        }
        self.devices.push(name.to_owned());
        Ok(self.devices.len() - 1)
    }

    fn fault(&self, column: usize, cell: &str, why: String) -> RowFault {
        let name = self.format.columns.get(column).map(|column| column.name.clone()).unwrap_or_default();
        RowFault { column: column + 1, name, cell: cell.trim().chars().take(60).collect(), why }
    }
}

fn is_nothing(cell: &str) -> bool {
    cell.len() <= 4 && NOTHING.iter().any(|nothing| nothing.eq_ignore_ascii_case(cell))
}

/// What a logger can show: as of a reading, and of a circuit below zero as well, since a battery's current turns at night.
fn range(quantity: Quantity) -> (f64, f64) {
    let (low, high) = quantity.allowed().into_inner();
    // A counter of many years.
    let high = if matches!(quantity, Quantity::Energy | Quantity::Charge) { high * 1000.0 } else { high };
    // Irradiance meters show a few watts below nothing at night.
    let below = match quantity.dimension() {
        Dimension::Irradiance => -20.0,
        Dimension::Voltage | Dimension::Current | Dimension::Power => -high,
        Dimension::Energy | Dimension::Charge | Dimension::Temperature | Dimension::Share | Dimension::Speed => low,
    };
    (below, high)
}

#[cfg(test)]
mod tests {
    use super::super::Column;
    use super::super::time::TimePattern;
    use super::*;

    fn column(name: &str, used_as: &str, unit: &str, device: &str) -> Column {
        let used_as = ColumnUse::from_name(used_as).unwrap();
        Column { name: name.to_owned(), used_as, unit: unit.to_owned(), device: device.to_owned() }
    }

    fn format(columns: Vec<Column>) -> Format {
        Format {
            delimiter: Delimiter::Semicolon,
            decimal_comma: true,
            header_lines: 1,
            time: TimePattern::DayFirst,
            zone: "Europe/Lisbon".to_owned(),
            columns,
        }
    }

    fn read(rows: &mut Rows, line: &str) -> Result<Vec<RowSample>, RowFault> {
        let cells: Vec<&str> = line.split(';').collect();
        let mut samples = Vec::new();
        rows.read(|nth| cells.get(nth).copied(), &mut samples).map(|()| samples)
    }

    #[test]
    fn a_row_of_two_devices_is_read_in_its_units() {
        let columns = vec![
            column("Datum", "date", "", ""),
            column("Zeit", "time_of_day", "", ""),
            column("A kW", "power_w", "kW", "A"),
            column("B W", "power_w", "W", "B"),
            column("T F", "back_c", "F", "A"),
        ];
        let mut rows = Rows::of(&format(columns)).unwrap();
        let samples = read(&mut rows, "12.09.2026;14:34:05;0,125;1.250,5;122").unwrap();
        let figures: Vec<(usize, &str, f64)> =
            samples.iter().map(|one| (one.device, one.quantity.name(), (one.value * 1e6).round() / 1e6)).collect();
        assert_eq!(figures, [(0, "power_w", 125.0), (1, "power_w", 1250.5), (0, "back_c", 50.0)]);
        assert!(samples.iter().all(|one| one.at_s == 1_789_220_045.0) && rows.devices() == ["A", "B"]);
        assert_eq!(read(&mut rows, "12.09.2026;14:34:06;;-;NaN"), Ok(Vec::new()));
        // At night a battery's current turns, and a pyranometer is a little below nothing.
        assert!(read(&mut rows, "12.09.2026;23:34:06;-0,012;;").is_ok());
    }

    #[test]
    fn a_file_of_more_devices_than_a_bench_has_is_told() {
        let columns = vec![column("Time", "time", "", ""), column("Name", "device", "", ""), column("W", "power_w", "W", "")];
        let mut rows = Rows::of(&format(columns)).unwrap();
        for nth in 0..MOST_DEVICES {
            assert!(read(&mut rows, &format!("12.09.2026 14:34:05;inverter {nth};100")).is_ok(), "{nth}");
        }
        let fault = read(&mut rows, "12.09.2026 14:34:05;one more;100").unwrap_err();
        assert!(fault.column == 2 && fault.why.contains("200") && rows.devices().len() == MOST_DEVICES, "{fault:?}");
        assert!(read(&mut rows, "12.09.2026 14:34:05;inverter 7;100").is_ok());
    }

    #[test]
    fn a_wrong_cell_is_named_and_nothing_of_its_row_is_taken() {
        let columns =
            vec![column("Time", "time", "", ""), column("Volts", "voltage_v", "V", ""), column("Amps", "current_a", "A", "")];
        let mut rows = Rows::of(&format(columns)).unwrap();
        let mut samples = Vec::new();
        let cells = ["12.09.2026 14:34:05", "18,4", "5.6x"];
        let fault = rows.read(|nth| cells.get(nth).copied(), &mut samples).unwrap_err();
        assert_eq!((fault.column, fault.name.as_str(), fault.cell.as_str()), (3, "Amps", "5.6x"));
        assert!(samples.is_empty() && fault.why.contains("not a number"));
        assert!(read(&mut rows, "12.09.2026 14:34:05;1840;5").unwrap_err().why.contains("outside -1500 to 1500 V"));
        assert_eq!(read(&mut rows, "yesterday;18;5").unwrap_err().column, 1);
        assert!(read(&mut rows, "01.01.1970 00:00:00;18;5").unwrap_err().why.contains("1980"));
    }

    #[test]
    fn a_format_that_cannot_read_says_why() {
        let time = || column("Time", "time", "", "");
        let check = |columns: Vec<Column>| format(columns).check();
        assert_eq!(check(vec![column("W", "power_w", "", "")]), Err(FormatError::NoTime));
        assert_eq!(check(vec![time(), time(), column("W", "power_w", "", "")]), Err(FormatError::TwoTimes(2)));
        assert_eq!(check(vec![time()]), Err(FormatError::NoQuantity));
        assert!(matches!(check(vec![time(), column("W", "power_w", "V", "")]), Err(FormatError::Unit { column: 2, .. })));
        let twice = vec![time(), column("a", "power_w", "", ""), column("b", "power_w", "kW", "")];
        assert!(matches!(check(twice), Err(FormatError::Twice { first: 2, second: 3, .. })));
        let nowhere = Format { zone: "Moon".to_owned(), ..format(vec![time(), column("W", "power_w", "", "")]) };
        assert_eq!(nowhere.check(), Err(FormatError::Zone("Moon".to_owned())));
    }
}
