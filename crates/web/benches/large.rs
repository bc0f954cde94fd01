//! A bench of ten million samples, 200,000 readings, 2,000 tests and 1,000 panels, and how long every page of it takes beside one of an
//! empty bench.
//!
//! `cargo bench -p flindo --bench large`; after `--` a share of that size, such as 0.1. The file is kept in the folder for temporary files
//! and used again. docs/speed.md keeps the table.

use flindo_core::measure::quantity::{Figures, Quantity, Seen};
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Load, Setup};
use flindo_core::sky::note::SkyNote;
use flindo_meters::Allowed;
use flindo_store::{BenchKind, KindDraft, NewReading, NewSample, PanelDraft, PlaceDraft, Store, TestDraft};
use jiff::Timestamp;
use std::path::Path;
use std::time::Instant;

type Failure = Box<dyn std::error::Error>;

const TESTS: usize = 2_000;
const READINGS: usize = 200_000;
const PANELS: usize = 1_000;
const SAMPLES: usize = 10_000_000;

/// One test has this many readings, and one log is a day of three quantities at five a second.
const LARGE_TEST: usize = 30_000;
const DAY_SAMPLES: usize = 3 * 5 * 86_400;

/// 2026-06-01T10:00:00Z.
const FIRST_S: i64 = 1_780_308_000;

/// Pages that both benches have.
const PAGES: [&str; 15] = [
    "/",
    "/panels",
    "/gear",
    "/meters",
    "/plan",
    "/plan/shade_cost",
    "/tests/new",
    "/panels/new",
    "/bench",
    "/help",
    "/today",
    "/aim",
    "/import",
    "/api/v1/tests",
    "/api/v1/panels",
];

/// Pages of the large one: its largest test, a usual one, a panel, a day's log.
const OWN_PAGES: [&str; 10] = [
    "/tests/1",
    "/tests/1/result",
    "/tests/1/readings",
    "/tests/1/report",
    "/tests/2",
    "/tests/2/result",
    "/panels/1",
    "/panels/500",
    "/logs/1",
    "/logs/1/samples.csv",
];

fn main() -> Result<(), Failure> {
    // Cargo adds an argument of its own.
    let share: f64 = std::env::args().skip(1).find_map(|arg| arg.parse().ok()).unwrap_or(1.0);
    tokio::runtime::Runtime::new()?.block_on(run(share))
}

async fn run(share: f64) -> Result<(), Failure> {
    let path = |name: String| std::env::temp_dir().join("flindo-large").join(name);
    let large = path(format!("{share}.bench"));
    if !large.exists() {
        let begun = Instant::now();
        fill(&large, share).await?;
        println!("made in {:.0} s", begun.elapsed().as_secs_f64());
    }
    let empty = path("empty.bench".to_owned());
    for suffix in ["", "-wal", "-shm"] {
        // There may be none from the last time.
        let _ = std::fs::remove_file(format!("{}{suffix}", empty.display()));
    }
    let opened = Instant::now();
    let large = serve(&large).await?;
    println!("opened and looked through in {:.1} s", opened.elapsed().as_secs_f64());
    let small = serve(&empty).await?;
    println!("| page | first, ms | again, ms | empty bench, ms | ratio |\n|---|---|---|---|---|");
    for page in PAGES {
        let (first_ms, again_ms) = timed(&large, page).await?;
        let (_, empty_ms) = timed(&small, page).await?;
        println!("| {page} | {first_ms:.1} | {again_ms:.1} | {empty_ms:.1} | {:.1} |", again_ms / empty_ms);
    }
    for page in OWN_PAGES {
        let (first_ms, again_ms) = timed(&large, page).await?;
        println!("| {page} | {first_ms:.1} | {again_ms:.1} | | |");
    }
    let (page_ms, home_ms) = after_a_reading(&large).await?;
    println!("| /tests/1 after one more reading | {page_ms:.1} | | | |\n| / after it | {home_ms:.1} | | | |");
    Ok(())
}

/// Milliseconds of the page of the largest test, and of the home page, the first time after each of five more readings; the median.
async fn after_a_reading(base: &str) -> Result<(f64, f64), Failure> {
    let client = reqwest::Client::builder().no_proxy().build()?;
    let mut times = (Vec::new(), Vec::new());
    for nth in 0..5 {
        let now = Timestamp::now();
        let uid = format!("more-{}-{nth}", now.as_millisecond());
        let readings = serde_json::json!([{ "uid": uid, "typed": "18.4 V 8.5 A 900 W/m2 49 C", "taken_utc": now.to_string() }]);
        client.post(format!("{base}/api/v1/tests/1/readings")).json(&readings).send().await?.error_for_status()?;
        for (page, times) in [("/tests/1", &mut times.0), ("/", &mut times.1)] {
            let begun = Instant::now();
            client.get(format!("{base}{page}")).send().await?.error_for_status()?.bytes().await?;
            times.push(begun.elapsed().as_secs_f64() * 1000.0);
        }
    }
    times.0.sort_by(f64::total_cmp);
    times.1.sort_by(f64::total_cmp);
    Ok((times.0[2], times.1[2]))
}

async fn serve(path: &Path) -> Result<String, Failure> {
    let store = Store::open(path, BenchKind::Own, "Europe/Lisbon").await?;
    if store.places().await?.is_empty() {
        store.add_place(&place()?).await?;
    }
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let base = format!("http://{}", listener.local_addr()?);
    let state = flindo::AppState::start(store, Allowed::default()).await?;
    tokio::spawn(flindo::run(listener, state, std::future::pending()));
    Ok(base)
}

/// Milliseconds of the first time, and the median of seven after it.
async fn timed(base: &str, page: &str) -> Result<(f64, f64), Failure> {
    let client = reqwest::Client::builder().no_proxy().build()?;
    // The connection is not part of the first page.
    client.get(format!("{base}/healthz")).send().await?.bytes().await?;
    let mut times = Vec::new();
    for _ in 0..8 {
        let begun = Instant::now();
        let answer = client.get(format!("{base}{page}")).send().await?.error_for_status()?;
        answer.bytes().await?;
        times.push(begun.elapsed().as_secs_f64() * 1000.0);
    }
    let first_ms = times.remove(0);
    times.sort_by(f64::total_cmp);
    Ok((first_ms, times[times.len() / 2]))
}

fn place() -> Result<PlaceDraft, Failure> {
    Ok(PlaceDraft {
        name: "Yard".to_owned(),
        place: flindo_core::sky::place::Place::check(38.6, -7.9, 300.0)?,
        time_zone: "Europe/Lisbon".to_owned(),
        horizon: Default::default(),
        ground: Default::default(),
        clarity: Default::default(),
        coldest_c: -4.0,
        hottest_c: 42.0,
    })
}

fn kind(nth: usize) -> Result<KindDraft, Failure> {
    let scale = 0.75 + 0.025 * nth as f64;
    let mut typed = LabelTyped::default();
    for (field, text) in [
        ("rated_w", format!("{:.0}", 200.0 * scale)),
        ("voc_v", "24.3".to_owned()),
        ("isc_a", format!("{:.2}", 10.4 * scale)),
        ("vmp_v", "20.4".to_owned()),
        ("imp_a", format!("{:.2}", 9.81 * scale)),
        ("beta_voc", "-0.28 %/K".to_owned()),
        ("gamma_pmax", "-0.36 %/K".to_owned()),
        ("alpha_isc", "0.05 %/K".to_owned()),
        ("cells_in_series", "36".to_owned()),
    ] {
        typed.set(field, text);
    }
    let nameplate = label::check(&typed).nameplate.ok_or("a label that is none")?;
    Ok(KindDraft { name: format!("Kind {nth}"), nameplate, doubts_kept: true, price: Some(90.0) })
}

fn reading(test: usize, nth: usize, at_s: i64) -> Result<NewReading, Failure> {
    // A variation without a random number, so that the file is the same each time.
    let unsteady = ((nth * 37 + test * 11) % 97) as f64 / 97.0 - 0.5;
    let mut figures = Figures::default();
    for (quantity, value, step) in [
        (Quantity::Voltage, 18.4 + 0.2 * unsteady, 0.01),
        (Quantity::Current, 8.5 + 0.1 * unsteady, 0.01),
        (Quantity::Poa, 900.0 + 10.0 * unsteady, 1.0),
        (Quantity::Back, 49.0 + unsteady, 0.1),
    ] {
        figures.set(quantity, Seen::at((value / step).round() * step, step));
    }
    Ok(NewReading {
        uid: format!("reading-{test:05}-{nth:06}"),
        taken_utc: Timestamp::from_second(at_s)?,
        typed: String::new(),
        note: String::new(),
        sky: Some(SkyNote::Clear),
        figures,
        run_id: None,
        revision: None,
    })
}

async fn fill(path: &Path, share: f64) -> Result<(), Failure> {
    let of = |whole: usize| ((whole as f64 * share) as usize).max(1);
    let store = Store::open(path, BenchKind::Own, "Europe/Lisbon").await?;
    let place_id = store.add_place(&place()?).await?;
    let mut kinds = Vec::new();
    for nth in 0..40 {
        kinds.push(store.add_kind(&kind(nth)?).await?);
    }
    let panel = |nth: usize| PanelDraft {
        tag: format!("P-{nth}"),
        kind_id: kinds[nth % kinds.len()],
        is_used: true,
        age_years: None,
        price: None,
        notes: String::new(),
        provenance: String::new(),
        wear: Vec::new(),
    };
    let panels = store.add_panels(&(0..of(PANELS)).map(panel).collect::<Vec<_>>()).await?;
    let setup = Setup {
        tilt_deg: 30.0,
        azimuth_deg: 180.0,
        load: Load::LoadTester,
        irradiance_source: IrradianceSource::PlaneMeter,
        cell_temperature: CellTemperatureSource::BackProbe,
        ..Setup::default()
    };
    let each = (of(READINGS).saturating_sub(of(LARGE_TEST)) / of(TESTS)).max(1);
    for test in 0..of(TESTS) {
        // The first one is the oldest and the largest; several tests a day.
        let day_s = FIRST_S + 86_400 * (test as i64 % 150);
        let draft = TestDraft::of_rating(panels[test % panels.len()], Some(place_id), setup);
        let id = store.add_test(&draft, Timestamp::from_second(day_s + test as i64)?).await?;
        let count = if test == 0 { of(LARGE_TEST) } else { each };
        let readings = (0..count).map(|nth| reading(test, nth, day_s + nth as i64 / 2)).collect::<Result<Vec<_>, _>>()?;
        for part in readings.chunks(10_000) {
            store.accept_all(id, part, Timestamp::now()).await?;
        }
    }
    let logs = of(SAMPLES).div_ceil(DAY_SAMPLES);
    for log in 0..logs {
        let begins_s = FIRST_S + 86_400 * log as i64;
        let id = store.begin_log(None, None, &format!("logger {log}"), Timestamp::from_second(begins_s)?).await?;
        let moments = (of(SAMPLES) / logs / 3).min(DAY_SAMPLES / 3);
        for first in (0..moments).step_by(5_000) {
            let sample = |nth: usize| {
                let at_ms = begins_s * 1000 + nth as i64 * 200;
                let value = 50.0 + (nth % 1000) as f64 / 100.0;
                [Quantity::Voltage, Quantity::Current, Quantity::Power].map(|quantity| NewSample { quantity, at_ms, value })
            };
            let samples: Vec<NewSample> = (first..moments.min(first + 5_000)).flat_map(sample).collect();
            store.add_samples(id, &samples).await?;
        }
        store.end_log(id, Timestamp::from_second(begins_s + 86_400)?).await?;
    }
    store.close().await;
    Ok(())
}
