//! The program itself, as a process: its command line, its sentences, and what a power cut leaves behind.
use flindo_store::{BenchKind, Store};
use std::collections::HashSet;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::sync::{Arc, Mutex};

fn program(arguments: &[&str], bench: &Path) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_flindo"));
    command.args(arguments).arg("--data").arg(bench).env("RUST_LOG", "warn").stdin(Stdio::null());
    command
}

fn start(arguments: &[&str], bench: &Path) -> (Child, String) {
    let command = program(&[arguments, &["--listen", "127.0.0.1:0"]].concat(), bench);
    started(command)
}

fn started(mut command: Command) -> (Child, String) {
    let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let address = line.trim().strip_prefix("Flindo is at ").unwrap().trim_end_matches('/').to_owned();
    (child, address)
}

fn fails(arguments: &[&str], bench: &Path) -> String {
    let Output { status, stderr, .. } = program(arguments, bench).output().unwrap();
    assert!(!status.success());
    String::from_utf8(stderr).unwrap()
}

#[test]
fn every_wrong_start_is_one_sentence_and_an_exit_code() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = taken.local_addr().unwrap().to_string();
    let sentence = fails(&["demo", "--listen", &address], &file("a.bench"));
    assert!(sentence.contains("is taken") && sentence.lines().count() == 1, "{sentence}");
    std::fs::write(file("letter"), "a letter ".repeat(200)).unwrap();
    let sentence = fails(&["--listen", "127.0.0.1:0"], &file("letter"));
    assert!(sentence.contains("is not a bench") && sentence.lines().count() == 1, "{sentence}");
    let sentence = fails(&["--listen", "127.0.0.1:0"], &file("letter").join("below.bench"));
    assert!(sentence.contains("Cannot write") && sentence.lines().count() == 1, "{sentence}");
    assert!(fails(&["--listen", "nowhere"], &file("a.bench")).contains("--listen"));
}

#[test]
fn the_demo_starts_over_and_never_on_somebodys_own_bench() {
    let folder = tempfile::tempdir().unwrap();
    let own = folder.path().join("own.bench");
    let (mut child, _) = start(&[], &own);
    child.kill().unwrap();
    child.wait().unwrap();
    for arguments in [&["demo"][..], &["demo", "--fresh"]] {
        let sentence = fails(&[arguments, &["--listen", "127.0.0.1:0"]].concat(), &own);
        assert!(sentence.contains("The demo leaves it alone"), "{sentence}");
    }
    assert!(own.exists());
}

#[test]
fn sigterm_ends_it_with_a_clean_exit() {
    let folder = tempfile::tempdir().unwrap();
    let (mut child, _) = start(&["demo"], &folder.path().join("demo.bench"));
    let killed = Command::new("kill").arg(child.id().to_string()).status().unwrap();
    assert!(killed.success());
    assert!(child.wait().unwrap().success());
}

/// Readings are sent one after the other by four senders, and the process is killed with no warning in the middle of
/// it. Every reading that was acknowledged is there afterwards.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_kill_in_the_middle_of_a_burst_loses_no_acknowledged_reading() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("demo.bench");
    let (mut child, address) = start(&["demo"], &bench);
    let acknowledged = Arc::new(Mutex::new(Vec::new()));
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let senders: Vec<_> = (0..4)
        .map(|sender| {
            let (client, address, acknowledged) = (client.clone(), address.clone(), Arc::clone(&acknowledged));
            tokio::spawn(async move {
                for count in 0.. {
                    let uid = format!("burst-{sender}-{count:05}");
                    let form =
                        [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
                    match client.post(format!("{address}/api/v1/tests/1/readings")).form(&form).send().await {
                        Ok(response) if response.status() == 201 => acknowledged.lock().unwrap().push(uid),
                        _ => break,
                    }
                }
            })
        })
        .collect();
    while acknowledged.lock().unwrap().len() < 60 {
        tokio::task::yield_now().await;
    }
    child.kill().unwrap();
    child.wait().unwrap();
    for sender in senders {
        sender.await.unwrap();
    }
    let store = Store::open(&bench, BenchKind::Demo, "UTC").await.unwrap();
    let kept: HashSet<String> = store.readings(1).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
    let acknowledged = acknowledged.lock().unwrap();
    assert!(acknowledged.len() >= 60);
    let lost: Vec<&String> = acknowledged.iter().filter(|uid| !kept.contains(*uid)).collect();
    assert!(lost.is_empty(), "lost {lost:?}");
}

/// A disk with next to no room: the process may write files of 400 KB and no more. What does not fit is refused in a sentence, and once
/// there is room the same reading is taken, with no restart.
#[tokio::test]
async fn a_full_disk_refuses_in_a_sentence_and_heals_by_itself() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("full.bench");
    // A file over its limit is an error to the program, and not the signal that ends it.
    let own = program(&["demo", "--listen", "127.0.0.1:0"], &bench);
    let mut command = Command::new("bash");
    command.args(["-c", "trap '' XFSZ; exec \"$0\" \"$@\""]).arg(own.get_program()).args(own.get_args()).env("RUST_LOG", "warn");
    // Its log is a file on the same disk.
    command.stderr(std::fs::File::create(folder.path().join("log")).unwrap());
    let (mut child, address) = started(command);
    let limit = |bytes: &str| {
        let done = Command::new("prlimit").args(["--pid", &child.id().to_string(), &format!("--fsize={bytes}:")]).status();
        assert!(done.unwrap().success());
    };
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let send = async |nth: u32| {
        let uid = format!("full-disk-{nth:05}");
        let form = [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
        let answer = client.post(format!("{address}/api/v1/tests/1/readings")).form(&form).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    assert_eq!(send(0).await.0, 201);
    // Below what the log of the file has already: nothing more fits.
    limit("4096");
    let mut refused = (0, String::new());
    for nth in 1..4 {
        refused = send(nth).await;
        assert_eq!(refused.0, 507, "{refused:?}");
        assert!(refused.1.contains("nothing was saved"), "{refused:?}");
    }
    let page = client.get(format!("{address}/tests/1")).send().await.unwrap();
    assert_eq!(page.status(), 200, "what is there is still read: {refused:?}");
    limit("unlimited");
    assert_eq!((send(1).await.0, send(2).await.0), (201, 201));
    child.kill().unwrap();
    child.wait().unwrap();
    let store = Store::open(&bench, BenchKind::Demo, "UTC").await.unwrap();
    let kept = store.readings(1).await.unwrap().iter().filter(|reading| reading.what.uid.starts_with("full-disk")).count();
    assert_eq!(kept, 3);
}

/// Erasing asks for what is withdrawn, makes a copy first, and names the copies that hold it still.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_withdrawn_is_erased_after_a_copy() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("own.bench");
    let copy = folder.path().join("before.bench");
    let (mut child, address) = start(&["--daily-copies", "0"], &bench);
    let client = reqwest::Client::builder().no_proxy().redirect(reqwest::redirect::Policy::none()).build().unwrap();
    let kind =
        serde_json::json!({"name": "Umber 250", "rated_w": 250, "voc_v": 37.8, "isc_a": 8.75, "vmp_v": 30.4, "imp_a": 8.22});
    for (what, body) in [
        ("panels", serde_json::json!({"tag": "U-1", "kind": kind})),
        ("tests", serde_json::json!({"question": "makes_rating", "panel": "U-1"})),
    ] {
        assert_eq!(client.post(format!("{address}/api/v1/{what}")).json(&body).send().await.unwrap().status(), 201);
    }
    let open = fails(&["forget", "test", "1", copy.to_str().unwrap()], &bench);
    assert!(open.contains("open in another") || open.contains("already open"), "{open}");
    let withdrawn =
        client.post(format!("{address}/withdrawn/test/1")).form(&[("reason", "the wrong panel")]).send().await.unwrap();
    assert_eq!(withdrawn.status(), 303);
    child.kill().unwrap();
    child.wait().unwrap();
    for (arguments, told) in [
        (["forget", "panel", "1"], "is not withdrawn"),
        (["forget", "test", "7"], "Nothing was erased"),
        (["forget", "meter", "1"], "one of test, panel"),
    ] {
        let copy = folder.path().join(format!("{}.bench", arguments[1..].join("-")));
        let sentence = fails(&[&arguments[..], &[copy.to_str().unwrap()]].concat(), &bench);
        assert!(sentence.contains(told), "{sentence}");
    }
    let done = program(&["forget", "test", "1", copy.to_str().unwrap()], &bench).output().unwrap();
    let said = String::from_utf8(done.stdout).unwrap();
    assert!(done.status.success() && said.contains("Erased: test") && said.contains(copy.to_str().unwrap()), "{said}");
    let again = fails(&["forget", "test", "1", folder.path().join("b.bench").to_str().unwrap()], &bench);
    assert!(again.contains("Nothing was erased"), "{again}");
    let store = Store::open(&bench, BenchKind::Own, "UTC").await.unwrap();
    assert_eq!(store.count_tests(None).await.unwrap(), 0);
    store.close().await;
    let store = Store::open(&copy, BenchKind::Own, "UTC").await.unwrap();
    assert!(store.test(1).await.is_ok());
}

/// The journal of a running bench is removed: nothing more is acknowledged, and what was acknowledged before is in the file after a kill.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_removed_journal_loses_nothing_that_was_acknowledged() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("demo.bench");
    let (mut child, address) = start(&["demo"], &bench);
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let send = async |nth: u32| {
        let uid = format!("journal-{nth:05}");
        let form = [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
        let answer = client.post(format!("{address}/api/v1/tests/1/readings")).form(&form).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    for nth in 0..3 {
        assert_eq!(send(nth).await.0, 201);
    }
    std::fs::remove_file(folder.path().join("demo.bench-wal")).unwrap();
    for nth in 3..5 {
        let (status, told) = send(nth).await;
        assert!(status == 507 && told.contains("was removed while the bench is open"), "{status} {told}");
    }
    let page = client.get(format!("{address}/tests/1")).send().await.unwrap();
    assert_eq!(page.status(), 200, "what is there is still read");
    // The log is brought into the file beside the answer.
    let kept = async || {
        let copy = folder.path().join("copy.bench");
        std::fs::copy(&bench, &copy).unwrap();
        let Ok(store) = Store::open(&copy, BenchKind::Demo, "UTC").await else { return 0 };
        let readings = store.readings(1).await.unwrap_or_default();
        store.close().await;
        readings.iter().filter(|reading| reading.what.uid.starts_with("journal-")).count()
    };
    for _ in 0..100 {
        if kept().await == 3 {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    child.kill().unwrap();
    child.wait().unwrap();
    assert_eq!(kept().await, 3);
}

#[test]
fn a_bench_is_open_in_one_server_at_a_time() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("demo.bench");
    let (mut child, _) = start(&["demo"], &bench);
    for arguments in [&["demo"][..], &["demo", "--fresh"], &[]] {
        let sentence = fails(&[arguments, &["--listen", "127.0.0.1:0"]].concat(), &bench);
        assert!(sentence.contains("is open in another Flindo") && sentence.lines().count() == 1, "{sentence}");
    }
    child.kill().unwrap();
    child.wait().unwrap();
    // A lock of a process that was killed holds nobody up.
    let (mut again, _) = start(&["demo", "--fresh"], &bench);
    again.kill().unwrap();
    again.wait().unwrap();
}

#[tokio::test]
async fn a_running_bench_is_copied_and_the_copy_is_restored() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let path = |name: &str| file(name).to_string_lossy().into_owned();
    let (mut child, address) = start(&["demo"], &file("demo.bench"));
    let says = |arguments: &[&str], bench: &str| {
        let Output { status, stdout, stderr } = program(arguments, &file(bench)).output().unwrap();
        (status.success(), String::from_utf8([stdout, stderr].concat()).unwrap())
    };
    let (done, said) = says(&["backup", &path("copy.bench")], "demo.bench");
    assert!(done && said.contains("whole, with"), "{said}");
    // What comes after the copy is not in it.
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let form = [("uid", "after-the-copy"), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
    assert_eq!(client.post(format!("{address}/api/v1/tests/1/readings")).form(&form).send().await.unwrap().status(), 201);
    let (done, said) = says(&["backup", &path("copy.bench")], "demo.bench");
    assert!(!done && said.contains("is there already"), "{said}");
    child.kill().unwrap();
    child.wait().unwrap();
    let (done, said) = says(&["restore", &path("copy.bench")], "demo.bench");
    assert!(!done && said.contains("is there already"), "a bench is never overwritten: {said}");
    let (done, said) = says(&["restore", &path("copy.bench")], "new.bench");
    assert!(done && said.contains("whole, with"), "{said}");
    let uids = async |name: &str| -> Vec<String> {
        let store = Store::open(&file(name), BenchKind::Own, "UTC").await.unwrap();
        let uids = store.readings(1).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
        store.close().await;
        uids
    };
    let (first, restored) = (uids("demo.bench").await, uids("new.bench").await);
    assert_eq!(first.len(), restored.len() + 1);
    assert!(restored.iter().all(|uid| first.contains(uid)));
    // A copy with a hole in it is told, and nothing comes of it.
    let mut bytes = std::fs::read(file("copy.bench")).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle..middle + 8192].fill(0xA5);
    std::fs::write(file("hole.bench"), bytes).unwrap();
    let (done, said) = says(&["restore", &path("hole.bench")], "other.bench");
    assert!(!done && said.contains("is no whole bench") && !file("other.bench").exists(), "{said}");
}

#[tokio::test]
async fn ones_own_bench_is_copied_by_itself_and_by_a_button() {
    let folder = tempfile::tempdir().unwrap();
    let (mut child, address) = start(&["--daily-copies", "2"], &folder.path().join("own.bench"));
    let client = reqwest::Client::builder().no_proxy().redirect(reqwest::redirect::Policy::none()).build().unwrap();
    let copies = || std::fs::read_dir(folder.path().join("copies")).map_or(0, Iterator::count);
    while copies() == 0 {
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    for _ in 0..3 {
        // Names go by the second.
        tokio::time::sleep(std::time::Duration::from_millis(1100)).await;
        let pressed =
            client.post(format!("{address}/bench/copies")).header("sec-fetch-site", "same-origin").send().await.unwrap();
        assert_eq!(pressed.status(), 303, "{}", pressed.text().await.unwrap());
    }
    assert_eq!(copies(), 2, "the oldest are given up");
    let page = client.get(format!("{address}/bench")).send().await.unwrap().text().await.unwrap();
    assert!(page.contains("Last copy") && page.contains("0 h ago"), "{page}");
    child.kill().unwrap();
    child.wait().unwrap();
}

/// A request that is half sent keeps nobody waiting: the first signal ends within five seconds, the second at once.
#[test]
fn a_half_sent_request_does_not_hold_up_the_end() {
    let folder = tempfile::tempdir().unwrap();
    for signals in [1, 2] {
        let (mut child, address) = start(&["demo"], &folder.path().join(format!("{signals}.bench")));
        let mut half = std::net::TcpStream::connect(address.trim_start_matches("http://")).unwrap();
        std::io::Write::write_all(
            &mut half,
            b"POST /api/v1/tests/1/readings HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-length: 900\r\n\r\nuid=",
        )
        .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(300));
        let told = std::time::Instant::now();
        for _ in 0..signals {
            assert!(Command::new("kill").arg(child.id().to_string()).status().unwrap().success());
            std::thread::sleep(std::time::Duration::from_millis(300));
        }
        child.wait().unwrap();
        let most_s = if signals == 1 { 8.0 } else { 4.0 };
        assert!(told.elapsed().as_secs_f64() < most_s, "{signals}: {:?}", told.elapsed());
        drop(half);
    }
}
