//! Lines as they are typed at work: what changed, what was read; and that what is not understood is asked about, never guessed. All lines are
//! invented.
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::record::beside::Beside;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, differences};
use flindo_core::record::language::level::level;
use flindo_core::record::language::work::{Asked, At, Understood, WorkEvent, work};
use flindo_core::record::likely;
use flindo_core::record::names::Names;
use flindo_core::record::setup::Setup;
use flindo_core::sky::note::SkyNote;
use proptest::prelude::*;

fn names() -> Names {
    let of = |names: &[&str]| names.iter().map(|name| (name.to_lowercase(), (*name).to_owned())).collect();
    Names {
        panels: of(&["S-1", "S-2", "N-1", "U-1"]),
        rigs: of(&["Pump rig", "Yard rig", "Shed rig"]),
        gear: of(&["Lathe 30", "Gimlet 20", "Gimlet 40"]),
    }
}

fn unshaded(tag: &str) -> Conditions {
    Conditions::from([
        (Factor::Panel, Condition { typed: tag.to_owned(), value: Value::Panels(vec![tag.to_lowercase()]) }),
        (Factor::Shade, Condition { typed: "none".to_owned(), value: Value::Shade(Vec::new()) }),
    ])
}

/// A session of lines; the last one's answer.
pub fn typed(lines: &[&str]) -> Result<Understood, Asked> {
    let names = names();
    let rig_panels = ["s-1", "s-2", "n-1"].map(|id| vec![id.to_owned()]);
    let rig = |id: &str, panels: &[&str]| (id.to_owned(), panels.iter().map(|id| (*id).to_owned()).collect::<Vec<_>>());
    let rigs = [rig("pump rig", &["s-1", "s-2", "n-1"]), rig("yard rig", &["u-1"]), rig("shed rig", &["n-1"])];
    let mut visited: Vec<Conditions> = Vec::new();
    let mut current = unshaded("S-1");
    let mut states: Vec<Conditions> = Vec::new();
    let mut last = None;
    let mut latest = Figures::default();
    let mut answer = None;
    for line in lines {
        let at = At {
            names: &names,
            states: &states,
            current: &current,
            rig_strings: &rig_panels,
            beside: Beside { rigs: &rigs, visited: &visited },
            last,
            latest: &latest,
            turn: None,
            setup: Setup::default(),
        };
        let understood = work(line, &at);
        if let Ok(understood) = &understood {
            current = understood.state.clone();
            visited.push(current.clone());
            if understood.reading.is_some() && !states.iter().any(|known| differences(known, &current).is_empty()) {
                states.push(current.clone());
            }
            understood.figures().iter().for_each(|(quantity, seen)| latest.set(quantity, *seen));
            let read: Vec<Quantity> =
                understood.figures().iter().map(|(quantity, _)| quantity).filter(|one| one.is_of_the_panel()).collect();
            last = match read[..] {
                [] => last,
                [only] => Some(only),
                _ => None,
            };
        }
        answer = Some(understood);
    }
    answer.unwrap()
}

/// Changes by factor and in words; figures by quantity, from and to.
pub type Said = (Vec<(&'static str, String)>, Vec<(&'static str, f64, f64)>);

pub fn said(lines: &[&str]) -> Said {
    let understood = typed(lines).unwrap_or_else(|asked| panic!("{lines:?}: {asked}"));
    let changes = understood.changes.iter().map(|(factor, one)| (factor.name(), one.typed.clone())).collect();
    let figures = understood.figures().iter().map(|(quantity, seen)| (quantity.name(), seen.low, seen.high)).collect();
    (changes, figures)
}

pub fn is_asked(lines: &[&str]) {
    let answer = typed(lines);
    assert!(answer.is_err(), "{lines:?}: {answer:?}");
}

#[test]
fn a_state_and_a_figure_in_one_line() {
    for (line, factor, text, quantity, low, high) in [
        ("flat: 78 W", "tilt_deg", "0", "power_w", 78.0, 78.0),
        ("flat 78 W", "tilt_deg", "0", "power_w", 78.0, 78.0),
        ("tilted to 35: 98,5 W", "tilt_deg", "35", "power_w", 98.5, 98.5),
        ("42\u{b0} 101 W", "tilt_deg", "42", "power_w", 101.0, 101.0),
        ("facing south-west: 61 W", "azimuth_deg", "225", "power_w", 61.0, 61.0),
        ("N-1 alone 86.3 W", "panel", "N-1", "power_w", 86.3, 86.3),
        ("u-1 instead: 151 to 153 W", "panel", "U-1", "power_w", 151.0, 153.0),
        ("gimlet 20: out 7.2 A", "load", "Gimlet 20", "output_current_a", 7.2, 7.2),
        ("lathe, 4.4 A into the battery", "load", "Lathe 30", "output_current_a", 4.4, 4.4),
        ("left half shaded 66 W", "shade", "left half shaded", "power_w", 66.0, 66.0),
        ("towel across panel 2: 31 W", "shade", "towel across panel 2", "power_w", 31.0, 31.0),
        ("2 cells 1.29 A", "shade", "2 cells", "current_a", 1.29, 1.29),
        ("cleaned: 190 W", "step", "cleaned", "power_w", 190.0, 190.0),
        ("string 2 6.9 A", "measured_at", "string 2", "current_a", 6.9, 6.9),
        ("top string 6.9 A", "measured_at", "string 1", "current_a", 6.9, 6.9),
        ("42 hole: 101 W", "tilt_deg", "42", "power_w", 101.0, 101.0),
        ("roof edge half dark: 12 W", "shade", "roof edge half dark", "power_w", 12.0, 12.0),
        ("multimeter, voc 22.1", "load", "multimeter only (Voc and Isc)", "voc_v", 22.1, 22.1),
    ] {
        let (changes, figures) = said(&[line]);
        assert_eq!(changes, [(factor, text.to_owned())], "{line}");
        assert_eq!(figures, [(quantity, low, high)], "{line}");
    }
}

#[test]
fn a_line_can_change_several_things() {
    let (changes, figures) = said(&["S-1 + S-2 series, flat, lathe 30"]);
    let factors: Vec<&str> = changes.iter().map(|(factor, _)| *factor).collect();
    assert_eq!((factors, figures.len()), (vec!["panel", "tilt_deg", "wiring", "load"], 0));
    assert_eq!(said(&["n-1 flat on the ground"]).0.len(), 2);
    // The panels of the rig by their numbers, and a figure with its own unit.
    assert_eq!(said(&["1+2 series: 144 W"]).0[0], ("panel", "S-1 + S-2".to_owned()));
    let dark = said(&["dark at the far end N-1 12 W"]).0;
    assert_eq!(dark, [("panel", "N-1".to_owned()), ("shade", "dark at the far end".to_owned())]);
    let understood = typed(&["flat, hazy: 71 W"]).unwrap();
    assert_eq!((understood.sky, understood.changes.len()), (Some(SkyNote::Haze), 1));
}

#[test]
fn bare_figures_take_what_the_last_reading_was_of() {
    assert_eq!(said(&["78 W", "flat: 61"]).1, [("power_w", 61.0, 61.0)]);
    assert_eq!(said(&["out 7,2 A", "tilt 40", "7.4 - 7.5"]).1, [("output_current_a", 7.4, 7.5)]);
    assert_eq!(said(&["voc 22.1", "settled 22.3"]).1, [("voc_v", 22.3, 22.3)]);
    // Of nothing, or of one of several, a bare figure can be anything.
    is_asked(&["flat: 196"]);
    is_asked(&["18.4 V 5.6 A", "flat: 17.9"]);
    let Err(asked) = typed(&["flat: 196"]) else { panic!("asked") };
    assert!(asked.choices.contains(&"flat: 196 W".to_owned()), "{asked:?}");
    assert_eq!(said(&[asked.choices[0].as_str()]).1, [("power_w", 196.0, 196.0)]);
    // Volts into a multimeter alone are open ones, whatever the test was begun with.
    assert_eq!(said(&["multimeter", "22.4 V"]).1, [("voc_v", 22.4, 22.4)]);
}

#[test]
fn back_is_an_earlier_state() {
    let of = |lines: &[&str]| typed(lines).unwrap();
    let begun = ["98 W", "flat: 78", "tilt 50: 90"];
    let back = of(&[&begun[..], &["back: 97"]].concat());
    assert_eq!((back.event, back.state == unshaded("S-1")), (Some(WorkEvent::RepeatState), true));
    let flat = of(&[&begun[..], &["back to B: 77"]].concat());
    assert_eq!(flat.state[&Factor::Tilt].value, Value::Degrees(0.0));
    let again = of(&[&begun[..], &["flat again: 77"]].concat());
    assert_eq!((again.event, again.state == flat.state), (Some(WorkEvent::RepeatState), true));
    // What lay on it is off: the first state.
    let off = of(&["98 W", "towel over half of it: 40", "towel off: 97"]);
    assert_eq!((off.event, off.changes.len()), (Some(WorkEvent::RepeatState), 1));
}

#[test]
fn corrections_notes_and_words_of_the_work() {
    let event = |line: &str| typed(&["61 W", line]).unwrap().event;
    for (line, is) in [
        ("no, 69", WorkEvent::Correction),
        ("I mean 69", WorkEvent::Correction),
        ("69 sorry", WorkEvent::Correction),
        ("cloud", WorkEvent::Cloud),
        ("undo", WorkEvent::Undo),
        ("ditto", WorkEvent::RepeatValue),
        ("duct tape on the frame", WorkEvent::Note),
        ("windy up here", WorkEvent::Note),
        ("# 3 spare fuses left", WorkEvent::Note),
    ] {
        assert_eq!(event(line), Some(is), "{line}");
    }
    let corrected = typed(&["61 W", "no, 69"]).unwrap();
    assert_eq!(corrected.figures().get(Quantity::Power).unwrap().low, 69.0);
}

proptest! {
    /// Whatever is typed, there is an answer; and no figure is kept that was not typed.
    #[test]
    fn any_line_has_an_answer(
        words in proptest::collection::vec(
            prop_oneof![
                "\\PC{0,6}",
                "[0-9.,;:()#+|-]{1,6}",
                proptest::sample::select(vec![
                    "flat", "tilt", "35\u{b0}", "S-1", "N-1", "series", "parallel", "shade", "no", "back", "B", "again", "W", "A", "Voc", "out",
                    "towel", "half", "left", "cells", "on", "step = ", "lathe", "sorry", "no, ", "ditto", "cloud", "\u{e9}t\u{e9}",
                ])
                .prop_map(str::to_owned),
            ],
            0..9,
        ),
        gaps in proptest::bool::ANY,
    ) {
        let line = words.join(if gaps { " " } else { "" });
        for before in [&[][..], &["61 W", "flat: 40 W"][..]] {
            let lines: Vec<&str> = before.iter().copied().chain([line.as_str()]).collect();
            if let Ok(understood) = typed(&lines) {
                let digits = |text: &str| text.chars().any(|sign| sign.is_ascii_digit());
                let is_repeat = understood.event == Some(WorkEvent::RepeatValue);
                prop_assert!(understood.figures().iter().next().is_none() || digits(&line) || is_repeat, "{line}");
            }
        }
    }
}

/// What was said before stands for what is not said again: where strings are read, where a shade lies, how many panels hang.
#[test]
fn short_words_go_on_from_what_was_said_before() {
    let strings = ["S-1 + S-2 | N-1 + U-1", "string 1 6.9 A"];
    let with = |line: &'static str| said(&[strings[0], strings[1], line]);
    assert_eq!(with("last 6.5"), (vec![("measured_at", "string 2".to_owned())], vec![("current_a", 6.5, 6.5)]));
    assert_eq!(with("both strings 13.2").0, [("measured_at", "all strings".to_owned())]);
    // Two strings have no middle one.
    is_asked(&[strings[0], strings[1], "middle 6.6"]);
    let before = said(&[strings[0], strings[1], "person on string 1: 2.1", "string 2 2.4"]).0;
    assert_eq!(before, [("shade", "person on string 2".to_owned())]);
    let towel = said(&[strings[0], strings[1], "towel across the second string 2.1"]);
    assert_eq!(towel, (vec![("shade", "towel across the second string".to_owned())], vec![("current_a", 2.1, 2.1)]));
    let person = ["person on panel 1: 9.8 A", "panel 2 9.5"];
    assert_eq!(said(&person).0, [("shade", "person on panel 2".to_owned())]);
    is_asked(&["9.8 A", "panel 2 9.5"]);
    assert_eq!(said(&["98 W", "one cell: 80", "2 on each 31"]).0, [("shade", "2 cells on each panel".to_owned())]);
    let on = ["98 W", "towel over half of it: 40", "off 97", "on 41"];
    assert_eq!(said(&on), (vec![("shade", "towel over half of it".to_owned())], vec![("power_w", 41.0, 41.0)]));
    let pair = typed(&["S-1 + S-2 series: 190 W", "S-1 alone 97", "the pair again 189"]).unwrap();
    assert_eq!((pair.event, pair.state.contains_key(&Factor::Wiring)), (Some(WorkEvent::RepeatState), true));
    is_asked(&["98 W", "the pair 189"]);
}

/// Units before their figures, words for figures, figures of before, and the one that counts of several.
#[test]
fn figures_are_read_as_people_say_them() {
    let power = |low, high| vec![("power_w", low, high)];
    for (before, line, figures) in [
        ("98 W", "W 97", power(97.0, 97.0)),
        ("98 W", "voc 24.3 W 96", vec![("power_w", 96.0, 96.0), ("voc_v", 24.3, 24.3)]),
        ("5.2 A", "half an amp", vec![("current_a", 0.5, 0.5)]),
        ("98 W", "92, 95, then 97 - call it 97", power(92.0, 97.0)),
        ("98 W", "92, 99, 97 - call it 97", power(97.0, 97.0)),
        ("out 5.6 A", "5.7 A", vec![("output_current_a", 5.7, 5.7)]),
        ("out 5.6 A", "in 5.7 A", vec![("current_a", 5.7, 5.7)]),
        ("out 5.6 A", "13.7 V", vec![("voltage_v", 13.7, 13.7)]),
        ("18.4 V 5.2 A", "W 97", power(97.0, 97.0)),
        ("18.4 V 5.2 A", "5.1 A, volts don't move", vec![("voltage_v", 18.4, 18.4), ("current_a", 5.1, 5.1)]),
        ("voc 23.9 V 41 C", "23.8 40 C", vec![("voc_v", 23.8, 23.8), ("back_c", 40.0, 40.0)]),
        ("98 W 870 W/m2", "97, 865 W/m2", vec![("power_w", 97.0, 97.0), ("poa_w_m2", 865.0, 865.0)]),
        ("98 W", "battery 13.9", vec![("output_voltage_v", 13.9, 13.9)]),
        ("18.4 V 5.2 A", "5.1 A same volts", vec![("voltage_v", 18.4, 18.4), ("current_a", 5.1, 5.1)]),
    ] {
        assert_eq!(said(&[before, line]).1, figures, "{line}");
    }
    // The wrong figure is that of the last reading, or the words mean something else.
    assert_eq!(typed(&["13 W", "31 W, not 13"]).unwrap().event, Some(WorkEvent::Correction));
    is_asked(&["98 W", "5.1 A same volts"]);
    is_asked(&["98 W", "battery 8.1"]);
    let Err(asked) = typed(&["flat: 1,400 W"]) else { panic!("asked") };
    assert_eq!(asked.choices, ["flat: 1400 W", "flat: 1.400 W"]);
}

/// Nothing with a figure or a part of a state is taken for what it may not be.
#[test]
fn what_is_not_understood_is_asked_about() {
    for line in [
        "the big one 86 W",
        "S-9 alone 80 W",
        "tilted 196",
        "towel, one cell: 40 W",
        "n-1 in series: 140 W",
        "left half in the sun 66 W",
        "gimlet: 30 W",
        "flat, tilt 30: 90 W",
        "shade on two of them 33 W",
    ] {
        is_asked(&[line]);
    }
    let Err(asked) = typed(&["thick lead: 98 W"]) else { panic!("asked") };
    assert_eq!(asked.choices[..2], ["step = thick lead: 98 W", "98 W # thick lead"], "{asked:?}");
    assert_eq!(said(&[asked.choices[1].as_str()]).1, [("power_w", 98.0, 98.0)]);
    assert_eq!(said(&["step = thick lead: 98 W"]).0, [("step", "thick lead".to_owned())]);
}

/// Words that people put beside, before and after their figures; each line is one reading and nothing else.
#[test]
fn words_around_figures_do_not_hide_them() {
    for (before, line, figures) in [
        ("98 W", "wanders 71 to 66", vec![("power_w", 66.0, 71.0)]),
        ("98 W", "61-63 to and fro", vec![("power_w", 61.0, 63.0)]),
        ("98 W", "3.4 falling to 3.1 A", vec![("current_a", 3.1, 3.4)]),
        ("98 W", "44 then 43 W", vec![("power_w", 43.0, 44.0)]),
        ("98 W", "181, 179, 180", vec![("power_w", 179.0, 181.0)]),
        ("5.1 A", "181 W, 179, 180", vec![("power_w", 179.0, 181.0)]),
        ("98 W", "18-19 A batt, string 41.5 V", vec![("voltage_v", 41.5, 41.5), ("output_current_a", 18.0, 19.0)]),
        ("98 W", "16.4 V panel side, 0.4 A charging", vec![("voltage_v", 16.4, 16.4), ("output_current_a", 0.4, 0.4)]),
        ("98 W", "isc 5.31, probes cleaned before", vec![("isc_a", 5.31, 5.31)]),
        ("98 W", "74 W (a bird on the frame, towel held up)", vec![("power_w", 74.0, 74.0)]),
        ("98 W", "battery gets 2.7 A", vec![("output_current_a", 2.7, 2.7)]),
    ] {
        let (changes, read) = said(&[before, line]);
        assert!(changes.is_empty(), "{line}: {changes:?}");
        assert_eq!(read, figures, "{line}");
    }
    // What may say of what a figure is, or of how much, is asked about.
    for line in ["21.3 V, nothing connected", "61 W, each of them", "31 W, not 13", "44 W, volts as before", "74 W (both)"] {
        is_asked(&["98 W", line]);
    }
}

/// "The same" keeps what is not named; what lies on a panel can grow, or come off, without being named again.
#[test]
fn what_is_not_named_stays() {
    let (changes, figures) = said(&["98 W", "towel over half of it: 40", "S-2 same shade 37"]);
    assert_eq!((changes.len(), changes[0].0, figures), (1, "panel", vec![("power_w", 37.0, 37.0)]));
    assert_eq!(said(&["98 W", "towel over half of it: 40", "N-1 ditto 22"]).0[0].0, "panel");
    let (changes, figures) = said(&["98 W", "towel over half of it: 40", "a bit more 31"]);
    assert_eq!((changes, figures), (vec![("shade", "a bit more".to_owned())], vec![("power_w", 31.0, 31.0)]));
    let off = typed(&["98 W", "towel over half of it: 40", "off 96"]).unwrap();
    assert_eq!((off.event, off.state == unshaded("S-1")), (Some(WorkEvent::RepeatState), true));
    assert_eq!(said(&["98 W", "2 bins: 11"]).0, [("shade", "2 bins".to_owned())]);
    // Nothing lies on it, and a panel on top of another is no shade.
    is_asked(&["98 W", "a bit more 31"]);
    is_asked(&["98 W", "N-1 laid on top 96"]);
    is_asked(&["98 W", "a third of it gone - zero"]);
}

#[test]
fn the_unit_of_bare_figures_is_said_once() {
    let of = |lines: &[&str]| typed(lines).unwrap();
    assert_eq!(of(&["multimeter", "voc 21.8", "dial on amps"]).unit, Some(Quantity::Isc));
    assert_eq!(of(&["98 W", "towel over half of it: 40", "volts from here, towel off"]).unit, Some(Quantity::Voltage));
    assert_eq!(of(&["98 W", "in watts"]).unit, Some(Quantity::Power));
    assert_eq!(of(&["98 W", "amps"]).unit, None);
    assert_eq!(of(&["98 W", "volts stay as they are"]).unit, None);
}

/// Of two panels one is asked about by its tag; where it is named by its side and shaded, the side is that of the shade.
#[test]
fn a_shaded_side_is_not_asked_for_its_tag() {
    let which = |line: &str| typed(&[line]).is_err_and(|asked| asked.asked.starts_with("Which panel"));
    assert!(which("left panel 150 W"));
    assert!(!which("left panel covered: 12 W") && !which("left half of the panel: 12 W"));
}

#[test]
fn clear_is_the_sky_unless_something_lies_there() {
    let alone = typed(&["clear"]).unwrap();
    assert_eq!((alone.sky, alone.changes.len()), (Some(SkyNote::Clear), 0));
    let after_shade = typed(&["left half shaded", "clear"]).unwrap();
    assert_eq!(after_shade.sky, None);
    assert_eq!(after_shade.changes.get(&Factor::Shade).map(|one| one.value.clone()), Some(Value::Shade(Vec::new())));
}

#[test]
fn what_is_offered_is_understood_as_that() {
    for factor in Factor::ALL.iter().copied() {
        for line in likely::lines(factor, &names()) {
            // From another state of it, so that it is a change.
            let before = match factor {
                Factor::Tilt => "tilt 7",
                Factor::Shade => "left half shaded",
                Factor::Panel => "u-1 + s-2",
                Factor::Load => "multimeter",
                _ => "",
            };
            let lines: Vec<&str> = [before, &line].into_iter().filter(|line| !line.is_empty()).collect();
            let understood = typed(&lines).unwrap_or_else(|asked| panic!("{line}: {asked}"));
            if factor == Factor::Sky {
                assert!(understood.sky.is_some() && understood.changes.is_empty(), "{line}: {understood:?}");
                continue;
            }
            assert_eq!(understood.changes.keys().collect::<Vec<_>>(), [&factor], "{line}");
            // The angles of "aimed" follow from the time of each reading.
            assert!(line == "aimed" || understood.changes[&factor].value != Value::Name, "{line}: {understood:?}");
            assert!(understood.reading.is_none() && understood.note.is_empty(), "{line}: {understood:?}");
        }
        for text in likely::levels(factor, &names()) {
            let conditions = level(factor, &text, &names()).unwrap();
            assert!(conditions.get(&factor).is_some_and(|one| factor == Factor::Step || one.value != Value::Name), "{text}");
        }
    }
}

#[test]
fn lower_half_is_a_place_also_where_something_lies_already() {
    let alone = typed(&["lower half"]).unwrap().changes;
    let after = typed(&["left half shaded", "lower half"]).unwrap().changes;
    assert_eq!(after[&Factor::Shade].value, alone[&Factor::Shade].value);
    // How much "lower" alone is was not said.
    assert_eq!(typed(&["left half shaded", "a bit lower"]).unwrap().changes[&Factor::Shade].value, Value::Name);
}

#[test]
fn a_percent_after_a_shade_is_its_size_and_else_a_humidity() {
    for line in ["corner 20 %", "corner 20%", "strip along the bottom 10 %", "leaves 30 %: 61 W", "corner 20 % 88 W"] {
        let (changes, figures) = said(&[line]);
        assert_eq!(changes.iter().map(|(factor, _)| *factor).collect::<Vec<_>>(), ["shade"], "{line}");
        assert!(figures.iter().all(|(quantity, ..)| *quantity == "power_w"), "{line}: {figures:?}");
    }
    assert_eq!(said(&["corner 20 % 88 W"]).1, [("power_w", 88.0, 88.0)]);
    assert_eq!(said(&["88 W 40 %"]).1, [("power_w", 88.0, 88.0), ("humidity_percent", 40.0, 40.0)]);
    assert_eq!(said(&["corner 20 %, humidity 40 %"]).1, [("humidity_percent", 40.0, 40.0)]);
}

#[test]
fn a_line_that_names_a_rig_is_of_the_state_in_which_that_one_stands() {
    let tilt = |lines: &[&str]| typed(lines).unwrap().state.get(&Factor::Tilt).map(|one| one.value.clone());
    let begun = ["pump rig: 80 W", "tilt 20: 85 W", "yard rig, tilt 45: 90 W"];
    let after = |last: &[&str]| tilt(&[&begun[..], last].concat());
    assert_eq!(after(&["pump rig: 84 W"]), Some(Value::Degrees(20.0)));
    assert_eq!(after(&["pump rig: 84 W", "yard rig 91 W"]), Some(Value::Degrees(45.0)));
    assert_eq!(after(&["pump rig, flat: 70 W", "yard rig 91 W", "pump rig 71 W"]), Some(Value::Degrees(0.0)));
    // A rig that shares a panel with it is the same hardware: it is in the state of now. So is one that was not read yet.
    let shed = ["pump rig, tilt 20: 80 W", "shed rig, flat: 30 W", "pump rig 75 W"];
    assert_eq!(tilt(&shed), Some(Value::Degrees(0.0)));
    assert_eq!(tilt(&["pump rig, tilt 20: 80 W", "yard rig 90 W"]), Some(Value::Degrees(20.0)));
}

#[test]
fn back_and_a_figure_is_the_way_back_where_it_is_no_temperature_and_else_asked_about() {
    let begun = ["98.0 W", "flat: 78.0 W"];
    let hot = typed(&[&begun[..], &["back 98.2"]].concat()).unwrap();
    assert_eq!(hot.event, Some(WorkEvent::RepeatState));
    let read: Vec<_> = hot.figures().iter().map(|(quantity, seen)| (quantity.name(), seen.low)).collect();
    assert_eq!(read, [("power_w", 98.2)]);
    let asked = typed(&["64.0 W", "flat: 48.0 W", "back 64.2"]).unwrap_err();
    assert_eq!(asked.choices, ["back: 64.2", "back 64.2 C"]);
    // Each choice is understood; at the first state there is no way back, and a unit says what it is.
    assert_eq!(said(&["64.0 W", "flat: 48.0 W", "back: 64.2"]).1, [("power_w", 64.2, 64.2)]);
    for lines in [&["64.0 W", "flat: 48.0 W", "back 64.2 C"][..], &["64.0 W", "back 64.2"]] {
        assert_eq!(said(lines).1, [("back_c", 64.2, 64.2)], "{lines:?}");
    }
}
