//! The figures of a line at work: in the words and units that people use beside them, bare where the last reading said of what they are.

use super::at::{Asked, At};
use super::plain::{ELECTRICAL, is_bare, plain};
use crate::decimal::Decimal;
use crate::measure::entry::{Entry, understand};
use crate::measure::quantity::Quantity;
use crate::record::condition::Conditions;

/// Whether a text has a figure with an electrical unit, or ends in a bare one: it may be a reading.
pub(super) fn ends_in_a_figure(text: &str) -> bool {
    let text = format!(" {} ", text.to_lowercase()).replace(" zero ", " 0 ");
    // "<1 W", "150+ W", "171/170 W", "140ish": signs beside a figure do not make it less of one.
    let text = text.replace(['<', '>', '~', '\u{2248}', '\u{b1}', '+', '/', '='], " ").replace("ish ", " ");
    let parts: Vec<&str> = text.split_whitespace().map(|part| part.trim_matches(['(', ')', '.', ','])).collect();
    let is_number = |part: &str| Decimal::parse(part).is_ok();
    let split = |part: &str| {
        let digits = part.len() - part.trim_start_matches(|sign: char| sign.is_ascii_digit() || ".,-".contains(sign)).len();
        (digits > 0).then(|| part[digits..].to_owned())
    };
    let has_unit = parts.iter().enumerate().any(|(nth, part)| {
        let own = split(part).is_some_and(|unit| ELECTRICAL.contains(&unit.as_str()));
        own || split(part).is_some_and(|unit| unit.is_empty()) && parts.get(nth + 1).is_some_and(|unit| ELECTRICAL.contains(unit))
    });
    // "IR gun 46.5 C", "870 W/m2", "18 %": what is read beside the panel.
    const BESIDE: [&str; 9] = ["c", "\u{b0}c", "f", "\u{b0}f", "w/m2", "w/m\u{b2}", "wm2", "m/s", "%"];
    let is_beside = parts.iter().enumerate().any(|(nth, part)| {
        let unit = split(part);
        unit.as_deref().is_some_and(|unit| BESIDE.contains(&unit))
            || unit.is_some_and(|unit| unit.is_empty()) && parts.get(nth + 1).is_some_and(|unit| BESIDE.contains(unit))
    });
    has_unit || is_beside || parts.last().is_some_and(|last| is_number(last))
}

/// Figures that are no reading as they stand.
pub(super) enum Unread {
    /// A bare figure of which no unit is known.
    Bare(String),
    /// Figures with units that do not go into one reading.
    Several(String),
}

impl Unread {
    pub(super) fn asked(self, text: &str) -> Asked {
        let figure = match self {
            Unread::Bare(figure) => figure,
            Unread::Several(figures) => {
                let asked = format!("\u{201c}{figures}\u{201d} does not go into one reading: a line for each?");
                return Asked::new(asked, vec![format!("# {text}")]);
            }
        };
        // The figure may stand there in other signs than it was read in: then the unit goes to the end.
        let with = |unit: &str| match text.contains(&figure) {
            true => text.replacen(&figure, &format!("{figure} {unit}"), 1),
            false => format!("{text} {unit}"),
        };
        let asked = format!("What is {figure}: watts, volts, amps or watt-hours?");
        Asked::new(asked, ["W", "V", "A", "Wh"].into_iter().map(with).collect())
    }
}

pub(super) fn is_figures(clause: &str, at: &At<'_>) -> bool {
    let text = plain(clause);
    is_bare(&text)
        || settled_alone(&text).is_some()
        || volts_of_a_battery(&text).is_some()
        || is_reading(&text, at)
        || bare_and_beside(&text, at).is_some()
}

/// "settled 138" without a unit: the word and the figure.
fn settled_alone(text: &str) -> Option<(&str, &str)> {
    let (word, figure) = text.split_once(' ')?;
    (["settled", "peak", "max"].contains(&word) && is_bare(figure)).then_some((word, figure))
}

/// Whether the entry line reads it, and reads nothing of it as light that was named by the tilt ("flat 196" is no irradiance here).
fn is_reading(text: &str, at: &At<'_>) -> bool {
    !text.contains("flat") && understand(text, &at.meaning(at.current)).is_ok_and(|entry| entry.figures().iter().next().is_some())
}

/// Whether a text is light and temperatures alone.
pub(super) fn is_beside(text: &str, at: &At<'_>) -> bool {
    is_reading(text, at)
        && understand(text, &at.meaning(at.current))
            .is_ok_and(|entry| entry.figures().iter().all(|(quantity, _)| !quantity.is_of_the_panel()))
}

/// "23.8 41 C": a bare figure, and the temperature or light beside it.
fn bare_and_beside(text: &str, at: &At<'_>) -> Option<(String, String)> {
    let spaces = text.match_indices(' ').map(|(at, _)| text.split_at(at));
    let found =
        spaces.map(|(bare, beside)| (bare.trim(), beside.trim())).find(|(bare, beside)| is_bare(bare) && is_beside(beside, at));
    found.map(|(bare, beside)| (bare.to_owned(), beside.to_owned()))
}

/// The figures of a line as one reading; bare ones are of what the last reading was of.
pub(super) fn reading(pieces: &[&str], state: &Conditions, at: &At<'_>) -> Result<Option<Entry>, Unread> {
    if pieces.is_empty() {
        return Ok(None);
    }
    let parted = |text: String| match bare_and_beside(&text, at) {
        Some((bare, beside)) => vec![bare, beside],
        None => vec![text],
    };
    let plain: Vec<String> = pieces.iter().flat_map(|piece| parted(plain(piece))).collect();
    let bare: Vec<&String> = plain.iter().filter(|piece| is_bare(piece) || settled_alone(piece).is_some()).collect();
    let text = if bare.is_empty() {
        plain.join(" ")
    } else if plain.iter().all(|piece| bare.contains(&piece) || is_beside(piece, at)) {
        let Some(last) = at.last else { return Err(Unread::Bare(bare[0].clone())) };
        let beside = plain.iter().filter(|piece| !bare.contains(piece)).map(String::as_str);
        std::iter::once(in_unit_of(&settled_of(&bare), last).as_str()).chain(beside).collect::<Vec<_>>().join(" ")
    } else {
        of_one_unit(&plain, state, at).unwrap_or_else(|| plain.join(" "))
    };
    let text = continued(&text, state, at).or_else(|| volts_of_a_battery(&text)).unwrap_or(text);
    understand(&text, &at.meaning(state))
        .map(Some)
        .map_err(|_| bare.first().map_or_else(|| Unread::Several(text.clone()), |piece| Unread::Bare((*piece).clone())))
}

/// Bare figures one after the other. Where the last is said to be the settled one it counts: with their range where it is the highest,
/// which is how a settled range is kept, and else alone.
fn settled_of(bare: &[&String]) -> String {
    let all = || bare.iter().map(|piece| piece.as_str()).collect::<Vec<_>>().join(" ");
    let Some((figure, before)) = bare.split_last().and_then(|(last, before)| Some((last.strip_prefix("settled ")?, before)))
    else {
        return all();
    };
    let value = |text: &str| Decimal::parse(text).map(Decimal::value).unwrap_or(f64::NAN);
    let others = || before.iter().flat_map(|piece| piece.split([' ', '-'])).filter(|text| !text.is_empty());
    match others().min_by(|a, b| value(a).total_cmp(&value(b))) {
        Some(lowest) if others().all(|other| value(other) <= value(figure)) => format!("settled {lowest}-{figure}"),
        Some(_) | None => format!("settled {figure}"),
    }
}

/// "Battery 13.9": volts, where it can be those of a battery of 12, 24 or 48 V. Into it go amps and watts, which are said to.
fn volts_of_a_battery(text: &str) -> Option<String> {
    let number = text.strip_prefix("battery ").or_else(|| text.strip_prefix("out ")).filter(|number| is_bare(number))?;
    let value = Decimal::parse(number).ok()?.value();
    let is_of_one = [12.0, 24.0, 48.0].iter().any(|nominal_v| (0.85 * nominal_v..=1.25 * nominal_v).contains(&value));
    is_of_one.then(|| format!("out {number} V"))
}

/// Amps after amps into the battery are those again, as bare ones are: "out 5.6 A", then "5.7 A". `None` where something else is read.
fn continued(text: &str, state: &Conditions, at: &At<'_>) -> Option<String> {
    let entry = understand(text, &at.meaning(state)).ok()?;
    let read: Vec<Quantity> = entry.figures().iter().map(|(quantity, _)| quantity).collect();
    let is_again = matches!(
        (&read[..], at.last?),
        ([Quantity::Current], Quantity::OutputCurrent)
            | ([Quantity::Voltage], Quantity::OutputVoltage)
            | ([Quantity::Power], Quantity::OutputPower)
    );
    let says_in = text.split_whitespace().any(|word| word == "in");
    (is_again && !says_in).then(|| format!("out {text}"))
}

/// "155, 154, 156 W", "155 W, 154, 156": a list of which one has a unit is all of that; `None` where more than one quantity is named.
fn of_one_unit(plain: &[String], state: &Conditions, at: &At<'_>) -> Option<String> {
    let with_unit: Vec<&String> = plain.iter().filter(|piece| !is_bare(piece)).collect();
    let [only] = with_unit[..] else { return None };
    let entry = understand(only, &at.meaning(state)).ok()?;
    let of: Vec<Quantity> = entry.figures().iter().map(|(quantity, _)| quantity).collect();
    let [quantity] = of[..] else { return None };
    let number =
        only.split_whitespace().next().filter(|_| only.starts_with(|sign: char| sign.is_ascii_digit() || sign == '.'))?;
    let number = number.trim_end_matches(|sign: char| sign.is_alphabetic());
    let figures: Vec<&str> = plain.iter().map(|piece| if piece == only { number } else { piece.as_str() }).collect();
    figures.iter().all(|figure| is_bare(figure)).then(|| in_unit_of(&figures.join(" "), quantity))
}

/// A bare figure in the words that the entry line reads as a quantity.
fn in_unit_of(text: &str, quantity: Quantity) -> String {
    let (before, unit) = match quantity {
        Quantity::Power => ("", "W"),
        Quantity::Voltage => ("", "V"),
        Quantity::Current => ("", "A"),
        Quantity::Voc => ("Voc", "V"),
        Quantity::Isc => ("Isc", "A"),
        Quantity::OutputCurrent => ("out", "A"),
        Quantity::OutputVoltage => ("out", "V"),
        Quantity::OutputPower => ("out", "W"),
        Quantity::Energy => ("", "Wh"),
        Quantity::Charge => ("", "Ah"),
        Quantity::CheckPower => ("check", "W"),
        Quantity::CheckEnergy => ("check", "Wh"),
        Quantity::Poa | Quantity::Ghi | Quantity::Rear => ("", "W/m2"),
        Quantity::ReferenceCurrent => ("ref", "A"),
        Quantity::ReferencePower => ("ref", "W"),
        Quantity::ReferenceCell => ("ref", "C"),
        Quantity::Cell | Quantity::Back | Quantity::Air => ("", "C"),
        Quantity::Humidity => ("", "%"),
        Quantity::Wind => ("", "m/s"),
    };
    format!("{before} {text} {unit}").trim().to_owned()
}
