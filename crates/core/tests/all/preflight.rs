//! The preflight against the rules of trade it stands for, each example as a person would meet it.
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::preflight::item::{Item, Level, Missing, Risk};
use flindo_core::preflight::{gravest, preflight};
use flindo_core::rig::{MeterPosition, Module, Named, Placed, Rig, RigLoad, Sink};
use proptest::prelude::*;

fn gear(kind: GearKind, fields: &[(&str, &str)]) -> Gear {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    kind.check(&typed).unwrap()
}

fn meter(name: &str, spot: MeterPosition, fields: &[(&str, &str)]) -> Placed {
    let Gear::Meter(meter) = gear(GearKind::Meter, fields) else { panic!("a meter") };
    Placed { name: name.to_owned(), meter, spot }
}

fn controller(fields: &[(&str, &str)], battery: Option<&[(&str, &str)]>) -> Sink {
    let Gear::Controller(controller) = gear(GearKind::Controller, fields) else { panic!("a controller") };
    let battery = battery.map(|fields| match gear(GearKind::Battery, fields) {
        Gear::Battery(battery) => battery,
        _ => panic!("a battery"),
    });
    Sink::Controller { name: "Lathe".to_owned(), controller, battery }
}

fn station(fields: &[(&str, &str)]) -> Sink {
    let Gear::Station(station) = gear(GearKind::Station, fields) else { panic!("a station") };
    Sink::Station { name: "station".to_owned(), station }
}

/// (watts, Voc, Isc, Vmp, Imp), with -0.3 %/K of Voc.
fn panel(figures: [&str; 5]) -> Module {
    let [rated_w, voc_v, isc_a, vmp_v, imp_a] = figures.map(str::to_owned);
    let typed = LabelTyped { rated_w, voc_v, isc_a, vmp_v, imp_a, beta_voc: "-0.30 %/K".to_owned(), ..LabelTyped::default() };
    Module { tag: "P".to_owned(), nameplate: check(&typed).nameplate.unwrap(), wear: Vec::new() }
}

fn rig(strings: usize, series: usize, module: Module, sink: Sink) -> Rig {
    let strings = vec![vec![module; series]; strings];
    Rig { strings, string_fuse: None, joint: None, lead: None, sink, meters: Vec::new(), coldest_c: 0.0, hottest_c: 35.0 }
}

fn find(items: &[Item], is: impl Fn(&Risk) -> bool) -> Item {
    items.iter().find(|item| is(&item.risk)).unwrap_or_else(|| panic!("not among {items:#?}")).clone()
}

const TWELVE_VOLTS: &[(&str, &str)] = &[("nominal_v", "12"), ("capacity_ah", "200")];

/// Common practice, no source: three panels of about 38 V in series (113 V) destroyed a meter made for 60 V.
#[test]
fn a_60_volt_meter_on_a_string_of_113_volts_is_a_stop_before_it_is_plugged() {
    let mut rig = rig(1, 3, panel(["250", "37.7", "8.8", "30.4", "8.2"]), Sink::Open);
    rig.meters = vec![meter("watt-meter", MeterPosition::String, &[("kind", "in_line"), ("max_v", "60"), ("max_a", "100")])];
    let item = find(&preflight(&rig), |risk| matches!(risk, Risk::MeterVolts { .. }));
    let Risk::MeterVolts { cold_v, voc_v, limit_v } = item.risk else { unreachable!() };
    assert_eq!((item.level, limit_v), (Level::Stop, 60.0));
    assert!((voc_v - 113.1).abs() < 0.01 && cold_v > 120.0);
    // The same meter on one panel is fine.
    rig.strings = vec![vec![panel(["250", "37.7", "8.8", "30.4", "8.2"])]];
    assert_eq!(find(&preflight(&rig), |risk| matches!(risk, Risk::MeterVolts { .. })).level, Level::Ok);
}

/// Common practice, no source: 3 x 305 W on a 20 A controller into 12 V. In series near its 100 V limit; three times what it
/// lets through.
#[test]
fn three_times_305_watts_on_20_amps_into_12_volts_clip_and_come_near_the_volts() {
    let sink = || controller(&[("max_input_v", "100"), ("max_battery_a", "20")], Some(TWELVE_VOLTS));
    let levels = |voc_v: &str| {
        let items = preflight(&rig(1, 3, panel(["305", voc_v, "9.9", "27", "9.4"]), sink()));
        let volts = find(&items, |risk| matches!(risk, Risk::InputVolts { .. })).level;
        let amps = find(&items, |risk| matches!(risk, Risk::Clips { .. }));
        let Risk::Clips { offered_a, limit_a, full_w } = amps.risk else { unreachable!() };
        assert!(offered_a > 2.0 * limit_a && (full_w - 288.0).abs() < 1.0);
        assert_eq!(amps.level, Level::Caution, "clipping harms nothing");
        volts
    };
    assert_eq!(levels("32.5"), Level::Stop); // 97.5 V, in the cold 104.8
    assert_eq!(levels("30.0"), Level::Caution); // 90 V, in the cold 96.8
    assert_eq!(levels("24.0"), Level::Ok);
}

/// Common practice, no source: a probe meter's 10 A fuse at a combiner with three strings of 9 A.
#[test]
fn a_probe_meter_at_a_combiner_of_three_strings_is_a_stop_and_one_string_is_offered() {
    let mut rig = rig(3, 1, panel(["250", "37.7", "9.0", "30.4", "8.2"]), Sink::Open);
    rig.meters = vec![meter("multimeter", MeterPosition::Array, &[("kind", "probes"), ("max_v", "600"), ("max_a", "10")])];
    let items = preflight(&rig);
    let item = find(&items, |risk| matches!(risk, Risk::MeterAmps { .. }));
    assert_eq!(item.level, Level::Stop);
    assert!(matches!(item.risk, Risk::MeterAmps { isc_a, limit_a: 10.0, one_string_a: Some(9.0), .. } if isc_a == 27.0));
    // A clamp stands around the lead, and one string alone leaves only bright light open.
    rig.meters = vec![meter("clamp", MeterPosition::Array, &[("kind", "clamp"), ("max_v", "600"), ("max_a", "10")])];
    assert!(!preflight(&rig).iter().any(|item| matches!(item.risk, Risk::MeterAmps { .. })));
    rig.meters = vec![meter("multimeter", MeterPosition::String, &[("kind", "probes"), ("max_v", "600"), ("max_a", "10")])];
    assert_eq!(find(&preflight(&rig), |risk| matches!(risk, Risk::MeterAmps { .. })).level, Level::Caution);
    // Three strings with no fuse between them.
    let unfused = find(&items, |risk| matches!(risk, Risk::NoStringFuse { strings: 3, .. }));
    assert_eq!(unfused.level, Level::Stop);
    // By hand: the two others push 1.25 x 18 A back into one (NEC 2020, 690.8(A)(1)).
    assert!(matches!(unfused.risk, Risk::NoStringFuse { reverse_a, .. } if (reverse_a - 22.5).abs() < 1e-9), "{unfused:?}");
}

#[test]
fn a_clamp_for_alternating_current_shows_nothing_here() {
    let mut rig = rig(1, 1, panel(["250", "37.7", "9.0", "30.4", "8.2"]), Sink::Open);
    rig.meters = vec![meter("old clamp", MeterPosition::String, &[("kind", "clamp"), ("reads_dc", "no"), ("max_v", "600")])];
    assert_eq!(find(&preflight(&rig), |risk| *risk == Risk::MeterShowsNoDc).level, Level::Stop);
}

/// Common practice, no source: a branch connector for 30 A with 3 x 10 A has nothing left for bright light.
#[test]
fn a_branch_connector_at_its_limit_is_a_caution() {
    let level = |isc_a: &str| {
        let mut rig = rig(3, 1, panel(["170", "22.7", isc_a, "18.4", "9.2"]), Sink::Open);
        let Gear::Combiner(part) = gear(GearKind::Combiner, &[("is_branch", "yes"), ("max_a", "30")]) else { panic!("a joint") };
        rig.joint = Some(Named { name: "branch".to_owned(), part });
        find(&preflight(&rig), |risk| matches!(risk, Risk::JointAmps { .. })).level
    };
    assert_eq!((level("10"), level("10.1"), level("7.9")), (Level::Caution, Level::Stop, Level::Ok));
}

/// Common practice, no source: a 130 W panel on a 100 W port is capped, and its readings are no rating.
#[test]
fn a_130_watt_panel_on_a_100_watt_port_is_capped() {
    let sink = station(&[("max_input_v", "30"), ("max_input_w", "100"), ("max_input_a", "8.2")]);
    let items = preflight(&rig(1, 1, panel(["130", "22", "7.8", "18", "7.22"]), sink));
    let item = find(&items, |risk| matches!(risk, Risk::PortWatts { .. }));
    assert!(matches!(item.risk, Risk::PortWatts { watts_w, limit_w: 100.0 } if (watts_w - 130.0).abs() < 0.1));
    assert_eq!((item.level, gravest(&items)), (Level::Caution, Level::Caution));
}

/// Common practice, no source: a station that needs 11 V drops out when one panel is shaded; two in series keep it alive.
#[test]
fn one_shaded_panel_falls_below_eleven_volts_and_two_in_series_do_not() {
    let sink = || station(&[("min_input_v", "11"), ("max_input_v", "60"), ("max_input_w", "400")]);
    let level = |series| {
        let items = preflight(&rig(1, series, panel(["100", "22", "5.8", "18", "5.56"]), sink()));
        find(&items, |risk| matches!(risk, Risk::LowVolts { .. })).level
    };
    assert_eq!((level(1), level(2)), (Level::Caution, Level::Ok));
}

#[test]
fn a_nearly_full_or_freezing_battery_is_told_before_the_test() {
    let battery = |soc: &'static str| {
        controller(
            &[("max_input_v", "100"), ("max_battery_a", "30")],
            Some(Box::leak(Box::new([
                ("capacity_ah", "100"),
                ("chemistry", "lithium_iron_phosphate"),
                ("state_of_charge_percent", soc),
                ("max_charge_a", "20"),
            ]))),
        )
    };
    let mut rig = rig(1, 1, panel(["410", "37", "13.9", "31", "13.2"]), battery("97"));
    rig.coldest_c = -4.0;
    let items = preflight(&rig);
    assert_eq!(find(&items, |risk| matches!(risk, Risk::NearlyFull { .. })).level, Level::Caution);
    assert_eq!(find(&items, |risk| matches!(risk, Risk::ChargeCold { .. })).level, Level::Caution);
    // 410 W are 27 A into 14.4 V, more than the sheet's 20.
    assert_eq!(find(&items, |risk| matches!(risk, Risk::ChargeAmps { .. })).level, Level::Stop);
    rig.sink = battery("60");
    assert_eq!(find(&preflight(&rig), |risk| matches!(risk, Risk::NearlyFull { .. })).level, Level::Ok);
}

#[test]
fn a_tied_panel_of_36_volts_wastes_most_and_a_12_volt_one_never_starts_a_tracker() {
    let tied = controller(&[("tracking", "no"), ("max_input_v", "50"), ("max_battery_a", "20")], Some(TWELVE_VOLTS));
    let items = preflight(&rig(1, 1, panel(["100", "44", "2.95", "36", "2.78"]), tied));
    let waste = find(&items, |risk| matches!(risk, Risk::TiedWaste { .. }));
    assert!(
        matches!(waste.risk, Risk::TiedWaste { percent, .. } if (percent - 60.0).abs() < 1.0) && waste.level == Level::Caution
    );
    let tracker = controller(&[("max_input_v", "100"), ("max_battery_a", "20")], Some(TWELVE_VOLTS));
    let items = preflight(&rig(1, 1, panel(["100", "21.6", "6.1", "17.5", "5.7"]), tracker));
    assert_eq!(find(&items, |risk| matches!(risk, Risk::StartVolts { .. })).level, Level::Caution);
}

/// NEC 2020, 690.8(A)(1) and (B) (from memory): 1.25 for bright light and 1.25 for hours of it, 1.5625 together.
#[test]
fn leads_and_fuses_are_sized_for_one_and_a_half_times_the_short_circuit() {
    let mut rig = rig(1, 1, panel(["410", "37", "16.0", "31", "13.2"]), Sink::Open);
    let Gear::Lead(lead) = gear(GearKind::Lead, &[("gauge", "10 AWG"), ("length_m", "10")]) else { panic!("a lead") };
    let Gear::Fuse(fuse) = gear(GearKind::Fuse, &[("rated_a", "20")]) else { panic!("a fuse") };
    rig.lead = Some(Named { name: "lead".to_owned(), part: lead });
    rig.string_fuse = Some(Named { name: "fuse".to_owned(), part: fuse });
    let items = preflight(&rig);
    let amps = find(&items, |risk| matches!(risk, Risk::LeadAmps { .. }));
    assert_eq!(amps.risk, Risk::LeadAmps { needed_a: 25.0, limit_a: 35.0 });
    assert_eq!(find(&items, |risk| matches!(risk, Risk::FuseSmall { needed_a: 25.0, .. })).level, Level::Caution);
    let Risk::LeadDrop { drop_v, percent } = find(&items, |risk| matches!(risk, Risk::LeadDrop { .. })).risk else {
        unreachable!()
    };
    // By the code's table: 1.24 ohm/kft at 75 C is 0.0814 ohm for 20 m; 5 % less at 60 C; times 13.2 A.
    assert!((drop_v - 13.2 * 0.0814 * 0.95).abs() < 0.03 && (percent - drop_v / 31.0 * 100.0).abs() < 1e-9);
}

/// A rig that ends in nothing is not finished, and what is not known is said to be.
#[test]
fn an_unfinished_rig_is_told() {
    let of = |sink| preflight(&rig(3, 1, panel(["250", "37.7", "9.0", "30.4", "8.2"]), sink));
    let unknown = |items: &[Item], missing: Missing| items.iter().any(|item| item.risk == Risk::Unknown { missing });
    assert!(unknown(&of(Sink::Open), Missing::Load));
    for load in RigLoad::ALL {
        assert!(!unknown(&of(Sink::Load(*load)), Missing::Load), "{}", load.name());
    }
    let controller = GearKind::Controller.check(&Typed::new()).unwrap();
    let battery = GearKind::Battery.check(&Typed::new()).unwrap();
    let (Gear::Controller(controller), Gear::Battery(battery)) = (controller, battery) else { unreachable!() };
    let items = of(Sink::Controller { name: "C".into(), controller, battery: Some(battery) });
    assert!(unknown(&items, Missing::BatteryCurrent) && unknown(&items, Missing::ChargeCurrent));
    assert!(
        items
            .iter()
            .any(|item| matches!(item.risk, Risk::Unknown { missing: Missing::InputVoltage { cold_v } } if cold_v > 30.0))
    );
}

#[test]
fn cracked_glass_stops_and_a_silent_label_is_named() {
    let mut module = panel(["250", "37.7", "9.0", "30.4", "8.2"]);
    module.wear = vec![Defect::DiscolouredCells, Defect::CrackedGlass];
    let items = preflight(&rig(1, 2, module, Sink::Load(RigLoad::LoadTester)));
    assert_eq!(items[0].risk, Risk::Worn { tag: "P".to_owned(), wear: Defect::CrackedGlass });
    assert_eq!(items.iter().map(|item| item.level).collect::<Vec<_>>(), [Level::Stop, Level::Caution]);
    let silent = Module {
        nameplate: check(&LabelTyped { rated_w: "100".into(), ..LabelTyped::default() }).nameplate.unwrap(),
        tag: "Q".into(),
        wear: Vec::new(),
    };
    assert!(matches!(&preflight(&rig(1, 1, silent, Sink::Open))[0].risk, Risk::LabelSilent { tag } if tag == "Q"));
}

#[test]
fn unlike_panels_are_named_before_they_are_joined() {
    let (big, small) = (panel(["200", "37.5", "6.9", "31.3", "6.38"]), panel(["200", "22.4", "11.6", "18.6", "10.75"]));
    let mut series = rig(1, 1, big.clone(), Sink::Open);
    series.strings = vec![vec![big.clone(), small.clone()]];
    assert!(
        matches!(find(&preflight(&series), |risk| matches!(risk, Risk::UnlikeAmps { .. })).risk, Risk::UnlikeAmps { low_a, .. } if low_a == 6.38)
    );
    series.strings = vec![vec![big], vec![small]];
    assert!(
        matches!(find(&preflight(&series), |risk| matches!(risk, Risk::UnlikeVolts { .. })).risk, Risk::UnlikeVolts { low_v, .. } if low_v == 18.6)
    );
}

#[test]
fn any_change_of_the_figures_makes_it_another_finding() {
    let key = |series| {
        let mut rig = rig(1, series, panel(["250", "37.7", "9.0", "30.4", "8.2"]), Sink::Open);
        rig.meters = vec![meter("m", MeterPosition::String, &[("max_v", "60")])];
        find(&preflight(&rig), |risk| matches!(risk, Risk::MeterVolts { .. })).key()
    };
    assert_ne!(key(2), key(3));
    assert_eq!(key(2), key(2));
}

proptest! {
    /// More panels, or a colder morning, never make a rig safer for what is in it.
    #[test]
    fn more_volts_never_make_it_safer(series in 1_usize..5, cold_c in -30.0..15.0, limit_v in 20.0..200.0) {
        let level = |series, coldest_c| {
            let mut rig = rig(1, series, panel(["250", "37.7", "9.0", "30.4", "8.2"]), controller(&[("max_input_v", "150"), ("max_battery_a", "30")], Some(TWELVE_VOLTS)));
            rig.coldest_c = coldest_c;
            rig.meters = vec![meter("m", MeterPosition::String, &[("max_v", &format!("{limit_v:.1}"))])];
            let items = preflight(&rig);
            (find(&items, |risk| matches!(risk, Risk::MeterVolts { .. })).level, find(&items, |risk| matches!(risk, Risk::InputVolts { .. })).level)
        };
        let (here, longer, colder) = (level(series, cold_c), level(series + 1, cold_c), level(series, cold_c - 10.0));
        prop_assert!(longer.0 >= here.0 && longer.1 >= here.1 && colder.0 >= here.0 && colder.1 >= here.1);
    }
}
