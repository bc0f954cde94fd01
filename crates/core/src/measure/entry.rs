//! One typed line as a reading: "18.4 V 5.6 A 880 W/m2 52 C".
//!
//! A line is figures in any order. A figure is a number or a range with its unit, or with its name, or both:
//! `153-156 W`, `155 154 156 W`, `Voc 22.1`, `22.1 Voc`, `125 F`, `peak 156 W`, `air 24 C`. After `out` (or `battery`) volts, amps and
//! watts are those of a controller's output, after `in` (or `panel`) again its input. Decimals take a point or a comma. `@13:05` sets the
//! time, `clear`, `haze`, `thin cloud`, `broken cloud` or `overcast` notes the sky, and everything after `#` is a note. [`Entry`] prints
//! in this same grammar and reads back the same.

mod scan;

use super::quantity::{Dimension, Figures, Quantity, Seen, ValueKind};
use crate::decimal::{Decimal, DecimalError};
use crate::sky::note::SkyNote;
use crate::units::{fahrenheit_step_to_k, fahrenheit_to_c};
use std::fmt;

/// A line longer than this is no reading.
pub const MAX_CHARS: usize = 240;

/// What a bare figure means in a test: with a multimeter alone volts are Voc, with a probe at the back degrees are the back's.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Meaning {
    /// [`Quantity::Voltage`] or [`Quantity::Voc`].
    pub volts: Quantity,
    /// [`Quantity::Current`] or [`Quantity::Isc`].
    pub amps: Quantity,
    /// [`Quantity::Cell`], [`Quantity::Back`] or [`Quantity::Air`].
    pub degrees: Quantity,
    /// [`Quantity::Poa`] or [`Quantity::Ghi`].
    pub light: Quantity,
}

impl Default for Meaning {
    fn default() -> Self {
        Meaning { volts: Quantity::Voltage, amps: Quantity::Current, degrees: Quantity::Cell, light: Quantity::Poa }
    }
}

/// A unit as typed; the figure is kept in it until it is computed with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unit {
    Volt,
    Millivolt,
    Ampere,
    Milliampere,
    Watt,
    Milliwatt,
    Kilowatt,
    WattHour,
    KilowattHour,
    AmpereHour,
    WattPerM2,
    KilowattPerM2,
    Celsius,
    Fahrenheit,
    Percent,
    MetrePerSecond,
    KilometrePerHour,
    MilePerHour,
}

impl Unit {
    /// As it is printed, and as the grammar reads it.
    pub fn text(self) -> &'static str {
        match self {
            Unit::Volt => "V",
            Unit::Millivolt => "mV",
            Unit::Ampere => "A",
            Unit::Milliampere => "mA",
            Unit::Watt => "W",
            Unit::Milliwatt => "mW",
            Unit::Kilowatt => "kW",
            Unit::WattHour => "Wh",
            Unit::KilowattHour => "kWh",
            Unit::AmpereHour => "Ah",
            Unit::WattPerM2 => "W/m2",
            Unit::KilowattPerM2 => "kW/m2",
            Unit::Celsius => "C",
            Unit::Fahrenheit => "F",
            Unit::Percent => "%",
            Unit::MetrePerSecond => "m/s",
            Unit::KilometrePerHour => "km/h",
            Unit::MilePerHour => "mph",
        }
    }

    pub fn dimension(self) -> Dimension {
        match self {
            Unit::Volt | Unit::Millivolt => Dimension::Voltage,
            Unit::Ampere | Unit::Milliampere => Dimension::Current,
            Unit::Watt | Unit::Milliwatt | Unit::Kilowatt => Dimension::Power,
            Unit::WattHour | Unit::KilowattHour => Dimension::Energy,
            Unit::AmpereHour => Dimension::Charge,
            Unit::WattPerM2 | Unit::KilowattPerM2 => Dimension::Irradiance,
            Unit::Celsius | Unit::Fahrenheit => Dimension::Temperature,
            Unit::Percent => Dimension::Share,
            Unit::MetrePerSecond | Unit::KilometrePerHour | Unit::MilePerHour => Dimension::Speed,
        }
    }

    /// The unit in which a dimension is kept.
    pub fn of(dimension: Dimension) -> Self {
        match dimension {
            Dimension::Voltage => Unit::Volt,
            Dimension::Current => Unit::Ampere,
            Dimension::Power => Unit::Watt,
            Dimension::Energy => Unit::WattHour,
            Dimension::Charge => Unit::AmpereHour,
            Dimension::Irradiance => Unit::WattPerM2,
            Dimension::Temperature => Unit::Celsius,
            Dimension::Share => Unit::Percent,
            Dimension::Speed => Unit::MetrePerSecond,
        }
    }

    fn to_si(self, value: f64) -> f64 {
        match self {
            Unit::Volt | Unit::Ampere | Unit::Watt | Unit::WattHour | Unit::AmpereHour | Unit::WattPerM2 | Unit::Celsius => value,
            Unit::Percent | Unit::MetrePerSecond => value,
            Unit::KilometrePerHour => value / 3.6,
            // The international mile is 1609.344 m.
            Unit::MilePerHour => value * 1609.344 / 3600.0,
            Unit::Millivolt | Unit::Milliampere | Unit::Milliwatt => value / 1000.0,
            Unit::Kilowatt | Unit::KilowattHour | Unit::KilowattPerM2 => value * 1000.0,
            Unit::Fahrenheit => fahrenheit_to_c(value),
        }
    }

    fn step_to_si(self, step: f64) -> f64 {
        if self == Unit::Fahrenheit { fahrenheit_step_to_k(step) } else { self.to_si(step) }
    }
}

/// One figure of the line, exactly as typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TypedFigure {
    pub quantity: Quantity,
    pub unit: Unit,
    pub low: Decimal,
    pub high: Decimal,
    pub how: ValueKind,
}

impl TypedFigure {
    /// The figure in the quantity's own unit.
    pub fn seen(&self) -> Seen {
        Seen {
            low: self.unit.to_si(self.low.value()),
            high: self.unit.to_si(self.high.value()),
            step: self.unit.step_to_si(self.low.step().max(self.high.step())),
            how: self.how,
        }
    }
}

/// A time of day as typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ClockTime {
    pub hour: u8,
    pub minute: u8,
    pub second: u8,
}

/// A line that was understood.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Entry {
    figures: Vec<TypedFigure>,
    pub time: Option<ClockTime>,
    /// What the sky looked like.
    pub sky: Option<SkyNote>,
    pub note: Option<String>,
}

impl Entry {
    /// The figures, each in its own unit.
    pub fn figures(&self) -> Figures {
        self.figures.iter().map(|figure| (figure.quantity, figure.seen())).collect()
    }

    /// The figures as typed, in the order of [`Quantity`].
    pub fn typed(&self) -> &[TypedFigure] {
        &self.figures
    }
}

/// Why a line was not understood: a sentence, quoting the part at fault.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum EntryError {
    #[error("Nothing to log yet: type what the meters show, such as 18.4 V 5.6 A 880 W/m2 52 C")]
    Empty,
    #[error("This line is longer than {MAX_CHARS} characters")]
    TooLong,
    #[error("{0}")]
    Number(#[from] DecimalError),
    #[error("{0} has no unit: add V, A, W, W/m2 or C")]
    NoUnit(String),
    #[error(
        "\"{0}\" is not a unit or a name known here: use V, A, W, Wh, Ah, W/m2, C, F, m/s, %, Voc, Isc, in, out, cell, back, \
         air, wind, humidity"
    )]
    Unknown(String),
    #[error("{name} is in {expected}, not in {found}")]
    WrongUnit { name: &'static str, expected: &'static str, found: &'static str },
    #[error("\"{0}\" stands alone: put its number after it")]
    NameAlone(String),
    #[error("{first} and {second} are both the {name}: a reading has one. Write a range as 153-156 W")]
    Twice { name: &'static str, first: String, second: String },
    #[error("{typed} is outside {low} to {high} {unit} for the {name}{hint}")]
    OutOfRange { typed: String, name: &'static str, low: f64, high: f64, unit: &'static str, hint: &'static str },
    #[error("\"{0}\" is not a time: write it like @13:05")]
    Time(String),
    #[error("the sky is noted twice: {0} and {1}")]
    SkyTwice(&'static str, &'static str),
}

/// Reads one line. Never panics, whatever the text.
pub fn understand(text: &str, meaning: &Meaning) -> Result<Entry, EntryError> {
    if text.chars().count() > MAX_CHARS {
        return Err(EntryError::TooLong);
    }
    let mut entry = scan::scan(text, meaning)?;
    if entry.figures.is_empty() {
        return Err(EntryError::Empty);
    }
    entry.figures.sort_by_key(|figure| figure.quantity);
    for pair in entry.figures.windows(2) {
        if pair[0].quantity == pair[1].quantity {
            let [first, second] = [figure_text(&pair[0]), figure_text(&pair[1])];
            return Err(EntryError::Twice { name: pair[0].quantity.label(), first, second });
        }
    }
    entry.figures.iter().try_for_each(check_allowed)?;
    Ok(entry)
}

fn check_allowed(figure: &TypedFigure) -> Result<(), EntryError> {
    let seen = figure.seen();
    let (low, high) = figure.quantity.allowed().into_inner();
    if low <= seen.low && seen.high <= high {
        return Ok(());
    }
    let hint = if figure.quantity.dimension().is_electric() && seen.low < 0.0 {
        ". If the leads are reversed, type it without the minus"
    } else {
        ""
    };
    Err(EntryError::OutOfRange {
        typed: figure_text(figure),
        name: figure.quantity.label(),
        low,
        high,
        unit: figure.quantity.unit(),
        hint,
    })
}

fn figure_text(figure: &TypedFigure) -> String {
    let mut words = Vec::new();
    let name = figure.quantity.entry_name();
    if !name.is_empty() {
        words.push(name.to_owned());
    }
    match figure.how {
        ValueKind::Peak => words.push("peak".to_owned()),
        ValueKind::Settled => words.push("settled".to_owned()),
        ValueKind::Shown | ValueKind::Range => {}
    }
    words.push(if figure.how == ValueKind::Range { format!("{}-{}", figure.low, figure.high) } else { figure.low.to_string() });
    words.push(figure.unit.text().to_owned());
    words.join(" ")
}

impl fmt::Display for Entry {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut parts: Vec<String> = self.figures.iter().map(figure_text).collect();
        if let Some(ClockTime { hour, minute, second }) = self.time {
            parts.push(format!("@{hour:02}:{minute:02}:{second:02}"));
        }
        if let Some(sky) = self.sky {
            parts.push(sky.label().to_owned());
        }
        if let Some(note) = &self.note {
            parts.push(format!("# {note}"));
        }
        write!(f, "{}", parts.join(" "))
    }
}
