//! Tables of other loggers: guessed from how they look, shown, corrected, and read row by row.
//!
//! | file | does |
//! |---|---|
//! | here | [`Format`]: all that has to be known to read a file |
//! | [`guess`] | a format from the first lines of a file |
//! | [`doubt`] | what of a guess is an assumption, and how figures decide between readings |
//! | [`header`] | what a column is, from its name and unit |
//! | [`line`] | a line to cells, a cell to a number |
//! | [`time`] | dates and times in the forms loggers write, zones and their changes |
//! | [`row`] | a row to samples, or what is wrong with it |

pub mod doubt;
pub mod guess;
pub mod header;
pub mod line;
pub mod row;
pub mod time;

use crate::measure::quantity::Quantity;
use crate::named::named;
use serde::{Deserialize, Serialize};
use time::TimePattern;

/// How the bytes of a file are text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Encoding {
    #[default]
    Utf8,
    Utf16Le,
    Utf16Be,
    Windows1252,
}

named!(Encoding {
    Utf8 = "utf-8", "UTF-8";
    Utf16Le = "utf-16le", "UTF-16, little end first";
    Utf16Be = "utf-16be", "UTF-16, big end first";
    Windows1252 = "windows-1252", "Western (Windows-1252)";
});

impl Encoding {
    /// By its mark, by its zeros, or by what is no UTF-8. `is_cut`: the bytes end in the middle of a file, perhaps within a character.
    pub fn of(bytes: &[u8], is_cut: bool) -> Self {
        match bytes {
            [0xFF, 0xFE, ..] => return Encoding::Utf16Le,
            [0xFE, 0xFF, ..] => return Encoding::Utf16Be,
            _ => {}
        }
        let zeros = |odd: usize| bytes.iter().skip(odd).step_by(2).take(200).filter(|byte| **byte == 0).count();
        let looked_at = bytes.len().div_ceil(2).min(200);
        if looked_at > 1 && zeros(1) * 10 > looked_at * 7 {
            return Encoding::Utf16Le;
        }
        if looked_at > 1 && zeros(0) * 10 > looked_at * 7 {
            return Encoding::Utf16Be;
        }
        match std::str::from_utf8(bytes) {
            Ok(_) => Encoding::Utf8,
            // A character that the cut went through is no error.
            Err(error) if is_cut && error.error_len().is_none() => Encoding::Utf8,
            Err(_) => Encoding::Windows1252,
        }
    }
}

/// What stands between two cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Delimiter {
    #[default]
    Comma,
    Semicolon,
    Tab,
    Bar,
    /// Any number of them as one.
    Spaces,
}

named!(Delimiter {
    Comma = "comma", "comma";
    Semicolon = "semicolon", "semicolon";
    Tab = "tab", "tab";
    Bar = "bar", "bar |";
    Spaces = "spaces", "spaces";
});

impl Delimiter {
    pub fn sign(self) -> char {
        match self {
            Delimiter::Comma => ',',
            Delimiter::Semicolon => ';',
            Delimiter::Tab => '\t',
            Delimiter::Bar => '|',
            Delimiter::Spaces => ' ',
        }
    }
}

/// What a column is taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ColumnUse {
    #[default]
    Ignored,
    /// Date and time of day, or seconds since 1970.
    Time,
    Date,
    TimeOfDay,
    /// The name of the device that wrote the row.
    Device,
    /// The unit of the figure before it, in every row.
    Unit,
    Quantity(Quantity),
}

impl ColumnUse {
    /// The name in a form and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            ColumnUse::Ignored => "ignored",
            ColumnUse::Time => "time",
            ColumnUse::Date => "date",
            ColumnUse::TimeOfDay => "time_of_day",
            ColumnUse::Device => "device",
            ColumnUse::Unit => "unit",
            ColumnUse::Quantity(quantity) => quantity.name(),
        }
    }

    pub fn from_name(name: &str) -> Option<Self> {
        match name {
            "ignored" => Some(ColumnUse::Ignored),
            "time" => Some(ColumnUse::Time),
            "date" => Some(ColumnUse::Date),
            "time_of_day" => Some(ColumnUse::TimeOfDay),
            "device" => Some(ColumnUse::Device),
            "unit" => Some(ColumnUse::Unit),
            quantity => Quantity::from_name(quantity).map(ColumnUse::Quantity),
        }
    }
}

impl Serialize for ColumnUse {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(self.name())
    }
}

impl<'de> Deserialize<'de> for ColumnUse {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let name = <String as Deserialize>::deserialize(from)?;
        ColumnUse::from_name(&name).ok_or_else(|| serde::de::Error::custom(format!("\"{name}\" is no use of a column")))
    }
}

/// One column of a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Column {
    /// As it stands in the file; empty without a header.
    pub name: String,
    #[serde(rename = "use")]
    pub used_as: ColumnUse,
    /// The unit of its figures, by [`header::unit`]; empty: the quantity's own.
    #[serde(default)]
    pub unit: String,
    /// The device whose figures they are, where a row holds those of several.
    #[serde(default)]
    pub device: String,
}

/// All that has to be known to read a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Format {
    #[serde(default)]
    pub delimiter: Delimiter,
    #[serde(default)]
    pub decimal_comma: bool,
    /// Lines before the first row.
    pub header_lines: usize,
    pub time: TimePattern,
    /// IANA name, an offset such as `+01:00`, or `file` where every time names its own.
    pub zone: String,
    pub columns: Vec<Column>,
}

/// Why a format cannot read anything. Prints as a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FormatError {
    #[error("No column is the time: choose one as time, or one as date and one as time of day.")]
    NoTime,
    #[error("{0} columns are the time: choose one.")]
    TwoTimes(usize),
    #[error("No column is a quantity: choose at least one.")]
    NoQuantity,
    #[error("\"{0}\" is not a time zone: choose one by name, or an offset such as +01:00.")]
    Zone(String),
    #[error("Column {column}, \"{name}\": \"{unit}\" is not a unit of {quantity}.")]
    Unit { column: usize, name: String, unit: String, quantity: &'static str },
    #[error("Columns {first} and {second} are both {quantity} of the same device: name their devices, or leave one out.")]
    Twice { first: usize, second: usize, quantity: &'static str },
}

impl Format {
    /// Whether it can read a file.
    pub fn check(&self) -> Result<(), FormatError> {
        let count = |used_as: ColumnUse| self.columns.iter().filter(|column| column.used_as == used_as).count();
        match (count(ColumnUse::Time), count(ColumnUse::Date), count(ColumnUse::TimeOfDay)) {
            (1, 0, 0) | (0, 1, 1) => {}
            (times, dates, clocks) if times + dates.max(clocks) > 1 => {
                return Err(FormatError::TwoTimes(times + dates.max(clocks)));
            }
            _ => return Err(FormatError::NoTime),
        }
        time::zone_of(&self.zone).ok_or_else(|| FormatError::Zone(self.zone.clone()))?;
        let mut seen: Vec<(usize, Quantity, &str)> = Vec::new();
        for (nth, column) in self.columns.iter().enumerate() {
            let ColumnUse::Quantity(quantity) = column.used_as else { continue };
            if header::unit_of(quantity, &column.unit).is_none() {
                let (name, unit) = (column.name.clone(), column.unit.clone());
                return Err(FormatError::Unit { column: nth + 1, name, unit, quantity: quantity.label() });
            }
            if let Some((first, ..)) = seen.iter().find(|(_, other, device)| *other == quantity && *device == column.device) {
                return Err(FormatError::Twice { first: *first, second: nth + 1, quantity: quantity.label() });
            }
            seen.push((nth + 1, quantity, &column.device));
        }
        if seen.is_empty() { Err(FormatError::NoQuantity) } else { Ok(()) }
    }

    /// What a file of the same logger shares with this one: its columns by name, and what stands between them.
    pub fn look(&self) -> String {
        let names: Vec<&str> = self.columns.iter().map(|column| column.name.as_str()).collect();
        format!("{}:{}", self.delimiter.name(), names.join("\u{1f}"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_encoding_is_known_by_its_mark_or_its_bytes() {
        assert_eq!(Encoding::of("Zeit;°C".as_bytes(), false), Encoding::Utf8);
        assert_eq!(Encoding::of(b"Zeit;\xb0C", false), Encoding::Windows1252);
        assert_eq!(Encoding::of(b"\xff\xfeT\0", false), Encoding::Utf16Le);
        let wide: Vec<u8> = "time;W\n1;2\n".encode_utf16().flat_map(u16::to_be_bytes).collect();
        assert_eq!(Encoding::of(&wide, false), Encoding::Utf16Be);
        // A character cut in two at the end of what was looked at.
        assert_eq!(Encoding::of(&"Zeit;°".as_bytes()[..6], true), Encoding::Utf8);
        assert_eq!(Encoding::of(&"Zeit;°".as_bytes()[..6], false), Encoding::Windows1252);
    }
}
