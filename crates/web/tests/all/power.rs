//! Power cuts: what was acknowledged is on the disk, and the file is whole, whatever of the writes that no sync covered got lost.

use flindo_store::{BenchKind, Store};
use serde_json::json;
use std::collections::HashSet;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex};

/// The disk that forgets, compiled.
fn forgetting_disk(folder: &Path) -> PathBuf {
    let (source, library) = (concat!(env!("CARGO_MANIFEST_DIR"), "/tests/power/power_cut.c"), folder.join("power_cut.so"));
    let made =
        Command::new("cc").args(["-O1", "-shared", "-fPIC", "-o"]).arg(&library).args([source, "-ldl", "-lpthread"]).status();
    assert!(made.unwrap().success());
    library
}

fn started(command: &mut Command) -> (Child, String) {
    command.args(["--listen", "127.0.0.1:0", "--daily-copies", "0"]).env("RUST_LOG", "error");
    let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let address = line.trim().strip_prefix("Flindo is at ").unwrap().trim_end_matches('/').to_owned();
    (child, address)
}

/// Sends readings from four senders until some are acknowledged, and cuts the power in the middle of it. Answers how many writes were
/// lost or torn; `acknowledged` gets what the program said it has.
async fn cut(bench: &Path, disk: &Path, nth: u64, acknowledged: &mut Vec<String>) -> usize {
    // Every third time all that was not synced is gone, else a part of it.
    let (seed, enough) = (if nth.is_multiple_of(3) { 0 } else { nth }, 3 + (nth as usize * 7) % 40);
    let mut command = Command::new(env!("CARGO_BIN_EXE_flindo"));
    command.arg("--data").arg(bench).env("LD_PRELOAD", disk).env("CUT_SEED", seed.to_string());
    let (mut child, address) = started(&mut command);
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let known = Arc::new(Mutex::new(Vec::new()));
    let senders: Vec<_> = (0..4)
        .map(|sender| {
            let (client, address, known) = (client.clone(), address.clone(), Arc::clone(&known));
            tokio::spawn(async move {
                for count in 0.. {
                    let uid = format!("cut-{nth:04}-{sender}-{count:05}");
                    let form =
                        [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
                    match client.post(format!("{address}/api/v1/tests/1/readings")).form(&form).send().await {
                        Ok(response) if response.status() == 201 => known.lock().unwrap().push(uid),
                        _ => break,
                    }
                }
            })
        })
        .collect();
    while known.lock().unwrap().len() < enough {
        tokio::time::sleep(std::time::Duration::from_millis(1)).await;
    }
    assert!(Command::new("kill").args(["-USR1", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(9));
    for sender in senders {
        sender.await.unwrap();
    }
    acknowledged.extend(known.lock().unwrap().drain(..));
    let mut told = String::new();
    child.stderr.take().unwrap().read_to_string(&mut told).unwrap();
    let lost = told.split("power cut: ").nth(1).and_then(|rest| rest.split(' ').next()).unwrap_or_else(|| panic!("{told}"));
    lost.parse().unwrap()
}

/// Cuts the power so many times; answers how many readings were acknowledged and how many writes were not synced.
async fn survives(cuts: u64) -> (usize, usize) {
    let folder = tempfile::tempdir().unwrap();
    let disk = forgetting_disk(folder.path());
    let bench = folder.path().join("power.bench");
    let (mut child, address) = started(Command::new(env!("CARGO_BIN_EXE_flindo")).args(["--data"]).arg(&bench));
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let kind = json!({"name": "Umber 250", "rated_w": 250, "voc_v": 37.8, "isc_a": 8.75, "vmp_v": 30.4, "imp_a": 8.22});
    for (what, body) in
        [("panels", json!({"tag": "U-1", "kind": kind})), ("tests", json!({"question": "makes_rating", "panel": "U-1"}))]
    {
        let answer = client.post(format!("{address}/api/v1/{what}")).json(&body).send().await.unwrap();
        assert_eq!(answer.status(), 201, "{}", answer.text().await.unwrap());
    }
    child.kill().unwrap();
    child.wait().unwrap();
    let (mut acknowledged, mut lost) = (Vec::new(), 0);
    for nth in 0..cuts {
        let before = acknowledged.len();
        lost += cut(&bench, &disk, nth, &mut acknowledged).await;
        assert!(acknowledged.len() > before);
        flindo_store::verify(&bench).await.unwrap();
        let store = Store::open(&bench, BenchKind::Own, "UTC").await.unwrap();
        let kept: HashSet<String> = store.readings(1).await.unwrap().into_iter().map(|reading| reading.what.uid).collect();
        store.close().await;
        let missing: Vec<&String> = acknowledged.iter().filter(|uid| !kept.contains(*uid)).collect();
        assert!(missing.is_empty(), "cut {nth}: {missing:?} of {} are lost", acknowledged.len());
    }
    (acknowledged.len(), lost)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_was_acknowledged_survives_a_power_cut() {
    let (acknowledged, lost) = survives(6).await;
    assert!(acknowledged > 60 && lost > 0, "{acknowledged} acknowledged, {lost} writes not synced");
}

/// The long run, for docs/solid.md: `cargo test -p flindo --test all -- --ignored --nocapture two_hundred`.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
#[ignore = "two minutes"]
async fn two_hundred_power_cuts_lose_nothing() {
    let (acknowledged, lost) = survives(200).await;
    println!("200 cuts: {acknowledged} readings acknowledged, none lost; {lost} writes were not synced when the power went");
}
