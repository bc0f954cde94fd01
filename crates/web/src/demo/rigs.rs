//! The workshop's gear and rigs, and a sweep of tilts made with one of them. Controllers are named after tools.

use super::reading;
use flindo_core::gear::{Kind, Typed};
use flindo_core::record::plan::{self, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::run::RunEventKind;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::rig::Spot;
use flindo_store::{GearDraft, NewEvent, NewReading, NewRun, RigDraft, Store, StoreError, TestDraft, new_uid};

type Piece = (Kind, &'static str, &'static [(&'static str, &'static str)], &'static str);

const GEAR: [Piece; 17] = [
    (
        Kind::Meter,
        "Yard load tester",
        &[
            ("kind", "load_tester"),
            ("max_v", "150"),
            ("max_a", "20"),
            ("max_w", "500"),
            ("volts_step_v", "0.01"),
            ("amps_step_a", "0.01"),
            ("speaks", "scpi"),
            ("address", "127.0.0.1:5025"),
        ],
        "A stand-in: a simulated meter that ships with the program.",
    ),
    (
        Kind::Meter,
        "Cold-room logger",
        &[
            ("kind", "in_line"),
            ("max_v", "100"),
            ("max_a", "30"),
            ("volts_step_v", "0.01"),
            ("amps_step_a", "0.01"),
            ("speaks", "lines"),
            ("address", "127.0.0.1:5026"),
        ],
        "A stand-in, under passing clouds.",
    ),
    (
        Kind::Meter,
        "Trailer shunt",
        &[
            ("kind", "in_line"),
            ("max_v", "60"),
            ("max_a", "50"),
            ("volts_step_v", "0.01"),
            ("amps_step_a", "0.01"),
            ("speaks", "modbus_tcp"),
            ("address", "127.0.0.1:5027"),
            ("map", flindo_meters::standin::MODBUS_MAP),
        ],
        "A stand-in.",
    ),
    (
        Kind::Meter,
        "Bench multimeter",
        &[
            ("kind", "probes"),
            ("max_v", "600"),
            ("max_a", "10"),
            ("volts_percent", "0.5"),
            ("volts_digits", "2"),
            ("amps_percent", "1.5"),
            ("amps_digits", "3"),
        ],
        "Fused at 10 A.",
    ),
    (
        Kind::Meter,
        "DC clamp",
        &[("kind", "clamp"), ("max_v", "600"), ("amps_percent", "2"), ("amps_digits", "5")],
        "Zero it before every run.",
    ),
    (Kind::Meter, "Little watt-meter", &[("kind", "in_line"), ("max_v", "60"), ("max_a", "50")], ""),
    (Kind::Meter, "Sun meter", &[("kind", "irradiance"), ("sun_percent", "4"), ("thermometer_k", "1.5")], ""),
    (
        Kind::Controller,
        "Lathe 30",
        &[
            ("tracking", "yes"),
            ("max_input_v", "100"),
            ("max_battery_a", "30"),
            ("efficiency_percent", "96"),
            ("own_draw_awake_a", "0.06"),
            ("own_draw_asleep_a", "0.02"),
        ],
        "Irrigation pumps.",
    ),
    (Kind::Controller, "Gimlet 20", &[("tracking", "no"), ("max_input_v", "50"), ("max_battery_a", "20")], "Stall trailer."),
    (
        Kind::Controller,
        "Awl 15",
        &[("tracking", "yes"), ("max_input_v", "50"), ("max_battery_a", "15")],
        "Sold as tracking; nobody has checked.",
    ),
    (
        Kind::Battery,
        "Pump battery",
        &[
            ("nominal_v", "12"),
            ("chemistry", "lithium_iron_phosphate"),
            ("capacity_ah", "100"),
            ("max_charge_a", "50"),
            ("state_of_charge_percent", "55"),
        ],
        "",
    ),
    (
        Kind::Battery,
        "Trailer battery",
        &[("nominal_v", "12"), ("chemistry", "sealed_lead"), ("capacity_ah", "90"), ("state_of_charge_percent", "92")],
        "Nearly always full.",
    ),
    (
        Kind::Station,
        "Stall station",
        &[("min_input_v", "11"), ("max_input_v", "30"), ("max_input_w", "100"), ("max_input_a", "8")],
        "",
    ),
    (Kind::Lead, "Ten-metre lead", &[("gauge", "4 mm2"), ("length_m", "10")], ""),
    (Kind::Lead, "Thin lead", &[("gauge", "16 AWG"), ("length_m", "6")], ""),
    (Kind::Joint, "Three-way branch", &[("is_branch", "yes"), ("max_a", "30"), ("max_v", "1000")], ""),
    (Kind::Fuse, "String fuse 15", &[("rated_a", "15"), ("max_v", "1000")], ""),
];

pub async fn fill(store: &Store) -> Result<(), StoreError> {
    for (kind, name, fields, notes) in GEAR {
        let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
        kind.check(&typed).map_err(|notes| StoreError::Corrupt(format!("the demo's {name}: {notes:?}")))?;
        store.add_gear(&GearDraft { kind, name: name.to_owned(), notes: notes.to_owned(), typed }).await?;
    }
    let gear = store.gear().await?;
    let id = |name: &str| gear.iter().find(|row| row.draft.name == name).map(|row| row.id);
    let meter = |spot, name: &str| id(name).map(|id| (spot, id));
    let rigs = [
        RigDraft {
            name: "Pump rig".to_owned(),
            wiring: "S-1".to_owned(),
            lead_id: id("Ten-metre lead"),
            sink_id: id("Lathe 30"),
            battery_id: id("Pump battery"),
            meters: [meter(Spot::Array, "Yard load tester"), meter(Spot::Battery, "DC clamp"), meter(Spot::Plane, "Sun meter")]
                .into_iter()
                .flatten()
                .collect(),
            ..RigDraft::default()
        },
        RigDraft {
            name: "Barn string".to_owned(),
            wiring: "U-2 + U-3 + U-4".to_owned(),
            lead_id: id("Thin lead"),
            sink_id: id("Lathe 30"),
            battery_id: id("Pump battery"),
            meters: [meter(Spot::Array, "Little watt-meter"), meter(Spot::Battery, "DC clamp")].into_iter().flatten().collect(),
            ..RigDraft::default()
        },
        RigDraft {
            name: "Stall trailer".to_owned(),
            wiring: "O-1".to_owned(),
            sink_id: id("Stall station"),
            meters: [meter(Spot::Array, "Trailer shunt")].into_iter().flatten().collect(),
            ..RigDraft::default()
        },
    ];
    for rig in rigs {
        store.add_rig(&rig).await?;
    }
    Ok(())
}

/// A planned test with its runs as they were made.
struct Planned {
    question: Question,
    rig: &'static str,
    day: &'static str,
    plan: &'static [(&'static str, &'static str)],
    /// Levels in the order of the sheet.
    order: &'static [usize],
    /// One line for each run that was made, in that order.
    lines: &'static [&'static str],
}

/// Three tilts, the baseline between them; the last two runs are still to come.
const TILTS: Planned = Planned {
    question: Question::WhichTilt,
    rig: "Pump rig",
    day: "2026-09-14",
    plan: &[
        ("panel", "S-1 Saffron 200"),
        ("load_words", "load tester"),
        ("baseline", "35"),
        ("levels", "15; 25; 45"),
        ("settle_s", "15"),
        ("prediction", "Flatter is a little worse in September; 45 about the same."),
    ],
    order: &[0, 1, 2, 3, 0, 3, 2, 1, 0],
    lines: &[
        "18.21 V 8.36 A 49.0 C @12:40",
        "18.24 V 7.96 A 48.6 C @12:44",
        "18.22 V 8.28 A 48.9 C @12:48",
        "18.19 V 8.16 A 49.2 C @12:52",
        "18.20 V 8.43 A 49.4 C @12:56",
        "18.18 V 8.24 A 49.6 C @13:00",
        "18.20 V 8.38 A 49.3 C @13:04",
    ],
};

/// Four shades, the baseline around each.
const SHADES: Planned = Planned {
    question: Question::ShadeCost,
    rig: "Pump rig",
    day: "2026-09-13",
    plan: &[
        ("panel", "S-1 Saffron 200"),
        ("tilt", "35\u{b0}"),
        ("load_words", "load tester"),
        ("baseline", "none"),
        ("levels", "one cell; bottom row of cells; left column; band across 10 % cloth 30 % through"),
        ("prediction", "The row at the bottom costs most."),
    ],
    order: &[0, 1, 0, 2, 0, 3, 0, 4, 0],
    lines: &[
        "18.36 V 8.41 A 868 W/m2 47.8 C @13:10",
        "8.87 V 8.33 A 870 W/m2 47.9 C @13:12",
        "18.34 V 8.43 A 871 W/m2 48.1 C @13:14",
        "17.60 V 0.31 A 872 W/m2 47.2 C @13:16",
        "18.33 V 8.45 A 873 W/m2 48.0 C @13:18",
        "8.86 V 8.38 A 874 W/m2 48.3 C @13:20",
        "18.30 V 8.46 A 875 W/m2 48.4 C @13:22",
        "18.9 V 3.62 A 876 W/m2 48.0 C @13:24",
        "18.31 V 8.47 A 877 W/m2 48.3 C @13:26",
    ],
};

/// Two days in September.
pub async fn tests(store: &Store, place_id: i64, panel_id: i64, setup: Setup) -> Result<(), StoreError> {
    let setup = Setup { load: Load::LoadTester, tilt_deg: 35.0, ..setup };
    made(store, place_id, panel_id, setup, &TILTS).await?;
    made(store, place_id, panel_id, setup, &SHADES).await
}

async fn made(store: &Store, place_id: i64, panel_id: i64, setup: Setup, test: &Planned) -> Result<(), StoreError> {
    let mut typed = PlanTyped::default();
    typed.set("question", test.question.name());
    for (name, text) in test.plan {
        typed.set(name, *text);
    }
    let names = store.register().await?.names();
    let plan =
        plan::check(&typed, setup.load, &names).map_err(|notes| StoreError::Corrupt(format!("the demo's plan: {notes:?}")))?;
    let first = reading(&setup, test.day, test.lines.first().copied().unwrap_or_default())?.taken_utc;
    let rig_id = store.rigs().await?.into_iter().find(|rig| rig.draft.name == test.rig).map(|rig| rig.id);
    let draft =
        TestDraft { question: test.question, rig_id, plan: Some(plan), ..TestDraft::of_rating(panel_id, Some(place_id), setup) };
    let runs: Vec<NewRun> = (1_i64..)
        .zip(test.order)
        .map(|(place, level)| {
            let planned_utc = first.checked_add(jiff::SignedDuration::from_mins((place - 1) * 4)).ok();
            NewRun { place, level: *level, rig: 0, is_added: false, planned_utc }
        })
        .collect();
    let test_id = store.add_planned_test(&draft, &runs, first).await?;
    let runs = store.runs(test_id).await?;
    for (line, run) in test.lines.iter().zip(&runs) {
        let new = NewReading { run_id: Some(run.id), ..reading(&setup, test.day, line)? };
        let begun = new.taken_utc.checked_sub(jiff::SignedDuration::from_secs(40)).unwrap_or(new.taken_utc);
        for (what, at_utc) in [(RunEventKind::Begun, begun), (RunEventKind::Done, new.taken_utc)] {
            store.add_event(test_id, run.id, &NewEvent { uid: new_uid(), what, text: String::new(), at_utc }).await?;
        }
        store.accept(test_id, &new, new.taken_utc).await?;
    }
    Ok(())
}
