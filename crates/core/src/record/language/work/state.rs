//! Clauses of a line at work as states: panels, tilt, shade, load, wiring, sky, and the way back to an earlier one.

use super::at::At;
use super::phrases::FILLERS;
use super::pose::{azimuth, cooled, is_aimed, rear, tilt, tilt_and_azimuth};
use super::shaded::{AS_PLACE, AS_SHADE, is_free, is_shaded, moved, no_shade, shade};
use crate::measure::quantity::Quantity;
use crate::record::condition::{Condition, Conditions, Factor, MeasuredAt, Value, Wiring, differences, panels_of, shade_of};
use crate::record::language::level;
use crate::record::language::{measured_at, number, words};
use crate::record::names::{Id, Names};
use crate::record::setup::Load;
use crate::sky::note::SkyNote;

/// A clause that was read as a state.
pub(super) enum Said {
    Changes(Conditions, Vec<Factor>),
    Sky(SkyNote),
    Back(usize),
    /// A figure of the reading before, as the entry line reads it.
    SameFigure(String),
    /// Words that carry nothing.
    Nothing,
}

fn stripped(said: &[String]) -> &[String] {
    let is_filler = |word: &String| FILLERS.contains(&word.as_str());
    let from = said.iter().position(|word| !is_filler(word)).unwrap_or(said.len());
    let to = said.iter().rposition(|word| !is_filler(word)).map_or(from, |at| at + 1);
    &said[from..to.max(from)]
}

/// A clause as a state; `None` where it is none.
pub(super) fn state(clause: &str, at: &At<'_>) -> Option<Said> {
    let said = words(clause);
    let own = stripped(&said);
    let text = own.join(" ").replace('\u{2019}', "'");
    if said.is_empty() || text.is_empty() {
        if let Some(back) = as_it_lay(&said, at).or_else(|| so_many_panels(&said, at)) {
            return Some(back);
        }
        // "Again": the same state.
        return (!said.is_empty() && said.iter().all(|word| !["all", "both", "on"].contains(&word.as_str())))
            .then_some(Said::Nothing);
    }
    let one = |factor, condition| Some(Said::Changes(Conditions::from([(factor, condition)]), Vec::new()));
    if let Some(figure) = same_figure(&text, at) {
        return Some(Said::SameFigure(figure));
    }
    if is_the_same(&text) || said.join(" ") == "load on" {
        return Some(Said::Nothing);
    }
    if let Some(said) = so_many_panels(&said, at) {
        return Some(said);
    }
    if let Some(back) = back(&text, at) {
        return Some(Said::Back(back));
    }
    if let Some(sky) = sky(&text).filter(|_| !is_free(&text, at)) {
        return Some(Said::Sky(sky));
    }
    if is_aimed(&said) {
        return Some(Said::Changes(Conditions::from([(Factor::Tilt, Condition::name("aimed"))]), vec![Factor::Azimuth]));
    }
    if let Some(face) = rear(&said) {
        return one(Factor::Face, level::condition(Value::Face(face), at.names));
    }
    if let Some(cooling) = cooled(&said) {
        return one(Factor::Temperature, level::condition(Value::Cooling(cooling), at.names));
    }
    if let Some((tilt_deg, azimuth_deg)) = tilt_and_azimuth(&text) {
        let changes =
            [(Factor::Tilt, tilt_deg), (Factor::Azimuth, azimuth_deg)].map(|(factor, angle)| (factor, Condition::degrees(angle)));
        return Some(Said::Changes(Conditions::from(changes), Vec::new()));
    }
    if let Some(tilt_deg) = tilt(own) {
        return one(Factor::Tilt, Condition::degrees(tilt_deg));
    }
    if let Some(azimuth_deg) = azimuth(&text) {
        return one(Factor::Azimuth, Condition { typed: azimuth_deg.to_string(), value: Value::Degrees(azimuth_deg) });
    }
    if is_free(&text, at) {
        return one(Factor::Shade, no_shade());
    }
    if let Some(rig) = at.names.rig(&text) {
        let changes = Conditions::from([(Factor::Rig, level::condition(Value::Rig(rig), at.names))]);
        return Some(Said::Changes(changes, vec![Factor::Panel, Factor::Wiring]));
    }
    if let Some(load) = load(&text, at.names) {
        return one(Factor::Load, load);
    }
    if let Some(shade) = moved(own, at) {
        return one(Factor::Shade, shade);
    }
    if let Some(changes) = panels(clause, at).or_else(|| taken_out(&said, at)) {
        return Some(changes);
    }
    if let Some(place) = place(&said, &text, at) {
        return one(Factor::MeasuredAt, level::condition(Value::MeasuredAt(place), at.names));
    }
    if let Some(wiring) = wiring(own) {
        return one(Factor::Wiring, wiring);
    }
    if let Some(step) = step(clause, &text) {
        return one(Factor::Step, step);
    }
    shade(clause, own, at).and_then(|shade| one(Factor::Shade, shade))
}

/// Words by which what is not named stays as it is: "S-1 same shade".
fn is_the_same(text: &str) -> bool {
    const SAME: [&str; 22] = [
        "same",
        "same conditions",
        "same light",
        "same panel",
        "same panels",
        "same one",
        "same rig",
        "same load",
        "same set-up",
        "same setup",
        "same tilt",
        "the same",
        "ditto",
        "like that",
        "likewise",
        "same way",
        "same again",
        "same shade",
        "same shadow",
        "same place",
        "same spot",
        "as it is",
    ];
    SAME.contains(&text)
}

/// "back", "back to the first state", "back to B", "B again".
fn back(text: &str, at: &At<'_>) -> Option<usize> {
    let to = text.strip_prefix("back to ").unwrap_or(text);
    // "First S-1" and "cold start" say nothing of the way back.
    let is_said = ["back", "first state", "the first state", "as before", "as it was"].contains(&to)
        || to != text && ["first", "the first", "start", "the start", "the beginning"].contains(&to);
    if is_said && !at.states.is_empty() {
        return (text != "as it was" || at.states.len() > 1).then_some(0);
    }
    // A letter stands alone, so that no unit is taken for it.
    let [letter] = to.as_bytes() else { return None };
    let nth = usize::from(letter.to_ascii_lowercase().checked_sub(b'a')?);
    (text != to && nth < at.states.len()).then_some(nth)
}

/// "Same volts", "amps as before": as they were last read, where they were.
fn same_figure(text: &str, at: &At<'_>) -> Option<String> {
    const UNCHANGED: [&str; 8] =
        [" as before", " unchanged", " the same", " don't move", " do not move", " stay", " steady", " not moving"];
    let after = || UNCHANGED.iter().find_map(|end| text.strip_suffix(end));
    let what = text.strip_prefix("same ").or_else(after)?;
    let meaning = at.meaning(at.current);
    let (quantity, unit) = match what {
        "volts" | "voltage" => (meaning.volts, "V"),
        "amps" | "current" => (meaning.amps, "A"),
        "watts" | "power" => (Quantity::Power, "W"),
        _ => return None,
    };
    let seen = at.latest.get(quantity)?;
    (seen.low == seen.high).then(|| format!("{} {unit}", seen.low))
}

/// "On" after "off": what lay there last, where nothing else has changed since.
fn as_it_lay(said: &[String], at: &At<'_>) -> Option<Said> {
    let [on] = said else { return None };
    let is_of_it = |known: &&Conditions| {
        differences(known, at.current) == [Factor::Shade] && shade_of(known).is_none_or(|patches| !patches.is_empty())
    };
    let shade = at.states.iter().rev().find(is_of_it)?.get(&Factor::Shade)?;
    (on == "on" && !is_shaded(at)).then(|| Said::Changes(Conditions::from([(Factor::Shade, shade.clone())]), Vec::new()))
}

/// "The pair", "both again", "all three": the last state in which so many panels hung.
fn so_many_panels(said: &[String], at: &At<'_>) -> Option<Said> {
    let own: Vec<&str> =
        said.iter().map(String::as_str).filter(|word| !["the", "again", "on", "panels", "now"].contains(word)).collect();
    let count = match own[..] {
        ["pair" | "both"] => 2.0,
        ["all", count] => number::whole_amount(&[count])?,
        _ => return None,
    };
    let has_so_many = |state: &Conditions| panels_of(state).is_some_and(|panels| panels.len() as f64 == count);
    if has_so_many(at.current) {
        return Some(Said::Nothing);
    }
    at.states.iter().rposition(has_so_many).map(Said::Back)
}

fn sky(text: &str) -> Option<SkyNote> {
    const SKIES: [(SkyNote, &[&str]); 5] = [
        (SkyNote::Clear, &["clear sky", "clear", "full sun", "no cloud", "no clouds", "blue sky", "sun full"]),
        (SkyNote::Haze, &["haze", "hazy", "light haze"]),
        (
            SkyNote::ThinCloud,
            &[
                "thin cloud",
                "high thin cloud",
                "thin high cloud",
                "high cloud",
                "thin clouds",
                "veil",
                "cirrus",
                "milky",
                "milky sky",
            ],
        ),
        (
            SkyNote::Broken,
            &[
                "broken cloud",
                "broken clouds",
                "broken",
                "sun and cloud",
                "patchy cloud",
                "patchy clouds",
                "scattered clouds",
                "scattered cloud",
                "sunny spells",
                "sunny intervals",
            ],
        ),
        (SkyNote::Overcast, &["overcast", "fully overcast", "grey sky", "gray sky", "grey", "full cloud"]),
    ];
    SKIES.iter().find(|(_, said)| said.contains(&text)).map(|(note, _)| *note)
}

/// A controller or station by its name or, where only one begins so, its first word; a load tester; a multimeter.
fn load(text: &str, names: &Names) -> Option<Condition> {
    const BEFORE: [&str; 11] = [
        "on the ",
        "straight to ",
        "straight into ",
        "directly to ",
        "directly into ",
        "through ",
        "via ",
        "using ",
        "into ",
        "connected to ",
        "swapped to ",
    ];
    let text = text.strip_suffix(" into the battery").or_else(|| text.strip_suffix(" on the battery")).unwrap_or(text);
    let text = BEFORE.iter().find_map(|before| text.strip_prefix(before)).unwrap_or(text);
    let text = ["the ", "a ", "an "].iter().find_map(|article| text.strip_prefix(article)).unwrap_or(text);
    if let Some(id) = names.gear(text) {
        return Some(level::condition(Value::Gear(id), names));
    }
    let mut begins = names.gear.iter().filter(|(_, name)| {
        let name = name.to_lowercase();
        name.starts_with(&format!("{text} ")) && text.len() > 2
    });
    if let (Some((id, _)), None) = (begins.next(), begins.next()) {
        return Some(level::condition(Value::Gear(id.clone()), names));
    }
    const KINDS: [(Load, &[&str]); 4] = [
        (Load::TrackingController, &["tracking controller", "tracking charge controller", "mppt", "mppt controller"]),
        (Load::PwmController, &["pwm", "pwm controller", "pwm charge controller"]),
        (Load::LoadTester, &["panel tester", "load tester", "tester", "load box", "electronic load"]),
        (Load::MultimeterOnly, &["multimeter", "multimeter only", "meter only"]),
    ];
    let (load, _) = KINDS.iter().find(|(_, said)| said.contains(&text))?;
    Some(Condition { typed: load.label().to_owned(), value: Value::LoadKind(*load) })
}

/// "S-2", "S-1 + S-2 series", "only N-1", "N-1 alone", "V-1 instead", "1+2 series", "S-1 on Lathe 30".
fn panels(clause: &str, at: &At<'_>) -> Option<Said> {
    let spaced = clause.to_lowercase().replace('+', " + ").replace('|', " | ").replace('&', " + ");
    let all: Vec<String> = spaced.split_whitespace().map(|word| word.trim_matches(['(', ')', ',', '.']).to_owned()).collect();
    let all: Vec<&str> = all.iter().map(String::as_str).filter(|word| !word.is_empty()).collect();
    let mut ids: Vec<Id> = Vec::new();
    let mut strings: Vec<Vec<Id>> = vec![Vec::new()];
    let (mut wiring, mut load_words, mut rest): (Option<&str>, Vec<&str>, Vec<&str>) = (None, Vec::new(), Vec::new());
    let mut nth = 0;
    while nth < all.len() {
        let nth_panel = || all[nth].parse::<usize>().ok().and_then(|number| at.rig_panel(number)).cloned();
        let beside_plus = || nth > 0 && all[nth - 1] == "+" || all.get(nth + 1) == Some(&"+");
        let found = at.names.panel_at(&all[nth..]).or_else(|| nth_panel().filter(|_| beside_plus()).map(|id| (id, 1)));
        match (found, all[nth]) {
            (Some((id, count)), _) => {
                strings.last_mut()?.push(id.clone());
                ids.push(id);
                nth += count;
                continue;
            }
            (None, "|") => strings.push(Vec::new()),
            (None, "+") => {}
            (None, word @ ("series" | "parallel" | "alone" | "together")) => wiring = Some(word),
            (None, "on") if nth + 1 < all.len() && !ids.is_empty() => {
                load_words = all[nth + 1..].iter().copied().filter(|word| *word != "the").collect();
                break;
            }
            (None, word)
                if FILLERS.contains(&word)
                    || [
                        "instead",
                        "by",
                        "itself",
                        "swap",
                        "panel",
                        "connected",
                        "hooked",
                        "up",
                        "next",
                        "first",
                        "start",
                        "starting",
                    ]
                    .contains(&word) => {}
            (None, word) => rest.push(word),
        }
        nth += 1;
    }
    if ids.is_empty() || !rest.is_empty() {
        return None;
    }
    let mut changes = Conditions::new();
    let mut without = vec![Factor::Wiring, Factor::Rig];
    if !load_words.is_empty() {
        changes.insert(Factor::Load, load(&load_words.join(" "), at.names)?);
    }
    let typed = ids.iter().map(|id| at.names.tag(id).unwrap_or(id).to_owned()).collect::<Vec<_>>().join(" + ");
    let is_strings = strings.len() > 1;
    match (wiring, ids.len()) {
        (Some("series"), 2..) => {
            changes.insert(Factor::Wiring, Condition { typed: "series".to_owned(), value: Value::Wiring(Wiring::Series) });
        }
        (Some("parallel"), 2..) => {
            changes.insert(Factor::Wiring, Condition { typed: "parallel".to_owned(), value: Value::Wiring(Wiring::Parallel) });
        }
        // One panel is joined to others that are not named.
        (Some("series" | "parallel" | "together"), 1) => return None,
        (_, 2..) if is_strings => {
            let typed =
                strings.iter().map(|one| one.iter().map(|id| at.names.tag(id).unwrap_or(id)).collect::<Vec<_>>().join(" + "));
            let typed = typed.collect::<Vec<_>>().join(" | ");
            changes.insert(Factor::Wiring, Condition { typed, value: Value::Wiring(Wiring::Strings(strings)) });
        }
        _ => {}
    }
    without.retain(|factor| !changes.contains_key(factor));
    changes.insert(Factor::Panel, Condition { typed, value: Value::Panels(ids) });
    Some(Said::Changes(changes, without))
}

/// "Disconnected S-1", "without S-1", "S-1 unplugged", of several that hang there: the others.
fn taken_out(said: &[String], at: &At<'_>) -> Option<Said> {
    const OUT: [&str; 6] = ["disconnected", "unplugged", "without", "removed", "out", "off"];
    let parts: Vec<&str> = said.iter().map(String::as_str).collect();
    let (id, _) = match (at.names.panel_at(&parts), &parts[..]) {
        (Some((id, count)), _) if parts.len() == count + 1 && OUT.contains(&parts[count]) => (id, count),
        (None, [verb, rest @ ..]) if OUT[..4].contains(verb) => {
            at.names.panel_at(rest).filter(|(_, count)| *count == rest.len())?
        }
        _ => return None,
    };
    let hangs = panels_of(at.current).map_or_else(|| at.rig_strings.iter().flatten().cloned().collect(), <[Id]>::to_vec);
    let left: Vec<Id> = hangs.iter().filter(|one| **one != id).cloned().collect();
    if left.is_empty() || left.len() == hangs.len() {
        return None;
    }
    let without = if left.len() == 1 { vec![Factor::Wiring, Factor::Rig] } else { vec![Factor::Rig] };
    Some(Said::Changes(Conditions::from([(Factor::Panel, level::condition(Value::Panels(left), at.names))]), without))
}

/// "String 2", "top string", "both strings"; where a string was read before, "middle" alone too.
fn place(said: &[String], text: &str, at: &At<'_>) -> Option<MeasuredAt> {
    let is_of_strings = at.current.contains_key(&Factor::MeasuredAt);
    // "Together" is how panels are joined, unless strings are being read one by one.
    if text == "together" && !is_of_strings {
        return None;
    }
    let strings = at.strings();
    let bare =
        || measured_at::nth(text, strings).filter(|_| is_of_strings && text.parse::<f64>().is_err()).map(MeasuredAt::String);
    // "Battery 13.9" is a figure of it, and no place.
    let is_place = |place: &MeasuredAt| {
        let is_a_string = matches!(place, MeasuredAt::Together | MeasuredAt::String(_));
        is_a_string || said.iter().any(|word| word == "at" || word == "terminals")
    };
    measured_at::read(&said.join(" "), strings).filter(is_place).or_else(bare)
}

/// "parallel", "rewired in series", "both together", "3 strings of 3".
fn wiring(said: &[String]) -> Option<Condition> {
    const BESIDE: [&str; 8] = ["rewired", "wired", "in", "connected", "strings", "again", "now", "changed"];
    let all: Vec<&str> = said.iter().map(String::as_str).collect();
    if let [strings, "strings" | "string", "of", each] = all[..]
        && let (Some(strings), Some(each)) = (number::whole_amount(&[strings]), number::whole_amount(&[each]))
        && strings.fract() == 0.0
        && each.fract() == 0.0
        && (1.0..=500.0).contains(&each)
    {
        return Some(Condition { typed: said.join(" "), value: Value::Wiring(Wiring::StringsOf(each as usize)) });
    }
    let own: Vec<&str> = all.into_iter().filter(|word| !BESIDE.contains(word)).collect();
    let wiring = match own[..] {
        ["series"] => Wiring::Series,
        ["parallel"] => Wiring::Parallel,
        ["together"] => Wiring::Together,
        _ => return None,
    };
    Some(Condition { typed: own[0].to_owned(), value: Value::Wiring(wiring) })
}

/// "cleaned", or what was said to be a step: "step = thick lead".
fn step(clause: &str, text: &str) -> Option<Condition> {
    const STEPS: [&str; 7] = ["cleaned", "washed", "wiped", "dirty", "uncleaned", "not cleaned", "dusty"];
    if let Some((_, name)) = clause.split_once('=').filter(|(name, _)| name.trim().eq_ignore_ascii_case("step")) {
        return Some(Condition::name(name));
    }
    if STEPS.contains(&text) {
        return Some(Condition::name(text));
    }
    match text {
        "after cleaning" | "after washing" | "after wiping" => return Some(Condition::name("cleaned")),
        "before cleaning" | "before washing" | "before wiping" => return Some(Condition::name("uncleaned")),
        _ => {}
    }
    // "Wiped it down", "cleaned the panel with water": the same step by more words.
    const CLEANED: [&str; 6] = ["cleaned", "washed", "wiped", "rinsed", "brushed", "polished"];
    const BESIDE: [&str; 16] = [
        "it", "the", "panel", "panels", "glass", "down", "off", "with", "water", "cloth", "a", "again", "them", "all", "just",
        "front",
    ];
    let said = words(text);
    let is_of_it = |word: &String| CLEANED.contains(&word.as_str()) || BESIDE.contains(&word.as_str());
    let is_cleaned = said.first().is_some_and(|word| CLEANED.contains(&word.as_str())) && said.iter().all(is_of_it);
    is_cleaned.then(|| Condition::name("cleaned"))
}

/// Whether words name something of a state, so that they may not be passed over.
pub(super) fn speaks_of_a_state(text: &str, at: &At<'_>) -> bool {
    const SPEAKING: [&str; 20] = [
        "panel",
        "panels",
        "free",
        "flat",
        "tilt",
        "tilted",
        "deg",
        "series",
        "parallel",
        "alone",
        "together",
        "off",
        "on",
        "away",
        "instead",
        "string",
        "strings",
        "same",
        "unplugged",
        "plugged",
    ];
    let said = words(text);
    let parts: Vec<&str> = said.iter().map(String::as_str).collect();
    let is_known = |word: &&str| SPEAKING.contains(word) || AS_SHADE.contains(word) && *word != "me" || AS_PLACE.contains(word);
    let names_gear =
        at.names.gear.iter().chain(&at.names.rigs).any(|(_, name)| text.to_lowercase().contains(&name.to_lowercase()));
    parts.iter().any(is_known)
        || names_gear
        || (0..parts.len()).any(|nth| at.names.panel_at(&parts[nth..]).is_some())
        || parts.iter().any(|word| number::read_ordinal(word).is_some())
}
