//! Lines that can be read in two ways, or of which something is missing: asked about before they are read.

use super::at::{Asked, At};
use super::figures::ends_in_a_figure;
use super::shaded::AS_SHADE;
use crate::decimal::{Decimal, DecimalError};
use crate::record::condition::{differences, panels_of};
use crate::record::language::words;
use crate::record::names::Id;

/// What has to be asked of a line, whatever else it says.
pub(super) fn asked_first(text: &str, at: &At<'_>) -> Option<Asked> {
    two_ways(text)
        .or_else(|| no_figure(text))
        .or_else(|| whose_side(text, at))
        .or_else(|| from_where(text))
        .or_else(|| which_panel(text, at))
        .or_else(|| back_in(text, at))
        .or_else(|| back_or_its_temperature(text, at))
}

/// No cell in the sun is hotter, degrees C. Common practice, no source.
const HOTTEST_BACK_C: f64 = 95.0;

/// "Back 98.2", the figure where the way back to the first state is open.
pub(super) fn back_and_a_figure<'t>(text: &'t str, at: &At<'_>) -> Option<(&'t str, f64)> {
    let (word, figure) = text.trim().split_once(' ')?;
    let value = Decimal::parse(figure.trim()).ok().filter(|_| word.eq_ignore_ascii_case("back"))?.value();
    let is_away = at.states.first().is_some_and(|first| !differences(first, at.current).is_empty());
    (is_away && at.last.is_some()).then_some((figure.trim(), value))
}

/// Whether a figure that follows "back" can be no temperature of a panel's back: then it was read back at the first state.
pub(super) fn is_too_hot(value: f64) -> bool {
    value > HOTTEST_BACK_C
}

/// "Back 44": a figure back at the first state, or the temperature of the panel's back.
fn back_or_its_temperature(text: &str, at: &At<'_>) -> Option<Asked> {
    let (figure, _) = back_and_a_figure(text, at)?;
    let asked = format!("Is {figure} read back at the first state, or the temperature of the panel\u{2019}s back?");
    Some(Asked::new(asked, vec![format!("back: {figure}"), format!("back {figure} C")]))
}

/// "S-1 back in": alone again, or beside what hangs there now.
fn back_in(text: &str, at: &At<'_>) -> Option<Asked> {
    let said: Vec<&str> = text.split_whitespace().collect();
    let (id, count) = at.names.panel_at(&said)?;
    let hangs = panels_of(at.current).unwrap_or_default();
    let is_back = said.get(count).is_some_and(|word| word.eq_ignore_ascii_case("back"));
    let rest = said.get(count + 1..).unwrap_or_default();
    let rest = rest.strip_prefix(&["in"]).or_else(|| rest.strip_prefix(&["on"])).unwrap_or(rest).join(" ");
    let tag = |id: &Id| at.names.tag(id).unwrap_or(id).to_owned();
    let both = hangs.iter().chain([&id]).map(tag).collect::<Vec<_>>().join(" + ");
    let choices = [both, format!("{} alone", tag(&id))].map(|state| format!("{state} {rest}").trim().to_owned()).to_vec();
    let others = hangs.iter().map(tag).collect::<Vec<_>>().join(" and ");
    (is_back && !hangs.is_empty() && !hangs.contains(&id))
        .then(|| Asked::new(format!("Is {} there alone, or beside {others}?", tag(&id)), choices))
}

/// "1,250 W" is 1250 W or 1.25 W: which one has to be asked.
fn two_ways(text: &str) -> Option<Asked> {
    let number = text
        .split_whitespace()
        .map(|word| word.trim_end_matches(|sign: char| !sign.is_ascii_digit()))
        .find(|word| matches!(Decimal::parse(word), Err(DecimalError::ThousandsOrDecimals(_))))?;
    let choices = vec![text.replacen(number, &number.replace(',', ""), 1), text.replacen(number, &number.replace(',', "."), 1)];
    Some(Asked::new(format!("\u{201c}{number}\u{201d} can be read in two ways: which one is it?"), choices))
}

/// "No output", "dead": it may be a reading of nothing.
fn no_figure(text: &str) -> Option<Asked> {
    const NOTHING: [&str; 9] =
        ["nothing", "no output", "no power", "no reading", "dead", "gives nothing", "zilch", "nil", "nothing at all"];
    let is_of_it = NOTHING.contains(&text.to_lowercase().trim_end_matches(['.', '!']));
    let choices = vec!["0 W".to_owned(), "0 V".to_owned(), "0 A".to_owned(), format!("# {text}")];
    is_of_it.then(|| Asked::new("Is that a reading of 0, and of what?", choices))
}

/// "Lathe 30 gives 9.9 A at 13.8 V": what a controller gives goes into the battery, what bare figures of it mean comes from the panels.
fn whose_side(text: &str, at: &At<'_>) -> Option<Asked> {
    const GIVES: [&str; 7] = ["gives", "makes", "delivers", "puts", "outputs", "pushes", "supplies"];
    const SIDES: [&str; 12] =
        ["in", "out", "into", "input", "output", "battery", "batt", "array", "panel", "panels", "string", "load"];
    let said = words(text);
    let has = |list: &[&str]| said.iter().any(|word| list.contains(&word.as_str()));
    let names_gear = at.names.gear.iter().any(|(_, name)| {
        let name = name.to_lowercase();
        said.first().is_some_and(|word| name.split_whitespace().next() == Some(word.as_str()))
    });
    let is_open = names_gear && has(&GIVES) && !has(&SIDES) && ends_in_a_figure(text);
    let verb = said.iter().find(|word| GIVES.contains(&word.as_str()))?;
    let with = |side: &str| text.to_lowercase().replacen(verb.as_str(), side, 1);
    let asked = "Is that what goes into the battery, or what the panels give?";
    is_open.then(|| Asked::new(asked, vec![with(": out"), with(": in")]))
}

/// "10 deg more", "5 degrees steeper": a step from a tilt, which is not said.
fn from_where(text: &str) -> Option<Asked> {
    const STEPS: [&str; 9] = ["more", "less", "steeper", "flatter", "further", "higher", "lower", "extra", "another"];
    const DEGREES: [&str; 4] = ["deg", "degrees", "degree", "\u{b0}"];
    let said = words(text);
    let says_degrees =
        said.iter().any(|word| DEGREES.contains(&word.as_str()) || word.ends_with('\u{b0}') || word.ends_with("deg"));
    let is_step = says_degrees && said.iter().any(|word| STEPS.contains(&word.as_str()));
    is_step.then(|| Asked::new("How many degrees is the tilt now? Say the tilt itself.", Vec::new()))
}

/// "Left panel 150 W": one of two, whose tag was not said, where nothing shades.
fn which_panel(text: &str, at: &At<'_>) -> Option<Asked> {
    const WHICH: [&str; 8] = ["left", "right", "top", "bottom", "upper", "lower", "middle", "other"];
    const PARTS: [&str; 10] = ["half", "third", "quarter", "cell", "cells", "row", "rows", "column", "columns", "corner"];
    let said = words(text);
    let has = |list: &[&str]| said.iter().any(|word| list.contains(&word.as_str()));
    let is_which = said.windows(2).any(|two| WHICH.contains(&two[0].as_str()) && two[1] == "panel");
    let is_shaded = said.iter().any(|word| AS_SHADE.contains(&word.as_str())) || has(&PARTS);
    let choices = at.names.panels.iter().take(4).map(|(_, tag)| tag.clone()).collect();
    (is_which && !is_shaded).then(|| Asked::new("Which panel is that? Say its tag.", choices))
}
