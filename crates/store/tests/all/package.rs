//! Benches as packages: the same bench again in an empty one, two benches joined by what their rows are, and nothing of a wrong package.

use crate::bench::TempBench;

use flindo_store::package::{Chosen, ConflictKind, PackageError, Prefer};
use jiff::Timestamp;
use proptest::prelude::*;
use sqlx::sqlite::{SqliteConnectOptions, SqlitePool, SqlitePoolOptions};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

/// The tables themselves, to be filled with what no page would type.
pub async fn raw(bench: &TempBench) -> SqlitePool {
    let options = SqliteConnectOptions::new().filename(bench.path()).foreign_keys(true);
    SqlitePoolOptions::new().max_connections(1).connect_with(options).await.unwrap()
}

pub async fn run(pool: &SqlitePool, sql: &str) {
    sqlx::query(sqlx::AssertSqlSafe(sql.to_owned())).execute(pool).await.unwrap_or_else(|error| panic!("{sql}: {error}"));
}

fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// What a random bench is made of.
#[derive(Debug, Clone)]
pub struct Drawn {
    texts: Vec<String>,
    reals: Vec<f64>,
    optional: Vec<bool>,
    panels: usize,
}

impl Drawn {
    fn text(&self, nth: usize) -> String {
        quoted(&self.texts[nth % self.texts.len()])
    }

    fn real(&self, nth: usize) -> f64 {
        self.reals[nth % self.reals.len()]
    }

    fn or_null(&self, nth: usize, value: String) -> String {
        if self.optional[nth % self.optional.len()] { value } else { "NULL".to_owned() }
    }
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let text = prop_oneof![
        Just(String::new()),
        Just("\\".to_owned()),
        Just("a \"quoted\", text; with\nlines\tand 'marks'".to_owned()),
        Just("\u{fc}ber 35\u{b0}, \u{592a}\u{967d} \u{1f31e}".to_owned()),
        "[ -~]{0,12}",
    ];
    let real = prop_oneof![Just(0.0), Just(-1.5e300), Just(5e-324), Just(0.1 + 0.2), -1e6..1e6_f64];
    (prop::collection::vec(text, 7), prop::collection::vec(real, 5), prop::collection::vec(any::<bool>(), 11), 1_usize..4)
        .prop_map(|(texts, reals, optional, panels)| Drawn { texts, reals, optional, panels })
}

const AT: &str = "'2026-05-04T10:15:00Z'";

/// As its migration says: CRC-32 over the parts, each after its length; before a meter whether there is one.
fn sum_of_meter(uid: &str, meter: Option<&str>) -> u32 {
    let mut bytes: Vec<u8> = Vec::new();
    let mut part = |lead: &[u8], text: &str| {
        bytes.extend(lead);
        bytes.extend((text.len() as u64).to_le_bytes());
        bytes.extend(text.as_bytes());
    };
    for text in [uid, "volts", "string"] {
        part(&[], text);
    }
    part(&[u8::from(meter.is_some())], meter.unwrap_or_default());
    part(&[], "2026-03-14");
    crc32fast::hash(&bytes)
}

/// Something in every table that travels.
pub async fn fill(pool: &SqlitePool, of: &Drawn, seed: usize) {
    let (t, r) = (|nth: usize| of.text(nth + seed), |nth: usize| of.real(nth + seed));
    let uid = |table: &str, nth: usize| quoted(&format!("{table}-{seed}-{nth}"));
    run(pool, &format!(
        "INSERT INTO places (id, name, lat_deg, lon_deg, elevation_m, time_zone, horizon, ground, clarity, coldest_c, hottest_c, uid) \
         VALUES (1, {}, 38.6, -7.9, 300, 'UTC', '90 12.5', 'grass', 'clear', {}, {}, {})",
        t(0), r(1), r(2), uid("place", 1)
    )).await;
    run(pool, "UPDATE bench SET place_id = 1, currency = 'EUR', name = 'roof'").await;
    run(
        pool,
        &format!(
            "INSERT INTO gear (id, uid, kind, name, notes) VALUES (3, {}, 'meter', 'Meter {seed}', {})",
            uid("gear", 1),
            t(2)
        ),
    )
    .await;
    run(pool, &format!("INSERT INTO gear_fields VALUES (3, 'serial', {}), (3, 'max_v', '600')", t(3))).await;
    for nth in 1..=of.panels {
        run(pool, &format!(
            "INSERT INTO panel_kinds (id, uid, name, price, rated_w, tolerance, voc_v, isc_a, alpha_isc, beta_voc, gamma_pmax, technology, \
             construction, doubts_kept) VALUES ({nth}, {}, 'Kind {seed}-{nth}', {}, 200, '3 %', {}, NULL, '', '', '', 'mono', '', 0)",
            uid("kind", nth), of.or_null(nth, r(nth).to_string()), of.or_null(nth + 1, "37.8".to_owned())
        )).await;
        run(pool, &format!(
            "INSERT INTO panels (id, uid, tag, is_used, age_years, price, notes, kind_id) VALUES ({}, {}, 'P-{seed}-{nth}', 1, {}, NULL, {}, {nth})",
            nth * 2, uid("panel", nth), of.or_null(nth + 2, "3.5".to_owned()), t(nth)
        )).await;
    }
    run(pool, &format!("INSERT INTO panel_events VALUES (4, {}, 2, '2026-05-04', 'cleaned', {})", uid("event", 1), t(5))).await;
    run(pool, &format!(
        "INSERT INTO rigs (id, uid, name, wiring, sink_id, ends_in) VALUES (2, {}, 'Rig {seed}', 'P-{seed}-1 + P-{seed}-1', {}, {})",
        uid("rig", 1), of.or_null(3, "3".to_owned()), t(6)
    )).await;
    run(pool, "INSERT INTO rig_meters VALUES (2, 'string', 3)").await;
    run(pool, &format!(
        "INSERT INTO tests (id, uid, panel_id, created_utc, tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, \
         volts_digits, amps_percent, amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k, place_id, rig_id, plan_as_typed) \
         VALUES (7, {}, 2, {AT}, 30, 180, 'load_tester', 'plane_meter', 'back_probe', 'middle', 0.5, 2, 1, 3, 1, 2, 5, 1, 1, {}, NULL)",
        uid("test", 1), of.or_null(4, "2".to_owned())
    )).await;
    let meter = (format!("test-meter-{seed}-1"), format!("gear-{seed}-1"));
    run(
        pool,
        &format!(
            "INSERT INTO test_meters VALUES (6, '{}', 7, 'volts', 'string', {}, '2026-03-14', {})",
            meter.0,
            of.or_null(2, "3".to_owned()),
            sum_of_meter(&meter.0, Some(meter.1.as_str()).filter(|_| of.or_null(2, String::new()).is_empty()))
        ),
    )
    .await;
    run(
        pool,
        &format!(
            "INSERT INTO runs (id, uid, test_id, place, level, rig, is_added, planned_utc) VALUES (9, {}, 7, 1, 0, 0, 0, {})",
            uid("run", 1),
            of.or_null(5, AT.to_owned())
        ),
    )
    .await;
    run(pool, &format!("INSERT INTO run_events VALUES (5, {}, 9, {AT}, 'note', {})", uid("run-event", 1), t(0))).await;
    run(pool, &format!(
        "INSERT INTO readings (id, uid, test_id, taken_utc, accepted_utc, typed, note, sky, run_id) VALUES (11, {}, 7, {AT}, {AT}, {}, {}, {}, {})",
        uid("reading", 1), t(1), t(2), of.or_null(6, "'clear'".to_owned()), of.or_null(7, "9".to_owned())
    )).await;
    run(pool, &format!(
        "INSERT INTO readings (id, uid, test_id, replaces_id, reason, taken_utc, accepted_utc, typed, note) VALUES (12, {}, 7, 11, {}, {AT}, {AT}, '', '')",
        uid("reading", 2), t(3)
    )).await;
    for reading in [11, 12] {
        run(pool, &format!("INSERT INTO reading_figures VALUES ({reading}, 'power_w', {0}, {0}, 0, 'shown')", r(0).abs())).await;
    }
    run(pool, &format!("INSERT INTO acknowledgements VALUES (6, 7, {}, 'damage', {}, {AT})", t(4), t(5))).await;
    run(pool, &format!(
        "INSERT INTO photos (id, uid, test_id, run_id, added_utc, caption, media_type, width_px, height_px, bytes, thumbnail) \
         VALUES (8, {}, 7, {}, {AT}, {}, 'image/jpeg', 3, 2, x'ffd8ff0011', {})",
        uid("photo", 1), of.or_null(8, "9".to_owned()), t(6), of.or_null(9, "x'ffd8ff22'".to_owned())
    )).await;
    run(
        pool,
        &format!("INSERT INTO calculations VALUES (2, {}, 'shed {seed}', '/shade', {}, {AT})", uid("calculation", 1), t(0)),
    )
    .await;
    run(pool, "INSERT INTO calculation_tests VALUES (7, 2)").await;
    run(pool, &format!("INSERT INTO reviews VALUES (3, {}, {}, {AT}, '[]', '[]', {})", uid("review", 1), t(1), t(2))).await;
    run(pool, &format!("INSERT INTO weather VALUES (2, 'year', 38.6, -7.9, 'sum{seed}', {})", t(3))).await;
    run(pool, &format!(
        "INSERT INTO log_files (id, sha256, name, added_utc, bytes, encoding, format, ended_utc) VALUES (4, 'sha{seed}', {}, {AT}, 3, 'utf-8', NULL, {AT})",
        t(4)
    )).await;
    run(pool, &format!("INSERT INTO log_formats VALUES ('look{seed}', {})", t(5))).await;
    run(pool, &format!(
        "INSERT INTO logs (id, uid, test_id, name, started_utc, ended_utc, file_id, panel_id, samples, tilt_deg) VALUES (5, {}, {}, {}, {AT}, {AT}, 4, 2, 3, {})",
        uid("log", 1), of.or_null(10, "7".to_owned()), t(6), of.or_null(1, r(3).to_string())
    )).await;
    run(pool, &format!("INSERT INTO log_file_faults VALUES (4, 7, 2, 'Watts', {}, 'is not a number')", t(0))).await;
    run(pool, "INSERT INTO log_events VALUES (2, 5, 1777889700000, 'lost', 3)").await;
    let mut samples: Vec<u8> = Vec::new();
    for nth in 0..3_i64 {
        samples.extend((1_777_889_700_000 + nth * 60_000).to_le_bytes());
        samples.extend((r(nth as usize) + nth as f64).to_le_bytes());
    }
    sqlx::query("INSERT INTO log_chunks VALUES (5, 'power_w', 0, 1777889700000, 1777889820000, ?, NULL)")
        .bind(samples)
        .execute(pool)
        .await
        .unwrap();
    run(pool, &format!("INSERT INTO log_samples VALUES (5, 'voltage_v', 1777889700000, {})", r(4))).await;
    run(pool, "INSERT INTO withdrawals (what, row_id, at_utc, is_withdrawn, reason) VALUES ('panel', 2, '2026-05-04T11:00:00Z', 1, 'twice')").await;
    run(pool, &format!("UPDATE panels SET notes = notes || {} WHERE id = 2", t(0))).await;
}

pub fn package(bench: &TempBench, name: &str) -> PathBuf {
    bench.path().with_file_name(name)
}

pub async fn exported(bench: &TempBench, name: &str) -> PathBuf {
    let to = package(bench, name);
    bench.store.export_package(&to, &Chosen::All, Timestamp::UNIX_EPOCH).await.unwrap();
    to
}

pub fn members(path: &Path) -> Vec<(String, Vec<u8>)> {
    let mut archive = zip::ZipArchive::new(std::fs::File::open(path).unwrap()).unwrap();
    (0..archive.len())
        .map(|nth| {
            let mut member = archive.by_index(nth).unwrap();
            let mut bytes = Vec::new();
            member.read_to_end(&mut bytes).unwrap();
            (member.name().unwrap().into_owned(), bytes)
        })
        .collect()
}

/// The same bytes; where they differ, which member does.
pub fn assert_same(a: &Path, b: &Path) {
    for ((name, a), (of, b)) in members(a).iter().zip(&members(b)) {
        assert_eq!(name, of);
        assert!(a == b, "{name}:\n{:.600}\n{:.600}", String::from_utf8_lossy(a), String::from_utf8_lossy(b));
    }
    assert!(std::fs::read(a).unwrap() == std::fs::read(b).unwrap());
}

pub fn packed(path: &Path, members: &[(String, Vec<u8>)]) {
    let mut zip = zip::ZipWriter::new(std::fs::File::create(path).unwrap());
    for (name, bytes) in members {
        zip.start_file(name.as_str(), zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 5, ..ProptestConfig::default() })]

    /// Into an empty bench it is the same bench: exported again the same bytes; and a second time it adds nothing.
    #[test]
    fn any_bench_comes_back_as_it_was(of in drawn()) {
        tokio::runtime::Runtime::new().unwrap().block_on(async {
            let (from, to) = (TempBench::new().await, TempBench::new().await);
            fill(&raw(&from).await, &of, 1).await;
            let first = exported(&from, "first.zip").await;
            to.store.import_package(&first, Prefer::Ask).await.unwrap();
            let again = exported(&to, "again.zip").await;
            assert_same(&first, &again);
            let twice = to.store.import_package(&first, Prefer::Ask).await.unwrap();
            assert!(twice.added.is_empty() && twice.changed == 0, "{twice:?}");
        });
    }

    /// Two benches that share nothing become one, whichever goes into which; what is in it can be read with its checksums.
    #[test]
    fn benches_join_in_either_order(a in drawn(), b in drawn()) {
        tokio::runtime::Runtime::new().unwrap().block_on(async {
            let benches = [TempBench::new().await, TempBench::new().await];
            for (seed, (bench, of)) in benches.iter().zip([&a, &b]).enumerate() {
                fill(&raw(bench).await, of, seed + 1).await;
            }
            let packages = [exported(&benches[0], "a.zip").await, exported(&benches[1], "b.zip").await];
            benches[0].store.import_package(&packages[1], Prefer::Here).await.unwrap();
            benches[1].store.import_package(&packages[0], Prefer::Here).await.unwrap();
            let mut found = Vec::new();
            for bench in &benches {
                flindo_store::verify(&bench.path()).await.unwrap();
                let pool = raw(bench).await;
                let mut of: Vec<(String, i64)> = Vec::new();
                for table in ["panels", "panel_kinds", "gear", "gear_fields", "rigs", "tests", "test_meters", "runs", "run_events", "readings",
                    "reading_figures", "photos", "logs", "log_chunks", "log_samples", "log_minutes", "log_events", "withdrawals", "acknowledgements"] {
                    let count = sqlx::query_scalar(sqlx::AssertSqlSafe(format!("SELECT count(*) FROM {table}"))).fetch_one(&pool).await.unwrap();
                    of.push((table.to_owned(), count));
                }
                let linked: Vec<(String, String)> = sqlx::query_as(
                    "SELECT r.uid, t.uid || '/' || p.uid || '/' || ifnull(u.uid, '') FROM readings r JOIN tests t ON t.id = r.test_id \
                     JOIN panels p ON p.id = t.panel_id LEFT JOIN runs u ON u.id = r.run_id ORDER BY r.uid").fetch_all(&pool).await.unwrap();
                found.push((of, linked));
            }
            assert_eq!(found[0], found[1]);
            assert_eq!(found[0].0[0].1 as usize, a.panels + b.panels);
        });
    }
}

pub fn usual() -> Drawn {
    Drawn { texts: vec!["text".to_owned()], reals: vec![1.5], optional: vec![true], panels: 2 }
}

/// A walk over the schema: a table travels, or is excused by name.
#[tokio::test]
async fn every_table_travels_or_is_excused() {
    let bench = TempBench::new().await;
    fill(&raw(&bench).await, &usual(), 1).await;
    let names: Vec<String> = members(&exported(&bench, "all.zip").await).into_iter().map(|(name, _)| name).collect();
    let excused = [
        "sessions",
        "forgotten",
        "open_imports",
        "open_import_rows",
        "log_chunks",
        "log_samples",
        "log_minutes",
        "log_minute_sums",
    ];
    let sql =
        "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%' AND name NOT LIKE '~_%' ESCAPE '~'";
    let tables: Vec<String> = sqlx::query_scalar(sql).fetch_all(&raw(&bench).await).await.unwrap();
    assert!(tables.len() > 25);
    for table in tables {
        let travels = names.contains(&format!("tables/{table}.csv"));
        assert!(travels != excused.contains(&table.as_str()), "{table}");
    }
}

/// Both sides began as one bench. What one side changed comes over; what both changed is asked about, and nothing comes in meanwhile.
#[tokio::test]
async fn what_both_sides_changed_is_asked_about() {
    let (here, there) = (TempBench::new().await, TempBench::new().await);
    fill(&raw(&here).await, &usual(), 1).await;
    let begin = exported(&here, "begin.zip").await;
    there.store.import_package(&begin, Prefer::Ask).await.unwrap();
    run(&raw(&there).await, "UPDATE panels SET notes = 'theirs' WHERE id = 2").await;
    run(&raw(&there).await, "INSERT INTO panel_events VALUES (40, 'new-event', 2, '2026-06-01', 'cleaned', 'washed')").await;
    let theirs = exported(&there, "theirs.zip").await;
    let merged = here.store.import_package(&theirs, Prefer::Ask).await.unwrap();
    assert_eq!((merged.changed, merged.added.get("panel_events")), (1, Some(&1)));
    let notes = |bench: &TempBench| {
        let path = bench.path().to_owned();
        async move {
            let pool = SqlitePool::connect_with(SqliteConnectOptions::new().filename(path)).await.unwrap();
            sqlx::query_scalar::<_, String>("SELECT notes FROM panels WHERE id = 2").fetch_one(&pool).await.unwrap()
        }
    };
    assert_eq!(notes(&here).await, "theirs");
    // The other way round nothing is newer there: ours stands, and nobody is asked.
    run(&raw(&here).await, "UPDATE panels SET notes = 'ours' WHERE id = 2").await;
    let merged = here.store.import_package(&theirs, Prefer::Ask).await.unwrap();
    assert_eq!((merged.changed, notes(&here).await.as_str()), (0, "ours"));
    run(&raw(&there).await, "UPDATE panels SET notes = 'theirs, again' WHERE id = 2").await;
    run(&raw(&there).await, "INSERT INTO panel_events VALUES (41, 'newer-event', 2, '2026-06-02', 'cleaned', '')").await;
    let package = exported(&there, "again.zip").await;
    let Err(PackageError::Conflicts(conflicts)) = here.store.import_package(&package, Prefer::Ask).await else {
        panic!("both changed it")
    };
    assert_eq!((conflicts[0].name.as_str(), conflicts[0].kind), ("P-1-1", ConflictKind::Changed));
    assert!(conflicts[0].here.contains("ours") && conflicts[0].package.contains("theirs, again"), "{conflicts:?}");
    assert_eq!(notes(&here).await, "ours");
    let events = "SELECT count(*) FROM panel_events WHERE uid = 'newer-event'";
    assert_eq!(sqlx::query_scalar::<_, i64>(events).fetch_one(&raw(&here).await).await.unwrap(), 0);
    let merged = here.store.import_package(&package, Prefer::Here).await.unwrap();
    assert_eq!((merged.added.get("panel_events"), notes(&here).await.as_str()), (Some(&1), "ours"));
    here.store.import_package(&package, Prefer::Package).await.unwrap();
    assert_eq!(notes(&here).await, "theirs, again");
}

/// A panel of another kind, or a rig with another battery, has changed too: taken from the side that changed it, asked about where both did.
#[tokio::test]
async fn another_kind_is_a_change() {
    let (here, there) = (TempBench::new().await, TempBench::new().await);
    fill(&raw(&here).await, &usual(), 1).await;
    let begin = exported(&here, "begin.zip").await;
    there.store.import_package(&begin, Prefer::Ask).await.unwrap();
    run(&raw(&there).await, "UPDATE panels SET kind_id = 2 WHERE id = 2").await;
    let merged = here.store.import_package(&exported(&there, "theirs.zip").await, Prefer::Ask).await.unwrap();
    let kind = async |bench: &TempBench| {
        let sql = "SELECT kind_id FROM panels WHERE id = 2";
        sqlx::query_scalar::<_, i64>(sql).fetch_one(&raw(bench).await).await.unwrap()
    };
    assert_eq!((merged.changed, kind(&here).await), (1, 2));
    run(&raw(&here).await, "UPDATE rigs SET sink_id = NULL").await;
    run(&raw(&there).await, "UPDATE rigs SET sink_id = 3, ends_in = 'a plug'").await;
    let conflicts = match here.store.import_package(&exported(&there, "both.zip").await, Prefer::Ask).await {
        Err(PackageError::Conflicts(conflicts)) => conflicts,
        other => panic!("both changed the rig: {other:?}"),
    };
    assert!(conflicts[0].package.contains("sink Meter 1") && conflicts[0].package.contains("a plug"), "{conflicts:?}");
}

/// One tag on two panels: the one that comes in gets a number behind it, in its rigs too.
#[tokio::test]
async fn a_tag_of_two_panels_is_asked_about() {
    let (here, there) = (TempBench::new().await, TempBench::new().await);
    fill(&raw(&here).await, &usual(), 1).await;
    fill(&raw(&there).await, &usual(), 2).await;
    // A kind that is the same in all it says is the same kind.
    run(&raw(&there).await, "UPDATE panel_kinds SET name = 'Kind 1-1' WHERE id = 1").await;
    run(&raw(&there).await, "UPDATE panels SET tag = 'p-1-1' WHERE id = 2").await;
    run(&raw(&there).await, "UPDATE rigs SET wiring = 'p-1-1 + P-2-2'").await;
    let package = exported(&there, "there.zip").await;
    let Err(PackageError::Conflicts(conflicts)) = here.store.import_package(&package, Prefer::Ask).await else {
        panic!("one tag")
    };
    assert!(conflicts.iter().any(|one| one.kind == ConflictKind::NameTaken && one.package == "p-1-1 (2)"), "{conflicts:?}");
    here.store.import_package(&package, Prefer::Here).await.unwrap();
    let wiring: String =
        sqlx::query_scalar("SELECT wiring FROM rigs WHERE name = 'Rig 2'").fetch_one(&raw(&here).await).await.unwrap();
    assert_eq!(wiring, "p-1-1 (2) + P-2-2");
    let kind: String =
        sqlx::query_scalar("SELECT k.uid FROM panels p JOIN panel_kinds k ON k.id = p.kind_id WHERE p.tag = 'p-1-1 (2)'")
            .fetch_one(&raw(&here).await)
            .await
            .unwrap();
    assert_eq!(kind, "kind-1-1");
}

/// A package of a program that did not know references: their columns are missing, and nothing else may be.
#[tokio::test]
async fn a_package_of_an_older_program_comes_in() {
    let (from, to) = (TempBench::new().await, TempBench::new().await);
    fill(&raw(&from).await, &usual(), 1).await;
    let whole = exported(&from, "newer.zip").await;
    let mut older = members(&whole);
    let tests = older.iter_mut().find(|(name, _)| name == "tables/tests.csv").unwrap();
    let text = String::from_utf8(tests.1.clone()).unwrap();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let kept: Vec<usize> = reader
        .headers()
        .unwrap()
        .iter()
        .enumerate()
        .filter(|(_, name)| !name.starts_with("reference_"))
        .map(|(nth, _)| nth)
        .collect();
    let mut writer = csv::Writer::from_writer(Vec::new());
    for row in csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes()).records() {
        let row = row.unwrap();
        writer.write_record(kept.iter().map(|nth| &row[*nth])).unwrap();
    }
    tests.1 = writer.into_inner().unwrap();
    assert!(kept.len() + 3 == text.lines().next().unwrap().split(',').count());
    let path = package(&to, "older.zip");
    packed(&path, &older);
    to.store.import_package(&path, Prefer::Ask).await.unwrap();
    assert_same(&exported(&to, "again.zip").await, &whole);
}

/// Nothing is written over.
#[tokio::test]
async fn a_package_goes_to_no_file_that_is_there() {
    let bench = TempBench::new().await;
    let path = package(&bench, "there.zip");
    std::fs::write(&path, b"mine").unwrap();
    let refused = bench.store.export_package(&path, &Chosen::All, Timestamp::UNIX_EPOCH).await;
    assert!(matches!(refused, Err(PackageError::Exists(_))) && std::fs::read(&path).unwrap() == b"mine");
}

/// What a process that ended left on its way goes when the bench is served again; nothing else does.
#[tokio::test]
async fn packages_that_were_left_are_removed() {
    let bench = TempBench::new().await;
    let left = bench.store.package_place("0190");
    std::fs::write(&left, b"half").unwrap();
    let other = package(&bench, "mine.zip");
    std::fs::write(&other, b"mine").unwrap();
    bench.store.remove_left_packages().unwrap();
    assert!(!left.exists() && other.exists() && bench.path().exists());
}
