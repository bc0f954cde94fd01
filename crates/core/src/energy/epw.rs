//! Hourly weather in the open EPW format: its header's place, and the three irradiances of each hour.

use crate::sky::clear_sky::Irradiance;
use crate::sky::place::Place;

/// A year of weather.
#[derive(Debug, Clone, PartialEq)]
pub struct Weather {
    pub name: String,
    pub place: Place,
    /// Of local standard time.
    pub utc_offset_h: f64,
    /// 8760, from the hour that ends at 1:00 on 1 January.
    pub hours: Vec<Irradiance>,
    /// Of the same hours, C; an hour whose temperature is missing has that of the hour before.
    pub air_c: Vec<f64>,
}

/// Header lines before the hours.
const HEADER_LINES: usize = 8;
const HOURS: usize = 8760;
/// Fields of a data line: global horizontal, direct normal, diffuse horizontal, Wh/m2 (the format's data dictionary, fields N10 to
/// N12; from memory).
const FIELDS: [usize; 3] = [13, 14, 15];
/// Dry-bulb temperature, C (field N6; from memory), and what it can be; 99.9 marks a missing one.
const AIR_FIELD: usize = 6;
const AIR_C: std::ops::RangeInclusive<f64> = -70.0..=70.0;
/// What marks a missing value: 9999 or more.
const MISSING: f64 = 9999.0;

/// Reads a file. The error is a sentence that says which line is wrong and how.
pub fn parse(text: &str) -> Result<Weather, String> {
    let mut lines = text.lines().enumerate();
    let header = lines.next().map(|(_, line)| line).unwrap_or_default();
    let cells: Vec<&str> = header.split(',').map(str::trim).collect();
    if cells.first() != Some(&"LOCATION") {
        return Err("Line 1 does not begin with LOCATION: this is not an EPW weather file.".to_owned());
    }
    let number = |index: usize, what: &str| {
        let cell = cells.get(index).copied().unwrap_or_default();
        cell.parse::<f64>().map_err(|_| format!("Line 1: the {what}, \"{cell}\", is not a number."))
    };
    let (lat, lon, offset, elevation) =
        (number(6, "latitude")?, number(7, "longitude")?, number(8, "time zone")?, number(9, "elevation")?);
    let place = Place::check(lat, lon, elevation).map_err(|error| format!("Line 1: {error}."))?;
    let (mut hours, mut air_c) = (Vec::with_capacity(HOURS), Vec::<f64>::with_capacity(HOURS));
    for (index, line) in lines.skip(HEADER_LINES - 1) {
        if line.trim().is_empty() {
            continue;
        }
        let cells: Vec<&str> = line.split(',').collect();
        // A leap day has no place in a year of 8760 hours.
        if cells.get(1).map(|month| month.trim()) == Some("2") && cells.get(2).map(|day| day.trim()) == Some("29") {
            continue;
        }
        let value = |field: usize| -> Result<f64, String> {
            let cell = cells.get(field).copied().unwrap_or_default().trim();
            match cell.parse::<f64>() {
                Ok(value) if (0.0..=1600.0).contains(&value) => Ok(value),
                Ok(value) if value >= MISSING => {
                    Err(format!("Line {}, field {}: the irradiance is missing.", index + 1, field + 1))
                }
                _ => Err(format!("Line {}, field {}: \"{cell}\" is not an irradiance of 0 to 1600 Wh/m2.", index + 1, field + 1)),
            }
        };
        let [ghi_w_m2, dni_w_m2, dhi_w_m2] = [value(FIELDS[0])?, value(FIELDS[1])?, value(FIELDS[2])?];
        let air = cells.get(AIR_FIELD).copied().unwrap_or_default().trim();
        match air.parse::<f64>() {
            Ok(read_c) if AIR_C.contains(&read_c) => air_c.push(read_c),
            Ok(_) => air_c.push(air_c.last().copied().ok_or_else(|| {
                format!("Line {}, field {}: the first hour\u{2019}s temperature is missing.", index + 1, AIR_FIELD + 1)
            })?),
            Err(_) => return Err(format!("Line {}, field {}: \"{air}\" is not a temperature.", index + 1, AIR_FIELD + 1)),
        }
        hours.push(Irradiance { ghi_w_m2, dni_w_m2, dhi_w_m2 });
    }
    if hours.len() != HOURS {
        return Err(format!("This file has {} hours; a year has {HOURS}.", hours.len()));
    }
    let name = cells.get(1).copied().unwrap_or_default().to_owned();
    Ok(Weather { name, place, utc_offset_h: offset, hours, air_c })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(hour: impl Fn(usize) -> String) -> String {
        let mut lines = vec!["LOCATION,Garden,-,-,made up,000000,38.6,-7.9,0.0,300".to_owned()];
        lines.extend((1..HEADER_LINES).map(|line| format!("HEADER {line}")));
        lines.extend((0..HOURS).map(hour));
        lines.join("\n")
    }

    fn hour(ghi: &str) -> String {
        format!("2025,1,1,1,0,source,10,5,70,101000,0,0,300,{ghi},500,80,0,0,0")
    }

    #[test]
    fn a_year_of_hours_is_read() {
        let weather = parse(&file(|_| hour("420"))).unwrap();
        assert_eq!((weather.hours.len(), weather.hours[7].ghi_w_m2, weather.place.elevation_m), (8760, 420.0, 300.0));
    }

    #[test]
    fn the_air_of_each_hour_is_read_and_a_missing_one_is_that_before() {
        let with = |air: &str| hour("0").replacen(",10,", &format!(",{air},"), 1);
        let read = |index: usize| with(["-3.5", "99.9", "12"][index.min(2)]);
        assert_eq!(parse(&file(read)).unwrap().air_c[..4], [-3.5, -3.5, 12.0, 12.0]);
        let missing = parse(&file(|index| with(if index == 0 { "99.9" } else { "5" }))).unwrap_err();
        assert_eq!(missing, "Line 9, field 7: the first hour\u{2019}s temperature is missing.");
        assert!(parse(&file(|_| with("warm"))).unwrap_err().starts_with("Line 9, field 7: \"warm\""));
    }

    #[test]
    fn a_wrong_file_says_where() {
        assert!(parse("a letter").unwrap_err().contains("not an EPW"));
        assert!(parse("").unwrap_err().contains("not an EPW"));
        assert!(parse("LOCATION,x,,,,,north,0,0,0").unwrap_err().contains("latitude, \"north\""));
        assert!(parse("LOCATION,x,,,,,95,0,0,0").unwrap_err().contains("lat_deg is 95"));
        assert_eq!(
            parse(&file(|index| hour(if index == 2 { "9999" } else { "0" }))).unwrap_err(),
            "Line 11, field 14: the irradiance is missing."
        );
        assert!(
            parse(&file(|index| hour(if index == 0 { "sun" } else { "0" })))
                .unwrap_err()
                .starts_with("Line 9, field 14: \"sun\"")
        );
        assert!(parse(&file(|_| hour("0")).lines().take(100).collect::<Vec<_>>().join("\n")).unwrap_err().contains("92 hours"));
    }
}
