//! CSV out and in.

use crate::bench;
use crate::bench::{TempBench, at, new_reading};
use flindo_core::gear::{GearKind, Typed};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::record::names::Names;
use flindo_core::record::plan::{PlanTyped, check};
use flindo_core::record::question::Question;
use flindo_core::record::run::Run;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::rig::MeterPosition;
use flindo_store::exchange::{Exported, ExportedTable, ImportError, Imported, NamedByTest, Progress};
use flindo_store::{GearDraft, NewReading, NewRun, Revision, RigDraft, TestDraft};

/// A bench with a test of three readings, one of them corrected and one withdrawn; its table.
async fn table() -> (TempBench, String) {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-7, \"used\"").await;
    let test_id = bench.test(panel_id, Setup { tilt_deg: 31.5, ..Setup::default() }).await;
    let revise = |uid: &str, line: &str, replaces: &str, withdrawn| NewReading {
        revision: Some(Revision { replaces_uid: replaces.into(), reason: "typing slip, \u{d7}10".into(), withdrawn }),
        ..new_reading(uid, line)
    };
    let readings = [
        NewReading {
            note: "a note; with, marks".into(),
            sky: Some(flindo_core::sky::note::SkyNote::ThinCloud),
            ..new_reading("r1", "24.8-25.1 V 6.60 A 905 W/m2 125 F")
        },
        new_reading("r2", "25 V 65 A 905 W/m2 52 C"),
        revise("r3", "25 V 6.5 A 905 W/m2 52 C", "r2", false),
        new_reading("r4", "peak 171 W Voc 34.2 Isc 7.9"),
        revise("r5", "peak 171 W Voc 34.2 Isc 7.9", "r4", true),
    ];
    for (second, reading) in readings.iter().enumerate() {
        bench.store.accept(test_id, reading, at(second as i64)).await.unwrap();
    }
    let csv = csv_of(&bench, test_id).await;
    (bench, csv)
}

async fn csv_of(bench: &TempBench, test_id: i64) -> String {
    let test = bench.store.test(test_id).await.unwrap();
    let panel = bench.store.panel(test.panel_id).await.unwrap();
    let place = match test.place_id {
        Some(id) => Some(bench.store.place(id).await.unwrap()),
        None => None,
    };
    let rigs = bench.store.rigs().await.unwrap();
    let rig = rigs.iter().find(|rig| Some(rig.id) == test.rig_id);
    let runs = bench.store.runs(test_id).await.unwrap();
    let of_bench = (&*bench.store.panels().await.unwrap(), &*rigs, &*bench.store.gear().await.unwrap());
    let named = NamedByTest::of((&test, &runs), (&panel, rig), of_bench).unwrap();
    let of = Exported { test: &test, panel: &panel, place: place.as_ref(), rig, named: &named };
    let table = ExportedTable::of(&of, &runs).unwrap();
    let readings = bench.store.readings(test_id).await.unwrap();
    let rows = if readings.is_empty() { table.without_readings() } else { table.part(&readings) };
    format!("{}{}", table.head().unwrap(), rows.unwrap())
}

async fn import(bench: &TempBench, csv: &str) -> Result<Imported, ImportError> {
    bench.store.import(csv.as_bytes(), None, at(1000), &Progress::default()).await
}

#[tokio::test]
async fn a_file_exported_and_imported_again_is_the_same_test() {
    let (_, csv) = table().await;
    let other = TempBench::new().await;
    let imported = import(&other, &csv).await.unwrap();
    assert_eq!((imported.panels_added, imported.tests_added, imported.readings_added), (1, 1, 5));
    assert_eq!(csv_of(&other, imported.first_test_id.unwrap()).await, csv);
}

fn piece(kind: GearKind, name: &str, fields: &[(&str, &str)]) -> GearDraft {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    GearDraft { kind, name: name.to_owned(), notes: "on the shelf, \"left\"".into(), typed }
}

fn controller(name: &str, max_battery_a: &str) -> GearDraft {
    piece(GearKind::Controller, name, &[("max_input_v", "100"), ("max_battery_a", max_battery_a)])
}

/// A bench whose test hangs on a rig of two panels, compares two controllers, and was read by a meter; its table.
async fn with_a_rig() -> (TempBench, String) {
    let bench = TempBench::new().await;
    let store = &bench.store;
    let (panel_id, _) = bench.panel("S-1").await;
    bench.panel("S-2").await;
    let lathe = store.add_gear(&controller("Lathe 30", "30")).await.unwrap();
    store.add_gear(&controller("Gimlet 20", "20")).await.unwrap();
    store.add_gear(&controller("Awl 15", "15")).await.unwrap();
    let meter = store.add_gear(&piece(GearKind::Meter, "Clamp", &[("kind", "in_line"), ("max_v", "60")])).await.unwrap();
    let rig = RigDraft {
        name: "Pump rig".into(),
        wiring: "S-1 + S-2".into(),
        sink_id: Some(lathe),
        meters: vec![(MeterPosition::Array, meter)],
        ..RigDraft::default()
    };
    let rig_id = Some(store.add_rig(&rig).await.unwrap());
    let gear = store.gear().await.unwrap();
    let uid = |name: &str| gear.iter().find(|row| row.draft.name == name).unwrap().uid.clone();
    let names = Names { gear: gear.iter().map(|row| (row.uid.clone(), row.draft.name.clone())).collect(), ..Names::default() };
    let mut typed = PlanTyped::default();
    for (field, text) in [("question", "which_controller"), ("baseline", "Lathe 30"), ("levels", "Gimlet 20"), ("order", "aba")] {
        assert!(typed.set(field, text));
    }
    let plan = check(&typed, Load::TrackingController, &names).unwrap();
    let meters = vec![MeterUse {
        reads: Reads::Watts,
        place: Some(MeterPosition::Array),
        meter: uid("Clamp"),
        calibrated: "2026-02-01".into(),
    }];
    let draft = TestDraft {
        question: Question::WhichController,
        plan: Some(plan),
        rig_id,
        meters,
        ..TestDraft::of_rating(panel_id, None, Setup::default())
    };
    let run = NewRun { place: 1, level: 0, rig: 0, is_added: false, planned_utc: None, state: None };
    let test_id = store.add_planned_test(&draft, &[run], at(0)).await.unwrap();
    store.accept(test_id, &new_reading("r1", "25 V 6.5 A 905 W/m2 52 C"), at(0)).await.unwrap();
    let csv = csv_of(&bench, test_id).await;
    (bench, csv)
}

/// What a test was measured with is its own on every bench: the rig, both controllers of its levels, the meter. What it does not need stays.
#[tokio::test]
async fn a_table_brings_its_rig_and_its_gear() {
    let (_, csv) = with_a_rig().await;
    assert!(csv.contains("Gimlet 20") && csv.contains("Clamp") && !csv.contains("Awl 15"), "{csv}");
    let other = TempBench::new().await;
    let imported = import(&other, &csv).await.unwrap();
    assert_eq!((imported.panels_added, imported.tests_added), (2, 1));
    let id = imported.first_test_id.unwrap();
    assert_eq!(csv_of(&other, id).await, csv);
    let rig = &other.store.rigs().await.unwrap()[0];
    assert_eq!((rig.draft.wiring.as_str(), rig.draft.meters.len(), rig.draft.sink_id.is_some()), ("S-1 + S-2", 1, true));
    assert_eq!(other.store.gear().await.unwrap().len(), 3);
    assert_eq!(other.store.test(id).await.unwrap().meters[0].calibrated, "2026-02-01");
    // A second time adds nothing.
    import(&other, &csv).await.unwrap();
    assert_eq!((other.store.gear().await.unwrap().len(), other.store.rigs().await.unwrap().len()), (3, 1));
}

/// The same controller under another identity is that one, in the plan and in the rig; another one of its name is asked about, and nothing
/// stays of the file.
#[tokio::test]
async fn gear_that_is_here_already_is_found_by_its_figures() {
    let (_, csv) = with_a_rig().await;
    let other = TempBench::new().await;
    let here = other.store.add_gear(&controller("gimlet 20", "20")).await.unwrap();
    let id = import(&other, &csv).await.unwrap().first_test_id.unwrap();
    let test = other.store.test(id).await.unwrap();
    let uid = other.store.gear_piece(here).await.unwrap().uid;
    assert!(serde_json::to_string(&test.plan).unwrap().contains(&uid), "{:?}", test.plan);
    assert_eq!(other.store.gear().await.unwrap().len(), 3);

    let taken = TempBench::new().await;
    taken.store.add_gear(&controller("Gimlet 20", "25")).await.unwrap();
    let refused = import(&taken, &csv).await.unwrap_err().to_string();
    assert!(refused.contains("gear") && refused.contains("Gimlet 20") && refused.contains("rename"), "{refused}");
    let left = (
        taken.store.gear().await.unwrap().len(),
        taken.store.rigs().await.unwrap().len(),
        taken.store.panels().await.unwrap().len(),
    );
    assert_eq!(left, (1, 0, 0));
    for (column, spoilt) in [
        ("gear", csv.replace("\"\"kind\"\":\"\"controller\"\"", "\"\"kind\"\":\"\"anvil\"\"")),
        ("rig", csv.replace("wiring", "cabling")),
        ("rig", csv.replace("S-1 + S-2", "S-1 + + S-2")),
    ] {
        let refused = import(&TempBench::new().await, &spoilt).await.unwrap_err().to_string();
        assert!(refused.contains(column), "{refused}");
    }
    // A meter that nobody has.
    let unknown = csv.replace("\"\"gear\"\":\"\"", "\"\"gear\"\":\"\"un");
    let refused = import(&TempBench::new().await, &unknown).await.unwrap_err().to_string();
    assert!(refused.contains("meters") && refused.contains("neither"), "{refused}");
    // Tables of before have no such columns.
    let older = without_columns(&csv, &["rig", "gear", "meters"]);
    let without = TempBench::new().await;
    let id = import(&without, &older).await.unwrap().first_test_id.unwrap();
    assert_eq!(without.store.test(id).await.unwrap().rig_id, None);
}

/// Tables written before panels had a construction and tests a mounting have no such columns, and are read all the same.
#[tokio::test]
async fn construction_and_mounting_travel_and_may_be_missing() {
    let bench = TempBench::new().await;
    let (panel_id, draft) = bench.panel("H-1").await;
    let mut kind = TempBench::kind();
    kind.nameplate.construction = Some(Construction::HalfCut120);
    bench.store.change_kind(draft.kind_id, &kind).await.unwrap();
    let test_id = bench.test(panel_id, Setup { mounting: Mounting::Landscape, ..Setup::default() }).await;
    bench.store.accept(test_id, &new_reading("r1", "25 V 6.5 A 905 W/m2 52 C"), at(0)).await.unwrap();
    let csv = csv_of(&bench, test_id).await;
    assert!(csv.contains("half_cut_120") && csv.contains("landscape"));
    let other = TempBench::new().await;
    let id = import(&other, &csv).await.unwrap().first_test_id.unwrap();
    let test = other.store.test(id).await.unwrap();
    assert_eq!(test.setup.mounting, Mounting::Landscape);
    assert_eq!(other.store.panel(test.panel_id).await.unwrap().label().construction, Some(Construction::HalfCut120));
    let older = without_columns(&csv, &["label_construction", "setup_mounting"]);
    let older_bench = TempBench::new().await;
    let id = import(&older_bench, &older).await.unwrap().first_test_id.unwrap();
    let test = older_bench.store.test(id).await.unwrap();
    assert_eq!(test.setup.mounting, Mounting::Portrait);
    assert_eq!(older_bench.store.panel(test.panel_id).await.unwrap().label().construction, None);
    let spoilt = csv.replace("half_cut_120", "plaited");
    let refused = import(&TempBench::new().await, &spoilt).await.unwrap_err();
    assert!(refused.to_string().contains("not a construction"), "{refused}");
}

fn without_columns(csv: &str, names: &[&str]) -> String {
    let mut reader = csv::Reader::from_reader(csv.as_bytes());
    let headers = reader.headers().unwrap().clone();
    let kept: Vec<usize> = (0..headers.len()).filter(|column| !names.contains(&&headers[*column])).collect();
    assert_eq!(kept.len() + names.len(), headers.len());
    let mut writer = csv::Writer::from_writer(Vec::new());
    let pick = |record: &csv::StringRecord| kept.iter().map(|column| record[*column].to_owned()).collect::<Vec<_>>();
    writer.write_record(pick(&headers)).unwrap();
    for record in reader.records() {
        writer.write_record(pick(&record.unwrap())).unwrap();
    }
    String::from_utf8(writer.into_inner().unwrap()).unwrap()
}

#[tokio::test]
async fn importing_it_twice_adds_nothing() {
    let (bench, csv) = table().await;
    for _ in 0..2 {
        let imported = import(&bench, &csv).await.unwrap();
        assert_eq!((imported.panels_added, imported.tests_added, imported.readings_added, imported.readings_known), (0, 0, 0, 5));
    }
    assert_eq!(bench.store.tests(None, 0, 500).await.unwrap().len(), 1);
}

#[tokio::test]
async fn a_test_without_readings_travels_too() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let csv = csv_of(&bench, test_id).await;
    let other = TempBench::new().await;
    let imported = import(&other, &csv).await.unwrap();
    assert_eq!((imported.tests_added, imported.readings_added), (1, 0));
    assert_eq!(csv_of(&other, imported.first_test_id.unwrap()).await, csv);
}

#[tokio::test]
async fn semicolons_a_byte_order_mark_and_decimal_commas_are_read() {
    let bench = TempBench::new().await;
    let test_id = bench.ready().await;
    let plain = "\u{feff}taken_utc;voltage_v;current_a;poa_w_m2;cell_c\n2026-06-01T12:00:00Z;25,1;6,5;905;52\n";
    let imported = bench.store.import(plain.as_bytes(), Some(test_id), at(0), &Progress::default()).await.unwrap();
    assert_eq!(imported.readings_added, 1);
    let again = bench.store.import(plain.as_bytes(), Some(test_id), at(9), &Progress::default()).await.unwrap();
    assert_eq!((again.readings_added, again.readings_known), (0, 1));
    let readings = bench.store.readings(test_id).await.unwrap();
    assert_eq!(readings[0].what.figures.loaded_power_w(Default::default()), Some(25.1 * 6.5));
}

#[tokio::test]
async fn a_wrong_file_says_where_and_nothing_of_it_is_kept() {
    let (_, csv) = table().await;
    let lines: Vec<&str> = csv.lines().collect();
    let header = lines[0];
    let cell = |line: usize, column: &str, text: &str| {
        let place = header.split(',').position(|name| name == column).unwrap();
        let mut rows: Vec<Vec<String>> = csv::ReaderBuilder::new()
            .has_headers(false)
            .from_reader(csv.as_bytes())
            .records()
            .map(|record| record.unwrap().iter().map(str::to_owned).collect())
            .collect();
        rows[line - 1][place] = text.to_owned();
        let mut writer = csv::Writer::from_writer(Vec::new());
        rows.iter().for_each(|row| writer.write_record(row).unwrap());
        String::from_utf8(writer.into_inner().unwrap()).unwrap()
    };
    let wrong = [
        (cell(4, "poa_w_m2", "bright"), "Line 4, column poa_w_m2: \"bright\" is not a number."),
        (cell(6, "isc_a", "9999"), "Line 6, column isc_a: 9999 is outside 0 to 200 A."),
        (cell(3, "taken_utc", "noon"), "Line 3, column taken_utc: \"noon\" is not a time"),
        (cell(5, "setup_tilt_deg", "12"), "Line 5, column setup_tilt_deg: \"12\" here, but \"31.5\" in an earlier line"),
        (cell(2, "label_voc_v", "much"), "Line 2, column label_voc_v"),
        (cell(4, "replaces_uid", "r77"), "Line 4, column replaces_uid: no reading"),
        (cell(4, "reason", ""), "Line 4, column reason: this cell must not be empty."),
        (cell(2, "voltage_v_high", "20"), "Line 2, column voltage_v_high: 20 is below 24.8"),
        (cell(2, "voltage_v_how", "guessed"), "Line 2, column voltage_v_how"),
        (cell(2, "sky", "purple"), "Line 2, column sky: \"purple\" is not one of"),
        (cell(2, "question", "which_moon"), "Line 2, column question"),
        (cell(1, "tag", "label"), "Line 1, column label: there is no such column"),
        (cell(1, "tag", "name"), "Line 1, column name: this column is there twice."),
        (header.replacen(",tag", "", 1) + "\n", "Line 1, column tag: this column is missing."),
        (format!("{header}\n1,2,3\n"), "Line 2, column 3: this line has 3 cells"),
        ("a letter, of sorts\n".into(), "Line 1, column a letter: there is no such column"),
        ("taken_utc,power_w\n".into(), "Line 1, column test_uid: this column is missing."),
        ("  \n".into(), "This file is empty."),
    ];
    for (file, sentence) in wrong {
        let other = TempBench::new().await;
        let error = import(&other, &file).await.expect_err(sentence).to_string();
        assert!(error.starts_with(sentence) && error.ends_with("Nothing was imported."), "{error}\nshould be\n{sentence}");
        assert!(
            other.store.panels().await.unwrap().is_empty() && other.store.tests(None, 0, 500).await.unwrap().is_empty(),
            "{sentence}"
        );
    }
    let other = TempBench::new().await;
    assert!(
        other
            .store
            .import(&[0xff, 0xfe, 0x00], None, at(0), &Progress::default())
            .await
            .unwrap_err()
            .to_string()
            .contains("UTF-8")
    );
}

#[tokio::test]
async fn a_file_that_contradicts_the_bench_is_not_merged() {
    let (bench, csv) = table().await;
    let changed = csv.replace("31.5", "40");
    let error = import(&bench, &changed).await.unwrap_err().to_string();
    assert!(error.contains("setup_tilt_deg: \"40\" here, but \"31.5\" on this bench."), "{error}");
}

/// Steele, Lea and Flood 2014, SplitMix64: the same draws on every machine.
struct Draws(u64);

impl Draws {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        (z ^ (z >> 31)) % most
    }
}

#[tokio::test]
async fn any_history_of_corrections_and_withdrawals_travels_whole() {
    let mut draws = Draws(20_261_125);
    for _ in 0..6 {
        let bench = TempBench::new().await;
        let test_id = bench.ready().await;
        let mut newest: Vec<String> = Vec::new();
        for row in 0..40_i64 {
            let uid = format!("row-{row:04}-{}", draws.below(1_000_000));
            let line = format!(
                "{}.{} V {} A {} W/m2 {} C",
                draws.below(40),
                draws.below(100),
                draws.below(9) + 1,
                draws.below(1100),
                draws.below(70)
            );
            let mut reading = NewReading { taken_utc: at(row * 60), ..new_reading(&uid, &line) };
            if !newest.is_empty() && draws.below(3) == 0 {
                let chosen = draws.below(newest.len() as u64) as usize;
                let replaces_uid = newest.swap_remove(chosen);
                reading.revision = Some(Revision { replaces_uid, reason: "slip".into(), withdrawn: draws.below(2) == 0 });
            }
            bench.store.accept(test_id, &reading, at(row * 60 + 1)).await.unwrap();
            newest.push(uid);
        }
        let csv = csv_of(&bench, test_id).await;
        let other = TempBench::new().await;
        let imported = import(&other, &csv).await.unwrap();
        assert_eq!(imported.readings_added, 40);
        let there = imported.first_test_id.unwrap();
        assert_eq!(csv_of(&other, there).await, csv);
        let standing =
            |rows| flindo_store::lines(rows).into_iter().map(|line| line.current.map(|reading| reading.what)).collect::<Vec<_>>();
        assert_eq!(standing(other.store.readings(there).await.unwrap()), standing(bench.store.readings(test_id).await.unwrap()));
        assert_eq!(import(&other, &csv).await.unwrap().readings_known, 40);
    }
}

#[tokio::test]
async fn a_table_may_bring_two_tests_of_one_panel() {
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("T-1").await;
    let mut tables = Vec::new();
    for (number, tilt_deg) in [(1, 20.0), (2, 50.0)] {
        let test_id = bench.test(panel_id, Setup { tilt_deg, ..Setup::default() }).await;
        bench.store.accept(test_id, &new_reading(&format!("reading-{number}"), "80 W 900 W/m2 50 C"), at(number)).await.unwrap();
        tables.push(csv_of(&bench, test_id).await);
    }
    let both = format!("{}{}", tables[0], tables[1].split_once('\n').unwrap().1);
    let other = TempBench::new().await;
    let imported = import(&other, &both).await.unwrap();
    assert_eq!((imported.panels_added, imported.tests_added, imported.readings_added), (1, 2, 2));
    // A wrong last line takes the first test back out as well.
    let third = TempBench::new().await;
    let broken = both.replacen("reading-2", "", 1).replace("80 W 900 W/m2 50 C", "x") + "rubbish\n";
    assert!(import(&third, &broken).await.is_err());
    assert!(third.store.tests(None, 0, 500).await.unwrap().is_empty() && third.store.panels().await.unwrap().is_empty());
}

#[tokio::test]
async fn a_planned_test_travels_with_its_plan_and_runs() {
    use flindo_core::record::names::Names;
    use flindo_core::record::plan::{PlanTyped, check};
    use flindo_core::record::question::Question;
    use flindo_core::record::setup::Load;
    let here = TempBench::new().await;
    let (panel_id, _) = here.panel("T-1").await;
    let mut typed = PlanTyped::default();
    assert!(typed.set("question", "shade_cost") && typed.set("levels", "half; a \"third\", load = Lathe"));
    let plan = check(&typed, Load::LoadTester, &Names::default()).unwrap();
    let draft =
        TestDraft { question: Question::ShadeCost, plan: Some(plan), ..TestDraft::of_rating(panel_id, None, Setup::default()) };
    let run = |place, level| NewRun { place, level, rig: 0, is_added: false, planned_utc: None, state: None };
    let test_id = here.store.add_planned_test(&draft, &[run(1, 0), run(2, 1), run(3, 0)], at(0)).await.unwrap();
    for (nth, run) in here.store.runs(test_id).await.unwrap().iter().enumerate() {
        let reading = NewReading { run_id: Some(run.id), ..new_reading(&format!("r{nth}"), "80 W") };
        here.store.accept(test_id, &reading, at(nth as i64)).await.unwrap();
    }
    let table = csv_of(&here, test_id).await;
    let there = TempBench::new().await;
    let imported = there.store.import(table.as_bytes(), None, at(99), &Progress::default()).await.unwrap();
    let id = imported.first_test_id.unwrap();
    let test = there.store.test(id).await.unwrap();
    assert_eq!((test.question, test.plan), (Question::ShadeCost, draft.plan));
    let levels: Vec<_> = there.store.runs(id).await.unwrap().iter().map(|run| (run.place, run.level)).collect();
    assert_eq!(levels, [(1, 0), (2, 1), (3, 0)]);
    assert!(there.store.readings(id).await.unwrap().iter().all(|reading| reading.what.run_id.is_some()));
    assert_eq!(csv_of(&there, id).await, table);
}

/// A table of plain readings, a second apart.
fn plain(rows: usize) -> String {
    (0..rows).fold("taken_utc,voltage_v,current_a\n".to_owned(), |text, row| {
        let time = at(row as i64);
        format!("{text}{time},18.{:02},8.5\n", row % 100)
    })
}

/// While a file comes in, readings come through, and nothing of the file is shown before all of it is in.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn readings_come_through_while_a_file_comes_in() {
    const ROWS: usize = 4000;
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-7").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    let (store, table) = (bench.store.clone(), plain(ROWS));
    let importing = tokio::spawn(async move {
        store.import(table.as_bytes(), Some(test_id), at(0), &Progress::default()).await.map(|imported| imported.readings_added)
    });
    let mut sent = 0;
    while !importing.is_finished() {
        let one = new_reading(&format!("meanwhile-{sent}"), "18.4 V 8.5 A");
        bench.store.accept(test_id, &one, at(sent)).await.unwrap();
        sent += 1;
        let shown = bench.store.readings(test_id).await.unwrap().len();
        assert!(shown == sent as usize || shown == sent as usize + ROWS, "{shown} of {sent}");
    }
    assert_eq!(importing.await.unwrap().unwrap(), ROWS);
    assert!(sent >= 3, "{sent} readings came through");
    assert_eq!(bench.store.readings(test_id).await.unwrap().len(), ROWS + sent as usize);
}

/// A stop in the middle of an import: the next start takes out what was there of it. A reading that the file had too, and that was sent
/// meanwhile, was not said to be kept.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_import_that_was_cut_off_leaves_nothing() {
    let bench = TempBench::new().await;
    let (_, csv) = table().await;
    let (panel_id, _) = bench.panel("U-9").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    // Many rows of one test, and the last line is none.
    let mut lines: Vec<&str> = csv.lines().collect();
    let readings = lines.split_off(2);
    let many: Vec<String> = (0..800).map(|nth| lines[1].replace(",r1,", &format!(",r1-{nth},"))).collect();
    let long = format!("{}\n{}\n{}\n", lines[0], many.join("\n"), readings.join("\n").replace("U-7", "U-7 b"));
    let refused = import(&bench, &long).await.unwrap_err();
    assert!(matches!(refused, ImportError::At { line, .. } if line > 800), "{refused}");
    let counts = async || {
        let panels = bench.store.panels().await.unwrap().len();
        (panels, bench.store.kinds().await.unwrap().len(), bench.store.count_tests(None).await.unwrap())
    };
    assert_eq!(counts().await, (1, 1, 1));
    // Cut off while it is under way.
    let (store, table) = (bench.store.clone(), plain(4000));
    let progress = std::sync::Arc::new(Progress::default());
    let seen = std::sync::Arc::clone(&progress);
    let importing = tokio::spawn(async move { store.import(table.as_bytes(), Some(test_id), at(0), &progress).await });
    while seen.done.load(std::sync::atomic::Ordering::Relaxed) < 30_000 {
        tokio::task::yield_now().await;
    }
    importing.abort();
    let _ = importing.await;
    assert!(bench.store.readings(test_id).await.unwrap().is_empty());
    bench.store.close().await;
    let again = flindo_store::Store::open(&bench.path(), flindo_store::BenchKind::Own, "UTC").await.unwrap();
    assert!(again.readings(test_id).await.unwrap().is_empty());
    again.accept(test_id, &new_reading("after-it-all", "18.4 V 8.5 A"), at(1)).await.unwrap();
    assert_eq!(again.readings(test_id).await.unwrap().len(), 1);
}

/// A copy that is made while a table comes in takes nothing out of it, and is whole itself.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_copy_beside_an_import_leaves_it_alone() {
    const ROWS: usize = 6_000;
    let bench = TempBench::new().await;
    let (panel_id, _) = bench.panel("U-7").await;
    let test_id = bench.test(panel_id, Setup::default()).await;
    let csv = plain(ROWS);
    let store = bench.store.clone();
    let progress = std::sync::Arc::new(Progress::default());
    let seen = std::sync::Arc::clone(&progress);
    let coming = tokio::spawn(async move { store.import(csv.as_bytes(), Some(test_id), at(9000), &seen).await });
    let mut beside = 0;
    while !coming.is_finished() {
        let done = progress.done.load(std::sync::atomic::Ordering::Relaxed);
        if done > 0 && beside < 4 {
            let copy = bench.folder.path().join(format!("copy-{beside}.bench"));
            flindo_store::back_up_file(&bench.path(), &copy).await.unwrap();
            beside += 1;
        }
        tokio::task::yield_now().await;
    }
    assert_eq!(coming.await.unwrap().unwrap().readings_added, ROWS);
    assert_eq!(bench.store.readings(test_id).await.unwrap().len(), ROWS);
    assert!(beside > 0, "a copy was made while rows came in");
}

/// A far place comes along with its test: the clear sky that a verdict turns on is that of where it was made, whatever place is in use here.
#[tokio::test]
async fn the_place_of_a_test_comes_with_it() {
    let bench = TempBench::new().await;
    let place_id = bench.store.add_place(&bench::garden("Upper well")).await.unwrap();
    let (panel_id, _) = bench.panel("U-1").await;
    let draft = TestDraft { place_id: Some(place_id), ..TestDraft::of_rating(panel_id, None, Setup::default()) };
    let test_id = bench.store.add_test(&draft, at(0)).await.unwrap();
    let csv = csv_of(&bench, test_id).await;
    let other = TempBench::new().await;
    let far = flindo_store::PlaceDraft {
        place: flindo_core::sky::place::Place::check(-33.0, 18.0, 10.0).unwrap(),
        ..bench::garden("Here")
    };
    let in_use = other.store.add_place(&far).await.unwrap();
    import(&other, &csv).await.unwrap();
    let brought = other.store.newest_test().await.unwrap().unwrap();
    let place = other.store.place(brought.place_id.unwrap()).await.unwrap();
    assert_eq!((place.draft, place.uid.is_empty()), (bench::garden("Upper well"), false));
    assert_eq!(other.store.current_place().await.unwrap().unwrap().id, in_use);
    // The same again adds nothing; another place of that name is asked about, and nothing is left of the file.
    import(&other, &csv).await.unwrap();
    assert_eq!(other.store.places().await.unwrap().len(), 2);
    let third = TempBench::new().await;
    third.store.add_place(&flindo_store::PlaceDraft { name: "Upper well".into(), ..far }).await.unwrap();
    let refused = import(&third, &csv).await.unwrap_err().to_string();
    assert!(refused.contains("place_name") && refused.contains("rename one"), "{refused}");
    assert_eq!((third.store.count_tests(None).await.unwrap(), third.store.places().await.unwrap().len()), (0, 1));
}

/// A state of an open test, as the core keeps it.
fn state(json: serde_json::Value) -> flindo_core::record::condition::Conditions {
    serde_json::from_value(json).unwrap()
}

/// An open test with three states: its panel flat, another panel, a rig of both; the first was corrected to 12.5 degrees.
async fn open_test(bench: &TempBench) -> i64 {
    let (panel_id, _) = bench.panel("U-7").await;
    let first = bench.store.panel(panel_id).await.unwrap().uid;
    let (other, _) = bench.panel("U-8").await;
    let other = bench.store.panel(other).await.unwrap().uid;
    let rig = flindo_store::RigDraft { name: "Both".into(), wiring: "U-7 | U-8".into(), ..flindo_store::RigDraft::default() };
    let rig_id = bench.store.add_rig(&rig).await.unwrap();
    let rig = bench.store.rig(rig_id).await.unwrap().uid;
    let draft = TestDraft { is_open: true, ..TestDraft::of_rating(panel_id, None, Setup::default()) };
    let test_id = bench.store.add_test(&draft, at(0)).await.unwrap();
    let panel = |uid: &str| serde_json::json!({"typed": "", "value": {"panels": [uid]}});
    let tilt = |degrees: f64| serde_json::json!({"typed": "", "value": {"degrees": degrees}});
    let states = [
        serde_json::json!({"panel": panel(&first), "tilt_deg": tilt(0.0)}),
        serde_json::json!({"panel": panel(&other), "tilt_deg": tilt(0.0)}),
        serde_json::json!({"rig": {"typed": "", "value": {"rig": rig}}, "tilt_deg": tilt(0.0)}),
    ];
    for (nth, json) in states.into_iter().enumerate() {
        let second = 10 * nth as i64;
        let run = bench.store.begin_state(test_id, &format!("state-{nth:04}"), &state(json), at(second)).await.unwrap();
        let reading = NewReading { run_id: Some(run), ..new_reading(&format!("reading-{nth:04}"), "171 W") };
        bench.store.accept(test_id, &reading, at(second + 5)).await.unwrap();
        if nth == 0 {
            let corrected = state(serde_json::json!({"panel": panel(&first), "tilt_deg": tilt(12.5)}));
            bench.store.correct_state(test_id, run, ("corrected-0001", at(90)), &corrected).await.unwrap();
        }
    }
    test_id
}

/// Panels, rig, states and when each began come along; the same again adds nothing; a bench that has a panel by another identity means
/// its own by it.
#[tokio::test]
async fn an_open_test_comes_with_its_states() {
    let bench = TempBench::new().await;
    let test_id = open_test(&bench).await;
    let csv = csv_of(&bench, test_id).await;
    let other = TempBench::new().await;
    let (known, _) = other.panel("U-8").await;
    for readings_added in [3, 0] {
        assert_eq!(import(&other, &csv).await.unwrap().readings_added, readings_added);
    }
    let brought = other.store.newest_test().await.unwrap().unwrap();
    assert!(brought.is_open && brought.plan.is_none());
    let (was, is) = (bench.store.runs(test_id).await.unwrap(), other.store.runs(brought.id).await.unwrap());
    let times = |runs: &[Run]| runs.iter().map(|run| (run.uid.clone(), run.place, run.begun_utc())).collect::<Vec<_>>();
    assert_eq!(times(&was), times(&is));
    assert_eq!(is[0].state, was[0].state);
    let json = serde_json::to_string(&is[0].state).unwrap();
    assert!(json.contains("12.5"), "{json}");
    let own = other.store.panel(known).await.unwrap().uid;
    let json = serde_json::to_string(&is[1].state).unwrap();
    assert!(json.contains(&own), "{json} {own}");
    let rigs = other.store.rigs().await.unwrap();
    assert_eq!(rigs.iter().map(|rig| rig.draft.wiring.as_str()).collect::<Vec<_>>(), ["U-7 | U-8"]);
    assert!(serde_json::to_string(&is[2].state).unwrap().contains(&rigs[0].uid));
    // Out again the rows are the same but for the one panel's identity.
    let swapped = csv.replace(&panel_uid(&bench, "U-8").await, &own);
    assert_eq!(csv_of(&other, brought.id).await, swapped);
}

async fn panel_uid(bench: &TempBench, tag: &str) -> String {
    bench.store.panels().await.unwrap().into_iter().find(|panel| panel.draft.tag == tag).unwrap().uid
}

/// A row whose state is cut, or that has none, is refused by its line; nothing of the file stays, with its runs or without.
#[tokio::test]
async fn a_state_that_cannot_be_read_is_refused() {
    let bench = TempBench::new().await;
    let test_id = open_test(&bench).await;
    let csv = csv_of(&bench, test_id).await;
    let begun = format!(r#"""at_utc"":""{}"#, at(20));
    for (from, to, column) in [
        ("state-0002", "", "run_uid"),
        (begun.as_str(), r#"""at_utc"":""noon"#, "run_events"),
        (r#"""begun"""#, r#"""eaten"""#, "run_events"),
        (r#"{""rig"":"#, r#"{""rog"":"#, "run_state"),
    ] {
        let other = TempBench::new().await;
        let lines: Vec<&str> = csv.lines().collect();
        let last = lines[3].replace(from, to);
        assert_ne!(last, lines[3], "{from}");
        let refused = import(&other, &[lines[0], lines[1], lines[2], &last].join("\n")).await.unwrap_err();
        assert!(matches!(&refused, ImportError::At { line: 4, column: of, .. } if of == column), "{refused:?}");
        assert_eq!(other.store.count_tests(None).await.unwrap(), 0);
        assert!(other.store.panels().await.unwrap().is_empty() && other.store.rigs().await.unwrap().is_empty());
        assert_eq!(import(&other, &csv).await.unwrap().readings_added, 3);
    }
}
