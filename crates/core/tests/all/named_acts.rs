//! What is named acts: limits, impossible light, slips and controllers that do not track keep a reading from condemning, or praising, a
//! panel; and the same readings without them keep their verdict. Figures of the label are invented; each case is worked out by hand beside
//! it.

use crate::worlds::{Line, at_hour, one_shade, record, with_rig};
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::rig::Sink;
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::finding::Effect;

fn label(rated_w: &str, figures: [&str; 4]) -> Nameplate {
    let mut typed = LabelTyped::default();
    for (name, text) in ["voc_v", "isc_a", "vmp_v", "imp_a"].into_iter().zip(figures) {
        typed.set(name, text);
    }
    for (name, text) in [("rated_w", rated_w), ("tolerance", "3 %"), ("gamma_pmax", "-0.40 %/K"), ("cells_in_series", "60")] {
        typed.set(name, text);
    }
    check(&typed).nameplate.unwrap()
}

/// 250 W: 37.8 V, 8.75 A open and short, 30.4 V and 8.22 A at the maximum.
fn whole() -> Nameplate {
    label("250", ["37.8", "8.75", "30.4", "8.22"])
}

fn setup(load: Load) -> Setup {
    Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load, ..Setup::default() }
}

fn lines(utc_h: f64, typed: &[&str]) -> Vec<Line> {
    let at = |nth: usize| at_hour(utc_h) + 60.0 * nth as f64;
    typed
        .iter()
        .enumerate()
        .map(|(nth, typed)| Line { run: None, unix_s: at(nth), typed: (*typed).to_owned(), sky: None })
        .collect()
}

fn rated(load: Load, typed: &[&str]) -> TestRecord {
    record(Question::MakesRating, whole(), setup(load), None, &lines(12.4, typed))
}

/// The verdict, and each code with its effect.
fn said(record: &TestRecord) -> (&'static str, Vec<(&'static str, Effect)>) {
    let assessment = assess(record).unwrap();
    let named = assessment.named.iter().map(|named| (named.finding.code(), named.effect)).collect();
    (assessment.rating_verdict(0).name(), named)
}

fn gear(kind: GearKind, fields: &[(&str, &str)]) -> Gear {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    kind.check(&typed).unwrap_or_else(|notes| panic!("{notes:?}"))
}

fn station(max_input_w: &str) -> Sink {
    let fields = [("min_input_v", "11"), ("max_input_v", "60"), ("max_input_w", max_input_w), ("state_of_charge_percent", "40")];
    let Gear::Station(station) = gear(GearKind::Station, &fields) else { panic!("a station") };
    Sink::Station { name: "station".to_owned(), station }
}

fn controller(max_battery_a: &str, nominal_v: &str) -> Sink {
    let fields = [("tracking", "yes"), ("max_input_v", "100"), ("max_battery_a", max_battery_a)];
    let Gear::Controller(controller) = gear(GearKind::Controller, &fields) else { panic!("a controller") };
    let Gear::Battery(battery) = gear(GearKind::Battery, &[("nominal_v", nominal_v), ("capacity_ah", "200")]) else {
        panic!("a battery")
    };
    Sink::Controller { name: "controller".to_owned(), controller, battery: Some(battery) }
}

/// In 900 W/m2 at 45 C the panel gives 250 * 0.9 * (1 - 0.004 * 20) = 207 W: 95 % and more of a port of 125 W is the port's, and so are
/// 137 W; 115 W are not, and are far below what the label promises.
#[test]
fn watts_within_a_twentieth_of_a_ports_limit_are_the_ports() {
    for (watts_w, is_capped) in [("122 W", true), ("119 W", true), ("125.4 W", true), ("117 W", false)] {
        let typed = format!("{watts_w} 900 W/m2 45 C");
        let (verdict, named) = said(&with_rig(rated(Load::TrackingController, &[typed.as_str()]), station("125")));
        assert_eq!(named.contains(&("capped", Effect::LeftOut)), is_capped, "{watts_w}: {named:?}");
        assert_eq!(verdict, if is_capped { "cant_tell" } else { "below" }, "{watts_w}");
    }
    // A port of 250 W is not what holds a panel that could give 207 W at 200.
    let (verdict, named) = said(&with_rig(rated(Load::TrackingController, &["200 W 900 W/m2 45 C"]), station("250")));
    assert!(named.iter().all(|(code, _)| *code != "capped"), "{named:?}");
    assert_eq!(verdict, "consistent");
}

/// 10 A into a 12 V system are 130 to 146 W at its charging voltage, whether its sheet says 12 or 12.8 V; into one of 24 V twice that.
#[test]
fn a_controllers_amps_limit_at_the_charging_voltage() {
    let capped = |nominal_v: &str, watts_w: &str| {
        let typed = format!("{watts_w} W 900 W/m2 45 C");
        let (_, named) = said(&with_rig(rated(Load::TrackingController, &[typed.as_str()]), controller("10", nominal_v)));
        named.contains(&("capped", Effect::LeftOut))
    };
    for nominal_v in ["12", "12.8"] {
        for (watts_w, is_capped) in [("118", false), ("126", true), ("138", true), ("150", true), ("172", false)] {
            assert_eq!(capped(nominal_v, watts_w), is_capped, "{nominal_v} V {watts_w} W");
        }
    }
    assert!(!capped("24", "138") && !capped("25.6", "138"));
}

/// Noon of mid September at 38.6 N on 30 degrees: a clear sky gives about 1000 W/m2, its edge of a cloud a half more.
#[test]
fn light_beyond_a_clear_sky_never_divides_watts() {
    for (poa, code) in [("980", None), ("1090", None), ("1225", Some("cloud_edge")), ("1480", Some("cloud_edge"))] {
        let one = format!("27.6 V 7.60 A {poa} W/m2 48 C");
        for count in [1, 4] {
            let (verdict, named) = said(&rated(Load::LoadTester, &vec![one.as_str(); count]));
            let of_sun: Vec<_> = named.iter().filter(|(code, _)| ["cloud_edge", "sun_impossible"].contains(code)).collect();
            match code {
                None => assert!(of_sun.is_empty(), "{poa}: {named:?}"),
                Some(code) => {
                    assert_eq!(of_sun.len(), count, "{poa}: {named:?}");
                    assert!(of_sun.iter().all(|found| **found == (code, Effect::LeftOut)), "{poa}: {named:?}");
                    assert_eq!(verdict, "cant_tell", "{poa}");
                }
            }
        }
    }
}

/// At half past eight a clear sky gives some 700 W/m2 there: no cloud's edge doubles it.
#[test]
fn twice_a_clear_sky_is_impossible() {
    let found = |poa: &str| {
        let typed = format!("27.6 V 7.60 A {poa} W/m2 48 C");
        let lines = lines(8.5, &[typed.as_str()]);
        said(&record(Question::MakesRating, whole(), setup(Load::LoadTester), None, &lines))
    };
    let (verdict, named) = found("1400");
    assert!(named.contains(&("sun_impossible", Effect::LeftOut)) && verdict == "cant_tell", "{named:?}");
    assert!(found("720").1.iter().all(|(code, _)| *code != "sun_impossible"));
}

#[test]
fn kilowatts_as_watts_and_volts_for_amps_are_slips_and_weak_watts_are_not() {
    let is_slip = |typed: &str| said(&rated(Load::LoadTester, &[typed])).1.contains(&("unit_slip", Effect::LeftOut));
    assert!(is_slip("0.203 W 900 W/m2 45 C"));
    assert!(is_slip("7.4 V 27.6 A 900 W/m2 45 C"));
    assert!(!is_slip("203 W 900 W/m2 45 C"));
    // A tenth of the watts is what a faulty panel gives.
    assert!(!is_slip("20.3 W 900 W/m2 45 C"));
    assert!(!is_slip("27.6 V 7.4 A 900 W/m2 45 C"));
}

/// A level may be anything: shade leaves a tenth of the amps.
#[test]
fn a_deep_level_of_a_comparison_is_no_slip() {
    let texts = ["7.40 A 860 W/m2", "0.80 A 860 W/m2", "7.41 A 860 W/m2"];
    let lines: Vec<Line> =
        lines(12.4, &texts).into_iter().enumerate().map(|(run, line)| Line { run: Some(run), ..line }).collect();
    let record = record(Question::ShadeCost, whole(), setup(Load::LoadTester), Some(&one_shade()), &lines);
    let assessment = assess(&record).unwrap();
    assert!(assessment.named.iter().all(|named| named.finding.code() != "unit_slip"));
    assert!(assessment.readings.iter().all(|reading| reading.left_out.is_empty()));
}

/// By hand: 27.4 V at 7.5 A in are 205.5 W; 14.1 V at 13.9 A out are 196 W, 95 %; 17.5 A out are 246.8 W, 120 %. A controller that passes
/// 7.6 A on at the battery's 13.2 V does not track.
#[test]
fn both_sides_of_a_controller_act_on_a_rating() {
    let of = |typed: &str| said(&rated(Load::TrackingController, &[typed]));
    let (verdict, named) = of("27.4 V 7.50 A out 14.1 V 13.9 A 900 W/m2 45 C");
    assert!(named.iter().all(|(_, effect)| *effect == Effect::Told), "{named:?}");
    assert_eq!(verdict, "consistent");
    let (verdict, named) = of("27.4 V 7.50 A out 14.1 V 17.5 A 900 W/m2 45 C");
    assert!(named.contains(&("over_unity", Effect::Forbids)), "{named:?}");
    assert_eq!(verdict, "cant_tell");
    let (verdict, named) = of("13.4 V 7.70 A out 13.2 V 7.60 A 900 W/m2 45 C");
    assert!(named.contains(&("not_tracking", Effect::Forbids)), "{named:?}");
    assert_eq!(verdict, "cant_tell");
}
