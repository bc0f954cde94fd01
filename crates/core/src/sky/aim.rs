//! Angles without instruments: by a shadow, a bar, a roof's pitch, a phone.

use crate::error::{Error, check_positive, check_range};

/// How far a panel is off square, degrees: an upright of height `upright` standing on it casts a shadow of length
/// `shadow` (the same unit).
pub fn off_square_deg(upright: f64, shadow: f64) -> Result<f64, Error> {
    check_positive("upright", upright, 1e6)?;
    check_range("shadow", shadow, 0.0, 1e6)?;
    Ok((shadow / upright).atan().to_degrees())
}

/// The share of the beam that is lost at an angle off square.
pub fn beam_lost_rel(off_deg: f64) -> f64 {
    1.0 - off_deg.to_radians().cos().max(0.0)
}

/// The tilt that a bar holds, degrees: hinged edge to the bar's end on the panel, hinged edge to the bar's foot on the
/// ground, and the bar (all in one unit; law of cosines).
pub fn tilt_of_bar_deg(on_panel: f64, on_ground: f64, bar: f64) -> Result<f64, Error> {
    check_positive("on_panel", on_panel, 1e6)?;
    check_positive("on_ground", on_ground, 1e6)?;
    check_positive("bar", bar, 1e6)?;
    let cos = (on_panel * on_panel + on_ground * on_ground - bar * bar) / (2.0 * on_panel * on_ground);
    if !(-1.0..=1.0).contains(&cos) {
        let (low, high) = ((on_panel - on_ground).abs(), on_panel + on_ground);
        return Err(Error::OutOfRange { field: "bar", value: bar, low, high });
    }
    Ok(cos.acos().to_degrees())
}

/// The bar for a wanted tilt of 0 to 180 degrees.
pub fn bar_for_tilt(on_panel: f64, on_ground: f64, tilt_deg: f64) -> Result<f64, Error> {
    check_positive("on_panel", on_panel, 1e6)?;
    check_positive("on_ground", on_ground, 1e6)?;
    check_range("tilt_deg", tilt_deg, 0.0, 180.0)?;
    let squared = on_panel * on_panel + on_ground * on_ground - 2.0 * on_panel * on_ground * tilt_deg.to_radians().cos();
    Ok(squared.max(0.0).sqrt())
}

/// Degrees of a roof that rises `rise` in `run`.
pub fn pitch_deg(rise: f64, run: f64) -> Result<f64, Error> {
    check_range("rise", rise, 0.0, 1e6)?;
    check_positive("run", run, 1e6)?;
    Ok((rise / run).atan().to_degrees())
}

/// The rise in 12 of a roof of 0 to below 90 degrees.
pub fn rise_in_12(pitch_deg: f64) -> Result<f64, Error> {
    check_range("pitch_deg", pitch_deg, 0.0, 89.9)?;
    Ok(12.0 * pitch_deg.to_radians().tan())
}

/// A tilt from a phone laid on the panel, degrees, with the half width of its interval. Read once it is good to about 1 degree; read
/// again after turning the phone end for end, its own error cancels and about 0.3 remain. Common practice, no source.
pub fn tilt_of_phone_deg(reading_deg: f64, turned_deg: Option<f64>) -> Result<(f64, f64), Error> {
    let reading_deg = check_range("level", reading_deg, 0.0, 90.0)?;
    match turned_deg {
        None => Ok((reading_deg, 1.0)),
        Some(turned_deg) => Ok(((reading_deg + check_range("level_turned", turned_deg, 0.0, 90.0)?) / 2.0, 0.3)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Common practice, no source: 7 in 12 is 30.3 degrees; 20 degrees off square still gives 94 % of the beam.
    #[test]
    fn the_angles_of_the_trade_come_out() {
        assert!((pitch_deg(7.0, 12.0).unwrap() - 30.3).abs() < 0.05);
        assert!((rise_in_12(30.256).unwrap() - 7.0).abs() < 0.001);
        assert_eq!(off_square_deg(10.0, 10.0).unwrap().round(), 45.0);
        assert!((1.0 - beam_lost_rel(20.0) - 0.94).abs() < 0.001);
        assert_eq!(tilt_of_phone_deg(31.0, Some(29.0)).unwrap(), (30.0, 0.3));
    }

    #[test]
    fn a_bar_that_does_not_reach_is_told_its_reach() {
        let error = tilt_of_bar_deg(100.0, 60.0, 200.0).unwrap_err();
        assert_eq!(error.to_string(), "bar is 200, outside 40 to 160");
        assert!(off_square_deg(0.0, 1.0).is_err() && pitch_deg(1.0, 0.0).is_err() && rise_in_12(90.0).is_err());
    }

    proptest! {
        #[test]
        fn bar_and_tilt_lead_back_to_each_other(on_panel in 1.0..200.0_f64, on_ground in 1.0..200.0_f64, tilt in 1.0..179.0_f64) {
            let bar = bar_for_tilt(on_panel, on_ground, tilt).unwrap();
            prop_assert!((tilt_of_bar_deg(on_panel, on_ground, bar).unwrap() - tilt).abs() < 1e-6);
        }
    }
}
