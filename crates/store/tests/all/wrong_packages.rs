//! Packages that are damaged, foreign or hostile: each is refused with its place, and nothing of it is left.

use crate::bench::TempBench;
use crate::package::{assert_same, exported, fill, members, package, packed, raw, usual};
use flindo_store::package::{PackageError, Prefer};

/// Damage of every kind is refused with its place, and leaves the bench and its folder as they were.
#[tokio::test]
async fn a_wrong_package_is_refused_and_leaves_nothing() {
    let (from, to) = (TempBench::new().await, TempBench::new().await);
    fill(&raw(&from).await, &usual(), 1).await;
    let sound = exported(&from, "sound.zip").await;
    let whole = members(&sound);
    type Damage = (&'static str, &'static str, fn(&mut Vec<(String, Vec<u8>)>));
    fn edit(members: &mut [(String, Vec<u8>)], name: &str, from: &str, to: &str) {
        let member = members.iter_mut().find(|(of, _)| of.starts_with(name)).unwrap();
        let text = String::from_utf8(member.1.clone()).unwrap();
        assert!(text.contains(from), "{name}: {from} in {text}");
        member.1 = text.replacen(from, to, 1).into_bytes();
    }
    fn without(members: &mut Vec<(String, Vec<u8>)>, name: &str) {
        members.retain(|(of, _)| !of.starts_with(name));
    }
    fn with(members: &mut Vec<(String, Vec<u8>)>, name: &str, bytes: &[u8]) {
        members.push((name.to_owned(), bytes.to_vec()));
    }
    fn whole_member(members: &mut [(String, Vec<u8>)], name: &str, bytes: &[u8]) {
        members.iter_mut().find(|(of, _)| of == name).unwrap().1 = bytes.to_vec();
    }
    let damages: Vec<Damage> = vec![
        ("a way out", "..", |of| with(of, "../outside.txt", b"x")),
        ("a way out by tables", "tables/../", |of| with(of, "tables/../../outside.csv", b"x")),
        ("another member", "readme", |of| with(of, "readme.md", b"x")),
        ("another table", "tables/sessions", |of| with(of, "tables/sessions.csv", b"id\n")),
        ("no description", "datapackage.json", |of| without(of, "datapackage.json")),
        ("no JSON", "datapackage.json", |of| edit(of, "datapackage", "{", "")),
        ("another version", "version 2", |of| edit(of, "datapackage", "\"package\":1", "\"package\":2")),
        ("of something else", "flindo.package", |of| edit(of, "datapackage", "\"package\":1", "\"parcel\":1")),
        ("a table missing", "tables/runs.csv", |of| without(of, "tables/runs")),
        ("a column missing", "column kind", |of| edit(of, "tables/gear.csv", "kind,", "")),
        ("a column too many", "sort", |of| edit(of, "tables/gear.csv", "kind,", "kind,sort,")),
        ("a cell missing", "line 2", |of| edit(of, "tables/gear.csv", "3,", "")),
        ("no number", "line 2, column rated_w", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",2oo\n")),
        ("infinite", "line 2, column rated_w", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",inf\n")),
        ("no whole number", "column id", |of| edit(of, "tables/gear.csv", "3,", "3.5,")),
        ("an identity twice", "line 3", |of| edit(of, "tables/panels.csv", "panel-1-2", "panel-1-1")),
        ("a choice that is none", "tables/run_events.csv, line 2", |of| edit(of, "tables/run_events.csv", "note", "shouted")),
        ("a reference to nothing", "tables/panels.csv", |of| edit(of, "tables/panel_kinds.csv", "2,", "22,")),
        ("a load that is none", "the set-up of test 7", |of| edit(of, "tables/tests.csv", "load_tester", "load_taster")),
        ("a photo missing", "photos/", |of| without(of, "photos/photo-1-1.jpg")),
        ("a script as photo", "image/jpeg", |of| {
            without(of, "photos/photo-1-1.jpg");
            with(of, "photos/photo-1-1.jpg", b"<script>");
        }),
        ("a log missing", "logs/log-1-1.csv", |of| without(of, "logs/")),
        ("a log of nobody", "logs/other.csv", |of| with(of, "logs/other.csv", b"quantity,chunk,at_ms,value\n")),
        ("another head of a log", "line 1", |of| edit(of, "logs/", "quantity", "what")),
        ("a sample that is none", "line 2", |of| edit(of, "logs/", "power_w", "power")),
        ("a chunk twice", "twice", |of| edit(of, "logs/", "voltage_v,,", "voltage_v,,1,2\npower_w,0,")),
        ("no UTF-8", "UTF-8", |of| of.iter_mut().find(|(name, _)| name == "tables/gear.csv").unwrap().1.insert(50, 0xff)),
        ("a list as description", "is not JSON", |of| edit(of, "datapackage", "{", "[{")),
        ("a text as version", "flindo.package", |of| edit(of, "datapackage", "\"package\":1", "\"package\":\"1\"")),
        ("an old version", "version 0", |of| edit(of, "datapackage", "\"package\":1", "\"package\":0")),
        ("a description without end", "datapackage.json", |of| {
            whole_member(of, "datapackage.json", "[".repeat(200_000).as_bytes())
        }),
        ("a way out by a drive", "tables\\", |of| with(of, "tables\\..\\outside.csv", b"x")),
        ("a way out from the root", "/etc/outside", |of| with(of, "/etc/outside", b"x")),
        ("a way out by a log", "logs/../", |of| with(of, "logs/../outside.csv", b"quantity,chunk,at_ms,value\n")),
        ("a table in capitals", "tables/GEAR.csv", |of| with(of, "tables/GEAR.csv", b"id\n")),
        ("a table in a table", "tables/old/gear.csv", |of| with(of, "tables/old/gear.csv", b"id\n")),
        ("a table without a head", "tables/gear.csv", |of| whole_member(of, "tables/gear.csv", b"")),
        ("a head in capitals", "tables/gear.csv", |of| edit(of, "tables/gear.csv", "id,", "ID,")),
        ("a column twice", "tables/gear.csv", |of| edit(of, "tables/gear.csv", "kind,", "kind,kind,")),
        ("a quote without end", "tables/gear.csv", |of| edit(of, "tables/gear.csv", "gear-1-1", "\"gear-1-1")),
        ("a number too large", "column id", |of| edit(of, "tables/gear.csv", "3,", "99999999999999999999,")),
        ("a number beyond all", "line 2, column rated_w", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",1e400\n")),
        ("not a number", "line 2, column rated_w", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",NaN\n")),
        ("a number in hex", "line 2, column rated_w", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",0xc8\n")),
        ("a decimal comma", "line 2", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",200,0\n")),
        ("rated nothing", "Kind 1-1", |of| edit(of, "tables/panel_kinds.csv", ",200\n", ",0\n")),
        ("a cell of gold", "Kind 1-1", |of| edit(of, "tables/panel_kinds.csv", "mono", "gold")),
        ("no zone", "tables/places.csv", |of| edit(of, "tables/places.csv", "UTC", "Nowhere/Town")),
        ("no latitude", "tables/places.csv", |of| edit(of, "tables/places.csv", "38.6", "138.6")),
        ("no ground", "tables/places.csv", |of| edit(of, "tables/places.csv", "grass", "glass")),
        ("no kind of gear", "tables/gear.csv", |of| edit(of, "tables/gear.csv", "meter", "motor")),
        ("no time of a test", "the time of test 7", |of| edit(of, "tables/tests.csv", "2026-05-04T10:15:00Z", "yesterday")),
        ("no time of a reading", "the time \"2026-13-45", |of| {
            edit(of, "tables/readings.csv", "2026-05-04T10:15:00Z", "2026-13-45T10:15:00Z")
        }),
        ("no sky", "the sky \"purple\"", |of| edit(of, "tables/readings.csv", "clear", "purple")),
        ("no quantity", "the figure \"power_x", |of| edit(of, "tables/reading_figures.csv", "power_w", "power_x")),
        ("no way to read", "reading_figures", |of| edit(of, "tables/reading_figures.csv", "shown", "guessed")),
        ("a reading that replaces itself", "tables/readings.csv", |of| edit(of, "tables/readings.csv", ",11,", ",12,")),
        ("nothing that is withdrawn", "withdrawals", |of| edit(of, "tables/withdrawals.csv", "panel", "planet")),
        ("no time of a run", "the time \"soon\"", |of| edit(of, "tables/runs.csv", "2026-05-04T10:15:00Z", "soon")),
        ("no day of an event", "tables/panel_events.csv", |of| edit(of, "tables/panel_events.csv", "2026-05-04", "2026-02-31")),
        ("nothing that was done", "tables/panel_events.csv", |of| edit(of, "tables/panel_events.csv", "cleaned", "painted")),
        ("no list of tests", "tables/reviews.csv", |of| edit(of, "tables/reviews.csv", "[]", "[")),
        ("nothing that a meter reads", "test_meters", |of| edit(of, "tables/test_meters.csv", "volts", "noise")),
        ("no place in a circuit", "a meter (volts)", |of| edit(of, "tables/test_meters.csv", "string", "roof")),
        ("no time of a sample", "line 2", |of| edit(of, "logs/", "17778897", "noon")),
        ("another head of a log", "line 1", |of| edit(of, "logs/", "\n", ",more\n")),
        ("an infinite sample", "line 2", |of| edit(of, "logs/", "\nvoltage_v,,1777889700000,", "\nvoltage_v,,1777889700000,inf")),
        ("an identity of nothing", "line 3, column uid", |of| edit(of, "tables/panels.csv", "panel-1-2", "")),
        ("an identity that leads away", "line 2, column uid", |of| edit(of, "tables/photos.csv", "photo-1-1", "../photo-1-1")),
        ("a page as photo", "photo", |of| edit(of, "tables/photos.csv", "image/jpeg", "text/html")),
    ];
    let folder = to.path().parent().unwrap().to_owned();
    let files = || {
        let mut names: Vec<String> =
            std::fs::read_dir(&folder).unwrap().map(|file| file.unwrap().file_name().into_string().unwrap()).collect();
        names.retain(|name| name != "wrong.zip");
        names.sort();
        names
    };
    let before = files();
    let wrong = package(&to, "wrong.zip");
    let is_empty = || async { to.store.import_package(&sound, Prefer::Ask).await };
    for (name, place, damage) in damages {
        let mut members = whole.clone();
        damage(&mut members);
        packed(&wrong, &members);
        match to.store.import_package(&wrong, Prefer::Ask).await {
            Err(error @ PackageError::Wrong { .. }) => {
                if !error.to_string().contains(place) {
                    println!("?? {name}: {error}")
                }
            }
            other => panic!("{name}: {other:?}"),
        }
        assert_eq!(files(), before, "{name}");
    }
    // Cut, empty, and no archive at all.
    let bytes = std::fs::read(&sound).unwrap();
    for cut in [0, 1, 100, bytes.len() / 2, bytes.len() - 1] {
        std::fs::write(&wrong, &bytes[..cut]).unwrap();
        assert!(matches!(to.store.import_package(&wrong, Prefer::Ask).await, Err(PackageError::Wrong { .. })), "{cut}");
    }
    assert_eq!(files(), before);
    // And the sound one is the bench, as if nothing had been.
    is_empty().await.unwrap();
    assert_same(&exported(&to, "again.zip").await, &sound);
}

/// Seventy megabytes of zeros in some kilobytes, and a line without an end, are refused without being unpacked to the end.
#[tokio::test]
async fn a_bomb_is_refused() {
    let bench = TempBench::new().await;
    let path = package(&bench, "bomb.zip");
    let described = br#"{"flindo":{"package":1}}"#.to_vec();
    let zeros = vec![b'0'; 70 * 1024 * 1024];
    packed(&path, &[("datapackage.json".to_owned(), described.clone()), ("tables/places.csv".to_owned(), zeros.clone())]);
    let error = bench.store.import_package(&path, Prefer::Ask).await.unwrap_err().to_string();
    assert!(error.contains("tables/places.csv") && error.contains("line"), "{error}");
    packed(&path, &[("datapackage.json".to_owned(), zeros)]);
    let error = bench.store.import_package(&path, Prefer::Ask).await.unwrap_err().to_string();
    assert!(error.contains("unpacks to more"), "{error}");
}
