//! What of a guess is an assumption. Figures of the file decide between two readings where they can; what they leave open is asked about.

use super::header::{unit_of, units_of};
use super::line::{is_grouped, number};
use super::time::TimePattern;
use super::{Column, ColumnUse, Format};
use crate::measure::quantity::{Dimension, Quantity};

/// What was assumed of a file.
#[derive(Debug, Clone, PartialEq)]
pub enum Assumed {
    /// Times name no zone: that of the place.
    Zone,
    /// Day and month could be either way round.
    DayOrMonth,
    /// Columns without a name or with one that says nothing.
    NoHeader,
    /// Every figure with a sign in it has three digits behind it: thousands, or a fraction.
    Thousands { cell: String, read_as: f64, or: f64 },
    /// A column of a load (from 1): the panel's, where the load is all it works on, or another output of a controller, which is left out.
    OfLoad { column: usize, is_taken: bool },
    /// A column (from 1) without a unit has this one, by volts times amps.
    UnitByProduct { column: usize, unit: &'static str },
    /// Watts over volts times amps, in the middle of the rows.
    WattsDisagree { ratio: f64 },
}

impl Assumed {
    /// The name over HTTP.
    pub fn name(&self) -> &'static str {
        match self {
            Assumed::Zone => "zone",
            Assumed::DayOrMonth => "day_or_month",
            Assumed::NoHeader => "no_header",
            Assumed::Thousands { .. } => "thousands",
            Assumed::OfLoad { .. } => "of_load",
            Assumed::UnitByProduct { .. } => "unit_by_product",
            Assumed::WattsDisagree { .. } => "watts_disagree",
        }
    }

    /// Whether it is a doubt about this file's own figures, which an answer given for another file of its look does not settle.
    pub fn is_of_this_file(&self) -> bool {
        match self {
            Assumed::DayOrMonth | Assumed::Thousands { .. } | Assumed::WattsDisagree { .. } => true,
            Assumed::Zone | Assumed::NoHeader | Assumed::OfLoad { .. } | Assumed::UnitByProduct { .. } => false,
        }
    }
}

/// One setting of a format that decides a doubt.
#[derive(Debug, Clone, PartialEq)]
pub enum Setting {
    Zone(&'static str),
    Time(TimePattern),
    DecimalComma(bool),
    /// Of a column, from 1.
    Unit(usize, &'static str),
    Unused(usize),
}

impl Setting {
    /// A format with it.
    #[must_use]
    pub fn set(&self, mut format: Format) -> Format {
        let column = |format: &mut Format, nth: usize, change: &dyn Fn(&mut Column)| {
            if let Some(column) = format.columns.get_mut(nth - 1) {
                change(column);
            }
        };
        match self {
            Setting::Zone(zone) => (*zone).clone_into(&mut format.zone),
            Setting::Time(pattern) => format.time = *pattern,
            Setting::DecimalComma(is_comma) => format.decimal_comma = *is_comma,
            Setting::Unit(nth, unit) => column(&mut format, *nth, &|column| (*unit).clone_into(&mut column.unit)),
            Setting::Unused(nth) => column(&mut format, *nth, &|column| column.used_as = ColumnUse::Ignored),
        }
        format
    }
}

impl Assumed {
    /// What would have the file read the other way than a format does; `None` where there is no one other way.
    pub fn other_way(&self, format: &Format) -> Option<Setting> {
        match self {
            Assumed::Zone => Some(Setting::Zone("UTC")).filter(|_| format.zone != "UTC"),
            Assumed::DayOrMonth => match format.time {
                TimePattern::DayFirst => Some(Setting::Time(TimePattern::MonthFirst)),
                TimePattern::MonthFirst => Some(Setting::Time(TimePattern::DayFirst)),
                TimePattern::YearFirst
                | TimePattern::UnixSeconds
                | TimePattern::UnixMilliseconds
                | TimePattern::UnixMicroseconds
                | TimePattern::UnixNanoseconds
                | TimePattern::SpreadsheetDays => None,
            },
            Assumed::Thousands { .. } => Some(Setting::DecimalComma(!format.decimal_comma)),
            Assumed::OfLoad { column, .. } => {
                let is_used = format.columns.get(column - 1).is_some_and(|column| column.used_as != ColumnUse::Ignored);
                is_used.then_some(Setting::Unused(*column))
            }
            Assumed::UnitByProduct { column, unit } => {
                let of = format.columns.get(column - 1)?;
                let ColumnUse::Quantity(quantity) = of.used_as else { return None };
                let own = units_of(quantity.dimension()).next()?;
                Some(Setting::Unit(*column, if of.unit == *unit { own } else { unit }))
            }
            // The columns have to be named, and watts that disagree may be wrong in any of three.
            Assumed::NoHeader | Assumed::WattsDisagree { .. } => None,
        }
    }
}

type Rows<'a> = [&'a Vec<String>];

fn figures<'a>(rows: &'a Rows<'a>, columns: &'a [Column]) -> impl Iterator<Item = &'a str> {
    rows.iter().flat_map(move |row| {
        row.iter()
            .zip(columns)
            // What could not be named may be a figure too.
            .filter(|(_, column)| matches!(column.used_as, ColumnUse::Quantity(_) | ColumnUse::Ignored))
            .map(|(cell, _)| cell.as_str())
    })
}

/// The decimal sign of a file's figures: by those that can be read one way alone. Where none can, whether they are thousands is open.
pub(super) fn decimal_comma<'a>(rows: &'a Rows<'a>, columns: &'a [Column]) -> (bool, Option<Assumed>) {
    let is_figure = |cell: &&str| cell.bytes().any(|byte| byte.is_ascii_digit());
    let cells = || figures(rows, columns).filter(is_figure);
    let only = |decimal_comma: bool| {
        let reads = |cell: &&str| number(cell, decimal_comma).is_some() && number(cell, !decimal_comma).is_none();
        cells().filter(reads).count()
    };
    let (commas, points) = (only(true), only(false));
    let is_comma = commas > points;
    let open = || cells().find(|cell| is_grouped(cell, '.') || is_grouped(cell, ',')).filter(|_| commas == 0 && points == 0);
    match open() {
        None => (is_comma, None),
        Some(cell) => {
            // As a fraction, which loggers write far more often.
            let is_comma = cell.contains(',');
            let read_as = number(cell, is_comma).unwrap_or_default();
            let or = number(cell, !is_comma).unwrap_or_default();
            (is_comma, Some(Assumed::Thousands { cell: cell.to_owned(), read_as, or }))
        }
    }
}

/// Watts stand to volts times amps within this factor, as a logger rounds and averages them. Flindo's own limit.
const AGREES: std::ops::Range<f64> = 0.6..1.6;

/// Volts, amps and watts of one side and one device decide a unit that was not named, and the sign of decimals; where they contradict each
/// other it is told. `decimal_comma` as it was guessed.
pub(super) fn by_product(rows: &Rows<'_>, columns: &mut [Column], decimal_comma: bool) -> Vec<Assumed> {
    let mut assumed = Vec::new();
    let sides = [
        [Quantity::Voltage, Quantity::Current, Quantity::Power],
        [Quantity::OutputVoltage, Quantity::OutputCurrent, Quantity::OutputPower],
    ];
    let mut devices: Vec<String> = columns.iter().map(|column| column.device.clone()).collect();
    devices.sort_unstable();
    devices.dedup();
    for side in sides {
        for device in &devices {
            let place = |quantity: Quantity| {
                columns.iter().position(|column| column.used_as == ColumnUse::Quantity(quantity) && column.device == *device)
            };
            let [Some(volts), Some(amps), Some(watts)] = side.map(place) else { continue };
            let Some(ratio) = middle_ratio(rows, columns, [volts, amps, watts], decimal_comma) else { continue };
            if AGREES.contains(&ratio) {
                continue;
            }
            let unnamed: Vec<usize> = [volts, amps, watts].into_iter().filter(|nth| columns[*nth].unit.is_empty()).collect();
            match unit_that_agrees(columns, &unnamed, watts, ratio) {
                Some((nth, unit)) => {
                    columns[nth].unit = unit.to_owned();
                    assumed.push(Assumed::UnitByProduct { column: nth + 1, unit });
                }
                None => assumed.push(Assumed::WattsDisagree { ratio }),
            }
        }
    }
    assumed
}

fn unit_that_agrees(columns: &[Column], unnamed: &[usize], watts: usize, ratio: f64) -> Option<(usize, &'static str)> {
    // Of two that are not named either could be it.
    let [nth] = *unnamed else { return None };
    let ColumnUse::Quantity(quantity) = columns[nth].used_as else { return None };
    let units: &[(&'static str, f64)] = match quantity.dimension() {
        Dimension::Power => &[("kW", 1000.0), ("mW", 0.001)],
        Dimension::Current => &[("mA", 0.001)],
        Dimension::Voltage => &[("mV", 0.001)],
        Dimension::Energy
        | Dimension::Charge
        | Dimension::Irradiance
        | Dimension::Temperature
        | Dimension::Share
        | Dimension::Speed => &[],
    };
    let becomes = |scale: f64| if nth == watts { ratio * scale } else { ratio / scale };
    units.iter().find(|(_, scale)| AGREES.contains(&becomes(*scale))).map(|(unit, _)| (nth, *unit))
}

/// Watts over volts times amps in the middle of the rows that have all three; `None` where fewer than two rows do.
fn middle_ratio(rows: &Rows<'_>, columns: &[Column], places: [usize; 3], decimal_comma: bool) -> Option<f64> {
    let value = |row: &Vec<String>, nth: usize| {
        let ColumnUse::Quantity(quantity) = columns[nth].used_as else { return None };
        let unit = unit_of(quantity, &columns[nth].unit)?;
        number(row.get(nth)?, decimal_comma).map(|figure| figure * unit.scale + unit.offset).filter(|value| *value > 0.0)
    };
    let mut ratios: Vec<f64> = rows
        .iter()
        .filter_map(|row| {
            let [volts, amps, watts] = places.map(|nth| value(row, nth));
            Some(watts? / (volts? * amps?))
        })
        .collect();
    ratios.sort_by(f64::total_cmp);
    (ratios.len() >= 2).then(|| ratios[ratios.len() / 2])
}

/// Columns of a load: another output of a controller where there is a panel's or battery's beside it, and else what the panel works on.
pub(super) fn of_load(columns: &mut [Column]) -> Vec<Assumed> {
    let is_of_load = |column: &Column| {
        let name = column.name.to_lowercase();
        name.split(|c: char| !c.is_alphanumeric()).any(|word| matches!(word, "load" | "last" | "loads"))
    };
    let is_electric =
        |column: &Column| matches!(column.used_as, ColumnUse::Quantity(quantity) if quantity.dimension().is_electric());
    let is_taken = !columns.iter().any(|column| is_electric(column) && !is_of_load(column));
    let mut assumed = Vec::new();
    for (nth, column) in columns.iter_mut().enumerate() {
        if is_of_load(column) && is_electric(column) {
            assumed.push(Assumed::OfLoad { column: nth + 1, is_taken });
            if !is_taken {
                (column.used_as, column.unit, column.device) = (ColumnUse::Ignored, String::new(), String::new());
            }
        }
    }
    assumed
}

/// Columns of which most cells are a unit name that of the figure before them.
pub(super) fn unit_columns(rows: &Rows<'_>, columns: &mut [Column]) {
    for nth in 1..columns.len() {
        let filled: Vec<&str> =
            rows.iter().filter_map(|row| row.get(nth)).map(String::as_str).filter(|cell| !cell.is_empty()).collect();
        let ColumnUse::Quantity(quantity) = columns[nth - 1].used_as else { continue };
        let is_unit = |cell: &&str| unit_of(quantity, cell).is_some();
        if !filled.is_empty() && filled.iter().filter(|cell| is_unit(cell)).count() * 2 > filled.len() {
            columns[nth] = Column { used_as: ColumnUse::Unit, ..columns[nth].clone() };
        }
    }
}
