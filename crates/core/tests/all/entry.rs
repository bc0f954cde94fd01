//! The one-line entry: everything a person may type, and everything else.

use flindo_core::measure::entry::{Entry, EntryError, Meaning, understand};
use flindo_core::measure::quantity::{Quantity, Seen, UnsteadyPolicy, ValueKind};
use proptest::prelude::*;

fn read(text: &str) -> Entry {
    understand(text, &Meaning::default()).unwrap_or_else(|error| panic!("{text:?}: {error}"))
}

fn fails(text: &str) -> String {
    understand(text, &Meaning::default()).expect_err(text).to_string()
}

fn seen(text: &str, quantity: Quantity) -> Seen {
    *read(text).figures().get(quantity).unwrap_or_else(|| panic!("{text:?} has no {}", quantity.label()))
}

#[test]
fn one_line_is_a_whole_reading() {
    let figures = read("18.4 V 5.6 A 880 W/m2 52 C").figures();
    let at = |quantity| figures.get(quantity).map(|seen| (seen.low, seen.step));
    assert_eq!(at(Quantity::Voltage), Some((18.4, 0.1)));
    assert_eq!(at(Quantity::Current), Some((5.6, 0.1)));
    assert_eq!(at(Quantity::Poa), Some((880.0, 1.0)));
    assert_eq!(at(Quantity::Cell), Some((52.0, 1.0)));
    assert_eq!(figures.loaded_power_w(UnsteadyPolicy::Middle), Some(18.4 * 5.6));
}

#[test]
fn order_spaces_case_and_commas_do_not_matter() {
    let plain = read("18.4 V 5.6 A 880 W/m2 52 C").figures();
    for text in [
        "52c 880w/m2 5.6a 18.4v",
        "18.4V5.6A880W/m2 52C",
        "18,4 V, 5,6 A, 880 W/m\u{b2}, 52 \u{b0}C",
        "880 W/m^2; 52 deg C; 18.4 V and 5.6 A",
        "Vmp=18.4 Imp=5.6 sun 880 cell 52",
        "18.4 Vmp 5.6 Imp 880 Wm-2 52 degC",
    ] {
        assert_eq!(read(text).figures(), plain, "{text}");
    }
}

#[test]
fn ranges_peaks_and_settled_values_keep_which_they_were() {
    for text in ["79-81 W", "79 - 81 W", "81-79 W", "79\u{2013}81W", "79 to 81 W", "79..81 W", "79 W - 81 W", "79W-81W"] {
        assert_eq!(seen(text, Quantity::Power), Seen { low: 79.0, high: 81.0, step: 1.0, how: ValueKind::Range }, "{text}");
    }
    assert_eq!(seen("peak 81 W", Quantity::Power), Seen { how: ValueKind::Peak, ..Seen::at(81.0, 1.0) });
    assert_eq!(seen("~80 W", Quantity::Power).how, ValueKind::Settled);
    assert_eq!(seen("settled 80 W", Quantity::Power).how, ValueKind::Settled);
    assert_eq!(seen("0.4-0.5 A", Quantity::Current).step, 0.1);
}

#[test]
fn fahrenheit_millivolts_and_kilowatts_become_the_usual_units() {
    assert!((seen("125 F", Quantity::Cell).low - 51.666_666_666_666_664).abs() < 1e-12);
    assert!((seen("125 F", Quantity::Cell).step - 5.0 / 9.0).abs() < 1e-12);
    assert_eq!(seen("18400 mV", Quantity::Voltage).low, 18.4);
    assert_eq!(seen("1.2 kW", Quantity::Power), Seen::at(1200.0, 100.0));
}

#[test]
fn a_temperature_below_zero_is_not_a_range() {
    let figures = read("18.4 V -5 C").figures();
    assert_eq!(figures.get(Quantity::Cell).map(|seen| seen.low), Some(-5.0));
    assert_eq!(seen("-5 to -3 C", Quantity::Cell), Seen { low: -5.0, high: -3.0, step: 1.0, how: ValueKind::Range });
}

#[test]
fn open_and_short_circuit_are_named() {
    for text in ["Voc 22.1 V Isc 5.9 A", "22.1 Voc 5.9 Isc", "voc=22.1 isc=5.9", "22.1 V Voc, 5.9 A Isc", "Voc: 22.1 Isc: 5.9"] {
        let figures = read(text).figures();
        assert_eq!(figures.get(Quantity::Voc).map(|seen| seen.low), Some(22.1), "{text}");
        assert_eq!(figures.get(Quantity::Isc).map(|seen| seen.low), Some(5.9), "{text}");
        assert_eq!(figures.loaded_power_w(UnsteadyPolicy::Middle), None, "{text}");
    }
}

#[test]
fn bare_units_mean_what_the_test_says() {
    let multimeter = Meaning { volts: Quantity::Voc, amps: Quantity::Isc, degrees: Quantity::Back, light: Quantity::Poa };
    let figures = understand("22.1 V 5.9 A 45 C", &multimeter).unwrap().figures();
    assert_eq!(figures.loaded_power_w(UnsteadyPolicy::Middle), None);
    assert_eq!(figures.get(Quantity::Back).map(|seen| seen.low), Some(45.0));
    let named = understand("18 Vmp 5.6 Imp cell 52", &multimeter).unwrap().figures();
    assert_eq!(named.loaded_power_w(UnsteadyPolicy::Middle), Some(18.0 * 5.6));
}

#[test]
fn a_time_and_a_note_may_stand_in_the_line() {
    let entry = read("18.4 V 5.6 A @13:05 # thin cloud  coming");
    let time = entry.time.unwrap();
    assert_eq!((time.hour, time.minute, time.second), (13, 5, 0));
    assert_eq!(entry.note.as_deref(), Some("thin cloud coming"));
    assert_eq!(read("at 9:07:30 80 W").time.unwrap().second, 30);
    assert_eq!(read("80 W 13:05").time.unwrap().minute, 5);
}

#[test]
fn the_sky_may_be_noted_in_the_line() {
    use flindo_core::sky::note::SkyNote;
    for (text, sky) in [
        ("80 W clear", SkyNote::Clear),
        ("thin cloud 80 W", SkyNote::ThinCloud),
        ("80 W sky: broken cloud", SkyNote::Broken),
        ("80 W Overcast", SkyNote::Overcast),
        ("hazy, 80 W", SkyNote::Haze),
    ] {
        assert_eq!(read(text).sky, Some(sky), "{text}");
        assert_eq!(read(&read(text).to_string()), read(text), "{text}");
    }
    assert_eq!(read("80 W # clear of trees").sky, None);
    assert!(fails("80 W clear overcast").contains("noted twice: clear and overcast"));
    assert_eq!(read("ghi 880 W/m2 80 W").figures().get(Quantity::Ghi).map(|seen| seen.low), Some(880.0));
}

#[test]
fn what_is_wrong_is_quoted_with_what_to_do() {
    assert_eq!(fails(""), EntryError::Empty.to_string());
    assert_eq!(fails("# only a note"), EntryError::Empty.to_string());
    assert_eq!(fails("18.4"), "18.4 has no unit: add V, A, W, W/m2 or C");
    assert!(fails("18.4 Q").starts_with("\"Q\" is not a unit or a name"));
    assert!(fails("18 V 19 V").contains("both the voltage"));
    assert!(fails("Voc 22 A").contains("Voc is in V, not in A"));
    assert!(fails("Voc 22.1 Isc").contains("\"Isc\" stands alone"));
    assert!(fails("1,234 W").contains("write 1234 or 1.234"));
    assert!(fails("-5.6 A").contains("leads are reversed"));
    assert!(fails("8800 W/m2").contains("0 to 1600 W/m2"));
    assert!(fails("80 W @25:00").contains("not a time"));
    assert!(fails("80 W Voc").contains("Voc"));
    assert!(fails("18 V - 5 A").contains("the range is in V, not in A"));
    assert!(fails(&"8 W ".repeat(100)).contains("longer than"));
}

fn number() -> impl Strategy<Value = String> {
    (1_u32..60, 0_u32..100, 0_usize..3).prop_map(|(whole, part, digits)| match digits {
        0 => whole.to_string(),
        1 => format!("{whole}.{}", part % 10),
        _ => format!("{whole},{part:02}"),
    })
}

fn figure(quantity: &'static str, units: &'static [&'static str]) -> impl Strategy<Value = String> {
    (number(), number(), 0_usize..4, 0..units.len()).prop_map(move |(a, b, how, unit)| {
        let value = match how {
            0 => format!("{a}-{b}"),
            1 => format!("peak {a}"),
            2 => format!("~{a}"),
            _ => a,
        };
        format!("{quantity} {value} {}", units[unit])
    })
}

proptest! {
    #[test]
    fn no_text_makes_it_panic(text in "\\PC*") {
        let _ = understand(&text, &Meaning::default());
    }

    #[test]
    fn no_text_of_its_own_alphabet_makes_it_panic(text in "[-+0-9.,:;=@#~ VACFWmk/2\u{b2}\u{b0}otvaiscpekbr\u{2013}]{0,40}") {
        let _ = understand(&text, &Meaning::default());
    }

    #[test]
    fn what_it_prints_it_reads_back(text in "[-+0-9.,:@#~ VACFWmk/2otvocisc]{0,30}") {
        if let Ok(entry) = understand(&text, &Meaning::default()) {
            prop_assert_eq!(understand(&entry.to_string(), &Meaning::default()), Ok(entry.clone()), "printed as {}", entry);
        }
    }

    #[test]
    fn a_sound_line_is_understood_and_reads_back(
        volts in figure("", &["V", "v", "volts"]),
        amps in figure("Imp", &["A", ""]),
        voc in figure("Voc", &["V", ""]),
        sun in figure("", &["W/m2", "W/m\u{b2}"]),
        cell in figure("back", &["C", "\u{b0}F", ""]),
        note in "[ a-z#@0-9]{0,20}",
    ) {
        let text = format!("{volts} {sun}, {amps} {voc}; {cell} @12:30 # {note}");
        let entry = understand(&text, &Meaning::default()).map_err(|error| TestCaseError::fail(format!("{text}: {error}")))?;
        prop_assert_eq!(entry.typed().len(), 5);
        prop_assert_eq!(understand(&entry.to_string(), &Meaning { volts: Quantity::Voltage, amps: Quantity::Isc, degrees: Quantity::Air, light: Quantity::Ghi }), Ok(entry));
    }
}
