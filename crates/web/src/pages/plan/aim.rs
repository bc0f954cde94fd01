//! Aim: normal to the sun by a shadow, a tilt by its bar, a roof's pitch, a phone. Every answer is worked out as it is typed, and without
//! a script at the press of a button.

use crate::door::typed::{Pairs, value};
use crate::figures::number;
use crate::frame::Frame;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::Query;
use flindo_core::decimal::Decimal;
use flindo_core::error::Error;
use flindo_core::sky::aim::{
    LengthUnit, angle_of_incidence_deg, bar_for_tilt, beam_lost_rel, pitch_deg, rise_in_12, tilt_of_bar_deg, tilt_of_phone,
    upright_prop,
};

#[derive(Template, WebTemplate)]
#[template(path = "aim.html")]
pub struct Aim {
    frame: Frame,
    typed: Pairs,
    shadow: Answer,
    bar: Answer,
    bar_wanted: Answer,
    prop: Answer,
    pitch: Answer,
    rise: Answer,
    phone: Answer,
}

impl Aim {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn units(&self) -> &'static [LengthUnit] {
        LengthUnit::ALL
    }
}

/// Nothing yet, a figure with what it means, or what is wrong.
pub enum Answer {
    Nothing,
    Figure(String, String),
    Wrong(String),
}

/// A length to 1 mm or 1/8 inch, with its unit.
fn length(value: f64, unit: LengthUnit) -> String {
    let value = unit.to_mark(value);
    match unit {
        LengthUnit::Metre => format!("{}\u{a0}m", number(value, 3)),
        LengthUnit::Centimetre => format!("{}\u{a0}cm", number(value, 1)),
        LengthUnit::Millimetre => format!("{}\u{a0}mm", number(value, 0)),
        LengthUnit::Inch => {
            let eighths = ["", "1/8", "1/4", "3/8", "1/2", "5/8", "3/4", "7/8"][(value.fract() * 8.0).round() as usize % 8];
            let whole = number(value.floor(), 0);
            format!("{} inches", [whole.as_str(), eighths].join(" ").trim())
        }
    }
}

pub async fn page(frame: Frame, Query(typed): Query<Pairs>) -> Aim {
    let unit = LengthUnit::from_name(value(&typed, "unit")).unwrap_or_default();
    Aim {
        shadow: answer(&typed, &["upright", "shadow"], |[upright, shadow]| {
            let off_deg = angle_of_incidence_deg(upright, shadow)?;
            let lost = format!(
                "angle of incidence; beam loss {} %. Raise the edge that the shadow points to.",
                number(beam_lost_rel(off_deg) * 100.0, 1)
            );
            Ok((format!("{}\u{b0} off", number(off_deg, 1)), lost))
        }),
        bar: answer(&typed, &["on_panel", "on_ground", "bar"], |[on_panel, on_ground, bar]| {
            Ok((
                format!("{}\u{b0}", number(tilt_of_bar_deg(on_panel, on_ground, bar)?, 1)),
                "is the tilt this bar holds.".to_owned(),
            ))
        }),
        bar_wanted: answer(&typed, &["on_panel", "on_ground", "wanted_deg"], |[on_panel, on_ground, wanted_deg]| {
            let bar = bar_for_tilt(on_panel, on_ground, wanted_deg)?;
            Ok((length(bar, unit), "is the bar for the wanted tilt.".to_owned()))
        }),
        prop: answer(&typed, &["length", "length_deg"], |[panel, tilt_deg]| {
            let prop = upright_prop(panel, tilt_deg)?;
            let where_to =
                format!("is the vertical prop under the upper edge, {} from the hinge.", length(prop.from_hinge, unit));
            Ok((length(prop.length, unit), where_to))
        }),
        pitch: answer(&typed, &["rise", "run"], |[rise, run]| {
            Ok((format!("{}\u{b0}", number(pitch_deg(rise, run)?, 1)), "is the roof\u{2019}s pitch.".to_owned()))
        }),
        rise: answer(&typed, &["pitch_deg"], |[pitch]| {
            Ok((format!("{} in 12", number(rise_in_12(pitch)?, 2)), "is the roof\u{2019}s rise.".to_owned()))
        }),
        phone: phone(&typed),
        frame,
        typed,
    }
}

fn phone(typed: &Pairs) -> Answer {
    if value(typed, "level_turned").trim().is_empty() {
        return answer(typed, &["level"], |[level]| phone_tilt(level, None));
    }
    answer(typed, &["level", "level_turned"], |[level, turned]| phone_tilt(level, Some(turned)))
}

fn phone_tilt(level_deg: f64, turned_deg: Option<f64>) -> Result<(String, String), Error> {
    let read = tilt_of_phone(level_deg, turned_deg)?;
    let how = if turned_deg.is_some() {
        "level offset cancelled."
    } else {
        "turn the phone by 180° and read again to cancel its offset."
    };
    Ok((format!("{} \u{b1} {}\u{b0}", number(read.tilt_deg, 1), number(read.within_deg, 1)), how.to_owned()))
}

/// Reads the fields and asks the core; nothing until all of them are there.
fn answer<const N: usize>(
    typed: &Pairs,
    fields: &[&str; N],
    core: impl Fn([f64; N]) -> Result<(String, String), Error>,
) -> Answer {
    let mut numbers = [0.0; N];
    for (number, field) in numbers.iter_mut().zip(fields) {
        let text = value(typed, field).trim();
        if text.is_empty() {
            return Answer::Nothing;
        }
        match Decimal::parse(text.trim_end_matches('\u{b0}')) {
            Ok(decimal) => *number = decimal.value(),
            Err(error) => return Answer::Wrong(format!("{error}.")),
        }
    }
    match core(numbers) {
        Ok((figure, meaning)) => Answer::Figure(figure, meaning),
        Err(Error::OutOfRange { field: "bar", low, high, .. }) => {
            Answer::Wrong(format!("Bar length must be {} to {}.", number(low, 1), number(high, 1)))
        }
        Err(error) => Answer::Wrong(match (error.value(), error.allowed()) {
            (Some(value), Some(allowed)) => format!("{value} is not allowed: it has to be {allowed}."),
            (None, _) | (_, None) => format!("{error}."),
        }),
    }
}
