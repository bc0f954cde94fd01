//! Angles without instruments: by a shadow, a bar, a roof's pitch, a phone.

use crate::error::{Error, check_positive, check_range};
use crate::named::named;
use crate::sky::place::Place;
use crate::sky::plane::Plane;

/// The angle of incidence on a panel, degrees: an upright of height `upright` standing on it casts a shadow of length
/// `shadow` (the same unit).
pub fn angle_of_incidence_deg(upright: f64, shadow: f64) -> Result<f64, Error> {
    check_positive("upright", upright, 1e6)?;
    check_range("shadow", shadow, 0.0, 1e6)?;
    Ok((shadow / upright).atan().to_degrees())
}

/// The share of the beam that is lost at an angle of incidence.
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

/// A tilt from a phone laid on the panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PhoneTilt {
    pub tilt_deg: f64,
    /// Half the width of its interval, degrees.
    pub within_deg: f64,
}

/// A tilt from a phone laid on the panel, of readings of 0 to 90 degrees. Read once it is good to about 1 degree; read
/// again after turning the phone end for end, its own error cancels and about 0.3 remain. Common practice, no source.
pub fn tilt_of_phone(reading_deg: f64, turned_deg: Option<f64>) -> Result<PhoneTilt, Error> {
    let reading_deg = check_range("level", reading_deg, 0.0, 90.0)?;
    match turned_deg {
        None => Ok(PhoneTilt { tilt_deg: reading_deg, within_deg: 1.0 }),
        Some(turned_deg) => {
            let turned_deg = check_range("level_turned", turned_deg, 0.0, 90.0)?;
            Ok(PhoneTilt { tilt_deg: f64::midpoint(reading_deg, turned_deg), within_deg: 0.3 })
        }
    }
}

/// An upright prop under the upper edge of a panel, in the unit of the panel's length.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Prop {
    pub length: f64,
    pub from_hinge: f64,
}

/// The prop on which a panel of this length stands at a tilt of 0 to 90 degrees.
pub fn upright_prop(length: f64, tilt_deg: f64) -> Result<Prop, Error> {
    check_positive("length", length, 1e6)?;
    check_range("tilt_deg", tilt_deg, 0.0, 90.0)?;
    let (sin, cos) = tilt_deg.to_radians().sin_cos();
    Ok(Prop { length: length * sin, from_hinge: length * cos })
}

/// What lengths are told in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LengthUnit {
    #[default]
    Metre,
    Centimetre,
    Millimetre,
    Inch,
}

named!(LengthUnit {
    Metre = "m", "m";
    Centimetre = "cm", "cm";
    Millimetre = "mm", "mm";
    Inch = "in", "inches";
});

impl LengthUnit {
    /// The finest mark that is sawn to: 1 mm, or 1/8 inch. In this unit.
    pub fn mark(self) -> f64 {
        match self {
            LengthUnit::Metre => 0.001,
            LengthUnit::Centimetre => 0.1,
            LengthUnit::Millimetre => 1.0,
            LengthUnit::Inch => 0.125,
        }
    }

    /// A length to the nearest mark.
    pub fn to_mark(self, length: f64) -> f64 {
        (length / self.mark()).round() * self.mark()
    }
}

/// Of a bench without a place, degrees: the middle of where most people live. Common practice, no source.
const USUAL_LAT_DEG: f64 = 35.0;

/// The plane that is taken where nobody says one: as steep as the latitude, and turned to the equator. Common practice, no source.
pub fn usual_plane(place: Option<&Place>) -> Plane {
    match place {
        Some(place) => Plane { tilt_deg: place.lat_deg.abs().round(), azimuth_deg: place.equatorward_deg() },
        None => Plane { tilt_deg: USUAL_LAT_DEG, azimuth_deg: 180.0 },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Common practice, no source: 7 in 12 is 30.3 degrees; 20 degrees of incidence still give 94 % of the beam.
    #[test]
    fn the_angles_of_the_trade_come_out() {
        assert!((pitch_deg(7.0, 12.0).unwrap() - 30.3).abs() < 0.05);
        assert!((rise_in_12(30.256).unwrap() - 7.0).abs() < 0.001);
        assert_eq!(angle_of_incidence_deg(10.0, 10.0).unwrap().round(), 45.0);
        assert!((1.0 - beam_lost_rel(20.0) - 0.94).abs() < 0.001);
        assert_eq!(tilt_of_phone(31.0, Some(29.0)).unwrap(), PhoneTilt { tilt_deg: 30.0, within_deg: 0.3 });
    }

    /// By hand: an isosceles triangle of two sides of 1 m at 45 degrees has a base of 2 sin 22.5 degrees = 0.765 m; 39 3/8 inches at 30
    /// degrees stand on 19 11/16, which is 19 5/8 or 19 3/4 to the eighth.
    #[test]
    fn lengths_are_told_to_the_mark_that_is_sawn_to() {
        let bar = bar_for_tilt(1.0, 1.0, 45.0).unwrap();
        assert!((LengthUnit::Metre.to_mark(bar) - 0.765).abs() < 1e-9);
        assert!((LengthUnit::Millimetre.to_mark(bar * 1000.0) - 765.0).abs() < 1e-9);
        let prop = upright_prop(39.375, 30.0).unwrap();
        assert!((prop.length - 19.6875).abs() < 1e-9 && (prop.from_hinge - 34.0997).abs() < 1e-3);
        assert_eq!(LengthUnit::Inch.to_mark(19.70), 19.75);
        assert_eq!(LengthUnit::Inch.to_mark(19.68), 19.625);
        assert!(upright_prop(1.0, 91.0).is_err());
    }

    #[test]
    fn a_bar_that_does_not_reach_is_told_its_reach() {
        let error = tilt_of_bar_deg(100.0, 60.0, 200.0).unwrap_err();
        assert_eq!(error.to_string(), "bar is 200, outside 40 to 160");
        assert!(angle_of_incidence_deg(0.0, 1.0).is_err() && pitch_deg(1.0, 0.0).is_err() && rise_in_12(90.0).is_err());
    }

    proptest! {
        #[test]
        fn bar_and_tilt_lead_back_to_each_other(on_panel in 1.0..200.0_f64, on_ground in 1.0..200.0_f64, tilt in 1.0..179.0_f64) {
            let bar = bar_for_tilt(on_panel, on_ground, tilt).unwrap();
            prop_assert!((tilt_of_bar_deg(on_panel, on_ground, bar).unwrap() - tilt).abs() < 1e-6);
        }
    }
}
