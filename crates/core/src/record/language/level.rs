//! Conditions and levels, in words: what a run is, factor by factor.

use super::{measured_at, number, shade, whereabouts, words};
use crate::decimal::Decimal;
use crate::panel::shade_description::{ShadeDescription, THROUGH_CARD};
use crate::record::condition::{Condition, Conditions, Cooling, Face, Factor, Value, Wiring};
use crate::record::names::{Id, Names};
use crate::record::setup::Load;
use crate::record::shading::{On, ShadePatch, Shape};
use crate::rig::wiring;
use crate::sky::note::SkyNote;
use crate::units::azimuth_deg;

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

/// A level in words that [`level`] reads as the same, for a plan of this factor.
pub fn write_level(factor: Factor, conditions: &Conditions) -> String {
    let own = conditions.get(&factor).map(|own| own.typed.clone());
    let others = conditions.iter().filter(|(of, _)| **of != factor).map(|(of, one)| format!("{} = {}", of.label(), one.typed));
    own.into_iter().chain(others).collect::<Vec<_>>().join(", ")
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
/// A sentence, where a number cannot be read or is outside its range.
pub fn read(factor: Factor, text: &str, names: &Names) -> Result<Condition, String> {
    let typed = text.trim().to_owned();
    let value = match factor {
        Factor::Panel => names.panels_in(&typed).map(Value::Panels),
        Factor::Rig | Factor::Step => names.rig(&typed).map(Value::Rig),
        Factor::Load => load(&typed, names),
        Factor::Tilt => tilt(&typed)?,
        Factor::Azimuth => azimuth_deg(typed.trim_end_matches('\u{b0}').trim()).map(Value::Degrees),
        Factor::Shade | Factor::Covers => patches(&typed, names)?.map(Value::Shade),
        Factor::Wiring => wired(&typed, names)?.map(Value::Wiring),
        Factor::Face => face(&typed).map(Value::Face),
        Factor::Temperature => cooling(&typed).map(Value::Cooling),
        Factor::Sky => SkyNote::ALL.iter().copied().find(|note| typed.eq_ignore_ascii_case(note.label())).map(Value::Sky),
        Factor::MeasuredAt => measured_at::read(&typed, None).map(Value::MeasuredAt),
        Factor::Day => typed.parse().ok().map(Value::Day),
    };
    Ok(Condition { typed, value: value.unwrap_or(Value::Name) })
}

/// A typed value as a condition, in the words that [`read`] reads as that value. A name of one's own has no value to be written.
pub fn condition(value: Value, names: &Names) -> Condition {
    Condition { typed: write(&value, names), value }
}

fn write(value: &Value, names: &Names) -> String {
    let tag = |id: &Id| names.tag(id).unwrap_or(id).to_owned();
    let known = |list: &[(Id, String)], id: &Id| list.iter().find(|(of, _)| of == id).map_or(id, |(_, name)| name).clone();
    match value {
        Value::Panels(ids) => ids.iter().map(tag).collect::<Vec<_>>().join(" + "),
        Value::Rig(id) => known(&names.rigs, id),
        Value::Gear(id) => known(&names.gear, id),
        Value::LoadKind(load) => load.label().to_owned(),
        Value::Degrees(degrees) => degrees.to_string(),
        Value::Shade(patches) => write_patches(patches, names),
        Value::Wiring(wiring) => write_wiring(wiring, &tag),
        Value::Face(face) => face.label().to_owned(),
        Value::Cooling(cooling) => cooling.label().to_owned(),
        Value::Sky(note) => note.label().to_owned(),
        Value::MeasuredAt(place) => measured_at::write(*place),
        Value::Day(day) => day.to_string(),
        Value::Name => String::new(),
    }
}

/// Words of a condition that say nothing that is computed with, though the rest of it was understood: they are kept as they were typed,
/// and a page tells them.
pub fn unread(factor: Factor, condition: &Condition, names: &Names) -> Vec<String> {
    match (factor, &condition.value) {
        (Factor::Shade | Factor::Covers, Value::Shade(_)) => {
            let said = words(&condition.typed);
            let said: Vec<&str> = said.iter().map(String::as_str).collect();
            let (_, rest) = whereabouts::read(&said, names);
            let is_known = |word: &str| {
                shade::is_known(word) || whereabouts::is_known(word) || number::is_word(word) || word == PLUS || is_figure(word)
            };
            rest.into_iter().filter(|word| !is_known(word)).map(str::to_owned).collect()
        }
        _ => Vec::new(),
    }
}

/// "12.5", "3.4.5" of painted cells, "10cm".
fn is_figure(word: &str) -> bool {
    word.starts_with(|c: char| c.is_ascii_digit())
}

/// Parts several shades of one run.
const PLUS: &str = "plus";

/// Cells painted by hand.
const CELLS: &str = "cells";

/// Reads a shade with the panels it lies on: "band across 20 % on panels 2 and 3", "half of one", "first string covered", "one and a
/// half uncovered", "cells 3.4.5 on S-2", and several of them with "plus" between. `None` where no shape can be made out; an empty list
/// for no shade.
///
/// # Errors
/// As [`shade::read`].
pub fn patches(text: &str, names: &Names) -> Result<Option<Vec<ShadePatch>>, String> {
    let said = words(text);
    let said: Vec<&str> = said.iter().map(String::as_str).collect();
    let mut patches = Vec::new();
    for part in said.split(|word| *word == PLUS) {
        match patch(part, names)? {
            Some(found) => patches.extend(found),
            None => return Ok(None),
        }
    }
    Ok(Some(patches))
}

/// One of them; `Some(None)` for no shade.
fn patch(words: &[&str], names: &Names) -> Result<Option<Option<ShadePatch>>, String> {
    let (on, rest) = whereabouts::read(words, names);
    if let Some(shape) = painted(&rest)? {
        return Ok(Some(Some(ShadePatch { shape, on })));
    }
    const COVERED: [&str; 4] = ["covered", "shaded", "cover", "uncovered"];
    const JOINING: [&str; 5] = ["with", "is", "are", "panel", "panels"];
    let says_covered = rest.iter().any(|word| COVERED.contains(word));
    if rest.iter().all(|word| COVERED.contains(word) || JOINING.contains(word)) {
        let is_placed = on != On::Unsaid && says_covered || matches!(on, On::CoveredStrings(_) | On::Uncovered(_));
        let whole = Shape::Described(ShadeDescription::whole(THROUGH_CARD));
        return Ok(is_placed.then_some(Some(ShadePatch { shape: whole, on })));
    }
    let Some(described) = shade::read(&rest)? else { return Ok(None) };
    Ok(Some((!described.is_none()).then_some(ShadePatch { shape: Shape::Described(described), on })))
}

fn write_patches(patches: &[ShadePatch], names: &Names) -> String {
    if patches.is_empty() {
        return "none".to_owned();
    }
    let one = |patch: &ShadePatch| {
        let place = whereabouts::write(&patch.on, names);
        match (&patch.shape, &patch.on) {
            // "Covered" says the shape with the place.
            (Shape::Described(_), On::CoveredStrings(_) | On::Uncovered(_)) => place,
            (Shape::Described(described), on) if *described == ShadeDescription::whole(THROUGH_CARD) && *on != On::Unsaid => {
                format!("{} {}", place.trim_start_matches("on "), whereabouts::COVERED)
            }
            (Shape::Described(described), _) => format!("{} {place}", shade::write(described)),
            (Shape::Painted { cells, through }, _) => {
                let cells = cells.iter().map(usize::to_string).collect::<Vec<_>>().join(".");
                format!("{CELLS} {cells} {} % through {place}", shade::in_hundredths(*through))
            }
        }
    };
    let texts: Vec<String> = patches.iter().map(|patch| one(patch).split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    texts.join(&format!(" {PLUS} "))
}

/// "Cells 3.4.5", with "20 % through" where light comes through.
fn painted(words: &[&str]) -> Result<Option<Shape>, String> {
    let list = words.iter().position(|word| *word == CELLS).and_then(|at| words.get(at + 1));
    let list = list.filter(|list| list.contains('.') || words.len() <= 2 || words.contains(&"through"));
    let cells: Option<Vec<usize>> = list.and_then(|list| list.split('.').map(|number| number.parse().ok()).collect());
    let Some(cells) = cells else { return Ok(None) };
    Ok(Some(Shape::Painted { cells, through: shade::said_through(words)?.unwrap_or(THROUGH_CARD) }))
}

fn load(text: &str, names: &Names) -> Option<Value> {
    let kind = || {
        let is_it = |load: &Load| text.eq_ignore_ascii_case(load.label()) || text.eq_ignore_ascii_case(load.name());
        Load::ALL.iter().copied().find(is_it)
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

/// Words of a wiring that say how, and how each is written.
const SERIES: &str = "series";
const PARALLEL: &str = "parallel";
const TOGETHER: &str = "together";
const STRINGS: &str = "strings";
const ALONE: &str = "alone";

/// "series", "in parallel", "strings of two", "second alone", "both together", or tags as in "S-1 + S-2 | S-3".
///
/// # Errors
/// A sentence, where strings are said without how many panels each has.
fn wired(text: &str, names: &Names) -> Result<Option<Wiring>, String> {
    let all = words(text);
    let all: Vec<&str> = all.iter().map(String::as_str).collect();
    let has = |word: &str| all.contains(&word);
    if has(ALONE) {
        // A tag first: "N-1 alone" is not the first one.
        let tagged = names.panel(text.to_lowercase().replace(ALONE, "").trim()).map(|id| Wiring::Strings(vec![vec![id]]));
        return Ok(tagged.or_else(|| all.iter().find_map(|word| number::read_ordinal(word)).map(Wiring::Alone)));
    }
    match (has(SERIES), has(PARALLEL), has(STRINGS)) {
        (_, _, true) => {
            let at = all.iter().position(|word| *word == STRINGS).unwrap_or_default();
            let after: Vec<&str> =
                all[at + 1..].iter().copied().filter(|word| *word != "of" && *word != "in" && *word != PARALLEL).collect();
            return match number::whole_amount(&after).filter(|count| count.fract() == 0.0 && (1.0..=500.0).contains(count)) {
                Some(count) => Ok(Some(Wiring::StringsOf(count as usize))),
                None => Err(format!(
                    "\u{201c}{}\u{201d}: say how many panels a string has, such as \u{201c}strings of two\u{201d}.",
                    text.trim()
                )),
            };
        }
        (true, false, false) => return Ok(Some(Wiring::Series)),
        (false, true, false) => return Ok(Some(Wiring::Parallel)),
        (true, true, false) => return Ok(None),
        (false, false, false) if has(TOGETHER) => return Ok(Some(Wiring::Together)),
        (false, false, false) => {}
    }
    let Ok(strings) = wiring::parse(text) else { return Ok(None) };
    let ids = strings.iter().map(|string| string.iter().map(|tag| names.panel(tag)).collect::<Option<Vec<Id>>>());
    Ok(ids.collect::<Option<Vec<_>>>().map(Wiring::Strings))
}

fn write_wiring(wiring: &Wiring, tag: &dyn Fn(&Id) -> String) -> String {
    match wiring {
        Wiring::Together => format!("all {TOGETHER}"),
        Wiring::Series => SERIES.to_owned(),
        Wiring::Parallel => PARALLEL.to_owned(),
        Wiring::StringsOf(count) => format!("{STRINGS} of {count}"),
        Wiring::Alone(nth) => format!("{} {ALONE}", number::write_ordinal(*nth)),
        Wiring::Strings(strings) => match &strings[..] {
            [string] if string.len() == 1 => format!("{} {ALONE}", tag(&string[0])),
            _ => strings
                .iter()
                .map(|string| string.iter().map(tag).collect::<Vec<_>>().join(" + "))
                .collect::<Vec<_>>()
                .join(" | "),
        },
    }
}

/// What a text has to hold for each face: a word of each list. Of several that fit, the first.
const FACES: [(Face, &[&[&str]]); 5] = [
    (Face::Reflector, &[&["reflect"]]),
    (Face::RearFree, &[&["back", "rear"], &["uncovered"]]),
    (Face::RearCovered, &[&["back", "rear"], &["covered", "cover", "blocked"]]),
    (Face::RearToSun, &[&["back", "rear"], &["to the sun", "to sun", "facing", "turned"]]),
    (Face::RearFree, &[&["back", "rear"], &["free", "open"]]),
];

pub(super) fn face(text: &str) -> Option<Face> {
    let lower = text.to_lowercase();
    let holds = |lists: &[&[&str]]| lists.iter().all(|list| list.iter().any(|word| lower.contains(word)));
    FACES.iter().find(|(_, lists)| holds(lists)).map(|(face, _)| *face)
}

/// What a text holds for each cooling.
const COOLINGS: [(Cooling, &[&str]); 2] =
    [(Cooling::Water, &["water", "wet", "sprayed"]), (Cooling::Air, &["fan", "cooled with air"])];

/// Whole texts for none.
const NOT_COOLED: [&str; 3] = ["not cooled", "as it is", "none"];

pub(super) fn cooling(text: &str) -> Option<Cooling> {
    let lower = text.trim().to_lowercase();
    let found = COOLINGS.iter().find(|(_, words)| words.iter().any(|word| lower.contains(word))).map(|(cooling, _)| *cooling);
    found.or_else(|| NOT_COOLED.contains(&lower.as_str()).then_some(Cooling::None))
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

    fn shade(text: &str) -> Option<Vec<ShadePatch>> {
        patches(text, &names()).unwrap()
    }

    #[test]
    fn a_shade_has_a_shape_and_a_place() {
        assert_eq!(shade("none"), Some(Vec::new()));
        assert_eq!(shade("all clear"), Some(Vec::new()));
        assert_eq!(shade("a person before each"), None);
        assert_eq!(shade("cypress at four o'clock"), None);
        let two = shade("left half on panel 1 plus bottom row on S-2").unwrap();
        assert_eq!(
            two.iter().map(|patch| &patch.on).collect::<Vec<_>>(),
            [&On::Numbers(vec![1]), &On::Panels(vec!["id of S-2".into()])]
        );
        let painted = shade("cells 3.4.5 on panel 2 20 % through").unwrap();
        assert_eq!(
            painted,
            [ShadePatch { shape: Shape::Painted { cells: vec![3, 4, 5], through: 0.2 }, on: On::Numbers(vec![2]) }]
        );
    }

    /// What was left aside is told, and a number that is none is refused.
    #[test]
    fn a_word_that_is_not_understood_is_told() {
        let unread = |text: &str| {
            let condition = read(Factor::Shade, text, &names()).unwrap();
            super::unread(Factor::Shade, &condition, &names())
        };
        assert_eq!(unread("bottom row of cells on panel 2"), Vec::<String>::new());
        assert_eq!(unread("band across 20 % grandmothers tablecloth"), ["grandmothers", "tablecloth"]);
        assert_eq!(unread("S-2 left half"), Vec::<String>::new());
        assert_eq!(unread("cypress at four"), Vec::<String>::new(), "a name as a whole");
        assert!(level(Factor::Shade, "umpteen cells", &names()).unwrap_err().contains("umpteen"));
        assert!(level(Factor::Wiring, "strings of many", &names()).unwrap_err().contains("how many"));
    }

    fn tags() -> impl Strategy<Value = Vec<Id>> {
        prop::collection::btree_set(0..6_usize, 1..4)
            .prop_map(|set| set.into_iter().map(|nth| names().panels[nth].0.clone()).collect())
    }

    fn patch_of() -> impl Strategy<Value = ShadePatch> {
        let described = (1..12_usize, 1..1000_u32, 0..100_u32).prop_map(|(pattern, share, through)| {
            Shape::Described(ShadeDescription {
                pattern: crate::panel::shade::Pattern::ALL[pattern],
                size: crate::panel::shade_description::Size::Share(f64::from(share) / 1000.0),
                through: f64::from(through) / 100.0,
                mounting: None,
                side: None,
            })
        });
        let painted = (prop::collection::btree_set(0..60_usize, 1..8), 0..100_u32).prop_map(|(cells, through)| Shape::Painted {
            cells: cells.into_iter().collect(),
            through: f64::from(through) / 100.0,
        });
        let covered = Just(Shape::Described(ShadeDescription::whole(THROUGH_CARD)));
        let on = prop_oneof![
            Just(On::Unsaid),
            Just(On::Each),
            (1..20_usize).prop_map(|number| On::Numbers(vec![number])),
            tags().prop_map(On::Panels),
            (1..9_usize).prop_map(|number| On::Strings(vec![number])),
        ];
        (prop_oneof![described, painted, covered], on).prop_map(|(shape, on)| ShadePatch { shape, on })
    }

    fn valued() -> impl Strategy<Value = (Factor, Value)> {
        prop_oneof![
            tags().prop_map(|ids| (Factor::Panel, Value::Panels(ids))),
            (0..181_u32).prop_map(|halves| (Factor::Tilt, Value::Degrees(f64::from(halves) / 2.0))),
            (0..360_u32).prop_map(|degrees| (Factor::Azimuth, Value::Degrees(f64::from(degrees)))),
            prop::collection::vec(patch_of(), 0..3).prop_map(|patches| (Factor::Shade, Value::Shade(patches))),
            prop_oneof![
                Just(Wiring::Together),
                Just(Wiring::Series),
                Just(Wiring::Parallel),
                (1..30_usize).prop_map(Wiring::StringsOf),
                (1..30_usize).prop_map(Wiring::Alone),
                prop::collection::vec(tags(), 1..4).prop_map(Wiring::Strings),
            ]
            .prop_map(|wiring| (Factor::Wiring, Value::Wiring(wiring))),
            (0..4_usize).prop_map(|nth| (Factor::Face, Value::Face(Face::ALL[nth]))),
            (0..3_usize).prop_map(|nth| (Factor::Temperature, Value::Cooling(Cooling::ALL[nth]))),
            (0..Load::ALL.len()).prop_map(|nth| (Factor::Load, Value::LoadKind(Load::ALL[nth]))),
            Just((Factor::Load, Value::Gear("id of Lathe 30".to_owned()))),
            Just((Factor::Rig, Value::Rig("id of Pump rig".to_owned()))),
            (0..SkyNote::ALL.len()).prop_map(|nth| (Factor::Sky, Value::Sky(SkyNote::ALL[nth]))),
            (1..28_i8).prop_map(|day| (Factor::Day, Value::Day(jiff::civil::date(2026, 6, day)))),
        ]
    }

    /// Shares come back to a billionth: what arithmetic on percent leaves.
    fn is_near(a: &Value, b: &Value) -> bool {
        let of = |value: &Value| serde_json::to_value(value).unwrap();
        near(&of(a), &of(b))
    }

    fn near(a: &serde_json::Value, b: &serde_json::Value) -> bool {
        use serde_json::Value as Json;
        match (a, b) {
            (Json::Number(a), Json::Number(b)) => (a.as_f64().unwrap() - b.as_f64().unwrap()).abs() < 1e-9,
            (Json::Array(a), Json::Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| near(a, b)),
            (Json::Object(a), Json::Object(b)) => {
                a.len() == b.len() && a.iter().all(|(name, a)| b.get(name).is_some_and(|b| near(a, b)))
            }
            (a, b) => a == b,
        }
    }

    proptest! {
        #[test]
        fn a_condition_in_words_is_read_as_that_condition((factor, value) in valued()) {
            let written = condition(value.clone(), &names());
            let read = read(factor, &written.typed, &names()).unwrap();
            prop_assert!(is_near(&read.value, &value), "{}: {:?} {value:?}", written.typed, read.value);
        }

        #[test]
        fn a_level_in_words_is_read_as_that_level(first in valued(), second in valued()) {
            let conditions: Conditions =
                [first, second].into_iter().map(|(factor, value)| (factor, condition(value, &names()))).collect();
            for factor in [*conditions.keys().next().unwrap(), Factor::Step] {
                let text = write_level(factor, &conditions);
                let read = level(factor, &text, &names()).unwrap();
                prop_assert_eq!(read.len(), conditions.len(), "{}", text);
                prop_assert!(read.iter().all(|(of, one)| is_near(&one.value, &conditions[of].value)), "{text}: {read:?}");
            }
        }

        #[test]
        fn no_text_makes_it_panic(text in "\\PC{0,40}") {
            for factor in Factor::ALL {
                let _ = level(*factor, &text, &names());
            }
        }
    }
}
