//! From characters to figures: numbers, ranges, units, names, a time, a note.

use super::{ClockTime, Dimension, Entry, EntryError, Meaning, Quantity, TypedFigure, Unit, ValueKind};
use crate::decimal::Decimal;
use crate::sky::note::SkyNote;

/// A name typed before or after a figure.
#[derive(Debug, Clone, PartialEq)]
struct Name {
    quantity: Quantity,
    /// Of a figure that has no other.
    unit: Unit,
    typed: String,
}

/// A figure whose quantity may still be named by the next word.
struct Pending {
    low: Decimal,
    high: Decimal,
    how: ValueKind,
    unit: Unit,
    name: Option<Name>,
    is_output: bool,
}

pub(super) fn scan(text: &str, meaning: &Meaning) -> Result<Entry, EntryError> {
    Scanner { rest: text, meaning, entry: Entry::default(), how: None, name: None, is_output: false, pending: None }.run()
}

struct Scanner<'a> {
    rest: &'a str,
    meaning: &'a Meaning,
    entry: Entry,
    how: Option<ValueKind>,
    name: Option<Name>,
    /// What follows was read at the output of a controller.
    is_output: bool,
    pending: Option<Pending>,
}

impl Scanner<'_> {
    fn run(mut self) -> Result<Entry, EntryError> {
        loop {
            self.skip_separators();
            let Some(first) = self.rest.chars().next() else { break };
            if first == '#' {
                let note = self.rest[1..].split_whitespace().collect::<Vec<_>>().join(" ");
                self.entry.note = (!note.is_empty()).then_some(note);
                self.rest = "";
            } else if first == '@' {
                self.rest = &self.rest[1..];
                self.time()?;
            } else if starts_number(self.rest) {
                if clock_follows(self.rest) { self.time()? } else { self.figure()? }
            } else {
                self.word()?;
            }
        }
        self.settle_pending()?;
        match (self.name, self.how) {
            (Some(name), _) => Err(EntryError::NameAlone(name.typed)),
            (None, Some(how)) => Err(EntryError::NameAlone(how.name().to_owned())),
            (None, None) => Ok(self.entry),
        }
    }

    fn skip_separators(&mut self) {
        self.rest = self.rest.trim_start_matches(|c: char| c.is_whitespace() || matches!(c, ',' | ';' | '=' | ':'));
    }

    /// `13:05` or `13:05:30`.
    fn time(&mut self) -> Result<(), EntryError> {
        self.rest = self.rest.trim_start();
        let end = self.rest.find(|c: char| !(c.is_ascii_digit() || c == ':')).unwrap_or(self.rest.len());
        let (typed, rest) = self.rest.split_at(end);
        let parts: Vec<u8> = typed.split(':').map(str::parse).collect::<Result<_, _>>().unwrap_or_default();
        let (hour, minute, second) = match parts[..] {
            [hour, minute] => (hour, minute, 0),
            [hour, minute, second] => (hour, minute, second),
            _ => (99, 99, 99),
        };
        if hour > 23 || minute > 59 || second > 59 || self.entry.time.is_some() {
            return Err(EntryError::Time(typed.to_owned()));
        }
        self.entry.time = Some(ClockTime { hour, minute, second });
        self.rest = rest;
        Ok(())
    }

    /// A number or a range, and its unit or the name that stands for one.
    fn figure(&mut self) -> Result<(), EntryError> {
        self.settle_pending()?;
        let first = self.number()?;
        let mut second = if self.step_over_range_mark() { Some(self.number()?) } else { None };
        let first = if second.is_none() { self.row_of_values(first, &mut second) } else { first };
        let mut unit = self.unit();
        // "79 W - 81 W": the unit may stand at both ends.
        if let (Some(at_first), None) = (unit, second)
            && self.step_over_mark_after_unit()
        {
            second = Some(self.number()?);
            unit = self.unit().or(unit);
            if unit != Some(at_first) {
                let found = unit.map_or("", Unit::text);
                return Err(EntryError::WrongUnit { name: "the range", expected: at_first.text(), found });
            }
        }
        let before = self.name.take();
        let (unit, name) = match (unit, before) {
            (Some(unit), name) => (unit, name),
            (None, before) => {
                let name = before.or_else(|| self.name_as_unit()).ok_or_else(|| self.no_unit(first))?;
                (name.unit, Some(name))
            }
        };
        let second = second.unwrap_or(first);
        let (low, high) = if second.value() < first.value() { (second, first) } else { (first, second) };
        let marked = self.how.take().unwrap_or_default();
        let how = if low == high { marked } else { ValueKind::Range };
        self.pending = Some(Pending { low, high, how, unit, name, is_output: self.is_output });
        Ok(())
    }

    /// "155 154 156 W": values called out one after the other are the range of one display, if they lie within a fifth of each other. Gives
    /// the least of them, and sets the greatest.
    fn row_of_values(&mut self, first: Decimal, greatest: &mut Option<Decimal>) -> Decimal {
        let (mut least, mut most) = (first, first);
        let mut ahead = Scanner { entry: Entry::default(), how: None, name: None, pending: None, ..*self };
        while ahead.rest.starts_with(char::is_whitespace)
            && starts_number(ahead.rest.trim_start())
            && !clock_follows(ahead.rest.trim_start())
        {
            let Ok(next) = ahead.number() else { return first };
            least = if next.value() < least.value() { next } else { least };
            most = if next.value() > most.value() { next } else { most };
        }
        let is_one_display = least.value() > 0.0 && most.value() <= 1.2 * least.value();
        if ahead.rest.len() < self.rest.len() && is_one_display && unit_at(ahead.rest).is_some() {
            self.rest = ahead.rest;
            *greatest = Some(most);
            return least;
        }
        first
    }

    fn no_unit(&self, number: Decimal) -> EntryError {
        match word_at(self.rest.trim_start()) {
            word if word.is_empty() || name_from(word).is_some() => EntryError::NoUnit(number.to_string()),
            word => EntryError::Unknown(word.to_owned()),
        }
    }

    fn number(&mut self) -> Result<Decimal, EntryError> {
        self.rest = self.rest.trim_start();
        let sign = self.rest.chars().next().filter(|c| matches!(c, '-' | '+' | '\u{2212}')).map_or(0, char::len_utf8);
        let mut end = sign;
        let bytes = self.rest.as_bytes();
        let mut mark_seen = false;
        while let Some(byte) = bytes.get(end) {
            // A mark belongs to the number only between digits (or before the first one): "18.4 V, 5.6 A".
            let digit_next = bytes.get(end + 1).is_some_and(u8::is_ascii_digit);
            match byte {
                b'0'..=b'9' => {}
                b'.' | b',' if !mark_seen && digit_next => mark_seen = true,
                _ => break,
            }
            end += 1;
        }
        let (typed, rest) = self.rest.split_at(end);
        let number = Decimal::parse(typed)?;
        self.rest = rest;
        Ok(number)
    }

    fn unit(&mut self) -> Option<Unit> {
        let (unit, rest) = unit_at(self.rest)?;
        self.rest = rest;
        Some(unit)
    }

    /// Steps over "-", "\u{2013}", ".." or "to" between two numbers.
    fn step_over_range_mark(&mut self) -> bool {
        let text = self.rest.trim_start();
        let after =
            ["-", "\u{2013}", "\u{2212}", "..", "to "].into_iter().find_map(|mark| text.strip_prefix(mark)).map(str::trim_start);
        let found = after.filter(|after| starts_number(after));
        self.rest = found.unwrap_or(self.rest);
        found.is_some()
    }

    /// The same after a unit, where " -5" may also begin a figure below zero: "18.4 V -5 C".
    fn step_over_mark_after_unit(&mut self) -> bool {
        let text = self.rest.trim_start();
        let spaced_before = text.len() < self.rest.len();
        let below_zero = text.strip_prefix(['-', '\u{2212}']).is_some_and(|after| !after.starts_with(char::is_whitespace));
        !(spaced_before && below_zero) && self.step_over_range_mark()
    }

    /// A name in the place of the unit: "22.1 Voc".
    fn name_as_unit(&mut self) -> Option<Name> {
        let text = self.rest.trim_start();
        let word = word_at(text);
        let name = name_from(word)?;
        self.rest = &text[word.len()..];
        Some(name)
    }

    fn word(&mut self) -> Result<(), EntryError> {
        let word = word_at(self.rest);
        if word.is_empty() {
            let odd: String = self.rest.chars().take(1).collect();
            if odd == "~" {
                self.rest = &self.rest[1..];
                self.how = Some(ValueKind::Settled);
                return Ok(());
            }
            return Err(EntryError::Unknown(odd));
        }
        let after = &self.rest[word.len()..];
        match word.to_lowercase().as_str() {
            "at" if clock_follows(after.trim_start()) => {
                self.rest = after;
                return self.time();
            }
            "peak" | "max" | "best" => self.how = Some(ValueKind::Peak),
            "settled" | "steady" | "about" => self.how = Some(ValueKind::Settled),
            "out" | "output" | "battery" => {
                self.settle_pending()?;
                self.is_output = true;
            }
            "in" | "input" | "panel" => {
                self.settle_pending()?;
                self.is_output = false;
            }
            "and" | "at" | "sky" => {}
            // "Thin cloud" was told by its first word; a cloud alone is one that passes.
            "cloud" | "clouds" => self.entry.sky = self.entry.sky.or(Some(SkyNote::Broken)),
            _ if sky_from(word).is_some() => self.note_sky(word)?,
            _ => {
                let name = name_from(word).ok_or_else(|| EntryError::Unknown(word.to_owned()))?;
                let next = after.trim_start_matches(|c: char| c.is_whitespace() || matches!(c, '=' | ':'));
                let leads = starts_number(next) || how_word(word_at(next)) || next.starts_with('~');
                match &mut self.pending {
                    // "22.1 V Voc": the name comes after its figure.
                    Some(pending) if !leads && pending.name.is_none() => pending.name = Some(name),
                    _ if self.name.is_some() => return Err(EntryError::NameAlone(word.to_owned())),
                    _ => {
                        self.settle_pending()?;
                        self.name = Some(name);
                    }
                }
            }
        }
        self.rest = after;
        Ok(())
    }

    fn note_sky(&mut self, word: &str) -> Result<(), EntryError> {
        match (self.entry.sky, sky_from(word)) {
            (Some(earlier), Some(sky)) if earlier != sky => return Err(EntryError::SkyTwice(earlier.label(), sky.label())),
            (_, sky) => self.entry.sky = sky,
        }
        Ok(())
    }

    fn settle_pending(&mut self) -> Result<(), EntryError> {
        let Some(Pending { low, high, how, unit, name, is_output }) = self.pending.take() else { return Ok(()) };
        let quantity = match &name {
            None => bare_quantity(unit, self.meaning, is_output),
            Some(name) if name.quantity.dimension() == unit.dimension() => name.quantity,
            Some(name) if name.quantity == Quantity::ReferenceCurrent && unit.dimension() == Dimension::Power => {
                Quantity::ReferencePower
            }
            Some(name) if name.quantity == Quantity::ReferenceCurrent && unit.dimension() == Dimension::Temperature => {
                Quantity::ReferenceCell
            }
            Some(name) if name.quantity == Quantity::CheckPower && unit.dimension() == Dimension::Energy => Quantity::CheckEnergy,
            Some(name) => {
                return Err(EntryError::WrongUnit {
                    name: name.quantity.label(),
                    expected: name.quantity.unit(),
                    found: unit.text(),
                });
            }
        };
        self.entry.figures.push(TypedFigure { quantity, unit, low, high, how });
        Ok(())
    }
}

fn starts_number(text: &str) -> bool {
    let text = text.strip_prefix(['-', '+', '\u{2212}']).unwrap_or(text);
    let text = text.strip_prefix(['.', ',']).unwrap_or(text);
    text.starts_with(|c: char| c.is_ascii_digit())
}

fn clock_follows(text: &str) -> bool {
    let digits = text.len() - text.trim_start_matches(|c: char| c.is_ascii_digit()).len();
    (1..=2).contains(&digits) && text[digits..].starts_with(':') && text[digits + 1..].starts_with(|c: char| c.is_ascii_digit())
}

fn how_word(word: &str) -> bool {
    matches!(word.to_lowercase().as_str(), "peak" | "max" | "best" | "settled" | "steady" | "about")
}

/// The letters (and signs of units) at the front of `text`.
fn word_at(text: &str) -> &str {
    let end = text.find(|c: char| !(c.is_alphabetic() || matches!(c, '\u{b0}' | '\''))).unwrap_or(text.len());
    &text[..end]
}

fn sky_from(word: &str) -> Option<SkyNote> {
    Some(match word.to_lowercase().as_str() {
        "clear" => SkyNote::Clear,
        "haze" | "hazy" => SkyNote::Haze,
        "thin" => SkyNote::ThinCloud,
        "broken" => SkyNote::Broken,
        "overcast" => SkyNote::Overcast,
        _ => return None,
    })
}

/// Names of quantities; one whose last column is not its quantity's own unit brings it along ("kWh 0.3").
const NAMES: [(&str, Quantity, Option<Unit>); 40] = [
    ("voc", Quantity::Voc, None),
    ("isc", Quantity::Isc, None),
    ("vmp", Quantity::Voltage, None),
    ("vmpp", Quantity::Voltage, None),
    ("imp", Quantity::Current, None),
    ("impp", Quantity::Current, None),
    ("volts", Quantity::Voltage, None),
    ("amps", Quantity::Current, None),
    ("energy", Quantity::Energy, None),
    ("total", Quantity::Energy, None),
    ("wh", Quantity::Energy, None),
    ("kwh", Quantity::Energy, Some(Unit::KilowattHour)),
    ("charge", Quantity::Charge, None),
    ("ah", Quantity::Charge, None),
    ("pmax", Quantity::Power, None),
    ("pmp", Quantity::Power, None),
    ("power", Quantity::Power, None),
    ("watts", Quantity::Power, None),
    ("w", Quantity::Power, None),
    ("poa", Quantity::Poa, None),
    ("sun", Quantity::Poa, None),
    ("irradiance", Quantity::Poa, None),
    ("ghi", Quantity::Ghi, None),
    ("flat", Quantity::Ghi, None),
    ("rear", Quantity::Rear, None),
    ("check", Quantity::CheckPower, None),
    ("oc", Quantity::Voc, None),
    ("sc", Quantity::Isc, None),
    ("pyranometer", Quantity::Poa, None),
    // Its amps, watts or cell temperature, by the unit that follows; amps where none does.
    ("ref", Quantity::ReferenceCurrent, None),
    ("reference", Quantity::ReferenceCurrent, None),
    ("cell", Quantity::Cell, None),
    ("back", Quantity::Back, None),
    ("air", Quantity::Air, None),
    ("humidity", Quantity::Humidity, None),
    ("rh", Quantity::Humidity, None),
    ("wind", Quantity::Wind, None),
    ("vout", Quantity::OutputVoltage, None),
    ("iout", Quantity::OutputCurrent, None),
    ("pout", Quantity::OutputPower, None),
];

fn name_from(word: &str) -> Option<Name> {
    let lower = word.to_lowercase();
    let (_, quantity, unit) = NAMES.iter().find(|(name, _, _)| *name == lower)?;
    Some(Name { quantity: *quantity, unit: unit.unwrap_or(Unit::of(quantity.dimension())), typed: word.to_owned() })
}

/// The unit at the front of `text`, and what follows it. Longer spellings first, so "W/m2" is not taken for watts.
fn unit_at(text: &str) -> Option<(Unit, &str)> {
    const SPELLINGS: [(&str, Unit); 31] = [
        ("km/h", Unit::KilometrePerHour),
        ("kmh", Unit::KilometrePerHour),
        ("mph", Unit::MilePerHour),
        ("m/s", Unit::MetrePerSecond),
        ("ah", Unit::AmpereHour),
        ("%", Unit::Percent),
        ("kw/m2", Unit::KilowattPerM2),
        ("kw/m\u{b2}", Unit::KilowattPerM2),
        ("w/m^2", Unit::WattPerM2),
        ("w/m\u{b2}", Unit::WattPerM2),
        ("w/m2", Unit::WattPerM2),
        ("wm-2", Unit::WattPerM2),
        ("wm2", Unit::WattPerM2),
        ("\u{b0}c", Unit::Celsius),
        ("\u{b0}f", Unit::Fahrenheit),
        ("degc", Unit::Celsius),
        ("degf", Unit::Fahrenheit),
        ("deg c", Unit::Celsius),
        ("deg f", Unit::Fahrenheit),
        ("kwh", Unit::KilowattHour),
        ("wh", Unit::WattHour),
        ("mv", Unit::Millivolt),
        ("ma", Unit::Milliampere),
        ("mw", Unit::Milliwatt),
        ("kw", Unit::Kilowatt),
        ("volts", Unit::Volt),
        ("v", Unit::Volt),
        ("a", Unit::Ampere),
        ("w", Unit::Watt),
        ("c", Unit::Celsius),
        ("f", Unit::Fahrenheit),
    ];
    let text = text.trim_start();
    SPELLINGS.into_iter().find_map(|(spelling, unit)| {
        let typed = text.get(..spelling.len())?;
        let rest = &text[spelling.len()..];
        let whole = unit == Unit::Percent || !rest.starts_with(|c: char| c.is_alphabetic() || c == '/' || c == '\u{b2}');
        (typed.to_lowercase() == spelling && whole).then_some((unit, rest))
    })
}

fn bare_quantity(unit: Unit, meaning: &Meaning, is_output: bool) -> Quantity {
    match unit.dimension() {
        Dimension::Voltage if is_output => Quantity::OutputVoltage,
        Dimension::Current if is_output => Quantity::OutputCurrent,
        Dimension::Power if is_output => Quantity::OutputPower,
        Dimension::Voltage => meaning.volts,
        Dimension::Current => meaning.amps,
        Dimension::Power => Quantity::Power,
        Dimension::Energy => Quantity::Energy,
        Dimension::Charge => Quantity::Charge,
        Dimension::Irradiance => meaning.light,
        Dimension::Temperature => meaning.degrees,
        Dimension::Share => Quantity::Humidity,
        Dimension::Speed => Quantity::Wind,
    }
}
