//! Conditions that are likely to be chosen: offered by a plan as its levels, and by an open test as lines that change its state.

use super::condition::Factor;
use super::names::{Id, Names};
use crate::sky::note::SkyNote;

/// More pieces than these are typed.
const MOST_PIECES: usize = 60;

/// Shades that people lay or find on a panel. Common practice, no source.
const SHADES: [&str; 8] = [
    "one cell",
    "bottom row of cells",
    "left column",
    "lower half",
    "strip along the bottom 10 %",
    "band across 20 %",
    "corner 20 %",
    "leaves 30 %",
];

/// Tilts of props and roofs, degrees. Common practice, no source.
const TILTS: [&str; 7] = ["0", "15", "25", "35", "45", "55", "60"];

fn pieces(list: &[(Id, String)]) -> Vec<String> {
    list.iter().map(|(_, name)| name.clone()).take(MOST_PIECES).collect()
}

/// Levels of a plan that varies this factor, as [`super::language::level::level`] reads them.
pub fn levels(factor: Factor, names: &Names) -> Vec<String> {
    let fixed = |list: &[&str]| list.iter().map(|text| (*text).to_owned()).collect();
    match factor {
        Factor::Panel => pieces(&names.panels),
        Factor::Load => pieces(&names.gear),
        Factor::Rig | Factor::Step => pieces(&names.rigs),
        Factor::Shade => fixed(&SHADES),
        Factor::Tilt => fixed(&TILTS),
        Factor::Wiring => fixed(&["series", "parallel", "strings of two", "first alone", "second alone", "both together"]),
        Factor::Face => fixed(&["rear covered", "rear free", "reflector behind", "rear to the sun"]),
        Factor::Covers => fixed(&["first string covered", "second string covered", "third string covered", "one panel covered"]),
        Factor::MeasuredAt => fixed(&["string 1", "string 2", "string 3", "all strings"]),
        Factor::Sky | Factor::Azimuth | Factor::Temperature | Factor::Day => Vec::new(),
    }
}

/// Lines that change this factor of an open test, as [`super::language::work::work`] reads them; empty where it is rather typed.
pub fn lines(factor: Factor, names: &Names) -> Vec<String> {
    match factor {
        Factor::Panel | Factor::Load | Factor::Rig => levels(factor, names),
        Factor::Shade => std::iter::once("no shade").chain(SHADES).map(str::to_owned).collect(),
        Factor::Tilt => {
            let tilts = TILTS.iter().map(|degrees| if *degrees == "0" { "flat".to_owned() } else { format!("tilt {degrees}") });
            tilts.chain(["aimed".to_owned()]).collect()
        }
        Factor::Sky => SkyNote::ALL.iter().map(|note| note.label().to_owned()).collect(),
        Factor::Step
        | Factor::Wiring
        | Factor::Face
        | Factor::Covers
        | Factor::MeasuredAt
        | Factor::Azimuth
        | Factor::Temperature
        | Factor::Day => Vec::new(),
    }
}
