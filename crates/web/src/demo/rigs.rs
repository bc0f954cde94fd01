//! The workshop's gear and rigs. Controllers are named after tools.

use flindo_core::gear::{GearKind, Typed};
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::record::setup::{IrradianceSource, Load, Setup};
use flindo_core::rig::{MeterPosition, RigLoad};
use flindo_store::{GearDraft, GearRow, RigDraft, Store, StoreError};

type Piece = (GearKind, &'static str, &'static [(&'static str, &'static str)], &'static str);

const GEAR: [Piece; 17] = [
    (
        GearKind::Meter,
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
        GearKind::Meter,
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
        GearKind::Meter,
        "Trailer shunt",
        &[
            ("kind", "in_line"),
            ("max_v", "60"),
            ("max_a", "50"),
            ("volts_step_v", "0.01"),
            ("amps_step_a", "0.01"),
            ("speaks", "modbus_tcp"),
            ("address", "127.0.0.1:5027"),
            ("map", flindo_meters::simulator::MODBUS_MAP),
        ],
        "A stand-in.",
    ),
    (
        GearKind::Meter,
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
        GearKind::Meter,
        "DC clamp",
        &[("kind", "clamp"), ("max_v", "600"), ("amps_percent", "2"), ("amps_digits", "5")],
        "Zero it before every run.",
    ),
    (GearKind::Meter, "Little watt-meter", &[("kind", "in_line"), ("max_v", "60"), ("max_a", "50")], ""),
    (GearKind::Meter, "Sun meter", &[("kind", "irradiance"), ("sun_percent", "4"), ("thermometer_k", "1.5")], ""),
    (
        GearKind::Controller,
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
    (GearKind::Controller, "Gimlet 20", &[("tracking", "no"), ("max_input_v", "50"), ("max_battery_a", "20")], "Stall trailer."),
    (
        GearKind::Controller,
        "Awl 15",
        &[("tracking", "yes"), ("max_input_v", "50"), ("max_battery_a", "15")],
        "Sold as tracking; nobody has checked.",
    ),
    (
        GearKind::Battery,
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
        GearKind::Battery,
        "Trailer battery",
        &[("nominal_v", "12"), ("chemistry", "sealed_lead"), ("capacity_ah", "90"), ("state_of_charge_percent", "92")],
        "Nearly always full.",
    ),
    (
        GearKind::Station,
        "Stall station",
        &[("min_input_v", "11"), ("max_input_v", "30"), ("max_input_w", "100"), ("max_input_a", "8")],
        "",
    ),
    (GearKind::Lead, "Ten-metre lead", &[("gauge", "4 mm2"), ("length_m", "10")], ""),
    (GearKind::Lead, "Thin lead", &[("gauge", "16 AWG"), ("length_m", "6")], ""),
    (GearKind::Combiner, "Three-way branch", &[("is_branch", "yes"), ("max_a", "30"), ("max_v", "1000")], ""),
    (GearKind::Fuse, "String fuse 15", &[("rated_a", "15"), ("max_v", "1000")], ""),
];

/// What the workshop reads with where no rig says it: the load tester, and the sun meter beside the panel.
pub fn usual_meters(gear: &[GearRow], setup: &Setup) -> Vec<MeterUse> {
    let used = |reads: Reads, name: &str| {
        let row = gear.iter().find(|row| row.draft.name == name)?;
        Some(MeterUse { reads, place: None, meter: row.uid.clone(), calibrated: String::new() })
    };
    let of = |reads: Reads| match reads {
        Reads::Volts | Reads::Amps if setup.load == Load::LoadTester => used(reads, "Yard load tester"),
        Reads::Irradiance if setup.irradiance_source == IrradianceSource::PlaneMeter => used(reads, "Sun meter"),
        Reads::Volts | Reads::Amps | Reads::Watts | Reads::Irradiance | Reads::Temperature => None,
    };
    Reads::ALL.iter().filter_map(|reads| of(*reads)).collect()
}

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
            meters: [
                meter(MeterPosition::Array, "Yard load tester"),
                meter(MeterPosition::Battery, "DC clamp"),
                meter(MeterPosition::Plane, "Sun meter"),
            ]
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
            meters: [meter(MeterPosition::Array, "Little watt-meter"), meter(MeterPosition::Battery, "DC clamp")]
                .into_iter()
                .flatten()
                .collect(),
            ..RigDraft::default()
        },
        RigDraft {
            name: "Stall trailer".to_owned(),
            wiring: "O-1".to_owned(),
            sink_id: id("Stall station"),
            meters: [meter(MeterPosition::Array, "Trailer shunt")].into_iter().flatten().collect(),
            ..RigDraft::default()
        },
    ];
    // Pairs and pumps, for tests of several panels; load testers take their place of a controller.
    let pairs =
        [("Saffron pair", "S-1 | S-2"), ("Sepia pair", "P-1 | P-2"), ("Verdigris pair", "V-1 | V-2"), ("Well pump", "M-1 | N-1")];
    let pairs = pairs.map(|(name, wiring)| RigDraft {
        name: name.to_owned(),
        wiring: wiring.to_owned(),
        ends_in: Some(RigLoad::LoadTester),
        ..RigDraft::default()
    });
    for rig in rigs.into_iter().chain(pairs) {
        store.add_rig(&rig).await?;
    }
    Ok(())
}
