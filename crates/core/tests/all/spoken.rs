//! The words that people have for one thing: openings and shorts, the sun aimed at, the rear, water on it, times before a line. All lines are
//! invented; on both sides of each rule.

use crate::working::{is_asked, said, typed};
use flindo_core::measure::quantity::ValueKind;
use flindo_core::record::condition::{Cooling, Face, Factor, Value};
use flindo_core::record::language::work::WorkEvent;
use flindo_core::sky::note::SkyNote;

fn state_of(line: &str, factor: Factor) -> Value {
    let understood = typed(&[line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
    understood.changes.get(&factor).unwrap_or_else(|| panic!("{line}: {:?}", understood.changes)).value.clone()
}

#[test]
fn figures_have_verbs_and_signs_around_them() {
    for (line, quantity, low, high) in [
        ("up to 155 W", "power_w", 155.0, 155.0),
        ("dropped to 149 W", "power_w", 149.0, 149.0),
        ("climbed to 12.4 V", "voltage_v", 12.4, 12.4),
        ("meter says 148 W", "power_w", 148.0, 148.0),
        ("average 151 W", "power_w", 151.0, 151.0),
        ("between 60 and 62 W", "power_w", 60.0, 62.0),
        ("falling from 64 to 61 W", "power_w", 61.0, 64.0),
        ("open circuit 22.4 V", "voc_v", 22.4, 22.4),
        ("22.4 V open circuit", "voc_v", 22.4, 22.4),
        ("open-circuit voltage 22.4", "voc_v", 22.4, 22.4),
        ("short circuit 7.9 A", "isc_a", 7.9, 7.9),
        ("shorted 7.9 A", "isc_a", 7.9, 7.9),
        ("air temp 24", "air_c", 24.0, 24.0),
        ("cell temperature 47 C", "cell_c", 47.0, 47.0),
        ("watt hours 412", "energy_wh", 412.0, 412.0),
        ("P=151W", "power_w", 151.0, 151.0),
        ("MPP 151 W", "power_w", 151.0, 151.0),
        ("Uoc 22.4", "voc_v", 22.4, 22.4),
        ("G 870", "poa_w_m2", 870.0, 870.0),
        ("870 W/m2 on the pyranometer", "poa_w_m2", 870.0, 870.0),
        ("cells 45 C", "cell_c", 45.0, 45.0),
        ("oc 22.5", "voc_v", 22.5, 22.5),
        ("sc 9.2", "isc_a", 9.2, 9.2),
        ("pyranometer 912", "poa_w_m2", 912.0, 912.0),
        ("one more: 152 W", "power_w", 152.0, 152.0),
        ("third time 152 W", "power_w", 152.0, 152.0),
    ] {
        let (changes, figures) = said(&[line]);
        assert!(changes.is_empty(), "{line}: {changes:?}");
        assert_eq!(figures, [(quantity, low, high)], "{line}");
    }
    for line in [
        "U=18.9V I=8.1A",
        "V 18.9 I 8.1",
        "Umpp 18.9 Impp 8.1",
        "18.9 V 8.1 A",
        "18.9 V x 8.1 A",
        "18.9V/8.1A",
        "18.9 V @ 8.1 A",
        "18.9V\u{d7}8.1A",
        "18.9 V by 8.1 A",
        "18.9 x 8.1",
    ] {
        assert_eq!(said(&[line]).1, [("voltage_v", 18.9, 18.9), ("current_a", 8.1, 8.1)], "{line}");
    }
    let settled = typed(&["settled at 151 W"]).unwrap().figures();
    assert_eq!(settled.iter().next().map(|(_, seen)| seen.how), Some(ValueKind::Settled));
    // Amps of an open circuit and volts of a short one are neither.
    for line in ["open circuit 7.9 A", "short circuit 22.4 V"] {
        is_asked(&[line]);
    }
    let understood = typed(&["61.2 W not sure"]).unwrap();
    assert_eq!((understood.note.as_str(), understood.figures().iter().count()), ("not sure", 1));
    is_asked(&["61.2 W not S-2"]);
}

#[test]
fn where_a_panel_points_is_said_in_many_ways() {
    for (line, tilt_deg) in [
        ("flat on the grass 61 W", 0.0),
        ("laid on its back flat: 61 W", 0.0),
        ("upright", 90.0),
        ("standing vertical against the wall 48 W", 90.0),
    ] {
        assert_eq!(state_of(line, Factor::Tilt), Value::Degrees(tilt_deg), "{line}");
    }
    for line in [
        "aimed straight at the sun 158 W",
        "pointing at the sun",
        "square to the sun: 158 W",
        "tracking the sun by hand, 157 W",
        "dead on",
    ] {
        let understood = typed(&[line]).unwrap();
        assert_eq!(understood.changes.get(&Factor::Tilt).map(|tilt| tilt.typed.as_str()), Some("aimed"), "{line}");
    }
    for (line, azimuth_deg) in [
        ("turned to the west", 270.0),
        ("turned west: 88 W", 270.0),
        ("pointing south-east", 135.0),
        ("facing 200 degrees", 200.0),
        ("turned to 195\u{b0}", 195.0),
    ] {
        assert_eq!(state_of(line, Factor::Azimuth), Value::Degrees(azimuth_deg), "{line}");
    }
    for line in ["straight", "facing", "upright piano 61 W", "facing 400 degrees 61 W", "vertical stripes 61 W"] {
        let answer = typed(&[line]);
        assert!(
            answer.is_err() || answer.is_ok_and(|one| one.changes.is_empty() && one.event == Some(WorkEvent::Note)),
            "{line}"
        );
    }
}

#[test]
fn the_rear_and_water_are_states_and_no_way_back() {
    for (line, face) in [
        ("back covered with cardboard", Face::RearCovered),
        ("back covered: 163 W", Face::RearCovered),
        ("rear free 171 W", Face::RearFree),
        ("white sheet behind it: 175 W", Face::Reflector),
        ("reflector behind the panel", Face::Reflector),
    ] {
        assert_eq!(state_of(line, Factor::Face), Value::Face(face), "{line}");
    }
    for (line, cooling) in [
        ("water on the back, 150 W", Cooling::Water),
        ("sprayed the panel with water", Cooling::Water),
        ("fan blowing on the back: 149 W", Cooling::Air),
        ("dry again", Cooling::None),
    ] {
        assert_eq!(state_of(line, Factor::Temperature), Value::Cooling(cooling), "{line}");
    }
    // A temperature of the back, the way back, and a sheet on the front are what they were.
    assert_eq!(said(&["back 41 C"]).1, [("back_c", 41.0, 41.0)]);
    assert_eq!(typed(&["98 W", "flat: 78 W", "back: 98 W"]).unwrap().event, Some(WorkEvent::RepeatState));
    assert!(typed(&["white sheet over the left half 61 W"]).unwrap().changes.contains_key(&Factor::Shade));
}

#[test]
fn loads_panels_and_steps_by_more_words() {
    for line in ["through the Lathe 30", "via Lathe 30: 148 W", "straight to the lathe"] {
        assert_eq!(state_of(line, Factor::Load), Value::Gear("lathe 30".to_owned()), "{line}");
    }
    for (line, label) in
        [("PWM controller: 121 W", "non-tracking"), ("mppt", "tracking"), ("straight to the load tester", "load tester")]
    {
        let load = typed(&[line]).unwrap().changes[&Factor::Load].typed.clone();
        assert!(load.contains(label), "{line}: {load}");
    }
    assert_eq!(state_of("only S-2 connected", Factor::Panel), Value::Panels(vec!["s-2".to_owned()]));
    is_asked(&["S-2 disconnected 61 W"]);
    for line in ["wiped it down, 154.2 W", "washed the panel", "cleaned with water and a cloth: 155 W", "rinsed"] {
        let understood = typed(&[line]);
        let step = understood.as_ref().ok().and_then(|one| one.changes.get(&Factor::Step)).map(|step| step.typed.clone());
        let is_of_it = step.as_deref() == Some("cleaned") || line.contains(" and ");
        assert!(is_of_it, "{line}: {understood:?}");
    }
    let same = said(&["same panel tilted 35 deg: 78.4 W"]);
    assert_eq!(same, (vec![("tilt_deg", "35".to_owned())], vec![("power_w", 78.4, 78.4)]));
    assert_eq!(typed(&["thin high cloud: 61 W"]).unwrap().sky, Some(SkyNote::ThinCloud));
}

#[test]
fn a_line_is_taken_back_or_corrected_in_plain_words() {
    for line in [
        "undo",
        "ignore that last one",
        "scrap that",
        "strike that",
        "delete the last reading",
        "that was wrong",
        "drop the last one reading",
    ] {
        assert_eq!(typed(&["98 W", line]).unwrap().event, Some(WorkEvent::Undo), "{line}");
    }
    // Of what lies on the panel, and of nothing.
    for line in ["remove that", "drop it", "forget lunch", "ignore the birds"] {
        assert_ne!(typed(&["98 W", line]).ok().and_then(|one| one.event), Some(WorkEvent::Undo), "{line}");
    }
    for line in
        ["last one was 71 not 61", "should have been 71", "make that 71 W", "no, 71", "71 W, not 61", "it was 71", "meant 71"]
    {
        let understood = typed(&["61 W", line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
        let figures: Vec<(&str, f64)> = understood.figures().iter().map(|(quantity, seen)| (quantity.name(), seen.low)).collect();
        assert_eq!((understood.event, figures), (Some(WorkEvent::Correction), vec![("power_w", 71.0)]), "{line}");
    }
    is_asked(&["61 W", "last one was S-2 71 W"]);
}

#[test]
fn a_time_before_a_line_is_its_time() {
    for (line, time) in [("15:40 U-1 178 W", (15, 40)), ("at 9:05: flat 61.2 W", (9, 5)), ("14:02 61.2 W", (14, 2))] {
        let understood = typed(&[line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
        let found = understood.time.map(|time| (time.hour, time.minute));
        assert_eq!(found.map(|(hour, minute)| (u32::from(hour), u32::from(minute))), Some(time), "{line}");
        assert!(understood.reading.is_some(), "{line}");
    }
    // What is asked of the rest is asked with its time.
    let asked = typed(&["15:40 sideways 61 W"]).unwrap_err();
    assert!(asked.choices[0].starts_with("15:40"), "{asked:?}");
    assert!(typed(&["61 W"]).unwrap().time.is_none());
}

#[test]
fn lists_numbers_and_signs_beside_figures() {
    for (line, low, high) in [
        ("171/170/169 W", 169.0, 171.0),
        ("2) 170 W", 170.0, 170.0),
        ("reading 3: 171 W", 171.0, 171.0),
        ("avg of 3: 170 W", 170.0, 170.0),
        ("jumping between 140 and 160 W", 140.0, 160.0),
    ] {
        assert_eq!(said(&[line]).1, [("power_w", low, high)], "{line}");
    }
    assert_eq!(said(&["98 W", "140ish"]).1, [("power_w", 140.0, 140.0)]);
    assert_eq!(said(&["S-2 -> 148 W"]), (vec![("panel", "S-2".to_owned())], vec![("power_w", 148.0, 148.0)]));
    let joined = said(&["S-1, S-2 and N-1 in parallel: 355 W"]);
    assert_eq!(joined.0[0], ("panel", "S-1 + S-2 + N-1".to_owned()), "{joined:?}");
    for line in ["22.3 V (no load)", "unloaded 22.3 V"] {
        assert_eq!(said(&[line]).1, [("voc_v", 22.3, 22.3)], "{line}");
    }
}

/// What may be of another panel, of another side, of a change in percent, or of nothing, is asked about.
#[test]
fn what_a_figure_is_of_is_never_guessed() {
    for line in [
        "without N-1 296 W",
        "all three in parallel 355 W",
        "Verdigris flat 122 W",
        "18 V 1.2 A 3 % drop",
        "lathe gives 9.9 A at 13.8 V",
        ">150 W",
        "10 deg more: 149 W",
        "cells 3",
        "lathe gives 148 W",
        "left panel 150 W",
        "efficiency 18 %",
        "<1 W",
        "150+ W",
        "no output",
        "dead",
        "nothing",
    ] {
        is_asked(&["98 W", line]);
    }
    // "First" and "start" are no way back to the first state; "back to the start" is.
    let states = ["98 W", "flat: 78 W"];
    let is_flat = |line: &str| typed(&[states[0], states[1], line]).map(|one| one.state.contains_key(&Factor::Tilt));
    assert_eq!(is_flat("back to the start: 98 W"), Ok(false));
    assert_eq!(is_flat("first S-2: 71 W"), Ok(true));
    assert!(is_flat("cold start 71 W").unwrap_or(true));
    // Both sides of a controller are said.
    assert_eq!(said(&["lathe gives 9.9 A into the battery"]).1, [("output_current_a", 9.9, 9.9)]);
}

/// Angles and directions, what is taken away, and slips that are put right: on both sides of each rule.
#[test]
fn more_words_for_one_thing() {
    for (line, factor, value) in [
        ("propped at 45: 151 W", Factor::Tilt, 45.0),
        ("45 facing east 140 W", Factor::Tilt, 45.0),
        ("45 facing east 140 W", Factor::Azimuth, 90.0),
        ("turned it to SSW: 150 W", Factor::Azimuth, 202.5),
        ("turned to the SE 150 W", Factor::Azimuth, 135.0),
    ] {
        assert_eq!(state_of(line, factor), Value::Degrees(value), "{line}");
    }
    // Points of the compass alone, and angles that are none, are asked about.
    for line in ["sw 150 W", "145 facing east 140 W", "facing 45 east 140 W"] {
        is_asked(&[line]);
    }
    let shade_after = |lines: &[&str]| typed(lines).unwrap().changes.get(&Factor::Shade).map(|one| one.typed.clone());
    for away in ["took the leaves off 180 W", "lifted off the leaves 180 W", "removed the leaves: 180 W"] {
        assert_eq!(shade_after(&["leaves on one cell 160 W", away]).as_deref(), Some("none"), "{away}");
    }
    for correction in
        ["oops, that was 150.2", "typo, 150.2", "the 161 was 150.2", "161 should be 150.2", "last one was wrong, 150.2 W"]
    {
        let understood = typed(&["161 W", correction]).unwrap_or_else(|asked| panic!("{correction}: {asked}"));
        assert_eq!(understood.event, Some(WorkEvent::Correction), "{correction}");
        let figures = understood.figures();
        assert_eq!(figures.iter().map(|(_, seen)| seen.low).collect::<Vec<_>>(), [150.2], "{correction}");
    }
    for correction in ["that was flat", "should have been flat", "oops, it was flat", "correction: flat"] {
        let understood = typed(&["tilt 35: 92 W", correction]).unwrap_or_else(|asked| panic!("{correction}: {asked}"));
        assert_eq!(understood.event, Some(WorkEvent::StateCorrection), "{correction}");
        assert_eq!(understood.state[&Factor::Tilt].value, Value::Degrees(0.0), "{correction}");
    }
    // With a figure that is not understood it is asked about; before any reading nothing was entered wrongly.
    is_asked(&["tilt 35: 92 W", "that was flat 78 W frobnicated"]);
    assert_eq!(typed(&["that was flat"]).unwrap().event, Some(WorkEvent::Note));
    // Of another figure than the last nothing is corrected.
    is_asked(&["161 W", "the 171 was 151"]);
    // Two readings in one line are told from figures without a unit.
    let asked = typed(&["205 W, 198 W"]).unwrap_err();
    assert!(asked.asked.contains("one reading"), "{asked}");
}

/// Limits, doubts and settled figures; panels that leave and come back.
#[test]
fn limits_and_panels_that_come_and_go() {
    for (line, low, high) in [
        ("150\u{b1}2 W", 148.0, 152.0),
        ("150 W +/- 1.5", 148.5, 151.5),
        ("maybe 148 W", 148.0, 148.0),
        ("I think 148 W", 148.0, 148.0),
    ] {
        assert_eq!(said(&[line]).1, [("power_w", low, high)], "{line}");
    }
    let settled = typed(&["150.2 W, settled"]).unwrap().figures();
    assert_eq!(settled.iter().next().map(|(_, seen)| seen.how), Some(ValueKind::Settled));
    for (line, factor, value) in [
        ("string one 7.4 A", Factor::MeasuredAt, "string 1"),
        ("S-1, S-2 series 36.5 V 7.9 A", Factor::Wiring, "series"),
        ("two cells taped 97 W", Factor::Shade, "two cells taped"),
        ("person standing before it: 60 W", Factor::Shade, "person standing before it"),
    ] {
        let understood = typed(&[line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
        assert_eq!(understood.changes[&factor].typed, value, "{line}");
    }
    let pair = "S-1 + S-2 series 36.5 V 7.9 A";
    for line in ["disconnected S-1: 145 W", "without S-1: 145 W", "S-1 unplugged 145 W"] {
        let understood = typed(&[pair, line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
        assert_eq!(understood.state[&Factor::Panel].typed, "S-2", "{line}");
        assert!(!understood.state.contains_key(&Factor::Wiring), "{line}");
    }
    // Alone again or beside the other: nobody said.
    let asked = typed(&[pair, "without S-1: 145 W", "S-1 back in 290 W"]).unwrap_err();
    assert_eq!(asked.choices, ["S-2 + S-1 290 W", "S-1 alone 290 W"]);
    // What does not hang there cannot leave.
    is_asked(&[pair, "disconnected N-1: 145 W"]);
}

/// What was dropped or misread without a word: a cloud beside a figure, half a cell, a figure behind a place, the cover of the back, the same
/// figures of another panel.
#[test]
fn nothing_beside_a_figure_is_dropped() {
    let sky_of = |line: &str| typed(&[line]).unwrap().reading.and_then(|reading| reading.sky);
    assert_eq!(sky_of("cloud 90 W"), Some(SkyNote::Broken));
    assert_eq!(sky_of("90 W thin cloud"), Some(SkyNote::ThinCloud));
    assert_eq!(sky_of("90 W"), None);
    for (line, shade) in [("half a cell 240 W", "half a cell"), ("half of each panel 126 W", "half of each panel")] {
        let understood = typed(&[line]).unwrap_or_else(|asked| panic!("{line}: {asked}"));
        assert_eq!(understood.changes[&Factor::Shade].typed, shade, "{line}");
        assert_eq!(understood.figures().iter().count(), 1, "{line}");
    }
    assert_eq!(said(&["half an amp"]).1, [("current_a", 0.5, 0.5)]);
    let bare = typed(&["100 W", "half of each panel 126"]).unwrap();
    assert_eq!(bare.changes[&Factor::Shade].typed, "half of each panel");
    assert_eq!(bare.figures().iter().map(|(_, seen)| seen.low).collect::<Vec<_>>(), [126.0]);
    let uncovered = typed(&["flat 90 W", "tilt 30: 100 W", "back covered 98 W", "back cover off 101 W"]).unwrap();
    assert_eq!(uncovered.state[&Factor::Tilt].value, Value::Degrees(30.0));
    let behind = typed(&["string 1 7.4 A", "sun went behind a cloud 40 W"]).unwrap();
    assert!(behind.changes.is_empty() && behind.reading.unwrap().sky == Some(SkyNote::Broken), "{:?}", behind.changes);
    let same = typed(&["S-1: 100 W", "S-2: same"]).unwrap();
    assert_eq!((same.event, same.state[&Factor::Panel].typed.as_str()), (Some(WorkEvent::RepeatValue), "S-2"));
}
