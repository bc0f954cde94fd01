//! Clauses of a line at work that say how a panel stands: its tilt, where it faces, its rear, and what cools it.

use crate::decimal::Decimal;
use crate::record::condition::{Cooling, Face};
use crate::record::language::level::{self, degrees};
use crate::units::azimuth_deg;

/// "flat", "lying flat on the ground", "tilt 35", "tilted to 35", "35 deg", "35\u{b0}".
pub(super) fn tilt(said: &[String]) -> Option<f64> {
    const BESIDE_FLAT: [&str; 24] = [
        "flat",
        "lying",
        "laid",
        "lay",
        "on",
        "the",
        "ground",
        "roof",
        "down",
        "lowered",
        "panel",
        "panels",
        "horizontal",
        "grass",
        "table",
        "bench",
        "floor",
        "lawn",
        "deck",
        "sand",
        "concrete",
        "its",
        "back",
        "left",
    ];
    const BESIDE_UPRIGHT: [&str; 12] =
        ["upright", "vertical", "stood", "standing", "stands", "against", "the", "a", "wall", "fence", "on", "edge"];
    let is_upright = said.iter().any(|word| ["upright", "vertical"].contains(&word.as_str()));
    if is_upright && said.iter().all(|word| BESIDE_UPRIGHT.contains(&word.as_str())) {
        return Some(90.0);
    }
    let is_flat = said.iter().any(|word| ["flat", "horizontal", "lowered"].contains(&word.as_str()));
    // "Lowered" alone goes all the way down, as no angle was said.
    if is_flat && said.iter().all(|word| BESIDE_FLAT.contains(&word.as_str())) {
        return Some(0.0);
    }
    const TILTED: [&str; 15] = [
        "tilt", "tilted", "raised", "raise", "lifted", "lift", "angle", "angled", "propped", "prop", "leaning", "leant",
        "inclined", "sloped", "steep",
    ];
    const UNITS: [&str; 8] = ["deg", "degrees", "degree", "\u{b0}", "hole", "notch", "bar", "peg"];
    let says_tilt = said.iter().any(|word| TILTED.contains(&word.as_str()));
    let mut figure = None;
    let mut says_degrees = false;
    for word in said {
        let word = word.as_str();
        if TILTED.contains(&word) || ["to", "at", "up", "from", "flat"].contains(&word) {
            continue;
        }
        if UNITS.contains(&word) {
            says_degrees = true;
            continue;
        }
        let digits = word.trim_end_matches("deg").trim_end_matches('\u{b0}');
        says_degrees |= digits.len() < word.len();
        if figure.is_some() || !digits.starts_with(|sign: char| sign.is_ascii_digit()) {
            return None;
        }
        figure = Some(degrees(digits).filter(|_| Decimal::parse(digits).is_ok())?);
    }
    figure.filter(|tilt_deg| (says_tilt || says_degrees) && (0.0..=90.0).contains(tilt_deg))
}

/// Square to the sun, by whatever words.
pub(super) fn is_aimed(said: &[String]) -> bool {
    const AIMED: [&str; 13] = [
        "aimed",
        "aiming",
        "pointed",
        "pointing",
        "square",
        "perpendicular",
        "straight",
        "dead",
        "tracking",
        "following",
        "followed",
        "normal",
        "facing",
    ];
    const BESIDE: [&str; 13] =
        ["at", "to", "on", "the", "sun", "by", "hand", "right", "exactly", "directly", "panel", "again", "now"];
    let names_the_sun = said.iter().any(|word| word == "sun");
    let is_of_it = |word: &String| AIMED.contains(&word.as_str()) || BESIDE.contains(&word.as_str());
    let is_named = |word: &String| AIMED.contains(&word.as_str());
    // "Straight", "facing" and "dead" alone say nothing yet of the sun; "aimed" and "dead on" do.
    let says_it = said.iter().any(|word| word == "aimed") || said.windows(2).any(|two| two[0] == "dead" && two[1] == "on");
    said.iter().all(is_of_it) && said.iter().any(is_named) && (names_the_sun || says_it)
}

/// "south", "facing south-west", "azimuth 200".
pub(super) fn azimuth(text: &str) -> Option<f64> {
    const BEFORE: [&str; 26] = [
        "turned it to the ",
        "turned it to ",
        "turned it ",
        "swung it to the ",
        "swung it ",
        "rotated it to the ",
        "rotated it to ",
        "pointed it ",
        "facing ",
        "faces ",
        "azimuth ",
        "turned to the ",
        "turned to ",
        "turned ",
        "pointed to the ",
        "pointed ",
        "pointing to the ",
        "pointing ",
        "looking to the ",
        "looking ",
        "swung to the ",
        "swung ",
        "rotated to the ",
        "rotated to ",
        "to the ",
        "due ",
    ];
    if let Some(bearing) = ["facing ", "azimuth ", "turned to "].iter().find_map(|before| text.strip_prefix(before)) {
        let number = bearing.trim_end_matches("degrees").trim_end_matches("deg").trim_end_matches('\u{b0}').trim();
        if let Some(azimuth_deg) = number.parse::<f64>().ok().filter(|degrees| (0.0..360.0).contains(degrees)) {
            return Some(azimuth_deg);
        }
    }
    let said = BEFORE.iter().find_map(|before| text.strip_prefix(before));
    let rest = said.unwrap_or(text);
    let is_compass =
        ["north", "south", "east", "west"].iter().any(|point| rest.contains(point)) && rest.split_whitespace().count() <= 2;
    // "SSW" alone may be anything; "turned to SSW" is a direction.
    let is_short = said.is_some() && (1..=3).contains(&rest.len()) && rest.chars().all(|sign| "nesw".contains(sign));
    (is_compass || is_short || text.starts_with("azimuth ")).then(|| azimuth_deg(rest))?
}

/// "45 facing east": an angle and a direction.
pub(super) fn tilt_and_azimuth(text: &str) -> Option<(f64, f64)> {
    let (angle, direction) = text.split_once(" facing ")?;
    let tilt_deg = Decimal::parse(angle.trim_end_matches(['\u{b0}', ' '])).ok()?.value();
    let azimuth_deg = azimuth_deg(direction)?;
    (0.0..=90.0).contains(&tilt_deg).then_some((tilt_deg, azimuth_deg))
}

/// "Back covered with cardboard", "rear free", "reflector behind it": the face that is away from the sun.
pub(super) fn rear(said: &[String]) -> Option<Face> {
    // "Back cover off" is no way back to the first state.
    let said: Vec<String> = match said.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        [side @ ("back" | "rear"), "cover" | "covering", "off" | "away" | "gone"] => {
            vec![side.to_owned(), "uncovered".to_owned()]
        }
        [side @ ("back" | "rear"), "cover" | "covering", "on"] => vec![side.to_owned(), "covered".to_owned()],
        _ => said.to_vec(),
    };
    const BESIDE: [&str; 26] = [
        "back",
        "rear",
        "covered",
        "cover",
        "blocked",
        "uncovered",
        "free",
        "open",
        "reflector",
        "reflecting",
        "reflective",
        "with",
        "the",
        "a",
        "of",
        "panel",
        "panels",
        "cardboard",
        "card",
        "sheet",
        "cloth",
        "behind",
        "it",
        "white",
        "side",
        "again",
    ];
    let is_of_it = |word: &String| BESIDE.contains(&word.as_str());
    let has = |word: &str| said.iter().any(|own| own == word);
    let is_behind = has("behind") && has("white") && (has("sheet") || has("cardboard") || has("card") || has("cloth"));
    if is_behind && said.iter().all(is_of_it) {
        return Some(Face::Reflector);
    }
    level::face(&said.join(" ")).filter(|_| said.iter().all(is_of_it))
}

/// "Water on the back", "sprayed", "fan on it", "dry again".
pub(super) fn cooled(said: &[String]) -> Option<Cooling> {
    const BESIDE: [&str; 30] = [
        "water", "wet", "wetted", "sprayed", "spraying", "poured", "cold", "hose", "hosed", "with", "on", "the", "back", "rear",
        "panel", "panels", "it", "over", "from", "behind", "fan", "blowing", "air", "cooled", "cooling", "by", "of", "glass",
        "running", "down",
    ];
    let is_of_it = |word: &String| BESIDE.contains(&word.as_str());
    let text = said.join(" ").replace("spraying", "sprayed").replace("hosed", "sprayed");
    if ["dry", "dry again", "dried", "dried off", "not cooled", "fan off", "water off"].contains(&text.as_str()) {
        return Some(Cooling::None);
    }
    level::cooling(&text).filter(|_| said.iter().all(is_of_it))
}
