//! The program itself, as a process: its command line, its sentences, and what a power cut leaves behind.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

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
    let mut child = program(&[arguments, &["--listen", "127.0.0.1:0"]].concat(), bench).stdout(Stdio::piped()).spawn().unwrap();
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
