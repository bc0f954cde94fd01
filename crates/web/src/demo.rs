//! The made-up bench: the workshop of a market-garden co-operative that tests every panel before it buys or reuses it.
//! Panels are named after pigments; all of it is invented.

mod logs;
mod open;
mod photo;
mod planned;
mod rigs;
mod tests;

use flindo_core::measure::entry::understand;
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::record::setup::{Load, Setup};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::{Ground, Horizon, Place};
use flindo_store::{KindDraft, NewReading, PanelDraft, PlaceDraft, Revision, Store, StoreError, TestDraft, new_uid};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

/// Of the workshop, near 38.6 N, 7.9 W.
pub const TIME_ZONE: &str = "Europe/Lisbon";

/// Fills a new demo bench; leaves one that has panels alone.
pub async fn fill(store: &Store) -> Result<(), StoreError> {
    if !store.panels().await?.is_empty() {
        return Ok(());
    }
    let place_id = store.add_place(&workshop()?).await?;
    let mut later = Vec::new();
    for panel in PANELS {
        let kind_id = store.add_kind(&kind(&panel)?).await?;
        let mut pieces = pieces(&panel, kind_id);
        // The second pieces of pairs came later.
        if matches!(panel.tag, "S-1" | "V-1") {
            later.extend(pieces.split_off(1));
        }
        store.add_panels(&pieces).await?;
    }
    store.add_panels(&later).await?;
    rigs::fill(store).await?;
    let panels = store.panels().await?;
    let id =
        |tag: &str| panels.iter().find(|panel| panel.draft.tag == tag).map(|panel| panel.id).ok_or(StoreError::NotFound("panel"));
    let clamp = Instruments { amps: Accuracy { percent: 1.0, digits: 3.0 }, sun_percent: 4.0, ..Instruments::default() };
    let saffron = Setup { instruments: clamp, ..Setup::default() };
    let umber = Setup { load: Load::TrackingController, tilt_deg: 40.0, ..saffron };
    log(store, place_id, id("S-1")?, saffron, "2026-09-12", &SAFFRON).await?;
    log(store, place_id, id("U-1")?, umber, "2026-10-03", &UMBER).await?;
    tests::fill(store, place_id, saffron).await?;
    open::made(store, place_id, saffron).await?;
    for (tag, day, lines) in tests::RATINGS {
        let setup = Setup { load: Load::LoadTester, ..saffron };
        log(store, place_id, id(tag)?, setup, day, lines).await?;
    }
    Ok(())
}

fn workshop() -> Result<PlaceDraft, StoreError> {
    let corrupt = |what: &str| StoreError::Corrupt(format!("the demo's {what}"));
    Ok(PlaceDraft {
        name: "Workshop yard".to_owned(),
        place: Place::check(38.6, -7.9, 300.0).map_err(|_| corrupt("place"))?,
        time_zone: TIME_ZONE.to_owned(),
        // A row of cypresses to the east, the seed store to the west.
        horizon: Horizon::parse("60 4, 90 14, 110 12, 125 3, 250 3, 265 9, 285 6").map_err(|_| corrupt("horizon"))?,
        ground: Ground::Soil,
        clarity: Clarity::Clear,
        coldest_c: -4.0,
        hottest_c: 42.0,
    })
}

struct DemoPanel {
    tag: &'static str,
    name: &'static str,
    is_used: bool,
    age_years: Option<f64>,
    price: f64,
    notes: &'static str,
    /// In the order of [`LabelTyped::FIELDS`].
    label: [&'static str; 13],
}

#[rustfmt::skip]
const PANELS: [DemoPanel; 10] = [
    DemoPanel { tag: "S-1", name: "Saffron 200", is_used: false, age_years: None, price: 118.0, notes: "For the seed cold-room.",
        label: ["200", "0/+3 %", "24.3", "10.4", "20.4", "9.81", "0.05 %/K", "-0.28 %/K", "-0.36 %/K", "36", "mono", "45", "cells_36"] },
    DemoPanel { tag: "U-1", name: "Umber 250", is_used: true, age_years: Some(11.0), price: 35.0, notes: "From a barn roof; a little brown between the cells.",
        label: ["250", "\u{b1}3 %", "37.8", "8.75", "30.4", "8.22", "0.05 %/K", "-0.32 %/K", "-0.43 %/K", "60", "poly", "46", "cells_60"] },
    DemoPanel { tag: "U-2", name: "Umber 250 twin", is_used: false, age_years: Some(11.0), price: 60.0, notes: "Same crate as U-1, never unpacked.",
        label: ["250", "\u{b1}3 %", "37.8", "8.75", "30.4", "8.22", "0.05 %/K", "-0.32 %/K", "-0.43 %/K", "60", "poly", "46", "cells_60"] },
    DemoPanel { tag: "I-1", name: "Indigo 410", is_used: false, age_years: None, price: 139.0, notes: "Bifacial, half-cut, 108 cells in two halves.",
        label: ["410", "0/+5 W", "37.4", "13.9", "31.2", "13.15", "0.045 %/K", "-0.25 %/K", "-0.30 %/K", "54", "mono", "43", "half_cut_108"] },
    DemoPanel { tag: "O-1", name: "Ochre 115", is_used: false, age_years: None, price: 129.0, notes: "Flexible, for the stall trailer.",
        label: ["115", "\u{b1}5 %", "22.0", "6.6", "18.3", "6.28", "0.05 %/K", "-0.29 %/K", "-0.38 %/K", "32", "mono", "", ""] },
    DemoPanel { tag: "V-1", name: "Verdigris 200", is_used: true, age_years: Some(6.0), price: 70.0, notes: "Thin film with many bypass diodes.",
        label: ["200", "\u{b1}5 %", "44.0", "6.5", "34.5", "5.8", "0.01 %/K", "-0.30 %/K", "-0.35 %/K", "68", "thin_film", "47", "thin_film_many_diodes"] },
    DemoPanel { tag: "M-1", name: "Madder 100", is_used: true, age_years: Some(4.0), price: 45.0, notes: "Pump at the lower well.",
        label: ["100", "\u{b1}3 %", "22.6", "5.86", "18.6", "5.38", "0.05 %/K", "-0.30 %/K", "-0.40 %/K", "36", "mono", "45", "cells_36"] },
    DemoPanel { tag: "N-1", name: "Sienna 100", is_used: true, age_years: Some(5.0), price: 40.0, notes: "Same pump as M-1, other volts.",
        label: ["100", "\u{b1}3 %", "19.9", "6.9", "15.9", "6.29", "0.05 %/K", "-0.31 %/K", "-0.41 %/K", "32", "poly", "46", ""] },
    DemoPanel { tag: "P-1", name: "Sepia 200", is_used: false, age_years: None, price: 99.0, notes: "On trial from a dealer.",
        label: ["200", "0/+3 %", "36.6", "7.05", "30.0", "6.67", "0.045 %/K", "-0.26 %/K", "-0.34 %/K", "54", "mono", "44", "half_cut_108"] },
    DemoPanel { tag: "B-1", name: "Bistre 240", is_used: true, age_years: Some(14.0), price: 18.0, notes: "Lot of ten from a dismantled roof.",
        label: ["240", "\u{b1}3 %", "37.2", "8.6", "29.6", "8.11", "0.05 %/K", "-0.33 %/K", "-0.44 %/K", "60", "poly", "47", "cells_60"] },
];

/// A line, and the line it was corrected to.
type Typed = (&'static str, Option<&'static str>);

const SAFFRON: [Typed; 5] = [
    ("18.49 V 8.25 A 862 W/m2 47.5 C @13:34", None),
    ("18.36 V 8.43 A 871 W/m2 48.2 C @13:38", None),
    ("18.32 V 84.9 A 880 W/m2 49.0 C haze @13:44", Some("18.32 V 8.49 A 880 W/m2 49.0 C haze @13:44")),
    ("18.41 V 8.51 A 884 W/m2 49.6 C @13:49", None),
    ("18.3-18.4 V 8.56-8.60 A 889 W/m2 50.1 C @13:55 # wind dropping", None),
];

const UMBER: [Typed; 5] = [
    ("25.9 V 4.31 A 640 W/m2 46.0 C thin cloud @12:58", None),
    ("26.69 V 5.89 A 905 W/m2 50.5 C @13:10", None),
    ("26.66 V 5.90 A 911 W/m2 51.0 C @13:14", None),
    ("26.51 V 5.92 A 915 W/m2 51.8 C @13:19", None),
    ("26.47 V 6.00 A 921 W/m2 52.3 C @13:24", None),
];

fn kind(panel: &DemoPanel) -> Result<KindDraft, StoreError> {
    let mut typed = LabelTyped::default();
    for (field, text) in LabelTyped::FIELDS.iter().zip(panel.label) {
        typed.set(field, text);
    }
    let nameplate =
        label::check(&typed).nameplate.ok_or_else(|| StoreError::Corrupt(format!("the demo's panel {}", panel.tag)))?;
    Ok(KindDraft { name: panel.name.to_owned(), nameplate, doubts_kept: false, price: Some(panel.price) })
}

fn pieces(panel: &DemoPanel, kind_id: i64) -> Vec<PanelDraft> {
    // Three of the twins hang in the barn; others came in pairs, and one kind as a lot of ten.
    let tags: &[&str] = match panel.tag {
        "U-2" => &["U-2", "U-3", "U-4"],
        "S-1" => &["S-1", "S-2"],
        "V-1" => &["V-1", "V-2"],
        "P-1" => &["P-1", "P-2"],
        "B-1" => &["B-1", "B-2", "B-3", "B-4", "B-5", "B-6", "B-7", "B-8", "B-9", "B-10"],
        only => &[only],
    };
    let piece = |tag: &&str| PanelDraft {
        tag: (*tag).to_owned(),
        kind_id,
        is_used: panel.is_used,
        age_years: panel.age_years,
        price: None,
        notes: panel.notes.to_owned(),
        provenance: String::new(),
        wear: if panel.tag == "U-1" { vec![Defect::DiscolouredCells] } else { Vec::new() },
    };
    tags.iter().map(piece).collect()
}

async fn log(store: &Store, place_id: i64, panel_id: i64, setup: Setup, day: &str, lines: &[Typed]) -> Result<(), StoreError> {
    let first = reading(&setup, day, lines.first().map_or("", |line| line.0))?.taken_utc;
    let meters = rigs::usual_meters(&store.gear().await?, &setup);
    let draft = TestDraft { meters, ..TestDraft::of_rating(panel_id, Some(place_id), setup) };
    let test_id = store.add_test(&draft, first).await?;
    for (typed, corrected) in lines {
        let new = reading(&setup, day, typed)?;
        store.accept(test_id, &new, new.taken_utc).await?;
        if let Some(corrected) = corrected {
            let revision = Revision { replaces_uid: new.uid, reason: "decimal point".to_owned(), withdrawn: false };
            let corrected = NewReading { revision: Some(revision), ..reading(&setup, day, corrected)? };
            store.accept(test_id, &corrected, corrected.taken_utc).await?;
        }
    }
    Ok(())
}

fn reading(setup: &Setup, day: &str, typed: &str) -> Result<NewReading, StoreError> {
    let corrupt = || StoreError::Corrupt(format!("the demo's line \"{typed}\""));
    let entry = understand(typed, &setup.meaning()).map_err(|_| corrupt())?;
    let time = entry.time.ok_or_else(corrupt)?;
    let local: DateTime =
        format!("{day}T{:02}:{:02}:{:02}", time.hour, time.minute, time.second).parse().map_err(|_| corrupt())?;
    let zone = TimeZone::get(TIME_ZONE).map_err(|_| corrupt())?;
    let taken_utc: Timestamp = zone.to_timestamp(local).map_err(|_| corrupt())?;
    Ok(NewReading {
        uid: new_uid(),
        taken_utc,
        typed: typed.to_owned(),
        note: entry.note.clone().unwrap_or_default(),
        sky: entry.sky,
        figures: entry.figures(),
        run_id: None,
        revision: None,
    })
}
