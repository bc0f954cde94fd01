//! Conversions, each in one place.

/// Degrees Fahrenheit to degrees Celsius.
pub fn fahrenheit_to_c(temp_f: f64) -> f64 {
    (temp_f - 32.0) * 5.0 / 9.0
}

/// A difference in Fahrenheit degrees as a difference in kelvin.
pub fn fahrenheit_step_to_k(step_f: f64) -> f64 {
    step_f * 5.0 / 9.0
}

/// How much of `base` is missing in `reached`, in percent of `base`. Negative where more was reached.
pub fn lost_percent(base: f64, reached: f64) -> f64 {
    (1.0 - reached / base) * 100.0
}

/// A compass word or a number of degrees as an azimuth from north, clockwise, 0 to below 360.
///
/// Words are the sixteen points ("S", "SSW", "south-east"); numbers may be 0 to 360. `None` for anything else.
pub fn azimuth_deg(text: &str) -> Option<f64> {
    const POINTS: [&str; 16] =
        ["N", "NNE", "NE", "ENE", "E", "ESE", "SE", "SSE", "S", "SSW", "SW", "WSW", "W", "WNW", "NW", "NNW"];
    let text = text.trim();
    if let Ok(number) = crate::decimal::Decimal::parse(text) {
        let degrees = number.value();
        return (0.0..=360.0).contains(&degrees).then_some(degrees % 360.0);
    }
    let word = text
        .to_uppercase()
        .replace("NORTH", "N")
        .replace("SOUTH", "S")
        .replace("EAST", "E")
        .replace("WEST", "W")
        .replace(['-', ' '], "");
    POINTS.iter().position(|point| *point == word).map(|index| index as f64 * 22.5)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fahrenheit_meets_celsius_at_the_known_points() {
        assert_eq!(fahrenheit_to_c(32.0), 0.0);
        assert_eq!(fahrenheit_to_c(212.0), 100.0);
        assert_eq!(fahrenheit_to_c(-40.0), -40.0);
    }

    /// Common practice, no source: a tilt sweep that reads 154 W at best and 144 W at another tilt lost 6.5 %.
    #[test]
    fn a_sweep_from_154_to_144_watts_lost_six_and_a_half_percent() {
        assert_eq!((lost_percent(154.0, 144.0) * 10.0).round() / 10.0, 6.5);
    }

    #[test]
    fn compass_words_and_numbers_are_azimuths() {
        assert_eq!(azimuth_deg("S"), Some(180.0));
        assert_eq!(azimuth_deg("south-west"), Some(225.0));
        assert_eq!(azimuth_deg("SSW"), Some(202.5));
        assert_eq!(azimuth_deg("182,5"), Some(182.5));
        assert_eq!(azimuth_deg("360"), Some(0.0));
        assert_eq!(azimuth_deg("-10"), None);
        assert_eq!(azimuth_deg("up"), None);
    }
}
