//! The door of conditions: a condition as a person types it is read here, once, and never again.

use super::condition::{Condition, Conditions, Cooling, Face, Factor, Id, Value, Wiring};
use super::setup::Load;
use super::shading;
use crate::decimal::Decimal;
use crate::rig::wiring;
use crate::sky::note::SkyNote;
use crate::units::azimuth_deg;

/// The tags and names of a bench to which conditions refer, each with its identity.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Names {
    pub panels: Vec<(Id, String)>,
    pub rigs: Vec<(Id, String)>,
    /// Controllers and power stations.
    pub gear: Vec<(Id, String)>,
}

impl Names {
    fn find(list: &[(Id, String)], name: &str) -> Option<Id> {
        let name = name.trim();
        list.iter().find(|(_, known)| known.eq_ignore_ascii_case(name)).map(|(id, _)| id.clone())
    }

    pub fn panel(&self, tag: &str) -> Option<Id> {
        Self::find(&self.panels, tag)
    }

    pub fn rig(&self, name: &str) -> Option<Id> {
        Self::find(&self.rigs, name)
    }

    pub fn gear(&self, name: &str) -> Option<Id> {
        Self::find(&self.gear, name)
    }

    /// Panels of a text: "S-1", "S-1 + S-2", "S-1, S-2 and S-3", "U-1..U-10", "S-1 Saffron 200". `None` where one of them is not here.
    pub fn panels_in(&self, text: &str) -> Option<Vec<Id>> {
        if let Some(id) = self.panel(text) {
            return Some(vec![id]);
        }
        let parts: Vec<&str> = text
            .split(['+', ',', '&', '|'])
            .flat_map(|part| part.split(" and "))
            .map(str::trim)
            .filter(|part| !part.is_empty())
            .collect();
        let mut ids = Vec::new();
        for part in parts {
            match part.split_once("..") {
                Some((first, last)) => {
                    for tag in batch_tags(first.trim(), last.trim())? {
                        ids.push(self.panel(&tag)?);
                    }
                }
                None => ids.push(self.panel(part).or_else(|| self.longest_tag(part))?),
            }
        }
        (!ids.is_empty()).then_some(ids)
    }

    /// The panel whose tag a text begins with: "S-1 Saffron 200".
    fn longest_tag(&self, text: &str) -> Option<Id> {
        let begins = |tag: &str| {
            text.get(..tag.len()).is_some_and(|head| head.eq_ignore_ascii_case(tag))
                && text[tag.len()..].starts_with(char::is_whitespace)
        };
        self.panels.iter().filter(|(_, tag)| begins(tag)).max_by_key(|(_, tag)| tag.len()).map(|(id, _)| id.clone())
    }
}

/// Signs that part the tags of a list, or the conditions of a level.
const LIST_SIGNS: [char; 5] = [';', ',', '+', '|', '='];

/// Whether a text can be the tag of a panel, so that lists and wirings can name it.
///
/// # Errors
/// A sentence: what is wrong with it.
pub fn check_tag(tag: &str) -> Result<(), String> {
    if tag.trim().is_empty() {
        return Err("Enter a tag: what is written on the tape on its back.".to_owned());
    }
    if tag.chars().count() > 40 {
        return Err("This is longer than 40 characters.".to_owned());
    }
    match tag.chars().find(|sign| LIST_SIGNS.contains(sign) || sign.is_control()) {
        Some(sign) => Err(format!("A tag has no \u{201c}{}\u{201d}: it parts the tags of a list.", sign.escape_default())),
        None => Ok(()),
    }
}

/// More pieces than these are not made in one step.
pub const MOST_IN_A_BATCH: u32 = 200;

/// The tags from "U-1" to "U-10": the same words before a number that rises. `None` for anything else.
pub fn batch_tags(first: &str, last: &str) -> Option<Vec<String>> {
    let split = |tag: &str| {
        let head = tag.trim_end_matches(|c: char| c.is_ascii_digit());
        let number: u32 = tag[head.len()..].parse().ok()?;
        Some((head.to_owned(), number, tag.len() - head.len()))
    };
    let ((head, from, width), (other, to, _)) = (split(first)?, split(last)?);
    let is_batch = head.eq_ignore_ascii_case(&other) && from <= to && to - from < MOST_IN_A_BATCH;
    // "U-01" keeps its zero.
    is_batch.then(|| (from..=to).map(|number| format!("{head}{number:0width$}")).collect())
}

/// Reads a level: the value of the plan's own factor, and after a comma more of `factor = value`.
///
/// "20" for a plan of tilts; "12,5" too, since a comma parts two conditions only before a `factor =`; "20, load = Gimlet 20" changes
/// two things.
///
/// # Errors
/// A sentence: which part cannot be read, and what is allowed.
pub fn level(factor: Factor, text: &str, names: &Names) -> Result<Conditions, String> {
    let mut conditions = Conditions::new();
    for part in parts(text).into_iter().map(str::trim).filter(|part| !part.is_empty() && *part != ",") {
        let (of, value) = match part.split_once('=') {
            None => (factor, part.trim_matches(',').trim()),
            Some((name, value)) => {
                let of = Factor::named(name).ok_or_else(|| {
                    let known: Vec<&str> = Factor::ALL.iter().map(|factor| factor.label()).collect();
                    format!("\"{}\" is not one of {}.", name.trim(), known.join(", "))
                })?;
                (of, value.trim())
            }
        };
        if value.is_empty() {
            return Err(format!("\"{part}\" says nothing after the =."));
        }
        if conditions.insert(of, read(of, value, names)?).is_some() {
            return Err(format!("\"{text}\" says the {} twice.", of.label()));
        }
    }
    if conditions.is_empty() { Err("A level is empty.".to_owned()) } else { Ok(conditions) }
}

/// A text at the commas that stand before a `word =`.
fn parts(text: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut start = 0;
    for (comma, _) in text.match_indices(',') {
        let after = &text[comma + 1..];
        let word = after.split('=').next().unwrap_or_default();
        let names_a_factor = after.contains('=') && word.split_whitespace().count() == 1 && !word.contains(',');
        if names_a_factor {
            parts.push(&text[start..comma]);
            start = comma + 1;
        }
    }
    parts.push(&text[start..]);
    parts
}

/// Reads one condition. What it cannot be typed as stays a name.
///
/// # Errors
/// A sentence, where a number is outside its range.
pub fn read(factor: Factor, text: &str, names: &Names) -> Result<Condition, String> {
    let typed = text.trim().to_owned();
    let value = match factor {
        Factor::Panel => names.panels_in(&typed).map(Value::Panels),
        Factor::Rig => names.rig(&typed).map(Value::Rig),
        Factor::Step => names.rig(&typed).map(Value::Rig),
        Factor::Load => load(&typed, names),
        Factor::Tilt => tilt(&typed)?,
        Factor::Azimuth => azimuth_deg(typed.trim_end_matches('\u{b0}').trim()).map(Value::Degrees),
        Factor::Shade | Factor::Covers => shading::read(&typed, names).map(Value::Shade),
        Factor::Wiring => wired(&typed, names).map(Value::Wiring),
        Factor::Face => face(&typed).map(Value::Face),
        Factor::Temperature => cooling(&typed).map(Value::Cooling),
        Factor::Sun => SkyNote::ALL.iter().copied().find(|note| typed.eq_ignore_ascii_case(note.label())).map(Value::Sky),
        Factor::Day => typed.parse().ok().map(Value::Day),
    };
    Ok(Condition { typed, value: value.unwrap_or(Value::Name) })
}

fn load(text: &str, names: &Names) -> Option<Value> {
    let kind = || {
        let lower = text.to_lowercase();
        Load::ALL.iter().copied().find(|load| lower == load.label() || lower == load.name())
    };
    names.gear(text).map(Value::Gear).or_else(|| kind().map(Value::LoadKind))
}

/// Degrees from horizontal: "20", "12,5\u{b0}", "20 deg from flat"; "flat" is 0.
fn tilt(text: &str) -> Result<Option<Value>, String> {
    let Some(tilt_deg) = degrees(text) else { return Ok(None) };
    if (0.0..=90.0).contains(&tilt_deg) {
        Ok(Some(Value::Degrees(tilt_deg)))
    } else {
        Err(format!("Tilt: {tilt_deg} is outside 0 to 90 \u{b0} from horizontal."))
    }
}

/// Degrees at the head of a text; "flat" and "horizontal" are 0.
pub fn degrees(text: &str) -> Option<f64> {
    let text = text.trim();
    let lower = text.to_lowercase();
    if lower.starts_with("flat") || lower.starts_with("horizontal") {
        return Some(0.0);
    }
    let end = text.find(|c: char| !(c.is_ascii_digit() || ".,-".contains(c))).unwrap_or(text.len());
    Decimal::parse(&text[..end]).ok().map(Decimal::value)
}

/// "series", "in parallel", "strings of two", "second alone", "both together", or tags as in "S-1 + S-2 | S-3".
fn wired(text: &str, names: &Names) -> Option<Wiring> {
    let lower = text.to_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
    let has = |word: &str| words.contains(&word);
    if has("alone") {
        // A tag first: "N-1 alone" is not the first one.
        let tagged = names.panel(lower.replace("alone", "").trim()).map(|id| Wiring::Strings(vec![vec![id]]));
        return tagged.or_else(|| words.iter().find_map(|word| shading::nth(word)).map(Wiring::Alone));
    }
    match (has("series"), has("parallel"), has("strings")) {
        (_, _, true) => {
            return words.iter().find_map(|word| shading::count(word)).map(|count| Wiring::StringsOf(count.max(1.0) as usize));
        }
        (true, false, false) => return Some(Wiring::Series),
        (false, true, false) => return Some(Wiring::Parallel),
        (true, true, false) => return None,
        (false, false, false) if has("together") => return Some(Wiring::Together),
        (false, false, false) => {}
    }
    let strings = wiring::parse(text).ok()?;
    let ids = strings.iter().map(|string| string.iter().map(|tag| names.panel(tag)).collect::<Option<Vec<Id>>>());
    ids.collect::<Option<Vec<_>>>().map(Wiring::Strings)
}

fn face(text: &str) -> Option<Face> {
    let lower = text.to_lowercase();
    let has = |words: &[&str]| words.iter().any(|word| lower.contains(word));
    match () {
        () if has(&["reflect"]) => Some(Face::Reflector),
        () if has(&["back", "rear"]) && has(&["covered", "cover", "blocked"]) => Some(Face::RearCovered),
        () if has(&["back", "rear"]) && has(&["to the sun", "to sun", "facing", "turned"]) => Some(Face::RearToSun),
        () if has(&["back", "rear"]) && has(&["free", "open", "uncovered"]) => Some(Face::RearFree),
        () => None,
    }
}

fn cooling(text: &str) -> Option<Cooling> {
    let lower = text.to_lowercase();
    match () {
        () if lower.contains("water") || lower.contains("wet") || lower.contains("sprayed") => Some(Cooling::Water),
        () if lower.contains("fan") || lower.contains("cooled with air") => Some(Cooling::Air),
        () if lower == "as it is" || lower == "not cooled" || lower == "none" => Some(Cooling::None),
        () => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn names() -> Names {
        let named = |name: &str| (format!("id of {name}"), name.to_owned());
        Names {
            panels: ["S-1", "S-2", "S-12", "U-1", "U-2", "U-3"].map(named).to_vec(),
            rigs: vec![named("Pump rig")],
            gear: vec![named("Lathe 30")],
        }
    }

    fn value(factor: Factor, text: &str) -> Value {
        read(factor, text, &names()).unwrap().value
    }

    #[test]
    fn what_is_wrong_with_a_level_is_said() {
        let level = |text| level(Factor::Tilt, text, &names());
        assert!(level(" , ").unwrap_err().contains("empty"));
        assert!(level("20, moon = full").unwrap_err().contains("\"moon\" is not one of panel"));
        assert!(level("20, tilt = 30").unwrap_err().contains("twice"));
        assert!(level("load =").unwrap_err().contains("nothing after"));
        assert!(level("95").unwrap_err().contains("outside 0 to 90"));
        assert!(level("90").is_ok() && level("0").is_ok() && level("-0,1").is_err());
    }

    #[test]
    fn a_comma_is_a_decimal_mark_or_part_of_a_name_and_parts_two_conditions_only_before_a_factor() {
        let of = |factor, text| level(factor, text, &names()).unwrap();
        assert_eq!(of(Factor::Tilt, "12,5")[&Factor::Tilt].value, Value::Degrees(12.5));
        assert_eq!(of(Factor::Step, "cleaned, then dried")[&Factor::Step], Condition::name("cleaned, then dried"));
        let both = of(Factor::Tilt, "12,5, load = Lathe 30");
        assert_eq!((both.len(), &both[&Factor::Load].value), (2, &Value::Gear("id of Lathe 30".into())));
        assert!(matches!(&of(Factor::Covers, "strip along the bottom, lying")[&Factor::Covers].value, Value::Shade(_)));
    }

    #[test]
    fn panels_are_known_by_their_tags() {
        let ids = |tags: &[&str]| Value::Panels(tags.iter().map(|tag| format!("id of {tag}")).collect());
        assert_eq!(value(Factor::Panel, "s-1"), ids(&["S-1"]));
        assert_eq!(value(Factor::Panel, "S-12 Saffron 200"), ids(&["S-12"]));
        assert_eq!(value(Factor::Panel, "S-1 + S-2"), ids(&["S-1", "S-2"]));
        assert_eq!(value(Factor::Panel, "U-1..U-3"), ids(&["U-1", "U-2", "U-3"]));
        assert_eq!(value(Factor::Panel, "used panel"), Value::Name);
        assert_eq!(value(Factor::Panel, "U-1..U-9"), Value::Name);
        assert_eq!(batch_tags("U-08", "U-11").unwrap(), ["U-08", "U-09", "U-10", "U-11"]);
        assert_eq!((batch_tags("U-1", "V-3"), batch_tags("U-3", "U-1"), batch_tags("U-1", "U-900")), (None, None, None));
    }

    #[test]
    fn wirings_faces_and_loads_are_typed() {
        for (text, wiring) in [
            ("series", Wiring::Series),
            ("all in parallel", Wiring::Parallel),
            ("strings of two", Wiring::StringsOf(2)),
            ("second alone", Wiring::Alone(2)),
            ("both together", Wiring::Together),
            ("S-1 | S-2", Wiring::Strings(vec![vec!["id of S-1".into()], vec!["id of S-2".into()]])),
        ] {
            assert_eq!(value(Factor::Wiring, text), Value::Wiring(wiring), "{text}");
        }
        assert_eq!(value(Factor::Wiring, "crosswise"), Value::Name);
        assert_eq!(value(Factor::Face, "back covered"), Value::Face(Face::RearCovered));
        assert_eq!(value(Factor::Face, "back free"), Value::Face(Face::RearFree));
        assert_eq!(value(Factor::Load, "load tester"), Value::LoadKind(Load::LoadTester));
        assert_eq!(value(Factor::Temperature, "cooled with water"), Value::Cooling(Cooling::Water));
        assert_eq!(value(Factor::Azimuth, "SSW"), Value::Degrees(202.5));
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic(text in "\\PC{0,40}") {
            for factor in Factor::ALL {
                let _ = level(*factor, &text, &names());
            }
        }
    }
}
