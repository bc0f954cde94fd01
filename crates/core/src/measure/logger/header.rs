//! What a column is, from its name and the unit in it.

use super::ColumnUse;
use crate::measure::quantity::{Dimension, Quantity};

/// A unit by its spelling: dimension, and how its figures become those of the dimension's own unit, `figure * scale + offset`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unit {
    pub dimension: Dimension,
    pub scale: f64,
    pub offset: f64,
}

const fn by(dimension: Dimension, scale: f64) -> Unit {
    Unit { dimension, scale, offset: 0.0 }
}

/// Spellings, in small letters but where a capital changes the unit: mW and MW.
const UNITS: &[(&str, Unit)] = &[
    ("V", by(Dimension::Voltage, 1.0)),
    ("mV", by(Dimension::Voltage, 0.001)),
    ("kV", by(Dimension::Voltage, 1000.0)),
    ("A", by(Dimension::Current, 1.0)),
    ("mA", by(Dimension::Current, 0.001)),
    ("W", by(Dimension::Power, 1.0)),
    ("mW", by(Dimension::Power, 0.001)),
    ("kW", by(Dimension::Power, 1000.0)),
    ("Wh", by(Dimension::Energy, 1.0)),
    ("mWh", by(Dimension::Energy, 0.001)),
    ("kWh", by(Dimension::Energy, 1000.0)),
    ("MWh", by(Dimension::Energy, 1e6)),
    ("J", by(Dimension::Energy, 1.0 / 3600.0)),
    ("kJ", by(Dimension::Energy, 1.0 / 3.6)),
    ("Ah", by(Dimension::Charge, 1.0)),
    ("mAh", by(Dimension::Charge, 0.001)),
    ("W/m2", by(Dimension::Irradiance, 1.0)),
    ("kW/m2", by(Dimension::Irradiance, 1000.0)),
    ("C", by(Dimension::Temperature, 1.0)),
    ("F", Unit { dimension: Dimension::Temperature, scale: 5.0 / 9.0, offset: -160.0 / 9.0 }),
    ("K", Unit { dimension: Dimension::Temperature, scale: 1.0, offset: -273.15 }),
    ("%", by(Dimension::Share, 1.0)),
    ("m/s", by(Dimension::Speed, 1.0)),
    ("km/h", by(Dimension::Speed, 1.0 / 3.6)),
    ("mph", by(Dimension::Speed, 0.447_04)),
];

/// The unit of a spelling; `None` for what is none.
pub fn unit(text: &str) -> Option<Unit> {
    let plain: String = text.trim().chars().filter(|c| !matches!(c, ' ' | '\u{b0}' | '^' | '_')).collect();
    let plain = plain.replace('\u{b2}', "2").replace("\u{2103}", "C").replace("\u{2109}", "F").replace('\u{b7}', "");
    let plain = match plain.to_lowercase().as_str() {
        "volt" | "volts" => "V".to_owned(),
        "amp" | "amps" | "ampere" | "amperes" => "A".to_owned(),
        "watt" | "watts" => "W".to_owned(),
        "degc" | "celsius" | "c" => "C".to_owned(),
        "degf" | "fahrenheit" | "f" => "F".to_owned(),
        "kelvin" | "k" => "K".to_owned(),
        "percent" | "%rh" => "%".to_owned(),
        "wm-2" | "w/m2" | "w/sqm" | "wm2" => "W/m2".to_owned(),
        _ => plain,
    };
    let exact = UNITS.iter().find(|(name, _)| *name == plain);
    // In other capitals only where they leave no doubt: "v", "KWH", but not "MW" for mW.
    let loose = || {
        UNITS
            .iter()
            .find(|(name, _)| name.eq_ignore_ascii_case(&plain) && !plain.starts_with('M') || *name == "mV" && plain == "MV")
    };
    exact.or_else(loose).map(|(_, unit)| *unit)
}

/// The unit of a quantity's figures: its own for no text.
pub fn unit_of(quantity: Quantity, text: &str) -> Option<Unit> {
    if text.trim().is_empty() {
        return Some(by(quantity.dimension(), 1.0));
    }
    unit(text).filter(|unit| unit.dimension == quantity.dimension())
}

/// The spellings that a quantity's figures may have, for a choice.
pub fn units_of(dimension: Dimension) -> impl Iterator<Item = &'static str> {
    UNITS.iter().filter(move |(_, unit)| unit.dimension == dimension).map(|(name, _)| *name)
}

/// A header cell understood.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Understood {
    pub used_as: ColumnUse,
    pub unit: String,
    /// What is left of the name when quantity and unit are taken off: the device's, where there are several.
    pub rest: String,
}

const OUTPUT: &[&str] = &["out", "output", "bat", "batt", "battery", "charge", "charging", "ac"];
// In English and in the languages in which loggers often name their columns.
const VOLTS: &[&str] = &["voltage", "volts", "volt", "v", "u", "spannung", "tension", "voltaje", "tensione"];
const AMPS: &[&str] = &["current", "amps", "amp", "amperage", "i", "strom", "courant", "corriente", "corrente"];
const WATTS: &[&str] = &["power", "watts", "watt", "p", "pac", "pdc", "leistung", "puissance", "potencia", "potenza"];
const ENERGY: &[&str] = &["energy", "wh", "kwh", "yield", "energie", "energia", "ertrag"];
const CHARGE: &[&str] = &["ah", "mah"];
const LIGHT: &[&str] = &["irradiance", "irradiation", "radiation", "poa", "gti", "pyranometer", "insolation", "solarrad"];
const FLAT: &[&str] = &["ghi", "horizontal", "flat"];
const REAR: &[&str] = &["rear"];
const TEMPERATURE: &[&str] = &["temperature", "temp", "t", "temperatur", "temperatura"];
const CELL: &[&str] = &["cell", "cells", "zelle"];
const BACK: &[&str] = &["back", "module", "modul", "panel", "pv", "surface"];
const AIR: &[&str] = &["air", "ambient", "outside", "outdoor"];
const HUMIDITY: &[&str] = &["humidity", "rh", "hum"];
const WIND: &[&str] = &["wind", "windspeed"];
/// Words that go with a quantity and are nobody's name.
const SPEED: &[&str] = &["speed", "velocity", "side", "relative", "of", "load", "last"];
const TIME: &[&str] =
    &["time", "timestamp", "datetime", "unix", "epoch", "unixtime", "zeit", "heure", "hora", "uhrzeit", "zeitstempel"];
const DATE: &[&str] = &["date", "day", "datum", "fecha", "data"];
const DEVICE: &[&str] = &["device", "meter", "channel", "sensor", "name", "unit"];

/// What a header cell says. `unit_row`: what stands under it in a line of units.
pub fn understand(cell: &str, unit_row: &str) -> Understood {
    if let Some(quantity) = Quantity::from_name(cell.trim()) {
        return Understood { used_as: ColumnUse::Quantity(quantity), ..Understood::default() };
    }
    let (words, mut unit_text) = split(cell);
    if unit_text.is_empty() {
        unit_text = unit(unit_row).map(|_| unit_row.trim().to_owned()).unwrap_or_default();
    }
    let lower: Vec<String> = words.iter().map(|word| word.to_lowercase()).collect();
    let has = |list: &[&str]| lower.iter().any(|word| list.contains(&word.as_str()));
    let found = unit(&unit_text);
    let used_as = match found.map(|unit| unit.dimension) {
        None if has(DATE) && has(TIME) => ColumnUse::Time,
        None if has(DATE) => ColumnUse::Date,
        None if has(TIME) || cell.trim().to_lowercase().ends_with("_utc") => ColumnUse::Time,
        dimension => quantity_of(dimension, &lower)
            .map_or(if has(DEVICE) { ColumnUse::Device } else { ColumnUse::Ignored }, ColumnUse::Quantity),
    };
    let taken = |word: &&String| {
        let lower = word.to_lowercase();
        ![VOLTS, AMPS, WATTS, ENERGY, CHARGE, LIGHT, FLAT, REAR, TEMPERATURE, CELL, BACK, AIR, HUMIDITY, WIND, SPEED, OUTPUT]
            .iter()
            .any(|list| list.contains(&lower.as_str()))
    };
    let rest: Vec<&str> = words.iter().filter(taken).map(String::as_str).collect();
    Understood { used_as, unit: if found.is_some() { unit_text } else { String::new() }, rest: rest.join(" ") }
}

fn quantity_of(dimension: Option<Dimension>, words: &[String]) -> Option<Quantity> {
    let has = |list: &[&str]| words.iter().any(|word| list.contains(&word.as_str()));
    let is_output = has(OUTPUT);
    let side = |input: Quantity, output: Quantity| if is_output { output } else { input };
    match dimension {
        Some(Dimension::Voltage) if has(&["voc", "open"]) => Some(Quantity::Voc),
        Some(Dimension::Voltage) => Some(side(Quantity::Voltage, Quantity::OutputVoltage)),
        Some(Dimension::Current) if has(&["isc", "short"]) => Some(Quantity::Isc),
        Some(Dimension::Current) => Some(side(Quantity::Current, Quantity::OutputCurrent)),
        Some(Dimension::Power) => Some(side(Quantity::Power, Quantity::OutputPower)),
        Some(Dimension::Energy) => Some(Quantity::Energy),
        Some(Dimension::Charge) => Some(Quantity::Charge),
        Some(Dimension::Irradiance) => Some(light(words)),
        Some(Dimension::Temperature) => Some(temperature(words)),
        Some(Dimension::Share) => has(HUMIDITY).then_some(Quantity::Humidity),
        Some(Dimension::Speed) => has(WIND).then_some(Quantity::Wind),
        None if has(LIGHT) || has(FLAT) => Some(light(words)),
        None if has(&["voc"]) => Some(Quantity::Voc),
        None if has(&["isc"]) => Some(Quantity::Isc),
        None if has(TEMPERATURE) => Some(temperature(words)),
        None if has(HUMIDITY) => Some(Quantity::Humidity),
        None if has(WIND) => Some(Quantity::Wind),
        None if has(VOLTS) => Some(side(Quantity::Voltage, Quantity::OutputVoltage)),
        None if has(AMPS) => Some(side(Quantity::Current, Quantity::OutputCurrent)),
        None if has(WATTS) => Some(side(Quantity::Power, Quantity::OutputPower)),
        None if has(ENERGY) => Some(Quantity::Energy),
        None if has(CHARGE) => Some(Quantity::Charge),
        None => None,
    }
}

fn light(words: &[String]) -> Quantity {
    let has = |list: &[&str]| words.iter().any(|word| list.contains(&word.as_str()));
    if has(FLAT) {
        Quantity::Ghi
    } else if has(REAR) {
        Quantity::Rear
    } else {
        Quantity::Poa
    }
}

fn temperature(words: &[String]) -> Quantity {
    let has = |list: &[&str]| words.iter().any(|word| list.contains(&word.as_str()));
    if has(AIR) {
        Quantity::Air
    } else if has(CELL) {
        Quantity::Cell
    } else if has(BACK) {
        Quantity::Back
    } else {
        Quantity::Air
    }
}

/// Words and unit of a cell: the unit stands in brackets, after a comma or a slash, or as the last word.
fn split(cell: &str) -> (Vec<String>, String) {
    let cell = cell.trim().trim_matches('\u{feff}');
    // "kWh" or "W" alone; one letter more often is a name.
    if unit(cell).is_some() && (cell.len() > 1 || matches!(cell, "V" | "A" | "W")) {
        return (Vec::new(), cell.to_owned());
    }
    let mut name = cell.to_owned();
    let mut found = String::new();
    for (open, close) in [('(', ')'), ('[', ']'), ('{', '}')] {
        if let (Some(from), Some(to)) = (cell.find(open), cell.rfind(close))
            && from < to
            && unit(&cell[from + 1..to]).is_some()
        {
            found = cell[from + 1..to].trim().to_owned();
            name = format!("{} {}", &cell[..from], &cell[to + close.len_utf8()..]);
        }
    }
    if found.is_empty()
        && let Some((before, after)) = cell.rsplit_once([',', '/', ';', ':'])
        && unit(after).is_some()
    {
        (name, found) = (before.to_owned(), after.trim().to_owned());
    }
    if found.is_empty()
        && let Some((before, after)) = cell.rsplit_once(char::is_whitespace)
        && unit(after).is_some()
    {
        (name, found) = (before.to_owned(), after.to_owned());
    }
    let mut words: Vec<String> = parts(&name);
    if found.is_empty()
        && words.len() > 1
        && let Some(last) = words.last().filter(|last| unit(last).is_some())
    {
        found = last.clone();
        words.pop();
    }
    (words, found)
}

/// Words of a name: at spaces, underscores, points and lines; "pv1Power" at its capital.
fn parts(name: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut before = ' ';
    for c in name.chars() {
        let is_break = !c.is_alphanumeric() && c != '%' && c != '\u{b0}';
        if is_break || before.is_lowercase() && c.is_uppercase() || before.is_ascii_digit() && c.is_uppercase() {
            words.push(String::new());
        }
        if !is_break && let Some(last) = words.last_mut() {
            last.push(c);
        }
        before = c;
    }
    words.into_iter().filter(|word| !word.is_empty()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_are_known_by_their_spellings() {
        for (text, dimension, of_one) in [
            ("W", Dimension::Power, 1.0),
            ("kW", Dimension::Power, 1000.0),
            ("mA", Dimension::Current, 0.001),
            ("kWh", Dimension::Energy, 1000.0),
            ("W/m\u{b2}", Dimension::Irradiance, 1.0),
            ("W/m^2", Dimension::Irradiance, 1.0),
            ("\u{b0}C", Dimension::Temperature, 1.0),
            ("degF", Dimension::Temperature, -17.222_222),
            ("km/h", Dimension::Speed, 0.277_778),
        ] {
            let unit = unit(text).unwrap();
            assert!(unit.dimension == dimension && (unit.scale + unit.offset - of_one).abs() < 1e-5, "{text}");
        }
        assert_eq!(unit("parsec"), None);
        assert!((unit("F").unwrap().scale * 212.0 + unit("F").unwrap().offset - 100.0).abs() < 1e-9);
        assert!(unit_of(Quantity::Power, "V").is_none() && unit_of(Quantity::Power, "").is_some());
    }

    #[test]
    fn headers_say_what_their_columns_are() {
        let cases = [
            ("voltage_v", "voltage_v", ""),
            ("Voltage (V)", "voltage_v", "V"),
            ("PV1 Power [kW]", "power_w", "kW"),
            ("Battery current, A", "output_current_a", "A"),
            ("Out W", "output_power_w", "W"),
            ("Irradiance W/m2", "poa_w_m2", "W/m2"),
            ("GHI (W/m\u{b2})", "ghi_w_m2", "W/m\u{b2}"),
            ("Module temp (\u{b0}C)", "back_c", "\u{b0}C"),
            ("Ambient temperature [\u{b0}F]", "air_c", "\u{b0}F"),
            ("Energy (kWh)", "energy_wh", "kWh"),
            ("kWh", "energy_wh", "kWh"),
            ("Timestamp", "time", ""),
            ("Date", "date", ""),
            ("Date/Time", "time", ""),
            ("time_utc", "time", ""),
            ("Device", "device", ""),
            ("Remarks", "ignored", ""),
            ("Modul Temperatur (\u{b0}C)", "back_c", "\u{b0}C"),
            ("Spannung [V]", "voltage_v", "V"),
            ("wind speed m/s", "wind_m_s", "m/s"),
        ];
        for (cell, used_as, unit) in cases {
            let found = understand(cell, "");
            assert_eq!((found.used_as.name(), found.unit.as_str()), (used_as, unit), "{cell}");
        }
        assert_eq!(
            understand("Leistung", "kW"),
            Understood { used_as: ColumnUse::Quantity(Quantity::Power), unit: "kW".to_owned(), rest: String::new() }
        );
        // What says the quantity is no name of a device.
        for cell in [
            "Wind speed (m/s)",
            "Back (\u{b0}C)",
            "Rear irradiance (W/m2)",
            "Rear W/m2",
            "Back side temp C",
            "Relative humidity %",
        ] {
            assert_eq!(understand(cell, "").rest, "", "{cell}");
        }
        assert_eq!(
            (understand("Rig A power (W)", "").rest, understand("PV2 Voltage (V)", "").rest),
            ("Rig A".to_owned(), "PV2".to_owned())
        );
    }

    /// A unit that was found in brackets is the one; a word of the name that looks like another stays a word.
    #[test]
    fn a_unit_in_brackets_leaves_the_name_whole() {
        let words = |list: &[&str]| list.iter().map(|word| (*word).to_owned()).collect::<Vec<_>>();
        assert_eq!(split("bus_v (A)"), (words(&["bus", "v"]), "A".to_owned()));
        assert_eq!(split("bus_v"), (words(&["bus"]), "v".to_owned()));
        // A unit alone says what the figures are of; another word alone is a name.
        assert_eq!(split("V"), (Vec::new(), "V".to_owned()));
        assert_eq!(split("h"), (words(&["h"]), String::new()));
    }
}
